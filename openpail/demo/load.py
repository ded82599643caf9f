"""Builds the demo farm in its own database, and moves it to today on a later start."""

from __future__ import annotations

import secrets
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from math import cos, pi, sin
from zoneinfo import ZoneInfo

from sqlalchemy import create_engine, make_url, select, text
from sqlalchemy.orm import Session

from openpail.craft.cave.deeds import Again, Mark, Tasted
from openpail.craft.make.deeds import (
    Deed,
    Felt,
    FirstFlocks,
    Moulded,
    ReadingTaken,
    StepDone,
    Told,
    Weighed,
)
from openpail.craft.make.signs import asked_at, wanted
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.recipe.recipe import RecipeStep
from openpail.craft.units import parse_amount
from openpail.demo.cave import live_through, read_rooms
from openpail.demo.farm import (
    AT_PRESS,
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
    WEIGHTS,
    ZONE,
    PastMake,
    Waiting,
)
from openpail.demo.moved import fold_anew, shift
from openpail.demo.press import begun, fill_tubs
from openpail.formats import recipe_file
from openpail.records.bench import actions as benches
from openpail.records.dairy import actions as dairies
from openpail.records.dairy import gear as gears
from openpail.records.dairy.models import Dairy, Vat
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.actions import NewMilk
from openpail.records.milk.models import MilkLot
from openpail.records.people import actions as people
from openpail.records.pieces import actions as pieces
from openpail.records.pieces.models import Piece
from openpail.records.recipes import actions as recipes
from openpail.records.session import sessions
from openpail.records.stock import actions as stock
from openpail.work import plan as plans
from openpail.work import sheet as sheets
from openpail.work import tasting
from openpail.work.here import Here
from openpail.work.log import tell
from openpail.work.made import day_of, given_to, recipe_of

DATABASES = ("openpail_demo", "openpail_shots")
FOUNDED_BEFORE = timedelta(days=60)
_UNDER_WAY_MIN = 121
_COLD_C = 6.0
_LATELY = timedelta(hours=12)
_WHY = "looked at and smelled: sweet, and wanted today"


def drop(url: str) -> None:
    """Throw the demo's database away (never any other; the caller checked the name)."""
    target = make_url(url)
    engine = create_engine(target.set(database="postgres"), isolation_level="AUTOCOMMIT")
    with engine.connect() as connection:
        connection.execute(text(f'drop database if exists "{target.database}" with (force)'))
    engine.dispose()


@dataclass(frozen=True, slots=True)
class Devices:
    """Where the stand-ins of the demo's instruments answer, host:port; "" for none."""

    analyser: str = ""
    logger: str = ""
    probe: str = ""
    scale: str = ""


def ready(url: str, now: datetime, devices: Devices | None = None) -> str:
    """Load the farm when it is not there, else move it by whole days; what was done, in words."""
    words = _ready(url, now)
    with sessions(url).begin() as session:
        dairy = session.scalars(select(Dairy)).one()
        at = devices or Devices()
        dairies.set_analyser(session, dairy, at.analyser)
        dairies.set_logger(session, dairy, at.logger)
        dairies.set_scale(session, dairy, at.scale)
        for make in makes.under_way(session, dairy):
            if make.station == "vat":
                dairies.set_probe(session, dairies.vat(session, dairy, make.vat_id), at.probe)
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
        fold_anew(session, dairy, now, days)
        return f"the demo farm is moved {days} days on, to today (--fresh begins anew)"


def load(session: Session, now: datetime) -> Dairy:
    """Build the farm: people, vats, bottles, recipes, the past, the shelf, the make under way."""
    founded = now - FOUNDED_BEFORE
    dairy = dairies.found(session, NAME, ZONE, founded)
    for login in ("maker", "helper", "reader"):
        people.add_person(
            session,
            dairy,
            login,
            login,
            secrets.token_urlsafe(16),
            login,
            founded + timedelta(seconds=len(login)),
        )
    for name, brim, diameter in VATS:
        vat = dairies.add_vat(session, dairy, name, brim, diameter)
        if name in HEATERS:
            gears.set_heater(session, vat, *HEATERS[name])
    for gear in GEAR:
        gears.add_gear(session, dairy, gear)
    for thing in WEIGHTS:
        gears.add_weight(session, dairy, thing)
    fill_tubs(session, dairy, founded)
    for room, channel, _, _ in ROOMS:
        gears.set_room(session, dairy, room, channel)
    library = [(r, d, recipe_file.checksum(d)) for r, d in recipe_file.library()]
    recipes.keep_library(session, dairy, library, founded)
    _bottles(session, dairy, founded)
    _herds(session, dairy, founded, now)
    vats = {vat.name: vat for vat in dairies.vats(session, dairy)}
    read_rooms(session, dairy, founded, now)
    for past in PAST:
        _past(session, dairy, past, vats[past.vat], now)
    _at_press(session, dairy, vats, now)
    _under_way(session, dairy, vats["water-bath kettle"], now)
    shelf = {waiting.name: _lot(session, dairy, waiting, now) for waiting in WAITING}
    _planned(session, dairy, _lot(session, dairy, FROZEN, now, in_freezer=True), vats, now)
    bench = benches.bench_of(session, dairy, vats["jacketed vat"], now)
    benches.choose_recipe(session, bench, "steading-wheel")
    for name, litres in POURED:
        benches.set_pour(session, bench, shelf[name], litres)
    _tasted(session, dairy, now - timedelta(days=1))
    return dairy


def _planned(
    session: Session, dairy: Dairy, lot: MilkLot, vats: dict[str, Vat], now: datetime
) -> None:
    """A make to come, of the milk in the freezer: its thawing is due today."""
    recipe, vat, moulds, days, hour = PLANNED
    day = now.astimezone(ZoneInfo(ZONE)).replace(hour=0, minute=0, second=0, microsecond=0)
    begins = day + timedelta(days=days, hours=hour)
    here = Here(session, dairy, now)
    keys = {name: key for key, name in here.names.items()}
    given = here.outfit(vats[vat], "", tuple(keys[each] for each in moulds))
    plans.plan(here, recipe, vats[vat], {lot.id: None}, begins, given)


def _at_press(session: Session, dairy: Dairy, vats: dict[str, Vat], now: datetime) -> None:
    """A cheese in the lever press since last night, one in the brine since this morning."""
    for recipe, waiting, vat, press, hours in AT_PRESS[::-1]:
        began = now - timedelta(hours=hours)
        lot = _lot(session, dairy, waiting, began)
        make = _start(session, dairy, recipe, vats[vat], lot, began, _WHY)
        _play(session, dairy, make, now, 1.0, press)


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
            opened,
            day + timedelta(days=each.best_days),
            day - timedelta(days=max(80, (each.open_days or 0) + 10)),
            each.amount,
            Decimal(each.price),
            f"W-{41 + 7 * i}",
            each.place,
        )
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
        waiting.breed,
        waiting.treatment,
        parse_amount(f"{waiting.litres} L", "volume"),
        now - timedelta(hours=waiting.hours_old),
        waiting.celsius,
        holding=waiting.holding,
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
    why: str = "",
) -> Make:
    here = Here(session, dairy, now)
    asked = sheets.ask(here, lots=(lot.id,), recipe_key=recipe_key, vat_id=vat.id)
    return sheets.start(here, asked, why)


def _play(
    session: Session,
    dairy: Dairy,
    make: Make,
    until: datetime,
    flocks_share: float | None,
    press: str = "",
) -> datetime:
    """Tell the make's steps and readings as they would have come, up to a moment.

    Returns: when its last step ends.
    """
    steps = day_of(Here(session, dairy, make.started_at), make).steps
    lag = timedelta(0)
    told: list[tuple[datetime, Deed]] = []
    for step in steps:
        what = step.planned.step
        if "flocks" in what.asks and flocks_share is not None:
            lag += timedelta(minutes=step.planned.minutes * (flocks_share - 1))
        begins, ends = step.begins + lag, step.ends + lag
        if begins <= until:
            told += begun(session, dairy, make, what, begins, press)
        if ends > until:
            break
        if what.celsius and "temperature" in what.asks:
            for share, celsius in _read(what.kind, what.celsius.target):
                at = begins + (ends - begins) * share
                told.append((at, ReadingTaken(round(celsius, 1))))
        if what.ph and "ph" in what.asks:
            told.append((ends, ReadingTaken(ph=what.ph.target)))
        for ladder in asked_at(recipe_of(make), what):
            aim = wanted(recipe_of(make), what, ladder.of)
            if aim and what.kind in ("cut", "stir"):
                told.append((ends, Felt(what.key, ladder.of, aim)))
        seen = flocks_share is not None and not press
        told.append((ends, _ended(session, dairy, make, what, seen)))
    _tell(session, dairy, make, told)
    return steps[-1].ends + lag


def _ended(session: Session, dairy: Dairy, make: Make, step: RecipeStep, seen: bool) -> Deed:
    """What ends a step; seen, whether somebody saw the flocks."""
    if "flocks" in step.asks and seen:
        return FirstFlocks()
    given = given_to(Here(session, dairy, make.started_at), make).moulds
    if step.kind == "mould" and given:
        return Moulded(step.key, len(given), given[0], word="as the sheet has it")
    return StepDone(step.key)


def _tell(
    session: Session, dairy: Dairy, make: Make, told: Sequence[tuple[datetime, Deed]]
) -> None:
    """What is long over is told at once; what was told in the last hours, deed by deed."""
    batch = [
        Told(str(uuid.uuid4()), deed, at, counter=number) for number, (at, deed) in enumerate(told)
    ]
    one_by_one = len(batch) if make.started_at > dairy.created_at + FOUNDED_BEFORE - _LATELY else 1
    size = max(1, -(-len(batch) // one_by_one))
    for part in (batch[number : number + size] for number in range(0, len(batch), size)):
        here = Here(session, dairy, max(each.at for each in part))
        for answer in tell(here, make.id, part):
            assert answer.outcome == "kept", answer


def _read(kind: str, target: float) -> tuple[tuple[float, float], ...]:
    """When in a step its temperature is read (a share of its time), and what was read."""
    if kind == "warm":  # milk from the cold, as steadily as the stove can
        return tuple((s, _COLD_C + (target - _COLD_C) * s + 0.2) for s in (0.3, 0.65, 0.99))
    if kind == "heat":
        return ((0.3, target - 4), (0.65, target - 1.4), (0.98, target + 0.2))
    return ((0.3, target), (0.65, target), (0.98, target))


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
    make = _start(session, dairy, past.recipe, vat, lot, day, _WHY)
    ends = _play(session, dairy, make, now, past.flocks_share) + timedelta(hours=1)
    mass = round(make.expected_kg * past.yielded / past.pieces, 2)
    _tell(session, dairy, make, [(ends, Weighed((mass,) * past.pieces))])
    live_through(session, dairy, pieces.of_make(session, make), ends, now)


# How pieces of past makes ate, by the make's number: who says which taste, faults, whether again,
# and a word. Nothing is tasted before it is ripe.
_ATE: dict[int, tuple[tuple[str, Mark, tuple[str, ...], Again, str], ...]] = {
    1: (("maker", "fine", (), "yes", "hay, a long finish"), ("helper", "good", (), "yes", "")),
    2: (("maker", "good", (), "yes", ""),),
    3: (("maker", "fair", ("dry",), "changed", "stir it less"), ("visitor", "good", (), "yes", "")),
    4: (("maker", "fine", (), "yes", "springs and melts"),),
    5: (
        ("maker", "poor", ("bitter",), "no", "less vinegar"),
        ("helper", "fair", (), "changed", ""),
    ),
    6: (("maker", "good", (), "yes", ""),),
}


def _tasted(session: Session, dairy: Dairy, lately: datetime) -> None:
    """The tastings of what was cut so far: on the day that it was eaten up, else lately."""
    rows = {row.label: row for row in session.scalars(select(Piece))}
    for number, words in _ATE.items():
        row = rows.get(f"{number}-1")
        if row is None:
            continue
        here = Here(session, dairy, row.ended_at or lately)
        event = uuid.uuid4()
        tasting.set_out(here, row.id, [name for name, *_ in words], event, "a taste of it, at home")
        for name, mark, faults, again, said in words:
            taste = Tasted(
                str(event), name, taste=mark, texture=mark, faults=faults, again=again, words=said
            )
            tasting.taste(here, row.id, taste, uuid.uuid4())


def _morning(now: datetime, days_ago: int) -> datetime:
    zone = ZoneInfo(ZONE)
    day = now.astimezone(zone) - timedelta(days=days_ago)
    return day.replace(hour=8, minute=20, second=0, microsecond=0).astimezone(UTC)


def _under_way(session: Session, dairy: Dairy, vat: Vat, now: datetime) -> None:
    began = now - timedelta(minutes=_UNDER_WAY_MIN)
    lot = _lot(session, dairy, UNDER_WAY, began)
    make = _start(session, dairy, "larder-block", vat, lot, began)
    _play(session, dairy, make, now, 1.04)
