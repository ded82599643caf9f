"""The clock in the browser: from an old pail to two makes, one moved, one begun, none at night."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import expect
from sqlalchemy import delete

from openpail.records.plans.models import PlannedMake
from openpail.records.session import sessions

pytestmark = pytest.mark.e2e
AXE = (Path(__file__).parent / "vendor" / "axe.min.js").read_text()


@pytest.fixture(autouse=True)
def nothing_planned(demo_url):
    """The demo farm has a plan of its own: these begin without."""
    with sessions(demo_url).begin() as session:
        session.execute(delete(PlannedMake))


def plan_it(page, recipe):
    """Plan a recipe with its button; the second touch after “Which can I make?”."""
    row = page.locator(".which-row", has=page.get_by_role("link", name=recipe, exact=True))
    row.get_by_role("button", name=re.compile("Plan it for")).click()
    expect(page.get_by_role("heading", level=1)).to_contain_text(recipe)


def is_clear(page):
    expect(page.locator(".good")).to_have_text(
        "No hand is wanted in quiet hours, and nothing twice."
    )


def fits_and_is_accessible(page):
    page.evaluate(AXE)
    found = page.evaluate("axe.run({resultTypes: ['violations']})")["violations"]
    assert [each["id"] for each in found if each["impact"] in ("serious", "critical")] == []
    for width in (390, 820, 1280):
        page.set_viewport_size({"width": width, "height": 800})
        assert page.evaluate("document.documentElement.scrollWidth") <= width


def test_two_makes_are_planned_on_one_day_one_is_moved_and_one_begun(page):
    page.get_by_role("link", name="Which can I make of it?").click()
    first = page.locator(".is-fits .which-row").first
    expect(first).to_contain_text("Goats, older, 53 h old")  # the old lot leads
    plan_it(page, "Thatch")
    is_clear(page)
    thatch = page.url
    fits_and_is_accessible(page)
    page.get_by_role("link", name="Today").click()
    page.get_by_role("link", name="Which can I make of it?").click()
    expect(page.locator(".lead")).not_to_contain_text("Goats")  # the first make has them
    plan_it(page, "Skillet")
    is_clear(page)
    skillet = page.url

    page.goto("/days")
    today = page.locator(".day").first
    expect(today.locator(".lane", has_text="Thatch, planned")).to_be_visible()
    expect(today.locator(".lane", has_text="Skillet, planned")).to_be_visible()
    expect(today.locator(".quiet").last).to_be_visible()
    with page.expect_download() as got:
        page.get_by_role("link", name="The calendar as a file").click()
    assert "SUMMARY:Thatch: " in Path(got.value.path()).read_text()

    page.goto(thatch)
    page.get_by_label("Day and time").fill("2026-05-05T03:00")
    page.get_by_role("button", name="Begin it then").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Thatch, tomorrow 03:00")
    expect(page.locator(".say").first).to_contain_text("in quiet hours")
    page.locator(".starts button", has_text="Tue").first.click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Thatch, tomorrow")
    is_clear(page)

    page.goto(skillet)
    page.get_by_label("Day and time").fill("2026-05-04T14:00")
    page.get_by_role("button", name="Begin it then").click()
    page.goto(thatch)  # back to today, where the other is wanted soon
    page.get_by_label("Day and time").fill("2026-05-04T10:32")
    page.get_by_role("button", name="Begin it then").click()
    page.goto(skillet)
    page.get_by_role("button", name="Start it now").click()
    pot = page.locator("select[name=vat] option", has_text="jacketed").get_attribute("value")
    page.locator("select[name=vat]").select_option(pot)
    page.wait_for_url(re.compile("vat="))
    page.get_by_role("button", name="Start the make").click()
    expect(page.locator(".big")).to_be_visible()
    page.goto("/")
    expect(page.get_by_text("moved from today 10:32")).to_be_visible()
    expect(page.locator("#cares")).not_to_contain_text("Skillet")  # begun, planned no more
    page.goto(thatch)
    expect(page.get_by_text("another make was begun that stood in its way")).to_be_visible()
    is_clear(page)


def test_frozen_milk_is_planned_thawed_on_its_day_and_its_kit_set_out(page, later):
    page.goto("/which")
    expect(page.locator(".lead")).not_to_contain_text("Ewes, last summer")
    page.get_by_role("link", name=re.compile("Thu")).click()
    expect(page.locator(".lead")).to_contain_text("Ewes, last summer (to be thawed)")
    plan_it(page, "Tarrow Blue")
    is_clear(page)
    expect(page.get_by_text("Some of its milk is still in the freezer.")).to_be_visible()
    page.goto("/")
    before = page.locator("#cares")
    thaw = before.get_by_role("button", name=re.compile("Done: Ewes, last summer out"))
    expect(before).to_contain_text("for Tarrow Blue, Thursday")
    expect(before).to_contain_text("· tomorrow")
    later(24 * 60)  # its day has come
    page.goto("/")
    expect(before).to_contain_text("· today")
    thaw.click()
    expect(thaw).to_have_count(0)
    page.get_by_role("link", name=re.compile("Tarrow Blue")).first.click()
    expect(page.get_by_text("still in the freezer")).to_have_count(0)
    later(24 * 60)
    page.goto("/")
    kit = page.get_by_role("button", name="Done: set out for Tarrow Blue")
    expect(kit).to_have_count(1)
    page.get_by_role("link", name=re.compile("Tarrow Blue, tomorrow")).first.click()
    tick = page.get_by_role("button", name="Ready: Thermometer")
    tick.focus()
    page.keyboard.press("Enter")
    expect(tick).to_have_attribute("aria-pressed", "true")
    page.goto("/")
    kit.click()
    expect(kit).to_have_count(0)
