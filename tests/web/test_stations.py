"""What every station keeps to: figures come worked out, colours by token, two break points."""

import re
from itertools import chain
from pathlib import Path

import pytest
from jinja2 import Environment, nodes

import openpail.web
from openpail.web import assets

WEB = Path(openpail.web.__file__).parent
TEMPLATES = sorted(WEB.rglob("*.html"))
STYLES = sorted(path for path in WEB.rglob("*.css") if "vendor" not in path.parts)
SCRIPTS = sorted((*WEB.glob("*/*.js"), *WEB.glob("static/js/*.js")))
# Where a line of a drawing stands is no figure of the craft.
DRAWING = re.compile(r"viewBox|<(?:text|path|rect|circle)\b|<svg[^>]*>\s*<rect|set (?:y|tall) =")


@pytest.mark.parametrize("path", TEMPLATES, ids=lambda path: path.name)
def test_no_figure_is_worked_out_in_a_template(path):
    lines = path.read_text().split("\n")
    tree = Environment(extensions=["jinja2.ext.do"]).parse("\n".join(lines))
    kinds = (nodes.Mul, nodes.Div, nodes.FloorDiv, nodes.Pow, nodes.Mod)
    found = chain.from_iterable(tree.find_all(kind) for kind in kinds)
    figures = [lines[each.lineno - 1] for each in found]
    assert [line.strip() for line in figures if not DRAWING.search(line)] == []


def test_a_figure_in_a_template_would_be_seen():
    tree = Environment().parse("{{ change(real / written - 1) }}")
    assert list(tree.find_all(nodes.Div)) and not DRAWING.search("{{ change(real / written - 1) }}")


@pytest.mark.parametrize("path", STYLES, ids=lambda path: path.name)
def test_a_stations_styles_use_tokens_and_the_two_break_points(path):
    style = re.sub(r"/\*.*?\*/", "", path.read_text(), flags=re.S)
    if path.name != "tokens.css":
        assert re.findall(r":[^;{]*(#[0-9a-fA-F]{3,8}\b|\brgba?\(|\bhsla?\()", style) == []
    widths = re.findall(r"@media[^{]*?(?:min|max)-width:\s*([\w.]+)", style)
    assert set(widths) <= {"1100px", "1101px", "600px"}


def test_every_token_that_is_used_is_there_and_every_one_there_is_used():
    """A colour that nobody set shows as black, and says nothing of it."""
    sources = [
        *STYLES,
        *TEMPLATES,
        *WEB.glob("*/*.py"),
        *SCRIPTS,
    ]
    whole = "\n".join(path.read_text() for path in sources)
    named = set(re.findall(r"(--[a-z][\w-]*)\s*:", "\n".join(p.read_text() for p in STYLES)))
    used = set(re.findall(r"var\((--[a-z][\w-]*)", whole))
    outside = {each for each in used if each.startswith("--bs-")}
    set_inline = set(re.findall(r"style=\"(--[\w-]+):", whole))
    assert used - named - outside - set_inline == set()
    assert {each for each in named - used if not each.startswith("--bs-")} == set()


def test_every_template_and_script_is_reached():
    """A page that nothing shows is dead; a name that is not there fails only when it is asked."""
    whole = "\n".join(path.read_text() for path in chain(WEB.rglob("*.py"), TEMPLATES))
    for path in TEMPLATES:
        name = path.relative_to(path.parents[1]).as_posix()
        assert f'"{name}"' in whole or f"'{name}'" in whole, f"nothing shows {name}"
    whole += "\n".join(path.read_text() for path in SCRIPTS)
    for path in SCRIPTS:
        name = path.relative_to(WEB).as_posix().removeprefix("static/")
        assert f"'{name}'" in whole or f'"/static/{name}"' in whole, f"nothing loads {name}"


def test_what_a_file_names_of_others_changes_its_own_name(client):
    """A script or a font that changed would be the old one still for whoever kept what names it."""
    shelf = client.application.extensions["assets"]
    named = re.compile(r"""(?:from |import |url\()"?/static/([^")]+)""")
    names = [name for body, _ in shelf.values() for name in named.findall(body.decode("latin1"))]
    assert len(names) > 20
    assert all(name in shelf and re.search(r"\.[0-9a-f]{12}\.\w+$", name) for name in names)
    of = {name.split(".")[0]: name for name in shelf if name.endswith(".js")}
    plain = {path.relative_to(WEB).as_posix(): path.read_bytes() for path in SCRIPTS}
    plain = {name.removeprefix("static/"): body for name, body in plain.items()}
    changed = assets.Shelf({**plain, "js/clock.js": plain["js/clock.js"] + b"\n"})
    moved = {
        name for name in plain if changed.url(name) != f"/static/{of[name.removesuffix('.js')]}"
    }
    assert {"js/clock.js", "js/countdowns.js", "js/pail.js", "vat/vat.js"} <= moved
    assert {"vat/taps.js", "js/fragments.js"}.isdisjoint(moved)


# What the vat's page is made of, others that stand at a vat are made of too.
AT_THE_VAT = {"press", "practice", "heat"}


def test_no_room_dresses_what_another_room_names():
    """All sheets are one: a class that two rooms name means one thing to one of them."""
    bare, named = {}, {}
    for path in STYLES:
        room, text = path.parent.name, re.sub(r"/\*.*?\*/", "", path.read_text("utf-8"), flags=re.S)
        for selectors in re.findall(r"([^{}]+)\{[^{}]*\}", text):
            for one in (each.strip() for each in selectors.split(",")):
                if re.fullmatch(r"\.[\w-]+", one):
                    bare.setdefault(one[1:], set()).add(room)
                for name in re.findall(r"\.([a-zA-Z][\w-]*)", one):
                    named.setdefault(name, set()).add(room)
    met = {}
    for name, owners in bare.items():
        others = named[name] - owners - {"ui"} - (AT_THE_VAT if "vat" in owners else set())
        if owners != {"ui"} and (len(owners - {"ui"}) > 1 or others):
            met[name] = sorted(owners | others)
    assert not met
