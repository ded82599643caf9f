"""Streams of probes: every value is kept, and five minutes of them are rolled up for drawing."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime, timedelta

from sqlalchemy import case, func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from openpail.craft.errors import OutOfRange
from openpail.craft.make.checks import COLDEST_C, HOTTEST_C
from openpail.records.errors import RecordError
from openpail.records.log.models import Sample, SampleSpan
from openpail.records.makes.models import Make

SPAN = timedelta(minutes=5)
MOST_AT_ONCE = 20_000


def take(session: Session, make: Make, probe: str, values: Sequence[tuple[datetime, float]]) -> int:
    """Keep a stretch of a probe's stream; what was kept before is harmless.

    Parameters: values, moments with their °C (−2 to 105). Returns: how many were new.
    Raises: OutOfRange for a value no vat shows, RecordError for too many at once.
    """
    if len(values) > MOST_AT_ONCE:
        raise RecordError(f"At most {MOST_AT_ONCE} values at a time.")
    for _, celsius in values:
        if not COLDEST_C <= celsius <= HOTTEST_C:
            raise OutOfRange("No vat is that cold or that hot. Look again.", "celsius")
    of = {"dairy_id": make.dairy_id, "make_id": make.id, "probe": probe}
    rows = [{**of, "at": at, "celsius": celsius} for at, celsius in values]
    if not rows:
        return 0
    statement = insert(Sample).on_conflict_do_nothing().returning(Sample.at, Sample.celsius)
    new = [(at, celsius) for at, celsius in session.execute(statement, rows)]
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
                "last_at": func.greatest(SampleSpan.last_at, roll.excluded.last_at),
            },
        )
        session.execute(roll, [{**of, **span} for span in spans])
    return len(new)


def _spans(values: Sequence[tuple[datetime, float]]) -> list[dict[str, object]]:
    """The values rolled up, five minutes at a time."""
    found: dict[datetime, list[tuple[datetime, float]]] = {}
    for at, celsius in sorted(values):
        second = int(at.timestamp()) // int(SPAN.total_seconds()) * int(SPAN.total_seconds())
        found.setdefault(datetime.fromtimestamp(second, UTC), []).append((at, celsius))
    return [
        {
            "begins": begins,
            "count": len(those),
            "low_c": min(celsius for _, celsius in those),
            "high_c": max(celsius for _, celsius in those),
            "last_c": those[-1][1],
            "last_at": those[-1][0],
        }
        for begins, those in found.items()
    ]


def drawn(session: Session, make: Make, since: datetime) -> list[tuple[datetime, float]]:
    """The stream of a make from a moment on, a value for each five minutes, by time."""
    query = (
        select(SampleSpan.last_at, SampleSpan.last_c)
        .where(
            SampleSpan.dairy_id == make.dairy_id,
            SampleSpan.make_id == make.id,
            SampleSpan.last_at >= since,
        )
        .order_by(SampleSpan.last_at)
    )
    return [(at, celsius) for at, celsius in session.execute(query)]
