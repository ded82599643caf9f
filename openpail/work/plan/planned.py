"""Planned makes: each worked out with its own milk and vat, what it wants ready, and when."""

from __future__ import annotations

import uuid
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from openpail.craft.cave.rooms import Stay, stays
from openpail.craft.clock.gear import Outfit, outfit
from openpail.craft.clock.lengths import InVat, steps_in, warmings
from openpail.craft.clock.one import Course, Placed, course_of, good_begins
from openpail.craft.clock.ready import Ready, missing, ready
from openpail.craft.clock.spans import Taken, handy, minute_of, moment_of
from openpail.craft.doses.asked import Job, rennet_lot
from openpail.craft.errors import NotHere, NotPossible, RecordError
from openpail.craft.figure import Figure
from openpail.craft.milk.blend import pour
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.steps import PlannedStep, laid_out
from openpail.craft.sheet.adapt import adapt
from openpail.craft.sheet.sheet import Sheet
from openpail.craft.stock.learning import NOTHING_LEARNT
from openpail.craft.units import so_many
from openpail.formats import recipe_file
from openpail.records.bench import actions as benches
from openpail.records.bench.models import Bench
from openpail.records.dairy import actions as dairies
from openpail.records.dairy.models import Vat
from openpail.records.makes import actions as makes
from openpail.records.milk import actions as milk
from openpail.records.milk import keeping, slips
from openpail.records.milk.models import MilkLot, Task
from openpail.records.plans import actions as plans
from openpail.records.plans.actions import Planned
from openpail.records.plans.models import PlannedMake
from openpail.records.stock import actions as stock
from openpail.work.cave.ripening import stays_of
from openpail.work.faults import FAULTS, words_of
from openpail.work.here import LEAST_L, Here
from openpail.work.make.made import given_to, recipe_of
from openpail.work.plan.clock import Against, Busy, busy, days_until, placed_at

_NEAR_L = 0.05
_LEAST_SPAN = 10  # minutes; a shorter one is hardly met
_MOST_STARTS = 5
_SOON = timedelta(hours=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanWorked:
    """A planned make as its milk and its vat have it; no sheet when the milk is gone or unfit, or
    when it cannot be worked out: `fault` says why."""

    recipe: Recipe
    steps: tuple[PlannedStep, ...]
    lots: tuple[tuple[MilkLot, float], ...]
    sheet: Sheet | None
    ready: tuple[Ready, ...]
    raw: bool
    warm: Mapping[str, Figure]
    fault: str = ""

    @property
    def cheese_kg(self) -> float:
        """What cheese to expect, kg; 0 unknown."""
        return self.sheet.cheese.value if self.sheet else 0.0


def worked(here: Here, each: Planned) -> PlanWorked:
    """Work a planned make out, once."""
    key = ("plan", each.row.id, each.row.vat_id)
    if key not in here.worked:
        here.worked[key] = _worked(here, each)
    found = here.worked[key]
    assert isinstance(found, PlanWorked)
    return found


def _worked(here: Here, each: Planned) -> PlanWorked:
    recipe = recipe_file.read_version(each.version)
    lots = tuple(_lots(here, each))
    if not any(litres > 0 for _, litres in lots):
        return PlanWorked(
            recipe=recipe,
            steps=laid_out(recipe),
            lots=lots,
            sheet=None,
            ready=(),
            raw=False,
            warm={},
        )
    try:
        return _of_its_milk(here, each, recipe, lots)
    except FAULTS as fault:  # the plan keeps the recipe's lengths, and its page says why
        return PlanWorked(
            recipe=recipe,
            steps=laid_out(recipe),
            lots=lots,
            sheet=None,
            ready=(),
            raw=False,
            warm={},
            fault=words_of(fault),
        )


def _of_its_milk(
    here: Here, each: Planned, recipe: Recipe, lots: tuple[tuple[MilkLot, float], ...]
) -> PlanWorked:
    pours = [slips.pour_of(lot, here.known, litres) for lot, litres in lots if litres > 0]
    bottles = stock.chosen(recipe, here.shelf, here.house, {})
    blend = pour(pours, here.house)
    learnt = here.lessons.bottles.get(rennet_lot(recipe, bottles), NOTHING_LEARNT)
    job = Job(
        recipe=recipe,
        milk=blend,
        house=here.house,
        bottles=bottles,
        ways=dairies.ways_of(here.dairy),
        learnt=learnt,
        yield_learnt=here.yield_learnt(recipe.key),
        lively=here.lively,
    )
    sheet = adapt(job, roughly=True)
    litres = sum(part for _, part in lots)
    milk_c = sum(slips.celsius_of(lot, here.house) * part for lot, part in lots) / litres
    warm = warmings(recipe, InVat(blend.mass, milk_c, here.power(each.vat)))
    left = {lot.product.lot: lot.row.left for lot in here.shelf}
    frozen = {str(lot.id): lot.name for lot, _ in lots if keeping.in_freezer(lot)}
    lacking = missing(recipe, sheet, bottles, left)
    given = each.given(here.gear)
    return PlanWorked(
        recipe=recipe,
        steps=steps_in(recipe, sheet, warm),
        lots=lots,
        sheet=sheet,
        ready=ready(
            recipe,
            sheet,
            litres,
            given=given,
            lacking=lacking,
            frozen=frozen,
            house=here.house,
            cloths=cloths(here),
        ),
        raw=job.is_raw(),
        warm=warm,
    )


def cloths(here: Here) -> float | None:
    """How many cloths the stock has, None where it lists none or does not count them."""
    found = [lot.row.left for lot in here.shelf if lot.product.kind == "ware"]
    if not found or any(left is None for left in found):
        return None
    return sum(left for left in found if left)


def _lots(here: Here, each: Planned) -> list[tuple[MilkLot, float]]:
    """The lots that are still there, with the litres that are wanted and to be had."""
    found = []
    for lot in here.free:
        if lot.id in each.row.lots:
            wanted, left = each.row.lots[lot.id], here.free_l(lot)
            found.append((lot, left if wanted is None else min(wanted, left)))
    return found


# ── made ready ──


@dataclass(frozen=True, slots=True, kw_only=True)
class Due:
    """What a planned make wants ready, the day it is due, whether it is ready, or late."""

    plan: Planned
    what: Ready
    day: date
    done: bool
    late: bool

    @property
    def lot_id(self) -> str:
        """The lot that is to be thawed, "" when it is something else."""
        return self.what.key.removeprefix("thaw-") if self.what.sort == "thaw" else ""


def due(here: Here, planned: Sequence[Planned]) -> list[Due]:
    """All that the planned makes want ready, the earliest first."""
    found = []
    for each in planned:
        for what in worked(here, each).ready:
            day = each.row.day - timedelta(days=what.days_before)
            done = what.key in each.row.ready
            found.append(
                Due(plan=each, what=what, day=day, done=done, late=not done and day < here.today)
            )
    return sorted(found, key=lambda each: each.day)


def made_ready(here: Here, plan_id: uuid.UUID, key: str, *, done: bool) -> None:
    """Something that it wants ready is ready, or is not after all; “kit” is all that is set out.

    Raises: NotHere.
    """
    each = here.plan(plan_id)
    wanted = [what for what in worked(here, each).ready if key in (what.key, what.sort)]
    if not wanted:
        raise NotHere("it wants no such thing")
    for what in wanted:
        plans.made_ready(here.session, each.row, what.key, here.now, done=done)


def tasks(here: Here, until: date) -> list[Task]:
    """Thawings until a day; a plan that wants the same milk says so itself."""
    told = {lot for each in here.planned for lot in each.row.lots}
    found = milk.tasks(here.session, here.dairy, until)
    return [task for task in found if task.lot_id not in told]


def promised_twice(here: Here, each: Planned) -> list[tuple[MilkLot, str]]:
    """Lots of which a plan and another want more than there is, and the other's name."""
    found = []
    for other in here.planned:
        if other.row.id == each.row.id:
            continue
        theirs = {lot.id: litres for lot, litres in worked(here, other).lots}
        for lot, litres in worked(here, each).lots:
            if lot.id in theirs and theirs[lot.id] + litres > here.free_l(lot) + _NEAR_L:
                found.append((lot, other.name))
    return found


def all_stays(here: Here) -> tuple[Stay, ...]:
    """Where all that rests, is under way and is planned lies on which days."""
    found = stays_now(here)
    for each in here.planned:
        made = worked(here, each)
        found += stays(
            made.recipe, each.row.day, here.house, made.raw, each.given(here.gear).pieces
        )
    return tuple(found)


def stays_now(here: Here) -> list[Stay]:
    """Where all that rests and is under way lies on which days."""
    found = stays_of(here)
    for make in here.under_way:
        raw, day = makes.sheet_of(make).milk.raw, here.day_of(make.started_at)
        found += stays(recipe_of(make), day, here.house, raw, given_to(here, make).pieces)
    return found


# ── on the clock ──


def course_for(
    here: Here, each: Planned, earliest: int, latest_end: int, given: Outfit | None = None
) -> Course:
    """A planned make as a course, with the lengths its own milk and vat give it."""
    return course_of(worked(here, each).steps, earliest, given or each.given(here.gear), latest_end)


def placed(here: Here, each: Planned, taken: Taken | None = None) -> Placed:
    """A planned make on the clock, stretched clear of what is taken (None: of quiet hours)."""
    begin = minute_of(each.begins)
    course = course_of(worked(here, each).steps, begin, each.given(here.gear))
    return placed_at(here, course, each.begins, taken)


def clock(here: Here, days: int, without: Planned | None = None) -> Busy:
    """The clock with all that is under way and planned, one plan left out."""
    return busy(
        here,
        days,
        [
            (each.name, placed(here, each))
            for each in here.planned
            if without is None or each.row.id != without.row.id
        ],
    )


def fit_out(here: Here, each: Planned, taken: Taken) -> Outfit:
    """A press and moulds for a planned make, those that others want least; what it has when the
    dairy lists none that will do."""
    made, has = worked(here, each), each.given(here.gear)
    try:
        return outfit(
            made.steps, made.cheese_kg, has.vat, gear=here.gear, taken=taken, names=here.names
        )
    except NotPossible:
        return has


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
    """A planned make as its page shows it."""

    plan: Planned
    worked: PlanWorked
    given: Outfit
    made: Placed
    against: tuple[Against, ...]
    starts: tuple[tuple[datetime, datetime], ...]
    due: tuple[Due, ...]
    twice: tuple[tuple[MilkLot, str], ...]
    whole: bool
    thawed: bool
    soon: bool


def look(here: Here, plan_id: uuid.UUID) -> Look:
    """A planned make on its clock, what stands against it, other good starts. Raises NotHere."""
    each = here.plan(plan_id)
    work = worked(here, each)
    there = clock(here, days_until(here, placed(here, each).ends), without=each)
    taken = there.taken()
    made = placed(here, each, taken)
    course = course_for(here, each, minute_of(here.now), there.until)
    spans = good_begins(course, taken)[0]
    found = ((handy(((a, b),), a), b) for a, b in spans if b - a >= _LEAST_SPAN or len(spans) < 3)
    starts = [(moment_of(a), moment_of(b)) for a, b in found if a is not None]
    return Look(
        plan=each,
        worked=work,
        given=each.given(here.gear),
        made=made,
        against=(*there.against(work.steps, made), *_frozen_still(here, each, work)),
        starts=tuple(span for span in starts if span[0] != each.begins)[:_MOST_STARTS],
        due=tuple(due(here, [each])),
        twice=tuple(promised_twice(here, each)),
        whole=all(part is None for part in each.row.lots.values()),
        thawed=not any(keeping.in_freezer(lot) for lot, _ in work.lots),
        soon=each.begins - here.now < _SOON,
    )


def _frozen_still(here: Here, each: Planned, work: PlanWorked) -> Iterator[Against]:
    """Milk in the freezer that no longer thaws in time, since the make was moved."""
    days = round(here.house.number("milk.thaw_days"))
    for lot, _ in work.lots:
        if keeping.in_freezer(lot) and here.day_of(each.begins) < here.ahead(days):
            words = (
                f"{lot.name} is in the freezer, and thaws in the fridge for {so_many(days, 'day')}"
            )
            yield Against(at=each.begins, lacks=words)


def plan(
    here: Here,
    recipe_key: str,
    vat: Vat,
    *,
    lots: Mapping[uuid.UUID, float | None],
    begins: datetime,
    given: Outfit,
) -> PlannedMake:
    """Plan a make.

    Raises: as `plans.plan`; NotHere for milk that is not here; NotPossible for milk that stands
    poured at the Bench.
    """
    there = milk.lots_by_id(here.session, here.dairy, list(lots))
    if len(there) != len(lots):
        raise NotHere("no such lot")
    wanted = {there[lot_id]: litres for lot_id, litres in lots.items()}
    for lot, litres in wanted.items():
        free = here.free_l(lot)
        if here.poured_l(lot) and (free <= LEAST_L or (litres or 0.0) > free + LEAST_L):
            raise NotPossible(
                f"{lot.name}: {free:.1f} L is free; the rest stands poured at the Bench.", "lot"
            )
    row = plans.plan(
        here.session,
        here.dairy,
        recipe_key,
        vat=vat,
        lots=wanted,
        begins=begins,
        now=here.now,
        house=here.house,
        given=given,
    )
    here.forget(Here.planned)
    return row


def to_the_bench(here: Here, plan_id: uuid.UUID) -> Bench:
    """A plan that takes parts of lots is begun at the Bench, filled. Raises as the Bench does."""
    each = here.plan(plan_id)
    bench = benches.bench_of(here.session, here.dairy, each.vat, here.now)
    if bench.pours and bench.recipe_key != each.recipe.key:
        raise RecordError(f"The Bench of the {each.vat.name} holds other milk: clear it first.")
    lots = worked(here, each).lots
    benches.plan_all(
        here.session,
        bench,
        {lot.id: lot for lot, _ in lots},
        {lot.id: litres for lot, litres in lots},
    )
    benches.choose_recipe(here.session, bench, each.recipe.key)
    return bench


def drop(here: Here, plan_id: uuid.UUID) -> None:
    """It is planned no more. Raises NotHere."""
    plans.drop(here.session, here.plan(plan_id).row)
    here.forget(Here.planned)
