"""Builds the demo farm in its own database, and moves it to today on a later start."""

from __future__ import annotations

import secrets
import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta
from decimal import Decimal
from math import cos, pi, sin
from zoneinfo import ZoneInfo

from sqlalchemy import create_engine, make_url, select, text
from sqlalchemy.orm import Session

from openpail.craft.cave.deeds import Again, Mark, Tasted
from openpail.craft.make.deeds import (
    Weighed,
)
from openpail.craft.milk.kinds import MilkTest
from openpail.demo.cave import live_through, read_rooms
from openpail.demo.farm import (
    AT_NIGHT,
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
from openpail.demo.played import FOUNDED_BEFORE, begin, morning, play, take_in, tell_all
from openpail.demo.press import fill_tubs
from openpail.demo.year import FIRST_DAY, live_the_year, tried_out
from openpail.formats import recipe_file
from openpail.records.bench import actions as benches
from openpail.records.dairy import actions as dairies
from openpail.records.dairy import gear as gears
from openpail.records.dairy.models import Dairy, Vat
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.milk import slips
from openpail.records.milk.models import MilkLot
from openpail.records.people import actions as people
from openpail.records.pieces import actions as pieces
from openpail.records.pieces.models import Piece
from openpail.records.recipes import actions as recipes
from openpail.records.session import sessions
from openpail.records.stock import actions as stock
from openpail.work.here import Here
from openpail.work.make.made import recipe_of
from openpail.work.plan import planned as plans
from openpail.work.table import tasting

OF_DEMO, OF_PICTURES = "openpail_demo", "openpail_shots"
DATABASES = (OF_DEMO, OF_PICTURES)
_UNDER_WAY_MIN = 121
_UP, _TO_BED, _IN_THE_EVENING = time(6, 30), time(22, 30), time(18, 30)
_WHY = "looked at and smelled: sweet, and wanted today"


def drop(url: str) -> None:
    """Throw the demo's database away (never any other; the caller checked the name)."""
    target = make_url(url)
    engine = create_engine(target.set(database="postgres"), isolation_level="AUTOCOMMIT")
    with engine.connect() as connection:
        connection.execute(text(f'drop database if exists "{target.database}" with (force)'))
    engine.dispose()


@dataclass(frozen=True, slots=True, kw_only=True)
class Devices:
    """Where the stand-ins of the demo's instruments answer, host:port; "" for none."""

    analyser: str = ""
    logger: str = ""
    probe: str = ""
    scale: str = ""


def ready(
    url: str, now: datetime, devices: Devices | None = None, *, with_year: bool = True
) -> str:
    """Load the farm when it is not there, else move it by whole days; what was done, in words."""
    words = _ready(url, now, with_year=with_year)
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


def _ready(url: str, now: datetime, *, with_year: bool) -> str:
    with sessions(url).begin() as session:
        dairy = session.scalar(select(Dairy))
        if dairy is None:
            load(session, now, with_year=with_year)
            return "the demo farm is loaded"
        days = (now - (dairy.created_at + FOUNDED_BEFORE)).days
        if days <= 0:
            return "the demo farm is as it was left (--fresh begins anew)"
        shift(session, days)
        fold_anew(session, dairy, now, days)
        return f"the demo farm is moved {days} days on, to today (--fresh begins anew)"


def load(session: Session, now: datetime, *, with_year: bool = False) -> Dairy:
    """Build the farm: people, vats, bottles, recipes, the past, the shelf, the make under way.

    with_year: the whole year before the last two months as well, some seventy makes of it.
    """
    founded = now - FOUNDED_BEFORE
    dairy = dairies.found(session, NAME, ZONE, founded)
    dairies.set_calendar_key(session, dairy, secrets.token_urlsafe(16))
    for login in ("maker", "helper", "reader"):
        people.add_person(
            session,
            dairy,
            login,
            name=login,
            password=secrets.token_urlsafe(16),
            role=login,
            now=founded + timedelta(seconds=len(login)),
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
    if with_year:
        read_rooms(session, dairy, now - timedelta(days=FIRST_DAY + 1), founded, every_h=6)
        live_the_year(session, dairy, vats, now)
    made = [_past(session, dairy, past, vats[past.vat], now) for past in PAST]
    if with_year:
        tried_out(session, dairy, [make for make in made if make.name == "Larder Block"], now)
    _at_press(session, dairy, vats, now)
    under_way(session, dairy, vats, now)
    shelf = {waiting.name: take_in(session, dairy, waiting, now) for waiting in WAITING}
    _planned(session, dairy, take_in(session, dairy, FROZEN, now, in_freezer=True), vats, now)
    bench = benches.bench_of(session, dairy, vats["jacketed vat"], now)
    benches.choose_recipe(session, bench, "steading-wheel")
    for name, litres in POURED:
        benches.set_pour(session, bench, shelf[name], litres)
    _tasted(session, dairy, made, now - timedelta(days=1))
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
    plans.plan(here, recipe, vats[vat], lots={lot.id: None}, begins=begins, given=given)


def _at_press(session: Session, dairy: Dairy, vats: dict[str, Vat], now: datetime) -> None:
    """A cheese in the lever press since last night, one in the brine since this morning."""
    for recipe, waiting, vat, press, hours in AT_PRESS[::-1]:
        began = now - timedelta(hours=hours)
        lot = take_in(session, dairy, waiting, began)
        make = begin(session, dairy, recipe, vat=vats[vat], lots=[lot], now=began, why=_WHY)
        play(session, dairy, make, until=now, flocks_share=1.0, press=press)


def _herds(session: Session, dairy: Dairy, founded: datetime, now: datetime) -> None:
    """The herds, and a slip of each for every month in milk: fat is high in winter, low in June."""
    for name, breed, head, in_milk, fat, protein, swing in HERDS:
        herd = slips.add_herd(session, dairy, name, breed=breed, now=founded, head=head)
        for back in range(MONTHS, 0, -1):
            day = now - timedelta(days=30.4 * back)
            if day.month in in_milk:
                season = cos(2 * pi * (day.month - 12) / 12)
                wobble = 0.06 * sin(2.4 * back + len(name))
                slip = MilkTest(
                    fat_pct=round(fat + swing * season + wobble, 2),
                    protein_pct=round(protein + 0.4 * swing * season - 0.5 * wobble, 2),
                    protein_kind="true",
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
            opened_on=opened,
            best_before=day + timedelta(days=each.best_days),
            bought_on=day - timedelta(days=max(80, (each.open_days or 0) + 10)),
            amount=each.amount,
            price=Decimal(each.price),
            supplier_lot=f"W-{41 + 7 * i}",
            place=each.place,
        )
        at = founded + timedelta(minutes=i)
        lot = stock.add_bottle(session, dairy, each.product, now=at, bought=bought)
        for days_ago, hours, smell, ph in FEEDINGS if each.product.form == "jar" else ():
            fed_at = founded + FOUNDED_BEFORE - timedelta(days=days_ago, hours=2)
            stock.feed(session, lot, fed_at, set_hours=hours, smell=smell, ph=ph)


def _past(session: Session, dairy: Dairy, past: PastMake, vat: Vat, now: datetime) -> Make:
    day = morning(now, past.days_ago)
    hours = 30.0 if past.treatment == "batch" else 2.0
    waiting = Waiting(
        name=f"Milk of {day:%-d %b}",
        breed=past.breed,
        litres=past.litres,
        celsius=6.0,
        hours_old=hours,
        fat=past.fat,
        protein=past.protein,
        ph=past.ph,
    )
    lot = take_in(session, dairy, waiting, day)
    lot.treatment = past.treatment
    make = begin(session, dairy, past.recipe, vat=vat, lots=[lot], now=day, why=_WHY)
    ends = play(session, dairy, make, until=now, flocks_share=past.flocks_share) + timedelta(
        hours=1
    )
    mass = round(make.expected_kg * past.yielded / past.pieces, 2)
    tell_all(session, dairy, make, [(ends, Weighed((mass,) * past.pieces))])
    live_through(session, dairy, pieces.of_make(session, make), laid=ends, now=now)
    return make


# How pieces of past makes ate, by which of them: who says which taste, faults, whether again,
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


def _tasted(session: Session, dairy: Dairy, made: Sequence[Make], lately: datetime) -> None:
    """The tastings of what was cut so far: on the day that it was eaten up, else lately."""
    rows = {row.label: row for row in session.scalars(select(Piece))}
    for number, words in _ATE.items():
        row = rows.get(f"{made[number - 1].number}-1")
        if row is None:
            continue
        here = Here(session, dairy, row.ended_at or lately)
        event = uuid.uuid4()
        tasting.set_out(here, row.id, [name for name, *_ in words], event, "a taste of it, at home")
        for name, mark, faults, again, said in words:
            taste = Tasted(
                tasting=str(event),
                taster=name,
                taste=mark,
                texture=mark,
                faults=faults,
                again=again,
                words=said,
            )
            tasting.taste(here, row.id, taste, uuid.uuid4())


def under_way(session: Session, dairy: Dairy, vats: Mapping[str, Vat], now: datetime) -> None:
    """A make half-way, whatever the hour: by day one that is worked on; from bedtime on, until one
    could be so far again, one that sours by itself since the evening."""
    began = now - timedelta(minutes=_UNDER_WAY_MIN)
    local, up = now.astimezone(ZoneInfo(ZONE)), began.astimezone(ZoneInfo(ZONE))
    by_day = up.date() == local.date() and up.time() >= _UP and local.time() < _TO_BED
    if not by_day:
        evening = datetime.combine(local.date(), _IN_THE_EVENING, local.tzinfo)
        began = (evening if evening < local else evening - timedelta(days=1)).astimezone(UTC)
    recipe, waiting, vat, _ = UNDER_WAY if by_day else AT_NIGHT
    lot = take_in(session, dairy, waiting, began)
    make = begin(session, dairy, recipe, vat=vats[vat], lots=[lot], now=began)
    play(session, dairy, make, until=now, flocks_share=1.04 if by_day else None)


def milk_in_the_vat(url: str) -> str:
    """How the milk of the make under way stands, as the stand-in of a probe is told of it."""
    with sessions(url)() as session:
        dairy = session.scalars(select(Dairy)).one()
        made = {recipe_of(make).key for make in makes.under_way(session, dairy)}
    return (AT_NIGHT if AT_NIGHT[0] in made and UNDER_WAY[0] not in made else UNDER_WAY)[-1]
