"""A dry run in the browser: its clock runs by itself, hands act, somebody calls, it is judged."""

import re

import pytest
from playwright.sync_api import expect

pytestmark = pytest.mark.e2e


def hand(page, name):
    button = page.get_by_role("button", name=name)
    with page.expect_response(lambda answer: "/do" in answer.url):
        button.first.click()


def warm(page):
    return float(page.locator("[data-live=warm]").inner_text().split()[0])


def test_a_beginner_warms_milk_in_fast_time_is_called_away_and_hears_how_it_went(page, monkeypatch):
    # Of this chance somebody calls in the ripening, when the milk is warm.
    monkeypatch.setattr("openpail.work.vat.practice.secrets.randbelow", lambda below: 8)
    page.goto("/recipes/larder-block")
    page.get_by_role("link", name="Practise it").click()
    expect(page.get_by_label("What", exact=True)).to_have_value("larder-block")
    page.get_by_label("Called away").check()
    page.get_by_label("A hot hob").check()
    page.get_by_role("button", name="Begin").click()
    expect(page.locator(".practice-stage h1")).to_have_text("Warm the milk to 32 °C")
    hand(page, "Full")
    expect(page.get_by_role("button", name="Full")).to_have_attribute("aria-pressed", "true")
    # The clock runs by itself, and the buttons stay where they are.
    page.locator("#hand-read").evaluate("(button) => { button.dataset.same = 'y'; }")
    page.get_by_role("button", name="1 min a second", exact=True).click()
    expect(page.locator("[data-live=warm]")).to_have_text(re.compile(r"^1\d\.\d"))
    page.get_by_role("button", name="Stopped").click()
    expect(page.locator("#hand-read")).to_have_attribute("data-same", "y")
    # By keyboard: a reading, then heat until it is there.
    page.locator("#hand-read").press("Enter")
    expect(page.locator(".practice-read li")).to_have_count(1)
    for _ in range(30):
        if warm(page) >= 30.5:
            break
        hand(page, "Let 1 min go by")
        expect(page.locator("[data-live=warm]")).not_to_be_empty()
    hand(page, "Off")
    expect(page.locator(".coach")).to_contain_text(re.compile("there|Over|On its way|ahead"))
    hand(page, "Done")
    expect(page.locator(".practice-stage h1")).to_have_text("Sprinkle the culture")
    # Time goes by until somebody calls; nothing can be done but go.
    page.get_by_role("button", name="20 min a second").click()
    expect(page.get_by_role("heading", name="You are wanted at the gate")).to_be_visible()
    hand(page, "Go, and come back")
    expect(page.locator(".coach").first).to_contain_text("Back.")
    page.get_by_role("button", name="Stopped").click()
    page.reload()
    expect(page.locator(".practice-time")).not_to_have_text("07:00")
    page.get_by_role("button", name="End it here, and judge it").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("steps as they should be")
    expect(page.locator("tr.how-not-reached").first).to_be_visible()
    page.get_by_role("button", name="The same day once more").click()
    expect(page.locator(".practice-mishaps")).to_contain_text("A hot hob")
    expect(page.locator(".practice-time")).to_have_text("07:00")
