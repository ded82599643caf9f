"""Other days in the browser: a curd without rennet, a dairy of gallons, a dairy from nothing."""

import re
import threading

import pytest
from playwright.sync_api import expect
from werkzeug.serving import make_server

from openpail.records.people import actions as people
from openpail.records.session import sessions
from openpail.web.app import create_app
from openpail.web.config import Config
from tests.conftest import NOW, SECRET
from tests.e2e.conftest import PATIENCE_MS, tap, tap_with_word

pytestmark = pytest.mark.e2e


def test_a_bench_curd_uses_only_the_stations_it_needs(page, later):
    page.goto("/sheet")
    page.get_by_role("button", name="Work it out").click()
    expect(page.locator(".error")).to_contain_text("Choose the milk")
    page.locator("label", has_text="Goats, older").locator("input").check()
    page.get_by_role("button", name="Work it out").click()
    expect(page.locator(".error")).to_contain_text("Choose a recipe")
    page.get_by_role("radio", name=re.compile("Bench Curd")).check()
    pot = page.locator("#vat option", has_text="stove pot").get_attribute("value")
    page.get_by_label("Vat").select_option(pot)
    page.get_by_role("button", name="Work it out").click()

    do = page.locator(".do")
    expect(do).to_contain_text("Listeria")
    expect(do).to_contain_text("use it today")
    expect(do).to_contain_text("by the jug")
    expect(page.get_by_text("First flocks")).to_have_count(0)
    expect(page.locator("#at")).to_have_count(0)  # no rennet to try warmer
    page.get_by_role("button", name="Acid").click()
    why = page.locator("#why-acid")
    expect(why).to_contain_text("buffering")
    expect(why).to_contain_text("to 5.80")
    page.get_by_role("button", name="Start the make").click()

    expect(page.get_by_role("heading", level=1)).to_have_text("Heat the milk to 90 °C")
    expect(page.locator(".big")).to_contain_text("90")
    later(2)  # a tap is dated back by what it took to send: not to before the step began
    page.get_by_role("button", name="Reading", exact=True).click()
    page.get_by_role("textbox", name="Temperature").fill("400")
    page.get_by_role("button", name="Keep the reading").click()
    expect(page.locator("#reading .error")).to_contain_text("that hot")
    expect(page.get_by_role("textbox", name="Temperature")).to_have_value("400")
    page.get_by_role("textbox", name="Temperature").fill("88,5")
    tap(page, "Keep the reading")
    expect(page.locator(".big")).to_contain_text("88.5")
    tap(page, "Done")
    tap(page, "Done")
    expect(page.locator(".words").last).to_contain_text("Three quarters first")
    first = page.locator(".buttons .go")
    expect(first).to_contain_text("is in")
    tap(page, first.text_content().strip())
    tap(page, "Clear: enough")
    for _ in range(4):
        tap_with_word(page, "Done")
    page.get_by_role("link", name="Weigh it").click()
    page.get_by_label("Weight of each piece").fill("520 g\n1 lb")
    page.get_by_role("button", name="Lay it down").click()
    expect(page.locator(".laid li")).to_have_count(2)
    expect(page.locator(".laid").first).to_contain_text("fridge")


def test_two_pails_go_into_one_vat_and_stay_raw_by_any_share(page):
    page.goto("/sheet")
    for pail in ("Goats, this morning", "Ewes, this morning"):
        page.locator("label.pail-link", has_text=pail).locator("input").check()
    page.get_by_role("radio", name=re.compile("Larder Block")).check()
    page.get_by_role("button", name="Work it out").click()
    expect(page.locator(".facts")).to_contain_text("27.5 L")
    expect(page.locator(".do")).to_contain_text("Raw milk.")
    expect(page.locator("#why-rennet")).to_contain_text("goat and sheep milk, by casein")
    pot = page.locator("select[name=vat] option", has_text="stove pot").get_attribute("value")
    page.locator("select[name=vat]").select_option(pot)
    expect(page.locator(".error.big")).to_contain_text("with head room it takes 11.9 L")
    page.get_by_role("button", name="Start the make").click()
    expect(page.locator(".error.big")).to_contain_text("Choose a larger vat or less milk")


def test_a_what_if_that_gets_no_answer_says_so_and_keeps_the_figures(page):
    page.goto("/milk")
    lot = page.locator(".pail-link").first.get_attribute("href").split("/")[-1]
    page.goto(f"/sheet?lot={lot}&recipe=larder-block")
    planned = page.locator("[data-dose=rennet] b").text_content()
    page.route("**/sheet/figures*", lambda route: route.fulfill(status=422, body="broken"))
    page.get_by_text("What if", exact=True).click()
    page.locator("#at").fill("34")
    expect(page.locator("#figures")).to_contain_text("did not answer")
    expect(page.locator("[data-dose=rennet] b")).to_have_text(planned)
    page.unroute("**/sheet/figures*")
    page.locator("#at").fill("34,5")
    expect(page.locator("[data-dose=rennet] b")).not_to_have_text(planned)
    expect(page.locator("#figures")).not_to_contain_text("did not answer")


def test_a_rennet_is_tested_with_the_watch_and_its_strength_used(page):
    page.get_by_role("link", name="Stock", exact=True).click()
    page.get_by_role("link", name="Test a rennet’s strength").click()
    page.clock.install()
    watch = page.locator(".watch")
    watch.get_by_role("button").click()
    page.clock.run_for(125_000)
    expect(watch).to_contain_text("125")
    watch.get_by_role("button", name="First flocks").click()
    expect(page.get_by_label("Seconds to the first flocks")).to_have_value("125")
    page.get_by_role("button", name="Work it out").click()
    expect(page.get_by_role("heading", name="About 259 IMCU/mL")).to_be_visible()
    expect(page.locator(".why")).to_contain_text("this is +30 %")
    page.get_by_role("button", name="Write 259 IMCU/mL on calf rennet").click()
    expect(page.get_by_text(re.compile(r"259\s+IMCU.mL"))).to_be_visible()


@pytest.fixture
def new_dairy(database_url):
    """A server without a dairy, and the token that founds one."""
    with sessions(database_url).begin() as session:
        token = people.new_setup_token(session, NOW)
    app = create_app(Config(database_url=database_url, secret=SECRET, mode="serve", frozen_now=NOW))
    server = make_server("127.0.0.1", 0, app, threaded=True)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{server.port}", token
    server.shutdown()
    thread.join()
    server.server_close()


class Hands:
    """A pair of hands on a page that are counted: what they touch, and what they write."""

    def __init__(self, page):
        self.page, self.touches, self.fields = page, 0, 0

    def touch(self, role, name, **more):
        self.touches += 1
        self.page.get_by_role(role, name=name, **more).first.click()

    def write(self, label, text):
        self.fields += 1
        self.page.get_by_label(label, exact=True).first.fill(text)


def test_the_first_hour_of_a_dairy_in_gallons(browser, new_dairy):
    """From nothing to a make that is begun, in few touches; then from a pail to its sheet."""
    address, token = new_dairy
    context = browser.new_context(base_url=address, timezone_id="America/New_York")
    page = context.new_page()
    page.set_default_timeout(PATIENCE_MS)
    page.goto("/")
    expect(page.get_by_role("heading", name="A new dairy")).to_be_visible()
    expect(page.get_by_label("Time zone")).to_have_value("America/New_York")
    page.get_by_label("Token").fill("not it")
    page.get_by_label("Name of the dairy").fill("Wrenfold Steading")
    page.get_by_label("Time zone").fill("dublin")
    for label, value in (("Volumes in", "us"), ("Weights in", "us"), ("Temperatures in", "F")):
        page.get_by_label(label).select_option(value)
    page.get_by_label("You sign in as").fill("maker")
    page.get_by_label("Password").fill("short")
    page.get_by_role("button", name="Open the dairy").click()
    expect(page.locator(".field .error")).to_have_count(2)  # all that is wrong, at once
    page.get_by_label("Token").fill(token)
    page.get_by_label("Password").fill("a long password")
    page.get_by_role("button", name="Open the dairy").click()

    hands = Hands(page)
    now = page.locator("[aria-current=step]")
    expect(now).to_contain_text("A vat")
    hands.write("Name", "big pot")
    hands.write("Holds to the brim", "8 gal")
    hands.touch("button", "Keep the vat")
    expect(now).to_contain_text("Animals")
    hands.write("Name", "House cows")
    page.get_by_label("Animal", exact=True).select_option("cow_lowland")
    hands.fields += 1
    hands.touch("button", "Keep the animals")
    expect(now).to_contain_text("Milk")
    hands.write("How much", "5 gal 1 qt")
    hands.write("How warm when measured", "40")
    hands.touch("button", "Put it on the shelf")
    expect(page.locator(".four-steps .is-done")).to_have_count(3)
    hands.touch("link", "Choose a cheese")
    expect(page.locator(".fit.is-fits")).to_contain_text("cow’s milk")
    hands.touch("radio", re.compile("Larder Block"))
    hands.touch("button", "Work it out")
    expect(page.locator(".facts")).to_contain_text("5.25 US gal")
    expect(page.locator("[data-dose=rennet]")).to_contain_text("tsp")
    expect(page.locator("[data-dose=salt]")).to_contain_text(re.compile(r"\d+ g"))
    expect(page.locator(".narrow")).to_contain_text("would narrow most")
    page.get_by_text("What if", exact=True).click()
    page.locator("#at").fill("95")
    expect(page.locator("#why-rennet")).to_contain_text("95 °F at renneting")
    page.get_by_role("link", name="Back to the plan").click()
    hands.touch("button", "Start the make")
    expect(page.get_by_role("heading", level=1)).to_have_text("Warm the milk to 90 °F")
    assert hands.touches <= 12 and hands.fields <= 14

    page.get_by_role("button", name="Reading", exact=True).click()
    page.get_by_role("textbox", name="Temperature").fill("31.5")
    page.get_by_role("button", name="Keep the reading").click()
    expect(page.locator("#reading-celsius-error")).to_contain_text("Write 31.5 C, or 31.5 F")
    page.get_by_role("textbox", name="Temperature").fill("88.5")
    page.get_by_role("button", name="Keep the reading").click()
    expect(page.locator(".log")).to_contain_text("88.5 °F")

    hands = Hands(page)
    page.goto("/milk")
    hands.write("How much", "3 gal")
    hands.touch("button", "Put it on the shelf")
    hands.touch("link", "Make a sheet of it")
    hands.touch("radio", re.compile("Larder Block"))
    hands.touch("button", "Work it out")
    expect(page.locator(".facts")).to_contain_text("3.00 US gal")
    assert hands.touches + hands.fields <= 6
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    context.close()
