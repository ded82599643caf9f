"""The salt that a cheese is thought to hold, and what that is of its water."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Literal

from openpail.craft.figure import Figure, Step
from openpail.craft.house import House, shipped

Way = Literal["curd", "rind", "milk", "brine"]
WAY_WORDS: Mapping[Way, str] = {
    "curd": "on the curd",
    "rind": "on the rind",
    "milk": "in the milk",
    "brine": "from the brine",
}
_MOST_PCT = 15.0
# Least and most salt in the water of a cheese, %, by family. Source: Fox; Guinee & Fox.
USUAL: Mapping[str, tuple[float, float]] = {
    "cheddared": (4.5, 5.7),
    "stirred_curd": (4.5, 5.7),
    "washed_curd": (3.5, 5.0),
    "small_eyed": (2.0, 3.5),
    "alpine": (2.5, 3.5),
    "hard_grating": (4.0, 6.0),
    "tomme": (3.0, 5.0),
    "washed_rind": (3.0, 4.5),
    "stretched": (2.0, 3.5),
    "stretched_quick": (2.0, 3.5),
    "bloomy": (3.0, 4.0),
    "blue": (6.0, 9.0),
    "white_brined": (5.0, 7.0),
}


@dataclass(frozen=True, slots=True)
class Salting:
    """Salt that was given one way: kg, as it was given; of a brine, what is thought to be in."""

    way: Way
    kg: float
    words: str = ""


def stays_of(way: Way, house: House) -> float:
    """What share of a salt stays in the cheese, of what was given.

    Parameters: way; house. Source: house value.
    """
    return house.number(f"salt.{way}_stays") if way in ("curd", "rind") else 1.0


def held(salts: Iterable[Salting], cheese_kg: float, house: House) -> Figure:
    """Salt that a cheese holds, % of it, with its because.

    Parameters: salts, of all of it; cheese_kg, over 0; house. Returns: 0 where none was given.
    Source: what stays of each, house values.
    """
    steps: list[Step] = []
    total = 0.0
    for each in salts:
        stays = stays_of(each.way, house)
        kg = each.kg * stays
        part = 100 * kg / cheese_kg
        words = each.words or f"{1000 * each.kg:.0f} g {WAY_WORDS[each.way]}"
        if stays != 1.0:
            words += f", of which {100 * stays:.0f} % stay"
        key = f"salt.{each.way}_stays" if stays != 1.0 else ""
        source = house.source(key) if key else "mass balance"
        steps.append(Step("plus" if steps else "start", words, part, "%", source, key))
        total += part
    if not steps:
        return Figure.start("no salt was given", 0.0, "%")
    figure = Figure(total, "%", "worked out", tuple(steps), True, None)
    return (
        figure.then("at_most", "no cheese holds more", _MOST_PCT) if total > _MOST_PCT else figure
    )


def in_moisture(salt_pct: float, moisture: float) -> float:
    """Salt in the water of a cheese, %.

    Parameters: salt_pct of the cheese, 0 or more; moisture, a fraction over 0.
    Source: 100 S / (S + W).
    """
    return 100 * salt_pct / (salt_pct + 100 * moisture)


def said(family: str, in_water_pct: float) -> str:
    """What a salt in the water means for a family, "" where nothing is usual.

    Parameters: family, in snake case; in_water_pct. Source: Fox; Guinee & Fox.
    """
    usual = USUAL.get(family)
    if usual is None:
        return ""
    low, high = usual
    told = f"{low:g} to {high:g} % in the water is usual"
    if in_water_pct < low:
        return f"{told}: little salt; it goes soft, sour or bitter sooner."
    if in_water_pct > high:
        return f"{told}: much salt; it ripens slowly."
    return f"{told}."


def most_brined_pct(family: str, house: House) -> float | None:
    """The most salt that a cheese meant for eyes, or an alpine one, takes from its brine, %; None
    for all others.

    Parameters: family, in snake case; house. Source: house value.
    """
    key = f"salt.most_{family}"
    return house.number(key) if key in shipped() else None


def is_over(pct: float, most_pct: float | None) -> bool:
    """Whether a cheese takes up more salt than it is to; never, where nothing says how much.

    Parameters: pct, % of the cheese; most_pct. Source: salt is told with one decimal.
    """
    return most_pct is not None and round(pct, 1) > most_pct
