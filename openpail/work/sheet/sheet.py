"""A sheet: which milk, recipe and vat; worked out; looked at on the clock; begun."""

from __future__ import annotations

import uuid
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

from openpail.craft.bench.ratio import check
from openpail.craft.bench.vat import check_room
from openpail.craft.clock.gear import Outfit, outfit
from openpail.craft.clock.lengths import InVat, steps_in, warmings
from openpail.craft.clock.one import as_it_comes, course_of, good_begins
from openpail.craft.clock.ready import Missing, Ready, missing, ready
from openpail.craft.clock.spans import Taken, between, minute_of, moment_of
from openpail.craft.doses.acid import acid_in
from openpail.craft.doses.asked import Job, rennet_lot
from openpail.craft.doses.notices import Notice, short_by
from openpail.craft.doses.rennet import School
from openpail.craft.doses.swap import Swap, may_be_asked, stand_in
from openpail.craft.errors import CraftError, NotHere, NotPossible
from openpail.craft.figure import Figure
from openpail.craft.make.frozen import freeze
from openpail.craft.milk.blend import Pour, pour
from openpail.craft.milk.kinds import Treatment
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.steps import PlannedStep
from openpail.craft.recipe.yields import ACID_HEAT, NO_RENNET_FAMILIES
from openpail.craft.sheet.adapt import adapt
from openpail.craft.sheet.cautions import Caution, for_sheet
from openpail.craft.sheet.sheet import Sheet
from openpail.craft.stock.learning import NOTHING_LEARNT, Learnt
from openpail.craft.stock.products import Product
from openpail.formats import recipe_file
from openpail.records.bench import actions as benches
from openpail.records.bench.models import Bench
from openpail.records.dairy import actions as dairies
from openpail.records.dairy.models import Vat
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk
from openpail.records.milk import keeping, slips
from openpail.records.milk.actions import Draw
from openpail.records.milk.models import MilkLot
from openpail.records.plans import actions as plans
from openpail.records.plans.actions import Planned, vat_key
from openpail.records.recipes import actions as recipes
from openpail.records.recipes.models import RecipeVersion
from openpail.records.stock import actions as stock
from openpail.records.stock.actions import Lot
from openpail.work.here import LEAST_L, Here
from openpail.work.make import marks
from openpail.work.plan import moving
from openpail.work.plan.clock import Against
from openpail.work.plan.planned import clock, cloths

_AHEAD_MIN = 36 * 60
_LEAST_WINDOW_MIN = 15  # nobody begins to the minute
_MOST_STARTS = 3
_DAY_MIN = 1440


@dataclass(frozen=True, kw_only=True)
class WhatIf:
    """What the maker tries against the plan.

    celsius and ph at renneting; treatment of all the milk; use: lots by ingredient ("" for the
    recipe's own); own: amounts by ingredient; left_out: factors; kept: the note with which it
    became the maker's own plan; as_written and moved: parts of steps, against the house way.
    """

    celsius: float | None = None
    ph: float | None = None
    treatment: Treatment | None = None
    use: Mapping[str, str] = field(default_factory=dict)
    own: Mapping[str, float] = field(default_factory=dict)
    left_out: frozenset[tuple[str, str]] = frozenset()
    kept: str = ""
    as_written: frozenset[tuple[str, str]] = frozenset()
    moved: frozenset[tuple[str, str]] = frozenset()

    @property
    def overrules(self) -> bool:
        """Whether it goes against what was worked out; another bottle alone does not."""
        tried = (self.celsius, self.ph, self.treatment)
        return any(each is not None for each in tried) or bool(self.own or self.left_out)


@dataclass(frozen=True, kw_only=True)
class Asked:
    """The choices of a sheet: lots, recipe, vat, the what-ifs, and the plan it comes from."""

    lots: tuple[MilkLot, ...]
    bench: Bench | None
    recipe_key: str
    version: RecipeVersion | None
    vat: Vat | None
    school: School
    what_if: WhatIf
    plan_id: uuid.UUID | None = None

    @property
    def ready(self) -> bool:
        """True when there is milk, a recipe and a vat."""
        return bool(self.lots and self.version and self.vat)


def ask(
    here: Here,
    *,
    lots: tuple[uuid.UUID, ...] = (),
    bench_id: uuid.UUID | None = None,
    recipe_key: str = "",
    vat_id: uuid.UUID | None = None,
    school: str = "",
    what_if: WhatIf | None = None,
    plan_id: uuid.UUID | None = None,
) -> Asked:
    """The choices of a sheet, found. Raises NotHere for ids of nothing.

    bench_id: its milk, recipe and vat; else the lots named, a vat or the largest.
    """
    bench = benches.bench(here.session, here.dairy, bench_id) if bench_id else None
    if bench:
        lots = tuple(dict.fromkeys(part.lot_id for part in bench.pours))
    there = {lot.id: lot for lot in here.waiting}
    missing = [lot_id for lot_id in lots if lot_id not in there]
    if missing:
        there |= milk.lots_by_id(here.session, here.dairy, missing)
    if any(lot_id not in there for lot_id in lots):
        raise NotHere("no such milk")
    key = recipe_key or (bench.recipe_key if bench else "")
    if bench:
        vat_id = bench.vat_id
    ways = dairies.ways_of(here.dairy)
    return Asked(
        lots=tuple(there[lot_id] for lot_id in lots),
        bench=bench,
        recipe_key=key,
        version=recipes.newest_of(here.session, here.dairy, key) if key else None,
        vat=here.vat(vat_id)
        if vat_id
        else _vat_that_suits(here, [there[lot_id] for lot_id in lots]),
        school=_school(school) or ways.rennet,
        what_if=what_if or WhatIf(),
        plan_id=plan_id,
    )


def mix_of(asked: Asked) -> list[tuple[str, float]]:
    """What of which milk stands at the Bench, L; cream that is taken off under 0."""
    names = {lot.id: lot.name for lot in asked.lots}
    return [(names[p.lot_id], p.litres) for p in asked.bench.pours] if asked.bench else []


def _vat_that_suits(here: Here, lots: Sequence[MilkLot]) -> Vat | None:
    """The smallest free vat that takes the milk, else the largest free one, else the largest."""
    litres, share = sum(here.free_l(lot) for lot in lots), here.house.number("vat.head_room")
    free = here.free_vats
    takes = [vat for vat in free if vat.brim_l * share >= litres]
    return next(iter(takes or free[::-1] or here.vats[::-1]), None)


def _school(text: str) -> School | None:
    schools: dict[str, School] = {"keep_clock": "keep_clock", "keep_dose": "keep_dose"}
    return schools.get(text)


def own_plan(here: Here, asked: Asked) -> Planned | None:
    """The plan it was asked for from, else the one of its recipe and milk; none once begun."""
    if asked.plan_id:
        return next((each for each in here.planned if each.row.id == asked.plan_id), None)
    if asked.version is None:
        return None
    ids = {lot.id for lot in asked.lots}
    for each in here.planned:
        mine = each.row.recipe_id == asked.version.recipe_id
        if mine and (ids & each.row.lots.keys() or not each.row.lots):
            return each
    return None


@dataclass(frozen=True, kw_only=True)
class SheetWorked:
    """A sheet worked out, or the words why it cannot be.

    refusal: it cannot be made so; about: the ingredient that the refusal speaks of; hold: it may
    be looked at, and not started yet; poured: where its milk, or its vat, stands filled.
    """

    recipe: Recipe
    pours: tuple[Pour, ...]
    draws: tuple[Draw, ...]
    job: Job
    stock: tuple[Lot, ...]
    sheet: Sheet | None
    cautions: tuple[Caution, ...]
    notices: tuple[Notice, ...] = ()
    refusal: str = ""
    about: str = ""
    hold: str = ""
    poured: Bench | None = None
    lacking: tuple[Missing, ...] = ()

    @property
    def stops(self) -> tuple[Caution, ...]:
        """Cautions that block the start."""
        return tuple(caution for caution in self.cautions if caution.level == "stop")

    @property
    def asks(self) -> tuple[str, ...]:
        """What must be answered in writing before it starts, beside the stops."""
        asked = self.sheet.asks if self.sheet else ()
        return asked + tuple(each.words for each in self.notices if each.grave == "stop")

    @property
    def litres(self) -> float:
        """What goes into the vat, L, without the cream taken off."""
        return sum(draw.litres - draw.cream_l for draw in self.draws)

    def stand_ins(self) -> dict[str, list[tuple[Lot, Swap]]]:
        """For each line the lots of its kind, and whether each can stand in."""
        found: dict[str, list[tuple[Lot, Swap]]] = {}
        asked_for = {each.key: each for each in self.recipe.ingredients}
        for line in self.sheet.lines if self.sheet else ():
            ingredient = asked_for.get(line.key)
            of_kind: list[tuple[Lot, Swap]] = []
            for lot in self.stock:
                if ingredient is None:
                    if lot.product.kind == line.kind:
                        of_kind.append((lot, Swap(True)))
                elif may_be_asked(ingredient, lot.product):
                    swap = stand_in(ingredient, lot.product, self.recipe, self.job.house)
                    of_kind.append((lot, swap))
            found[line.key] = of_kind
        return found


@dataclass(frozen=True, slots=True)
class Spent:
    """Milk that a sheet is asked for and that is no more, and the make it went into, if one."""

    lot: MilkLot
    make: Make | None


def spent(here: Here, asked: Asked) -> Spent | None:
    """The first lot of which nothing is left; None when there is milk of each."""
    if asked.bench:
        return None
    lot = next((each for each in asked.lots if slips.is_gone(each)), None)
    return Spent(lot, makes.newest_of_milk(here.session, here.dairy, [lot.id])) if lot else None


def already_begun(here: Here, asked: Asked) -> Make | None:
    """The make that was begun from these very choices and is under way: a start pressed twice."""
    ids = [lot.id for lot in asked.lots]
    make = makes.newest_of_milk(here.session, here.dairy, ids)
    if make is None or asked.version is None or asked.vat is None or make.state != "under way":
        return None
    same = make.recipe_version_id == asked.version.id and make.vat_id == asked.vat.id
    return make if same and (asked.bench or spent(here, asked)) else None


def work_out(here: Here, asked: Asked) -> SheetWorked:
    """Work the sheet out for these choices (which are ready). Raises NotPossible for spent milk."""
    assert asked.version
    gone = spent(here, asked)
    if gone:
        raise NotPossible(f"{gone.lot.name}: nothing is left of it.")
    recipe = recipe_file.read_version(asked.version)
    what_if, house = asked.what_if, here.house
    pours, draws = _poured(here, asked)
    pours = _as_held(here, pours)
    if what_if.treatment is not None:
        pours = tuple(replace(each, treatment=what_if.treatment) for each in pours)
    blend = pour(pours, house)
    lots = tuple(here.shelf)
    bottles = stock.chosen(recipe, lots, house, what_if.use)
    ways = replace(dairies.ways_of(here.dairy), rennet=asked.school)
    learnt = here.lessons.bottles.get(rennet_lot(recipe, bottles), NOTHING_LEARNT)
    job = Job(
        recipe=recipe,
        milk=blend,
        house=house,
        bottles=bottles,
        ways=ways,
        renneting_c=what_if.celsius,
        learnt=learnt,
        renneting_ph=what_if.ph,
        own=what_if.own,
        left_out=what_if.left_out,
        as_written=what_if.as_written,
        moved=what_if.moved,
        acid_learnt=_acid_learnt(here, recipe, bottles, pours),
        yield_learnt=here.yield_learnt(recipe.key),
        lively=here.lively,
    )
    used = [job.bottle(each) for each in recipe.ingredients]
    fitness = [(lot.name, slips.fitness_of(lot, here.known), not lot.bought) for lot in asked.lots]
    cautions = for_sheet(recipe, blend, fitness, products=used, made_on=here.today, house=house)
    poured = _poured_at(here, asked)
    hold = _hold(here, asked, recipe, pours, poured)
    try:
        sheet = adapt(job)
    except CraftError as error:
        return SheetWorked(
            recipe=recipe,
            pours=pours,
            draws=draws,
            job=job,
            stock=lots,
            sheet=None,
            cautions=cautions,
            notices=(),
            refusal=error.words,
            about=error.about,
            hold=hold,
            poured=poured,
        )
    left = {lot.product.lot: lot.row.left for lot in lots}
    lacking = missing(recipe, sheet, bottles, left)
    notices = (*_notices(here, lots, sheet), *_lacking(lacking, what_if))
    refusal = _room(here, asked, draws)
    return SheetWorked(
        recipe=recipe,
        pours=pours,
        draws=draws,
        job=job,
        stock=lots,
        sheet=sheet,
        cautions=cautions,
        notices=notices,
        refusal=refusal,
        about="",
        hold=hold,
        poured=poured,
        lacking=lacking,
    )


def _acid_learnt(
    here: Here, recipe: Recipe, bottles: Mapping[str, Product], pours: Sequence[Pour]
) -> Learnt:
    """What the makes taught of this acid in this milk, where it goes into hot milk."""
    acid = recipe.ingredient("acid")
    if acid is None or recipe.family not in NO_RENNET_FAMILIES or not pours:
        return NOTHING_LEARNT
    bottle = bottles.get(acid.key, acid.product)
    most = max(pours, key=lambda pour: pour.mass.value)
    return here.acid_learnt(acid_in(bottle, acid.acid or "acetic"), most.breed)


def _lacking(lacking: Sequence[Missing], what_if: WhatIf) -> Iterator[Notice]:
    """What the recipe asks for and the stock has none of: the sheet reckons with the recipe's."""
    for each in lacking:
        if each.left is None and what_if.use.get(each.line.key) != "":
            words = f"{each.line.name}: {each.words}. Reckoned as the recipe has it."
            yield Notice("caution", words, of_age=False)


def _notices(here: Here, lots: tuple[Lot, ...], sheet: Sheet) -> tuple[Notice, ...]:
    """What to know of the lots that this sheet uses, said before it hurts."""
    lines = {line.bottle.lot: line for line in sheet.lines if line.bottle.lot}
    found: list[Notice] = []
    for lot in lots:
        line = lines.get(lot.product.lot)
        if line is None:
            continue
        short = short_by(line.figure.value, lot.row.left, line.figure.unit, line.name)
        if short:
            found.append(Notice("stop", short, of_age=False))
        for each in stock.notices_of(lot, here.today, here.house):
            if each.of_age and each.grave == "stop":
                continue  # the sheet's own warnings say it already
            if each.of_age or not short:
                found.append(Notice("caution", f"{line.name}: {each.words}", each.of_age))
    return tuple(found)


def _poured(here: Here, asked: Asked) -> tuple[tuple[Pour, ...], tuple[Draw, ...]]:
    if asked.bench:
        there = benches.standing(
            here.session,
            here.dairy,
            asked.bench.pours,
            here.known,
            {lot.id: lot for lot in asked.lots},
        )
        return there.pours, there.draws
    draws = tuple(_all_free(here, lot) for lot in asked.lots)
    pours = tuple(
        slips.pour_of(draw.lot, here.known, draw.litres if _parted(here, draw.lot) else None)
        for draw in draws
    )
    return pours, draws


def _as_held(here: Here, pours: tuple[Pour, ...]) -> tuple[Pour, ...]:
    """The pours with the house's way after cold days, and whether makes taught how each sets."""
    rests, least = dairies.ways_of(here.dairy).rest_cold, here.house.number("rennet.learn_least")
    herds = here.lessons.herds
    return tuple(
        replace(
            each,
            rested=rests,
            herd_taught=herds.get(each.breed, NOTHING_LEARNT).makes >= least,
        )
        for each in pours
    )


def _parted(here: Here, lot: MilkLot) -> bool:
    """Whether some of a lot stands poured at the Bench, and some is free."""
    return here.poured_l(lot) > 0 and here.free_l(lot) > LEAST_L


def _all_free(here: Here, lot: MilkLot) -> Draw:
    """All of a lot that is left and not poured; all of it when all is, to be looked at only."""
    if not _parted(here, lot):
        return milk.all_of(lot)
    litres = here.free_l(lot)
    return Draw(lot=lot, litres=litres, mass_kg=slips.kg_of(lot, litres))


def _hold(
    here: Here, asked: Asked, recipe: Recipe, pours: tuple[Pour, ...], poured: Bench | None
) -> str:
    """Words why this make may not start yet, "" when it may."""
    what_if = asked.what_if
    if what_if.treatment is not None:
        return "This is a what-if. Heat the milk first, and write at Milk how it was heated."
    if what_if.overrules and not what_if.kept:
        return "This is a what-if. Keep it with a line of why, or go back to the plan; then start."
    frozen = [lot.name for lot in asked.lots if keeping.in_freezer(lot)]
    if frozen:
        return f"{frozen[0]} is in the freezer: thaw it in the fridge first."
    if asked.bench and asked.bench.state in ("used", "cleared"):
        return "This bench is cleared: its milk went into a make, or back."
    if asked.bench and asked.bench.state != "poured":
        return "This is the plan. Pour, and note at the Bench what really went in; then start."
    if poured:
        vat = here.vat(poured.vat_id)
        return f"Milk stands poured in the {vat.name} at the Bench: start from there."
    if recipe.ratio is None or (asked.bench and asked.bench.accepted):
        return ""
    if check(recipe.ratio, pours, (), here.house).ok:
        return ""
    return (
        f"{recipe.name} holds to a ratio of milks, and this vat is off it. Mend it at the "
        "Bench, or write there why it may stand."
    )


def _poured_at(here: Here, asked: Asked) -> Bench | None:
    """The bench where this vat stands filled, or all of one of these lots, for something else."""
    if asked.bench:
        return None
    for bench in here.benches:
        if bench.state == "poured" and asked.vat and bench.vat_id == asked.vat.id:
            return bench
    gone = (lot for lot in asked.lots if here.poured_l(lot) and not _parted(here, lot))
    return next((here.poured[lot.id][0][0] for lot in gone), None)


def _room(here: Here, asked: Asked, draws: tuple[Draw, ...]) -> str:
    litres = sum(draw.litres - draw.cream_l for draw in draws)
    try:
        if asked.vat:
            check_room(litres, asked.vat.brim_l, asked.vat.name, here.house)
    except CraftError as error:
        return error.words
    return ""


# ── on the clock ──


@dataclass(frozen=True, slots=True, kw_only=True)
class When:
    """A make begun now: when it goes to rest, what stands against it, its press and moulds; and
    the next good starts. warm: minutes of its warmings, where the vat says."""

    ends: datetime
    against: tuple[Against, ...]
    starts: tuple[tuple[datetime, datetime], ...]
    given: Outfit
    warm: Mapping[str, Figure]
    ready: tuple[Ready, ...] = ()


def steps_of(
    here: Here, worked: SheetWorked, vat: Vat | None
) -> tuple[tuple[PlannedStep, ...], Mapping[str, Figure]]:
    """The steps of a sheet with their lengths in this vat, and the minutes of its warmings."""
    mass, house = worked.job.milk.mass, here.house
    litres = sum(draw.litres for draw in worked.draws)
    celsius = sum(slips.celsius_of(draw.lot, house) * draw.litres for draw in worked.draws)
    power = here.power(vat) if vat else None
    warm = warmings(worked.recipe, InVat(mass, celsius / litres, power))
    return steps_in(worked.recipe, worked.sheet, warm), warm


def when(here: Here, worked: SheetWorked, vat: Vat, plan: Planned | None) -> When:
    """Look at the clock of a sheet, beside quiet hours and all other makes than its own plan."""
    planned, warm = steps_of(here, worked, vat)
    begin = minute_of(here.now)
    there = clock(here, int(planned[-1].end_min // _DAY_MIN) + 4, without=plan)
    given, lacks = _given(here, worked, planned, vat=vat, plan=plan, taken=there.by_others())
    course = course_of(planned, begin, given, there.until)
    straight = as_it_comes(course, begin)
    last = begin + min(_AHEAD_MIN, _lasts_min(here, worked))
    starts = [
        (moment_of(a), moment_of(min(b, last)))
        for a, b in good_begins(course, there.taken())[0]
        if min(b, last) - a >= _LEAST_WINDOW_MIN
    ]
    return When(
        ends=moment_of(straight.ends),
        against=(*lacks, *there.against(planned, straight)),
        starts=tuple(starts[:_MOST_STARTS]),
        given=given,
        warm=warm,
        ready=_ready(here, worked, given),
    )


def _lasts_min(here: Here, worked: SheetWorked) -> int:
    """For how many minutes more its milk may go into this cheese by its age."""
    boiled = worked.recipe.family in ACID_HEAT
    fits = [slips.fitness_of(draw.lot, here.known) for draw in worked.draws]
    hours = [each.boils_h if boiled else each.lasts_h for each in fits]
    return round(60 * min((each for each in hours if each is not None), default=_AHEAD_MIN))


def _ready(here: Here, worked: SheetWorked, given: Outfit) -> tuple[Ready, ...]:
    """What this make wants set out."""
    if worked.sheet is None:
        return ()
    frozen = {
        str(draw.lot.id): draw.lot.name for draw in worked.draws if keeping.in_freezer(draw.lot)
    }
    return ready(
        worked.recipe,
        worked.sheet,
        worked.litres,
        given=given,
        lacking=worked.lacking,
        frozen=frozen,
        house=here.house,
        cloths=cloths(here),
    )


def _given(
    here: Here,
    worked: SheetWorked,
    planned: tuple[PlannedStep, ...],
    *,
    vat: Vat,
    plan: Planned | None,
    taken: Taken,
) -> tuple[Outfit, tuple[Against, ...]]:
    """The press and moulds of its plan, else such as are free; what the dairy lacks."""
    if plan and plan.vat.id == vat.id:
        return plan.given(here.gear), ()
    begin = minute_of(here.now)
    near = between(taken, begin, begin + round(planned[-1].end_min))
    cheese = worked.sheet.cheese.value if worked.sheet else 0.0
    try:
        return outfit(
            planned, cheese, vat_key(vat.id), gear=here.gear, taken=near, names=here.names
        ), ()
    except NotPossible as lacks:
        return here.outfit(vat), (Against(at=here.now, lacks=lacks.words),)


# ── begun ──


def start(here: Here, asked: Asked, why: str = "") -> Make:
    """Start the make: its sheet is frozen, its milk leaves the shelf, plans in its way move on.

    Parameters: asked, ready; why, the maker's words where a stop or a question wants an answer.
    Raises: NotPossible for what the sheet refuses or holds, a stop, a vat too small, milk that is
    gone; RecordError for a vat in use.
    """
    assert asked.version and asked.vat
    worked = work_out(here, asked)
    if worked.refusal or worked.hold or worked.sheet is None:
        raise NotPossible(worked.refusal or worked.hold)
    if asked.what_if.kept and asked.what_if.overrules:
        why = " · ".join(each for each in (f"Overruled: {asked.what_if.kept}", why) if each)
    plan = own_plan(here, asked)
    at = when(here, worked, asked.vat, plan)
    sheet = freeze(
        worked.job,
        worked.sheet,
        worked.cautions,
        document=asked.version.document,
        given=at.given,
        warm=at.warm,
        asks=worked.asks,
    )
    make = makes.start(
        here.session,
        here.dairy,
        asked.version,
        vat=asked.vat,
        draws=worked.draws,
        sheet=sheet,
        house=here.house,
        now=here.now,
        note=why.strip(),
        person_id=here.person_id,
        bench=asked.bench,
    )
    marks.keep(here, [make])
    if plan:
        plans.begun(here.session, plan.row, make)
    here.forget()
    moving.out_of_the_way(here)
    return make
