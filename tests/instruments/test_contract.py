"""One contract for every instrument, its real reader against its stand-in over real TCP: what is
right is read, what is not is told in words that help, and nothing waits for ever."""

import socket
import subprocess
import sys
import threading
import time
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.cli.demo import STAND_INS, module_of
from openpail.craft.make.simulated import SimulatedVat, filled, sown
from openpail.demo.farm import AT_NIGHT, UNDER_WAY
from openpail.instruments import wire
from openpail.instruments.analyser import reader as analyser
from openpail.instruments.analyser.stand_in import Mood, StandIn
from openpail.instruments.logger import reader as logger
from openpail.instruments.logger.stand_in import LoggerMood, LoggerStandIn
from openpail.instruments.probe import reader as probe
from openpail.instruments.probe.stand_in import ProbeMood, ProbeStandIn
from openpail.instruments.scale import reader as scale
from openpail.instruments.scale.stand_in import ScaleMood, ScaleStandIn
from openpail.instruments.wire import NoReading

START = datetime(2026, 5, 4, 9, 30, tzinfo=UTC)
DAY = timedelta(days=1)


class Clock:
    """A clock that a test moves on."""

    def __init__(self):
        self.now = START

    def __call__(self):
        return self.now


def stood(server):
    threading.Thread(target=server.serve_forever, daemon=True).start()
    server.at = f"127.0.0.1:{server.server_address[1]}"
    return server


def of_probe():
    clock = Clock()
    mood = ProbeMood(now=clock, last=START - timedelta(minutes=5))
    return stood(ProbeStandIn(0, mood)), lambda at, **k: probe.since(at, START - DAY, **k)


def of_scale():
    server = stood(ScaleStandIn(0, ScaleMood(kg=2.4)))
    return server, scale.weigh


def of_logger():
    server = stood(LoggerStandIn(0, LoggerMood(now=lambda: START)))
    return server, lambda at, **k: logger.since(at, "cave", START - DAY, **k)


def of_analyser():
    server = stood(StandIn(0, Mood(busy_s=0.05)))
    return server, lambda at, **k: analyser.read(at, "pail 3", **k)


EVERY = {"probe": of_probe, "scale": of_scale, "logger": of_logger, "analyser": of_analyser}


@pytest.fixture(params=EVERY)
def instrument(request):
    server, ask = EVERY[request.param]()
    yield request.param, server, ask
    server.shutdown()
    server.server_close()


def test_it_is_read_and_read_again_the_same(instrument):
    name, server, ask = instrument
    one, other = ask(server.at), ask(server.at)
    if name == "analyser":  # it measures anew each time
        assert other.test.fat_pct == pytest.approx(one.test.fat_pct, abs=0.3)
    else:
        assert getattr(one, "values", one) == getattr(other, "values", other)


@pytest.mark.parametrize("fault", ["checksum", "garbage", "hang-up"])
def test_what_is_broken_is_never_kept_as_it_came(instrument, fault):
    name, server, ask = instrument
    if fault == "garbage" and name in ("logger", "analyser"):
        fault = "impossible"
    whole = ask(server.at)
    server.mood.faults = [fault]
    if name == "scale":
        with pytest.raises(NoReading, match="cannot be trusted"):
            ask(server.at)
        return
    told = ask(server.at)
    if name == "analyser":
        assert told.tries == 2 and told.test.fat_pct < 10
        return
    assert set(told.values) <= set(whole.values)
    assert told.broken or told.tries == 2


def test_silence_no_device_and_a_strange_one_are_told_before_patience_ends(instrument):
    name, server, ask = instrument
    server.mood.faults = ["silent"]
    begun = time.monotonic()
    with pytest.raises(NoReading, match="did not answer in time"):
        ask(server.at, timeout_s=0.4)
    assert time.monotonic() - begun < 3
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    with pytest.raises(NoReading, match=f"There is no {name}"):
        ask(f"127.0.0.1:{port}")
    with pytest.raises(NoReading, match="Nobody has said"):
        ask("")


@pytest.mark.parametrize(
    "sent", [b"", b"BYE\r\n", b"\xff\xfe\r\n", b"x" * 5000, b"READY 1 x\r\n" + b"y" * 5000]
)
def test_whoever_else_answers_there_is_no_instrument_of_ours(instrument, sent):
    _, _, ask = instrument
    with socket.socket() as listening:
        listening.bind(("127.0.0.1", 0))
        listening.listen()

        def answer():
            other, _ = listening.accept()
            with other:
                other.sendall(sent)
                other.settimeout(1)
                other.recv(4096)

        threading.Thread(target=answer, daemon=True).start()
        with pytest.raises(NoReading):
            ask(f"127.0.0.1:{listening.getsockname()[1]}", timeout_s=0.8)


# ── the probe ──


def test_the_probes_milk_warms_with_a_lag_goes_on_after_and_sours_once_it_is_sown():
    server, _ = of_probe()
    mood = server.mood
    mood.vat, mood.state, mood.target_c = SimulatedVat(litres=20.0, power_kw=3.0), filled(8.0), 32.0
    mood.now.now += timedelta(minutes=45)
    warm = probe.now(server.at)
    assert 31 < warm.celsius < 36 and warm.ph == pytest.approx(6.65, abs=0.06)
    mood.state = sown(mood.state)
    mood.now.now += timedelta(hours=5)
    later = probe.since(server.at, warm.at)
    assert len(later.values) == 5 * 360
    assert later.values[-1].ph < 6.2 < later.values[0].ph
    server.shutdown()


def test_a_probe_that_is_not_in_the_milk_and_a_clock_that_jumps_are_no_reading():
    server, ask = of_probe()
    server.mood.faults = ["out"]
    with pytest.raises(NoReading, match="no probe in the milk"):
        probe.now(server.at)
    whole = ask(server.at)
    server.mood.faults = ["clock"]
    told = ask(server.at)
    assert told.broken > 0 and all(each.at.year == 2026 for each in told.values)
    assert len(told.values) + told.broken == len(whole.values)
    server.mood.faults = ["clock"]
    with pytest.raises(NoReading, match="ahead of ours"):
        probe.now(server.at)
    server.shutdown()


@given(st.text(max_size=60), st.floats(-50, 200), st.floats(0, 14))
def test_only_a_whole_right_reading_of_milk_is_one(text, celsius, ph):
    line = wire.signed(f"READING 2026-05-04T09:00:00Z c={celsius:.2f} p={ph:.2f}")
    before = START - DAY
    if -2 <= round(celsius, 2) <= 105 and 3 <= round(ph, 2) <= 9:
        told = probe.parse(line, before)
        assert (told.celsius, told.ph) == (round(celsius, 2), round(ph, 2))
    else:
        with pytest.raises(wire.BadRecord):
            probe.parse(line, before)
    for wrong in (text, line[:-1], wire.signed(text)):
        with pytest.raises(wire.BadRecord):
            probe.parse(wrong, before)


# ── the scale ──


def test_a_scale_is_read_only_once_it_is_still_and_without_its_dish():
    server, weigh = of_scale()
    server.mood.lay(0.4)
    scale.tare(server.at)
    server.mood.lay(2.9)  # laid on it this moment: it swings
    assert weigh(server.at) == pytest.approx(2.5, abs=0.005)
    server.mood.lay(0.0)
    assert weigh(server.at) == pytest.approx(-0.4, abs=0.005)
    server.mood.faults = ["restless"]
    with pytest.raises(NoReading, match="come to rest"):
        weigh(server.at, timeout_s=1.0)
    server.mood.faults = ["too much"]
    with pytest.raises(NoReading, match="too much on it"):
        weigh(server.at)
    server.shutdown()


STARTED = [
    (module_of(device), more)
    for device in STAND_INS
    for more in ((UNDER_WAY[-1], AT_NIGHT[-1]) if device == "probe" else ("",))
]


@pytest.mark.parametrize(
    ("module", "more"), STARTED, ids=[" ".join(each).split(".", 2)[2] for each in STARTED]
)
def test_each_stand_in_answers_as_the_demo_starts_it(module, more):
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    command = [sys.executable, "-m", module, "--port", str(port), *more.split()]
    with subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE) as there:
        try:
            until = time.monotonic() + 20
            while time.monotonic() < until and there.poll() is None:
                with socket.socket() as line:
                    if line.connect_ex(("127.0.0.1", port)) == 0:
                        return
                time.sleep(0.05)
            pytest.fail(f"no answer: {there.stderr.read() if there.poll() is not None else ''}")
        finally:
            there.kill()
