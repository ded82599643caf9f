"""Three roles lived through in the browser: a helper does the work of the day and no more, a reader
sees and prints and no more."""

import pytest
from playwright.sync_api import expect
from sqlalchemy import update

from openpail.records.people import actions as people
from openpail.records.people.models import Person
from openpail.records.session import sessions
from tests.e2e.conftest import PATIENCE_MS, tap

pytestmark = pytest.mark.e2e
PASSWORD = "a long password of theirs"


@pytest.fixture
def signed(browser, address, demo_url):
    """A page of whoever is named, signed in by hand."""
    opened = []
    with sessions(demo_url).begin() as session:
        session.execute(update(Person).values(password_hash=people._hasher.hash(PASSWORD)))

    def sign_in(login):
        context = browser.new_context(base_url=address, viewport={"width": 1280, "height": 800})
        opened.append(context)
        page = context.new_page()
        page.set_default_timeout(PATIENCE_MS)
        page.goto("/sign-in")
        page.get_by_label("Name").fill(login)
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_role("button", name="Sign in", exact=True).click()
        page.get_by_role("heading", name="Cares").wait_for()
        return page

    yield sign_in
    for context in opened:
        context.close()


def test_a_helper_does_the_work_of_the_day_and_is_stopped_at_a_house_value(signed):
    page = signed("helper")
    page.goto("/vat")
    page.locator("#reading-button").click()
    page.locator("#reading-celsius").fill("32")
    tap(page, "Keep the reading")
    page.goto("/dairy/house?find=rennet.learn_most")
    expect(page.get_by_text("Learning from flocks").first).to_be_visible()
    expect(page.locator("main form[method=post]")).to_have_count(0)
    # and a form of one's own making is stopped at the door, and changes nothing
    answer = page.evaluate(
        """() => fetch('/dairy/house/rennet.learn_most', {method: 'POST',
             headers: {'Content-Type': 'application/x-www-form-urlencoded'},
             body: 'value=3&csrf_token=' + document.querySelector('[name=csrf_token]').value
           }).then(answer => answer.status)"""
    )
    assert answer == 403
    page.reload()
    expect(page.locator("main")).to_contain_text("0 are your own")
    page.goto("/recipes/larder-block")
    expect(page.get_by_role("button", name="Change")).to_have_count(0)
    page.goto("/dairy")
    expect(page.get_by_role("link", name="The whole dairy as one file")).to_have_count(0)


def test_a_reader_sees_and_prints_everything_and_can_change_nothing(signed):
    page = signed("reader")
    for address in ("/", "/milk", "/bench", "/vat", "/cave", "/table", "/stock", "/logbook"):
        page.goto(address)
        expect(page.locator("h1").first).to_be_visible()
        forms = page.locator("main form[method=post]")
        expect(forms).to_have_count(0)
    page.goto("/logbook?words=thatch")
    page.get_by_role("link", name="Thatch").first.click()
    expect(page.locator("h1")).to_contain_text("make")
    page.emulate_media(media="print")
    expect(page.locator(".no-print").first).to_be_hidden()
    assert page.pdf(format="A4").startswith(b"%PDF")
    page.emulate_media(media="screen")
    page.get_by_role("link", name="Trace").click()
    with page.expect_download() as got:
        page.get_by_role("link", name="As a file of lines").click()
    assert "make" in got.value.path().read_text("utf-8")
    expect(page.locator("main form[method=post]")).to_have_count(0)
