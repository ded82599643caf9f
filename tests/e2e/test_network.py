"""The vat while the network is away: nothing tapped is lost, nothing comes twice."""

import re
import uuid

import pytest
from playwright.sync_api import expect
from sqlalchemy import select
from sqlalchemy.orm import Session

from openpail.records.log.models import DeedRow
from openpail.records.session import engine_for
from tests.e2e.conftest import tap, tap_with_word
from tests.e2e.proxy import CUT, REPLY_LOST, WHOLE, Network
from tests.e2e.test_vat import heading, start
from tests.web.test_one_truth import named

pytestmark = pytest.mark.e2e


@pytest.fixture
def network(address):
    found = Network(int(address.rsplit(":", 1)[1]))
    yield found
    found.close()


@pytest.fixture
def away(browser, network):
    """A page whose network can be cut. It complains of that: its console says so."""
    context = browser.new_context(
        base_url=network.address, viewport={"width": 1280, "height": 800}, timezone_id="UTC"
    )
    page = context.new_page()
    errors = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    page.goto("/sign-in")
    page.get_by_role("button", name="Walk into the demo dairy").click()
    page.get_by_role("heading", name="Cares").wait_for()
    yield page
    context.close()
    assert not errors


@pytest.fixture
def told(demo_url):
    """The deeds of a make as they are kept, by the order of the device that told them."""

    def of(page):
        make = uuid.UUID(page.locator(".vat-now").get_attribute("data-make"))
        with Session(engine_for(demo_url)) as session:
            rows = session.scalars(select(DeedRow).where(DeedRow.subject_id == make)).all()
        return [row for row in sorted(rows, key=lambda row: row.counter) if row.counter]

    return of


def sign(page):
    return page.locator(".waiting-sign")


def begin(page):
    """A make begun, its page awake: a network that is cut before has cut its scripts off."""
    start(page, "Larder Block", "Goats, this morning", "stove pot")
    expect(page.locator("#reading-button")).to_be_enabled()


def waits(page):
    """How many taps wait in the outbox: asked of the page's own module."""
    loaded = "performance.getEntriesByType('resource').find(each => /vat.outbox/.test(each.name))"
    return page.evaluate(f"import({loaded}.name).then(it => it.outbox.all()).then(it => it.length)")


def until(page, done):
    """What a promise of the page tells is looked at until it is so."""
    for _ in range(600):
        if done():
            return
        page.wait_for_timeout(100)
    raise AssertionError(page.locator(".waiting-sign").inner_html() or "it did not come about")


def away_tap(page, name):
    """A tap that waits: it stands in the sign, and the page goes on by itself."""
    before = waits(page)
    page.locator(".vat-now").get_by_role("button", name=name, exact=True).first.click()
    until(page, lambda: waits(page) > before)


def ready(page):
    """The page may be opened again without the network."""
    kept = "caches.open('open-pail-pages').then(all => all.match(location.pathname)).then(Boolean)"
    until(page, lambda: page.evaluate(kept))


def answer_all(page):
    """The clock stands still: what is over at once is asked about, what follows waits for it."""
    word = sign(page).get_by_label("If it is so, a word: why")
    while not sign(page).is_hidden():
        until(page, lambda: word.count() or sign(page).is_hidden())
        if word.count():
            asked = sign(page).inner_html()
            word.fill("the clock stands still here")
            sign(page).get_by_role("button", name="Keep it with this word").click()
            until(page, lambda seen=asked: sign(page).inner_html() != seen)


def test_a_device_alone_tells_by_their_names_what_the_server_tells_after(away, network):
    page = away
    begin(page)
    ready(page)
    network.become(CUT)
    alone, ends = {}, page.locator("[data-till] time[data-of]")
    while not ends.count():
        away_tap(page, "Done")
        alone |= dict(named(page.locator(".vat-now .stage").inner_html()))
    till = ends.get_attribute("data-of")
    assert alone.keys() > {till}
    network.become(WHOLE)
    answer_all(page)
    expect(page.locator("[data-till]")).to_have_count(0)
    after = dict(named(page.locator(".vat-now").inner_html()))
    assert after[till] == alone[till]
    page.goto(page.url.replace("/vat/", "/makes/") + "/sheet")
    on_paper = dict(named(page.content()))
    doses = [name for name in alone if name.endswith("/dose")]
    assert doses and all(on_paper[name] == alone[name] for name in doses)


def test_twelve_taps_without_a_network_and_a_reload_are_told_once_each(away, network, told):
    page = away
    begin(page)
    ready(page)
    network.become(CUT)
    titles = [heading(page).inner_text()]
    away_tap(page, "Done")
    expect(sign(page)).to_contain_text("1 tap waits for the network")
    titles.append(heading(page).inner_text())
    assert titles[0] != titles[1]
    for warm in ("30", "31"):
        page.locator("#reading-button").click()
        page.locator("#reading-celsius").fill(warm)
        away_tap(page, "Keep the reading")
    away_tap(page, "Done")
    page.reload()
    expect(sign(page)).to_contain_text("4 taps wait")
    for title in titles:
        expect(page.locator(".vat-now .lead h1")).not_to_have_text(title)
    page.get_by_role("button", name="Timer").click()
    page.get_by_role("button", name="10 min").click()
    expect(sign(page)).to_contain_text("5 taps wait")
    expect(page.locator(".clock-tile", has_text="Timer")).to_be_visible()
    while waits(page) < 12:
        flocks = page.locator(".vat-now").get_by_role("button", name="First flocks", exact=True)
        clean = page.locator(".vat-now").get_by_role("button", name="Clean break", exact=True)
        name = "First flocks" if flocks.count() else "Clean break" if clean.count() else "Done"
        away_tap(page, name)
        if name == "First flocks":  # within the minute: asked here, by the server's own table
            expect(sign(page)).to_contain_text("First flocks after 1 min")
            sign(page).get_by_label("If it is so, a word: why").fill("the clock stands still here")
            sign(page).get_by_role("button", name="Keep it with this word").click()
            expect(page.locator(".vat-now .lead h1")).to_have_text("Leave it to set")
    here = page.locator(".vat-now .lead h1").inner_text()
    assert told(page) == []

    network.become(WHOLE)
    answer_all(page)
    rows = told(page)
    assert len(rows) == 12 and len({row.id for row in rows}) == 12
    assert [row.counter for row in rows] == sorted(row.counter for row in rows)
    assert [row.payload.get("celsius") for row in rows if row.deed == "reading"] == [30, 31]
    expect(heading(page)).to_have_text(here)  # the server goes on where the device was


def test_a_reply_that_was_lost_after_all_was_kept_tells_nothing_twice(away, network, told):
    page = away
    begin(page)
    page.get_by_role("button", name="Reading", exact=True).click()
    page.get_by_role("textbox", name="Temperature").fill("32")
    tap(page, "Keep the reading")
    network.become(REPLY_LOST)
    page.locator(".vat-now").get_by_role("button", name="Done", exact=True).first.click()
    network.lost.wait(30)
    expect(sign(page)).to_contain_text("1 tap waits")
    assert [row.deed for row in told(page)] == ["reading", "step_done"]
    network.become(WHOLE)
    expect(sign(page)).to_be_hidden()
    assert [row.deed for row in told(page)] == ["reading", "step_done"]
    tap(page, "Done")
    assert [row.deed for row in told(page)] == ["reading", "step_done", "step_done"]


def test_what_waits_outlives_a_sign_out_and_another_device_that_was_quicker(
    away, network, told, page, later
):
    begin(away)
    ready(away)
    page.goto(re.sub(r"^.*?(/vat/)", r"\1", away.url))
    first = heading(page).inner_text()
    network.become(CUT)
    away_tap(away, "Done")
    tap_with_word(page, "Done")  # the helper's phone has a network, and is quicker
    expect(heading(page)).not_to_have_text(first)
    later(10)  # else the still clock puts the tap that waited before the one that was quicker
    away.context.clear_cookies()
    network.become(WHOLE)
    expect(sign(away)).to_contain_text("Sign in, and they are delivered")
    away.get_by_role("link", name="Sign in, and they are delivered").click()
    away.get_by_role("button", name="Walk into the demo dairy").click()
    away.get_by_role("heading", name="Cares").wait_for()
    away.goto(page.url.replace(page.url.split("/vat")[0], ""))
    expect(sign(away)).to_contain_text("was done before: it is done once")
    away.get_by_role("button", name="Understood").click()
    expect(sign(away)).to_be_hidden()
    assert [row.deed for row in told(away)] == ["step_done"] * 2
    expect(heading(away)).to_have_text(heading(page).inner_text())


def test_a_tap_that_cannot_be_taken_is_told_with_its_reason_and_let_go(away, network, told):
    begin(away)
    network.become(CUT)
    away.locator("#reading-button").click()
    away.locator("#reading-celsius").fill("720")
    away_tap(away, "Keep the reading")
    away_tap(away, "Called away")
    network.become(WHOLE)
    expect(sign(away)).to_contain_text("Keep the reading at 10:30 was not taken")
    assert [row.deed for row in told(away)] == ["away"]
    sign(away).get_by_role("button", name="Let it go").click()
    expect(sign(away)).to_be_hidden()
    assert waits(away) == 0
