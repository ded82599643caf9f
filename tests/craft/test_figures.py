"""Every figure of the craft is told a second time, in `told.csv` and `constants.csv`: one that is
changed in one place alone was not meant. What the published ones are is in `test_handbook`."""

import ast
import csv
import importlib
import pkgutil
from datetime import timedelta
from pathlib import Path

from openpail import craft
from openpail.craft.house import shipped
from tests.craft.test_handbook import ANIMALS, CURVES, NUMBERS, PARTS


def told(file):
    with Path(__file__).with_name(file).open(newline="") as lines:
        return {row["key"]: row for row in csv.DictReader(lines)}


def plain(value):
    """A figure, a length of time or a few of them as words; None for what is none."""
    if isinstance(value, timedelta):
        return f"{value.total_seconds():g} s"
    if isinstance(value, tuple) and value and all(plain(each) is not None for each in value):
        return " ".join(plain(each) for each in value)
    is_figure = isinstance(value, int | float) and not isinstance(value, bool)
    return f"{value:.12g}" if is_figure else None


def constants():
    """The named figures of every module of the craft, by where they stand."""
    for each in pkgutil.walk_packages(craft.__path__, "openpail.craft."):
        module = importlib.import_module(each.name)
        for node in ast.parse(Path(module.__file__).read_text()).body:
            if not isinstance(node, ast.Assign | ast.AnnAssign):
                continue
            for target in node.targets if isinstance(node, ast.Assign) else [node.target]:
                for name in (e.id for e in ast.walk(target) if isinstance(e, ast.Name)):
                    value = plain(getattr(module, name)) if name.isupper() else None
                    if value is not None:
                        yield f"{each.name.removeprefix('openpail.craft.')}.{name}", value


def test_every_house_value_is_as_it_was_decided():
    values = told("told.csv")
    elsewhere = {*NUMBERS, *CURVES, *(f"milk.{b}.{part}" for b in ANIMALS for part in PARTS)}
    elsewhere |= {key for key in shipped() if key.startswith(("yield.", "slow_acid."))}
    assert shipped().keys() == values.keys() | elsewhere
    for key, row in values.items():
        value = shipped()[key].value
        points = value if isinstance(value, tuple) else ()
        words = " ".join(f"{x:g}:{y:g}" for x, y in points) if points else f"{value:g}"
        assert (words, shipped()[key].unit) == (row["value"], row["unit"]), key


def test_every_named_figure_is_as_it_was_decided():
    assert dict(constants()) == {key: row["value"] for key, row in told("constants.csv").items()}
