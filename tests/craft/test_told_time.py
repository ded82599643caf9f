"""A moment is told as people tell it, and meant on the make's own line."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.dates import told_time
from openpail.craft.errors import OutOfRange
from openpail.craft.units import so_long, so_much

DUBLIN = ZoneInfo("Europe/Dublin")
SATURDAY = datetime(2026, 5, 9, 10, 30, tzinfo=UTC)  # 11:30 at the dairy
MONDAY = datetime(2026, 5, 4, 6, 10, tzinfo=UTC)


def told(text, near=None):
    return f"{told_time(text, DUBLIN, SATURDAY, near).astimezone(DUBLIN):%a %d %b %H:%M}"


@pytest.mark.parametrize(
    ("text", "means"),
    [
        ("06:40", "Sat 09 May 06:40"),
        ("6.40", "Sat 09 May 06:40"),
        ("11:31", "Sat 09 May 11:31"),
        ("23:10", "Fri 08 May 23:10"),
        ("Mon 06:40", "Mon 04 May 06:40"),
        ("monday 6:40", "Mon 04 May 06:40"),
        ("Sat 06:40", "Sat 09 May 06:40"),
        ("Sat 20:00", "Sat 02 May 20:00"),
        ("yesterday 23:10", "Fri 08 May 23:10"),
        ("today 7:20", "Sat 09 May 07:20"),
        ("3 Dec 7:20", "Wed 03 Dec 07:20"),
        ("May 4, 07:20", "Mon 04 May 07:20"),
        ("2026-05-01 07:20", "Fri 01 May 07:20"),
    ],
)
def test_a_time_is_the_last_one_that_was(text, means):
    assert told(text) == means


@pytest.mark.parametrize(
    ("text", "means"),
    [
        ("06:40", "Mon 04 May 06:40"),
        ("23:50", "Sun 03 May 23:50"),
        ("Tue 06:40", "Tue 05 May 06:40"),
    ],
)
def test_a_mended_time_stays_by_what_was_told_before(text, means):
    assert told(text, MONDAY) == means


@pytest.mark.parametrize(
    "text", ["25:00", "06:71", "soon", "today 23:50", "31 Feb 07:00", "x 06:40"]
)
def test_what_is_no_time_or_was_none_is_told(text):
    with pytest.raises(OutOfRange, match="06:40, or with its day|has not happened yet"):
        told(text)


@given(st.integers(0, 6 * 24 * 60), st.integers(0, 7 * 24 * 60))
def test_a_day_and_time_within_the_week_come_back_as_they_were(back, near):
    at = (SATURDAY - timedelta(minutes=back)).replace(second=0)
    text = f"{at.astimezone(DUBLIN):%a %H:%M}"
    assert told_time(text, DUBLIN, SATURDAY) == at
    before = SATURDAY - timedelta(minutes=near)
    found = told_time(f"{at.astimezone(DUBLIN):%H:%M}", DUBLIN, SATURDAY, before)
    assert found <= SATURDAY + timedelta(minutes=2)
    assert abs(found - before) <= timedelta(days=1, minutes=1)


def test_lengths_and_amounts_are_told_as_people_say_them():
    assert [so_long(each) for each in (12, 130, 1500, 4319, 4320, 15_497)] == [
        *("12 min", "2 h 10", "25 h", "71 h 59", "3 days", "11 days"),
    ]
    assert [so_much(each, "mL") for each in (0.401, 33.64, 134.2)] == [
        "0.40 mL",
        "33.6 mL",
        "134 mL",
    ]
