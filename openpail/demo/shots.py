"""The pictures of docs/screenshots: the demo farm at a fixed morning, in headless Chromium."""

from __future__ import annotations

import logging
import secrets
import sys
import threading
from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from pathlib import Path
from shutil import which

from playwright.sync_api import Page, sync_playwright
from sqlalchemy import make_url
from werkzeug.serving import make_server

from openpail.demo import load as demo
from openpail.records.schema import create_database, migrate
from openpail.web.app import create_app
from openpail.web.config import Config

FOLDER = Path(__file__).parents[2] / "docs" / "screenshots"
NOW = datetime(2026, 5, 4, 9, 30, tzinfo=UTC)
FLAGS = ["--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking"]


def chromium() -> str | None:
    """Where Debian's Chromium is: the one without windows, else the whole one; None for neither."""
    return which("chromium-headless-shell") or which("chromium")


def _goats(page: Page) -> None:
    page.goto("/milk")
    page.get_by_role("link", name="Goats, this morning").click()


def _sheet(page: Page) -> None:
    _goats(page)
    page.get_by_role("link", name="Make a sheet of it").click()
    page.locator("input[value=larder-block]").check()
    page.get_by_role("button", name="Work it out").click()
    page.locator("#why-rennet").wait_for()


def _bench(page: Page) -> None:
    page.goto("/bench")
    page.get_by_label("casein : fat").fill("0.70")
    page.get_by_label("Cream may be taken off").select_option("hand")
    page.locator(".suggestion").first.wait_for()


def _plan(page: Page) -> None:
    """The first thing that fits tomorrow, planned."""
    page.goto("/which")
    page.locator(".days a").nth(1).click()
    page.locator(".which-go button").first.click()
    page.locator(".starts").wait_for()


def _logbook(page: Page) -> None:
    """A finished make on its page."""
    page.goto("/logbook?recipe=larder-block")
    page.locator("tbody th a").nth(1).click()


def _piece(page: Page) -> None:
    page.goto("/cave")
    page.locator(".on-shelf").nth(8).click()


def _desk(page: Page) -> None:
    page.goto("/recipes/threshing-cheddar")
    page.get_by_role("button", name="Change it").click()
    page.locator(".desk-nav").get_by_role("link", name="Warm the curd").click()


_CARD = """A card from the neighbour of the mill
3 gal goat milk
1/4 tsp mild culture, a pinch of smear
rennet in 1/4 cup cool water
Warm to 88 F. Culture in, let sit 45'.
Add rennet, stir a minute, leave 40 min to a clean break.
Cut walnut, rest 5, stir 20 until it holds its shape
whey off 1/3, add 1 gal water 95F, stir 10
fill 4 moulds, turn 10 min, 30 min, 1 hr, 3 hr
brine 18% 6 hrs
55F 95% 5 wks, wash w/ 3% brine every other day
sing to it"""


def _bring(page: Page) -> None:
    page.goto("/recipes/bring")
    field = page.get_by_label("The recipe")
    field.fill(_CARD)
    page.locator(".make-column").wait_for()
    field.evaluate("(field, at) => field.setSelectionRange(at, at)", _CARD.index("45"))
    field.press("Shift")


def _practice(page: Page) -> None:
    """Milk on a hot hob, some minutes on."""
    page.goto("/practice?recipe=larder-block")
    page.get_by_label("A hot hob").check()
    page.get_by_role("button", name="Begin").click()
    for name in ("Full", "Let 15 min", "Read it", "Let 5 min"):
        with page.expect_response(lambda answer: "/do" in answer.url) as told:
            page.get_by_role("button", name=name).first.click()
        told.value.finished()


SHOTS: tuple[tuple[str, Callable[[Page], object]], ...] = (
    ("today", lambda page: page.goto("/")),
    ("milk", _goats),
    ("bench", _bench),
    ("sheet", _sheet),
    ("stock", lambda page: page.goto("/stock")),
    ("vat", lambda page: page.goto("/vat")),
    ("press", lambda page: page.goto("/press")),
    ("cave", lambda page: page.goto("/cave")),
    ("piece", _piece),
    ("table", lambda page: page.goto("/table")),
    ("recipe", lambda page: page.goto("/recipes/threshing-cheddar")),
    ("bring", _bring),
    ("desk", _desk),
    ("which", lambda page: page.goto("/which")),
    ("plan", _plan),
    ("days", lambda page: page.goto("/days")),
    ("logbook", _logbook),
    ("dairy", lambda page: page.goto("/dairy/gear")),
    ("practice", _practice),
)


def take(url: str, names: Sequence[str]) -> None:
    """Take the named pictures, or all, of the demo in a database of its own."""
    if make_url(url).database not in demo.DATABASES:
        raise SystemExit("The pictures are made from the demo's own database only.")
    demo.drop(url)
    create_database(url)
    migrate(url)
    demo.ready(url, NOW)
    logging.getLogger("werkzeug").setLevel(logging.WARNING)
    app = create_app(
        Config(database_url=url, secret=secrets.token_urlsafe(48), mode="demo", frozen_now=NOW)
    )
    server = make_server("127.0.0.1", 0, app, threaded=True)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        _take(f"http://127.0.0.1:{server.port}", names)
    finally:
        server.shutdown()


def _take(address: str, names: Sequence[str]) -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium(), args=FLAGS)
        page = browser.new_page(base_url=address, viewport={"width": 1280, "height": 800})
        page.goto("/sign-in")
        page.get_by_role("button", name="Walk into the demo dairy").click()
        for name, go in SHOTS:
            if not names or name in names:
                go(page)
                page.wait_for_timeout(500)
                page.screenshot(path=FOLDER / f"{name}.png")
                sys.stdout.write(f"· docs/screenshots/{name}.png\n")
        browser.close()
