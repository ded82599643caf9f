"""Standardising: cream, skim, powder or another lot, until fat or a ratio is as wanted.

A linear programme: every target is linear in the masses, because a blend's parts are sums over
its streams. Two streams and one fat are the rectangle of differences (`craft.rectangle`).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from scipy.optimize import linprog

from openpail.craft.errors import NotPossible, OutOfRange, Unknown
from openpail.craft.house import House
from openpail.craft.milk.kinds import DRY, MilkKind
from openpail.craft.recipe.recipe import RatioRule
from openpail.craft.recipe.yields import ACID_HEAT, CHEDDAR_FORM, check_family
from openpail.craft.units import HAIR

_ALIKE_L = 0.01  # two mixes less apart are one answer

Kind = Literal[
    "fat", "protein", "casein", "casein_to_fat", "protein_to_fat", "fdm", "mass_kg", "volume_l"
]
Aim = Literal["cost", "handling", "oldest", "keep"]
Way = Literal["", "powder", "concentrate", "retentate", "cream off", "cream in", "skim in"]

AIMS: Mapping[Aim, str] = {
    "cost": "cheapest",
    "handling": "least handling",
    "oldest": "oldest first",
    "keep": "most of what is poured",
}
TARGETS: Mapping[Kind, tuple[str, str]] = {
    "fat": ("fat", "%"),
    "protein": ("true protein", "%"),
    "casein": ("casein", "%"),
    "casein_to_fat": ("casein to fat", "×"),
    "protein_to_fat": ("protein to fat", "×"),
    "fdm": ("fat in the cheese’s dry matter", "%"),
    "mass_kg": ("batch", "kg"),
    "volume_l": ("batch", "L"),
}


_WAYS: Mapping[MilkKind, Way] = {"retentate": "retentate", "cream": "cream in", "skim": "skim in"}


@dataclass(frozen=True, slots=True, kw_only=True)
class Stream:
    """Something to pour or to take off: % w/w, what there is, what it costs and asks of hands.

    low_kg to high_kg bound the amount (cream taken off has low_kg under 0 and high_kg 0);
    `handling` weighs a kg of it in effort; hours_old orders what is used up first; is_main,
    the milk that stands in the vat already.
    """

    key: str
    name: str
    fat_pct: float
    protein_pct: float
    casein_pct: float
    low_kg: float
    high_kg: float
    cost_per_kg: float = 0.0
    handling: float = 1.0
    hours_old: float = 0.0
    is_main: bool = False
    kg_per_l: float = 1.03
    species: str = "cow"
    kind: MilkKind = "milk"
    lactose_pct: float = 4.7

    @property
    def way(self) -> Way:
        """Which of the ways to a target it belongs to, "" for whole milk."""
        if self.kind in DRY:
            return "powder" if self.kind == "powder" else "concentrate"
        if self.low_kg < 0:
            return "cream off"
        return _WAYS.get(self.kind, "")


@dataclass(frozen=True, slots=True)
class Target:
    """What is wanted: a kind, its value in the kind's unit, and how near is met."""

    kind: Kind
    value: float
    near: float


@dataclass(frozen=True, slots=True, kw_only=True)
class StandardMix:
    """An answer: kg of each stream (under 0: taken off), what it makes, and what it costs."""

    aim: Aim
    amounts: tuple[tuple[Stream, float], ...]
    reached: Mapping[Kind, float]
    cost: float
    missed: tuple[Kind, ...] = ()
    gentlest: bool = False

    @property
    def ways(self) -> frozenset[Way]:
        """Which ways it uses to come to its protein."""
        return frozenset(stream.way for stream, _ in self.amounts) - {""}

    @property
    def lactose_pct(self) -> float:
        """Lactose of what it makes, %."""
        return sum(kg * stream.lactose_pct for stream, kg in self.amounts) / self.mass_kg

    def dry_share(self) -> float:
        """The share of its casein that was dried, 0–1."""
        total = sum(kg * stream.casein_pct for stream, kg in self.amounts)
        dried = sum(kg * stream.casein_pct for stream, kg in self.amounts if stream.kind in DRY)
        return dried / total

    @property
    def mass_kg(self) -> float:
        """What is in the vat, kg."""
        return sum(kg for _, kg in self.amounts)


Row = tuple[float, ...]


def usual_casein_to_fat(family: str, house: House) -> float | None:
    """Usual casein : fat of cow's milk for a family, None when it is not standardised.

    Source: house value, from fat in dry matter.
    """
    key = f"standard.cf_{family}"
    try:
        return house.number(key)
    except Unknown:
        return None


def skimmings(milk: Stream, on_hand_kg: float, cream_pct: float, house: House, name: str) -> Stream:
    """Cream that can be taken off a standing milk, as a stream of negative mass.

    Parameters: milk, with its parts; on_hand_kg of it in the vat; cream_pct, its fat, over the
    milk's; house, for how much of the fat rises; name of the stream.
    Raises: OutOfRange. Source: mass balance; the milk's serum is the cream's.
    """
    if cream_pct <= milk.fat_pct:
        raise OutOfRange(f"Cream of {cream_pct:g} % is no richer than the milk.", "cream_pct")
    serum = (100 - cream_pct) / (100 - milk.fat_pct)
    risen = house.number("standard.cream_risen") * on_hand_kg * milk.fat_pct / cream_pct
    return replace(
        milk,
        key=f"cream-off:{milk.key}",
        name=name,
        fat_pct=cream_pct,
        protein_pct=milk.protein_pct * serum,
        casein_pct=milk.casein_pct * serum,
        low_kg=-risen,
        high_kg=0.0,
        cost_per_kg=0.0,
        is_main=False,
        kg_per_l=1.0,
    )


_PARTS = frozenset({"fat", "protein", "casein"})


def part_of(stream: Stream, kind: Kind) -> float:
    """The part of a stream that a target speaks of, % w/w. Parameters: stream; kind, a part.

    Source: derivation.
    """
    return float(getattr(stream, f"{kind}_pct"))


class _Linear:
    """Targets as rows over the streams: coefficient · kg lies within ± slack · kg."""

    def __init__(
        self, streams: Sequence[Stream], family: str, house: House, ratio: RatioRule | None
    ) -> None:
        self.streams = streams
        self.family, self.house, self.ratio = family, house, ratio

    def rule(self) -> list[Row]:
        """The recipe's ratio of milks, as rows whose product is not over 0."""
        if self.ratio is None:
            return []
        near = self.house.number("ratio.near")
        sizes = self.over(self._size)
        rows = []
        for species, least, most in self.ratio.shares:
            of = [stream.species == species for stream in self.streams]
            low, high = least - near, most + near
            rows.append(tuple(a * (low - is_it) for a, is_it in zip(sizes, of, strict=True)))
            rows.append(tuple(a * (is_it - high) for a, is_it in zip(sizes, of, strict=True)))
        return rows

    def _size(self, stream: Stream) -> float:
        if self.ratio is None or self.ratio.by == "mass":
            return 1.0
        return 1 / stream.kg_per_l if self.ratio.by == "volume" else stream.casein_pct / 100

    def over(self, of: Callable[[Stream], float]) -> Row:
        return tuple(of(stream) for stream in self.streams)

    def row(self, target: Target) -> tuple[Row, float]:
        """The row whose product with the amounts is the miss, and the constant it aims at."""
        wanted = target.value
        if target.kind == "mass_kg":
            return self.over(lambda s: 1.0), wanted
        if target.kind == "volume_l":
            return self.over(lambda s: 1 / s.kg_per_l), wanted
        if target.kind in _PARTS:
            return self.over(lambda s: part_of(s, target.kind) - wanted), 0.0
        if target.kind == "casein_to_fat":
            return self.over(lambda s: s.casein_pct - wanted * s.fat_pct), 0.0
        if target.kind == "protein_to_fat":
            return self.over(lambda s: s.protein_pct - wanted * s.fat_pct), 0.0
        share = wanted / 100 * self.house.number(f"yield.{self.family}.rs")
        return self.over(lambda s: self.fat_kept(s) - share * self.solids_kept(s)), 0.0

    def fat_kept(self, stream: Stream) -> float:
        return self.house.number(f"yield.{self.family}.rf") * stream.fat_pct

    def solids_kept(self, stream: Stream) -> float:
        """Fat and casein that stay, per 100 kg of a stream; whey protein with acid and heat."""
        house, family = self.house, self.family
        fat = self.fat_kept(stream)
        if family in CHEDDAR_FORM:
            return fat + stream.casein_pct - house.number("yield.casein_lost")
        kept = fat + house.number(f"yield.{family}.rc") * stream.casein_pct
        if family in ACID_HEAT:
            whey = max(0.0, stream.protein_pct - stream.casein_pct)
            kept += house.number("yield.whey_protein") * whey
        return kept

    def near(self, target: Target) -> tuple[Row, float]:
        """How far the row's product may be off: a row over the amounts, and a constant."""
        if target.kind in ("mass_kg", "volume_l"):
            return self.over(lambda s: 0.0), target.near * target.value
        if target.kind in _PARTS:
            return self.over(lambda s: target.near), 0.0
        if target.kind == "fdm":
            rs = self.house.number(f"yield.{self.family}.rs")
            return self.over(lambda s: target.near / 100 * rs * self.solids_kept(s)), 0.0
        return self.over(lambda s: target.near * s.fat_pct), 0.0

    def reached(self, kind: Kind, amounts: Sequence[float]) -> float:
        """What a mix gives of a kind, in the kind's unit."""

        def total(of: Callable[[Stream], float]) -> float:
            return sum(kg * of(s) for kg, s in zip(amounts, self.streams, strict=True))

        if kind == "mass_kg":
            return total(lambda s: 1.0)
        if kind == "volume_l":
            return total(lambda s: 1 / s.kg_per_l)
        if kind in _PARTS:
            return total(lambda s: part_of(s, kind)) / total(lambda s: 1.0)
        if kind == "fdm":
            rs = self.house.number(f"yield.{self.family}.rs")
            return 100 * total(self.fat_kept) / (total(self.solids_kept) * rs)
        part = "casein_pct" if kind == "casein_to_fat" else "protein_pct"
        return total(lambda s: float(getattr(s, part))) / total(lambda s: s.fat_pct)


def suggest(
    streams: Sequence[Stream],
    targets: Sequence[Target],
    family: str,
    *,
    house: House,
    aims: Sequence[Aim] = ("handling", "cost", "oldest"),
    ratio: RatioRule | None = None,
) -> tuple[StandardMix, ...]:
    """Up to one mix an aim that meets all targets, and one for each single way that does; the
    nearest there is when none does.

    A mix aims at the wish itself, not at the edge of what is near enough; milk that is near enough
    as it stands is left alone. Cream is not taken off and poured in at one time where either does.

    Parameters: streams, at least one with milk to pour; targets, none twice; family, for
    fat in dry matter; house; aims in the order wanted; ratio of milks that always holds.
    Returns: mixes without repeats; a mix with `missed` names the targets that block, and
    what it reaches is the nearest to them while the others hold.
    Raises: NotPossible when nothing can be poured at all, Unknown family.
    Source: linear programme (HiGHS), mass balance.
    """
    if any(target.kind == "fdm" for target in targets):
        check_family(family)
    ask = _Ask(targets=tuple(targets), family=family, house=house, ratio=ratio)
    found: list[StandardMix] = []
    for aim in aims:
        mix = _best(ask, streams, aim)
        if mix is None:
            return _nearest(_Linear(streams, family, house, ratio), targets, aim)
        if not any(_same(mix, other) for other in found):
            found.append(mix)
    if len(found) == 1 and not found[0].ways and _only_main(found[0]):
        return tuple(found)
    found += _by_way(ask, streams, found)
    if any(target.kind in ("protein", "casein") for target in targets):
        best = min(range(len(found)), key=lambda number: harsh(found[number], house))
        found[best] = replace(found[best], gentlest=len(found) > 1)
    return tuple(found)


@dataclass(frozen=True, slots=True, kw_only=True)
class _Ask:
    """What is asked of the streams."""

    targets: tuple[Target, ...]
    family: str
    house: House
    ratio: RatioRule | None


def _best(ask: _Ask, streams: Sequence[Stream], aim: Aim) -> StandardMix | None:
    """The best mix of these for an aim, without cream going both ways and without trifles."""
    mix = _solved(ask, [stream for stream in streams if stream.is_main], aim)
    if mix:
        return mix  # as it stands
    mix = _solved(ask, streams, aim)
    if mix and {"cream off", "cream in"} <= mix.ways:
        one_way = [
            found
            for way in ("cream off", "cream in")
            if (found := _solved(ask, [each for each in streams if each.way != way], aim))
        ]
        mix = min(one_way, key=lambda each: _effort(each, aim), default=mix)
    while mix:
        trifle = _trifle(mix)
        less = trifle and _solved(ask, [each for each, _ in mix.amounts if each != trifle], aim)
        if not less:
            return mix
        mix = less
    return None


def _solved(ask: _Ask, streams: Sequence[Stream], aim: Aim) -> StandardMix | None:
    """The mix of these that comes nearest to the wish itself, None when none is near enough."""
    if not streams:
        return None
    linear = _Linear(streams, ask.family, ask.house, ask.ratio)
    for share in _NEARER:
        targets = [replace(target, near=share * target.near) for target in ask.targets]
        amounts = _solve(linear, targets, _worth(streams, aim))
        if amounts is not None:
            return _mix(linear, ask.targets, aim, amounts)
    return None


_NEARER = (0.02, 0.3, 1.0)
_TRIFLE = 0.015  # of what is in the vat


def _trifle(mix: StandardMix) -> Stream | None:
    """What so little of goes into a standing milk, or off it, that it is not worth the hands."""
    if not any(stream.is_main for stream, _ in mix.amounts):
        return None
    little = [
        (abs(kg), stream)
        for stream, kg in mix.amounts
        if not stream.is_main and stream.kind not in DRY and abs(kg) < _TRIFLE * mix.mass_kg
    ]
    return min(little, key=lambda pair: pair[0])[1] if little else None


def _effort(mix: StandardMix, aim: Aim) -> float:
    pairs = zip(mix.amounts, _worth([stream for stream, _ in mix.amounts], aim), strict=True)
    return sum(max(0.0, kg) * added + max(0.0, -kg) * off for (_, kg), (added, off) in pairs)


def _only_main(mix: StandardMix) -> bool:
    return all(stream.is_main for stream, _ in mix.amounts)


def _by_way(
    ask: _Ask, streams: Sequence[Stream], found: Sequence[StandardMix]
) -> list[StandardMix]:
    """One mix for each single way that reaches the targets too, beside the milk alone."""
    more: list[StandardMix] = []
    main = any(stream.is_main for stream in streams)
    for way in sorted({stream.way for stream in streams} - {""}):
        some = [
            stream
            for stream in streams
            if stream.way == way
            or stream.is_main
            or (stream.way == "" and (ask.ratio is not None or not main))
        ]
        mix = _best(ask, some, "handling")
        if mix and not any(_same(mix, other) for other in (*found, *more)):
            more.append(mix)
    return more


def harsh(mix: StandardMix, house: House) -> float:
    """How hard a mix is on the cheese: lactose over the usual, casein that was dried, filtered
    milk, cream taken off; smaller is gentler.

    Parameters: mix; house. Source: house value.
    """
    over = max(0.0, mix.lactose_pct - house.number("milk.lactose_usual"))
    filtered = sum(kg for stream, kg in mix.amounts if stream.way == "retentate") / mix.mass_kg
    skimmed = -sum(kg for stream, kg in mix.amounts if kg < 0) / mix.mass_kg
    return over + 2 * mix.dry_share() + filtered + 0.5 * skimmed


def _worth(streams: Sequence[Stream], aim: Aim) -> list[tuple[float, float]]:
    """Cost of a kg added and of a kg taken off, by aim; a little handling always counts."""
    rows = []
    for stream in streams:
        hands = 0.0 if stream.is_main else stream.handling
        if aim == "cost":
            rows.append((stream.cost_per_kg + 1e-4 * hands, 1e-4 * hands))
        elif aim == "keep":
            rows.append((-1.0 if stream.is_main else hands, hands))
        elif aim == "handling":
            rows.append((hands + 1e-4 * stream.cost_per_kg, hands))
        else:
            fresh = -stream.hours_old / 100
            rows.append((fresh + 1e-3 * hands, 1e-3 * hands))
    return rows


def _solve(
    linear: _Linear, targets: Sequence[Target], worth: Sequence[tuple[float, float]]
) -> list[float] | None:
    """The best amounts within every target, None when there are none."""
    rows = [list(row) for row in linear.rule()]
    limits = [0.0] * len(rows)
    for target in targets:
        row, wanted = linear.row(target)
        slack, constant = linear.near(target)
        rows.append([a - s for a, s in zip(row, slack, strict=True)])
        limits.append(wanted + constant)
        rows.append([-a - s for a, s in zip(row, slack, strict=True)])
        limits.append(constant - wanted)
    return _programme(linear.streams, rows, limits, worth)


def _programme(
    streams: Sequence[Stream],
    rows: list[list[float]],
    limits: list[float],
    worth: Sequence[tuple[float, float]],
    misses: Sequence[float] = (),
) -> list[float] | None:
    """Split each stream into added and taken off; `misses` are costs of further slacks,
    whose columns are already the last ones of the rows."""
    split = [
        [sign * a for a in row[: len(streams)] for sign in (1, -1)] + row[len(streams) :]
        for row in rows
    ]
    bounds: list[tuple[float, float | None]] = []
    for stream in streams:
        bounds += [
            (max(0.0, stream.low_kg), max(0.0, stream.high_kg)),
            (max(0.0, -stream.high_kg), max(0.0, -stream.low_kg)),
        ]
    bounds += [(0.0, None) for _ in misses]
    cost = [each for pair in worth for each in pair] + list(misses)
    filled = [1.0, -1.0] * len(streams) + [0.0] * len(misses)
    split.append([-each for each in filled])
    solved = linprog(cost, A_ub=split, b_ub=[*limits, -_LEAST_KG], bounds=bounds, method="highs")
    if not solved.success:
        return None
    x = solved.x
    return [float(x[2 * i] - x[2 * i + 1]) for i in range(len(streams))]


_LEAST_KG = 0.1


def _nearest(linear: _Linear, targets: Sequence[Target], aim: Aim) -> tuple[StandardMix, ...]:
    """The mix that misses least, and the targets that block: those which, left out, free it."""
    worth = _worth(linear.streams, aim)
    blocking = [
        target
        for target in targets
        if _solve(linear, [other for other in targets if other is not target], worth)
    ] or list(targets)
    amounts = _elastic(linear, targets, blocking, worth)
    if amounts is None:
        raise NotPossible("There is no milk on hand that could be poured for this.")
    mix = _mix(linear, targets, aim, amounts)
    missed = tuple(
        target.kind
        for target in blocking
        if abs(mix.reached[target.kind] - target.value) > _tolerance(target) + 1e-6
    )
    return (replace(mix, missed=missed),)


def _tolerance(target: Target) -> float:
    relative = target.kind in ("mass_kg", "volume_l")
    return target.near * target.value if relative else target.near


def _elastic(
    linear: _Linear,
    targets: Sequence[Target],
    blocking: Sequence[Target],
    worth: Sequence[tuple[float, float]],
) -> list[float] | None:
    """Let the blocking targets give, each by its own slack, as little as can be."""
    rows = [[*row, *(0.0 for _ in blocking)] for row in linear.rule()]
    limits = [0.0] * len(rows)
    for target in targets:
        row, wanted = linear.row(target)
        slack, constant = linear.near(target)
        gives = [-1.0 if target is other else 0.0 for other in blocking]
        rows.append([*(a - s for a, s in zip(row, slack, strict=True)), *gives])
        limits.append(wanted + constant)
        rows.append([*(-a - s for a, s in zip(row, slack, strict=True)), *gives])
        limits.append(constant - wanted)
    misses = [1e4 / max(1e-9, _tolerance(target)) for target in blocking]
    return _programme(linear.streams, rows, limits, worth, misses)


def _mix(linear: _Linear, targets: Sequence[Target], aim: Aim, amounts: list[float]) -> StandardMix:
    kinds: list[Kind] = ["fat", "protein", "casein", "casein_to_fat", "mass_kg", "volume_l"]
    kinds += [target.kind for target in targets if target.kind not in kinds]
    return StandardMix(
        aim=aim,
        amounts=tuple(
            (s, kg) for s, kg in zip(linear.streams, amounts, strict=True) if abs(kg) > HAIR
        ),
        reached={kind: linear.reached(kind, amounts) for kind in kinds},
        cost=sum(
            max(0.0, kg) * s.cost_per_kg for s, kg in zip(linear.streams, amounts, strict=True)
        ),
    )


def _same(a: StandardMix, b: StandardMix) -> bool:
    mine, theirs = ({stream.key: kg for stream, kg in each.amounts} for each in (a, b))
    return all(abs(mine.get(k, 0.0) - theirs.get(k, 0.0)) < _ALIKE_L for k in mine.keys() | theirs)
