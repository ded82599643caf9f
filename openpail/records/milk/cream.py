"""Cream that was taken off a lot: a lot of its own, part of that one."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import datetime

from sqlalchemy.orm import Session

from openpail.craft.errors import RecordError
from openpail.craft.milk.slip import MOST_CREAM, cream_by_hand
from openpail.records.bench.models import Bench
from openpail.records.dairy.actions import next_number
from openpail.records.dairy.models import Dairy
from openpail.records.milk.actions import use_up
from openpail.records.milk.models import LotPart, MilkLot, MilkUse
from openpail.records.milk.slips import Known, composition_of, kg_of, left_l


def keep_cream(
    session: Session,
    dairy: Dairy,
    lot: MilkLot,
    *,
    mass_kg: float,
    litres: float,
    now: datetime,
    made_of: Mapping[str, float],
    bench: Bench | None = None,
) -> MilkLot:
    """Cream taken off a lot is a lot of its own, part of that one, which counts it as skimmed.

    made_of: what it is made of, %.

    Raises: craft's NotPossible when the lot does not hold so much.
    """
    use_up(session, lot, mass_kg, bench)
    lot.uses.append(
        MilkUse(
            dairy_id=lot.dairy_id,
            id=uuid.uuid4(),
            lot_id=lot.id,
            kind="skimmed",
            mass_kg=mass_kg,
            at=now,
        )
    )
    cream = MilkLot(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        number=next_number(session, dairy, "lot"),
        name=f"Cream off {lot.name}"[:80],
        kind="cream",
        herd_id=lot.herd_id,
        breed=lot.breed,
        treatment=lot.treatment,
        homogenised=False,
        frozen=lot.frozen,
        frozen_at=lot.frozen_at,
        freezer_c=lot.freezer_c,
        thawed_at=lot.thawed_at,
        bought=lot.bought,
        stage=lot.stage,
        container="",
        typed=f"{mass_kg:.2f} kg",
        typed_unit="kg",
        celsius=None,
        volume_l=litres,
        mass_kg=mass_kg,
        left_kg=mass_kg,
        collected_at=lot.collected_at,
        made_of=dict(made_of),
        heated_at=lot.heated_at,
        holding=lot.holding,
        created_at=now,
        tests=[],
        uses=[],
    )
    session.add(cream)
    session.flush()
    parted = LotPart(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        lot_id=cream.id,
        of_lot_id=lot.id,
        mass_kg=mass_kg,
        at=now,
    )
    session.add(parted)
    session.flush()
    return cream


def skim(
    session: Session, dairy: Dairy, lot: MilkLot, cream_l: float, *, now: datetime, known: Known
) -> MilkLot:
    """Cream is taken off a lot by hand, and is a lot of its own; what is left has the less fat.

    Raises: RecordError by field for what does not cream, or was skimmed; NotPossible for more than
    there is.
    """
    if lot.kind != "milk" or lot.homogenised:
        raise RecordError("Its cream does not rise: it is homogenised, or no milk.", "amount")
    if lot.skimmed_at is not None:
        raise RecordError("It was skimmed by hand already.", "amount")
    left = left_l(lot)
    if not 0 < cream_l < MOST_CREAM * left:
        raise RecordError(
            f"Of {left:.1f} L at most {MOST_CREAM * left:.1f} L is cream. Look again.", "amount"
        )
    made_of = cream_by_hand(composition_of(lot, known.house, known.herd_of(lot)), known.house)
    cream = keep_cream(
        session,
        dairy,
        lot,
        mass_kg=kg_of(lot, cream_l),
        litres=cream_l,
        now=now,
        made_of=made_of,
    )
    lot.skimmed_at, lot.skimmed_share = now, cream_l / left
    session.flush()
    return cream
