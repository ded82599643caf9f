"""People come, change and leave, in the browser and by the command; a wrong guess shuts out nobody
else."""

import re
import threading
from dataclasses import replace
from datetime import timedelta

import pytest
from click.testing import CliRunner
from sqlalchemy import select

from openpail.cli.__main__ import main
from openpail.records.people import actions as people
from openpail.records.people.models import Person
from openpail.records.session import sessions
from tests.conftest import NOW, token_in

PASSWORD = "a long password"


@pytest.fixture
def person(demo_url):
    def find(login):
        with sessions(demo_url)() as session:
            return session.scalar(select(Person).where(Person.login == login))

    return find


def signed_in(app, login, password, address="127.0.0.1"):
    """A client of theirs, and what its first page answers."""
    client = app.test_client()
    token = token_in(client.get("/sign-in").text)
    data = {"login": login, "password": password, "csrf_token": token}
    client.post("/sign-in", data=data, environ_base={"REMOTE_ADDR": address})
    return client, client.get("/milk").status_code


def test_somebody_comes_does_less_gets_a_new_password_and_leaves(app, client, post, person):
    new = {"login": "Wren", "name": "Wren of the hill", "role": "helper", "password": PASSWORD}
    assert post("/dairy/people", new, "/dairy/people").status_code == 302
    assert "taken" in post("/dairy/people", new, "/dairy/people").text
    wren, status = signed_in(app, "wren", PASSWORD)
    assert status == 200 and wren.get("/dairy/people").status_code == 403
    mine = f"/dairy/people/{person('wren').id}"
    assert 'class="pail-link add"' in wren.get("/milk").text or "New milk" in wren.get("/milk").text
    assert post(f"{mine}/role", {"role": "reader"}, "/dairy/people").status_code == 302
    assert "New milk" not in wren.get("/milk").text
    assert post(f"{mine}/password", {"password": "short"}, "/dairy/people").status_code == 200
    assert (
        post(f"{mine}/password", {"password": "quite another"}, "/dairy/people").status_code == 302
    )
    assert wren.get("/milk").status_code == 302  # the old device is out
    wren, status = signed_in(app, "wren", "quite another")
    assert status == 200
    assert post(f"{mine}/end", {}, "/dairy/people").status_code == 302
    assert wren.get("/milk").status_code == 302
    assert signed_in(app, "wren", "quite another")[1] == 403
    assert "left" in client.get("/dairy/people").text
    assert post(f"{mine}/role", {"role": "maker"}, "/dairy/people").status_code == 404


def test_the_last_maker_stays_one(client, post, person):
    mine = f"/dairy/people/{person('maker').id}"
    for change, data in (("role", {"role": "helper"}), ("end", {})):
        assert "One maker must stay" in post(f"{mine}/{change}", data, "/dairy/people").text
    assert client.get("/dairy/people").status_code == 200


def test_ones_own_password_and_every_device(app, client, post, demo_url):
    with sessions(demo_url).begin() as session:
        people.set_password(session, people.first_maker(session), PASSWORD)
    here, _ = signed_in(app, "maker", PASSWORD)
    there, _ = signed_in(app, "maker", PASSWORD)

    def send(address, data):
        return here.post(address, data={**data, "csrf_token": token_in(here.get("/you").text)})

    wrong = send("/you/password", {"old": "not it at all", "new": "my new password"})
    assert "not your password until now" in wrong.text
    assert "At least 12" in send("/you/password", {"old": PASSWORD, "new": "x"}).text
    assert send("/you/password", {"old": PASSWORD, "new": "my new password"}).status_code == 302
    assert here.get("/milk").status_code == 200 and there.get("/milk").status_code == 302
    send("/you/everywhere", {})
    assert here.get("/milk").status_code == 302
    assert signed_in(app, "maker", "my new password")[1] == 200


def test_a_guesser_shuts_out_neither_the_maker_nor_everybody_by_a_long_name(app, demo_url):
    with sessions(demo_url).begin() as session:
        people.set_password(session, people.first_maker(session), PASSWORD)
    for _ in range(people.MOST_TRIES + 1):
        signed_in(app, "maker", "guess", "10.0.0.66")
    assert signed_in(app, "maker", PASSWORD, "10.0.0.66")[1] == 302
    assert signed_in(app, "maker", PASSWORD, "10.0.0.1")[1] == 200
    assert signed_in(app, "m" * 9000, PASSWORD, "10.0.0.1")[1] == 302
    with sessions(demo_url)() as session:
        longest = max(len(who) for who in session.scalars(select(people.SignInTry.who)))
    assert longest < 150


def test_many_guesses_at_one_moment_are_all_counted(app, demo_url):
    barrier = threading.Barrier(16)

    def guess():
        barrier.wait()
        signed_in(app, "maker", "guess", "10.0.0.7")

    hands = [threading.Thread(target=guess) for _ in range(16)]
    for hand in hands:
        hand.start()
    for hand in hands:
        hand.join()
    with sessions(demo_url)() as session:
        tries = session.scalars(select(people.SignInTry.who)).all()
    assert tries.count("pair:maker 10.0.0.7") == people.MOST_TRIES


def test_the_command_lets_in_gives_passwords_and_ends(app, demo_url, monkeypatch):
    monkeypatch.setenv("OPENPAIL_DATABASE_URL", demo_url)

    def run(*words):
        return CliRunner().invoke(main, ["people", *words])

    assert "· maker: " in run("list").output
    said = run("add", "wren", "helper").output
    assert signed_in(app, "wren", said.split()[-1])[1] == 200
    again = run("password", "wren").output
    old, new = said.split()[-1], again.split("is ")[1].split(";")[0]
    assert signed_in(app, "wren", old)[1] == 302 and signed_in(app, "wren", new)[1] == 200
    assert "has left" in run("end", "wren").output
    assert "left 20" in run("list").output
    assert "Nobody here signs in as wren" in run("end", "wren").output
    assert "One maker must stay" in run("end", "maker").output
    assert run("add", "x", "king").exit_code == 2


def test_each_device_is_listed_and_signed_out_by_itself(app, client, post):
    phone = app.test_client()
    agent = {"User-Agent": "Mozilla/5.0 (Linux; Android 14) Firefox/140.0"}
    token = token_in(phone.get("/sign-in", headers=agent).text)
    phone.post("/demo", data={"csrf_token": token}, headers=agent)
    assert phone.get("/milk").status_code == 200
    page = client.get("/you").text
    assert "Firefox on an Android device" in page and ", this one" in page
    (ends,) = re.findall(r'action="(/you/devices/[^"]+)"', page)
    new = {"login": "hand", "name": "A hand", "role": "helper", "password": PASSWORD}
    assert post("/dairy/people", new, "/dairy/people").status_code == 302
    other, _ = signed_in(app, "hand", PASSWORD)
    token = token_in(other.get("/you").text)
    assert other.post(ends, data={"csrf_token": token}).status_code == 404  # nobody else does
    assert phone.get("/milk").status_code == 200
    assert post(ends, {}, "/you").status_code == 302
    assert phone.get("/milk").status_code == 302 and client.get("/milk").status_code == 200
    assert "Android" not in client.get("/you").text


def test_a_device_that_nobody_used_for_a_month_is_signed_out(app, client, post):
    config = app.extensions["config"]
    app.extensions["config"] = replace(config, frozen_now=NOW + timedelta(days=29))
    assert client.get("/milk").status_code == 200  # seen again: from now on it counts anew
    app.extensions["config"] = replace(config, frozen_now=NOW + timedelta(days=58))
    assert client.get("/milk").status_code == 200
    app.extensions["config"] = replace(config, frozen_now=NOW + timedelta(days=89))
    assert client.get("/milk").status_code == 302


@pytest.mark.parametrize(
    ("password", "good"),
    [
        ("eleven-long", False),
        ("aaaaaaaaaaaaaaaa", False),
        ("password123456", False),
        ("wrenwrenwren1", False),
        ("cheesecheese12", False),
        ("four hens and a gate", True),
        ("ÄÖÜ zwölf Zeichen", True),
    ],
)
def test_a_password_that_is_guessed_first_is_none(client, post, password, good):
    new = {"login": "wren", "name": "Wren", "role": "helper", "password": password}
    assert (post("/dairy/people", new, "/dairy/people").status_code == 302) == good
