"""Bottles and doses in the real browser: bought, swapped, overruled, learnt."""

import re

from playwright.sync_api import expect
from sqlalchemy import update

from openpail.records.makes.models import Make
from openpail.records.session import sessions
from tests.e2e.conftest import tap, tap_with_word


def sheet_of(page, milk, recipe):
    page.goto("/sheet")
    page.locator(".pail-link", has_text=milk).click()
    page.locator(f"input[value={recipe}]").check()
    page.get_by_role("button", name="Work it out").click()


def dose(page, key):
    return page.locator(f"[data-dose={key}] b")


def why(page, key):
    return page.locator(f"#why-{key}")


def give_from(page, key, words):
    """Choose another bottle for a line of the sheet."""
    choice = why(page, key).locator("select")
    value = choice.locator("option", has_text=words).get_attribute("value")
    with page.expect_navigation():
        choice.select_option(value)


def buy_rennet(page):
    page.get_by_role("link", name="Stock", exact=True).click()
    page.locator(".kinds").get_by_role("link", name="rennet").click()
    page.get_by_label("By its label").fill("strong new rennet")
    page.get_by_label("Sort").select_option("calf")
    page.get_by_label("How much of it").fill("250 mL")
    page.get_by_role("button", name="Put it on its shelf").click()
    expect(page.locator("#strength-words")).to_contain_text("Write the strength on its label")
    expect(page.get_by_label("By its label")).to_have_value("strong new rennet")
    page.get_by_label("Strength on the label").fill("290")
    page.get_by_role("button", name="Put it on its shelf").click()
    expect(page.locator(".bottle-link", has_text="strong new rennet")).to_contain_text("250 mL")


def test_a_bottle_is_bought_the_old_one_swapped_in_and_a_what_if_kept(page):
    buy_rennet(page)
    sheet_of(page, "Goats, this morning", "larder-block")
    expect(why(page, "rennet")).to_contain_text("strong new rennet: 290 IMCU/mL")
    expect(page.locator(".plainly")).to_contain_text("this bottle is stronger")
    strong = float(dose(page, "rennet").text_content())

    give_from(page, "rennet", "brown bottle")
    expect(why(page, "rennet")).to_contain_text("the brown bottle: 187 IMCU/mL")
    assert float(dose(page, "rennet").text_content()) > strong * 1.3
    expect(page.locator(".order li").last).to_contain_text("fine salt")

    flocks = dose(page, "flocks").text_content()
    page.get_by_text("What if", exact=True).click()
    slider = page.get_by_role("slider", name="Rennet, mL")
    slider.focus()
    for _ in range(8):
        page.keyboard.press("ArrowLeft")
    expect(page.locator(".say", has_text="This is a what-if")).to_be_visible()
    expect(dose(page, "flocks")).not_to_have_text(flocks)
    expect(page.get_by_role("button", name="Start the make")).to_have_count(0)
    page.get_by_role("link", name="Back to the plan").click()
    expect(dose(page, "flocks")).to_have_text(flocks)

    page.get_by_role("button", name="Culture").click()
    why(page, "culture").get_by_label(re.compile("leave out.*buffering")).check()
    expect(page.locator("[data-dose=culture] .known-overruled")).to_be_visible()
    page.get_by_label("Why you overrule it").fill("the milk stood cold for a day")
    page.get_by_role("button", name="Keep as overruled").click()
    expect(page.locator(".kept")).to_contain_text("the milk stood cold for a day")
    page.get_by_role("button", name="Start the make").click()
    page.get_by_text("The whole sheet").or_(page.get_by_role("link", name="sheet")).first.click()
    expect(page.locator("main")).to_contain_text("Overruled: the milk stood cold for a day")


def test_vinegar_is_replaced_by_lemon_juice_and_a_house_value_overruled_and_reset(page):
    sheet_of(page, "Goats, this morning", "bench-curd")
    vinegar = float(dose(page, "acid").text_content())
    give_from(page, "acid", "lemon juice")
    expect(why(page, "acid")).to_contain_text("lemon juice, bottled for white vinegar")
    expect(why(page, "acid")).to_contain_text("Fruit varies by a fifth")
    lemon = float(dose(page, "acid").text_content())
    assert lemon > vinegar
    why(page, "acid").get_by_role("link", name="house value, shaped on").click()
    page.goto(re.sub(r"find=[\w.]+", "find=lemon_bottled", page.url))
    row = page.locator("#acid\\.lemon_bottled")
    row.get_by_label("Own value").fill("9")
    row.get_by_role("button", name="Keep").click()
    expect(row.locator(".error")).to_contain_text("outside 2.5 to 6.5")
    expect(row.get_by_label("Own value")).to_have_value("9")
    row.get_by_label("Own value").fill("5.7")
    row.get_by_label("Why").fill("ours is strong")
    row.get_by_role("button", name="Keep").click()
    expect(row.locator(".overruled")).to_have_text("5.7")
    sheet_of(page, "Goats, this morning", "bench-curd")
    give_from(page, "acid", "lemon juice")
    expect(dose(page, "acid")).not_to_have_text(f"{lemon:g}")
    assert abs(float(dose(page, "acid").text_content()) - lemon * 3.8 / 5.7) <= 1
    page.goto("/dairy/house?find=lemon_bottled")
    row.get_by_label("Own value").fill("")
    row.get_by_role("button", name="Keep").click()
    expect(page.locator(".overruled")).to_have_count(0)


def make_till_the_flocks(page, later, milk, minutes):
    sheet_of(page, milk, "larder-block")
    page.get_by_role("button", name="Start the make").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Warm the milk to 32 °C")
    later(20)  # quicker than hands are, it would teach nothing
    page.reload()
    expect(page.locator("[aria-expanded]").first).to_be_visible()  # its script runs
    page.keyboard.press("r")
    page.get_by_role("textbox", name="Temperature").fill("32")
    tap(page, "Keep the reading")
    flocks = page.get_by_role("button", name="First flocks", exact=True)
    while not flocks.count():
        tap_with_word(page, "Done")
    later(minutes)
    tap_with_word(page, "First flocks")
    expect(flocks).to_have_count(0)


def test_three_makes_teach_a_bottle_and_the_next_sheet_uses_it(page, later, demo_url):
    buy_rennet(page)
    for milk in ("Goats, this morning", "House cows, this morning", "Ewes, this morning"):
        make_till_the_flocks(page, later, milk, 5)
        with sessions(demo_url).begin() as session:  # the vat is washed, the cheese at rest
            session.execute(update(Make).values(state="resting"))
    page.goto("/stock")
    page.get_by_role("link", name=re.compile("strong new rennet")).click()
    expect(page.locator(".why")).to_contain_text("against its label, as 3 makes taught")
    expect(page.locator(".told")).to_contain_text("used −")
    sheet_of(page, "Goats, older", "larder-block")
    expect(why(page, "rennet")).to_contain_text("as the flocks of 3 makes taught")


def test_a_jar_is_fed_from_today_and_lots_are_read_from_a_file(page, later):
    later(3 * 24 * 60)
    page.goto("/")
    page.get_by_role("button", name="Done: fed the counter jar").click()
    expect(page.get_by_role("button", name="Done: fed the counter jar")).to_have_count(0)
    page.get_by_role("link", name="Stock", exact=True).click()
    expect(page.locator(".of-stock", has_text="counter jar")).to_contain_text(
        "not been seen to set"
    )
    page.get_by_role("link", name="counter jar").last.click()
    page.get_by_label("Hours until it set").fill("14")
    page.get_by_role("button", name="Write it in the log").click()
    expect(page.locator(".of-stock", has_text="counter jar")).to_have_count(0)
    page.get_by_role("link", name="Lots from a file").click()
    page.get_by_label("Or paste it here").fill("kind,name,strength\nrennet,pasted,150\nrennet,no,")
    page.get_by_role("button", name="Look at it").click()
    expect(page.locator(".refused")).to_contain_text("Write the strength on its label")
    page.get_by_role("button", name="Keep 1 lot, leave 1 out").click()
    expect(page.locator(".bottle-link", has_text="pasted")).to_be_visible()
    for path in ("/stock", "/stock?kind=culture", "/stock/solution"):
        page.goto(path)
        for width in (390, 820, 1280):
            page.set_viewport_size({"width": width, "height": 800})
            wide = page.evaluate("document.documentElement.scrollWidth")
            assert wide <= width, (path, width, wide)
