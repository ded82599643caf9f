"""Streams of probes: every value is kept, and five minutes of them are rolled up for drawing."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Sequence
from datetime import UTC, datetime, timedelta
from typing import NamedTuple

from sqlalchemy import case, func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from openpail.craft.errors import OutOfRange, RecordError
from openpail.craft.make.checks import COLDEST_C, HOTTEST_C
from openpail.records.dairy.models import Dairy
from openpail.records.log.models import Sample, SampleSpan
from openpail.records.makes.models import Make

SPAN = timedelta(minutes=5)
PROBE = "probe"
MOST_AT_ONCE = 20_000


class Sampled(NamedTuple):
    """One value of a stream: when, °C, and pH where the probe measures it."""

    at: datetime
    celsius: float
    ph: float | None = None


def take(session: Session, make: Make, probe: str, values: Sequence[Sampled]) -> int:
    """Keep a stretch of a probe's stream; what was kept before is harmless.

    Parameters: values, °C −2 to 105 and pH 3 to 9. Returns: how many were new.
    Raises: OutOfRange for a value no vat shows, RecordError for too many at once.
    """
    if len(values) > MOST_AT_ONCE:
        raise RecordError(f"At most {MOST_AT_ONCE} values at a time.")
    for each in values:
        if not COLDEST_C <= each.celsius <= HOTTEST_C:
            raise OutOfRange("No vat is that cold or that hot. Look again.", "celsius")
    of = {"dairy_id": make.dairy_id, "make_id": make.id, "probe": probe}
    rows = [{**of, **each._asdict()} for each in values]
    if not rows:
        return 0
    columns = (Sample.at, Sample.celsius, Sample.ph)
    statement = insert(Sample).on_conflict_do_nothing().returning(*columns)
    new = [Sampled(*row) for row in session.execute(statement, rows)]
    spans = _spans(new)
    if spans:
        roll = insert(SampleSpan)
        newer = roll.excluded.last_at > SampleSpan.last_at
        roll = roll.on_conflict_do_update(
            index_elements=["dairy_id", "make_id", "probe", "begins"],
            set_={
                "count": SampleSpan.count + roll.excluded.count,
                "low_c": func.least(SampleSpan.low_c, roll.excluded.low_c),
                "high_c": func.greatest(SampleSpan.high_c, roll.excluded.high_c),
                "last_c": case((newer, roll.excluded.last_c), else_=SampleSpan.last_c),
                "last_ph": case((newer, roll.excluded.last_ph), else_=SampleSpan.last_ph),
                "last_at": func.greatest(SampleSpan.last_at, roll.excluded.last_at),
            },
        )
        session.execute(roll, [{**of, **span} for span in spans])
    return len(new)


def _spans(values: Sequence[Sampled]) -> list[dict[str, object]]:
    """The values rolled up, five minutes at a time."""
    found: dict[datetime, list[Sampled]] = {}
    for each in sorted(values):
        second = int(each.at.timestamp()) // int(SPAN.total_seconds()) * int(SPAN.total_seconds())
        found.setdefault(datetime.fromtimestamp(second, UTC), []).append(each)
    return [
        {
            "begins": begins,
            "count": len(those),
            "low_c": min(each.celsius for each in those),
            "high_c": max(each.celsius for each in those),
            "last_c": those[-1].celsius,
            "last_ph": those[-1].ph,
            "last_at": those[-1].at,
        }
        for begins, those in found.items()
    ]


def newest(
    session: Session, dairy_id: uuid.UUID, make_id: uuid.UUID, probe: str, count: int = 1
) -> list[Sampled]:
    """The newest values of a make's stream, by time."""
    query = (
        select(Sample.at, Sample.celsius, Sample.ph)
        .where(Sample.dairy_id == dairy_id, Sample.make_id == make_id, Sample.probe == probe)
        .order_by(Sample.at.desc())
        .limit(count)
    )
    return [Sampled(*row) for row in session.execute(query)][::-1]


def drawn(session: Session, make: Make, since: datetime) -> list[Sampled]:
    """The stream of a make from a moment on, a value for each five minutes, by time."""
    query = (
        select(SampleSpan.last_at, SampleSpan.last_c, SampleSpan.last_ph)
        .where(
            SampleSpan.dairy_id == make.dairy_id,
            SampleSpan.make_id == make.id,
            SampleSpan.last_at >= since,
        )
        .order_by(SampleSpan.last_at)
    )
    return [Sampled(*row) for row in session.execute(query)]


def sour(
    session: Session, dairy: Dairy, make_ids: Collection[uuid.UUID]
) -> dict[uuid.UUID, list[Sampled]]:
    """The streams of these makes where a pH was shown, a value for each five minutes, by time."""
    found: dict[uuid.UUID, list[Sampled]] = {}
    if not make_ids:
        return found
    query = (
        select(SampleSpan.make_id, SampleSpan.last_at, SampleSpan.last_c, SampleSpan.last_ph)
        .where(
            SampleSpan.dairy_id == dairy.id,
            SampleSpan.make_id.in_(make_ids),
            SampleSpan.last_ph.is_not(None),
        )
        .order_by(SampleSpan.last_at)
    )
    for make_id, at, celsius, ph in session.execute(query):
        found.setdefault(make_id, []).append(Sampled(at, celsius, ph))
    return found
