"""What happens to a make: it starts, its deeds are folded, it goes to rest; what it teaches."""

from __future__ import annotations

import uuid
from collections import OrderedDict
from collections.abc import Collection, Sequence
from contextlib import suppress
from datetime import datetime, timedelta
from functools import cache
from typing import Any

from sqlalchemy import Select, Uuid, bindparam, delete, func, or_, select, true
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, defer, undefer

from openpail.craft.bench.vat import check_room
from openpail.craft.clock.heat import Warming
from openpail.craft.errors import NotHere, NotPossible, RecordError
from openpail.craft.house import House
from openpail.craft.make import frozen
from openpail.craft.make import standing as kept
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.may_start import check_start
from openpail.craft.make.standing import Standing
from openpail.craft.make.taught import MakeTaught
from openpail.craft.milk.kinds import Breed
from openpail.craft.stock.learning import FlocksSeen
from openpail.records.base import Json, among, mine
from openpail.records.bench.models import Bench
from openpail.records.dairy.actions import next_number
from openpail.records.dairy.models import Dairy, Vat
from openpail.records.log.models import DeedRow, Sample
from openpail.records.log.samples import PROBE
from openpail.records.makes import lessons
from openpail.records.makes.models import (
    AcidLesson,
    FlocksLesson,
    Make,
    MakeMilk,
    OvershootLesson,
    WarmingLesson,
)
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.actions import Draw
from openpail.records.milk.cream import keep_cream
from openpail.records.milk.models import Heating, MilkLot
from openpail.records.recipes.models import RecipeVersion
from openpail.records.stock.models import Bottle

_LAST_WARMINGS = 12
_LAST_FLOCKS = 40
_AHEAD = timedelta(minutes=2)


def any_yet(session: Session, dairy: Dairy) -> bool:
    """Whether any make was ever begun here."""
    return session.scalar(select(Make.id).where(Make.dairy_id == dairy.id).limit(1)) is not None


def start(
    session: Session,
    dairy: Dairy,
    version: RecipeVersion,
    *,
    vat: Vat,
    draws: Sequence[Draw],
    sheet: Frozen,
    house: House,
    now: datetime,
    note: str = "",
    person_id: uuid.UUID | None = None,
    bench: Bench | None = None,
) -> Make:
    """Start a make with these draws of milk; cream skimmed off becomes a lot of its own.

    bench: the one that this milk was poured on; what is poured on another is not to be had.
    Raises: craft's NotPossible for a stop, a vat too small or a lot that holds less; RecordError
    when the vat is in use.
    """
    check_start(sheet, note)
    _check_milk(session, dairy, draws, house, now)
    litres = sum(draw.litres - draw.cream_l for draw in draws)
    check_room(litres, vat.brim_l, vat.name, house)
    session.refresh(vat, with_for_update=True)
    _check_vat(session, dairy, vat, bench)
    make = Make(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        number=next_number(session, dairy, "make"),
        name=sheet.recipe["recipe"]["name"],
        recipe_version_id=version.id,
        vat_id=vat.id,
        started_at=now,
        frozen=frozen.to_json(sheet),
        frozen_version=frozen.VERSION,
        expected_kg=sheet.cheese.value,
        milk_kg=sheet.milk.mass.value,
        standing=kept.to_json(kept.NOTHING_DONE),
        note=note,
        person_id=person_id,
    )
    session.add(make)
    session.flush()
    for draw in draws:
        poured = draw.mass_kg - draw.cream_kg
        part = MakeMilk(
            dairy_id=dairy.id,
            id=uuid.uuid4(),
            make_id=make.id,
            lot_id=draw.lot.id,
            mass_kg=poured,
            volume_l=draw.litres - draw.cream_l,
        )
        session.add(part)
        milk.use_up(session, draw.lot, poured, bench)
        if draw.cream_kg:
            keep_cream(
                session,
                dairy,
                draw.lot,
                mass_kg=draw.cream_kg,
                litres=draw.cream_l,
                now=now,
                made_of=draw.cream_of,
                bench=bench,
            )
    if bench:
        bench.state = "used"
    session.flush()
    return make


def newest_of_milk(session: Session, dairy: Dairy, lots: Sequence[uuid.UUID]) -> Make | None:
    """The newest make that all these lots went into."""
    of_each = [
        select(MakeMilk.make_id).where(MakeMilk.dairy_id == dairy.id, MakeMilk.lot_id == lot)
        for lot in lots
    ]
    found = mine(Make, dairy.id).where(*(Make.id.in_(each) for each in of_each))
    return session.scalars(found.order_by(Make.started_at.desc()).limit(1)).first()


def _check_milk(
    session: Session, dairy: Dairy, draws: Sequence[Draw], house: House, now: datetime
) -> None:
    """Milk on withdrawal or with a residue goes into no vat, whatever its sheet says."""
    at = slips.known(session, dairy, now, house)
    for draw in draws:
        for reason in slips.fitness_of(draw.lot, at).reasons:
            if reason.hard and reason.verdict == "not for cheese":
                raise NotPossible(f"{draw.lot.name}: not for cheese. {reason.words}", "stop")


def holds_vat(make: Make) -> bool:
    """Whether milk, curd or whey of a make under way stands in its vat: at the press no more, but
    where the cheese goes back into its hot whey."""
    if make.station == "vat":
        return True
    done = (make.standing or {}).get("done", {})
    steps = sheet_of(make).recipe["recipe"]["steps"]
    return any(step["kind"] == "cook in whey" and step["key"] not in done for step in steps)


def _check_vat(session: Session, dairy: Dairy, vat: Vat, bench: Bench | None) -> None:
    query = mine(Make, dairy.id).where(Make.vat_id == vat.id, Make.state == "under way")
    if any(holds_vat(make) for make in session.scalars(query)):
        raise RecordError(f"{vat.name} is in use for a make under way.", "vat")
    heating = session.scalar(
        mine(Heating, dairy.id).where(Heating.vat_id == vat.id, Heating.ended_at.is_(None))
    )
    if heating:
        raise RecordError(f"Milk is being pasteurised in the {vat.name}: close it first.", "vat")
    poured = session.scalar(
        mine(Bench, dairy.id).where(Bench.vat_id == vat.id, Bench.state == "poured")
    )
    if poured and (bench is None or poured.id != bench.id):
        raise RecordError(
            f"Milk was poured into the {vat.name} at the Bench: start from there, or clear it.",
            "vat",
        )
    if bench:
        session.refresh(bench, ["state"], with_for_update=True)
        if bench.state not in ("planned", "poured"):
            raise RecordError("This bench is cleared: its milk went into a make, or back.", "vat")


_SHEETS: OrderedDict[uuid.UUID, Frozen] = OrderedDict()
_MOST_SHEETS = 128


def sheet_of(make: Make) -> Frozen:
    """The sheet of a make as it was when it began, of whatever version.

    It never changes: the last ones that were asked for are kept read for as long as the process
    lives, and what is kept so is not fetched again.
    """
    found = _SHEETS.get(make.id)
    if found is None:
        return _keep_read(make.id, make.frozen, make.frozen_version)
    with suppress(KeyError):  # another thread may have let it go just now
        _SHEETS.move_to_end(make.id)
    return found


def _keep_read(make_id: uuid.UUID, document: Json, version: int) -> Frozen:
    found = _SHEETS[make_id] = frozen.read(document, version)
    if len(_SHEETS) > _MOST_SHEETS:
        _SHEETS.popitem(last=False)
    return found


def standing_of(make: Make) -> Standing | None:
    """What its deeds come to, as it was kept; None when they are to be folded anew."""
    if make.standing is None or kept.lacks_its_first_culture(make.standing):
        return None
    return kept.from_json(make.standing)


def keep_standing(
    session: Session, make: Make, standing: Standing, last: uuid.UUID | None, *, at_press: bool
) -> None:
    """Keep what its deeds come to, with the last of them; a weighed make goes to rest.

    at_press: whether it stands at Press & salt, and not at the vat. What it left on itself is
    worked out anew when somebody looks.
    """
    make.standing, make.folded, make.marks = kept.to_json(kept.drawn(standing)), last, None
    make.station = "press" if at_press else "vat"
    if standing.ended:
        make.state = "ended"
    elif make.state != "ended":
        make.state = "resting" if standing.weighed else "under way"
    session.flush()


def milk_goes_back(session: Session, dairy: Dairy, make: Make) -> None:
    """What went into a make that was begun by mistake is in its pails again, cream and all."""
    for part in milk_of(session, make):
        lot = milk.lot(session, dairy, part.lot_id)
        milk.give_back(session, lot, part.mass_kg, make.started_at)
        session.delete(part)
    session.flush()


def keep_lessons(session: Session, make: Make, taught: MakeTaught) -> None:
    """What a make teaches now, in place of what it taught before its deeds changed."""
    flocks, acid = taught.flocks, taught.acid
    for table in (FlocksLesson, WarmingLesson, OvershootLesson, AcidLesson):
        session.execute(
            delete(table).where(table.dairy_id == make.dairy_id, table.make_id == make.id)
        )
    soured = taught.soured[0] if taught.soured else None
    lessons.keep_shares(session, make, make.id, {"yield": taught.yielded, "vigour": soured})
    of = {"dairy_id": make.dairy_id, "make_id": make.id}
    if flocks and session.get(Bottle, (make.dairy_id, uuid.UUID(flocks.bottle))):
        lesson = FlocksLesson(
            id=uuid.uuid4(),
            **of,
            bottle_id=uuid.UUID(flocks.bottle),
            animals=flocks.animals,
            observed_min=flocks.observed_min,
            expected_min=flocks.expected_min,
            at=flocks.at,
        )
        session.add(lesson)
    rows = [
        {
            "id": uuid.uuid4(),
            **of,
            "step": step,
            "vat_id": make.vat_id,
            "mass_kg": each.mass_kg,
            "from_c": each.from_c,
            "to_c": each.to_c,
            "minutes": each.minutes,
            "at": each.at,
        }
        for step, each in taught.warmings.items()
    ]
    if rows:
        session.execute(insert(WarmingLesson), rows)
    session.add_all(
        OvershootLesson(id=uuid.uuid4(), **of, vat_id=make.vat_id, over_c=each.over_c, at=each.at)
        for each in taught.overshoots
    )
    if acid:
        session.add(
            AcidLesson(
                id=uuid.uuid4(),
                **of,
                acid=acid.acid,
                animals=acid.animals,
                used=acid.used,
                expected=acid.expected,
                at=acid.at,
            )
        )
    session.flush()


def overshoots(session: Session, dairy: Dairy, vat_id: uuid.UUID) -> list[float]:
    """What a vat went on by after its last heat-offs, °C, the newest first."""
    query = (
        mine(OvershootLesson, dairy.id)
        .with_only_columns(OvershootLesson.over_c)
        .where(OvershootLesson.vat_id == vat_id)
        .order_by(OvershootLesson.at.desc(), OvershootLesson.id)
        .limit(_LAST_WARMINGS)
    )
    return list(session.scalars(query))


def acid_shares(session: Session, dairy: Dairy, acid: str, animals: Breed) -> list[float]:
    """What the last makes wanted of an acid, used against expected, in milk of these animals."""
    query = (
        mine(AcidLesson, dairy.id)
        .with_only_columns(AcidLesson.used / AcidLesson.expected)
        .where(AcidLesson.acid == acid, AcidLesson.animals == animals)
        .order_by(AcidLesson.at.desc(), AcidLesson.id)
        .limit(_LAST_FLOCKS)
    )
    return list(session.scalars(query))


_DAIRY = bindparam("dairy_id", type_=Uuid())


@cache  # putting a question together takes longer than asking it
def _last_flocks() -> Select[Any]:
    """The last flocks of each bottle in use, the oldest first."""
    last = (
        select(FlocksLesson)
        .where(FlocksLesson.dairy_id == Bottle.dairy_id, FlocksLesson.bottle_id == Bottle.id)
        .order_by(FlocksLesson.at.desc())
        .limit(_LAST_FLOCKS)
        .lateral()
    )
    return (
        select(last.c.animals, last.c.bottle_id, last.c.observed_min, last.c.expected_min)
        .select_from(Bottle)
        .join(last, true())
        .where(Bottle.dairy_id == _DAIRY, Bottle.kind == "rennet", Bottle.ended_at.is_(None))
        .order_by(last.c.at, last.c.id)
    )


@cache  # putting a question together takes longer than asking it
def _last_warmings() -> Select[Any]:
    """The vats, the smallest first, each with its last warmings, the newest first."""
    last = (
        select(WarmingLesson)
        .where(WarmingLesson.dairy_id == Vat.dairy_id, WarmingLesson.vat_id == Vat.id)
        .order_by(WarmingLesson.at.desc())
        .limit(_LAST_WARMINGS)
        .lateral()
    )
    return (
        select(Vat, last.c.mass_kg, last.c.from_c, last.c.to_c, last.c.minutes)
        .outerjoin(last, true())
        .where(Vat.dairy_id == _DAIRY)
        .order_by(Vat.brim_l, Vat.name, last.c.at.desc())
    )


def flocks_seen(session: Session, dairy: Dairy) -> list[FlocksSeen]:
    """The flocks that teach of the bottles in use, the oldest first."""
    rows = session.execute(_last_flocks(), {"dairy_id": dairy.id})
    return [
        FlocksSeen(herd=animals, bottle=str(bottle), observed_min=seen, expected_min=expected)
        for animals, bottle, seen, expected in rows
    ]


def vats_and_warmings(
    session: Session, dairy: Dairy
) -> tuple[list[Vat], dict[uuid.UUID, list[Warming]]]:
    """The vats, the smallest first; and what the last warmings showed of each, the newest first."""
    vats: dict[uuid.UUID, Vat] = {}
    found: dict[uuid.UUID, list[Warming]] = {}
    for vat, mass, low, high, minutes in session.execute(_last_warmings(), {"dairy_id": dairy.id}):
        vats[vat.id] = vat
        if mass is not None:
            found.setdefault(vat.id, []).append(
                Warming(mass_kg=mass, from_c=low, to_c=high, minutes=minutes)
            )
    return list(vats.values()), found


def make(session: Session, dairy: Dairy, make_id: uuid.UUID, *, to_change: bool = False) -> Make:
    """One make, to look at or, locked, to change. Raises NotHere."""
    found = session.get(
        Make,
        (dairy.id, make_id),
        options=[] if make_id in _SHEETS else [undefer(Make.frozen)],
        with_for_update=to_change,
        populate_existing=to_change,
    )
    if not found:
        raise NotHere("no such make")
    return found


def under_way(session: Session, dairy: Dairy) -> list[Make]:
    """Makes under way, the newest first; the sheets that are not read yet come with them."""
    query = mine(Make, dairy.id).where(Make.state == "under way").order_by(Make.started_at.desc())
    found = list(session.scalars(query))
    unread = [make.id for make in found if make.id not in _SHEETS]
    if unread:
        sheets = select(Make.id, Make.frozen, Make.frozen_version)
        sheets = sheets.where(Make.dairy_id == dairy.id, Make.id.in_(unread))
        for make_id, document, version in session.execute(sheets):
            _keep_read(make_id, document, version)
    return found


def with_sheets(session: Session, dairy: Dairy, ids: Collection[uuid.UUID]) -> list[Make]:
    """Some makes with their sheets, read at once."""
    query = mine(Make, dairy.id).options(undefer(Make.frozen)).where(among(Make.id, ids))
    return list(session.scalars(query))


def last_like(session: Session, make: Make, count: int) -> list[Make]:
    """The last makes of the same cheese before this one, the newest first, with their sheets."""
    query = (
        mine(Make, make.dairy_id)
        .options(undefer(Make.frozen))
        .where(
            Make.name == make.name,
            Make.state != "under way",
            Make.started_at < make.started_at,
        )
        .order_by(Make.started_at.desc())
        .limit(count)
    )
    return list(session.scalars(query))


def deeds_told(
    session: Session, dairy: Dairy, make_id: uuid.UUID
) -> list[tuple[uuid.UUID, int, str, datetime | None]]:
    """This make and all under way, each with how many deeds it has, its state, and when its probe
    spoke last.

    Raises: NotHere.
    """
    told = (
        select(func.count())
        .where(DeedRow.dairy_id == Make.dairy_id, DeedRow.subject_id == Make.id)
        .correlate(Make)
        .scalar_subquery()
    )
    shown = (
        select(func.max(Sample.at))
        .where(Sample.dairy_id == Make.dairy_id, Sample.make_id == Make.id, Sample.probe == PROBE)
        .correlate(Make)
        .scalar_subquery()
    )
    query = (
        select(Make.id, told, Make.state, shown)
        .where(Make.dairy_id == dairy.id, or_(Make.state == "under way", Make.id == make_id))
        .order_by(Make.id)
    )
    found = [tuple(row) for row in session.execute(query)]
    if make_id not in {row[0] for row in found}:
        raise NotHere("no such make")
    return found


def all_makes(session: Session, dairy: Dairy, limit: int = 200, skip: int = 0) -> list[Make]:
    """The last makes without what they froze and stand at, the newest first."""
    query = mine(Make, dairy.id).order_by(Make.started_at.desc()).offset(skip).limit(limit)
    return list(session.scalars(query.options(defer(Make.standing))))


def milk_of(session: Session, make: Make) -> list[MakeMilk]:
    """What went into a make."""
    query = mine(MakeMilk, make.dairy_id).where(MakeMilk.make_id == make.id)
    return list(session.scalars(query))


def of_lot(session: Session, lot: MilkLot) -> list[tuple[MakeMilk, Make]]:
    """The makes that a lot went into, and how much of it."""
    query = (
        select(MakeMilk, Make)
        .join(Make, (Make.dairy_id == MakeMilk.dairy_id) & (Make.id == MakeMilk.make_id))
        .where(MakeMilk.dairy_id == lot.dairy_id, MakeMilk.lot_id == lot.id)
        .order_by(Make.number)
    )
    return [(part, make) for part, make in session.execute(query)]
