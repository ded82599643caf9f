"""The analyser's reader against its stand-in over real TCP, in every mood it has."""

import random
import re
import socket
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.milk.slip import check_test
from openpail.instruments.analyser import lines
from openpail.instruments.analyser.reader import NoReading, read
from openpail.instruments.analyser.stand_in import CUP, Mood, StandIn, main


@pytest.fixture
def analyser():
    """A stand-in on a free port; its mood may be set."""
    with StandIn(0, Mood(busy_s=0.02, chance=random.Random(4))) as server:
        thread = threading.Thread(target=server.serve_forever, daemon=True)
        thread.start()
        server.address = f"127.0.0.1:{server.server_address[1]}"
        yield server
        server.shutdown()


def test_a_reading_is_a_slip_near_what_is_in_the_cup(analyser):
    found = read(analyser.address, "lot 7")
    assert found.tries == 1
    assert found.test.fat_pct == pytest.approx(CUP["fat"][0], abs=0.2)
    assert found.test.protein_kind == "crude"
    assert found.test.freezing_point_c < 0 and found.test.density_c == 20
    check_test(found.test)
    again = read(analyser.address, "lot 7").test
    assert again != found.test  # it is as noisy as a real one


@pytest.mark.parametrize("fault", ["checksum", "hang-up", "other-sample", "impossible"])
def test_a_broken_record_is_tried_once_more_and_then_told(analyser, fault):
    analyser.mood.faults = [fault]
    assert read(analyser.address, "a").tries == 2
    analyser.mood.faults = [fault, fault]
    with pytest.raises(NoReading) as refused:
        read(analyser.address, "a")
    assert "cannot be trusted" in refused.value.words and "Nothing was kept" in refused.value.words


def test_a_blank_cup_is_told_and_not_tried_again(analyser):
    analyser.mood.faults = ["blank", "none"]
    with pytest.raises(NoReading, match="no milk in the cup"):
        read(analyser.address, "a")
    assert analyser.mood.faults == ["none"]


@pytest.mark.parametrize("fault", ["silent", "slow"])
def test_a_silent_device_is_left_when_the_time_is_up(analyser, fault):
    analyser.mood.faults = [fault, fault]
    began = time.monotonic()
    with pytest.raises(NoReading, match="did not answer in time"):
        read(analyser.address, "a", timeout_s=0.6)
    assert time.monotonic() - began < 30  # far under the minute that the device is silent


def test_a_cold_device_is_waited_for(analyser):
    analyser.mood.warm_at = time.monotonic() + 0.3
    assert read(analyser.address, "a").test.fat_pct
    analyser.mood.warm_at = time.monotonic() + 60
    with pytest.raises(NoReading, match="in time"):
        read(analyser.address, "a", timeout_s=0.5)


def test_no_device_at_all_is_told_with_its_address():
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        address = f"127.0.0.1:{taken.getsockname()[1]}"
    with pytest.raises(NoReading) as refused:
        read(address, "a", timeout_s=2)
    assert address in refused.value.words


def test_what_is_no_analyser_is_not_trusted():
    with socket.create_server(("127.0.0.1", 0)) as stranger:

        def answer():
            for _ in range(2):
                talk, _ = stranger.accept()
                talk.sendall(b"HTTP/1.1 400 Bad Request\r\n")
                talk.close()

        threading.Thread(target=answer, daemon=True).start()
        with pytest.raises(NoReading, match="cannot be trusted"):
            read(f"127.0.0.1:{stranger.getsockname()[1]}", "a", timeout_s=5)


values = st.dictionaries(
    st.sampled_from(sorted(CUP)), st.floats(-1, 60).map(lambda v: round(v, 4)), min_size=1
)


@given(values, st.integers(0, 200), st.integers(1, 255))
def test_a_record_reads_back_and_one_changed_byte_is_seen(record, at, change):
    line = lines.result("s-1", record)
    assert lines.parse(line, "s-1") == pytest.approx(record)
    at %= line.index("*")
    broken = line[:at] + chr(ord(line[at]) ^ change & 0x7F or 1) + line[at + 1 :]
    if broken != line:
        with pytest.raises(lines.BadRecord):
            lines.parse(broken, "s-1")
    assert lines.parse(lines.blank("s-1"), "s-1") is None


def test_the_protocol_on_paper_is_the_one_that_is_spoken():
    paper = Path(lines.__file__).with_name("PROTOCOL.md").read_text()
    keys = re.search(r"Keys of a record.*?:(.*?)A key may be missing", paper, re.S)[1]
    assert set(re.findall(r"`(\w+)`", keys)) == set(CUP)
    for word in ("HELLO", "READY", "WAIT", "MEASURE", "BUSY", "RESULT", "BLANK", "ERROR"):
        assert f"`{word}" in paper
    line = lines.result("s", {"fat": 4.0})
    total = 0
    for letter in line.split("*")[0]:
        total ^= ord(letter)
    assert line.endswith(f"*{total:02X}")


def test_the_stand_in_is_a_process_of_its_own_and_ends_with_its_parent():
    started = subprocess.Popen(
        [
            sys.executable,
            "-c",
            "import subprocess, sys, time\n"
            "child = subprocess.Popen([sys.executable, '-m', "
            "'openpail.instruments.analyser.stand_in', '--port', '0', '--while-parent', "
            "'--warm-up', '0'], stdout=subprocess.PIPE, text=True)\n"
            "print(child.stdout.readline(), flush=True)\n"
            "time.sleep(60)\n",
        ],
        stdout=subprocess.PIPE,
        text=True,
    )
    address = started.stdout.readline().split()[-1]
    assert read(address, "a", timeout_s=30).test.fat_pct
    started.kill()
    started.wait()
    started.stdout.close()
    for _ in range(100):
        try:
            read(address, "a", timeout_s=1)
        except NoReading as error:
            if "no analyser at" in error.words:
                return
        time.sleep(0.2)
    pytest.fail("the stand-in lives on alone")


@pytest.mark.parametrize(("more", "code"), [((), 1), (("--while-parent",), 0)])
def test_a_port_that_is_taken_is_said_in_a_line(capsys, more, code):
    with StandIn(0, Mood()) as server:
        port = server.server_address[1]
        with pytest.raises(SystemExit) as ended:
            main(["--port", str(port), *more])
    assert ended.value.code == code
    assert f"127.0.0.1:{port} is taken already" in capsys.readouterr().out
