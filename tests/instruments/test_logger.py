"""The cave logger's reader against its stand-in over real TCP, in every mood it has."""

import socket
import threading
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.instruments import wire
from openpail.instruments.kept import stamp
from openpail.instruments.logger.reader import channels, parse, since
from openpail.instruments.logger.stand_in import LoggerMood, LoggerStandIn
from openpail.instruments.wire import NoReading

NOW = datetime(2026, 5, 4, 9, 30, tzinfo=UTC)
DAY = timedelta(days=1)


@pytest.fixture
def logger():
    """A stand-in on a free port; its mood may be set."""
    with LoggerStandIn(0, LoggerMood(now=lambda: NOW)) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        server.address = f"127.0.0.1:{server.server_address[1]}"
        yield server
        server.shutdown()


def test_a_day_of_a_place_is_read_whole_and_the_same_again(logger):
    assert set(channels(logger.address)) == {"cave", "cool", "fridge", "warm"}
    log = since(logger.address, "cave", NOW - DAY)
    assert (len(log.values), log.broken, log.tries) == (144, 0, 1)
    assert all(10 < each.celsius < 15 and 70 < each.humidity <= 100 for each in log.values)
    assert [b.at - a.at for a, b in zip(log.values, log.values[1:], strict=False)] == [
        timedelta(minutes=10)
    ] * 143
    assert since(logger.address, "cave", NOW - DAY).values == log.values
    fridge = since(logger.address, "fridge", NOW - DAY)
    assert all(each.humidity is None for each in fridge.values)
    assert since(logger.address, "cave", log.values[-1].at).values == ()


def test_a_stretch_that_it_forgot_is_a_gap_and_no_fault(logger):
    logger.mood.gap = (NOW - timedelta(hours=9), NOW - timedelta(hours=3))
    log = since(logger.address, "cave", NOW - DAY)
    assert len(log.values) == 144 - 36 and log.broken == 0


@pytest.mark.parametrize(
    ("fault", "kept", "broken", "tries"),
    [
        ("checksum", 96, 48, 1),
        ("impossible", 143, 1, 1),
        ("hang-up", 144, 0, 2),
        ("count", 144, 0, 2),
    ],
)
def test_broken_lines_are_left_out_and_a_broken_answer_is_asked_once_more(
    logger, fault, kept, broken, tries
):
    logger.mood.faults = [fault]
    log = since(logger.address, "cave", NOW - DAY)
    assert (len(log.values), log.broken, log.tries) == (kept, broken, tries)


def test_no_answer_a_strange_channel_and_no_logger_are_told_in_words(logger):
    logger.mood.faults = ["silent"]
    with pytest.raises(NoReading, match="did not answer in time"):
        since(logger.address, "cave", NOW - DAY, timeout_s=0.4)
    with pytest.raises(NoReading, match="no channel attic"):
        since(logger.address, "attic", NOW - DAY)
    with pytest.raises(NoReading, match="letters, figures"):
        since(logger.address, "the cave", NOW - DAY)
    with pytest.raises(NoReading, match="Nobody has said"):
        channels("")
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    with pytest.raises(NoReading, match="There is no logger"):
        since(f"127.0.0.1:{port}", "cave", NOW - DAY)


@given(st.text(max_size=60), st.integers(0, 59))
def test_nothing_but_a_whole_right_value_of_the_channel_is_read(text, minute):
    at = NOW.replace(minute=minute)
    good = wire.signed(f"VALUE cave {stamp(at)} c=12.4 h=86")
    value = parse(good, "cave", NOW - DAY)
    assert (value.at, value.celsius, value.humidity) == (at, 12.4, 86.0)
    for wrong in (text, good[:-1], good.replace("12.4", "12.5"), wire.signed(text)):
        with pytest.raises(wire.BadRecord):
            parse(wrong, "cave", NOW - DAY)
    for line, channel, after in ((good, "warm", NOW - DAY), (good, "cave", at)):
        with pytest.raises(wire.BadRecord):
            parse(line, channel, after)
