"""Presses and moulds: which steps want them, and which of them a make is given."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from math import ceil
from typing import Literal

from openpail.craft.clock.spans import Taken
from openpail.craft.errors import NotPossible
from openpail.craft.press.moulds import Mould
from openpail.craft.press.presses import Press
from openpail.craft.recipe.recipe import StepKind
from openpail.craft.recipe.steps import PlannedStep

Kind = Literal["press", "mould"]
Names = Mapping[str, str]
NO_NAMES: Names = {}

_LEAVES_VAT = frozenset({"mould", "hang", "brine", "dry", "cool", "stretch", "turn"})
_IN_MOULD = frozenset({"mould", "press", "turn", "drain", "hold", "wait"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Gear:
    """Presses, or moulds, of one sort: how many there are of it.

    holds_kg: of cheese, as it comes out of one mould, over 0; follower: whether the mould has one,
    so that it can be pressed. id: what it is known by wherever it is given, whatever it is called;
    "" is its name. mould and press: its measures, None while nobody took them.
    """

    kind: Kind
    name: str
    count: int = 1
    holds_kg: float = 0.0
    follower: bool = True
    id: str = ""
    mould: Mould | None = None
    press: Press | None = None

    def each(self) -> tuple[str, ...]:
        """What each single one is known by. Source: derivation."""
        return tuple(self.names())

    def names(self) -> dict[str, str]:
        """The name of each single one, by what it is known by. Source: derivation."""
        numbers = range(1, self.count + 1)
        called = [self.name] if self.count == 1 else [f"{self.name} {n}" for n in numbers]
        if not self.id:
            return {name: name for name in called}
        return {f"{self.id}/{number}": name for number, name in zip(numbers, called, strict=True)}


@dataclass(frozen=True, slots=True, kw_only=True)
class Outfit:
    """What a make is given for its day: a vat, a press if it wants one, its moulds.

    Each by what it is known by; names, what people call them, where that is something else.
    """

    vat: str
    press: str = ""
    moulds: tuple[str, ...] = ()
    names: Names = field(default_factory=dict, compare=False)

    def name(self, thing: str) -> str:
        """What people call one of them. Source: derivation."""
        return self.names.get(thing, thing)

    @property
    def words(self) -> str:
        """All of it in words: kettle, screw press, tall moulds 1 and 2."""
        told = (self.name(self.vat), self.name(self.press), self.mould_words)
        return ", ".join(each for each in told if each)

    @property
    def pieces(self) -> int:
        """How many pieces come of it: one of each mould, one where it is given none."""
        return max(1, len(self.moulds))

    @property
    def mould_words(self) -> str:
        """The moulds in words, those of one sort together."""
        called = [self.name(each) for each in self.moulds]
        if len(called) <= 1:
            return "".join(called)
        sort = called[0].rpartition(" ")[0]
        numbers = [each.rpartition(" ")[2] for each in called]
        return f"{sort}s {', '.join(numbers[:-1])} and {numbers[-1]}"


NO_OUTFIT = Outfit(vat="")


@dataclass(frozen=True, slots=True)
class Needs:
    """For each step, whether it holds the vat, the press, the moulds."""

    vat: tuple[bool, ...]
    press: tuple[bool, ...]
    mould: tuple[bool, ...]


def needs(planned: Sequence[PlannedStep]) -> Needs:
    """Which steps hold what.

    The vat is held until the curd leaves it, and longer where the cheese is cooked in its whey;
    a weight on the curd before it is moulded stands in the vat. The press is held from the first
    pressing in the mould to the last, the moulds until the cheese is out of them.
    Parameters: planned, a recipe's steps. Source: derivation.
    """
    return _needs(tuple(each.step.kind for each in planned))


@lru_cache(maxsize=512)
def _needs(kinds: tuple[StepKind, ...]) -> Needs:
    count = len(kinds)
    mould = kinds.index("mould") if "mould" in kinds else None
    pressed = [i for i, kind in enumerate(kinds) if kind == "press" and (mould or 0) <= i]
    leaves = min([i for i, kind in enumerate(kinds) if kind in _LEAVES_VAT] + pressed[:1] + [count])
    cooked = max((i + 1 for i, kind in enumerate(kinds) if kind == "cook in whey"), default=0)
    out = mould if mould is not None else count
    while out < count and kinds[out] in _IN_MOULD:
        out += 1
    press = range(pressed[0], pressed[-1] + 1) if pressed else range(0)
    return Needs(
        tuple(i < max(leaves, cooked) for i in range(count)),
        tuple(i in press for i in range(count)),
        tuple(mould is not None and mould <= i < out for i in range(count)),
    )


def outfit(
    planned: Sequence[PlannedStep],
    cheese_kg: float,
    vat: str,
    *,
    gear: Sequence[Gear],
    taken: Taken,
    names: Names = NO_NAMES,
) -> Outfit:
    """A press and moulds for a make, such as are taken least by others.

    Parameters: planned; cheese_kg, expected, 0 or more; vat; gear, all of the dairy, () when it
    lists none (nothing is then given, and nothing is missed); taken, by other makes; names of the
    vat and of whatever else is called otherwise than it is known by.
    Returns: the fewest moulds that hold the cheese, of the smallest sort that can.
    Raises: NotPossible when there is none that does. Source: derivation.
    """
    if not gear:
        return Outfit(vat=vat, names=names)
    called = {**names, **{key: name for each in gear for key, name in each.names().items()}}
    wants = needs(planned)
    press = _press(gear, taken) if any(wants.press) else ""
    moulds = _moulds(gear, cheese_kg, bool(press), taken) if any(wants.mould) else ()
    return Outfit(vat=vat, press=press, moulds=moulds, names=called)


def _press(gear: Sequence[Gear], taken: Taken) -> str:
    found = [name for each in gear if each.kind == "press" for name in each.each()]
    if not found:
        raise NotPossible("it wants a press, and the dairy lists none")
    return min(found, key=lambda name: _last(name, taken))


def _moulds(gear: Sequence[Gear], cheese_kg: float, pressed: bool, taken: Taken) -> tuple[str, ...]:
    fit = [each for each in gear if each.kind == "mould" and (each.follower or not pressed)]
    enough = [
        (max(1, ceil(cheese_kg / each.holds_kg - 0.02)), each)
        for each in fit
        if each.holds_kg * (each.count + 0.02) >= cheese_kg
    ]
    if not enough:
        most = max((each.holds_kg * each.count for each in fit), default=0.0)
        sort = "moulds with a follower" if pressed else "moulds"
        raise NotPossible(
            f"{sort} for {cheese_kg:.1f} kg of cheese: the most that one sort here "
            f"takes is {most:.1f} kg"
        )

    def rank(choice: tuple[int, Gear]) -> tuple[bool, int, int, float]:
        number, each = choice
        free = sorted(_last(name, taken) for name in each.each())
        return (each.follower and not pressed, free[number - 1], number, each.holds_kg)

    number, best = min(enough, key=rank)
    names = sorted(best.each(), key=lambda name: (_last(name, taken), best.each().index(name)))
    return tuple(sorted(names[:number], key=best.each().index))


def _last(name: str, taken: Taken) -> int:
    """Until when it is taken by others, 0 when it is not."""
    return max((end for _, end in taken.get(name, ())), default=0)
