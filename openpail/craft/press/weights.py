"""What is hung or stacked, out of what a maker owns: jugs filled to a line, stones, plates."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from openpail.craft.errors import OutOfRange

_MOST_KG, _MOST_L, _MOST_COUNT, _HIGHEST_CM = 200.0, 100.0, 50, 150.0

_NEAR = 0.02  # as good as exact
_STEP_L = 0.1
_MOST_TRIED = 60_000
_WATER_KG_PER_L = 1.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Thing:
    """A weight of the house: kg of one (an empty jug's own), how many, how high it stands, cm;
    holds_l, what of water goes into it, 0 for a stone."""

    name: str
    kg: float
    count: int = 1
    holds_l: float = 0.0
    height_cm: float = 0.0

    def __post_init__(self) -> None:
        if not self.name.strip():
            raise OutOfRange("Give it a name, like brick.", "name")
        if not 0 <= self.kg <= _MOST_KG or not 0 <= self.holds_l <= _MOST_L:
            raise OutOfRange("A weight here has up to 200 kg, a jug up to 100 L.", "kg")
        if self.kg + self.holds_l <= 0:
            raise OutOfRange("Write what it weighs, or what it holds.", "kg")
        if not 1 <= self.count <= _MOST_COUNT:
            raise OutOfRange("Write how many there are, 1 to 50.", "count")
        if not 0 <= self.height_cm <= _HIGHEST_CM:
            raise OutOfRange("It stands up to 150 cm high.", "height")

    @property
    def most_kg(self) -> float:
        """One of them, full."""
        return self.kg + self.holds_l * _WATER_KG_PER_L


@dataclass(frozen=True, slots=True)
class Laid:
    """So many of one thing, each with so much water in it, L."""

    thing: Thing
    count: int
    litres: float = 0.0

    @property
    def kg(self) -> float:
        """All of them together."""
        return self.count * (self.thing.kg + self.litres * _WATER_KG_PER_L)


@dataclass(frozen=True, slots=True)
class Pile:
    """What is laid on together; wanted_kg, what it stands for."""

    laid: tuple[Laid, ...]
    wanted_kg: float

    @property
    def kg(self) -> float:
        """What all of it weighs."""
        return sum(each.kg for each in self.laid)

    @property
    def height_cm(self) -> float:
        """How high it stands, one on the other."""
        return sum(each.count * each.thing.height_cm for each in self.laid)

    @property
    def things(self) -> int:
        """How many things it is of."""
        return sum(each.count for each in self.laid)

    @property
    def off_kg(self) -> float:
        """What it is more than wanted; under 0, less."""
        return self.kg - self.wanted_kg

    @property
    def is_near(self) -> bool:
        """Whether it is as good as what is wanted."""
        return abs(self.off_kg) <= max(_NEAR * self.wanted_kg, 0.05)


def nearest(wanted_kg: float, things: Sequence[Thing]) -> Pile:
    """The things whose weight comes nearest to what is wanted, the fewest of them.

    Parameters: wanted_kg, 0 or more; things that are owned. Returns: an empty pile where nothing
    is wanted or owned. Raises: OutOfRange. Source: derivation: every way is tried.
    """
    if wanted_kg < 0:
        raise OutOfRange("A weight is not less than nothing.")
    if wanted_kg == 0:
        return Pile((), 0.0)

    def rank(pile: Pile) -> tuple[float, int, float]:
        return (0.0 if pile.is_near else round(abs(pile.off_kg), 3), pile.things, abs(pile.off_kg))

    return min(_ways(wanted_kg, _few_enough(things)), key=rank)


def _few_enough(things: Sequence[Thing]) -> list[Thing]:
    """The things, the heaviest first, as many as can be tried in every way."""
    kept: list[Thing] = []
    ways = 1
    for each in sorted(things, key=lambda thing: -thing.most_kg):
        ways *= each.count + 1
        if ways > _MOST_TRIED:
            break
        kept.append(each)
    return kept


def _ways(wanted_kg: float, things: Sequence[Thing]) -> Iterator[Pile]:
    for laid in _counted(wanted_kg, list(things)):
        yield Pile(_filled(wanted_kg, laid), wanted_kg)


def _counted(left_kg: float, things: list[Thing]) -> Iterator[tuple[Laid, ...]]:
    """Every way to take some of each, none of them heavier than one thing too much."""
    if not things:
        yield ()
        return
    first, rest = things[0], things[1:]
    for count in range(first.count + 1):
        if count and (count - 1) * first.kg > left_kg:
            break
        here = (Laid(first, count),) if count else ()
        for others in _counted(left_kg - count * first.kg, rest):
            yield here + others


def _filled(wanted_kg: float, laid: tuple[Laid, ...]) -> tuple[Laid, ...]:
    """The jugs among them filled, alike, until all of it weighs what is wanted."""
    dry = sum(each.kg for each in laid)
    room = sum(each.count * each.thing.holds_l for each in laid)
    if room <= 0:
        return laid
    share = min(1.0, max(0.0, (wanted_kg - dry) / room))
    return tuple(
        Laid(each.thing, each.count, round(share * each.thing.holds_l / _STEP_L) * _STEP_L)
        if each.thing.holds_l
        else each
        for each in laid
    )
