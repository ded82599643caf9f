"""Until when a piece is to be eaten: by its family, what was measured, and what was done to it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from openpail.craft.cave.course import PieceCourse
from openpail.craft.figure import Figure, Step
from openpail.craft.house import House
from openpail.craft.recipe.recipe import Recipe

FRESH = frozenset({"acid_heat_soft", "acid_heat_pressed", "whey", "stretched_quick", "grilling"})
# Cheese that is eaten soft: nothing of it waits for another day.
SOFT = FRESH | {"lactic", "bloomy", "washed_rind", "stretched"}
_FREEZES = FRESH | {"stretched"}
_WEAK_BRINE_PCT = 6.0
_SOUR_PH, _MOIST = 4.6, 0.50


@dataclass(frozen=True, slots=True, kw_only=True)
class Facts:
    """What is known of a piece beside its course.

    ph, the last that was measured in its make; moisture, a fraction, as its yield implies it;
    brine_rests_pct, where the brine that keeps it comes to rest; packed_hot, at 75 °C or more;
    freezer, since when it lies in one; thawed, since when it came out of one.
    """

    ph: float | None = None
    moisture: float | None = None
    brine_rests_pct: float | None = None
    packed_hot: bool = False
    freezer: date | None = None
    thawed: date | None = None

    @property
    def may_grow(self) -> bool:
        """Whether it is so moist and so little sour that it must not lie without air."""
        sour = self.ph is not None and self.ph <= _SOUR_PH
        dry = self.moisture is not None and self.moisture <= _MOIST
        return not sour and not dry


def family_is_brief(recipe: Recipe) -> bool:
    """Whether its days are counted from the day it was made: fresh, of whey, lactic.

    Parameters: recipe. Source: handbook of keeping.
    """
    return recipe.family in FRESH or recipe.family == "lactic"


def is_last_day(recipe: Recipe) -> bool:
    """Whether its date is a last one (use by) and no best one: fresh, soft, of whey.

    Parameters: recipe. Source: handbook of keeping.
    """
    return recipe.family in SOFT


def most_c(recipe: Recipe, course: PieceCourse, facts: Facts, house: House) -> float:
    """At most how warm it is kept, °C, once it is ready.

    Parameters: recipe; course, what it is sealed in; facts; house. Source: handbook of keeping.
    """
    found = house.number("keep.soft_c" if recipe.family in SOFT else "keep.firm_c")
    if facts.brine_rests_pct is not None:
        found = min(found, house.number("keep.brined_c"))
    if course.sealed == "oil":
        found = min(found, house.number("keep.oil_c"))
    if course.sealed == "bag" and facts.may_grow:
        found = min(found, house.number("keep.moist_bag_c"))
    return found


def briefly(recipe: Recipe, house: House) -> int | None:
    """Within how many days it is to be eaten as far as its sheet knows, None where its piece says.

    Parameters: recipe; house. Source: handbook of keeping; the recipe, where that is sooner.
    """
    if not family_is_brief(recipe):
        return None
    days, _ = _of_family(recipe, 0, Facts(), house)
    return round(min(days, recipe.eat_by_days or days))


def freezes_well(recipe: Recipe) -> bool:
    """Whether a cheese comes out of the freezer as it went in. Parameters: recipe.
    Source: our own judgement."""
    return recipe.family in _FREEZES


def eat_by(
    recipe: Recipe,
    made_on: date,
    ready_until: date,
    *,
    course: PieceCourse,
    facts: Facts,
    house: House,
) -> tuple[date, Figure]:
    """The day by which it is to be eaten, and why, in days from the day it was made.

    Parameters: recipe; made_on; ready_until, where its window closes; course; facts; house.
    Source: handbook of keeping, house values; local rules come first.
    """
    days, why = _of_family(recipe, (ready_until - made_on).days, facts, house)
    figure = Figure(days, "d", "worked out", (why,), True)
    usual = _of_family(recipe, 0, Facts(), house)[0] if family_is_brief(recipe) else 0.0
    if 0 < recipe.eat_by_days < usual:  # stricter than its family, whatever was measured
        told = recipe.eat_by_days
        figure = figure.then("at_most", "as its recipe says", told, source="the recipe")
    if course.sealed == "bag" and course.sealed_on and facts.may_grow:
        figure = _at_most(
            figure,
            "moist, in a bag",
            "keep.moist_bag_days",
            since=course.sealed_on,
            made_on=made_on,
            house=house,
        )
    if course.sealed == "oil" and course.sealed_on:
        figure = _at_most(
            figure, "in oil", "keep.oil_days", since=course.sealed_on, made_on=made_on, house=house
        )
    if course.cut_on and course.sealed not in ("bag", "wax"):
        key = "keep.cut_soft_days" if recipe.family in SOFT else "keep.cut_days"
        figure = _at_most(figure, "cut", key, since=course.cut_on, made_on=made_on, house=house)
    if facts.freezer:
        key = "keep.frozen_days"
        end = (facts.freezer - made_on).days + house.number(key)
        figure = figure.then(
            "choose", "in the freezer", end, source=house.source(key), house_key=key
        )
    elif facts.thawed:
        figure = _at_most(
            figure, "thawed", "keep.thawed_days", since=facts.thawed, made_on=made_on, house=house
        )
    return made_on + timedelta(days=round(figure.value)), figure


def _at_most(
    figure: Figure, label: str, key: str, *, since: date, made_on: date, house: House
) -> Figure:
    end = (since - made_on).days + house.number(key)
    return figure.then("at_most", label, end, source=house.source(key), house_key=key)


def _of_family(recipe: Recipe, window: int, facts: Facts, house: House) -> tuple[float, Step]:
    family = recipe.family

    def by(key: str, label: str) -> tuple[float, Step]:
        days = house.number(key)
        return days, Step("start", label, days, "d", house.source(key), key)

    if family in FRESH and not (family == "grilling" and facts.brine_rests_pct):
        if facts.packed_hot and family != "grilling":
            return by("keep.packed_hot_days", "fresh, packed hot")
        return by("keep.fresh_days", "fresh")
    if family == "lactic":
        if facts.ph is not None and facts.ph <= _SOUR_PH:
            return by("keep.lactic_sour_days", f"lactic, measured at pH {facts.ph:.2f}")
        return by("keep.lactic_days", "lactic, its pH not measured at 4.6 or under")
    if family == "bloomy":
        return window, Step("start", "bloomy: by its window", window, "d", "house value")
    weak = facts.brine_rests_pct is not None and facts.brine_rests_pct < _WEAK_BRINE_PCT
    if family in ("white_brined", "grilling") and weak:
        return by("keep.weak_brine_days", "in a brine that comes to rest under 6 %")
    days = max(float(recipe.eat_by_days), float(window))
    return days, Step("start", "as its recipe says", days, "d", "the recipe")
