"""What a worked-out sheet holds: doses, set, firmness, cheese; and firmness in words."""

from __future__ import annotations

from dataclasses import dataclass

from openpail.craft.doses.how_to_add import Manner
from openpail.craft.doses.spoons import Hand
from openpail.craft.figure import Figure
from openpail.craft.sheet.moves import NOTHING_MOVES, Moved
from openpail.craft.stock.products import Product


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """One dose: as written, that much for these litres, for this milk, and in the hand.

    change: of the last step, this milk against the recipe's at the same litres, −0.28 is 28 %
    less; None where the bottles are of different kinds. notes:
    what to expect of this bottle, and what time could do instead. per_unit: of the active
    stuff in one unit of the bottle.
    """

    key: str
    kind: str
    name: str
    written: Figure
    scaled: Figure
    figure: Figure
    active: Figure
    water: Figure | None
    hand: Hand
    in_words: str
    at_vat: str
    bottle: Product
    manner: Manner
    notes: tuple[str, ...] = ()
    change: float | None = 0.0
    per_unit: float = 1.0


@dataclass(frozen=True, slots=True, kw_only=True)
class SetTimes:
    """When the milk flocks and when to cut, in minutes after the rennet.

    holds: whether the model does; at a very low or high pH the break decides, and nothing is
    learnt from the flocks.
    """

    flocculation: Figure
    cut: Figure
    band: float
    written_flocculation: Figure
    written_cut: Figure
    imcu_per_kg: Figure
    multiplier: Figure
    holds: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class Firmness:
    """Firmness over minutes of the recipe's milk and this milk, and what it means in words."""

    recipe: tuple[tuple[float, float], ...]
    this: tuple[tuple[float, float], ...]
    against: float
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Sheet:
    """A recipe adapted to a milk.

    `narrow` names the measurement that would help most; `asks`, what the maker must answer in
    writing before it starts; `in_words`, the one plain sentence at the top; `clock`, how the day
    moves against the recipe's own; `curd`, its colour; `moved`, the steps that follow this milk;
    `written_kg`, the recipe's own batch of milk, `milk_kg` this one.
    """

    lines: tuple[Line, ...]
    set: SetTimes | None
    firmness: Firmness | None
    cheese: Figure
    written_cheese: Figure
    whey: Figure
    warnings: tuple[str, ...]
    narrow: str | None
    asks: tuple[str, ...] = ()
    in_words: str = ""
    clock: str = ""
    curd: str = ""
    moved: Moved = NOTHING_MOVES
    written_kg: float = 0.0
    milk_kg: float = 0.0

    @property
    def scaled_cheese(self) -> Figure:
        """What the recipe's own milk would give, of so much."""
        return self.written_cheese.times("for as much milk", self.milk_kg / self.written_kg)

    def in_order(self) -> tuple[Line, ...]:
        """What goes in, in the order of the vat."""
        given = (line for line in self.lines if line.figure.value > 0)
        return tuple(sorted(given, key=lambda line: line.manner.order))

    def line(self, kind: str) -> Line | None:
        """The first dose of a kind, None when the recipe has none."""
        return next((line for line in self.lines if line.kind == kind), None)


def firm_words(against: float) -> str:
    """What a set so firm against the recipe's own (1 is the same) asks of the hands.

    Source: our own judgement.
    """
    for limit, words in (
        (0.6, "About half as firm at the cut: cut a size larger, rest 15 min, stir very slowly."),
        (0.75, "About two thirds as firm at the cut: cut a size larger, rest 10 min, stir slower."),
        (0.92, "A little softer at the cut: cut with care, stir slower at first."),
        (1.12, "As firm at the cut as the recipe’s own."),
        (1.5, "Firmer at the cut: a size smaller cuts well; do not wait past the window."),
    ):
        if against <= limit:
            return words
    return "Much firmer at the cut: cut at the early end of the window, a size smaller."
