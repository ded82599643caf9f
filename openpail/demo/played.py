"""A make of the demo farm, told as it would have come: its milk, its start, its steps."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

from sqlalchemy.orm import Session

from openpail.craft.make.deeds import (
    Deed,
    Felt,
    FirstFlocks,
    Moulded,
    ReadingTaken,
    StepDone,
    Told,
)
from openpail.craft.make.signs import asked_at, wanted
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.recipe.recipe import RecipeStep
from openpail.craft.units import parse_amount
from openpail.demo.farm import ZONE, Waiting
from openpail.demo.press import begun
from openpail.records.bench import actions as benches
from openpail.records.dairy import actions as dairies
from openpail.records.dairy.models import Dairy, Vat
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.actions import NewMilk
from openpail.records.milk.models import MilkLot
from openpail.work.here import Here
from openpail.work.make.day import day_of
from openpail.work.make.log import tell
from openpail.work.make.made import given_to, recipe_of
from openpail.work.sheet import sheet as sheets
from openpail.work.sheet.sheet import WhatIf

FOUNDED_BEFORE = timedelta(days=60)
_COLD_C = 6.0
_HOT = "the ring was left on"
_LATELY = timedelta(hours=12)


def take_in(
    session: Session, dairy: Dairy, waiting: Waiting, now: datetime, *, in_freezer: bool = False
) -> MilkLot:
    """Take milk in as it stands on the shelf at a moment."""
    test = None
    herds = {herd.breed: herd for herd in slips.herds(session, dairy)}
    if waiting.fat:
        test = MilkTest(
            fat_pct=waiting.fat,
            protein_pct=waiting.protein,
            protein_kind="true",
            casein_pct=None,
            ph=waiting.ph,
        )
    taken = NewMilk(
        name=waiting.name,
        breed=waiting.breed,
        treatment=waiting.treatment,
        amount=parse_amount(f"{waiting.litres} L", "volume"),
        collected_at=now - timedelta(hours=waiting.hours_old),
        celsius=waiting.celsius,
        holding=waiting.holding,
        kind=waiting.kind,
        herd=None if waiting.price else herds.get(waiting.breed),
        bought=bool(waiting.price),
        price=Decimal(waiting.price) if waiting.price else None,
        in_freezer=in_freezer,
        freezer_c=-20.0 if in_freezer else None,
        wanted_on=now.date() + timedelta(days=2) if in_freezer else None,
    )
    return milk.take_in(
        session, dairy, taken, now=now, house=dairies.house_of(session, dairy), test=test
    )


def begin(
    session: Session,
    dairy: Dairy,
    recipe_key: str,
    *,
    vat: Vat,
    lots: Sequence[MilkLot],
    now: datetime,
    why: str = "",
    use: Mapping[str, str] | None = None,
    accepted: str = "",
) -> Make:
    """Begin a make. Parameters: use, lots of the stock by ingredient, in place of the newest;
    accepted, why its milks may stand off their ratio: it is poured at the Bench then."""
    here = Here(session, dairy, now)
    what_if = WhatIf(use=use or {})
    if accepted:
        bench = benches.bench_of(session, dairy, vat, now)
        benches.choose_recipe(session, bench, recipe_key)
        for lot in lots:
            benches.set_pour(session, bench, lot, lot.volume_l)
        real = {part.id: part.litres for part in bench.pours}
        benches.pour_really(session, bench, real, {lot.id: lot for lot in lots}, now)
        benches.accept(session, bench, accepted)
        asked = sheets.ask(here, bench_id=bench.id, what_if=what_if)
    else:
        ids = tuple(lot.id for lot in lots)
        asked = sheets.ask(here, lots=ids, recipe_key=recipe_key, vat_id=vat.id, what_if=what_if)
    return sheets.start(here, asked, why)


def play(
    session: Session,
    dairy: Dairy,
    make: Make,
    *,
    until: datetime,
    flocks_share: float | None,
    press: str = "",
    hot_c: float = 0.0,
    sour_ph: float = 0.0,
) -> datetime:
    """Tell the make's steps and readings as they would have come, up to a moment.

    Parameters: flocks_share, when the first flocks came against what was expected, None where
    nobody saw them; hot_c, by how much it was heated too far; sour_ph, by how much the pH lay off
    its mark. Returns: when its last step ends.
    """
    here = Here(session, dairy, make.started_at)
    steps, moulds = day_of(here, make).steps, given_to(here, make).moulds
    lag = timedelta(0)
    told: list[tuple[datetime, Deed]] = []
    for step in steps:
        what = step.planned.step
        if "flocks" in what.asks and flocks_share is not None:
            lag += timedelta(minutes=step.planned.minutes * (flocks_share - 1))
        begins, ends = step.begins + lag, step.ends + lag
        if begins <= until:
            told += begun(session, dairy, make, step=what, at=begins, press=press)
        if ends > until:
            break
        if what.celsius and "temperature" in what.asks:
            for share, celsius in _read(what.kind, what.celsius.target):
                at = begins + (ends - begins) * share
                over = hot_c if what.kind == "heat" and share > 0.5 else 0.0
                told.append(
                    (at, ReadingTaken(celsius=round(celsius + over, 1), note=_HOT if over else ""))
                )
        if what.ph and "ph" in what.asks:
            told.append((ends, ReadingTaken(ph=round(what.ph.target + sour_ph, 2))))
        for ladder in asked_at(recipe_of(make), what):
            aim = wanted(recipe_of(make), what, ladder.of)
            if aim and what.kind in ("cut", "stir"):
                told.append((ends, Felt(step=what.key, of=ladder.of, sign=aim)))
        seen = flocks_share is not None and not press
        told.append((ends, _ended(what, moulds, seen)))
    tell_all(session, dairy, make, told)
    return steps[-1].ends + lag


def _ended(step: RecipeStep, moulds: Sequence[str], seen: bool) -> Deed:
    """What ends a step; seen, whether somebody saw the flocks."""
    if "flocks" in step.asks and seen:
        return FirstFlocks()
    if step.kind == "mould" and moulds:
        return Moulded(
            step=step.key, count=len(moulds), mould=moulds[0], word="as the sheet has it"
        )
    return StepDone(step=step.key)


def tell_all(
    session: Session,
    dairy: Dairy,
    make: Make,
    told: Sequence[tuple[datetime, Deed]],
    later: timedelta = timedelta(0),
) -> None:
    """What is long over is told at once; what was told in the last hours, deed by deed. later: how
    long after it happened."""
    batch = [
        Told(id=str(uuid.uuid4()), deed=deed, happened=at, counter=number)
        for number, (at, deed) in enumerate(told)
    ]
    one_by_one = len(batch) if make.started_at > dairy.created_at + FOUNDED_BEFORE - _LATELY else 1
    size = max(1, -(-len(batch) // one_by_one))
    for part in (batch[number : number + size] for number in range(0, len(batch), size)):
        here = Here(session, dairy, max(each.at for each in part) + later)
        for answer in tell(here, make.id, part):
            assert answer.outcome == "kept", answer


def _read(kind: str, target: float) -> tuple[tuple[float, float], ...]:
    """When in a step its temperature is read (a share of its time), and what was read."""
    if kind == "warm":  # milk from the cold, as steadily as the stove can
        return tuple((s, _COLD_C + (target - _COLD_C) * s + 0.2) for s in (0.3, 0.65, 0.99))
    if kind == "heat":
        return ((0.3, target - 4), (0.65, target - 1.4), (0.98, target + 0.2))
    return ((0.3, target), (0.65, target), (0.98, target))


def morning(now: datetime, days_ago: int) -> datetime:
    """When milk is warmed on a day so long ago."""
    zone = ZoneInfo(ZONE)
    day = now.astimezone(zone) - timedelta(days=days_ago)
    return day.replace(hour=8, minute=20, second=0, microsecond=0).astimezone(UTC)
