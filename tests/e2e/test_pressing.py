"""Press & salt in a real browser, from a warm curd to a cheese that goes to rest."""

import re
from datetime import timedelta

import pytest
from playwright.sync_api import expect
from sqlalchemy import select

from openpail.craft.make.deeds import GivenUp
from openpail.records.makes.models import Make
from tests.conftest import NOW
from tests.e2e.conftest import tap, tap_with_word
from tests.support.makes import at_step, begun, say


@pytest.fixture
def brought(page, farm, later):
    """A make told up to a step, its page open at that moment."""

    def bring(recipe, step, milk="House cows"):
        make = begun(farm, recipe, milk)
        minutes = at_step(farm, make, step)
        later(minutes)
        page.goto(f"/vat/{make}")
        return make, minutes

    return bring


def big(page):
    return page.locator(".lead .big").inner_text()


def weigh(page):
    """What is expected is what the scale shows."""
    hint = page.locator(".panel", has_text="Out of the moulds").inner_text()
    kg = float(re.search(r"about ([\d.]+) kg in all", hint)[1])
    page.get_by_label(re.compile("It weighs|Weigh each")).fill(f"{kg} kg")
    tap(page, "Weighed")
    return kg


def under_press(page, name, load=None):
    page.get_by_text("Another load, or another press").click()
    page.locator("select[name=press]").select_option(label=name)
    if load is not None:
        page.get_by_label("On the cheese").fill(load)
    tap(page, "It is on")


def test_a_wheel_goes_from_its_mould_through_the_two_lever_press_into_the_brine(
    page,
    brought,
    later,
    farm,
):
    here = farm()
    cheddar = here.session.scalar(
        select(Make).where(Make.name == "Threshing Cheddar", Make.state == "under way")
    )
    say(farm, cheddar.id, 0, GivenUp("fed", "its press is wanted here"))
    _, minutes = brought("hatch", "mould")
    page.get_by_role("button", name=re.compile("^1 × tall mould")).click()
    expect(page.locator(".lead h1")).to_have_text("Press lightly")
    under_press(page, "two-lever press")
    expect(page.locator(".press-panel")).to_contain_text("On since")
    expect(page.locator(".press-drawn .beam")).to_have_count(2)
    assert "to hang, for" in page.locator(".lead .under").inner_text()
    light = big(page)
    later(30)
    tap(page, "Done")
    tap(page, "The rind is not closed: press once more")
    expect(page.locator(".lead h1")).to_have_text("Press lightly")
    assert big(page) == light
    tap(page, "The press is on")
    later(30)
    tap(page, "Done")
    later(10)
    tap(page, "Done")
    tap(page, "The press is on")
    assert "2 times" in page.locator(".log").inner_text()
    later(660)
    page.reload()
    tap_with_word(page, "Done", "it stood overnight")

    # two wheels: weighed in one heap, each with its number
    kg = weigh(page)
    expect(page.locator(".drawn")).to_contain_text("out of the moulds")
    expect(page.locator(".brine-choice").first).to_contain_text("the other way expects")
    told = page.locator(".brine-choice").first.inner_text()
    hours = re.search(r"(\d+) h(?: (\d+))?", told)
    lies = int(hours[1]) * 60 + int(hours[2] or 0)

    # so late that it would come out at 03:40, whatever the hour is now
    now = NOW + timedelta(minutes=minutes + 30 + 30 + 10 + 660, hours=1)  # Dublin's summer time
    wanted = now.replace(hour=3, minute=40, second=0) - timedelta(minutes=lies)
    while wanted < now:
        wanted += timedelta(days=1)
    later((wanted - now).total_seconds() / 60)
    page.reload()
    coach = page.locator(".brine-choice .coach").first
    expect(coach).to_contain_text(
        re.compile(r"come out at .*03:(39|4\d).*in the quiet hours", re.S)
    )
    expect(coach).to_contain_text(re.compile(r"comes out at .*06:3\d"))
    moment = re.search(r"In at (?:\w+ )?(\d\d:\d\d)", coach.inner_text())[1]
    page.get_by_role("button", name=re.compile(f"Remind me at .*{moment}")).first.click()
    expect(page.locator(".clock-tile", has_text="Into grey tub")).to_have_count(1)
    waits = (
        timedelta(hours=int(moment[:2]), minutes=int(moment[3:]))
        - timedelta(hours=wanted.hour, minutes=wanted.minute)
    ) % timedelta(days=1)
    later(waits.total_seconds() / 60)
    page.reload()
    page.get_by_role("button", name=re.compile("^In now: out .*06:3")).first.click()
    expect(page.locator(".lead .under")).to_contain_text("in grey tub: out at")
    expect(page.locator(".tub-drawn .wheel")).to_have_count(2)  # another lies in it already
    later(lies / 2)
    page.reload()
    tap(page, "Turned in the brine")
    later(lies / 2)
    page.reload()
    tap(page, "Done")
    page.get_by_role("link", name="Weigh it", exact=True).click()
    page.get_by_label("Weight of each piece, one a line").fill(f"{0.98 * kg:.2f} kg")
    page.get_by_role("button", name="Lay it down").click()
    page.locator(".laid a").first.click()
    expect(page.locator(".salt-held")).to_contain_text("% salt, as it is thought to hold")


def test_a_tub_is_read_and_freshened_and_the_reading_to_expect_is_said(page):
    page.goto("/press")
    page.locator(".tub", has_text="white tub").click()
    page.get_by_label("Read with").select_option("pct")
    page.get_by_label("It shows").fill("7.9")
    page.get_by_role("button", name="Keep the reading").click()
    expect(page.locator(".wants").first).to_contain_text("freshens it to 9.0 %")
    expect(page.locator(".wants").first).to_contain_text("g/mL")
    grams = re.search(r"(\d+) g of salt", page.locator(".wants").first.inner_text())[1]
    page.get_by_label("Salt that went in").fill(f"{grams} g")
    page.get_by_role("button", name="It is in").click()
    expect(page.locator(".one-tub .big")).to_contain_text(re.compile(r"9\.0|8\.9"))
    expect(page.locator(".why")).to_contain_text("g of salt in" if int(grams) < 1000 else "salt in")
    page.get_by_label("Pieces").fill("2")
    page.get_by_label("Each wide").fill("10 cm")
    page.get_by_label("Each high").fill("6 cm")
    page.get_by_role("button", name="Work it out").click()
    expect(page.get_by_role("status")).to_contain_text("cover it")


def test_a_blue_is_salted_over_three_days_each_with_its_grams(page, brought, later):
    brought("tarrow-blue", "salt", "Ewes")
    expect(page.locator(".rubs li")).to_have_count(3)
    kg = weigh(page)
    under = page.locator(".lead .under").inner_text()  # of salt today, …: 2 g on each of 27 pieces
    pieces = int(re.search(r"of (\d+) pieces", under)[1])
    grams = f"{kg / pieces * 12:.0f} g"
    whole = float(re.search(r"[\d.]+", big(page))[0])
    assert whole == pytest.approx(kg * 12, abs=0.6) and f"{grams} on each" in under
    tap(page, "Done")
    page.get_by_role("link", name="Weigh it", exact=True).click()
    weights = "\n".join([f"{kg / pieces:.4f} kg"] * pieces)
    page.get_by_label("Weight of each piece, one a line").fill(weights)
    page.get_by_role("button", name="Lay it down").click()
    for face in ("turned: the other face", "the side, rolled in it"):
        later(24 * 60)
        page.goto("/")
        care = page.locator("li, tr, form", has_text=f"Salt it, {grams}: {face}").first
        expect(care).to_be_visible()
        care.get_by_role("button").first.click()
        expect(page.get_by_role("status")).to_contain_text(f"Salt it, {grams}")


def test_a_screw_press_is_told_by_the_whey_and_a_stretched_cheese_walks_past(page, brought):
    brought("thatch", "press-light", "Goats, this morning")
    under_press(page, "screw press", "")
    panel = page.locator(".press-panel")
    expect(panel).to_contain_text("slow steady drip")
    assert "to hang" not in page.locator(".stage").inner_text()
    tap(page, "a slow steady drip, where the recipe wants it")
    tap(page, "Screwed down again")
    expect(page.locator(".log")).to_contain_text("Screwed down again")

    brought("skillet", "stretch")
    assert page.locator(".vat-head a", has_text="Press & salt").count() == 0
    page.goto("/press")
    expect(page.locator(".at-press")).to_contain_text("Thatch")
    assert "Skillet" not in page.locator(".at-press").inner_text()
