"""Who may do what, on every endpoint; and how many questions a page asks the database."""

import re
import uuid

import pytest
from sqlalchemy import event, select, update

from openpail.craft.make.deeds import ReadingTaken, Told
from openpail.records.dairy.models import Dairy
from openpail.records.milk.models import MilkLot
from openpail.records.people import actions as people
from openpail.records.people.models import Person
from openpail.records.session import engine_for, sessions
from openpail.work.dairy.people import ROLES
from openpail.work.here import Here
from openpail.work.make.log import tell
from tests.conftest import NOW, token_in
from tests.support.many import multiply

PASSWORD = "a long password"


def signed_in(app, role):
    """A client of that role, tokens switched off so that only the permission speaks."""
    app.config["WTF_CSRF_ENABLED"] = False
    with sessions(app.extensions["config"].database_url).begin() as session:
        hashed = people._hasher.hash(PASSWORD)
        session.execute(update(Person).where(Person.login == role).values(password_hash=hashed))
    client = app.test_client()
    answer = client.post("/sign-in", data={"login": role, "password": PASSWORD})
    assert answer.headers["Location"] == "/"
    return client


def test_each_role_holds_what_the_one_below_it_holds():
    assert ROLES["reader"] < ROLES["helper"] < ROLES["maker"]
    assert set(ROLES) == {"reader", "helper", "maker"}


@pytest.mark.parametrize("role", ["reader", "helper", "maker"])
def test_every_endpoint_keeps_to_its_permission(app, role):
    client = signed_in(app, role)
    for rule in app.url_map.iter_rules():
        permission = app.view_functions[rule.endpoint].permission
        if permission == "public" or "sign_out" in rule.endpoint:
            continue
        address = re.sub(r"<uuid:[^>]+>", str(uuid.uuid4()), rule.rule)
        address = re.sub(r"<[^>]+>", "nothing", address)
        method = client.post if "POST" in rule.methods else client.get
        status = method(address).status_code
        if permission in ROLES[role]:
            assert status != 403, (role, address)
        else:
            assert status == 403, (role, address)


def test_a_changed_session_key_signs_every_device_out(app):
    client = signed_in(app, "maker")
    assert client.get("/milk").status_code == 200
    with sessions(app.extensions["config"].database_url).begin() as session:
        session.execute(update(Person).values(session_key=uuid.uuid4()))
    assert client.get("/milk").status_code == 302


def test_a_person_without_a_dairy_sees_none(app):
    client = signed_in(app, "maker")
    with sessions(app.extensions["config"].database_url).begin() as session:
        person = session.scalar(select(Person).where(Person.login == "maker"))
        home = people.at_home(session, person.id)
        assert home.role == "maker"
        session.delete(session.get(people.Membership, (home.dairy.id, person.id)))
    assert client.get("/milk").status_code == 403
    assert "Wrenfold" not in client.get("/").text.replace("This is the demo: Wrenfold", "")


def test_too_many_wrong_tries_shut_the_door_for_a_while(client):
    data = {"login": "maker", "csrf_token": token_in(client.get("/sign-in").text)}
    for _ in range(people.MOST_TRIES):
        page = client.post("/sign-in", data={**data, "password": "guess"}).text
        assert "do not go together" in page
    assert "Too many wrong tries" in client.post("/sign-in", data={**data, "password": "x"}).text


@pytest.mark.parametrize(
    ("page", "most"),
    [("/milk", 10), ("/bench", 15), ("/cave", 10), ("/table", 13), ("/recipes", 7), ("/stock", 6)],
)
def test_a_page_asks_the_database_no_more_the_more_there_is(app, client, post, page, most):
    asked = []
    engine = engine_for(app.extensions["config"].database_url)
    event.listen(engine, "before_cursor_execute", lambda *words: asked.append(words[2]))
    assert client.get(page, follow_redirects=True).status_code == 200
    first = len(asked)
    assert first <= most, "\n".join(asked)
    with sessions(app.extensions["config"].database_url).begin() as session:
        lot = session.scalar(select(MilkLot).where(MilkLot.left_kg > 1))
        for number in range(200, 210):
            values = {c.key: getattr(lot, c.key) for c in MilkLot.__table__.columns}
            session.add(MilkLot(**{**values, "id": uuid.uuid4(), "number": number}, tests=[]))
    asked.clear()
    client.get(page, follow_redirects=True)
    assert len(asked) <= first + 1


@pytest.fixture
def asked(app):
    """What is asked of the database, as it is asked."""
    found = []
    engine = engine_for(app.extensions["config"].database_url)
    event.listen(engine, "before_cursor_execute", lambda *words: found.append(words[2]))
    return found


def test_the_working_pages_ask_as_little_of_one_as_of_forty(app, client, post, asked):
    url = app.extensions["config"].database_url
    lot = client.get("/milk").text.split('href="/milk/')[1].split('"')[0]
    make = client.get("/vat").headers["Location"]
    budgets = {
        f"/sheet?lot={lot}&recipe=larder-block": 17,
        "/": 21,  # what cream and whey have of their milk; what came out late
        "/which": 20,
        "/days": 19,
        "/table": 12,
        "/logbook": 8,
        make.replace("/vat", "/logbook"): 22,
        make: 14,  # the gear, where another make stands in a press; what probes showed of the acid
    }

    def count(page):
        client.get(page)  # what a process keeps for good is read by now
        asked.clear()
        assert client.get(page).status_code == 200
        return len(asked)

    at_one = {page: count(page) for page in budgets}
    with sessions(url).begin() as session:
        multiply(session, 39)
    for page, most in budgets.items():
        at_forty = count(page)
        assert max(at_one[page], at_forty) <= most, "\n".join(
            [f"{page}: {at_one[page]}, {at_forty}", *asked]
        )


def test_two_thousand_readings_leave_the_vat_page_as_it_was(app, client, post, asked):
    make = client.get("/vat").headers["Location"]
    before = len(client.get(make).data)
    with sessions(app.extensions["config"].database_url).begin() as session:
        here = Here(session, session.scalar(select(Dairy)), NOW)
        values = [
            Told(
                id=str(uuid.uuid4()),
                deed=ReadingTaken(celsius=30 + n % 7 / 10),
                happened=NOW,
                counter=n,
            )
            for n in range(500)
        ]
        assert all(each.is_kept for each in tell(here, uuid.UUID(make.split("/")[-1]), values))
    page = client.get(make)
    assert len(page.data) < 2.5 * before and "All 507 readings" in page.text
    whole = client.get(f"{make}/readings?page=5").text
    assert "page 6 of 6" in whole and "14.0 °C" in whole
