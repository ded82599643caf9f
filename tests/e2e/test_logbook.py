"""From a sold piece to its milkings and its sisters; two tasters, each unseen by the other; a good
make turned into a recipe and made again."""

import re
from random import Random

import pytest
from playwright.sync_api import expect
from sqlalchemy import select

from openpail.demo import year
from openpail.records.dairy import actions as dairies
from openpail.records.dairy.models import Dairy
from openpail.records.session import sessions
from tests.conftest import NOW
from tests.support import RECIPES

pytestmark = pytest.mark.e2e


@pytest.fixture
def other(browser, address):
    """Another taster, with a device of their own."""
    context = browser.new_context(base_url=address, viewport={"width": 390, "height": 844})
    opened = context.new_page()
    opened.goto("/sign-in")
    opened.get_by_role("button", name="Walk into the demo dairy").click()
    opened.get_by_role("heading", name="Cares").wait_for()
    yield opened
    context.close()


def sell(page, label, whom):
    """A piece is sold on its own page."""
    page.goto("/cave")
    page.get_by_role("link", name=label).first.click()
    page.get_by_text("Eaten, sold, given or thrown away").click()
    page.get_by_label("What became of it").select_option("sold")
    page.get_by_label("To whom").fill(whom)
    page.locator("#out").get_by_label("Why, or a word about it").fill("a regular, as every week")
    page.get_by_role("button", name="It leaves the shelf").click()
    expect(page.locator("h1")).to_contain_text(label)


def test_a_sold_piece_is_traced_to_its_milkings_and_to_its_sisters_and_recalled(page):
    sell(page, "16-1", "Mill Inn")
    page.goto("/logbook?words=wrenfold")
    page.get_by_role("link", name="Wrenfold Log").first.click()
    page.locator("#log-pieces").scroll_into_view_if_needed()
    expect(page.get_by_role("row", name=re.compile("^16-1"))).to_contain_text("to Mill Inn")
    page.get_by_role("link", name="Trace").click()
    expect(page.get_by_role("row", name=re.compile("Mill Inn"))).to_contain_text("16-1")
    expect(page.locator("#here ~ ul li")).not_to_have_count(0)
    # Back to the milking, and forwards again: the same pieces, whoever has them.
    page.locator("#came ~ table a").first.click()
    expect(page.locator("h1")).to_contain_text("milk, traced")
    expect(page.get_by_role("row", name=re.compile("Mill Inn"))).to_be_visible()
    expect(page.get_by_role("link", name="16-2")).to_be_visible()
    page.get_by_role("button", name="Try a recall out").click()
    page.get_by_role("button", name="Reached: Mill Inn").click()
    expect(page.locator("#recall")).to_contain_text("all are reached")
    page.get_by_role("button", name="All is told: stop the clock").click()
    expect(page.locator("#recall")).to_contain_text("1 reached")
    with page.expect_download() as got:
        page.get_by_role("link", name="As a file of lines").click()
    assert "Mill Inn" in got.value.path().read_text("utf-8")


@pytest.fixture
def turned(demo_url):
    """The year's wheel whose milks were poured the wrong way round, ripe and sold by now."""
    with sessions(demo_url).begin() as session:
        dairy = session.scalars(select(Dairy)).one()
        free = dairies.add_vat(session, dairy, "tin bath", 40.0, 40.0)
        vats = dict.fromkeys(("water-bath kettle", "jacketed vat"), free)
        each = year.YearMake(200, "steading-wheel", "turned")
        recipe = RECIPES["steading-wheel"]
        make = year.one(session, dairy, vats, recipe=recipe, each=each, chance=Random(7), now=NOW)
        return make.number


def test_a_blend_poured_the_wrong_way_round_is_traced_to_two_milkings_and_to_its_sisters(
    turned, page
):
    page.goto("/logbook?words=wrong+way+round")
    page.get_by_role("link", name="Steading Wheel").first.click()
    expect(page.locator("h1")).to_contain_text(f"make {turned}")
    page.locator("#log-pieces ~ table a").first.click()
    page.get_by_role("link", name="Trace").click()
    milkings = page.locator("#came ~ table tbody tr")
    expect(milkings).to_have_count(2)
    expect(milkings.filter(has_text="Goats")).to_have_count(1)
    expect(milkings.filter(has_text="House cows")).to_have_count(1)
    whom = page.locator("#whom ~ table").inner_text()
    milkings.get_by_role("link").first.click()
    # forwards from either milking: the same sisters, and the same who have them
    expect(page.locator("h1")).to_contain_text("milk, traced")
    assert page.locator("#whom ~ table").inner_text() == whom
    expect(page.locator("#makes ~ ul")).to_contain_text(f"make {turned}")


def test_two_tasters_say_their_word_unseen_by_each_other(page, other):
    page.goto("/table")
    page.get_by_role("link", name=re.compile("Wrenfold Log")).first.click()
    page.get_by_label("Who tastes").fill("maker, visitor")
    page.get_by_role("button", name="Taste it").click()
    address = page.url
    page.get_by_role("group", name="Who tastes").get_by_text("maker").click()
    taste = page.get_by_role("group", name=re.compile("^Taste"))
    taste.get_by_role("radio", name="fine").press("Space")
    page.get_by_role("group", name="Make it again?").get_by_text("yes", exact=True).click()
    page.get_by_label("Next time I would").fill("ladle it slower")
    page.get_by_role("button", name="Keep my taste").click()
    expect(page.get_by_text("1 of 2 have tasted")).to_be_visible()
    for each in (page, other):
        each.goto(address)
        expect(each.get_by_text("visitor tastes, alone and unseen")).to_be_visible()
        assert "ladle it slower" not in each.content()
    other.get_by_role("button", name="Keep my taste").click()
    expect(other.get_by_role("alert")).to_contain_text("Say at least how it tastes")
    other.get_by_role("group", name=re.compile("^Taste")).get_by_text("poor").click()
    other.get_by_role("group", name="Faults").get_by_text("bitter").click()
    other.get_by_role("button", name="Keep my taste").click()
    expect(other.get_by_text("they differ")).to_be_visible()
    page.reload()
    expect(page.locator(".tasting")).to_contain_text("ladle it slower")
    expect(page.locator(".tasting .outcome")).to_contain_text("would not make it again")
    page.goto("/logbook?fault=bitter")
    expect(page.get_by_role("row", name=re.compile("Wrenfold Log"))).to_contain_text("poor")


def test_a_good_make_is_made_again_by_its_own_readings(page):
    page.goto("/logbook?recipe=larder-block")
    page.locator("tbody th a").nth(1).click()
    number = page.locator("h1 small").inner_text()
    page.get_by_role("link", name="Make it like this one").click()
    page.get_by_role("button", name="Write it as the next version").click()
    expect(page.get_by_label("Why", exact=True)).to_have_value(re.compile(f"Like {number}"))
    page.get_by_role("button", name="Keep it").first.click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Larder Block")
    page.get_by_role("link", name="Make it with my milk").click()
    page.get_by_role("checkbox", name=re.compile("House cows, this morning")).check()
    page.get_by_role("button", name="Work it out").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Larder Block, for this milk")
    expect(page.locator("#why-rennet")).to_be_attached()
