"""The commands behind ./pail on a real PostgreSQL: tables, the token, the demo and its walls."""

from datetime import datetime, timedelta

import pytest
from click.testing import CliRunner
from sqlalchemy import func, make_url, select

from openpail.cli.__main__ import main
from openpail.cli.people import told_setup_token
from openpail.craft.figure import Figure, replay
from openpail.craft.milk.herd import by_month
from openpail.demo import load as demo
from openpail.records.bench.models import Bench
from openpail.records.dairy.models import Dairy
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.models import Herd, MilkTestRow, Task
from openpail.records.session import engine_for, sessions
from tests.conftest import NOW
from tests.support import HOUSE


@pytest.fixture
def run(database_url, monkeypatch):
    """A command run on a database of its own name, dropped afterwards."""
    made = []

    def command(*words, database=None):
        url = make_url(database_url)
        if database:
            url = url.set(database=database)
            made.append(url)
        text = url.render_as_string(hide_password=False)
        monkeypatch.setenv("OPENPAIL_DATABASE_URL", text)
        return CliRunner().invoke(main, words)

    yield command
    for url in made:
        engine_for(url.render_as_string(hide_password=False)).dispose()
        demo.drop(url.render_as_string(hide_password=False))


def test_a_database_is_made_and_brought_up_to_date_twice(run):
    first = run("db", "migrate", database="made_by_a_test")
    assert "made the database made_by_a_test" in first.output
    again = run("db", "migrate", database="made_by_a_test")
    assert again.exit_code == 0 and "made the database" not in again.output


def test_a_token_is_printed_only_while_there_is_no_dairy(monkeypatch, capsys, database_url):
    monkeypatch.setenv("OPENPAIL_DATABASE_URL", database_url)

    def token():
        told_setup_token()
        return capsys.readouterr().out

    assert "the token is" in token()
    with sessions(database_url).begin() as session:
        demo.dairies.found(session, "Wrenfold Steading", "Europe/Dublin", NOW)
    assert token() == ""


def test_the_demo_never_goes_into_another_database(run):
    refused = run("demo-data", "--fresh")
    assert refused.exit_code == 1 and "only go into the demo" in refused.output


def test_without_a_database_the_way_in_is_told(monkeypatch):
    monkeypatch.delenv("OPENPAIL_DATABASE_URL", raising=False)
    monkeypatch.delenv("OPENPAIL_STATE", raising=False)
    refused = CliRunner().invoke(main, ["db", "migrate"])
    assert refused.exit_code == 1 and "use ./pail" in refused.output


def test_a_file_of_settings_is_refused_by_its_line_and_read_before_anything_starts(tmp_path):
    settings = tmp_path / "dairy.conf"
    serve = ["serve", "--config", str(settings), "--host", "0.0.0.0"]
    settings.write_text(
        "# ours\nexport OPENPAIL_ADDRESS='https://dairy.example'\nOPENPAIL SECRET=x\n"
    )
    refused = CliRunner().invoke(main, serve)
    assert refused.exit_code == 1 and "line 3: “OPENPAIL” is not NAME=value" in refused.output
    settings.write_text("")
    open_to_all = CliRunner().invoke(main, serve)
    assert open_to_all.exit_code == 1 and "--plain" in open_to_all.output
    settings.write_text("OPENPAIL_SECURE_COOKIES=1\nOPENPAIL_STATE=\n")
    with pytest.MonkeyPatch.context() as kept:
        kept.setenv("OPENPAIL_SECURE_COOKIES", "")
        kept.setenv("OPENPAIL_STATE", "/somewhere")
        kept.delenv("OPENPAIL_DATABASE_URL", raising=False)
        passed = CliRunner().invoke(
            main, serve
        )  # as far as its own state, which the file took away
    assert passed.exit_code == 1 and "OPENPAIL_STATE is not set" in passed.output


def test_the_demo_is_loaded_left_moved_and_begun_anew(run, monkeypatch):
    class Clock(datetime):
        moment = NOW

        @classmethod
        def now(cls, tz=None):
            return cls.moment

    monkeypatch.setattr("openpail.cli.demo.datetime", Clock)
    name = demo.DATABASES[1]
    assert (
        "is loaded"
        in run("demo-data", "--short", "--analyser", "127.0.0.1:9", database=name).output
    )
    assert "as it was left" in run("demo-data", database=name).output
    Clock.moment = NOW + timedelta(days=3, hours=2)
    assert "moved 3 days on" in run("demo-data", database=name).output
    fresh = run("demo-data", "--fresh", "--short", database=name).output
    assert "the old demo is gone" in fresh and "is loaded" in fresh


@pytest.fixture
def farm(demo_url):
    with sessions(demo_url)() as session:
        yield session, session.scalar(select(Dairy))


def test_the_demo_farm_has_something_true_on_every_screen(farm):
    session, dairy = farm
    means = {
        herd.id: slips.means_of(session, dairy, herd, HOUSE) for herd in slips.herds(session, dairy)
    }
    names = {herd.name: herd for herd in slips.herds(session, dairy)}
    assert len(names) == 5
    for name, herd in names.items():
        assert {"fat", "protein", "casein"} <= means[herd.id].keys(), name
    verdicts = {
        slips.fitness_of(lot, slips.known(session, dairy, NOW, HOUSE)).verdict
        for lot in milk.waiting(session, dairy)
    }
    assert verdicts == {"fit", "fit with a caution"}
    assert milk.tasks(session, dairy, NOW.date() + timedelta(days=7))
    assert session.scalar(select(func.count()).select_from(Bench)) == 1
    assert session.scalar(select(func.count()).select_from(MilkTestRow)) > 60


def test_the_milk_of_the_demo_drifts_with_the_season(farm):
    session, dairy = farm
    tests = slips.dated_tests(session, dairy)
    for herd in session.scalars(select(Herd).where(Herd.name.in_(["Goats", "House cows"]))):
        fat_by_month = {}
        for each in tests[herd.id]:
            fat_by_month.setdefault(each.day.month, []).append(each.test.fat_pct)
        winter, summer = max(fat_by_month[12]), min(fat_by_month[6])
        assert winter > summer + 0.3, herd.name


def test_a_year_asked_for_by_the_month_is_the_year_of_its_slips(farm):
    session, dairy = farm
    tests = slips.dated_tests(session, dairy)
    short = slips.month_means(session, dairy, NOW - timedelta(days=5000))
    for herd in slips.herds(session, dairy):
        whole = by_month(herd.breed, tests[herd.id], HOUSE)
        for mine, told in zip(by_month(herd.breed, short[herd.id], HOUSE), whole, strict=True):
            assert mine.first == told.first and mine.tests == told.tests
            assert mine.fat_pct == pytest.approx(told.fat_pct)
            assert mine.protein_pct == pytest.approx(told.protein_pct)


def test_every_figure_of_every_make_of_the_demo_replays(farm):
    session, _ = farm
    makes = session.scalars(select(Make)).all()
    assert len(makes) > 10
    for make in makes:
        kept = [line[key] for line in make.frozen["lines"] for key in ("written", "figure")]
        kept += [make.frozen["cheese"], make.frozen["milk"]["mass"]]
        for data in kept:
            figure = Figure.from_json(data)
            assert replay(figure.because) == pytest.approx(figure.value, abs=1e-9)


def test_a_moved_demo_moves_its_tasks_and_benches_too(farm):
    session, _ = farm
    task, bench = session.scalar(select(Task.due)), session.scalar(select(Bench.created_at))
    demo.shift(session, 40)
    assert (session.scalar(select(Task.due)) - task).days == 40
    assert (session.scalar(select(Bench.created_at)) - bench).days == 40
