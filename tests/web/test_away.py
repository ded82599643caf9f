"""The database goes away and comes back: nothing typed is lost, nothing is kept twice."""

import re
import uuid

import pytest
from psycopg.errors import DiskFull, TooManyConnections
from sqlalchemy import create_engine, func, make_url, select, text
from sqlalchemy.exc import OperationalError, TimeoutError

from openpail.records.milk.models import MilkLot
from openpail.records.session import sessions
from tests.conftest import token_in
from tests.support.pages import read
from tests.web.test_forms import GOOD

_END = "select pg_terminate_backend(pid) from pg_stat_activity where datname = :name"


@pytest.fixture
def away(demo_url):
    """Send the database away, and bring it back."""
    url = make_url(demo_url)
    engine = create_engine(url.set(database="postgres"), isolation_level="AUTOCOMMIT")

    def switch(there):
        shut = f'alter database "{url.database}" allow_connections {str(there).lower()}'
        with engine.connect() as server:
            server.execute(text(shut))
            server.execute(text(_END), {"name": url.database})

    yield switch
    switch(True)
    engine.dispose()


def lots(url):
    with sessions(url)() as session:
        return session.scalar(select(func.count()).select_from(MilkLot))


def test_what_was_typed_is_kept_and_sent_again_once(client, post, demo_url, away):
    before, token = lots(demo_url), token_in(client.get("/milk").text)
    form = {**GOOD, "once": str(uuid.uuid4()), "csrf_token": token}
    away(False)
    page = client.post("/milk", data=form)
    assert page.status_code == 503 and "Not kept yet" in page.text
    assert re.search(r"Number <code>\w{8}</code>", page.text)
    kept = next(each for each in read("/milk", page.text)[1] if each.method == "post")
    assert kept.action == "/milk" and dict(kept.fields) == {
        **form,
        "csrf_token": dict(kept.fields)["csrf_token"],
    }
    assert client.post("/milk", data=dict(kept.fields)).status_code == 503
    away(True)
    for _ in range(2):
        assert client.post("/milk", data=dict(kept.fields)).status_code == 302
    assert lots(demo_url) == before + 1


def test_a_page_says_it_is_away_and_nobody_is_signed_out(client, post, away):
    away(False)
    for address in ("/", "/milk", "/sign-in", "/health"):
        page = client.get(address)
        assert page.status_code == 503 and "The database does not answer" in page.text, address
    away(True)
    assert client.get("/milk").status_code == 200


def test_no_password_is_written_into_the_page(client, away):
    token = token_in(client.get("/sign-in").text)
    away(False)
    data = {"login": "maker", "password": "a very secret one", "csrf_token": token}
    page = client.post("/sign-in", data=data)
    assert page.status_code == 503 and "very secret" not in page.text and "maker" in page.text


def test_a_commit_that_fails_is_said_and_not_shown_as_done(app, client, post, demo_url, away):
    before = lots(demo_url)
    view = app.view_functions["milk.new"]

    def and_then_away(**words):
        answer = view(**words)
        away(False)
        return answer

    app.view_functions["milk.new"] = and_then_away
    assert post("/milk", GOOD).status_code == 503
    away(True)
    assert lots(demo_url) == before


@pytest.mark.parametrize(
    ("fault", "words"),
    [(DiskFull(), "is full"), (TooManyConnections(), "Too many at one time"), (None, "Too many")],
)
def test_what_is_wrong_with_the_database_is_said(app, client, post, monkeypatch, fault, words):
    error = OperationalError("insert", {}, fault) if fault else TimeoutError()

    def full(**_):
        raise error

    monkeypatch.setitem(app.view_functions, "milk.page", full)
    page = client.get("/milk")
    assert page.status_code == 503 and words in page.text
