"""The whole line in the browser: from a pail of milk to a cheese with a care date."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import expect

from tests.conftest import token_in
from tests.e2e.conftest import tap, tap_with_word
from tests.support.pages import crawl

pytestmark = pytest.mark.e2e
AXE = (Path(__file__).parent / "vendor" / "axe.min.js").read_text()


def note_milk(page, protein_kind="true protein"):
    page.get_by_role("link", name="Milk", exact=True).click()
    page.get_by_label("How much").fill("21.5 L")
    page.get_by_label("How warm when measured", exact=True).fill("20 °C")
    page.get_by_label("Milked or bought at").fill("2026-05-04T06:30")
    page.get_by_text("Test slip, if there is one").click()
    page.get_by_label("Fat %", exact=True).fill("4.1")
    page.get_by_label("Protein %", exact=True).fill("3.3")
    page.get_by_text(protein_kind, exact=True).click()
    page.get_by_label("pH", exact=True).fill("6.58")
    page.get_by_role("button", name="Put it on the shelf").click()


def sheet_for_larder_block(page):
    page.get_by_role("link", name="Make a sheet of it").click()
    page.get_by_role("radio", name=re.compile("Larder Block")).check()
    page.get_by_role("button", name="Work it out").click()
    expect(page.get_by_role("heading", name="Larder Block, for this milk")).to_be_visible()


def dose(page, key):
    return page.locator(f"[data-dose={key}] b")


def do_step(page, title):
    expect(page.get_by_role("heading", level=1)).to_have_text(title)
    buttons = page.locator(".hands")
    looks = buttons.get_by_role("button", name="Clean break").count()
    tap_with_word(page, "Clean break" if looks else "Done")


def test_from_a_pail_of_goats_milk_to_a_cheese_with_a_care_date(page):
    note_milk(page)
    expect(page.locator(".made-of")).to_contain_text("2.64 %")
    sheet_for_larder_block(page)

    expect(page.locator(".do")).to_contain_text("not for the pregnant")
    expect(dose(page, "calcium")).to_have_text("none")
    expect(dose(page, "culture")).to_have_text("0.52")
    why = page.locator("#why-rennet")
    expect(why).to_be_visible()
    for words in (
        "as written",
        "kg of milk",
        "pH 6.50",
        "goat milk sets at its own pace",
        "makes taught",
    ):
        expect(why).to_contain_text(words)
    page.get_by_role("button", name="Culture").click()
    expect(page.locator("#why-culture")).to_contain_text("buffering")
    expect(why).to_be_hidden()

    planned = float(dose(page, "rennet").text_content())
    page.get_by_text("What if", exact=True).click()
    page.locator("#at").fill("34")
    expect(dose(page, "rennet")).not_to_have_text(f"{planned}")
    assert float(dose(page, "rennet").text_content()) < planned
    page.get_by_text("keep the dose").click()
    expect(page.locator("#why-flocks")).to_contain_text("34 °C")
    page.get_by_role("link", name="Back to the plan").click()
    expect(dose(page, "rennet")).to_have_text(f"{planned}")

    page.get_by_role("button", name="Start the make").click()
    do_step_through_the_make(page)
    weigh_and_find_the_care(page)


def do_step_through_the_make(page):
    expect(page.get_by_role("heading", level=1)).to_have_text("Warm the milk to 32 °C")
    # the key works once the page's script has run
    expect(page.get_by_role("button", name="Reading", exact=True)).to_have_attribute(
        "aria-expanded", "false"
    )
    page.keyboard.press("r")
    page.get_by_role("textbox", name="Temperature").fill("13,5")
    page.get_by_role("button", name="Keep the reading").click()
    log = page.locator(".log")
    expect(log).to_contain_text("13.5 °C")
    page.get_by_text("mend", exact=True).first.click()
    page.locator(".mend input[name=celsius]").first.fill("31.5")
    tap(page, "Amend")
    expect(log).to_contain_text("31.5 °C")
    expect(log).to_contain_text("amended")
    for title in ("Warm the milk to 32 °C", "Sprinkle the culture"):
        do_step(page, title)
    tap(page, "Undo", page.locator(".log"))  # of the last tap only
    do_step(page, "Sprinkle the culture")
    do_step(page, "Leave it to ripen, lid on")
    expect(page.locator(".big")).to_contain_text("none")
    do_step(page, "Stir in the calcium chloride")
    expect(page.locator(".big")).to_contain_text("4.2")
    do_step(page, "Stir in the rennet")
    page.get_by_role("button", name="Reading", exact=True).click()
    page.locator("#reading-ph").fill("6.45")
    page.locator("#reading-note").fill("smells sweet")
    tap(page, "Keep the reading")
    page.get_by_role("button", name="First flocks", exact=True).click()
    expect(page.locator(".error.big-words")).to_contain_text("Write a word if it is so")
    page.get_by_label("If it is so, a word").fill("the clock stands still here")
    tap(page, "Keep it with this word")
    while (heading := page.get_by_role("heading", level=1).text_content()) != (
        "Out of the press: weigh it"
    ):
        do_step(page, heading)


def weigh_and_find_the_care(page):
    page.get_by_role("link", name="Weigh it").click()
    page.get_by_label("Weight of each piece").fill("heavy")
    page.get_by_role("button", name="Lay it down").click()
    expect(page.locator(".error")).to_contain_text("“heavy” is not an amount")
    page.get_by_label("Weight of each piece").fill("2,35 kg")
    page.get_by_role("button", name="Lay it down").click()
    expect(page.locator(".balance")).to_contain_text("expected 2.31 kg")
    expect(page.locator(".do")).to_contain_text("2 % over what was expected")
    expect(page.locator(".laid")).to_contain_text(
        "next: Turn it; wipe the side that was down, tomorrow"
    )
    label = page.locator(".laid a").text_content()
    page.get_by_role("link", name="To Today").click()
    expect(page.locator(".coming")).to_contain_text("Turn it; wipe the side that was down")
    page.get_by_role("link", name="Cave", exact=True).click()
    page.get_by_role("link", name=re.compile(f"{label} Larder Block")).click()
    expect(page.locator(".coming li").first).to_contain_text("tomorrow")
    expect(page.locator(".whose").first).to_contain_text(f"Picked on its shelf: {label}")


def test_the_same_milk_told_as_crude_protein_gets_calcium_and_its_reason(page):
    note_milk(page, "crude protein")
    sheet_for_larder_block(page)
    expect(dose(page, "calcium")).to_have_text("0.88")
    page.get_by_role("button", name="Calcium chloride").click()
    why = page.locator("#why-calcium")
    why.get_by_text("what that is made of").first.click()
    expect(why).to_contain_text("casein is low")


def test_a_care_is_done_with_one_touch_and_keys_lead_everywhere(page):
    cares = page.locator(".care")
    before = cares.count()
    first = cares.first.locator("b").text_content()
    page.get_by_role("button", name=re.compile(f"Done: {re.escape(first)}")).first.click()
    expect(cares).to_have_count(before - 1)
    page.wait_for_load_state()  # a key before the page's script listens is nobody's
    for key, address in (("m", "/milk"), ("s", "/sheet"), ("c", "/cave"), ("a", "/table")):
        page.keyboard.press("g")
        page.keyboard.press(key)
        page.wait_for_url(f"**{address}")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()


@pytest.fixture
def everywhere(served):
    """An address of every page that links lead to."""
    client = served.test_client()
    token = token_in(client.get("/sign-in").text)
    client.post("/demo", data={"csrf_token": token})
    return list(crawl(served, client, each=1))


LOOKED_AT = "document.querySelectorAll('details').forEach(each => { each.open = true; })"


@pytest.mark.parametrize("turn", [0, 1])
def test_every_page_is_for_everybody_and_fits_its_screen(page, everywhere, turn):
    """axe finds nothing serious and nothing scrolls sideways, on a phone and on a desk."""
    assert len(everywhere) > 30
    for path in everywhere[turn::2]:
        page.goto(path)
        page.evaluate(AXE)
        for width in (390, 1280):
            page.set_viewport_size({"width": width, "height": 844})
            page.evaluate(LOOKED_AT)
            over = page.evaluate("document.documentElement.scrollWidth - innerWidth")
            assert over <= 0, f"{path} at {width}"
            asked = "axe.run({resultTypes: ['violations'], preload: false})"
            found = page.evaluate(asked)["violations"]
            grave = [
                (each["id"], each["nodes"][0]["html"][:120])
                for each in found
                if each["impact"] in ("serious", "critical") or each["id"] == "region"
            ]
            assert not grave, f"{path} at {width}"


def test_the_whole_sheet_is_told_by_keyboard_and_its_why_opens_on_a_phone(page):
    page.set_viewport_size({"width": 820, "height": 844})
    page.goto("/bench")
    page.keyboard.press("Tab")
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    assert page.evaluate("document.activeElement.name") == "amount"  # the first pour
    page.goto("/recipes")  # a long list is one stop; the arrows go through it, a word narrows it
    rows = page.locator(".recipe-row")
    expect(page.locator(".recipe-row[tabindex='0']")).to_have_count(1)
    rows.first.focus()
    page.keyboard.press("ArrowDown")
    expect(rows.nth(1)).to_be_focused()
    page.get_by_label("Find by word").fill("blue")
    expect(page.locator(".recipe-row[tabindex='0']")).to_be_visible()
    expect(page.locator(".recipe-row:visible")).to_have_count(1)
    for path in ("/", "/milk", "/vat", "/cave", "/dairy/gear", "/recipes", "/which", "/days"):
        page.goto(path)
        over = page.evaluate("document.documentElement.scrollWidth - innerWidth")
        assert over <= 0, path
    page.goto("/milk")
    lot = page.locator(".pail-link").first.get_attribute("href").split("/")[-1]
    page.goto(f"/sheet?lot={lot}&recipe=larder-block")
    expect(page.locator(".figures > .why")).to_be_hidden()
    page.get_by_role("button", name="Rennet").click()
    expect(page.locator(".figures > .why")).to_be_visible()


def test_a_make_prints_to_one_page_with_its_doses_in_its_steps(page):
    """On A4 and on Letter, the longest recipes too, in letters that are read at arm’s length."""
    page.goto("/milk")
    lot = page.locator(".pail-link").first.get_attribute("href").split("/")[-1]
    for recipe in ("larder-block", "swaddle", "lantern", "threshing-cheddar"):
        page.goto(f"/sheet/print?lot={lot}&recipe={recipe}")
        expect(page.locator(".paper-steps")).to_contain_text(re.compile(r"rennet.* in [\d.]+ mL"))
        for paper in ("A4", "Letter"):
            pages = page.pdf(format=paper).count(b"/Type /Page\n")
            assert pages == 1, (recipe, paper)
    page.emulate_media(media="print")
    size = page.locator(".paper-steps td").nth(1).evaluate("e => getComputedStyle(e).fontSize")
    assert float(size.removesuffix("px")) * 0.75 >= 11
    page.goto("/recipes/larder-block")
    expect(page.get_by_role("button")).to_have_count(0)
    expect(page.locator(".recipe-does").first).to_be_hidden()
    goes_in, steps = page.locator(".why").bounding_box(), page.locator(".do").bounding_box()
    assert goes_in["y"] < steps["y"]
