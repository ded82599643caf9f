"""The pH meter and the thermometer: when each was last tried, and how it read."""

from __future__ import annotations

import uuid
from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from openpail.craft.errors import RecordError
from openpail.craft.make.pasteurise import CHECKED_WITHIN_DAYS, is_true
from openpail.records.base import mine
from openpail.records.dairy.models import Dairy, InstrumentCheck

_LEAST_SLOPE, _MOST_SLOPE = 50.0, 110.0
_TOLD = 12


def ph_checked(
    session: Session,
    dairy: Dairy,
    slope_pct: float,
    *,
    least_pct: float,
    now: datetime,
    person_id: uuid.UUID | None,
) -> InstrumentCheck:
    """The meter was set on two buffers: its slope, %. Raises RecordError."""
    if not _LEAST_SLOPE <= slope_pct <= _MOST_SLOPE:
        raise RecordError("A slope is between 50 and 110 %.", "slope")
    return _keep(
        session, dairy, now, person_id, kind="ph", slope_pct=slope_pct, ok=slope_pct >= least_pct
    )


def thermometer_checked(
    session: Session,
    dairy: Dairy,
    ice_c: float,
    *,
    boiling_c: float,
    altitude_m: float,
    now: datetime,
    person_id: uuid.UUID | None,
) -> InstrumentCheck:
    """The thermometer was tried in ice and in boiling water. Raises craft's OutOfRange."""
    ok = is_true(ice_c, boiling_c, altitude_m)
    return _keep(
        session,
        dairy,
        now,
        person_id,
        kind="thermometer",
        ice_c=ice_c,
        boiling_c=boiling_c,
        altitude_m=altitude_m,
        ok=ok,
    )


def _keep(
    session: Session,
    dairy: Dairy,
    now: datetime,
    person_id: uuid.UUID | None,
    *,
    kind: str,
    ok: bool,
    slope_pct: float | None = None,
    ice_c: float | None = None,
    boiling_c: float | None = None,
    altitude_m: float | None = None,
) -> InstrumentCheck:
    check = InstrumentCheck(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        kind=kind,
        at=now,
        slope_pct=slope_pct,
        ice_c=ice_c,
        boiling_c=boiling_c,
        altitude_m=altitude_m,
        is_true=ok,
        person_id=person_id,
    )
    session.add(check)
    session.flush()
    return check


def last(session: Session, dairy: Dairy, kind: str) -> InstrumentCheck | None:
    """How an instrument read when it was last tried, None when it never was."""
    query = mine(InstrumentCheck, dairy.id).where(InstrumentCheck.kind == kind)
    return session.scalars(query.order_by(InstrumentCheck.at.desc()).limit(1)).first()


def told(session: Session, dairy: Dairy) -> list[InstrumentCheck]:
    """The last checks of both, the newest first."""
    query = mine(InstrumentCheck, dairy.id).order_by(InstrumentCheck.at.desc()).limit(_TOLD)
    return list(session.scalars(query))


def thermometer_true(session: Session, dairy: Dairy, now: datetime) -> bool:
    """Whether the thermometer was tried within 30 days, and read true."""
    found = last(session, dairy, "thermometer")
    within = timedelta(days=CHECKED_WITHIN_DAYS)
    return found is not None and found.is_true and now - found.at <= within
