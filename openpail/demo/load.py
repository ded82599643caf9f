"""Builds the demo farm in its own database, and moves it to today on a later start."""

from __future__ import annotations

import secrets
import uuid
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from math import cos, pi, sin
from zoneinfo import ZoneInfo

from sqlalchemy import Date, DateTime, create_engine, make_url, select, text, update
from sqlalchemy.orm import Session

from openpail.craft.adapt import adapt
from openpail.craft.blend import pour
from openpail.craft.gear import NO_OUTFIT, Outfit
from openpail.craft.job import Job
from openpail.craft.learning import NOTHING_LEARNT
from openpail.craft.milk import MilkTest
from openpail.craft.plan import StepState, fold, forwards
from openpail.craft.recipe import Recipe
from openpail.craft.safety import for_sheet
from openpail.craft.units import parse_amount
from openpail.demo.farm import (
    FEEDINGS,
    FILLS,
    FROZEN,
    GEAR,
    HEATERS,
    HERDS,
    JARS,
    MONTHS,
    NAME,
    PAST,
    PLANNED,
    POURED,
    ROOMS,
    STOCK,
    UNDER_WAY,
    VATS,
    WAITING,
    ZONE,
    PastMake,
    Waiting,
)
from openpail.formats import recipe_file
from openpail.records.bench import actions as benches
from openpail.records.dairy import actions as dairies
from openpail.records.dairy import gear as gears
from openpail.records.dairy.models import Dairy, Vat
from openpail.records.makes import actions as makes
from openpail.records.makes.actions import Report
from openpail.records.makes.freeze import freeze
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.actions import NewMilk
from openpail.records.milk.models import MilkLot
from openpail.records.people import actions as people
from openpail.records.pieces import actions as pieces
from openpail.records.plans import actions as plans
from openpail.records.recipes import actions as recipes
from openpail.records.schema import METADATA
from openpail.records.session import sessions
from openpail.records.stock import actions as stock

DATABASES = ("openpail_demo", "openpail_shots")
FOUNDED_BEFORE = timedelta(days=60)
_UNDER_WAY_MIN = 118
_COLD_C = 6.0


def drop(url: str) -> None:
    """Throw the demo's database away (never any other; the caller checked the name)."""
    target = make_url(url)
    engine = create_engine(target.set(database="postgres"), isolation_level="AUTOCOMMIT")
    with engine.connect() as connection:
        connection.execute(text(f'drop database if exists "{target.database}" with (force)'))
    engine.dispose()


def ready(url: str, now: datetime, analyser: str = "") -> str:
    """Load the farm when it is not there, else move it by whole days; what was done, in words."""
    words = _ready(url, now)
    with sessions(url).begin() as session:
        dairy = session.scalars(select(Dairy)).one()
        dairies.set_analyser(session, dairy, analyser)
    return words


def _ready(url: str, now: datetime) -> str:
    with sessions(url).begin() as session:
        dairy = session.scalar(select(Dairy))
        if dairy is None:
            load(session, now)
            return "the demo farm is loaded"
        days = (now - (dairy.created_at + FOUNDED_BEFORE)).days
        if days <= 0:
            return "the demo farm is as it was left (--fresh begins anew)"
        shift(session, days)
        return f"the demo farm is moved {days} days on, to today (--fresh begins anew)"


def shift(session: Session, days: int) -> None:
    """Move every moment and date of every table by whole days."""
    for table in METADATA.sorted_tables:
        values = {
            column.name: column
            + (timedelta(days=days) if isinstance(column.type, DateTime) else days)
            for column in table.columns
            if isinstance(column.type, DateTime | Date)
        }
        if values:
            session.execute(update(table).values(values))


def load(session: Session, now: datetime) -> Dairy:
    """Build the farm: people, vats, bottles, recipes, the past, the shelf, the make under way."""
    founded = now - FOUNDED_BEFORE
    dairy = dairies.found(session, NAME, ZONE, founded)
    for login in ("maker", "helper", "reader"):
        people.add_person(
            session, dairy, login, login, secrets.token_urlsafe(16), login,
            founded + timedelta(seconds=len(login)),
        )  # fmt: skip
    for name, brim, diameter in VATS:
        vat = dairies.add_vat(session, dairy, name, brim, diameter)
        if name in HEATERS:
            gears.set_heater(session, vat, *HEATERS[name])
    for gear in GEAR:
        gears.add_gear(session, dairy, gear)
    for name, holds in ROOMS:
        gears.set_room(session, dairy, name, holds)
    library = [(r, d, recipe_file.checksum(d)) for r, d in recipe_file.library()]
    recipes.keep_library(session, dairy, library, founded)
    _bottles(session, dairy, founded)
    _herds(session, dairy, founded, now)
    vats = {vat.name: vat for vat in dairies.vats(session, dairy)}
    for past in PAST:
        _past(session, dairy, past, vats[past.vat], now)
    _care(session, dairy, now)
    _under_way(session, dairy, vats["water-bath kettle"], now)
    shelf = {waiting.name: _lot(session, dairy, waiting, now) for waiting in WAITING}
    _planned(session, dairy, _lot(session, dairy, FROZEN, now, in_freezer=True), vats, now)
    bench = benches.bench_of(session, dairy, vats["jacketed vat"], now)
    benches.choose_recipe(session, bench, "steading-wheel")
    for name, litres in POURED:
        benches.set_pour(session, bench, shelf[name], litres)
    return dairy


def _planned(
    session: Session, dairy: Dairy, lot: MilkLot, vats: dict[str, Vat], now: datetime
) -> None:
    """A make to come, of the milk in the freezer: its thawing is due today."""
    recipe, vat, moulds, days, hour = PLANNED
    day = now.astimezone(ZoneInfo(ZONE)).replace(hour=0, minute=0, second=0, microsecond=0)
    begins = day + timedelta(days=days, hours=hour)
    given = Outfit(vat, "", moulds)
    plans.plan(session, dairy, recipe, vats[vat], {lot: None}, begins, now, given)


def _herds(session: Session, dairy: Dairy, founded: datetime, now: datetime) -> None:
    """The herds, and a slip of each for every month in milk: fat is high in winter, low in June."""
    for name, breed, head, in_milk, fat, protein, swing in HERDS:
        herd = slips.add_herd(session, dairy, name, breed, founded, head)
        for back in range(MONTHS, 0, -1):
            day = now - timedelta(days=30.4 * back)
            if day.month in in_milk:
                season = cos(2 * pi * (day.month - 12) / 12)
                wobble = 0.06 * sin(2.4 * back + len(name))
                slip = MilkTest(
                    round(fat + swing * season + wobble, 2),
                    round(protein + 0.4 * swing * season - 0.5 * wobble, 2),
                    "true",
                )
                slips.add_herd_test(session, herd, slip, day)
    for name, litres in JARS:
        dairies.add_measure(session, dairy, name, litres)
    kettle = next(vat for vat in dairies.vats(session, dairy) if "kettle" in vat.name)
    dairies.measure_fills(session, kettle, FILLS)


def _bottles(session: Session, dairy: Dairy, founded: datetime) -> None:
    """The stock, the newest of each kind last, as it was bought; makes take it down from there."""
    for i, each in enumerate(STOCK):
        day = founded.date()
        opened = None if each.open_days is None else day - timedelta(days=each.open_days)
        bought = stock.Bought(
            opened, day + timedelta(days=each.best_days),
            day - timedelta(days=max(80, (each.open_days or 0) + 10)), each.amount,
            Decimal(each.price), f"W-{41 + 7 * i}", each.place,
        )  # fmt: skip
        at = founded + timedelta(minutes=i)
        lot = stock.add_bottle(session, dairy, each.product, at, bought)
        for days_ago, hours, smell, ph in FEEDINGS if each.product.form == "jar" else ():
            fed_at = founded + FOUNDED_BEFORE - timedelta(days=days_ago, hours=2)
            stock.feed(session, lot, fed_at, hours, smell, ph)


def _lot(
    session: Session, dairy: Dairy, waiting: Waiting, now: datetime, *, in_freezer: bool = False
) -> MilkLot:
    test = None
    herds = {herd.breed: herd for herd in slips.herds(session, dairy)}
    if waiting.fat:
        test = MilkTest(waiting.fat, waiting.protein, "true", None, waiting.ph)
    taken = NewMilk(
        waiting.name,
        waiting.breed,  # type: ignore[arg-type]
        waiting.treatment,  # type: ignore[arg-type]
        parse_amount(f"{waiting.litres} L", "volume"),
        now - timedelta(hours=waiting.hours_old),
        waiting.celsius,
        holding=waiting.holding,  # type: ignore[arg-type]
        kind=waiting.kind,
        herd=None if waiting.price else herds.get(waiting.breed),
        bought=bool(waiting.price),
        price=Decimal(waiting.price) if waiting.price else None,
        in_freezer=in_freezer,
        wanted_on=now.date() + timedelta(days=2) if in_freezer else None,
    )
    return milk.take_in(session, dairy, taken, now, dairies.house_of(session, dairy), test)


def _start(
    session: Session,
    dairy: Dairy,
    recipe_key: str,
    vat: Vat,
    lot: MilkLot,
    now: datetime,
    given: Outfit = NO_OUTFIT,
) -> tuple[Make, Recipe]:
    house = dairies.house_of(session, dairy)
    version = recipes.newest_of(session, dairy, recipe_key)
    recipe = recipe_file.read(version.document)
    at = slips.known(session, dairy, now, house)
    blend = pour((slips.pour_of(lot, at),), house)
    shelf = stock.lots(session, dairy, now, now.date(), house)
    bottles = stock.chosen(recipe, shelf, house, {})
    bottle = bottles["rennet"].lot if "rennet" in bottles else ""
    learnt = stock.lessons(session, dairy, house).bottles.get(bottle, NOTHING_LEARNT)
    job = Job(recipe, blend, house, bottles, dairies.ways_of(dairy), None, learnt)
    fitness = [(lot.name, slips.fitness_of(lot, at), True)]
    cautions = for_sheet(recipe, blend, fitness, bottles.values(), now.date(), house)
    frozen = freeze(job, adapt(job), cautions, version.document, given)
    return makes.start(session, dairy, version, vat, [milk.all_of(lot)], frozen, house, now), recipe


def _steps(session: Session, make: Make, recipe: Recipe, now: datetime) -> tuple[StepState, ...]:
    times = make.frozen["set"]
    floc, cut = (times[key]["value"] for key in ("flocculation", "cut")) if times else (None, None)
    return fold(forwards(recipe, floc, cut), make.started_at, (), now).steps


def _play(
    session: Session,
    dairy: Dairy,
    make: Make,
    recipe: Recipe,
    until: datetime,
    flocks_share: float,
) -> None:
    """Report the make's steps and readings as they would have come, up to a moment."""
    lag = timedelta(0)
    for step in _steps(session, make, recipe, make.started_at):
        what = step.planned.step
        if "flocks" in what.asks:
            late = step.planned.minutes * (flocks_share - 1)
            lag += timedelta(minutes=late)
        ends = step.ends + lag
        if ends > until:
            break
        if what.celsius and "temperature" in what.asks:
            for share, celsius in _read(what.kind, what.celsius.target):
                at = step.begins + lag + (step.ends - step.begins) * share
                _say(session, dairy, make, "reading", {"celsius": round(celsius, 1)}, at)
        if what.ph and "ph" in what.asks:
            _say(session, dairy, make, "reading", {"ph": what.ph.target}, ends)
        if "flocks" in what.asks:
            took = step.planned.minutes * flocks_share
            seen = makes.flocks_seen(make, took, warmth_read=True)
            _say(session, dairy, make, "flocks", seen, ends)
        learnt = makes.warming_seen(session, make, ends) if what.kind == "warm" else {}
        _say(session, dairy, make, "step_done", {"step": what.key, **learnt}, ends)


def _read(kind: str, target: float) -> tuple[tuple[float, float], ...]:
    """When in a step its temperature is read (a share of its time), and what was read."""
    if kind == "warm":  # milk from the cold, as steadily as the stove can
        return tuple((s, _COLD_C + (target - _COLD_C) * s + 0.2) for s in (0.3, 0.65, 0.99))
    if kind == "heat":
        return ((0.3, target - 4), (0.65, target - 1.4), (0.98, target + 0.2))
    return ((0.3, target), (0.65, target), (0.98, target))


def _say(
    session: Session, dairy: Dairy, make: Make, kind: str, payload: dict[str, object], at: datetime
) -> None:
    makes.report(session, dairy, make, Report(uuid.uuid4(), kind, payload, at), at)


def _past(session: Session, dairy: Dairy, past: PastMake, vat: Vat, now: datetime) -> None:
    day = _morning(now, past.days_ago)
    hours = 30.0 if past.treatment == "batch" else 2.0
    waiting = Waiting(
        f"Milk of {day:%-d %b}",
        past.breed,
        past.litres,
        6.0,
        hours,
        past.fat,
        past.protein,
        past.ph,
    )
    lot = _lot(session, dairy, waiting, day)
    lot.treatment = past.treatment
    make, recipe = _start(session, dairy, past.recipe, vat, lot, day)
    ends = _steps(session, make, recipe, day)[-1].ends + timedelta(hours=1)
    _play(session, dairy, make, recipe, ends, past.flocks_share)
    mass = make.frozen["cheese"]["value"] * past.yielded / past.pieces
    masses = [round(mass, 2)] * past.pieces
    house = dairies.house_of(session, dairy)
    laid = pieces.lay_down(session, dairy, make, recipe, masses, ends.date(), house)
    _say(session, dairy, make, "weighed", {"kg": sum(masses)}, ends)
    makes.rest(session, make)
    for piece in laid:
        if piece.eat_by < now.date():
            pieces.end(session, piece, now - timedelta(days=past.days_ago - 5))


def _morning(now: datetime, days_ago: int) -> datetime:
    zone = ZoneInfo(ZONE)
    day = now.astimezone(zone) - timedelta(days=days_ago)
    return day.replace(hour=8, minute=20, second=0, microsecond=0).astimezone(UTC)


def _care(session: Session, dairy: Dairy, now: datetime) -> None:
    """Do every care that fell due before yesterday; a few stay late, as they do."""
    day: date = now.date()
    due = pieces.due_by(session, dairy, day - timedelta(days=1))
    late = {piece.id for _, piece in due[-2:]}
    for care, piece in due:
        if piece.id not in late or care.due < day - timedelta(days=2):
            at = datetime.combine(care.due, datetime.min.time(), UTC) + timedelta(hours=17)
            pieces.care_done(session, dairy, [care.id], at)


def _under_way(session: Session, dairy: Dairy, vat: Vat, now: datetime) -> None:
    began = now - timedelta(minutes=_UNDER_WAY_MIN)
    lot = _lot(session, dairy, UNDER_WAY, began)
    given = Outfit(vat.name, "two-lever press", ("wide mould 1",))
    make, recipe = _start(session, dairy, "larder-block", vat, lot, began, given)
    _play(session, dairy, make, recipe, now, 1.04)
