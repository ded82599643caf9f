"""Calcium chloride: the recipe's own, moved by what differs between its milk and this one."""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

from openpail.craft.figure import Figure, Step, replay
from openpail.craft.house import House
from openpail.craft.milk.blend import Share, VatMilk
from openpail.craft.milk.kinds import HEATED, NO_SET

_LONG_COLD_H = 24.0  # salts move out of the micelle: the source speaks of a night or more

RawWay = Literal["table", "never", "if_weak", "always"]
_STRETCHED = frozenset({"stretched_quick", "stretched"})
NO_CALCIUM_FAMILIES = frozenset({"lactic", "acid_heat_soft", "acid_heat_pressed", "whey"})


def base_key(share: Share) -> str:
    """The house key of a lot's own calcium: raw held over 24 h cold is its own row.

    Parameters: share of the vat. Raises: nothing. Source: house value.
    """
    if share.treatment == "raw" and share.hours_cold > _LONG_COLD_H:
        return "calcium.raw_chilled"
    return f"calcium.{share.treatment}"


@lru_cache(maxsize=512)
def table_steps(milk: VatMilk, house: House) -> tuple[Step, ...]:
    """The table's calcium chloride for a milk, g anhydrous per kg, as steps.

    Parameters: milk, in the vat; house, the table in force.
    Returns: steps that replay to 0 or more. Source: house value.
    """
    if all(share.treatment in NO_SET for share in milk.shares):
        return (Step("start", "milk that rennet does not set", 0.0, "g/kg", "house value"),)
    base = milk.by_heat(lambda share: house.number(base_key(share)))
    keys = sorted({base_key(share) for share in milk.shares if share.treatment not in NO_SET})
    names = " and ".join(key.split(".")[1].replace("_", " ") for key in keys)
    key = keys[0] if len(keys) == 1 else ""
    source = house.source(keys[0])
    steps = [Step("start", f"{names} milk", base, "g/kg", source, key)]
    for label, house_key, share in (
        ("homogenised", "calcium.homogenised", milk.by_heat(lambda s: s.homogenised)),
        ("frozen and thawed", "calcium.frozen", milk.by_heat(lambda s: s.frozen)),
        ("casein is low", "calcium.low_casein", _casein_lacking(milk, house)),
        ("heated goat’s milk", "calcium.heated_goat", _heated_goat(milk)),
    ):
        if share > 0:
            term = house.number(house_key) * share
            steps.append(Step("plus", label, term, "g/kg", house.source(house_key), house_key))
    rich = sum(milk.casein_shares().get(species, 0.0) for species in ("sheep", "buffalo"))
    if rich > 0:
        k = "calcium.sheep_buffalo"
        left = 1 - house.number(k) * rich
        steps.append(Step("times", "rich in calcium itself", left, "", house.source(k), k))
    return tuple(steps)


def _casein_lacking(milk: VatMilk, house: House) -> float:
    lack = house.number("calcium.low_casein_from") - milk.casein_pct
    return min(1.0, max(0.0, lack / house.number("calcium.low_casein_span")))


def _heated_goat(milk: VatMilk) -> float:
    total = sum(share.mass_kg * share.casein_pct for share in milk.shares)
    return (
        sum(
            share.mass_kg * share.casein_pct
            for share in milk.shares
            if share.species == "goat" and share.treatment in HEATED
        )
        / total
    )


def g_per_kg(
    written: Figure,
    this: VatMilk,
    recipe: VatMilk,
    *,
    house: House,
    family: str = "",
    raw_way: RawWay = "table",
) -> Figure:
    """Calcium chloride for this milk, g anhydrous per kg.

    Parameters: written, the recipe's own in g/kg, 0 or more; this and recipe, the two milks;
    family; raw_way, the dairy's way with milk that is all raw.
    Returns: recipe's own + table(this) − table(recipe's), within 0 and the ceiling.
    Source: house value; ceiling 21 CFR 133, Codex GMP.
    """
    figure = written
    if family in NO_CALCIUM_FAMILIES:
        return figure.then("times", "this family takes none", 0.0, source="house value")
    mine, theirs = table_steps(this, house), table_steps(recipe, house)
    figure = figure.plus("the table for this milk", replay(mine), "g/kg", of=mine)
    figure = figure.minus("the table for the recipe’s milk", replay(theirs), "g/kg", of=theirs)
    figure = figure.then("at_least", "not under nothing", 0.0, "g/kg")
    figure = _raw_way(figure, this, raw_way, house)
    if family in _STRETCHED:
        figure = _cap(figure, "calcium.stretched_quick_most", "more stiffens the stretch", house)
    return _cap(figure, "calcium.ceiling", "the usual legal ceiling", house)


def _raw_way(figure: Figure, this: VatMilk, way: RawWay, house: House) -> Figure:
    if way == "table" or any(share.treatment != "raw" for share in this.shares):
        return figure
    if way == "always":
        least = house.number("calcium.always_raw")
        return figure.then(
            "at_least",
            "house way: always a little in raw milk",
            least,
            "g/kg",
            source=house.source("calcium.always_raw"),
            house_key="calcium.always_raw",
        )
    words = "never in raw milk" if way == "never" else "raw milk: only if the last set was weak"
    return figure.then("choose", f"house way: {words}", 0.0, "g/kg", source="house way")


def _cap(figure: Figure, key: str, words: str, house: House) -> Figure:
    most = house.number(key)
    if figure.value <= most:
        return figure
    return figure.then("at_most", words, most, "g/kg", source=house.source(key), house_key=key)
