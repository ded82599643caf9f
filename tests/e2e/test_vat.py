"""The make day in the browser, the clock driven by the test: whole makes, alarms, a phone."""

import io
import re

import pytest
from PIL import Image
from playwright.sync_api import expect

from tests.e2e.conftest import CHANGED, tap, tap_with_word

pytestmark = pytest.mark.e2e


def start(page, recipe, milk, vat):
    """A make begun from its sheet."""
    page.goto("/sheet")
    page.locator("label.pail-link", has_text=milk).locator("input").check()
    page.get_by_role("radio", name=re.compile(recipe)).check()
    option = page.locator("#vat option", has_text=vat).get_attribute("value")
    page.get_by_label("Vat").select_option(option)
    page.get_by_role("button", name="Work it out").click()
    page.get_by_role("button", name="Start the make").click()
    page.locator(".vat-now").wait_for()


def read(page, **fields):
    """A reading, as it is typed."""
    if not page.locator("#reading").is_visible():
        page.locator("#reading-button").click()
    for name, text in fields.items():
        page.locator(f"#reading-{name}").fill(text)
    tap(page, "Keep the reading")


def heading(page):
    return page.get_by_role("heading", level=1).first


@pytest.fixture
def pass_on(page, later):
    """Time goes by, and the page hears of it; an alarm that rings is heard."""

    def go(minutes):
        later(minutes)
        page.reload()
        page.locator(".vat-now").wait_for()
        while page.locator(".alarm-bar button").count():
            page.locator(".alarm-bar button").click()

    return go


def test_a_whole_rennet_make_with_all_that_goes_otherwise(page, pass_on):
    start(page, "Larder Block", "Goats, this morning", "stove pot")
    expect(page.locator(".set-out")).to_contain_text("to set out")
    page.locator(".set-out .tick").first.click()
    expect(page.locator(".set-out .tick").first).to_have_attribute("aria-pressed", "true")

    # heat that runs away: said at once, with its rescue
    read(page, celsius="8")
    pass_on(8)
    read(page, celsius="31")
    expect(page.locator(".coach")).to_have_class(re.compile("is-(fast|there|off|over)"))
    tap(page, "Heat off")
    pass_on(5)
    expect(page.locator(".coach")).to_contain_text("teaches what this vat goes on by")
    read(page, celsius="34.4")
    expect(page.locator(".coach")).to_contain_text("Over by")
    tap_with_word(page, "Done")

    # a wrong tap, taken back; a reading mended, its time too
    expect(heading(page)).to_have_text("Sprinkle the culture")
    tap(page, "Done")
    tap(page, "Undo", page.locator(".log"))
    expect(heading(page)).to_have_text("Sprinkle the culture")
    line = page.locator(".log li", has_text="34.4 °C")
    line.get_by_text("mend", exact=True).click()
    line.locator("[name=celsius]").fill("33.4")
    line.locator("[name=at]").fill("10:40")
    tap(page, "Amend", line)
    mended = page.locator(".log li", has_text="33.4 °C")
    expect(mended).to_contain_text("amended")
    expect(mended).to_contain_text("10:40")
    pass_on(6)
    tap(page, "Done")
    pass_on(45)
    read(page, ph="6.5", acid="17.5 °D")
    tap(page, "Done")
    pass_on(5)
    tap(page, "Done")
    expect(heading(page)).to_have_text("Stir in the rennet")
    tap(page, "Done")

    # flocks a third late: the cut moves, and it is said what that means
    planned = page.locator(".then li").nth(1).text_content()
    expected = float(re.search(r"about (\d+) expected", page.locator(".under").text_content())[1])
    expect(page.locator(".big b")).to_have_text(re.compile(r"^0:\d\d$"))
    pass_on(1.35 * expected)
    tap(page, "First flocks")
    expect(page.locator(".coach")).to_contain_text(re.compile(r"3\d % later than expected"))
    assert page.locator(".then li").first.text_content() not in planned
    pass_on(2)
    page.locator(".look-button", has_text="jagged").click()
    expect(page.locator(".looks")).to_contain_text("Not firm 1 time")
    pass_on(60)
    page.locator(".look-button", has_text="clear whey").click()
    expect(heading(page)).to_have_text(re.compile("^Cut to"))
    wide = page.locator(".true-size svg").first.bounding_box()["height"]
    page.get_by_role("button", name="lay a bank card on it").click()
    page.get_by_role("button", name="larger", exact=True).click()
    assert page.locator(".true-size svg").first.bounding_box()["height"] > wide
    page.get_by_role("button", name="It fits").click()
    page.locator(".rung", has_text="clear, yellow-green").click()
    expect(page.locator(".rung[aria-pressed=true]")).to_have_count(1)
    pass_on(8)
    tap(page, "Done")
    pass_on(6)
    tap(page, "Done")

    # called away for 25 minutes while it should be stirred
    expect(heading(page)).to_have_text(re.compile("tir"))
    tap(page, "Called away")
    expect(page.locator(".away h1")).to_have_text("Nobody is at the vat")
    pass_on(25)
    expect(page.locator(".away .big b")).to_have_text("25")
    expect(page.locator(".away")).to_contain_text("break it up")
    tap(page, "I am back")
    expect(page.locator(".coach").first).to_contain_text("Back after 25 min")

    # help: the record puts first what it supports
    page.get_by_role("link", name="Looks wrong").click()
    page.get_by_role("link", name="It mats and clumps").click()
    page.get_by_role("link", name="While it stood").click()
    expect(page.locator(".causes li").first).to_contain_text("nobody was at the vat for 25 min")
    page.locator(".causes li").first.get_by_role("button", name="This was it").click()
    expect(page.locator(".log")).to_contain_text("Help: mats")

    # left out with a word; then all the rest, each in its time
    page.locator(".other-steps summary").click()
    page.locator("#step_skipped-word").fill("it was matted enough")
    tap(page, "Leave it out")
    expect(page.locator(".log")).to_contain_text("left out: it was matted enough")
    while page.get_by_role("link", name="Weigh it").count() == 0:
        pass_on(30)
        tap_with_word(page, "Done")
    tap_with_word(page, "Done")
    expect(page.locator(".otherwise")).to_contain_text("left out")
    expect(page.locator(".otherwise")).to_contain_text("First flocks")
    expect(page.get_by_role("heading", name="Before it sets like cement")).to_be_visible()


def test_a_whole_acid_and_heat_make(page, pass_on):
    start(page, "Bench Curd", "Goats, this morning", "stove pot")
    read(page, celsius="12")
    pass_on(30)
    read(page, celsius="89.5")
    tap(page, "Done")
    pass_on(5)
    tap(page, "Done")
    first = page.locator(".buttons .go").text_content().strip()
    assert first.endswith("mL is in")
    tap(page, first)
    expect(page.locator(".under")).to_contain_text("are in")
    tenth = page.locator(".buttons .go").text_content().strip()
    assert float(tenth.split()[0]) < float(first.split()[0]) / 5
    tap(page, tenth)
    page.locator(".rung", has_text="clear, yellow-green").click()
    expect(page.locator(".rung[aria-pressed=true]")).to_have_count(1)
    tap(page, "Clear: enough")
    for minutes in (10, 10):
        pass_on(minutes)
        tap(page, "Done")
    expect(heading(page)).to_have_text(re.compile("ang it"))
    before = page.locator(".under").text_content()
    read(page, celsius="14")  # a cold room: the bag takes longer
    expect(page.locator(".under")).not_to_have_text(before)
    page.locator("summary", has_text="Keep a word").click()
    page.locator("#felt-note").fill("it drips in threads")
    page.locator(".keep-sign").get_by_role("button", name="Keep it").first.click()
    expect(page.locator(".log")).to_contain_text("it drips in threads")
    picture = io.BytesIO()
    Image.new("RGB", (60, 40), "beige").save(picture, "PNG")
    page.locator(".keep-sign [name=file]").set_input_files(
        {"name": "bag.png", "mimeType": "image/png", "buffer": picture.getvalue()}
    )
    page.locator(".keep-sign").get_by_role("button", name="Keep it").last.click()
    expect(page.locator(".kept-photo")).to_be_visible()
    pass_on(120)
    tap(page, "Done")
    page.locator("#curd_weighed-kg").fill("1.1 kg")
    page.get_by_role("button", name="Weighed", exact=True).click()
    expect(page.locator(".log")).to_contain_text("1.10 kg of curd")
    tap(page, "Done")
    expect(page.get_by_role("link", name="Weigh it")).to_be_visible()


def test_a_pasteurisation_with_a_dip_begins_its_half_hour_again(page, later):
    page.goto("/dairy/instruments")
    for label, text in (("melting ice", "0.1"), ("boiling water", "99"), ("How high", "300")):
        page.get_by_label(re.compile(label)).fill(text)
    page.get_by_role("button", name="Tried").click()
    page.goto("/milk")
    page.locator(".pail-link", has_text="House cows").click()
    page.get_by_role("link", name="Pasteurise it").click()
    expect(page.locator("[name=lot]:checked")).to_have_count(1)
    page.get_by_role("button", name="Begin the record").click()

    def told(value, minutes=4, name="Milk, coldest spot"):
        later(minutes)
        page.goto(page.url)
        while page.locator(".alarm-bar button").count():
            page.locator(".alarm-bar button").click()
        page.locator("[name=value]").fill(value)
        with page.expect_navigation():
            page.get_by_role("button", name=name).click()

    for _ in range(4):
        told("63.6")
    expect(page.locator(".big")).to_contain_text("12")
    expect(page.locator(".big")).to_contain_text("of 30 min held")
    told("62.7")
    expect(page.locator(".coach").first).to_contain_text("62.7 °C was read. It begins again")
    expect(page.locator(".big")).to_contain_text("0")
    told("63.4")
    told("66.4", 1, "Air under the lid")
    for _ in range(8):
        told("63.5")
    expect(page.locator(".under")).to_contain_text("Record meets 63.0 °C for 30 min; it does not")
    told("66.3", 1, "Air under the lid")
    expect(page.locator(".under")).to_have_text("Record meets 63.0 °C for 30 min.")
    told("50")
    told("40")
    expect(page.locator(".coach").first).to_contain_text("At this rate in")
    page.locator("summary", has_text="Close the record").click()
    page.get_by_label("It was stirred all the while").check()
    page.get_by_label("It was read at the coldest spot").check()
    page.get_by_role("button", name="Close it").click()
    expect(page.locator(".big")).to_have_text("Logged")
    page.get_by_role("link", name="Make a sheet of it").click()
    page.get_by_role("radio", name=re.compile("Larder Block")).check()
    page.get_by_role("button", name="Work it out").click()
    expect(page.locator(".do")).to_contain_text("pasteurised, logged")


def test_two_makes_at_once_sound_apart_and_are_never_mixed_up(page, later):
    start(page, "Bench Curd", "Goats, this morning", "stove pot")
    goats = page.url
    assert "milk-of-goat" in page.locator(".vat-now").get_attribute("class")
    timer = page.get_by_role("button", name="Timer", exact=True)
    expect(timer).to_have_attribute("aria-expanded", "false")  # its script runs
    timer.click()
    page.locator("#timer-words").fill("tea towel")
    seen = page.locator(".vat-now").get_attribute("data-version")
    page.locator("#timer [data-minutes='3']").click()
    page.wait_for_function(CHANGED, arg=seen)
    tile = page.locator(".clock-tile", has_text="tea towel")
    expect(tile.locator(".left")).to_have_text(re.compile(r"^[23]:\d\d$"))
    other = page.locator(".clock-tile", has_text="Larder Block")
    assert other.get_attribute("data-sound") != tile.get_attribute("data-sound")

    later(4)
    page.reload()
    bar = page.locator(".alarm-bar")
    expect(bar).to_contain_text("Bench Curd: tea towel, time is up")
    assert page.title().startswith("● Bench Curd")
    expect(page.locator("body")).to_have_class(re.compile("ringing"))
    bar.get_by_role("button").click()
    expect(page.locator("body")).not_to_have_class(re.compile("ringing"))
    tap(page, "Stop the timer: tea towel")
    page.locator(".lane", has_text="Larder Block").click()
    expect(page.locator(".make-name")).to_have_text("Larder Block")
    assert "milk-of-cow" in page.locator(".vat-now").get_attribute("class")
    later(10)  # over the end of its set: it rings on Today too
    page.goto("/")
    expect(page.locator(".alarm-bar")).to_contain_text("Larder Block")
    page.locator(".alarm-bar button").click()
    mine = page.locator(".clock-tile", has_text=re.compile("Larder Block|Bench Curd"))
    assert mine.count() == 2
    page.goto(goats)
    expect(page.locator(".make-name")).to_have_text("Bench Curd")


def test_what_is_told_on_one_device_stands_on_the_other(page, context_two):
    page.goto("/vat")
    context_two.goto(page.url)
    read(page, note="from the other room")
    expect(context_two.locator(".log")).to_contain_text("from the other room", timeout=15_000)


@pytest.fixture
def context_two(browser, address):
    context = browser.new_context(base_url=address, viewport={"width": 390, "height": 844})
    opened = context.new_page()
    opened.goto("/sign-in")
    opened.get_by_role("button", name="Walk into the demo dairy").click()
    yield opened
    context.close()


def drawn_height(page, locator):
    """How high the ink of an element is on the picture itself, and its contrast with the ground."""
    box = locator.bounding_box()
    with Image.open(io.BytesIO(page.screenshot(clip=box))) as picture:
        grey = picture.convert("L")
    ground = grey.getpixel((0, 0))
    ink = grey.point(lambda value: 255 if abs(value - ground) > 100 else 0)
    top, bottom = ink.getbbox()[1], ink.getbbox()[3]
    light, dark = ((grey.getextrema()[1] / 255) ** 2.2, (ground / 255) ** 2.2)
    return bottom - top, (light + 0.05) / (dark + 0.05)


@pytest.mark.parametrize("step", ["warm", "culture", "flocks"])
def test_it_is_read_at_two_metres_and_tapped_with_one_hand(page, later, step):
    start(page, "Larder Block", "Goats, this morning", "stove pot")
    for key in ("warm", "culture", "ripen", "calcium", "rennet"):
        if key == step:
            break
        if key == "warm":
            read(page, celsius="32")
        tap_with_word(page, "Done")
    high, contrast = drawn_height(page, page.locator(".lead .big b"))
    assert high >= 70 and contrast >= 7, (high, contrast)
    for button in page.locator(".hands .vat-button:visible").all():
        assert button.bounding_box()["height"] >= 56
    page.set_viewport_size({"width": 390, "height": 844})
    page.evaluate("window.scrollTo(0, 0)")
    page.reload()
    for part in (".lead h1", ".lead .big", ".buttons .vat-button >> nth=0", ".buttons .go"):
        box = page.locator(part).first.bounding_box()
        assert box["y"] >= 0 and box["y"] + box["height"] <= 844, part
    assert page.evaluate("window.scrollY") == 0
