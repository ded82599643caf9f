"""Milk and Bench in the browser: three milks, a ratio caught, cream taken off, the sheet."""

import random
import re
import threading

import pytest
from playwright.sync_api import expect
from sqlalchemy import select

from openpail.instruments.analyser.reader import TIMEOUT_S
from openpail.instruments.analyser.stand_in import Mood, StandIn
from openpail.records.dairy.models import Dairy
from openpail.records.session import sessions

pytestmark = pytest.mark.e2e

LAB = """group;sampled;fat %;protein %;SCC;remarks
Ewes this noon;04/05/2026;6,9;5,5;310;
Ewes this noon;04/05/2026;69;5,5;310;comma lost
Donkeys;04/05/2026;1,4;1,8;60;
"""


@pytest.fixture
def analyser(demo_url):
    """The stand-in, on a port of its own, known to the demo dairy; its faults may be set."""
    with StandIn(0, Mood(busy_s=0.05, chance=random.Random(7))) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        with sessions(demo_url).begin() as session:
            dairy = session.scalar(select(Dairy))
            dairy.analyser = f"127.0.0.1:{server.server_address[1]}"
        yield server
        server.shutdown()


def note(page, herd, amount, name):
    page.get_by_role("link", name="Milk", exact=True).click()
    page.get_by_label("How much").fill(amount)
    page.get_by_label("How warm when measured", exact=True).fill("20")
    page.locator(".animals, fieldset.choice").get_by_text(herd, exact=True).click()
    page.get_by_text("Bought, frozen, marks and name").click()
    page.get_by_label("Call it").fill(name)
    page.get_by_role("button", name="Put it on the shelf").click()
    expect(page.locator(".why h2").first).to_have_text(name)


def by_hand(page):
    page.get_by_text("Add a test slip").click()
    page.get_by_label("Fat %", exact=True).fill("3,9")
    page.get_by_label("Protein %", exact=True).fill("3.25")
    page.get_by_text("true protein", exact=True).click()
    page.get_by_role("button", name="Keep the test").click()
    expect(page.locator(".made-of")).to_contain_text("2.60 %")


def by_analyser(page, analyser):
    analyser.mood.faults = ["checksum", "hang-up"]
    page.get_by_role("button", name="Read it from the analyser").click()
    expect(page.locator("#said")).to_contain_text("cannot be trusted")
    expect(page.locator(".slips")).to_have_count(0)
    page.get_by_role("button", name="Read it from the analyser").click()
    expect(page.locator("#said")).to_contain_text("Look at it, then keep it.")
    expect(page.get_by_label("Fat %", exact=True)).to_have_value(re.compile(r"^4\.\d\d$"))
    page.get_by_role("button", name="Keep the test").click()
    expect(page.locator(".slips")).to_contain_text("by the analyser")


def by_file(page):
    page.goto("/milk")
    page.get_by_role("link", name="Slips from a file").click()
    page.get_by_label("Paste the file here").fill(LAB)
    page.get_by_role("button", name="Look at it").click()
    expect(page.locator(".refused tbody tr")).to_have_count(2)
    expect(page.locator(".refused")).to_contain_text("Fat 69 % is outside")
    expect(page.locator(".refused")).to_contain_text("“Donkeys” is no lot and no herd here")
    page.get_by_label("“protein %” is").select_option("true")
    page.get_by_label("“SCC” counts").select_option("1000")
    page.get_by_label("In its dates the first figure is").select_option("day")
    page.get_by_role("button", name="Keep 1 slip, leave 2 out").click()
    expect(page.get_by_role("heading", name="1 slip kept")).to_be_visible()


def fresh_vat(page):
    """The jacketed vat, cleared of what the demo planned."""
    page.get_by_role("link", name="Bench", exact=True).click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Jacketed vat")
    page.get_by_role("button", name="Clear the bench").click()
    expect(page.locator(".big-l")).to_have_text("0.0 L")


def pour(page, lot, amount):
    field = page.get_by_label(f"Pour of {lot}", exact=True)
    field.fill(amount)
    field.press("Tab")


def test_three_milks_come_in_a_wrong_ratio_is_mended_and_cream_comes_off(page, analyser):
    note(page, "Goats", "9 L", "Goats at noon")
    by_hand(page)
    note(page, "House cows", "20 L", "Cows at noon")
    by_analyser(page, analyser)
    note(page, "Ewes", "2 big jars", "Ewes this noon")
    by_file(page)
    page.goto("/milk")
    page.get_by_role("link", name="Ewes this noon").click()
    expect(page.locator(".made-of")).to_contain_text("6.90 %")

    fresh_vat(page)
    page.get_by_label("for", exact=True).select_option("steading-wheel")
    pour(page, "Goats at noon", "9 L")
    pour(page, "Cows at noon", "4,85")
    say = page.locator(".bench-why .say")
    expect(say).to_contain_text("Cow is 35 %, not 65 %.")
    expect(page.locator(".bench-vat svg")).to_have_attribute("aria-label", re.compile("13.8 L"))
    page.get_by_role("button", name=re.compile(r"Pour 11\.9 L more cow")).click()
    expect(page.locator(".verdict")).to_contain_text("Right: cow 65 %, goat 35 %")
    expect(say).to_have_count(0)

    page.get_by_label("casein : fat").fill("0,70")
    page.get_by_label("Cream may be taken off").select_option("hand")
    suggestion = page.locator(".suggestion").first
    expect(suggestion).to_contain_text("cream off")
    expect(suggestion).to_contain_text(re.compile(r"casein : fat 0\.(69|70)"))
    suggestion.get_by_role("button", name="Plan it so").click()
    expect(page.locator(".suggestion").first).to_contain_text("it is near enough as it stands")

    page.get_by_text("It is poured").click()
    page.get_by_label(re.compile("^Goats at noon, planned")).fill("8 L")
    page.get_by_role("button", name="So it was poured").click()
    expect(page.locator(".compared")).to_contain_text("−11 %")
    expect(page.get_by_role("link", name="On to the sheet")).to_have_count(0)
    page.get_by_role("button", name="Mend it: back to pouring").click()
    pour(page, "Goats at noon", "9")
    expect(page.locator(".verdict")).to_contain_text("Right")
    page.get_by_text("It is poured").click()
    page.get_by_role("button", name="So it was poured").click()
    page.get_by_role("link", name="On to the sheet").click()
    expect(page.get_by_role("heading", name="Steading Wheel, for this milk")).to_be_visible()
    facts = page.locator(".facts")
    expect(facts).to_contain_text("Cows at noon")
    expect(facts).to_contain_text("cream off")
    expect(page.locator("#why-rennet")).to_contain_text("cow and goat milk, by casein")
    page.get_by_text("What if", exact=True).click()
    page.locator("#at").fill("33")
    expect(page.locator("#why-rennet")).to_contain_text("33 °C at renneting")
    expect(page.get_by_role("button", name="Start the make")).to_have_count(0)
    page.get_by_label("Why you overrule it").fill("the room is cold today")
    page.get_by_role("button", name="Keep as overruled").click()
    expect(page.locator(".kept")).to_contain_text("the room is cold today")
    page.get_by_role("button", name="Start the make").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Warm the milk to 31 °C")
    page.goto("/milk")
    expect(page.get_by_role("link", name=re.compile("^Cream off"))).not_to_have_count(0)


def test_enter_pours_what_is_written_and_no_litre_less(page):
    fresh_vat(page)
    amount = page.get_by_label("Pour of House cows, this morning", exact=True)
    amount.fill("12")
    amount.press("Enter")
    expect(page.locator(".big-l")).to_have_text("12.0 L")
    page.reload()
    expect(page.locator(".big-l")).to_have_text("12.0 L")


def test_the_bench_by_keyboard_alone_and_when_the_network_is_away(page):
    page.keyboard.press("g")
    page.keyboard.press("b")
    expect(page.get_by_role("heading", level=1)).to_have_text("Jacketed vat")
    more = page.get_by_role("button", name="A litre more of House cows, this morning")
    more.focus()
    page.keyboard.press("Enter")
    expect(page.locator(".big-l")).to_have_text("28.1 L")
    expect(more).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.locator(".big-l")).to_have_text("28.5 L")  # no more than the pail holds
    pour(page, "House cows, this morning", "a lot")
    expect(page.locator(".pour .error")).to_contain_text("is not an amount")
    expect(page.get_by_label("Pour of House cows, this morning")).to_have_value("a lot")
    page.route("**/bench/**", lambda route: route.fulfill(status=422, body="broken"))
    pour(page, "House cows, this morning", "12")
    expect(page.get_by_role("alert").first).to_contain_text("did not answer")
    expect(page.locator(".big-l")).to_have_text("28.5 L")
    page.unroute("**/bench/**")
    pour(page, "House cows, this morning", "12,5")
    expect(page.locator(".big-l")).to_have_text("22.0 L")


def test_a_silent_analyser_never_holds_the_page(page, analyser):
    analyser.mood.faults = ["silent", "none"]
    page.goto("/milk")
    page.get_by_role("link", name="House cows, this morning").click()
    read = page.get_by_role("button", name="Read it from the analyser")
    read.click()
    expect(page.get_by_text("at most 5 seconds")).to_be_visible()
    page.get_by_role("button", name="Stop").click()
    expect(read).to_be_enabled()
    expect(page.get_by_text("at most 5 seconds")).to_be_hidden()
    expect(page.get_by_role("heading", name="House cows, this morning")).to_be_visible()
    page.wait_for_timeout(1000 * TIMEOUT_S)  # the server's own patience ends with the device's


def test_the_age_of_a_pail_goes_on_while_the_page_stands_open(page):
    page.clock.install()
    page.goto("/milk")
    goats = page.locator(".pail-link", has_text="Goats, this morning")
    older = page.locator(".pail-link", has_text="Goats, older")
    frozen = page.locator(".pail-link", has_text="Ewes, last summer")
    expect(goats.locator("[data-since]")).to_have_text(re.compile(r"^[23] h$"))
    expect(older.locator(".turn")).to_contain_text("for cheese till")
    expect(frozen.locator("[data-since]")).to_have_count(0)
    page.clock.fast_forward("10:00:00")
    expect(goats.locator("[data-since]")).to_have_text(re.compile(r"^1[23] h$"))
    page.clock.fast_forward("40:00:00")
    expect(goats.locator("[data-since]")).to_have_text(re.compile(r"^5[23] h$"))
    expect(goats.locator(".turn")).to_have_text("its time is up: load the page again")
    expect(older.locator("[data-since]")).to_have_text("4 days")
    expect(frozen).to_contain_text("in the freezer")
