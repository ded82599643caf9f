"""The page of safety is what the program does: each caution and mark stands on it, no other."""

import ast
import re
from pathlib import Path

import pytest

import openpail
from openpail.craft.marks import MARK_SORTS

ROOT = Path(openpail.__file__).parent
PAGE = (ROOT.parent / "docs" / "safety.md").read_text("utf-8")
MADE_IN = ("craft/sheet/cautions.py", "craft/make/care.py", "craft/make/slow_acid.py")
TESTS = [
    each for each in ROOT.parent.joinpath("tests").rglob("test_*.py") if each != Path(__file__)
]
TRIED = "".join(each.read_text("utf-8") for each in TESTS)


def raised():
    """The key of every caution that the craft can raise."""
    for name in MADE_IN:
        for node in ast.walk(ast.parse(ROOT.joinpath(name).read_text("utf-8"))):
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "Caution":
                keys = [each.value for each in node.keywords if each.arg == "key"]
                yield from (each.value for each in keys if isinstance(each, ast.Constant))


def test_every_caution_stands_on_the_page_and_nothing_else_does():
    rows = PAGE.split("| when | level | where | keys |")[1].split("Without a key")[0]
    told = re.findall(r"`([a-z-]+)`", rows)
    assert sorted(told) == sorted(set(raised()) | {"raw-soft"})


@pytest.mark.parametrize("key", sorted(set(raised())))
def test_every_caution_is_tried_where_it_appears_and_where_it_does_not(key):
    assert f'"{key}"' in TRIED


@pytest.mark.parametrize("key", list(MARK_SORTS))
def test_every_mark_stands_on_the_page_with_its_strength_and_its_label(key):
    sort = MARK_SORTS[key]
    (row,) = re.findall(rf"^\| {re.escape(sort.title)} \|.*$", PAGE, re.M)
    _, _, _, strength, label, _ = (cell.strip() for cell in row.split("|"))
    assert label == sort.label
    assert strength == ("bar" if sort.is_bar else "stop" if sort.leaves else "strong caution")
