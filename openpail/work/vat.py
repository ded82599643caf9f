"""The vat: what fills the screen for the step of now, and what the maker tells."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass

from openpail.craft.bench.vat import level_cm
from openpail.craft.dates import UNDO_WITHIN
from openpail.craft.make.deeds import Told, odd_flocks
from openpail.craft.make.fold import MakeDay, Reading, StepState, fold, thinned
from openpail.craft.make.frozen import Frozen, FrozenLine
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.sheet.cautions import Caution
from openpail.records.dairy.models import Vat
from openpail.records.log import actions as log
from openpail.records.log import samples
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk
from openpail.records.milk.models import MilkLot
from openpail.records.recipes import actions as recipes
from openpail.work.here import Here
from openpail.work.log import Answer, tell
from openpail.work.made import (
    acid_of,
    day_of,
    made_of_whey,
    planned_of,
    recipe_of,
    standing_of,
)

_WHEY_RUNS = frozenset({"take whey off", "drain", "hang", "mould", "press"})
_COLDEST_START_C = 20.0
_FAR_C, _COLDEST_C, _WARMEST_START_C = 15.0, 0.5, 38.0
_PAGE = 100


@dataclass(frozen=True, slots=True)
class Whey:
    """The whey of a make once it runs: litres to expect, where it was put, who can use it."""

    litres: float
    kept: MilkLot | None
    recipes: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Warmth:
    """How a warming runs: °C it begins at, and what was read since, minutes from its beginning."""

    start_c: float
    read: tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True)
class AtVat:
    """A make at the vat: its sheet, its day, its vat; what may still be undone."""

    make: Make
    recipe: Recipe
    sheet: Frozen
    day: MakeDay
    vat: Vat
    litres: float
    level_cm: float | None
    recent: tuple[str, ...]
    acid: Caution | None
    whey: Whey | None
    warmth: Warmth | None

    def portions(self, key: str) -> int:
        """In how many equal parts an ingredient is given."""
        return next((each.portions for each in self.recipe.ingredients if each.key == key), 1)

    @property
    def may_weigh(self) -> bool:
        """Whether there is a cheese to weigh: the curd is cut, and it is not weighed yet."""
        cut = all(step.done_at for step in self.day.steps if step.planned.step.kind == "cut")
        standing = self.day.standing
        return cut and standing.weighed is None and standing.ended is None

    @property
    def odd_flocks(self) -> bool:
        """Whether the first flocks came too far from what was expected to count."""
        standing, times = self.day.standing, self.sheet.set
        seen = standing.flocks_min
        return bool(seen and times and odd_flocks(seen, times.flocculation.value))

    @property
    def step(self) -> StepState | None:
        """The step for the hands, None when all are done."""
        return self.day.current

    def unwritten(self) -> tuple[FrozenLine, ...]:
        """Doses that this milk wants and no step of the recipe gives, due before the rennet."""
        if self.step is None:
            return ()
        given = self.sheet.given_by(self.step.planned.step.adds)
        return tuple(line for line in given if line.key not in self.step.planned.step.adds)


def at_vat(here: Here, make_id: uuid.UUID) -> AtVat:
    """A make as its page shows it. Raises NotHere."""
    make = makes.make(here.session, here.dairy, make_id)
    day, sheet = day_of(here, make), makes.sheet_of(make)
    vat = here.vat(make.vat_id)
    litres = sum(part.volume_l for part in makes.milk_of(here.session, make))
    since = here.now - UNDO_WITHIN
    return AtVat(
        make,
        recipe_of(make),
        sheet,
        day,
        vat,
        litres,
        level_cm(litres, vat.diameter_cm, vat.measured),
        log.told_since(here.session, make.dairy_id, make.id, since),
        acid_of(here, make, day.standing),
        _whey(here, make, day),
        _warmth(here, make, day.current),
    )


def _whey(here: Here, make: Make, day: MakeDay) -> Whey | None:
    """What there is of whey once it runs, None before, and of a whey cheese."""
    recipe = recipe_of(make)
    reached = {each.planned.step.kind for each in day.steps if each.done_at}
    if day.current:
        reached.add(day.current.planned.step.kind)
    if recipe.family == "whey" or not _WHEY_RUNS & reached:
        return None
    offered = recipes.keys_of_family(here.session, here.dairy, "whey")
    kept = milk.whey_of(here.session, here.dairy, make)
    return Whey(made_of_whey(here, make).litres, kept, offered)


def _warmth(here: Here, make: Make, step: StepState | None) -> Warmth | None:
    """What was read while a step warms, by hand and by probe, few enough to draw."""
    what = step.planned.step if step else None
    if step is None or what is None or what.kind not in ("warm", "heat") or not what.celsius:
        return None
    readings = [each for each in standing_of(here, make).readings if each.celsius is not None]
    found = [each for each in readings if each.at >= step.begins]
    found += [Reading("", *each) for each in samples.drawn(here.session, make, step.begins)]
    read = tuple(
        ((each.at - step.begins).total_seconds() / 60, each.celsius or 0.0)
        for each in thinned(sorted(found, key=lambda each: each.at))
    )
    before = [each.celsius for each in readings if each.celsius is not None]
    start = before[-1] if before else min(what.celsius.target, _COLDEST_START_C)
    return Warmth(read[0][1] if read else start, read)


def likely_c(here: Here, make_id: uuid.UUID) -> tuple[float, float]:
    """Between which °C a reading at the vat is looked for now: about the last one and the step's.

    Raises: NotHere.
    """
    make = makes.make(here.session, here.dairy, make_id)
    step = day_of(here, make).current
    warmth = step.planned.step.celsius if step else None
    read = [each.celsius for each in standing_of(here, make).readings if each.celsius is not None]
    known = [*read[-1:], *([warmth.low, warmth.high] if warmth else [])]
    if not read:  # milk comes from the fridge, or from the animal
        return _COLDEST_C, max([*known, _WARMEST_START_C]) + _FAR_C
    return max(_COLDEST_C, min(known) - _FAR_C), max(known) + _FAR_C


def running(here: Here) -> list[tuple[Make, MakeDay]]:
    """The makes under way with their steps on the clock."""
    return [(make, day_of(here, make)) for make in here.under_way]


def all_readings(here: Here, make_id: uuid.UUID, page: int) -> tuple[Make, list[Reading], int]:
    """A make, a page of its readings (0 the newest), and how many pages there are.

    Raises: NotHere.
    """
    make = makes.make(here.session, here.dairy, make_id)
    told = log.of_make(here.session, make.dairy_id, make.id)
    readings = fold(recipe_of(make), told).readings[::-1]
    pages = max(1, -(-len(readings) // _PAGE))
    return make, list(readings[page * _PAGE : (page + 1) * _PAGE]), pages


def say(here: Here, make_id: uuid.UUID, told: Told) -> Answer:
    """Tell one deed of a make. Raises NotHere."""
    return tell(here, make_id, [told])[0]


def frozen_sheet(here: Here, make_id: uuid.UUID) -> tuple[Make, Frozen, Sequence[object]]:
    """A make's sheet as it was, with its steps. Raises NotHere."""
    make = makes.make(here.session, here.dairy, make_id)
    return make, makes.sheet_of(make), planned_of(here, make)
