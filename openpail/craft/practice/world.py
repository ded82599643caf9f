"""What a dry run happens in: the true bottle, hob, room and telephone, and how the vat goes on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from math import exp, log
from random import Random
from typing import Literal

from openpail.craft.errors import OutOfRange
from openpail.craft.make.by_sheet import planned_by
from openpail.craft.make.deeds import Look
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.simulated import (
    SimulatedState,
    SimulatedVat,
    Souring,
    filled,
    goes_on,
    soured,
    sown,
)
from openpail.craft.recipe.recipe import Recipe, StepKind
from openpail.craft.recipe.steps import PlannedStep
from openpail.craft.units import HAIR

_COOKED_C = 36.0  # from here on a curd is cooked, not kept warm

Mishap = Literal["old_bottle", "hot_hob", "called_away", "cold_room"]
MISHAP_WORDS: Mapping[Mishap, str] = {
    "old_bottle": "An old bottle: the rennet has lost a third and more",
    "hot_hob": "A hot hob: it heats much faster than yours",
    "called_away": "Called away: somebody wants you in the middle of it",
    "cold_room": "A cold room: the vat loses its warmth",
}
LEAVES_THE_VAT: frozenset[StepKind] = frozenset({"drain", "hang", "mould", "cheddar", "stretch"})
USUAL_KW, MOST_L = 2.0, 2_000.0
CALLED_SOON_MIN = 3.0
_ROOM_C, _COLD_ROOM_C = 19.0, 4.0
_HOT_HOB, _OLD_BOTTLE = 1.9, (1.45, 1.8)
_AWAY_MIN, _AWAY_AT = (14.0, 28.0), (0.3, 0.6)
_LEAST_CALLED_MIN = 8.0
_MAY_CALL: frozenset[StepKind] = frozenset({"warm", "heat", "stir", "wait", "hold", "heal"})
_SET_DOUBLES_C = 10.0
FIRM_ENOUGH, OVER_FIRM = 0.92, 1.4
_VIGOURS = 33  # tried between a tenth and ten times the usual
_SAME_PH = 0.03
_STEP_MIN = 0.5


@dataclass(frozen=True, slots=True, kw_only=True)
class WorldState:
    """How a dry run stands: its minute, the vat, the share of the heat that is on (under 0: in cold
    water), how far the set is (1 at the first flocks), and the litres that are in the vat."""

    minute: float
    vat: SimulatedState
    litres: float
    heat: float = 0.0
    set_: float = 0.0
    rennet_in: bool = False


@dataclass(frozen=True, kw_only=True)
class World:
    """What a dry run is made from: recipe, its sheet, litres over 0 and °C of the milk as it comes,
    power_kw of its own heater, the mishaps, the seed that all chance comes from, and the vigour of
    its culture, 1 as usual (`in_its_time` finds it)."""

    recipe: Recipe
    sheet: Frozen
    litres: float
    celsius: float
    power_kw: float
    mishaps: frozenset[Mishap]
    seed: int
    vigour: float = 1.0

    def __post_init__(self) -> None:
        if not 0 < self.litres <= MOST_L:
            raise OutOfRange(f"A dry run takes up to {MOST_L:.0f} L.", "litres")

    @cached_property
    def planned(self) -> tuple[PlannedStep, ...]:
        """The steps as the sheet has them."""
        return planned_by(self.recipe, self.sheet)

    @cached_property
    def flocks_min(self) -> float:
        """Minutes to the first flocks at the warmth of the sheet, as the bottle really does it; 0
        without a set."""
        if self.sheet.set is None:
            return 0.0
        chance = self._chance("flocks")
        about = chance.uniform(0.94, 1.06)
        weak = chance.uniform(*_OLD_BOTTLE) if "old_bottle" in self.mishaps else 1.0
        return self.sheet.set.flocculation.value * about * weak

    def _chance(self, of: str) -> Random:
        """The same chance for the same seed: a run can be done again."""
        return Random(f"{self.seed} {of}")  # noqa: S311

    @cached_property
    def set_c(self) -> float:
        """The warmth at which the set is reckoned, °C."""
        told = self.sheet.renneting_c or self.recipe.renneting_c
        return 31.0 if told is None else told

    @property
    def room_c(self) -> float:
        """The room, °C."""
        return _COLD_ROOM_C if "cold_room" in self.mishaps else _ROOM_C

    @cached_property
    def away(self) -> tuple[float, float] | None:
        """From which minute to which somebody calls, None where nobody does."""
        if "called_away" not in self.mishaps:
            return None
        may = [
            each
            for each in in_the_vat(self.planned)
            if each.step.kind in _MAY_CALL and each.minutes >= _LEAST_CALLED_MIN
        ]
        if not may:
            return None
        chance = self._chance("away")
        called = chance.choice(may)
        begins = called.start_min + called.minutes * chance.uniform(*_AWAY_AT)
        return round(begins), round(begins + chance.uniform(*_AWAY_MIN))

    @cached_property
    def vat(self) -> SimulatedVat:
        """The vat with its own heater, in this room."""
        power = self.power_kw * (_HOT_HOB if "hot_hob" in self.mishaps else 1.0)
        return SimulatedVat(
            litres=self.litres,
            power_kw=power,
            room_c=self.room_c,
            culture=culture_of(self.recipe),
            vigour=self.vigour,
        )

    def in_its_time(self) -> World:
        """The same with a culture that comes to the recipe's pH in the recipe's time, as near as
        one vigour can. Source: derivation."""
        wanted = {each.step.key: each.step.ph.target for each in self.planned if each.step.ph}
        if not self.vat.culture or not wanted:
            return self

        def off(vigour: float) -> float:
            told = self.ph_by_plan(replace(self.vat, vigour=vigour))
            return sum((told[key] - target) ** 2 for key, target in wanted.items())

        tried = [exp(log(0.1) + log(100) * number / (_VIGOURS - 1)) for number in range(_VIGOURS)]
        return replace(self, vigour=min(tried, key=off))

    def ph_by_plan(self, vat: SimulatedVat) -> Mapping[str, float]:
        """pH at the end of each step of a make that keeps the plan's minutes and °C.

        Parameters: vat, of which only the culture is looked at. Source: derivation.
        """
        at, found, celsius = filled(self.celsius, self.start_ph), {}, self.celsius
        for each in self.planned:
            celsius = each.step.celsius.target if each.step.celsius else celsius
            at = soured(vat, replace(at, celsius=celsius), each.minutes)
            if is_culture(self.recipe, each.step.adds):
                at = sown(at)
            found[each.step.key] = at.ph
        return found

    @cached_property
    def fair_ph(self) -> frozenset[str]:
        """The steps whose pH a make by the plan comes to: only they are judged by it."""
        told = self.ph_by_plan(self.vat)
        return frozenset(
            each.step.key
            for each in self.planned
            if each.step.ph
            and each.step.ph.low - _SAME_PH <= told[each.step.key] <= each.step.ph.high + _SAME_PH
        )

    @property
    def start_ph(self) -> float:
        """pH of the milk as it comes."""
        told = self.sheet.milk.ph.value if self.sheet.milk.ph else 6.65
        return min(7.0, max(4.5, told))

    def begun(self) -> WorldState:
        """The vat just filled."""
        return WorldState(minute=0.0, vat=filled(self.celsius, self.start_ph), litres=self.litres)

    def look(self, state: WorldState) -> Look:
        """How the set looks on the blade, with nothing in between left out."""
        if self.flocks_min <= 0 or self.sheet.set is None or state.set_ < 1:
            return "liquid"
        firm = state.set_ / self.sheet.set.multiplier.value
        return "soft" if firm < FIRM_ENOUGH else "clean" if firm <= OVER_FIRM else "over"

    def goes_on_to(self, state: WorldState, minute: float) -> WorldState:
        """How it stands at a later minute, with the heat as it is.

        Parameters: state; minute, not before its own. Source: heat balance; the set goes twice as
        fast for each 10 °C.
        """
        vat, left = replace(self.vat, litres=max(0.5, state.litres)), minute - state.minute
        at, set_ = state.vat, state.set_
        while left > HAIR:
            span = min(_STEP_MIN, left)
            at = goes_on(vat, at, span, state.heat)
            if state.rennet_in and self.flocks_min > 0:
                pace = 2 ** ((at.celsius - self.set_c) / _SET_DOUBLES_C)
                set_ += pace * span / self.flocks_min
            left -= span
        return replace(state, minute=max(minute, state.minute), vat=at, set_=set_)


def in_the_vat(planned: Sequence[PlannedStep]) -> tuple[PlannedStep, ...]:
    """The steps until the curd leaves the vat. Parameters: planned. Source: derivation."""
    for number, each in enumerate(planned):
        if each.step.kind in LEAVES_THE_VAT:
            return tuple(planned[:number])
    return tuple(planned)


def is_culture(recipe: Recipe, adds: Sequence[str]) -> bool:
    """Whether a culture is among what a step gives.

    Parameters: recipe; adds, ingredients of the step. Source: derivation.
    """
    return any(each.product.kind == "culture" and each.key in adds for each in recipe.ingredients)


def culture_of(recipe: Recipe) -> Souring:
    """Which sort of culture sours it: "hot" where it is kept warm over 36 °C, "" for none.

    Parameters: recipe. Source: usual practice.
    """
    if recipe.ingredient("culture") is None:
        return ""
    warm = [each.celsius.target for each in recipe.steps_to_rennet() if each.celsius]
    return "hot" if warm and warm[-1] > _COOKED_C else "mild"
