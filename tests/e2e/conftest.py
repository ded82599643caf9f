"""A real browser on a real server on a real database; any complaint of the page fails the test."""

import threading
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import pytest
from playwright.sync_api import expect, sync_playwright
from werkzeug.serving import make_server

from openpail.demo.shots import chromium
from openpail.web.app import create_app
from openpail.web.config import Config
from tests.conftest import NOW, SECRET, token_in

HERE = Path(__file__).parent
# A busy machine may stall for many seconds; that is no fault of a page.
PATIENCE_MS = 60_000
expect.set_options(timeout=PATIENCE_MS)

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--no-first-run",
    "--disable-sync",
    "--disable-quic",
    "--disable-background-networking",
    "--disable-component-update",
]


def pytest_collection_modifyitems(items):
    """A page may lose a race on a busy machine once: it is tried again, and the summary says so."""
    for item in items:
        if item.path.parent == HERE:
            item.add_marker(pytest.mark.flaky(reruns=1))


@pytest.fixture(scope="session")
def browser():
    with sync_playwright() as playwright:
        opened = playwright.chromium.launch(executable_path=chromium(), args=FLAGS)
        yield opened
        opened.close()


@pytest.fixture
def served(demo_url):
    """The application on the demo farm, its clock stopped; `later` moves it on."""
    return create_app(Config(database_url=demo_url, secret=SECRET, mode="demo", frozen_now=NOW))


@pytest.fixture
def later(served):
    """Let so many minutes pass at the server."""

    def pass_minutes(minutes):
        config = served.extensions["config"]
        moment = config.frozen_now + timedelta(minutes=minutes)
        served.extensions["config"] = replace(config, frozen_now=moment)

    return pass_minutes


@pytest.fixture
def address(served):
    """The application served on loopback."""
    server = make_server("127.0.0.1", 0, served, threaded=True)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{server.port}"
    server.shutdown()
    thread.join()
    server.server_close()


@pytest.fixture
def page(browser, address, served):
    """A page signed in as the demo's maker."""
    door = served.test_client()
    door.post("/demo", data={"csrf_token": token_in(door.get("/sign-in").text)})
    cookie = door.get_cookie("openpail_demo")
    context = browser.new_context(
        base_url=address, viewport={"width": 1280, "height": 800}, timezone_id="Europe/Dublin"
    )
    opened = context.new_page()
    opened.set_default_timeout(PATIENCE_MS)
    complaints = []
    opened.on("pageerror", lambda error: complaints.append(str(error)))
    opened.on(
        "console",
        lambda message: (
            complaints.append(message.text)
            if message.type == "error" and "422" not in message.text
            else None
        ),
    )
    context.add_cookies([{"name": cookie.key, "value": cookie.value, "url": address}])
    opened.goto("/")
    yield opened
    context.close()
    assert not complaints


CHANGED = "seen => document.querySelector('.vat-now').dataset.version !== seen"
REFUSED = "document.querySelector('.big-words, .vfield .error')"
ANSWERED = f"seen => ({CHANGED})(seen) || document.querySelector('[data-asked]')"


def tap(page, name, root=None):
    """At the vat a tap is told, and the page comes anew in its place."""
    seen = page.locator(".vat-now").get_attribute("data-version")
    page.evaluate(
        "document.querySelectorAll('.big-words, .vfield .error').forEach(e => e.remove())"
    )
    (root or page).get_by_role("button", name=name, exact=True).first.click()
    page.wait_for_function(f"seen => ({CHANGED})(seen) || {REFUSED}", arg=seen)
    words = page.locator("[role=alert], .vfield .error").all_inner_texts()
    assert not page.evaluate(f"Boolean({REFUSED})"), words


def tap_with_word(page, name, word="the clock stands still here"):
    """A tap that may be asked about: it is kept with a word."""
    seen = page.locator(".vat-now").get_attribute("data-version")
    page.get_by_role("button", name=name, exact=True).first.click()
    page.wait_for_function(ANSWERED, arg=seen)
    if page.locator("[data-asked]").count():
        page.locator("[data-asked]").fill(word)
        tap(page, "Keep it with this word")
