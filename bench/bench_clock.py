"""How long the planner takes: three makes of 40 steps, the aim is a median of 300 ms at most."""

from datetime import UTC, date, datetime, time
from zoneinfo import ZoneInfo

import pytest

from openpail.craft.clock.one import Course, Part, earliest
from openpail.craft.clock.several import place
from openpail.craft.clock.spans import HANDS, minute_of, quiet_spans

START = minute_of(datetime(2026, 5, 4, 6, 0, tzinfo=UTC))
QUIET = quiet_spans(date(2026, 5, 4), 6, time(22, 30), time(6, 30), ZoneInfo("Europe/Dublin"))


def course(vat, hands):
    """Forty steps of a quarter of an hour, every fourth of which may run longer."""
    parts = [
        Part(
            minutes=15,
            hands=hands if i % 2 else 0,
            stretch=30 if i % 4 == 0 else 0,
            holds=frozenset({vat} if i < 20 else {"press"} if i > 35 else ()),
        )
        for i in range(40)
    ]
    return Course(tuple(parts), START)


def bench_one_make_of_40_steps(benchmark):
    assert benchmark(earliest, course("pot", 4), {HANDS: QUIET})


@pytest.mark.parametrize("vats", [("pot", "kettle", "vat"), ("pot", "pot", "kettle")], ids=str)
def bench_three_makes_of_40_steps(benchmark, vats):
    courses = [course(vat, 4) for vat in vats]
    found = benchmark(place, courses, {HANDS: QUIET}, 5)
    assert found and found.looked_at_all
