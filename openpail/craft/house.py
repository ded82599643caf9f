"""House values: the sensible starting figures that no standard fixes.

They live once, in house.toml, each with unit, range, source and a line of words. A dairy may
overrule one; the rules read them only through a `House` they are handed.
"""

from __future__ import annotations

import itertools
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cache
from importlib.resources import files
from typing import Any

from openpail.craft.errors import OutOfRange, Unknown

Points = tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class HouseValue:
    """One entry of house.toml: a number, or a curve of points, with its range and source."""

    key: str
    value: float | Points
    unit: str
    low: float
    high: float
    source: str
    words: str


@cache
def shipped() -> Mapping[str, HouseValue]:
    """All house values as shipped. Raises KeyError when an entry lacks a part."""
    data = tomllib.loads(files("openpail.craft").joinpath("house.toml").read_text("utf-8"))
    return {key: _entry(key, part) for key, part in data.items()}


def _entry(key: str, part: Mapping[str, object]) -> HouseValue:
    raw = part["value"]
    value: float | Points
    if isinstance(raw, list):
        value = tuple((float(x), float(y)) for x, y in raw)
    else:
        value = float(str(raw))
    low, high = _range(part["range"])
    return HouseValue(
        key=key,
        value=value,
        unit=str(part["unit"]),
        low=low,
        high=high,
        source=str(part.get("source", "house value")),
        words=str(part["words"]),
    )


def _range(raw: object) -> tuple[float, float]:
    match raw:
        case [int() | float() as low, int() | float() as high]:
            return float(low), float(high)
    raise KeyError("range")


@dataclass(frozen=True, eq=False)
class House:
    """The house values in force: as shipped, but for what a dairy has overruled."""

    overrides: Mapping[str, float] = field(default_factory=dict)
    _in_force: Mapping[str, float | Points] = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        for key, value in self.overrides.items():
            check(key, value)
        own = {key: float(value) for key, value in self.overrides.items()}
        values = {key: each.value for key, each in shipped().items()}
        object.__setattr__(self, "_in_force", {**values, **own})

    def to_json(self) -> dict[str, Any]:
        """Every value in force, and which of them are the dairy's own, as plain data."""
        values = {
            key: [list(point) for point in value] if isinstance(value, tuple) else value
            for key, value in self._in_force.items()
        }
        return {"values": values, "own": sorted(self.overrides)}

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> House:
        """The house as `to_json` found it, whatever is shipped or allowed by now.

        A value that was not known then is the one that is shipped.
        """
        found = cls()
        kept = {
            key: tuple((float(x), float(y)) for x, y in value)
            if isinstance(value, list)
            else float(value)
            for key, value in data["values"].items()
        }
        own = {key: kept[key] for key in data["own"]}
        object.__setattr__(found, "overrides", own)
        object.__setattr__(found, "_in_force", {**found._in_force, **kept})
        return found

    def number(self, key: str) -> float:
        """The value in force of `key`, in the unit house.toml gives. Raises Unknown."""
        value = self._in_force.get(key)
        if isinstance(value, float):
            return value
        entry(key)
        raise Unknown(f"“{key}” is a curve, not one number.")

    def curve(self, key: str) -> Points:
        """The points of the curve `key`, by rising x. Raises Unknown."""
        value = self._in_force.get(key)
        if isinstance(value, tuple):
            return value
        entry(key)
        raise Unknown(f"“{key}” is one number, not a curve.")

    def source(self, key: str) -> str:
        """Whose word `key` is: the source it shipped with, or this dairy's own."""
        return "the dairy’s own value" if key in self.overrides else entry(key).source


def entry(key: str) -> HouseValue:
    """The shipped entry of `key`. Raises Unknown."""
    try:
        return shipped()[key]
    except KeyError:
        raise Unknown(f"There is no house value “{key}”.") from None


def check(key: str, value: float) -> None:
    """Refuse an override outside the range the entry names.

    Parameters: key of the entry; value, in its unit. Raises: OutOfRange, Unknown.
    """
    known = entry(key)
    if isinstance(known.value, tuple):
        raise Unknown(f"“{key}” is a curve and cannot be overruled by one number.")
    if not known.low <= value <= known.high:
        raise OutOfRange(
            f"{known.words} {value:g} {known.unit} is outside {known.low:g} to {known.high:g}."
        )


def along(points: Points, x: float) -> float:
    """Read a curve at `x`, straight between its points and held at its ends.

    Parameters: points by rising x; x in the curve's own unit. Source: derivation.
    """
    if x <= points[0][0]:
        return points[0][1]
    for (x0, y0), (x1, y1) in itertools.pairwise(points):
        if x <= x1:
            return y0 + (y1 - y0) * (x - x0) / (x1 - x0)
    return points[-1][1]
