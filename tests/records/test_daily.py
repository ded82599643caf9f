"""A backup a day: made, brought in beside the dairy, told of; a bad one throws no old one away."""

import shutil
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import create_engine, func, make_url, select, text

from openpail.records.backup import Backups
from openpail.records.milk.models import MilkLot
from openpail.records.safe import daily
from openpail.records.session import sessions
from openpail.web.app import create_app
from openpail.web.config import Config
from tests.conftest import NOW, SECRET
from tests.web.test_roles_and_queries import signed_in


@pytest.fixture
def backups(demo_url):
    programs = sorted(Path("/usr/lib/postgresql").glob("*/bin"))
    return Backups(demo_url, programs[-1])


def tried(url):
    """The databases in which a backup of this one is looked at."""
    engine = create_engine(make_url(url).set(database="postgres"))
    with engine.connect() as connection:
        names = list(connection.scalars(text("select datname from pg_database")))
    engine.dispose()
    return [name for name in names if name.startswith(f"{make_url(url).database}_tried")]


def test_a_backup_is_made_once_a_day_and_seen_to_be_whole(demo_url, backups, tmp_path):
    with sessions(demo_url).begin() as session:
        assert daily.is_due(session, NOW)
        made = daily.make(session, backups, tmp_path, NOW)
        assert made.words == "" and made.rows > 1000
        assert not daily.is_due(session, NOW + timedelta(hours=22))
        assert daily.is_due(session, NOW + timedelta(hours=24))
    (file,) = tmp_path.iterdir()
    assert file.stat().st_mode & 0o077 == 0
    assert tried(demo_url) == []  # what it was looked at in is gone again
    with sessions(demo_url)() as session:
        assert backups.try_out(file)["milk_lot"] == session.scalar(
            select(func.count()).select_from(MilkLot)
        )


def test_a_bad_one_is_told_of_tried_again_in_an_hour_and_throws_nothing_away(
    demo_url, backups, tmp_path
):
    old = tmp_path / f"{NOW - timedelta(days=400):{daily._NAME}}"
    old.write_bytes(b"of another year")
    lame = Backups(demo_url, tmp_path / "no-programs-here")
    with sessions(demo_url).begin() as session:
        made = daily.make(session, lame, tmp_path, NOW)
        assert made.words and made.rows == 0
        assert not daily.is_due(session, NOW + timedelta(minutes=50))
        assert daily.is_due(session, NOW + timedelta(minutes=70))
    assert list(tmp_path.iterdir()) == [old]
    page = create_app(Config(database_url=demo_url, secret=SECRET, mode="serve", frozen_now=NOW))
    text_ = signed_in(page, "maker").get("/dairy").text
    assert "No backup was made by itself yet." in text_ and "The last try failed" in text_
    with sessions(demo_url).begin() as session:
        assert daily.make(session, backups, tmp_path, NOW).words == ""
    soon = create_app(
        Config(
            database_url=demo_url, secret=SECRET, mode="serve", frozen_now=NOW + timedelta(hours=49)
        )
    )
    assert "too long ago" not in signed_in(soon, "maker").get("/dairy").text
    late = create_app(
        Config(
            database_url=demo_url, secret=SECRET, mode="serve", frozen_now=NOW + timedelta(hours=51)
        )
    )
    assert "too long ago" in signed_in(late, "maker").get("/dairy").text
    shutil.rmtree(tmp_path)


@given(st.lists(st.integers(0, 900), min_size=1, max_size=80))
def test_thinned_the_newest_stays_and_so_do_days_weeks_and_months(days):
    files = sorted(
        Path(f"{datetime(2026, 5, 4, 3, tzinfo=UTC) - timedelta(days=back):{daily._NAME}}")
        for back in set(days)
    )
    dropped = daily.to_drop(files)
    kept = [each for each in files if each not in dropped]
    assert files[-1] in kept and set(files[-7:]) <= set(kept)
    assert len(kept) <= 7 + 5 + 12
    assert daily.to_drop(kept) == []  # thinning what is thin changes nothing
    months = {each.name[6:12] for each in files}
    assert {each.name[6:12] for each in kept} >= set(sorted(months)[-12:])
