"""What of the stock is running out, past its date or below trust, said before it hurts."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Literal

from openpail.craft.doses import culture
from openpail.craft.errors import OutOfRange
from openpail.craft.figure import Figure, replay
from openpail.craft.house import House
from openpail.craft.stock.products import (
    ANHYDROUS_FRACTION,
    LIVE,
    Product,
    Salt,
    calcium_solution_ml,
    counted,
    rennet_strength,
    vigour,
)

_TWO_FROM = 1.5  # makes: rounded, they are more than one
_WHOLE_FROM = 10

Grave = Literal["stop", "caution", "note"]


@dataclass(frozen=True, slots=True)
class Notice:
    """One thing to know of a lot: how grave, the words, and whether they speak of its age."""

    grave: Grave
    words: str
    of_age: bool = True


def notices(
    bottle: Product,
    best_before: date | None,
    today: date,
    *,
    left: float | None,
    bought: float | None,
    usual: float | None,
    house: House,
) -> tuple[Notice, ...]:
    """What to know of a lot today, the gravest first.

    Parameters: bottle, as craft sees it today; best_before; today; left and bought, in its unit,
    None unknown; usual, what a make takes, None while unknown; house.
    Source: house value.
    """
    found: list[Notice] = []
    if bottle.unfit:
        found.append(Notice("stop", f"Not fit: {bottle.unfit}"))
    if bottle.kind == "salt" and bottle.sort == "iodised":
        words = "Iodine slows cultures and moulds, and spots a rind: take salt without it."
        found.append(Notice("caution", words, of_age=False))
    found += _age(bottle, best_before, today, house)
    found += _amount(bottle.unit, left, bought, usual, house)
    order: tuple[Grave, ...] = ("stop", "caution", "note")
    return tuple(sorted(found, key=lambda each: order.index(each.grave)))


def _age(bottle: Product, best_before: date | None, today: date, house: House) -> list[Notice]:
    if bottle.kind in LIVE:
        words = culture.lost(bottle, house)
        if words:
            return [Notice("stop", f"It {words}")]
        if bottle.months_past > 0:
            left = 100 * vigour(bottle, house)
            lost = f"about {left:.0f} % of its vigour left; the dose makes up for it"
            fails = ": eyes may fail; the taste may come without the holes" * (
                bottle.kind == "propionic"
            )
            return [Notice("caution", f"Past its date, {lost}{fails}.")]
    elif bottle.kind == "rennet" and bottle.strength:
        fresh = Product(
            kind="rennet", name=bottle.name, strength=bottle.strength, scale=bottle.scale
        )
        share = replay(rennet_strength(bottle, house)) / replay(rennet_strength(fresh, house))
        if share < house.number("stock.least_rennet"):
            return [
                Notice(
                    "caution",
                    f"About {100 * share:.0f} % of its strength is left: test it "
                    "at home before a make you care for.",
                )
            ]
    if bottle.months_past > 0 and bottle.kind not in ("ware", "salt"):
        return [Notice("caution", "Past its date: smell it, and look before you use it.")]
    long = house.number("stock.doubt_months")
    if best_before is None and bottle.months_open > long and bottle.kind in (*LIVE, "rennet"):
        words = f"No date on it, and open {bottle.months_open:.0f} months: try it first."
        return [Notice("caution", words)]
    if best_before and 0 <= (best_before - today).days <= house.number("stock.soon_days"):
        return [Notice("note", f"Good for {(best_before - today).days} more days.")]
    return []


def _amount(
    unit: str, left: float | None, bought: float | None, usual: float | None, house: House
) -> list[Notice]:
    if left is None:
        return []
    if left <= 0:
        return [Notice("stop", "None left, by the book: weigh it, or end it.", False)]
    makes = left / usual if usual else None
    if makes is not None and makes < house.number("stock.low_makes"):
        plural = "s" if makes >= _TWO_FROM else ""
        return [
            Notice(
                "caution",
                f"Running out: {plain(left)} {unit} left, for about {makes:.1f} make{plural}.",
                False,
            )
        ]
    if makes is None and bought and left / bought < house.number("stock.low_share"):
        words = f"Running out: {plain(left)} of {plain(bought)} {unit} left."
        return [Notice("caution", words, False)]
    return []


def plain(value: float) -> str:
    """An amount as it is said in a sentence. Parameters: value, any unit. Source: derivation."""
    return f"{value:.0f}" if value >= _WHOLE_FROM else f"{value:.2g}"


def short_by(need: float, left: float | None, unit: str, name: str) -> str:
    """Words when a lot holds less than a dose needs, "" when it is enough or not known.

    Parameters: need and left, in the unit; name of the lot. Source: derivation.
    """
    if left is None or need <= left * 1.0001:
        return ""
    return (
        f"{name}: {plain(left)} {unit} left, and this wants {plain(need)}. Weigh it, use another, "
        "or write why."
    )


@dataclass(frozen=True, slots=True)
class OwnSolution:
    """A calcium chloride solution made at home: flakes to weigh, water to fill up to."""

    flakes_g: Figure
    fill_to_ml: float
    product: Product


def own_solution(counts: Salt, purity_pct: float, wanted_pct: float, ml: float) -> OwnSolution:
    """Flakes for a calcium chloride solution of one's own.

    Parameters: counts, what the flakes are; purity_pct, what their label says, 50–100; wanted_pct,
    g anhydrous in 100 mL, 5–40; ml, how much, over 0 to 5000.
    Returns: grams of flakes, made up to `ml` with cold water. Raises: OutOfRange.
    Source: molar masses 110.98, 147.01, 219.08 g/mol.
    """
    for value, low, high, words, about in (
        (purity_pct, 50, 100, "Flakes are between 50 and 100 % pure.", "purity"),
        (wanted_pct, 5, 40, "A solution of 5 to 40 % keeps and dissolves well.", "wanted"),
        (ml, 1, 5000, "Make between 1 mL and 5 L of it.", "ml"),
    ):
        if not low <= value <= high:
            raise OutOfRange(words, about)
    counts = counted(
        Product(kind="calcium", name="flakes", strength=purity_pct, counts=counts, per="dry")
    )
    per_g = calcium_solution_ml(1.0, counts, purity_pct, "dry")
    figure = (
        Figure.start(f"{wanted_pct:g} g anhydrous in 100 mL", wanted_pct, "g", source="asked for")
        .times(f"for {ml:g} mL", ml / 100)
        .times(
            f"{counts} flakes, {ANHYDROUS_FRACTION[counts]:.3f} of them anhydrous, "
            f"{purity_pct:g} % pure",
            per_g,
            source="molar masses",
        )
    )
    name = f"own calcium chloride solution, {wanted_pct:g} %"
    return OwnSolution(
        figure,
        ml,
        Product(kind="calcium", name=name, strength=wanted_pct, counts="anhydrous", form="liquid"),
    )
