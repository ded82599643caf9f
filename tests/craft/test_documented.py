"""The craft's promises about itself: a rule tells its source and every parameter it takes."""

import ast
import importlib
import inspect
import pkgutil
import re
from collections import Counter
from pathlib import Path

import pytest

import openpail.craft

MODULES = [
    importlib.import_module(each.name)
    for each in pkgutil.walk_packages(openpail.craft.__path__, "openpail.craft.")
    if not each.ispkg
]
FUNCTIONS = [
    function
    for module in MODULES
    for name, function in inspect.getmembers(module, inspect.isfunction)
    if function.__module__ == module.__name__ and not name.startswith("_")
]
ROOT = Path(openpail.craft.__file__).parents[1]


@pytest.mark.parametrize("function", FUNCTIONS, ids=lambda f: f"{f.__module__}.{f.__name__}")
def test_a_public_rule_tells_its_parameters_and_its_source_or_what_it_raises(function):
    words = inspect.getdoc(function) or ""
    assert re.search(r"source:|raises", words, re.I)
    unsaid = [
        p for p in inspect.signature(function).parameters if not re.search(rf"\b{p}\b", words)
    ]
    assert not unsaid, f"{function.__name__} does not say what {unsaid} is"
    told = re.search(r"Parameters?:(.*?)(?:Returns:|Raises:|Source:|$)", words, re.S)
    for name in re.findall(
        r"\b\w+_(?:kg|l|ml|g|c|pct|min|ph|imcu|days|hours)\b",
        re.sub("`.*?`", "", told[1]) if told else "",
    ):
        assert name in inspect.signature(function).parameters, f"{name} is no parameter any more"


def test_the_rooms_of_the_craft_are_where_their_names_say():
    assert len(MODULES) > 40  # the walk went into the rooms
    rooms = {
        each.name.split(".")[2]
        for each in pkgutil.walk_packages(openpail.craft.__path__, "openpail.craft.")
        if each.ispkg
    }
    assert rooms == {
        "milk",
        "stock",
        "recipe",
        "bench",
        "doses",
        "sheet",
        "clock",
        "make",
        "practice",
        "table",
        "cave",
        "press",
        "salt",
    }


def test_no_class_has_the_name_of_another():
    names = Counter(
        (node.name)
        for path in ROOT.rglob("*.py")
        for node in ast.parse(path.read_text()).body
        if isinstance(node, ast.ClassDef)
    )
    assert [name for name, count in names.items() if count > 1] == []
