"""A probe in a vat: its stream is kept whole, its crossings are deeds, its silence is told."""

import io
import threading
import uuid
from datetime import timedelta

import pytest
from click.testing import CliRunner
from sqlalchemy import select

from openpail.cli.__main__ import main
from openpail.craft.make.deeds import FirstFlocks, StepDone
from openpail.craft.make.simulated import filled, sown
from openpail.instruments.probe.reader import ProbeReading
from openpail.instruments.probe.stand_in import ProbeMood, ProbeStandIn
from openpail.instruments.scale.stand_in import ScaleMood, ScaleStandIn
from openpail.records.dairy import actions as dairies
from openpail.records.dairy.models import Dairy, Vat
from openpail.records.log import samples
from openpail.records.makes import actions as makes
from openpail.records.session import sessions
from openpail.work.here import Here
from openpail.work.make.day import day_of
from openpail.work.make.made import standing_of
from openpail.work.vat import at_vat as vat
from openpail.work.vat import stream
from tests.conftest import NOW
from tests.support import RECIPES
from tests.support.makes import begun, say


class Moved:
    """A clock that a test moves on."""

    def __init__(self):
        self.now = NOW

    def __call__(self):
        return self.now


@pytest.fixture
def probe():
    clock = Moved()
    mood = ProbeMood(now=clock, last=NOW, state=filled(8.0))
    with ProbeStandIn(0, mood) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        server.address, server.clock = f"127.0.0.1:{server.server_address[1]}", clock
        yield server
        server.shutdown()


@pytest.fixture
def session(demo_url):
    with sessions(demo_url)() as found:
        yield found


@pytest.fixture
def make(session, probe, monkeypatch):
    """A make begun now, with a probe in its vat. The reader's clock is the stand-in's."""
    monkeypatch.setattr(
        "openpail.instruments.probe.reader.datetime",
        type("C", (), {"now": staticmethod(lambda zone: probe.clock.now)}),
    )
    dairy = session.scalars(select(Dairy)).one()
    key = begun(lambda minutes=0.0: Here(session, dairy, NOW), "larder-block")
    found = makes.make(session, dairy, key)
    dairies.set_probe(session, session.get(Vat, (dairy.id, found.vat_id)), probe.address)
    return found


def here(session, minutes=0.0):
    return Here(session, session.scalars(select(Dairy)).one(), NOW + timedelta(minutes=minutes))


def collected(session, make, minutes):
    return next(each for each in stream.collect(here(session, minutes)) if each.make.id == make.id)


def test_a_stream_is_kept_once_drawn_and_told_where_it_crosses_its_band(session, make, probe):
    step = day_of(here(session), make).current.planned.step
    probe.mood.target_c = step.celsius.target
    probe.clock.now += timedelta(minutes=5)
    first = collected(session, make, 5)
    assert first.new == 30 and first.told == 0
    assert collected(session, make, 5).new == 0
    probe.clock.now += timedelta(minutes=55)
    later = collected(session, make, 60)
    assert later.new == 330 and later.told >= 1
    readings = [r for r in standing_of(here(session, 60), make).readings if "probe" in r.note]
    assert readings and all("its band" in each.note for each in readings)
    assert readings[0].celsius >= step.celsius.low and "back in" in readings[0].note
    again = stream.take(here(session, 60), make, [])
    assert (again.new, again.told) == (0, 0)
    drawn = samples.drawn(session, make, NOW)
    assert 10 <= len(drawn) <= 14


def test_a_file_of_the_probe_read_afterwards_tells_the_same_as_the_probe_did(session, make, probe):
    probe.mood.target_c = 32.0
    probe.clock.now += timedelta(minutes=50)
    probe.mood.go_on()
    values = [ProbeReading(at, round(c, 2), round(ph, 2)) for at, c, ph in probe.mood.kept]
    save = session.begin_nested()
    live = collected(session, make, 50)
    told = [(r.at, r.celsius, r.note) for r in standing_of(here(session, 50), make).readings]
    save.rollback()
    session.expire_all()
    filed = stream.take(here(session, 50), make, values[::-1])
    again = [(r.at, r.celsius, r.note) for r in standing_of(here(session, 50), make).readings]
    assert (live.new, live.told) == (filed.new, filed.told) and told == again
    beyond = [ProbeReading(NOW - timedelta(days=1), 20, None), ProbeReading(NOW, None, 6.6)]
    assert stream.take(here(session, 50), make, beyond).new == 0  # before the make; no warmth


def test_a_whole_make_against_the_probe_in_fast_time_tells_each_crossing_once(session, make, probe):
    """The maker goes by the page's clock, the probe by its physics; afterwards its file adds
    nothing, and what was told can be found in the stream."""

    def farm(minutes=0.0):
        return here(session, minutes)

    minutes = 0.0
    while (state := day_of(farm(minutes), make).current) and make.station == "vat":
        step = state.planned.step
        probe.mood.target_c = step.celsius.target if step.celsius else 0.0
        if any(each.product.kind == "culture" and each.key in step.adds for each in CULTURED):
            probe.mood.state = sown(probe.mood.state)
        until = max(minutes + 1, (state.ends - NOW).total_seconds() / 60)
        while minutes < until:
            minutes = min(until, minutes + 5)
            probe.clock.now = NOW + timedelta(minutes=minutes)
            collected(session, make, minutes)
        ends = FirstFlocks("by the clock") if "flocks" in step.asks else None
        say(farm, make.id, minutes, ends or StepDone(step=step.key, word="as it came"))
    told = [r for r in standing_of(farm(minutes), make).readings if "the probe" in r.note]
    assert len(told) >= 2 and len({(r.at, r.note) for r in told}) == len(told)
    kept = {each.at: each for each in probe_values(session, make)}
    assert len(kept) == len(list(kept)) > 0.9 * minutes * 6
    for reading in told:
        near = kept[reading.at]
        assert reading.celsius in (None, near.celsius) and reading.ph in (None, near.ph)
    values = [ProbeReading(each.at, each.celsius, each.ph) for each in kept.values()]
    again = stream.take(farm(minutes), make, values)
    assert (again.new, again.told) == (0, 0)


CULTURED = RECIPES["larder-block"].ingredients


def probe_values(session, make):
    return samples.newest(session, make.dairy_id, make.id, samples.PROBE, 100_000)


def test_silence_and_drop_outs_are_told_and_the_page_says_since_when(session, make, probe):
    probe.clock.now += timedelta(minutes=2)
    collected(session, make, 2)
    probe.mood.faults = ["out"]
    assert "no probe in the milk" in collected(session, make, 3).words
    assert vat.at_vat(here(session, 5), make.id).probe.is_silent is False
    assert vat.at_vat(here(session, 30), make.id).probe.is_silent is True
    probe.clock.now += timedelta(minutes=40)
    probe.mood.faults = ["checksum"]
    back = collected(session, make, 42)
    assert back.new > 0 and not back.words
    dairies.set_probe(session, here(session).vat(make.vat_id), "")
    assert vat.at_vat(Here(session, here(session).dairy, NOW), make.id).probe is None


def test_the_process_asks_once_or_again_and_says_what_is_silent_once(demo_url, monkeypatch):
    with sessions(demo_url).begin() as session:
        vat = session.scalars(select(Vat).where(Vat.probe == "")).first()
        make = makes.under_way(session, session.scalars(select(Dairy)).one())[0]
        vat = session.get(Vat, (make.dairy_id, make.vat_id))
        dairies.set_probe(session, vat, "127.0.0.1:9")
    monkeypatch.setenv("OPENPAIL_DATABASE_URL", demo_url)
    monkeypatch.setattr(
        "openpail.cli.collect.datetime", type("C", (), {"now": staticmethod(lambda zone: NOW)})
    )
    told = CliRunner().invoke(main, ["collect", "--once"])
    assert told.exit_code == 0 and f"{make.name}: There is no probe" in told.output


def test_a_probe_and_a_scale_are_written_down_and_shown(client, post, farm):
    make = begun(farm, "larder-block")
    page = client.get("/dairy").text
    assert "Scale, host:port" in page
    at = farm()
    vat = at.vat(makes.make(at.session, at.dairy, make).vat_id)
    address = f"/dairy/vats/{vat.id}"
    refused = post(f"{address}/probe", {"probe-probe": "the blue one"}, address)
    assert "Write it like 127.0.0.1:7433" in refused.text and 'value="the blue one"' in refused.text
    assert post(f"{address}/probe", {"probe-probe": "127.0.0.1:7433"}, address).status_code == 302
    seen = client.get(f"/vat/{make}").text
    assert "data-probe" not in seen
    version = seen.split('data-version="')[1].split('"')[0]
    at = farm()
    row = makes.make(at.session, at.dairy, make)
    samples.take(at.session, row, samples.PROBE, [samples.Sampled(NOW, 30.94, 6.58)])
    at.session.commit()
    page = client.get(f"/vat/{make}/now?v={version}")
    assert page.status_code == 200
    assert "<b>30.9 °C</b>" in page.text and "<b>pH 6.58</b>" in page.text
    assert client.get(f"/vat/{uuid.uuid4()}").status_code == 404


def test_pieces_are_laid_on_the_scale_one_by_one_and_typed_lines_stay(client, post, farm):
    with ScaleStandIn(0, ScaleMood(kg=1.42)) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        at = farm()
        dairies.set_scale(at.session, at.dairy, f"127.0.0.1:{server.server_address[1]}")
        at.session.commit()
        make = makes.under_way(at.session, at.dairy)[0].id
        address = f"/table/{make}"
        assert "Read the scale" in client.get(address).text

        def read(weights):
            form = {"weights": weights, "do": "scale", "event": str(uuid.uuid4())}
            return post(address, form, address).text

        assert "1.3 kg\n1.42 kg</textarea>" in read("1.3 kg")
        server.mood.kg = 0.0
        page = read("1.3 kg")
        assert "Nothing lies on the scale" in page and "1.3 kg</textarea>" in page
        server.mood.faults = ["checksum"]
        assert "cannot be trusted" in read("")
        server.shutdown()


def test_a_file_that_a_probe_wrote_is_read_at_the_vat_line_by_line(client, post, farm):
    make = begun(farm, "larder-block")
    address = f"/vat/{make}"

    def read(text):
        form = {"file": (io.BytesIO(text.encode()), "probe.csv")}
        return post(f"{address}/stream", form, address, content_type="multipart/form-data")

    title, at = "time,temperature,pH", NOW.strftime("%Y-%m-%dT%H:%M:%SZ")
    taken = read(f"{title}\n{at},31.2,6.61\n{at},nonsense,6\n{at},140,6.6\n")
    assert "1 new values of the probe, 2 lines not understood" in taken.text
    row = makes.make(farm().session, farm().dairy, make)
    kept = samples.newest(farm().session, row.dairy_id, make, samples.PROBE)
    assert [(each.celsius, each.ph) for each in kept] == [(31.2, 6.61)]
    assert "0 new values" in read(f"{title}\n{at},31.2,6.61\n").text
    for text, words in (
        ("", "Choose the file"),
        ("a,b\n1,2\n", "names its columns"),
        (f"{title}\n2025-01-01T00:00:00Z,31,6.6\n", "of the time of this make"),
    ):
        refused = read(text)
        assert refused.status_code == 422 and words in refused.text
