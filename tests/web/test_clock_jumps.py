"""The machine's clock jumps: nothing is lost, the deeds keep their order, the maker is told."""

import uuid
from datetime import timedelta

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from openpail.craft.make.deeds import ReadingTaken, Ticked, Told
from openpail.records.log.models import DeedRow
from openpail.records.session import engine_for
from openpail.web.app import create_app
from openpail.web.clock import MachineClock
from openpail.web.config import Config
from openpail.work.here import Here
from openpail.work.make.log import tell
from openpail.work.make.made import standing_of
from tests.conftest import NOW, SECRET
from tests.support.makes import begun
from tests.web.test_roles_and_queries import signed_in


@pytest.mark.parametrize("jump", [timedelta(hours=-1), timedelta(days=-1), timedelta(hours=1)])
def test_what_is_told_after_a_jump_stands_after_what_was_told_before(farm, demo_url, jump):
    make_id = begun(farm, "larder-block")
    here = farm(30)
    texts = []
    for number in range(6):
        now = NOW + timedelta(minutes=30 + 3 * number) + (jump if number >= 3 else timedelta(0))
        there = Here(here.session, here.dairy, now)
        deed = Ticked(f"thing {number}")
        assert (
            tell(there, make_id, [Told(id=str(uuid.uuid4()), deed=deed, happened=now)])[0].outcome
            == "kept"
        )
        texts.append(deed.key)
    # what somebody says of an earlier moment stays there, whatever the clock did since
    early = NOW + timedelta(minutes=20)
    told = Told(id=str(uuid.uuid4()), deed=ReadingTaken(celsius=30.0), happened=early)
    there = Here(here.session, here.dairy, NOW + timedelta(minutes=60) + jump)
    if jump > -timedelta(hours=1):
        assert tell(there, make_id, [told])[0].outcome == "kept"
    here.session.commit()
    with Session(engine_for(demo_url)) as session:
        query = (
            select(DeedRow)
            .where(DeedRow.subject_id == make_id, DeedRow.deed == "ticked")
            .order_by(DeedRow.at, DeedRow.counter)
        )
        rows = list(session.scalars(query))
    assert [row.payload["key"] for row in rows] == texts
    assert [row.at for row in rows] == sorted({row.at for row in rows})
    make = next(m for m in farm().under_way if m.id == make_id)
    assert standing_of(farm(120), make).count == (1 if jump > -timedelta(hours=1) else 0)


def test_the_maker_is_told_for_hours_and_a_sleeping_machine_is_no_jump(monkeypatch, demo_url):
    wall, ran = [1_000_000.0], [5_000.0]
    monkeypatch.setattr(MachineClock, "_now", staticmethod(lambda: (wall[0], ran[0])))
    clock = MachineClock()
    for seconds, jumped, words in (
        (60, 60, ""),
        (8 * 3600, 8 * 3600, ""),  # it slept, and its clock with it
        (-3600, 5, "put back by 60 min"),
        (60, 60, "put back by 60 min"),
        (86_400, 30, "put forward by 24 h"),
        (13 * 3600, 13 * 3600, ""),
    ):
        wall[0] += seconds
        ran[0] += jumped
        clock.look()
        assert (words in clock.words) if words else clock.words == ""
    app = create_app(Config(database_url=demo_url, secret=SECRET, mode="serve"))
    maker, reader = signed_in(app, "maker"), signed_in(app, "reader")
    assert "clock was put" not in maker.get("/stock").text
    wall[0] += 7200
    assert "put forward by 2 h" in maker.get("/stock").text
    assert "clock was put" not in reader.get("/stock").text
