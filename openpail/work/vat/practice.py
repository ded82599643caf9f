"""Practice: a dry run is begun with a recipe and a milk, done in fast time, judged, done again."""

from __future__ import annotations

import secrets
import uuid
from dataclasses import dataclass, replace
from datetime import datetime, time
from functools import cached_property
from math import isfinite

from openpail.craft.clock.lengths import InVat, warmings
from openpail.craft.doses.asked import Job
from openpail.craft.errors import NotHere, NotPossible, OutOfRange
from openpail.craft.make.frozen import freeze
from openpail.craft.make.set_talk import FlocksSaid, flocks_said
from openpail.craft.make.standing import Standing
from openpail.craft.milk.blend import pour
from openpail.craft.practice.judged import Judged, judge
from openpail.craft.practice.run import AtMinute, What
from openpail.craft.practice.world import MISHAP_WORDS, USUAL_KW, Mishap, World
from openpail.craft.recipe.recipe import Recipe, reference_pours
from openpail.craft.sheet.adapt import adapt
from openpail.formats import recipe_file
from openpail.records.dairy import actions as dairies
from openpail.records.dairy.models import Vat
from openpail.records.milk import slips
from openpail.records.practice import actions as practice
from openpail.records.practice.models import DryRun
from openpail.records.recipes import actions as recipes
from openpail.records.stock import actions as stock
from openpail.work.here import Here
from openpail.work.sheet import sheet as sheets

_BEGINS = time(7)
_FRIDGE_C, _WHEY_C = 6.0, 33.0
_SEEDS = 1_000_000
NO_MISHAPS: frozenset[Mishap] = frozenset()


@dataclass(frozen=True, slots=True, kw_only=True)
class ToPractise:
    """What is to be practised: a recipe, with lots of the shelf or, without one, the milk that it
    was written for; in which vat, None for one that suits; with which mishaps; surprise: two of
    them, and nobody says which."""

    recipe_key: str
    lots: tuple[uuid.UUID, ...] = ()
    vat_id: uuid.UUID | None = None
    mishaps: frozenset[Mishap] = frozenset()
    surprise: bool = False


class DryRunAt:
    """A dry run at one of its minutes, or as it was judged."""

    def __init__(self, here: Here, row: DryRun, minute: float = 0.0) -> None:
        self.here, self.row = here, row
        self.at = AtMinute(practice.world_of(row), practice.run_of(row), row.starts, minute)

    @property
    def recipe(self) -> Recipe:
        """What is made."""
        return self.at.world.recipe

    @property
    def standing(self) -> Standing:
        """What was done."""
        return self.at.standing

    @property
    def flocks(self) -> FlocksSaid | None:
        """What the first flocks say, once they are seen."""
        return flocks_said(self.recipe, self.at.world.sheet, self.at.day)

    @cached_property
    def judged(self) -> Judged:
        """How it went until now."""
        return judge(self.at)

    @property
    def mishaps(self) -> tuple[str, ...]:
        """What is wrong on this day, in words; none while it is a surprise."""
        if not self.row.told and self.row.ended_at is None:
            return ()
        return tuple(words for key, words in MISHAP_WORDS.items() if key in self.row.mishaps)

    @property
    def others(self) -> list[DryRun]:
        """The other runs of the same day, the newest first."""
        every = practice.newest(self.here.session, self.here.dairy)
        return [e for e in every if e.scenario == self.row.scenario and e.id != self.row.id]


def begin(here: Here, wanted: ToPractise) -> DryRun:
    """Begin a dry run.

    Raises: NotHere for a recipe, milk or vat that is not there; craft's errors, with the words of
    the sheet, for a milk that it cannot be made of.
    """
    seed = secrets.randbelow(_SEEDS)
    mishaps = _surprises() if wanted.surprise else wanted.mishaps
    milk, world = _of_lots(here, wanted) if wanted.lots else _of_its_own(here, wanted)
    starts = datetime.combine(here.today, _BEGINS, here.zone)
    return practice.begin(
        here.session,
        here.dairy,
        replace(world, mishaps=mishaps, seed=seed).in_its_time(),
        here.now,
        name=world.recipe.name,
        milk=milk,
        starts=starts,
        told=not wanted.surprise,
        person_id=here.person_id,
    )


def _surprises() -> frozenset[Mishap]:
    first = secrets.choice(list(MISHAP_WORDS))
    second = secrets.choice([each for each in MISHAP_WORDS if each != first])
    return frozenset({first, second})


def _of_lots(here: Here, wanted: ToPractise) -> tuple[str, World]:
    """With milk of the shelf: its words, and the world of it."""
    asked = sheets.ask(here, lots=wanted.lots, recipe_key=wanted.recipe_key, vat_id=wanted.vat_id)
    if asked.version is None:
        raise NotHere("no such recipe")
    worked = sheets.work_out(here, asked)
    if worked.sheet is None:
        raise NotPossible(worked.refusal)
    _, warm = sheets.steps_of(here, worked, asked.vat)
    sheet = freeze(
        worked.job, worked.sheet, worked.cautions, document=asked.version.document, warm=warm
    )
    litres = sum(draw.litres for draw in worked.draws)
    celsius = sum(slips.celsius_of(d.lot, here.house) * d.litres for d in worked.draws) / litres
    milk = ", ".join(draw.lot.name for draw in worked.draws)
    return milk, World(
        recipe=worked.recipe,
        sheet=sheet,
        litres=litres,
        celsius=celsius,
        power_kw=_kw(here, asked.vat),
        mishaps=NO_MISHAPS,
        seed=0,
    )


def _of_its_own(here: Here, wanted: ToPractise) -> tuple[str, World]:
    """With the milk that the recipe was written for."""
    version = recipes.newest_of(here.session, here.dairy, wanted.recipe_key)
    recipe, house = recipe_file.read_version(version), here.house
    blend = pour(reference_pours(recipe, house), house)
    bottles = stock.chosen(recipe, here.shelf, house, {})
    job = Job(
        recipe=recipe, milk=blend, house=house, bottles=bottles, ways=dairies.ways_of(here.dairy)
    )
    litres = sum(part.volume_l for part in recipe.reference)
    vat = here.vat(wanted.vat_id) if wanted.vat_id else _that_takes(here, litres)
    celsius = _WHEY_C if recipe.family == "whey" else _FRIDGE_C
    power = here.power(vat) if vat else None
    warm = warmings(recipe, InVat(blend.mass, celsius, power))
    sheet = freeze(job, adapt(job), (), document=version.document, warm=warm)
    return "", World(
        recipe=recipe,
        sheet=sheet,
        litres=litres,
        celsius=celsius,
        power_kw=_kw(here, vat),
        mishaps=NO_MISHAPS,
        seed=0,
    )


def _that_takes(here: Here, litres: float) -> Vat | None:
    takes = [vat for vat in here.vats if vat.brim_l >= litres]
    return next(iter(takes or here.vats[::-1]), None)


def _kw(here: Here, vat: Vat | None) -> float:
    power = here.power(vat) if vat else None
    return power.value if power else USUAL_KW


def again(here: Here, run_id: uuid.UUID) -> DryRun:
    """The same day once more: the same milk, mishaps and chance. Raises NotHere."""
    before = practice.dry_run(here.session, here.dairy, run_id)
    return practice.begin(
        here.session,
        here.dairy,
        practice.world_of(before),
        here.now,
        **practice.plain(before),
        told=before.told or before.ended_at is not None,
        person_id=here.person_id,
    )


def look(here: Here, run_id: uuid.UUID, minute: float) -> DryRunAt:
    """A dry run at one of its minutes. Raises NotHere."""
    return DryRunAt(here, practice.dry_run(here.session, here.dairy, run_id), minute)


def does(here: Here, run_id: uuid.UUID, minute: float, what: What, share: float = 0.0) -> DryRunAt:
    """One deed of the hands, at a minute of the run; the last step ends it.

    Raises: NotHere; OutOfRange for no minute; NotPossible for what cannot be done now.
    """
    if not isfinite(minute) or not isfinite(share):
        raise OutOfRange("A minute is a number.", "minute")
    row = practice.dry_run(here.session, here.dairy, run_id, lock=True)
    if row.ended_at is not None:
        raise NotPossible("This dry run is at its end.")
    practice.keep(row, DryRunAt(here, row, minute).at.does(what, share))
    after = DryRunAt(here, row, minute)
    return end(here, run_id) if after.at.step is None else after


def end(here: Here, run_id: uuid.UUID) -> DryRunAt:
    """It is judged as it stands. Raises NotHere."""
    row = practice.dry_run(here.session, here.dairy, run_id, lock=True)
    found = DryRunAt(here, row)
    if row.ended_at is None:
        wrong = [each for each in found.judged.steps if each.faults]
        practice.judged(row, len(wrong), here.now)
    return found


def kept(here: Here) -> list[DryRun]:
    """The dry runs that are kept, the newest first."""
    return practice.newest(here.session, here.dairy)
