"""What all tests share: the folder of golden cases, and the throw-away PostgreSQL."""

import os
import re
import uuid
from copy import copy
from datetime import UTC, datetime, timedelta
from functools import cache
from pathlib import Path

import pytest
from argon2 import PasswordHasher
from flask import Flask
from hypothesis import HealthCheck, settings
from jinja2 import BytecodeCache
from sqlalchemy import Engine, create_engine, make_url, select, text
from werkzeug.test import TestResponse

from openpail.demo.load import load
from openpail.records.dairy.models import Dairy
from openpail.records.people import actions as people
from openpail.records.schema import migrate
from openpail.records.session import engine_for, sessions
from openpail.web.app import create_app
from openpail.web.clock import MachineClock
from openpail.web.config import Config
from openpail.work.here import Here

NOW = datetime(2026, 5, 4, 9, 30, tzinfo=UTC)
SECRET = "a secret for tests only, long enough to be one"
# Each process of the run has templates of its own: a template in use cannot be copied.
_PROCESS = os.environ.get("PYTEST_XDIST_WORKER", "only")
TABLES, DEMO = f"template_tables_{_PROCESS}", f"template_demo_{_PROCESS}"
# No time limit on an example: speed is bench/'s matter. The same examples every time in CI.
settings.register_profile(
    "steady",
    deadline=None,
    derandomize="CI" in os.environ,
    suppress_health_check=[HealthCheck.too_slow],
)
settings.load_profile("steady")


class _Compiled(BytecodeCache):
    """Templates as they were compiled once: nearly every test has an application of its own."""

    def __init__(self):
        self.kept = {}

    def load_bytecode(self, bucket):
        if bucket.key in self.kept:
            bucket.bytecode_from_string(self.kept[bucket.key])

    def dump_bytecode(self, bucket):
        self.kept[bucket.key] = bucket.bytecode_to_string()


# A hash that is dear to whoever guesses is dear to a thousand tests too.
people._hasher = PasswordHasher(time_cost=1, memory_cost=64, parallelism=1)
people._nobody = people._hasher.hash(SECRET)
Flask.jinja_options = {"bytecode_cache": _Compiled()}


def _as_read(answer):
    """A page as a browser reads it: where a template's line breaks is no matter of what it says."""
    text = answer.get_data(as_text=True)
    return re.sub(r"\s*\n\s+", " ", text) if answer.mimetype == "text/html" else text


TestResponse.text = property(_as_read)

GOLDEN = Path(__file__).parent / "golden" / "cases"


def pytest_addoption(parser):
    parser.addoption("--golden", default=str(GOLDEN), help="folder of golden cases")


# The files that take longest, so that neither process is left with one of them at the end.
_FIRST = ("e2e/test_line", "records/test_pail", "e2e/test_vat", "e2e/", "test_fuzz", "records/")


def pytest_collection_modifyitems(items):
    def turn(item):
        path = item.nodeid
        return next((n for n, part in enumerate(_FIRST) if part in path), len(_FIRST))

    items.sort(key=turn)


def pytest_generate_tests(metafunc):
    if "golden_file" in metafunc.fixturenames:
        folder = Path(metafunc.config.getoption("--golden"))
        found = sorted(folder.glob("*.csv"))
        if not found:
            raise pytest.UsageError(f"no golden cases in {folder}")
        metafunc.parametrize("golden_file", found, ids=[each.stem for each in found])


def _server() -> str:
    url = os.environ.get("OPENPAIL_TEST_DATABASE_URL")
    if not url:
        pytest.fail("No PostgreSQL to test on: run ./pail test, which starts one.")
    return url


@cache
def _at_the_server() -> Engine:
    return create_engine(_server(), isolation_level="AUTOCOMMIT")


def _admin(statement: str) -> None:
    with _at_the_server().connect() as connection:
        connection.execute(text(statement))


def _sibling(name: str) -> str:
    return make_url(_server()).set(database=name).render_as_string(hide_password=False)


@pytest.fixture(scope="session")
def template_url():
    """A database with today's tables, made by the migrations, copied for each test."""
    _admin(f"create database {TABLES}")
    url = _sibling(TABLES)
    migrate(url)
    return url


@pytest.fixture
def database_url(template_url):
    """A copy of the tables for one test."""
    name = f"t_{uuid.uuid4().hex}"
    _admin(f"create database {name} template {TABLES} strategy = file_copy")
    yield _sibling(name)
    engine_for(_sibling(name)).dispose()
    _admin(f"drop database {name} with (force)")


@pytest.fixture
def session(database_url):
    with sessions(database_url)() as opened:
        yield opened


@pytest.fixture(scope="session")
def demo_template(template_url):
    """The demo farm at a fixed morning, loaded once."""
    _admin(f"create database {DEMO} template {TABLES}")
    url = _sibling(DEMO)
    with sessions(url).begin() as opened:
        load(opened, NOW)
    engine_for(url).dispose()
    return url


@pytest.fixture
def demo_url(demo_template):
    name = f"d_{uuid.uuid4().hex}"
    _admin(f"create database {name} template {DEMO} strategy = file_copy")
    yield _sibling(name)
    engine_for(_sibling(name)).dispose()
    _admin(f"drop database {name} with (force)")


@pytest.fixture
def farm(demo_url):
    """Work on the demo farm, as at a moment: here(minutes). What a page wrote in between is read
    anew: an object that nobody has thrown away yet would still tell of before."""
    with sessions(demo_url)() as session:
        dairy = session.scalar(select(Dairy))

        def here(minutes=0.0):
            session.flush()
            session.expire_all()
            return Here(session, dairy, NOW + timedelta(minutes=minutes))

        yield here
        session.rollback()


_APPS: dict[datetime, Flask] = {}


def application(url, moment=NOW):
    """The application on a demo farm, its clock stopped at a moment: built once for each."""
    config = Config(database_url=url, secret=SECRET, mode="demo", frozen_now=moment)
    if moment not in _APPS:
        if len(_APPS) >= 8:
            del _APPS[next(iter(_APPS))]
        _APPS[moment] = built = create_app(config)
        built.extensions["as built"] = copy(built.config), copy(built.view_functions)
    found = _APPS[moment]
    found.config, found.view_functions = map(copy, found.extensions["as built"])
    found.extensions.update(config=config, sessions=sessions(url), machine_clock=MachineClock())
    return found


@pytest.fixture
def app(demo_url):
    """The application on the demo farm, its clock stopped."""
    return application(demo_url)


@pytest.fixture
def client(app):
    return app.test_client()


def token_in(page: str) -> str:
    return re.search(r'name="csrf_token"[^>]*value="([^"]+)"', page)[1]


@pytest.fixture
def post(client):
    """Post a form with the token of a page, signed in as the demo's maker."""
    first = client.get("/sign-in").text
    client.post("/demo", data={"csrf_token": token_in(first)})

    def send(address, data, page="/milk", **more):
        return client.post(
            address, data={**data, "csrf_token": token_in(client.get(page).text)}, **more
        )

    return send
