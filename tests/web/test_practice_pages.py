"""Practice: begun, done, judged, done again; and nothing of it anywhere else."""

import re

import pytest
from sqlalchemy import func, select, update

from openpail.records.base import Base
from openpail.records.dairy.models import Dairy
from openpail.records.practice.actions import MOST_KEPT
from openpail.records.practice.models import DryRun
from openpail.records.session import sessions
from tests.support.makes import send

UNITED_STATES = {"volume_system": "us", "mass_system": "us", "degrees": "F"}


@pytest.fixture
def rows(app):
    """How many rows each table holds, but for dry runs and forms that were answered."""

    def count():
        with sessions(app.extensions["config"].database_url)() as session:
            return {
                name: session.scalar(select(func.count()).select_from(table))
                for name, table in Base.metadata.tables.items()
                if name not in ("dry_run", "answered")
            }

    return count


@pytest.fixture
def begun(client, post, monkeypatch):
    """Runs of one chance: somebody calls in the middle of the ripening."""
    monkeypatch.setattr("openpail.work.vat.practice.secrets.randbelow", lambda below: 8)

    def begin(**form):
        data = {"recipe": "larder-block", **form}
        answer = send(client, "/practice", data, "/practice")
        assert answer.status_code == 302, answer.text
        return answer.location

    return begin


def do(client, run, what, **more):
    page = client.get(run).text
    minute = more.pop("minute", re.search(r'data-minute="([\d.]+)"', page))
    minute = minute[1] if isinstance(minute, re.Match) else minute
    return send(client, f"{run}/do", {"what": what, "minute": minute, **more}, run)


def to_its_end(client, run):
    for _ in range(80):
        page = client.get(run).text
        if "practice-judged" in page:
            return page
        if "data-away" in page:
            assert do(client, run, "go").status_code == 302
        elif ', when this step is to end"' in page:
            assert do(client, run, "wait", by="end").status_code == 302
        else:
            assert do(client, run, "done").status_code == 302
    raise AssertionError(page)


def test_a_run_to_its_end_is_judged_and_nothing_else_in_the_dairy_knows_of_it(
    client, begun, rows, app
):
    before = rows()
    run = begun(mishap=["old_bottle", "called_away"])
    page = client.get(run).text
    assert "A dry run" in page and "An old bottle" in page and "Warm the milk to 32" in page
    assert do(client, run, "heat", share="1").status_code == 302
    assert do(client, run, "wait", by="15").status_code == 302
    page = do(client, run, "read").location
    assert re.search(r"07:15 <b>\d\d\.\d °C", client.get(page).text)
    page = to_its_end(client, run)
    assert "not looked for: the cut went by the clock" in page and "Called away for" in page
    assert re.search(r"\d °C, where 31 to 33 °C is wanted", page)
    assert "Its pH was not read" in page
    assert rows() == before
    for other in ("/", "/vat", "/table", "/cave", "/stock", "/press"):
        assert run not in client.get(other, follow_redirects=True).text
    again = send(client, f"{run}/again", {}, run).location
    with sessions(app.extensions["config"].database_url)() as session:
        one, two = session.scalars(select(DryRun).order_by(DryRun.ended_at)).all()
        assert (one.scenario, one.seed, one.mishaps) == (two.scenario, two.seed, two.mishaps)
        assert one.faults > 3 and two.ended_at is None
    assert "step" in client.get(again).text and again != run
    assert do(client, run, "done", minute="0").status_code == 422
    judged = send(client, f"{again}/end", {}, again)
    assert "not reached" in client.get(judged.location).text


def test_milk_of_the_shelf_is_practised_with_and_stays_there(client, begun, rows):
    lot = re.search(
        r'name="lot" value="([^"]+)"[^>]*> <span>Goats, this morning', client.get("/practice").text
    )[1]
    before = rows()
    run = begun(lot=lot)
    assert do(client, run, "wait", by="40").status_code == 302
    assert rows() == before
    judged = send(client, f"{run}/end", {}, run).location
    assert "Goats, this morning" in client.get(judged).text
    sheet = client.get(f"/sheet?recipe=larder-block&lot={lot}").text
    assert f"/practice?recipe=larder-block&amp;lot={lot}" in sheet


def test_a_surprise_is_not_told_before_its_end(client, begun):
    run = begun(surprise="y")
    page = client.get(run).text
    assert "You will see what" in page
    told = ("An old bottle", "A hot hob", "A cold room", "Called away:")
    assert not any(words in page for words in told)
    judged = client.get(send(client, f"{run}/end", {}, run).location).text
    named = ("an old bottle", "a hot hob", "a cold room", "called away")
    assert sum(words in judged for words in named) == 2


@pytest.mark.parametrize(
    ("form", "status", "words"),
    [
        ({"what": "cheat"}, 400, "not sent whole"),
        ({"what": "done", "minute": "later"}, 400, "A minute is a number"),
        ({"what": "done", "minute": "nan"}, 422, "A minute is a number"),
        ({"what": "heat", "share": "7"}, 422, "between none and all"),
        ({"what": "heat", "share": "hot"}, 422, "between none and all"),
        ({"what": "wait", "by": "long"}, 422, "how many minutes"),
        ({"what": "go"}, 422, "Nobody calls you"),
        ({"what": "blade"}, 422, "first flocks are waited for"),
    ],
)
def test_what_no_page_sends_is_refused_in_words(client, begun, form, status, words):
    run = begun()
    answer = do(client, run, form.pop("what"), **form)
    assert (answer.status_code, words in answer.text) == (status, True)


def test_a_minute_far_off_ends_where_somebody_calls(client, begun):
    run = begun(mishap="called_away")
    assert "You are wanted at the gate" in client.get(f"{run}/now?minute=1e12").text
    assert do(client, run, "wait", by="1e12").status_code == 302
    assert "You are wanted at the gate" in client.get(run).text
    assert do(client, run, "read").status_code == 422
    do(client, run, "go")
    assert "Back." in client.get(run).text


def test_no_more_runs_are_kept_than_anybody_looks_at(client, begun, app):
    runs = [begun() for _ in range(MOST_KEPT + 2)]
    assert [client.get(run).status_code for run in runs].count(404) == 2
    assert client.get(runs[-1]).status_code == 200
    with sessions(app.extensions["config"].database_url)() as session:
        assert session.scalar(select(func.count()).select_from(DryRun)) == MOST_KEPT


def test_a_milk_that_cannot_be_made_of_it_says_why_and_keeps_what_was_ticked(client, post):
    page = client.get("/practice").text
    cream = re.search(r'name="lot" value="([^"]+)"[^>]*> <span>Shop cream', page)[1]
    data = {"recipe": "second-pot", "lot": cream, "mishap": "hot_hob"}
    answer = send(client, "/practice", data, "/practice")
    assert answer.status_code == 422
    assert "is made from whey" in answer.text
    assert re.search(r'value="hot_hob" checked', answer.text)
    assert f'value="{cream}" checked' in answer.text


def test_in_us_units_nothing_is_told_in_others(client, begun, app):
    run = begun()
    with sessions(app.extensions["config"].database_url).begin() as session:
        session.execute(update(Dairy).values(UNITED_STATES))
    do(client, run, "heat", share="1")
    do(client, run, "wait", by="20")
    do(client, run, "read")
    for page in (run, send(client, f"{run}/end", {}, run).location):
        told = client.get(page).text
        assert "°F" in told
        assert "°C" not in told
