"""The craft's promises about itself: every public function tells its source, layers hold."""

import importlib
import inspect
import pkgutil
import re

import pytest

import openpail.craft

MODULES = [
    importlib.import_module(f"openpail.craft.{each.name}")
    for each in pkgutil.iter_modules(openpail.craft.__path__)
]
FUNCTIONS = [
    function
    for module in MODULES
    for name, function in inspect.getmembers(module, inspect.isfunction)
    if function.__module__ == module.__name__ and not name.startswith("_")
]


@pytest.mark.parametrize("function", FUNCTIONS, ids=lambda f: f"{f.__module__}.{f.__name__}")
def test_a_public_rule_tells_its_source_or_what_it_raises(function):
    words = inspect.getdoc(function) or ""
    assert re.search(r"source:|raises", words, re.I)
