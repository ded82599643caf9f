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
from tests.e2e.conftest import PATIENCE_MS, tap

pytestmark = pytest.mark.e2e


def test_a_bench_curd_uses_only_the_stations_it_needs(page):
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
    expect(page.get_by_text("What if", exact=True)).to_have_count(0)
    page.get_by_role("button", name="Acid").click()
    why = page.locator("#why-acid")
    expect(why).to_contain_text("buffering")
    expect(why).to_contain_text("to 5.80")
    page.get_by_role("button", name="Start the make").click()

    expect(page.get_by_role("heading", level=1)).to_have_text("Heat the milk to 90 °C")
    expect(page.locator(".big")).to_contain_text("90")
    page.get_by_role("button", name="Reading").click()
    page.get_by_role("textbox", name="Temperature").fill("400")
    page.get_by_role("button", name="Keep the reading").click()
    expect(page.locator(".reading .error")).to_contain_text("that hot")
    expect(page.get_by_role("textbox", name="Temperature")).to_have_value("400")
    page.get_by_role("textbox", name="Temperature").fill("88,5")
    page.get_by_role("button", name="Keep the reading").click()
    expect(page.locator(".under")).to_contain_text("last read 88.5 °C")
    tap(page, "Done")
    tap(page, "Done")
    expect(page.locator(".words").last).to_contain_text("Three quarters first")
    for _ in range(5):
        tap(page, "Done")
    page.get_by_role("link", name="Weigh it").click()
    page.get_by_label("Weight of each piece").fill("520 g\n1 lb")
    page.get_by_role("button", name="Lay it down").click()
    expect(page.locator(".laid li")).to_have_count(2)
    expect(page.locator(".laid").first).to_contain_text("fridge")


def test_two_pails_go_into_one_vat_and_stay_raw_by_any_share(page):
    page.goto("/sheet")
    for pail in ("Goats, this morning", "Ewes, this morning"):
        page.locator("label", has_text=pail).locator("input").check()
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
    expect(page.get_by_role("heading", name="About 192 IMCU/mL")).to_be_visible()
    expect(page.locator(".why")).to_contain_text("this is −4 %")
    page.get_by_role("button", name="Write 192 IMCU/mL on calf rennet").click()
    expect(page.get_by_text(re.compile("192 IMCU.mL"))).to_be_visible()


@pytest.fixture
def new_dairy(database_url):
    """A server without a dairy, and the token that founds one."""
    with sessions(database_url).begin() as session:
        token = people.new_setup_token(session, NOW)
    app = create_app(Config(database_url, SECRET, "serve", NOW))
    server = make_server("127.0.0.1", 0, app, threaded=True)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{server.port}", token
    server.shutdown()
    thread.join()
    server.server_close()


def test_a_real_dairy_from_nothing_to_its_first_sheet_in_gallons(browser, new_dairy):
    address, token = new_dairy
    context = browser.new_context(base_url=address)
    page = context.new_page()
    page.set_default_timeout(PATIENCE_MS)
    page.goto("/")
    page.get_by_role("link", name="Set it up").click()
    page.get_by_label("Token").fill(token)
    page.get_by_label("Name of the dairy").fill("Wrenfold Steading")
    page.get_by_label("Time zone").fill("Europe/Dublin")
    page.get_by_label("Volumes in").select_option("us")
    page.get_by_label("Weights in").select_option("us")
    page.get_by_label("Temperatures in").select_option("F")
    page.get_by_label("You sign in as").fill("maker")
    page.get_by_label("Password").fill("a long password")
    page.get_by_role("button", name="Open the dairy").click()

    expect(page.get_by_role("heading", name="Wrenfold Steading")).to_be_visible()
    page.locator("#vat-name").fill("big pot")
    page.locator("#vat-brim").fill("8 gal")
    page.locator("#vat-diameter").fill("36")
    page.get_by_role("button", name="Add the vat").click()
    expect(page.locator(".plain-list").first).to_contain_text("8.00 US gal to the brim")

    page.get_by_role("link", name="Milk", exact=True).click()
    page.get_by_label("How much").fill("5 gal 1 qt")
    page.get_by_label("Measured at", exact=True).fill("40")
    page.get_by_text("cow, lowland type", exact=True).click()
    page.get_by_role("button", name="Put it on the shelf").click()
    expect(page.locator(".why")).to_contain_text("about 4.00 %")
    page.get_by_role("link", name="Make a sheet of it").click()
    page.get_by_role("radio", name=re.compile("Larder Block")).check()
    page.get_by_role("button", name="Work it out").click()
    expect(page.locator(".facts")).to_contain_text("5.25 US gal")
    expect(page.locator("[data-dose=rennet]")).to_contain_text("about")
    expect(page.locator(".narrow")).to_contain_text("would narrow most")
    page.get_by_text("What if", exact=True).click()
    page.locator("#at").fill("95")
    expect(page.locator("#why-rennet")).to_contain_text("35 °C at renneting")
    page.get_by_role("button", name="Leave").click()
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    context.close()
