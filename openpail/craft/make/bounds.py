"""What a deed of a make is held against."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, tzinfo

from openpail.craft.house import House
from openpail.craft.make.day import MakeDay
from openpail.craft.make.deeds import Told
from openpail.craft.make.ends import StepEnd
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.yielded import Yielded
from openpail.craft.recipe.recipe import Recipe


@dataclass(frozen=True, slots=True, kw_only=True)
class Bounds:
    """What a deed of a make is held against: its steps, when it began, its milk, and the moment.

    rested_at: when it was weighed, None while it is under way; told: the deeds kept so far;
    milk_kg and cheese_kg, what went in and what is expected of it; flocks_min, expected after
    rennet_at; uncut: the curd is not cut yet; slow: the words of a stop for slow acid; into_it:
    what has gone into the milk so far; recipe and day, where the steps stand; doses, of the sheet
    by ingredient; brim_l, what the vat holds; loads, of each pressing for its moulds, kg; whey_l,
    expected; crowded, what speaks against a press, moulds, a tub or a room that others want;
    weight_says, what the weight of a cheese out of its moulds means; sheet, of the make;
    has_meter, whether the house reads pH; by_hand, whether somebody at the page told the
    moment, however long ago; zone, of the dairy.
    """

    steps: Collection[str]
    started: datetime
    milk_l: float
    now: datetime
    rested_at: datetime | None
    told: Mapping[str, Told]
    house: House
    milk_kg: float = 0.0
    cheese_kg: float = 0.0
    flocks_min: float = 0.0
    rennet_at: datetime | None = None
    uncut: bool = False
    slow: str = ""
    into_it: str = ""
    recipe: Recipe | None = None
    day: MakeDay | None = None
    doses: Mapping[str, float] = field(default_factory=dict)
    brim_l: float = 0.0
    loads: Mapping[str, float] = field(default_factory=dict)
    whey_l: float = 0.0
    crowded: str = ""
    weight_says: Yielded | None = None
    sheet: Frozen | None = None
    has_meter: bool = True
    by_hand: bool = False
    zone: tzinfo = UTC

    def end_of(
        self, step: str, at: datetime, gave: Mapping[str, float], *, broke: bool = False
    ) -> StepEnd | None:
        """The end of a step as it is looked at; None where the whole make is not looked at.
        Parameters: step, its key; at; gave, what was given otherwise; broke, by a clean break."""
        if not step or self.day is None or self.sheet is None or self.recipe is None:
            return None
        return StepEnd(
            state=self.day.state(step),
            at=at,
            recipe=self.recipe,
            sheet=self.sheet,
            day=self.day,
            milk_l=self.milk_l,
            gave=gave,
            broke=broke,
            has_meter=self.has_meter,
        )

    @property
    def milk_ph(self) -> float | None:
        """The pH of its milk, None where nobody read it."""
        found = self.sheet.milk.ph if self.sheet else None
        return found.value if found else None

    @property
    def salted(self) -> bool:
        """Whether salt is on it: from then on a pH says nothing of the one before."""
        if self.day is None:
            return False
        salts = [e for e in self.day.steps if e.planned.step.kind in ("salt", "brine")]
        return any(each.done_at is not None for each in salts)

    def is_far(self, value: float, expected: float, key: str) -> bool:
        """Whether a value is so many times what is expected, or such a part of it, that it is asked
        about. Parameters: expected, 0 where nothing is; key, of the house value."""
        most = self.house.number(key)
        return expected > 0 and not 1 / most <= value / expected <= most
