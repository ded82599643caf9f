"""Presses: what a weight at the lever's end lays on the cheese, and what to hang for a load."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from openpail.craft.errors import NotPossible, OutOfRange
from openpail.craft.figure import Figure
from openpail.craft.house import along

_LONGEST_CM = 400.0
_MOST_OWN_KG, _MOST_FOLLOWER_KG = 100.0, 200.0

PressSort = Literal["", "lever", "stack", "spring", "screw"]
PRESS_WORDS: dict[PressSort, str] = {
    "": "a press nobody has measured",
    "lever": "one lever or more",
    "stack": "weights stacked on it",
    "spring": "a spring with marks",
    "screw": "a screw or jack without a gauge",
}
MOST_LEVERS = 3
RETIGHTEN_MIN = (5.0, 15.0, 30.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Lever:
    """One lever: from its pivot to where the weight hangs and to where it presses, cm; its own
    mass, kg, which hangs at half its length; length_cm, where it is longer than to the weight."""

    weight_cm: float
    follower_cm: float
    own_kg: float = 0.0
    length_cm: float | None = None

    def __post_init__(self) -> None:
        if not 1 <= self.follower_cm < self.weight_cm <= _LONGEST_CM:
            raise OutOfRange(
                "From the pivot it is farther to the weight than to the follower, up to 4 m.",
                "levers",
            )
        if not 0 <= self.own_kg <= _MOST_OWN_KG:
            raise OutOfRange("A lever weighs up to 100 kg.", "levers")

    @property
    def half_cm(self) -> float:
        """Where its own mass hangs."""
        return (self.length_cm or self.weight_cm) / 2

    @property
    def gain(self) -> float:
        """How many times over a weight presses."""
        return self.weight_cm / self.follower_cm


@dataclass(frozen=True, slots=True, kw_only=True)
class Press:
    """A press: its levers, the first one carries the weight; what stands on the cheese with nothing
    hung (follower_kg); a spring's marks, pairs of mm and kg by rising mm."""

    sort: PressSort
    levers: tuple[Lever, ...] = ()
    follower_kg: float = 0.0
    marks: tuple[tuple[float, float], ...] = ()

    def __post_init__(self) -> None:
        if not 0 <= self.follower_kg <= _MOST_FOLLOWER_KG:
            raise OutOfRange("A follower weighs up to 200 kg.", "follower_kg")
        if self.sort == "lever" and not 1 <= len(self.levers) <= MOST_LEVERS:
            raise OutOfRange(f"Measure its levers, 1 to {MOST_LEVERS} of them.", "levers")
        rising = all(
            a[0] < b[0] and a[1] < b[1] for a, b in zip(self.marks, self.marks[1:], strict=False)
        )
        if self.sort == "spring" and (len(self.marks) <= 1 or not rising):
            raise OutOfRange(
                "Write at least two marks of the spring, each further and heavier than the last.",
                "marks",
            )

    @property
    def tells(self) -> bool:
        """Whether a number can be claimed for what it presses."""
        return self.sort in ("lever", "stack", "spring")


def on_cheese_kg(hung_kg: float, press: Press) -> float:
    """What lies on the cheese with so much hung or stacked, kg.

    Parameters: hung_kg, 0 or more; press, of levers or stacked. Raises: NotPossible for one that
    tells no load. Source: the law of the lever, each lever's output the weight of the next.
    """
    if press.sort not in ("lever", "stack"):
        raise NotPossible("Nothing hangs on this press.")
    force = hung_kg
    for lever in press.levers:
        moment = force * lever.weight_cm + lever.own_kg * lever.half_cm
        force = moment / lever.follower_cm
    return force + press.follower_kg


def least_kg(press: Press) -> float:
    """What the press lays on the cheese by itself, kg.

    Parameters: press, of levers or stacked. Raises: NotPossible. Source: the law of the lever.
    """
    return on_cheese_kg(0.0, press)


def to_hang(load: Figure, press: Press) -> Figure:
    """What to hang or stack for a load on the cheese, kg, with its because.

    Parameters: load, kg; press, of levers or stacked. Returns: never under 0: the press by itself
    may be heavier than the load. Raises: NotPossible. Source: the law of the lever.
    """
    least_kg(press)
    figure = load
    if press.follower_kg:
        figure = figure.minus("the follower, with all that stands on it", press.follower_kg, "kg")
    for number, lever in reversed(list(enumerate(press.levers, start=1))):
        one = "the lever" if len(press.levers) == 1 else f"lever {number}"
        words = (
            f"{one}: {lever.follower_cm:g} cm to the follower, {lever.weight_cm:g} cm to the weight"
        )
        figure = figure.times(words, lever.follower_cm / lever.weight_cm, source="law of the lever")
        own = lever.own_kg * lever.half_cm / lever.weight_cm
        if own:
            figure = figure.minus(f"{one} itself, at half its length", own, "kg")
    if figure.value < 0:
        figure = figure.then("at_least", "the press alone is heavier", 0.0, "kg")
    return figure


def mark_mm(load_kg: float, press: Press) -> float:
    """To which mark a spring is screwed for a load, mm.

    Parameters: load_kg; press, of a spring. Raises: OutOfRange outside its marks; NotPossible.
    Source: straight between the marks.
    """
    if press.sort != "spring":
        raise NotPossible("This press has no spring.")
    low, high = press.marks[0], press.marks[-1]
    if not low[1] <= load_kg <= high[1]:
        raise OutOfRange(f"Its marks go from {low[1]:g} to {high[1]:g} kg.")
    return along(tuple((kg, mm) for mm, kg in press.marks), load_kg)
