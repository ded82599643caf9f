"""What many makes say over time: a middle with its band, none of too few, and none that lies."""

from statistics import median

from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.table.over_time import (
    LEAST_DRAWN,
    QUARTERS,
    TimePoint,
    by_quarter,
    middle_of_lines,
    running,
    spread_of,
)

values = st.floats(-1e4, 1e4)
points = st.lists(st.builds(TimePoint, x=st.floats(0, 2000), y=values), min_size=1, max_size=60)


@given(points)
def test_a_middle_lies_in_its_band_and_both_among_the_values(those):
    line = running(those)
    assert len(line) == (len(those) if len(those) >= LEAST_DRAWN else 0)
    low, high = min(each.y for each in those), max(each.y for each in those)
    for each in line:
        assert low <= each.low <= each.middle <= each.high <= high
    assert [each.x for each in line] == sorted(each.x for each in line)
    whole = spread_of([each.y for each in those])
    assert whole.middle == median(each.y for each in those)
    assert (whole.low is None) == (len(those) < LEAST_DRAWN)


def test_a_change_in_the_year_is_seen_in_the_line_and_one_odd_make_is_not():
    steady = [TimePoint(x=day, y=100.0 if day < 20 else 90.0) for day in range(40)]
    odd = [*steady[:10], TimePoint(x=10, y=300.0), *steady[11:]]
    for those in (steady, odd):
        line = running(those)
        assert {each.middle for each in line[:14]} == {100.0}
        assert {each.middle for each in line[26:]} == {90.0}


@given(st.lists(st.tuples(values, st.integers(1, 12)), min_size=1, max_size=40))
def test_quarters_hold_each_value_once(those):
    found = by_quarter([TimePoint(x=0, y=y) for y, _ in those], [month for _, month in those])
    assert sum(each.count for each in found.values()) == len(those)
    assert set(found) <= set(QUARTERS)
    for quarter, month in ((0, 12), (0, 2), (1, 3), (2, 8), (3, 11)):
        assert set(by_quarter([TimePoint(x=0, y=1.0)], [month])) == {quarter}


def test_the_middle_of_curves_ends_where_most_have_ended():
    def curve(ends, slope):
        return [TimePoint(x=h, y=6.6 - slope * h) for h in range(ends + 1)]

    short = [curve(4, 0.2) for _ in range(8)]
    rest = [curve(20, 0.1) for _ in range(4)]
    line = middle_of_lines([*short, *rest])
    assert line[-1].x == 4.0 and line[-1].middle == 6.6 - 0.2 * 4
    assert middle_of_lines(short[:3]) == ()
    whole = middle_of_lines(rest)
    assert whole[-1].x == 20.0 and all(each.low <= each.middle <= each.high for each in whole)
