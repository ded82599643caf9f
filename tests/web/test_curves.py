"""A make drawn over its time: nothing out of its frame, silence cut out, dots where hands read."""

import re
from datetime import timedelta
from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from openpail.records.log import samples
from openpail.records.log.samples import Sampled
from openpail.web.ui.curves import HEIGHT, WIDTH, CurvePoint, curves, overlaid
from tests.conftest import NOW

minutes = st.floats(-30, 700)
points = st.lists(
    st.builds(
        lambda at, celsius, ph: CurvePoint(NOW + timedelta(minutes=at), celsius, ph),
        minutes,
        st.none() | st.floats(-2, 105),
        st.none() | st.floats(3, 9),
    ),
    max_size=40,
).map(lambda found: sorted(found, key=lambda each: each.at))


@given(points, points, st.floats(1, 600))
def test_all_that_is_drawn_lies_in_its_frame_and_silence_is_cut_out(line, read, long):
    until = NOW + timedelta(minutes=long)
    drawn = curves(line, read, (), since=NOW, until=until)
    inside = [each for each in (*line, *read) if NOW <= each.at <= until]
    if drawn is None:
        assert not inside
        return
    numbers = [float(n) for path in (*drawn.warm, *drawn.sour) for n in re.findall(r"[\d.]+", path)]
    assert all(0 <= x <= WIDTH for x in numbers[::2])
    assert all(0 <= y <= HEIGHT for y in numbers[1::2])
    assert all(0 <= x <= WIDTH and 0 <= y <= HEIGHT for x, y, _ in drawn.dots)
    heard = [each.at for each in line if NOW <= each.at <= until]
    silent = [b - a for a, b in pairwise(heard) if b - a > timedelta(minutes=10)]
    assert len(drawn.gaps) == len(silent)
    by_hand = [each for each in read if NOW <= each.at <= until and each.ph is not None]
    assert sum(is_ph for *_, is_ph in drawn.dots) >= len(by_hand)
    if drawn.celsius:
        assert drawn.celsius[0] < drawn.celsius[1]


def test_the_vats_page_draws_its_stream_with_the_gap_and_the_ph(client, post, farm):
    here = farm()
    make = next(each for each in here.under_way if each.station == "vat")
    stood = (NOW - make.started_at) / timedelta(minutes=1)
    told = [
        Sampled(make.started_at + timedelta(minutes=m), 20 + m / 10, 6.6)
        for m in range(int(stood))
        if not 40 < m < 70
    ]
    samples.take(here.session, make, samples.PROBE, told)
    here.session.commit()
    page = client.get(f"/vat/{make.id}").text
    figure = page.split('<figure class="curves">')[1].split("</figure>")[0]
    assert figure.count('class="warm-line"') == 2 and figure.count('class="gap"') == 1
    assert "sour-line" in figure and "pH as a broken one; hatched: nothing heard" in figure
    assert re.search(r'aria-label="The probe[^"]*warmth between [^"]*; pH between', figure)
    other = next(each for each in farm().under_way if each.id != make.id)
    assert 'class="curves"' not in client.get(f"/vat/{other.id}").text


lines_of = st.lists(
    st.lists(st.tuples(st.floats(0, 900), st.floats(-2, 105)), max_size=12).map(sorted),
    min_size=1,
    max_size=4,
)


@given(lines_of)
def test_makes_over_each_other_share_one_scale_and_keep_their_order(makes):
    drawn = overlaid(makes)
    every = [point for line in makes for point in line]
    if drawn is None:
        assert not every
        return
    low, high = drawn.celsius
    assert low <= min(c for _, c in every) and max(c for _, c in every) <= high
    assert len(drawn.lines) == len(drawn.ends) == len(makes)
    for line, path, end in zip(makes, drawn.lines, drawn.ends, strict=True):
        assert bool(path) == bool(line) == (end is not None)
        numbers = [float(n) for n in re.findall(r"[\d.]+", path)]
        across, down = numbers[::2], numbers[1::2]
        assert across == sorted(across) and len(across) == len(line)
        assert all(0 <= x <= WIDTH for x in across) and all(0 <= y <= HEIGHT for y in down)
        warmest = max(line, key=lambda each: each[1], default=None)
        if warmest:
            assert down[line.index(warmest)] == min(down)
