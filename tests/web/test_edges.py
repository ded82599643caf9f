"""Permissions, tokens, headers, errors, sizes: what holds for every page."""

import gzip
import json
import re
from pathlib import Path

import pytest
from sqlalchemy import select, update

from openpail.craft.house import shipped
from openpail.records.people import actions as people
from openpail.records.people.models import Person
from openpail.records.session import sessions
from openpail.web.app import create_app
from openpail.web.config import BadConfig, Config, from_environment
from tests.conftest import NOW, SECRET, token_in

WEB = Path(create_app.__code__.co_filename).parent
PAGES = [
    "/",
    "/milk",
    "/milk/herds",
    "/milk/file",
    "/sheet",
    "/cave",
    "/table",
    "/recipes",
    "/recipes/larder-block",
    "/dairy/house",
    "/dairy",
]


def test_every_endpoint_names_its_permission(app):
    for rule in app.url_map.iter_rules():
        assert hasattr(app.view_functions[rule.endpoint], "permission"), rule.endpoint


def test_signed_out_goes_to_the_door_and_nothing_changes_by_get(client, app):
    for rule in app.url_map.iter_rules():
        view = app.view_functions[rule.endpoint]
        address = re.sub(r"<[^>]+>", "00000000-0000-0000-0000-000000000000", rule.rule)
        if view.permission == "public":
            continue
        if "GET" in rule.methods:
            assert client.get(address).status_code == 302, address
        if "POST" in rule.methods:
            assert client.post(address).status_code == 400, address  # no token


def test_a_reader_reads_and_may_not_write(app, client):
    app.config["WTF_CSRF_ENABLED"] = False
    with sessions(app.extensions["config"].database_url).begin() as session:
        hashed = people._hasher.hash("a long password")
        session.execute(update(Person).values(password_hash=hashed))
        assert session.scalar(select(Person).where(Person.login == "reader"))
    client.post("/sign-in", data={"login": "reader", "password": "a long password"})
    assert client.get("/milk").status_code == 200
    assert client.post("/milk", data={}).status_code == 403
    assert "Start the make" not in client.get("/sheet").text
    client.post("/sign-out")
    client.post("/sign-in", data={"login": "helper", "password": "a long password"})
    assert client.post("/milk", data={}).status_code == 200
    assert client.post("/dairy/ways", data={}).status_code == 403


def test_headers_are_strict_and_cookies_are_kept_from_scripts(client, post):
    response = client.get("/milk")
    policy = response.headers["Content-Security-Policy"]
    assert "script-src 'self'" in policy and "unsafe" not in policy
    assert response.headers["X-Content-Type-Options"] == "nosniff"
    cookie = client.get_cookie("openpail_demo")
    assert cookie.http_only and cookie.same_site == "Lax"


@pytest.mark.parametrize("page", PAGES)
def test_a_later_page_is_small_and_the_first_load_too(client, post, page):
    response = client.get(page)
    assert response.status_code == 200
    assert len(gzip.compress(response.data)) < 60_000
    assets = set(re.findall(r'(?:href|src)="(/static/[^"]+)"', response.text))
    fonts = [name for name in client.application.extensions["assets"] if name.endswith("woff2")]
    sent = sum(len(gzip.compress(client.get(each).data)) for each in assets)
    sent += sum(len(client.get(f"/static/{name}").data) for name in fonts)
    assert sent < 450_000
    assert "immutable" in client.get(next(iter(assets))).headers["Cache-Control"]


def test_a_bug_has_a_number_that_the_log_also_has(app, client, post, caplog):
    app.view_functions["recipes.page"] = lambda: 1 / 0
    app.view_functions["recipes.page"].permission = "public"
    page = client.get("/recipes")
    number = re.search(r"<code>(\w+)</code>", page.text)[1]
    assert page.status_code == 500
    assert number in caplog.text and "ZeroDivisionError" in caplog.text


def test_nothing_here_has_a_way_back(client, post):
    page = client.get("/milk/00000000-0000-0000-0000-000000000000")
    assert page.status_code == 404 and "Back to Today" in page.text
    assert client.get("/no-such-page").status_code == 404
    assert client.get("/health").text == "ok\n"


def test_the_way_back_after_sign_in_never_leaves_the_dairy(client):
    token = token_in(client.get("/sign-in").text)
    for wish in ("//elsewhere.example", "https://elsewhere.example", "/\\elsewhere"):
        client.post("/demo", data={"csrf_token": token})
        page = client.get("/sign-in", query_string={"next": wish})
        assert page.headers["Location"] == "/"


def test_a_demo_door_is_shut_in_a_real_dairy(demo_url):
    real = create_app(
        Config(database_url=demo_url, secret=SECRET, mode="serve", frozen_now=NOW)
    ).test_client()
    page = real.get("/sign-in").text
    assert "demo" not in page
    assert real.post("/demo", data={"csrf_token": token_in(page)}).status_code == 404


def test_where_it_was_said_how_we_are_reached_no_other_host_is_answered(demo_url):
    config = Config(
        database_url=demo_url,
        secret=SECRET,
        mode="demo",
        frozen_now=NOW,
        address="https://dairy.example",
    )
    there = create_app(config).test_client()
    assert there.get("/health", base_url="https://dairy.example").status_code == 200
    assert there.get("/health").status_code == 200  # this machine itself
    assert there.get("/health", base_url="https://elsewhere.example").status_code == 400


@pytest.mark.parametrize(
    ("env", "words"),
    [
        ({}, "OPENPAIL_DATABASE_URL"),
        ({"OPENPAIL_DATABASE_URL": "x", "OPENPAIL_SECRET": "changeme"}, "must be your own"),
        ({"OPENPAIL_DATABASE_URL": "x", "OPENPAIL_SECRET": "short"}, "32 characters"),
        ({"OPENPAIL_DATABASE_URL": "x", "OPENPAIL_MODE": "party"}, "serve, demo or test"),
        (
            {"OPENPAIL_DATABASE_URL": "x", "OPENPAIL_SECRET": SECRET, "OPENPAIL_ADDRESS": "dairy"},
            "like https://dairy.example",
        ),
    ],
)
def test_settings_that_will_not_do_keep_it_from_starting(env, words):
    with pytest.raises(BadConfig, match=words):
        from_environment(env)


def test_a_first_dairy_is_founded_with_the_token(database_url):
    with sessions(database_url).begin() as session:
        token = people.new_setup_token(session, NOW)
    client = create_app(
        Config(database_url=database_url, secret=SECRET, mode="serve", frozen_now=NOW)
    ).test_client()
    form = {
        "csrf_token": token_in(client.get("/set-up").text),
        "token": "wrong",
        "name": "Hill",
        "zone": "Europe/Dublin",
        "volume_system": "us",
        "mass_system": "us",
        "degrees": "F",
        "login": "maker",
        "password": "a long password",
    }
    refused = client.post("/set-up", data=form).text
    assert "not the token" in refused and 'value="Hill"' in refused
    short = client.post("/set-up", data={**form, "token": token, "password": "short"}).text
    assert "At least 12 characters" in short
    assert client.post("/set-up", data={**form, "token": token}).headers["Location"] == "/"
    assert "Larder Block" in client.get("/recipes").text
    assert "US gal" in client.get("/recipes/larder-block").text


def test_templates_do_no_sums_on_figures_and_scripts_know_no_house_value():
    sums = re.compile(r"\{\{[^}]*\.value\s*[*+]\s*[\d(]")
    for template in WEB.rglob("templates/**/*.html"):
        assert not sums.search(template.read_text()), template.name
        assert "style=" not in template.read_text(), template.name
        assert not re.search(r"<script(?![^>]*src=)|\son\w+=", template.read_text()), template.name
    scripts = [*WEB.glob("*/*.js"), *WEB.glob("static/js/*.js")]
    script = "\n".join(path.read_text() for path in scripts)
    telling = {f"{v.value:g}" for v in shipped().values() if isinstance(v.value, float)}
    telling = {number for number in telling if "." in number and len(number) > 3}
    assert not {
        number for number in telling if re.search(rf"(?<!\d){re.escape(number)}(?!\d)", script)
    }


def test_a_recipe_leaves_as_its_open_file(client, post):
    body = client.get("/recipes/bench-curd.json")
    assert json.loads(body.text)["format"] == "open-pail-recipe"
    assert "attachment" in body.headers["Content-Disposition"]
