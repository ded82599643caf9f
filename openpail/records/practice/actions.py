"""Dry runs are begun, done, judged, and the old ones dropped."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session, defer

from openpail.craft.errors import NotHere
from openpail.craft.make import frozen
from openpail.craft.practice import run as runs
from openpail.craft.practice.run import Run
from openpail.craft.practice.world import MISHAP_WORDS, World
from openpail.formats import recipe_file
from openpail.records.base import mine
from openpail.records.dairy.models import Dairy
from openpail.records.practice.models import DryRun

MOST_KEPT = 20


def begin(session: Session, dairy: Dairy, world: World, now: datetime, **told: Any) -> DryRun:
    """Keep a dry run that is begun; of the oldest, no more than `MOST_KEPT` stay.

    told: name, milk, starts, told, person_id; scenario, where it is done once more.
    """
    row = DryRun(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        begun_at=now,
        ended_at=None,
        frozen=frozen.to_json(world.sheet),
        litres=world.litres,
        celsius=world.celsius,
        power_kw=world.power_kw,
        mishaps=sorted(world.mishaps),
        seed=world.seed,
        vigour=world.vigour,
        run=runs.to_json(runs.begun(world)),
        faults=None,
        **{"scenario": uuid.uuid4(), **told},
    )
    session.add(row)
    session.flush()
    kept = (
        select(DryRun.id)
        .where(DryRun.dairy_id == dairy.id)
        .order_by((DryRun.id != row.id), DryRun.begun_at.desc(), DryRun.id)
        .limit(MOST_KEPT)
    )
    session.execute(delete(DryRun).where(DryRun.dairy_id == dairy.id, DryRun.id.not_in(kept)))
    return row


def dry_run(session: Session, dairy: Dairy, run_id: uuid.UUID, lock: bool = False) -> DryRun:
    """One dry run, held until the end of the transaction where it is to be changed. Raises
    NotHere."""
    query = mine(DryRun, dairy.id).where(DryRun.id == run_id)
    row = session.scalar(query.with_for_update() if lock else query)
    if row is None:
        raise NotHere("no such dry run")
    return row


def newest(session: Session, dairy: Dairy) -> list[DryRun]:
    """The dry runs that are kept, the newest first, without what they were made from."""
    query = mine(DryRun, dairy.id).options(defer(DryRun.frozen), defer(DryRun.run))
    return list(session.scalars(query.order_by(DryRun.begun_at.desc(), DryRun.id)))


def world_of(row: DryRun) -> World:
    """What a dry run happens in."""
    sheet = frozen.read(row.frozen, frozen.VERSION)
    mishaps = frozenset(each for each in MISHAP_WORDS if each in row.mishaps)
    recipe = recipe_file.read(sheet.recipe)
    return World(
        recipe=recipe,
        sheet=sheet,
        litres=row.litres,
        celsius=row.celsius,
        power_kw=row.power_kw,
        mishaps=mishaps,
        seed=row.seed,
        vigour=row.vigour,
    )


def run_of(row: DryRun) -> Run:
    """What was done of it."""
    return runs.from_json(row.run)


def keep(row: DryRun, run: Run) -> None:
    """What was done of it now."""
    row.run = dict[str, Any](runs.to_json(run))


def judged(row: DryRun, faults: int, now: datetime) -> None:
    """It is at its end."""
    row.ended_at, row.faults = now, faults


def plain(row: DryRun) -> Mapping[str, Any]:
    """What a run of the same scenario is begun with."""
    return {"scenario": row.scenario, "name": row.name, "milk": row.milk, "starts": row.starts}
