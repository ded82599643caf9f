"""A recipe's ratio of milks: is it met, what mends it, and the largest batch that keeps it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from scipy.optimize import linprog

from openpail.craft.errors import NotPossible
from openpail.craft.house import House
from openpail.craft.milk.blend import Pour
from openpail.craft.milk.kinds import RAW_CLASS
from openpail.craft.recipe.recipe import RatioBy, RatioRule

_WAYS: tuple[RatioBy, ...] = ("volume", "mass", "casein")


@dataclass(frozen=True, slots=True)
class Measure:
    """A pour's shares of the vat, each 0–1: by volume, by mass, by casein."""

    volume: float
    mass: float
    casein: float


def shares(pours: Sequence[Pour]) -> list[Measure]:
    """Each pour's share of the vat, three ways; they sum to 1.

    Parameters: pours, each over 0 kg. Source: mass balance.
    """
    by = [[_size(each, how) for each in pours] for how in _WAYS]
    totals = [sum(column) or 1.0 for column in by]
    return [
        Measure(*(column[i] / total for column, total in zip(by, totals, strict=True)))
        for i in range(len(pours))
    ]


def _size(each: Pour, by: RatioBy) -> float:
    if by == "volume":
        return each.volume_l
    if by == "mass":
        return each.mass.value
    return each.mass.value * each.milk.casein.value / 100


@dataclass(frozen=True, slots=True, kw_only=True)
class RatioPart:
    """One animal's share against the rule; shares 0–1."""

    species: str
    share: float
    least: float
    most: float
    ok: bool


@dataclass(frozen=True, slots=True)
class Fix:
    """One way to mend a ratio: pour `litres` more of an animal, or hold back (under 0)."""

    species: str
    litres: float
    can: bool


@dataclass(frozen=True, slots=True)
class Check:
    """A vat against a ratio rule, and what mends it (nothing when it is right)."""

    ok: bool
    parts: tuple[RatioPart, ...]
    fixes: tuple[Fix, ...]


def check(rule: RatioRule, pours: Sequence[Pour], spare: Sequence[Pour], house: House) -> Check:
    """Hold a vat against a rule.

    Parameters: rule; pours in the vat; spare, what is left on the shelf; house, for how
    near is right.
    Returns: each share against its bounds, and the fixes: pour more, or hold back.
    Source: derivation; nearness, house value.
    """
    sizes = _by_species(pours, rule.by)
    total = sum(sizes.values())
    near = house.number("ratio.near")
    parts = []
    for species, least, most in rule.shares:
        share = sizes.get(species, 0.0) / total if total else 0.0
        ok = least - near <= share <= most + near
        parts.append(RatioPart(species=species, share=share, least=least, most=most, ok=ok))
    strangers = set(sizes) - {species for species, _, _ in rule.shares}
    parts += [
        RatioPart(species=each, share=sizes[each] / total, least=0.0, most=0.0, ok=False)
        for each in sorted(strangers)
    ]
    ok = all(part.ok for part in parts)
    fixes = () if ok or not total else tuple(_fixes(rule, parts, sizes, pours, spare))
    return Check(ok, tuple(parts), fixes)


def _by_species(pours: Sequence[Pour], by: RatioBy) -> dict[str, float]:
    sizes: dict[str, float] = {}
    for each in pours:
        sizes[each.species] = sizes.get(each.species, 0.0) + _size(each, by)
    return sizes


def _fixes(
    rule: RatioRule,
    parts: Sequence[RatioPart],
    sizes: Mapping[str, float],
    pours: Sequence[Pour],
    spare: Sequence[Pour],
) -> list[Fix]:
    """Pour more of what is short, or hold back what is over; the smallest change first."""
    total, fixes = sum(sizes.values()), []
    for part in (each for each in parts if not each.ok):
        mine = [each for each in (*pours, *spare) if each.species == part.species]
        if not mine:
            continue
        per_l = sum(_size(each, rule.by) for each in mine) / sum(each.volume_l for each in mine)
        here = sizes.get(part.species, 0.0)
        if part.share < part.least < 1:
            more = (part.least * total - here) / (1 - part.least) / per_l
            left = sum(each.volume_l for each in spare if each.species == part.species)
            fixes.append(Fix(part.species, more, more <= left + 1e-9))
        elif part.share > part.most and total > here:
            less = (here - part.most * total) / (1 - part.most) / per_l
            fixes.append(Fix(part.species, -less, True))
    return sorted(fixes, key=lambda fix: (not fix.can, abs(fix.litres)))


def largest(rule: RatioRule, on_hand: Sequence[Pour], most_l: float) -> list[float]:
    """The largest batch that keeps a rule, litres of each lot: all of it raw, or none.

    Parameters: rule; on_hand, all that may be poured, what is to be used first first; most_l,
    what the vat takes.
    Returns: litres in the order of on_hand; of raw and of heated milk what makes more, and of as
    much the class of the lot that is to be used first.
    Raises: NotPossible when an animal that the rule asks for is not on the shelf.
    Source: linear programme; for exact shares, the least of available/share.
    """
    ways: list[list[float]] = []
    for raw in sorted({each.treatment in RAW_CLASS for each in on_hand}):
        mine = [(each.treatment in RAW_CLASS) == raw for each in on_hand]
        try:
            of_class = [each for each, is_mine in zip(on_hand, mine, strict=True) if is_mine]
            solved = iter(_largest(rule, of_class, most_l))
        except NotPossible:
            continue
        ways.append([next(solved) if is_mine else 0.0 for is_mine in mine])
    if not ways:
        _largest(rule, on_hand, most_l)
        raise NotPossible("Raw and heated milk would have to go into one vat for this ratio.")
    return max(ways, key=lambda litres: (round(sum(litres), 6), litres[0]))


def _largest(rule: RatioRule, on_hand: Sequence[Pour], most_l: float) -> list[float]:
    count = len(on_hand)
    sizes = [_size(each, rule.by) for each in on_hand]
    rows: list[list[float]] = []
    for species, least, most in rule.shares:
        of = [each.species == species for each in on_hand]
        if least > 0 and not any(of):
            raise NotPossible(f"The recipe asks for {species} milk, and there is none to pour.")
        rows.append([size * (least - is_it) for size, is_it in zip(sizes, of, strict=True)])
        rows.append([size * (is_it - most) for size, is_it in zip(sizes, of, strict=True)])
    rows.append([each.volume_l for each in on_hand])
    limits = [0.0] * (len(rows) - 1) + [most_l]
    named = {species for species, _, _ in rule.shares}
    bounds = [(0.0, 1.0 if each.species in named else 0.0) for each in on_hand]
    # more milk is better; of equal ways the earlier lot is emptied first
    worth = [-each.volume_l * (1 + 1e-6 * (count - i)) for i, each in enumerate(on_hand)]
    solved = linprog(worth, A_ub=rows, b_ub=limits, bounds=bounds, method="highs")
    if not solved.success:
        raise NotPossible("No batch of the milk on the shelf keeps this ratio.")
    return [float(x) * each.volume_l for x, each in zip(solved.x, on_hand, strict=True)]
