"""What an attacker would try: scripts in every free text, the time that a sign-in takes, paths, and
forms of another's making."""

import time
import uuid
from html.parser import HTMLParser

import pytest
from argon2 import PasswordHasher

from openpail.craft.make.deeds import Ticked
from openpail.records.people import actions as people
from tests.conftest import token_in
from tests.support.makes import begun, say, send
from tests.support.pages import crawl
from tests.web.test_forms import GOOD

NASTY = "<script>alert(1)</script><img src=x onerror=alert(2)>'\"{{7*7}}"


class Live(HTMLParser):
    """What of a page would run: scripts of no file of ours, and attributes that act."""

    def __init__(self, page):
        super().__init__()
        self.found = []
        self.feed(page)

    def handle_starttag(self, tag, pairs):
        given = dict(pairs)
        src = given.get("src") or "/"
        if tag in ("script", "img", "iframe") and not src.startswith("/"):
            self.found.append((tag, src))
        if tag == "script" and "src" not in given and given.get("type") != "application/json":
            self.found.append((tag, "inline"))
        self.found += [(tag, name) for name in given if name.startswith("on")]
        self.found += [(tag, v) for v in given.values() if (v or "").startswith("javascript:")]


@pytest.fixture
def nasty(client, post, farm):
    """A dairy in which every free text that a hand can reach holds a script."""
    post("/milk", {**GOOD, "name": NASTY[:60]})
    make_id = begun(farm, "larder-block")
    here = farm(5)
    say(farm, make_id, 5, Ticked(NASTY))
    told = {"event": str(uuid.uuid4()), "deed": "reading", "note": NASTY}
    send(client, f"/vat/{make_id}/tell", told, f"/vat/{make_id}")
    send(client, "/logbook/looks?words=goat", {"name": NASTY[:50]}, "/logbook?words=goat")
    trial = {"recipe": "larder-block", "words": NASTY, "fact": "", "each": "3"}
    send(client, "/logbook/trials", trial, "/logbook/trials")
    post(
        "/dairy/people",
        {"login": "odd", "name": NASTY, "role": "reader", "password": "a long password"},
    )
    here.dairy.name = NASTY
    here.session.commit()
    return make_id


def test_a_script_in_a_free_text_is_text_on_every_page(app, client, nasty):
    pages = crawl(app, client, each=3, strict=False)
    shown = 0
    for address, page in pages.items():
        assert Live(page).found == [], address
        shown += page.count("&lt;script&gt;alert(1)")
    assert len(pages) > 60 and shown > 20
    assert "49" not in client.get(f"/vat/{nasty}").text.split("&lt;script")[1][:80]


def test_an_unknown_name_costs_as_much_as_a_wrong_password(app, client, monkeypatch):
    asked = []
    verify = PasswordHasher.verify

    def counted(self, hashed, password):
        asked.append(hashed)
        return verify(self, hashed, password)

    monkeypatch.setattr(people.PasswordHasher, "verify", counted)
    took = {}
    for login in ("maker", "nobody-of-that-name"):
        data = {
            "login": login,
            "password": "guess",
            "csrf_token": token_in(client.get("/sign-in").text),
        }
        before, began = len(asked), time.perf_counter()
        page = client.post("/sign-in", data=data).text
        took[login] = time.perf_counter() - began
        assert "do not go together" in page
        assert len(asked) == before + 1, login
    assert took["maker"] > 0


@pytest.mark.parametrize(
    "path",
    [
        "/static/../openpail/cli.py",
        "/static/%2e%2e/%2e%2e/etc/passwd",
        "/static/..%5c..%5cpail",
        "/static/css/%00",
        "/recipes/..%2f..%2fetc%2fpasswd",
        "/calendar/..%2f..%2fx.ics",
    ],
)
def test_no_path_leads_out_of_what_is_served(client, post, path):
    answer = client.get(path)
    assert answer.status_code in (301, 302, 308, 400, 404)
    assert "root:" not in answer.text and "import" not in answer.text


def test_a_form_without_its_token_or_with_anothers_changes_nothing(app, client, post, farm):
    before = client.get("/milk").text.count('href="/milk/')
    assert client.post("/milk", data=GOOD).status_code == 400
    other = app.test_client()
    theirs = token_in(other.get("/sign-in").text)
    assert client.post("/milk", data={**GOOD, "csrf_token": theirs}).status_code == 400
    assert client.get("/milk").text.count('href="/milk/') == before
