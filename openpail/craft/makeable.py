"""Which can I make? Each recipe held against the shelf, the vats, the stock and the day's clock."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from openpail.craft.adapt import adapt
from openpail.craft.blend import Pour, pour
from openpail.craft.clock import Spans, Taken, course_of, first_from, good_begins
from openpail.craft.errors import CraftError
from openpail.craft.fitness import Verdict
from openpail.craft.house import House
from openpail.craft.job import Job, Ways
from openpail.craft.plan import forwards
from openpail.craft.products import KIND_WORDS, Product
from openpail.craft.ratio import largest
from openpail.craft.recipe import Recipe
from openpail.craft.sheet import Sheet
from openpail.craft.shelf import short_by
from openpail.craft.yields import NO_RENNET_FAMILIES

Answer = Literal["fits", "nearly", "not"]
_OPTIONAL = frozenset({"colour", "herb", "ware", "other", "salt"})


@dataclass(frozen=True, slots=True)
class OnHand:
    """Milk on the shelf: all that is left of a lot, its age in hours, what it is fit for."""

    pour: Pour
    kind: str
    hours: float
    verdict: Verdict


@dataclass(frozen=True, slots=True)
class Dairy:
    """What a dairy has to make with, beside milk.

    vats: name and brim in L. left: what is left of a lot, in its unit, None unknown. taken: hands
    and vats taken; begin and day_ends, minutes of the clock's epoch.
    """

    vats: tuple[tuple[str, float], ...]
    left: Mapping[str, float | None]
    taken: Taken
    begin: int
    day_ends: int
    house: House
    ways: Ways


@dataclass(frozen=True, slots=True)
class Choice:
    """A recipe held against it all.

    litres: of each milk on hand, in its order; vat, the one that is free first; against: what
    stands against it, in words; starts: the good ones, spans of minutes; oldest_h: of its milk.
    """

    recipe: Recipe
    answer: Answer
    against: tuple[str, ...]
    litres: tuple[float, ...] = ()
    vat: str = ""
    sheet: Sheet | None = None
    starts: Spans = ()
    oldest_h: float = 0.0


def choose(
    recipe: Recipe, on_hand: Sequence[OnHand], bottles: Mapping[str, Product], dairy: Dairy
) -> Choice:
    """Can this be made today, of what, and what stands against it?

    Parameters: recipe; on_hand, all milk on the shelf; bottles, the lot at home for each
    ingredient that has one; dairy. Source: derivation; the smallest batch, house value.
    """
    most_l = dairy.house.number("vat.head_room") * max((b for _, b in dairy.vats), default=0.0)
    against: list[str] = []
    try:
        litres = _milk(recipe, on_hand, most_l, against)
        total = sum(litres)
        written = sum(part.volume_l for part in recipe.reference)
        if total < dairy.house.number("plan.least_batch") * written:
            against.append(f"{total:.1f} L is little: it is written for {written:.0f} L")
        pours = [_part(each.pour, part) for each, part in zip(on_hand, litres, strict=True) if part]
        blend = pour(pours, dairy.house)
        sheet = adapt(Job(recipe, blend, dairy.house, bottles, dairy.ways), roughly=True)
    except CraftError as why:
        return Choice(recipe, "not", (why.words,))
    against += _stock(recipe, bottles, sheet, dairy)
    vat, starts = _vat(recipe, sheet, total, dairy)
    first = first_from(starts, dairy.begin)
    if first is None or first >= dairy.day_ends:
        against.append("no start of today leaves the night and the other makes alone")
    oldest = max(each.hours for each, part in zip(on_hand, litres, strict=True) if part)
    return Choice(recipe, "nearly" if against else "fits", tuple(against), tuple(litres), vat,
                  sheet, starts, oldest)  # fmt: skip


def in_order(choices: Sequence[Choice]) -> list[Choice]:
    """What fits first, and of that the one that uses the oldest milk. Source: derivation."""
    rank: dict[Answer, int] = {"fits": 0, "nearly": 1, "not": 2}
    return sorted(choices, key=lambda each: (rank[each.answer], len(each.against),
                                             -each.oldest_h, each.recipe.name))  # fmt: skip


def _milk(
    recipe: Recipe, on_hand: Sequence[OnHand], most_l: float, against: list[str]
) -> list[float]:
    """Litres of each milk: by the recipe's ratio, else of its own animals, the oldest first."""
    whey = recipe.family == "whey"
    unfit = {"not for cheese"} | (
        set() if recipe.family in NO_RENNET_FAMILIES else {"not for rennet cheese"}
    )
    kind = "whey" if whey else "milk"
    usable = [
        number
        for number, each in enumerate(on_hand)
        if each.kind == kind and each.verdict not in unfit
    ]
    usable.sort(key=lambda number: -on_hand[number].hours)
    litres = [0.0] * len(on_hand)
    if recipe.ratio:
        parts = largest(recipe.ratio, [on_hand[number].pour for number in usable], most_l)
        for number, part in zip(usable, parts, strict=True):
            litres[number] = part if part > 0.05 else 0.0
        return litres
    own = set(recipe.animals())
    mine = [number for number in usable if on_hand[number].pour.species in own]
    if not mine and usable:
        other = on_hand[usable[0]].pour.species
        against.append(f"written for {' and '.join(sorted(own))}; the shelf has {other}’s")
        mine = [number for number in usable if on_hand[number].pour.species == other]
    left = most_l
    for number in mine:
        litres[number] = min(left, on_hand[number].pour.volume_l)
        left -= litres[number]
    return litres


def _part(whole: Pour, litres: float) -> Pour:
    share = litres / whole.volume_l
    if share > 0.999:
        return whole
    return replace(whole, mass=whole.mass.times("part of the lot", share), litres=litres)


def _stock(recipe: Recipe, bottles: Mapping[str, Product], sheet: Sheet, dairy: Dairy) -> list[str]:
    """What is not in the stock, or not enough of it."""
    found = []
    for each in recipe.ingredients:
        kind = each.product.kind
        line = next((line for line in sheet.lines if line.key == each.key), None)
        if line is None or line.figure.value <= 0:
            continue
        bottle = bottles.get(each.key)
        if bottle is None:
            if kind not in _OPTIONAL:
                found.append(f"no {KIND_WORDS[kind]} of its sort in the stock")
            continue
        short = short_by(line.figure.value, dairy.left.get(bottle.lot), bottle.unit, bottle.name)
        if short:
            found.append(f"too little {KIND_WORDS[kind]}: {_plain(line.figure.value)} {bottle.unit}"
                         f" wanted, {_plain(dairy.left[bottle.lot] or 0.0)} left")  # fmt: skip
    return found


def _plain(value: float) -> str:
    return f"{value:.0f}" if value >= 10 else f"{value:.2g}"


def _vat(recipe: Recipe, sheet: Sheet, litres: float, dairy: Dairy) -> tuple[str, Spans]:
    """Of the vats that take so much, the one that lets it begin first, with its good starts."""
    times = sheet.set
    floc, cut = (times.flocculation.value, times.cut.value) if times else (None, None)
    planned = forwards(recipe, floc, cut)
    room = dairy.house.number("vat.head_room")
    fitting = sorted((brim, name) for name, brim in dairy.vats if brim * room >= litres - 1e-6)
    # None begins sooner than one that nobody has taken: another is looked at only when it is
    # free at that moment too, and smaller.
    fitting.sort(key=lambda vat: vat[1] in dairy.taken)
    found: list[tuple[bool, int, float, str, Spans]] = []
    for brim, name in fitting:
        best = min(found, default=None)
        if best and not best[0] and (brim > best[2] or _busy(name, best[1], dairy)):
            continue
        starts = good_begins(course_of(planned, dairy.begin, name), dairy.taken)[0]
        first = first_from(starts, dairy.begin)
        found.append((first is None, first or 0, brim, name, starts))
    *_, name, starts = min(found)
    return name, starts


def _busy(vat: str, moment: int, dairy: Dairy) -> bool:
    return any(a <= moment < b for a, b in dairy.taken.get(vat, ()))
