"""The tables of docs/: one recipe in every milk, every shipped recipe in one line, the schema.

What was checked in them is written by hand under each table, and kept when it is made anew.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from openpail.craft.bench.standardise import Kind, Stream, Target, skimmings, suggest
from openpail.craft.doses.asked import Job
from openpail.craft.figure import Figure
from openpail.craft.house import House, shipped
from openpail.craft.milk.blend import Pour, pour
from openpail.craft.milk.density import mass_of
from openpail.craft.milk.kinds import Breed, MilkKind, MilkTest, Treatment
from openpail.craft.milk.slip import composition
from openpail.craft.recipe.recipe import Recipe, reference_pours
from openpail.craft.recipe.steps import laid_out
from openpail.craft.sheet.adapt import adapt
from openpail.craft.sheet.target_costs import costs_of
from openpail.demo import hidden
from openpail.formats.recipe_file import library, schema

DOCS = Path(__file__).parents[2] / "docs"
CHECKED = "## What was checked"
RECIPE, LITRES = "larder-block", 20.0
HEATED: tuple[tuple[str, Treatment, bool], ...] = (
    ("raw", "raw", False),
    ("batch", "batch", False),
    ("flash", "flash", False),
    ("flash, homogenised", "flash", True),
)
MILKS: tuple[tuple[str, tuple[tuple[Breed, float], ...]], ...] = (
    ("cow", (("cow_lowland", 1.0),)),
    ("goat", (("goat", 1.0),)),
    ("sheep", (("sheep", 1.0),)),
    ("buffalo", (("buffalo", 1.0),)),
    ("cow 65 : goat 35", (("cow_lowland", 0.65), ("goat", 0.35))),
)


def row(
    recipe: Recipe,
    milk: tuple[tuple[Breed, float], ...],
    treatment: Treatment,
    homogenised: bool,
    house: House,
) -> dict[str, float]:
    """Doses, minutes and cheese of a recipe for 20 L of an untested milk, by name."""
    pours = []
    for breed, share in milk:
        parts = composition(breed, MilkTest(), house)
        mass = mass_of(LITRES * share, 20.0, parts)
        pours.append(
            Pour(
                name=breed,
                breed=breed,
                treatment=treatment,
                mass=mass,
                milk=parts,
                homogenised=homogenised,
            )
        )
    sheet = adapt(Job(recipe=recipe, milk=pour(pours, house), house=house))
    found = {line.kind: line.figure.value for line in sheet.lines}
    if sheet.set and sheet.firmness:
        found |= {
            "imcu": sheet.set.imcu_per_kg.value,
            "flocks": sheet.set.flocculation.value,
            "cut": sheet.set.cut.value,
            "firm": sheet.firmness.against,
        }
    return found | {"cheese": sheet.cheese.value}


def table() -> str:
    """The whole table, as Markdown."""
    house = House()
    recipe = next(recipe for recipe, _ in library() if recipe.key == RECIPE)
    lines = [
        "| milk | heated | CaCl₂ 33 %, mL | culture, g | rennet 200, mL | IMCU/kg | salt, g | "
        "flocks, min | cut, min | firm at the cut | cheese, kg |",
        "|---|---|--:|--:|--:|--:|--:|--:|--:|--:|--:|",
    ]
    for words, milk in MILKS:
        for heated, treatment, homogenised in HEATED:
            f = row(recipe, milk, treatment, homogenised, house)
            lines.append(
                f"| {words} | {heated} | {f['calcium']:.1f} | {f['culture']:.2f} | "
                f"{f['rennet']:.1f} | {f['imcu']:.0f} | {f['salt']:.0f} | {f['flocks']:.1f} | "
                f"{f['cut']:.0f} | {f['firm']:.2f} | {f['cheese']:.2f} |"
            )
    return "\n".join(lines)


def _plain(value: float) -> str:
    return f"{value:.2g}" if value < 99.5 else f"{value:.0f}"


def library_row(recipe: Recipe, house: House) -> str:
    """A shipped recipe in one line: milk, doses for 10 kg, set, warmest, salt, yield, cave."""
    pours = reference_pours(recipe, house)
    sheet = adapt(Job(recipe=recipe, milk=pour(pours, house), house=house))
    kg = sum(each.mass.value for each in pours)
    for_10_kg = ", ".join(
        f"{line.key} {_plain(line.figure.value * 10 / kg)} {line.figure.unit}"
        for line in sheet.lines
        if line.figure.value > 0
    )
    times = sheet.set
    floc, cut = (times.flocculation.value, times.cut.value) if times else (None, None)
    hours = laid_out(recipe, floc, cut)[-1].end_min / 60
    set_ = f"{times.imcu_per_kg.value:.0f} · {floc:.0f} · {cut:.0f}" if times else "–"
    sours = [f"{step.ph.target:g}" for step in recipe.steps if step.ph]
    warm = [step.celsius.target for step in recipe.steps if step.celsius]
    caves = "; ".join(f"{stage.days} d {stage.celsius.target:g} °C" for stage in recipe.stages)
    milk = " + ".join(
        f"{part.volume_l:g} L {part.treatment} {part.breed.replace('_', ' ')}"
        f"{' whey' if part.stream == 'whey' else ''}"
        for part in recipe.reference
    )
    return (
        f"| {recipe.name} | {recipe.family.replace('_', ' ')} | {milk} | {for_10_kg} | "
        f"{'–' if recipe.renneting_c is None else f'{recipe.renneting_c:g}'} | {set_} | "
        f"{max(warm):g} | {' → '.join(sours) or '–'} | {hours:.1f} | "
        f"{100 * sheet.cheese.value / kg:.0f} | {caves} | {recipe.eat_by_days} |"
    )


def library_table() -> str:
    """Every shipped recipe, as Markdown."""
    head = (
        "| recipe | family | written for | doses for 10 kg | rennet at °C | IMCU/kg · flocks · "
        "cut, min | warmest °C | pH | hours | cheese, % | ripening | eat by, d |"
    )
    house = House()
    rows = [library_row(recipe, house) for recipe, _ in library()]
    return "\n".join((head, "|---|---|---|---|--:|---|--:|---|--:|--:|---|--:|", *rows))


# ── protein ──

_IN_VAT_KG = 30.0
_ON_HAND: tuple[tuple[str, MilkKind, float], ...] = (
    ("skim", "skim", 15.0),
    ("cream", "cream", 4.0),
    ("low-heat powder", "powder", 3.0),
    ("concentrate 80", "concentrate", 2.0),
    ("retentate", "retentate", 12.0),
)
_WANTED: tuple[tuple[str, tuple[tuple[Kind, float], ...]], ...] = (
    ("protein 3.6 %", (("protein", 3.6),)),
    ("protein 3.8 %", (("protein", 3.8),)),
    ("protein 4.2 %", (("protein", 4.2),)),
    ("casein 3.0 %", (("casein", 3.0),)),
    ("casein 3.2 %", (("casein", 3.2),)),
    ("fat 3.6 %, protein 3.6 %", (("fat", 3.6), ("protein", 3.6))),
    ("fat 4.5 %, protein 3.8 %", (("fat", 4.5), ("protein", 3.8))),
    ("casein : fat 0.82, casein 3.0 %", (("casein_to_fat", 0.82), ("casein", 3.0))),
)


def _poured(name: str, kind: MilkKind, kg: float, house: House) -> Pour:
    parts = composition("cow_lowland", MilkTest(), house, kind=kind)
    return Pour(
        name=name,
        breed="cow_lowland",
        treatment="flash",
        mass=Figure.start(name, kg, "kg"),
        milk=parts,
        kind=kind,
    )


def _stream(pour: Pour, low: float, high: float, main: bool = False) -> Stream:
    milk = pour.milk
    return Stream(
        key=pour.name,
        name=pour.name,
        fat_pct=milk.fat.value,
        protein_pct=milk.protein.value,
        casein_pct=milk.casein.value,
        low_kg=low,
        high_kg=high,
        is_main=main,
        kind=pour.kind,
        lactose_pct=milk.lactose.value,
    )


def protein_table() -> str:
    """Targets of fat and protein reached in several ways, as Markdown."""
    house = House()
    recipe = next(recipe for recipe, _ in library() if recipe.key == "threshing-cheddar")
    cow = _poured("cow’s milk", "milk", _IN_VAT_KG, house)
    now = pour((cow,), house)
    main = _stream(cow, _IN_VAT_KG, _IN_VAT_KG, main=True)
    off = skimmings(main, _IN_VAT_KG, 40.0, house, "cream off, 40 %")
    here = [_poured(name, kind, kg, house) for name, kind, kg in _ON_HAND]
    streams = [main, *(_stream(each, 0.0, each.mass.value) for each in here), off]
    lines = [
        "| wanted | way | what is done to 30 kg | fat | protein | casein | lactose | rennet | "
        "CaCl₂, g/kg | cheese, kg of 100 |",
        "|---|---|---|--:|--:|--:|--:|--:|--:|--:|",
    ]
    for words, wanted in _WANTED:
        targets = [Target(kind, value, _near(kind, house)) for kind, value in wanted]
        for mix in suggest(streams, targets, recipe.family, house=house):
            amounts = {stream.key: kg for stream, kg in mix.amounts}
            poured = [
                replace(each, mass=Figure.start(each.name, amounts[each.name], "kg"))
                for each in (cow, *here)
                if amounts.get(each.name, 0.0) > 0
            ]
            cost = costs_of(recipe, now, pour(poured, house), mix, house)
            done = ", ".join(
                f"{'−' if kg < 0 else '+'} {abs(kg):.2f} {stream.name}"
                for stream, kg in mix.amounts
                if stream.key != main.key
            )
            way = "not to be reached" if mix.missed else " and ".join(sorted(mix.ways)) or "milks"
            gentle = " (gentlest)" if mix.gentlest else ""
            rennet = "–" if cost.rennet is None else f"{100 * cost.rennet:+.0f} %"
            lines.append(
                f"| {words} | {way}{gentle} | {done} | {mix.reached['fat']:.2f} | "
                f"{mix.reached['protein']:.2f} | {mix.reached['casein']:.2f} | "
                f"{mix.lactose_pct:.2f} | {rennet} | {round(cost.calcium_g_per_kg, 3) + 0:.3f} | "
                f"{cost.cheese_per_100:+.1f} |"
            )
    return "\n".join(lines)


def _near(kind: Kind, house: House) -> float:
    return house.number(
        {"fat": "standard.near_fat", "casein_to_fat": "standard.near_ratio"}.get(
            kind, "standard.near_protein"
        )
    )


PAGES: tuple[tuple[str, str, Callable[[], str]], ...] = (
    (
        "doses-by-milk.md",
        f"# Doses by milk\n\nThe shipped recipe *Larder Block* for {LITRES:g} L of untested milk, "
        "with the recipe’s own bottles, the house values as shipped and the recipe’s clock kept. "
        "Made by `./pail tables`; the recipe’s own milk is cow’s, flash-heated.",
        table,
    ),
    (
        "library.md",
        "# The starter library\n\nEvery shipped recipe in its own milk, with its own bottles, as "
        "the sheet works it out. Made by `./pail tables`.",
        library_table,
    ),
    (
        "protein.md",
        "# Fat and protein, in several ways\n\nThirty kilograms of untested cow’s milk, "
        "flash-heated, brought to eight targets with what a dairy may have beside it (skim, cream, "
        "low-heat powder, milk protein concentrate of 80 %, retentate, cream taken off): the least "
        "handling of all, and each way by itself; and what it costs *Threshing Cheddar*: lactose, "
        "rennet and calcium chloride in each kg, cheese of 100 kg, against the milk as it was. "
        "Made by `./pail tables`.",
        protein_table,
    ),
    (
        "learning.md",
        "# How soon the makes teach\n\nFour hundred simulated dairies, each with a hidden truth: a "
        "bottle of 0.75 to 1.3 of the strength on its label, animals whose milk takes 0.9 to 1.12 "
        "of the usual time, first flocks that are read 4 % off; 16 min expected by the label, the "
        "cut at three times the flocks. How far the next make was foretold wrong after so many. "
        "Once the flocks are seen, the cut follows them, and not this. Made by `./pail tables`.",
        hidden.table,
    ),
    (
        "models.md",
        "# What the models rest on\n\nEvery figure of the models of milk, doses, set, brine and "
        "press: where ours stands, between what it is believed (and may be set, under *House "
        "values*), and from whom it is. *House value* is our own judgement within what makers and "
        "papers say. Made by `./pail tables`.",
        lambda: models_table(House()),
    ),
)

_MODELS = ("calcium", "rennet", "cut", "firm", "culture", "acid", "heat", "wash", "room", "brine")


def models_table(house: House) -> str:
    """Every figure that the models rest on. Parameters: house, for where ours stands."""
    rows = ["| figure | ours | believed from | to | from whom |", "|---|---|---|---|---|"]
    for key, each in shipped().items():
        if key.partition(".")[0] not in _MODELS:
            continue
        is_curve = isinstance(each.value, tuple)
        ours = "a curve" if is_curve else f"{house.number(key):g} {each.unit}"
        told = f"{each.words} `{key}`"
        rows.append(f"| {told} | {ours} | {each.low:g} | {each.high:g} | {each.source} |")
    return "\n".join(rows)


def page(head: str, made: str, before: str) -> str:
    """A page anew, with what was written by hand under the table kept."""
    checked = before[before.index(CHECKED) :] if CHECKED in before else f"{CHECKED}\n"
    return f"{head}\n\n{made}\n\n{checked.rstrip()}\n"


SCHEMA = "recipe.schema.json"

if __name__ == "__main__":
    for name, head, make in PAGES:
        file = DOCS / name
        before = file.read_text("utf-8") if file.exists() else ""
        file.write_text(page(head, make(), before), "utf-8")
        sys.stdout.write(f"· docs/{name}\n")
    (DOCS / SCHEMA).write_text(json.dumps(schema(), indent=1) + "\n", "utf-8")
    sys.stdout.write(f"· docs/{SCHEMA}\n")
