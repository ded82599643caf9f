"""Recipes in the real browser: written from nothing, read from plain lines, handed down."""

import re
from pathlib import Path

from playwright.sync_api import expect

AXE = (Path(__file__).parent / "vendor" / "axe.min.js").read_text()
LINES = """Larch Curd
8 L batch cow milk
sing to it
0.6 g mild culture
1.6 mL calf rennet, 200 IMCU
2 % salt
warm to 32 C over 30 min
add the culture
wait 40 min
add the rennet
wait for the flocks
let it set to a clean break
cut to 1/2 inch
rest 5 min
stir 20 min until springy
drain 15 min
salt it
fill the mould
press 8 kg for 4 h
weigh it
ripen 40 days at 12 C, 85 %, in the cave, until it bends
every 2 days from day 1: turn it
eat within 90 days"""


CARD = """Gran's farm cheese
2 gal milk (goat, raw)
1/8 tsp mesophilic culture
3/4 tsp calf rennet in 1/4 c. cool water
Warm milk to 88 degrees F. Stir in culture, let sit 1 hour.
Add rennet, stir a minute. Leave 45 minutes until it breaks clean.
Cut in 3/4 inch cubes. Rest 10 min.
Heat slowly to 100 F (30-40 min). Hold 20.
Drain, mix in 2 Tbsp salt, hang 8 hrs.
Cool 1 hr and weigh."""


def part(page, name):
    page.locator(".desk-nav").get_by_role("link", name=re.compile(name)).click()


def panel(page):
    return page.locator(".part-shown > section:visible")


def write(page, label, text):
    """Type into a field of the part that is shown, and go on: the desk looks it over."""
    panel(page).get_by_label(label, exact=True).fill(text)
    page.keyboard.press("Tab")
    expect(page.locator("[aria-busy=true]")).to_have_count(0)


def put_in(page, kind):
    """Put a part in and go to it."""
    adder = panel(page).locator(".adder")
    adder.locator("select").select_option(kind)
    adder.get_by_role("button").click()
    expect(page.locator("[aria-busy=true]")).to_have_count(0)


def keep(page, why):
    asked = page.get_by_label("Why")
    if asked.count():  # of a first version nobody asks why
        asked.fill(why)
    with page.expect_navigation():
        page.get_by_role("button", name=re.compile("Keep it as version")).click()


def serious(page):
    page.evaluate(AXE)
    found = page.evaluate("axe.run({resultTypes: ['violations']})")["violations"]
    return [each["id"] for each in found if each["impact"] in ("serious", "critical")]


def test_a_recipe_is_written_from_nothing_checked_drawn_and_made(page):
    page.goto("/recipes")
    page.get_by_role("button", name="Write a new one").click()
    page.get_by_label("Name").fill("Orchard Curd")
    panel(page).get_by_label("Family").select_option("acid_heat_soft")
    write(page, "Eat within", "5 days")
    write(page, "How much", "2 gal")
    expect(panel(page).locator(".error")).to_contain_text("whose gal")
    expect(panel(page).get_by_label("How much")).to_have_value("2 gal")
    write(page, "How much", "2 US gal")
    write(page, "Acid down to pH", "5.8")
    expect(page.locator(".said-list")).to_contain_text("no acid goes in")
    part(page, "Goes in")
    put_in(page, "acid")
    write(page, "By its label", "white vinegar")
    write(page, "How much", "2/3 US cup")
    panel(page).get_by_label("Sort").select_option("acetic")
    write(page, "Strength", "5")
    part(page, "The make")
    put_in(page, "warm")
    write(page, "Warmth", "90")
    put_in(page, "add")
    panel(page).get_by_label("white vinegar").check()
    expect(page.locator(".make-path a")).to_have_count(2)
    put_in(page, "drain")
    write(page, "Look for", "clear whey")
    put_in(page, "cool")
    write(page, "It takes", "nine")
    expect(panel(page).locator(".error")).to_contain_text("not a length of time")
    write(page, "It takes", "9 min")
    panel(page).get_by_label("weight, the last step only").check()
    panel(page).get_by_role("button", name="Take it out").click()
    expect(page.locator(".make-path a")).to_have_count(3)
    page.get_by_role("button", name="Take the last move back").click()
    expect(page.locator(".make-path a")).to_have_count(4)
    part(page, "Ripening")
    page.get_by_role("button", name="Another place").click()
    write(page, "How long", "2 days")
    write(page, "Warmth", "39 F")
    expect(page.locator(".said-list")).to_contain_text("Salt comes at no stage")
    expect(page.locator(".said-list .is-grave")).to_have_count(0)
    assert serious(page) == []
    page.reload()
    expect(page.get_by_label("Name")).to_have_value("Orchard Curd")
    keep(page, "the first of its kind")
    expect(page.get_by_role("heading", name="Orchard Curd")).to_be_visible()
    assert serious(page) == []
    page.get_by_role("link", name="Make it with my milk").click()
    expect(page.locator("input[value=orchard-curd]")).to_be_checked()


def test_lines_become_a_recipe_a_daughter_and_what_its_mother_learns_later(page):
    page.goto("/recipes")
    page.get_by_role("link", name="Bring one in").click()
    page.get_by_label("The recipe").fill(LINES)
    expect(page.locator(".is-missed")).to_have_count(1)
    expect(page.locator(".not-read")).to_contain_text("sing to it")
    page.get_by_role("button", name="Open it on the desk").click()
    expect(page.locator(".make-path a")).to_have_count(14)
    expect(page.locator(".why")).to_contain_text("“sing to it”")
    expect(page.locator(".said-list .is-grave")).to_have_count(0)
    keep(page, "from grandmother’s card")

    page.get_by_role("button", name="A daughter of it").click()
    page.get_by_label("Name").fill("Larch Curd with thyme")
    part(page, "Goes in")
    put_in(page, "herb")
    write(page, "By its label", "dried thyme")
    write(page, "How much", "5 g")
    part(page, "Salt it")
    panel(page).get_by_label("dried thyme").check()
    expect(page.locator(".said-list .is-grave")).to_have_count(0)
    keep(page, "for the market")
    expect(page.locator(".recipe-head")).to_contain_text("a daughter of Larch Curd")

    page.locator(".recipe-head").get_by_role("link", name="Larch Curd").click()
    page.get_by_role("button", name="Change it").click()
    part(page, "Stir 20 min")
    write(page, "It takes", "35 min")
    keep(page, "too wet last time")
    page.get_by_role("link", name="Larch Curd with thyme").click()
    page.get_by_role("link", name="See what it would bring").click()
    expect(page.locator("#news")).to_contain_text("too wet last time")
    page.get_by_role("button", name="Take it over").click()
    expect(page.locator(".changes")).to_contain_text("35 min")
    page.get_by_role("link", name="The recipe itself").click()
    expect(page.locator(".recipe-steps")).to_contain_text("Stir 20 min")
    expect(page.locator(".why")).to_contain_text("dried thyme")
    expect(page.locator(".why")).to_contain_text("follows Larch Curd, version 2")


def caret(page, word, plus=1):
    """Put the caret into a word of the text."""
    page.get_by_label("The recipe").evaluate(
        """(field, [word, plus]) => {
            const at = field.value.indexOf(word) + plus;
            field.focus();
            field.setSelectionRange(at, at);
        }""",
        [word, plus],
    )
    page.keyboard.press("Shift")  # any key: the card goes by where the caret stands


def test_a_card_in_kitchen_units_becomes_a_sheet_for_22_litres_of_goats_milk(page):
    page.goto("/milk")
    page.get_by_label("How much").fill("22 L")
    page.get_by_label("Milked or bought at").fill("2026-05-04T06:30")
    page.get_by_role("button", name="Put it on the shelf").click()
    page.goto("/recipes/bring")
    page.get_by_label("The recipe").fill(CARD)
    expect(page.locator(".make-column")).to_contain_text("Hang 8 hrs")
    expect(page.locator(".is-missed, .marks s")).to_have_count(0)
    expect(page.locator(".made-milk")).to_contain_text("7.6 L of goat milk, raw")
    page.get_by_text("imperial, a fifth larger").click()
    expect(page.locator(".made-milk")).to_contain_text("9.1 L of goat milk, raw")
    page.get_by_text("US measure").click()
    expect(page.locator(".made-milk")).to_contain_text("7.6 L of goat milk, raw")
    strength = page.get_by_label("How strong is its rennet?")
    strength.fill("strong")
    page.keyboard.press("Tab")
    expect(page.locator(".asked-first .error")).to_contain_text("200 IMCU or 1:10000")
    expect(strength).to_have_value("strong")
    strength.fill("1:15000")
    page.keyboard.press("Tab")
    expect(page.locator(".made-in")).to_contain_text("1:15000")
    assert serious(page) == []
    page.get_by_role("button", name="Make it with my milk").click()
    expect(page.get_by_role("radio", name=re.compile("Gran's farm cheese"))).to_be_checked()
    page.get_by_role("checkbox", name=re.compile(r"22\.0 L")).check()
    page.get_by_role("button", name="Work it out").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Gran's farm cheese")
    expect(page.locator("body")).to_contain_text("22.0 L")
    page.goto("/recipes/gran-s-farm-cheese")
    page.get_by_text("As it was written").click()
    expect(page.locator(".as-written")).to_contain_text("hang 8 hrs")


def test_a_card_that_leaves_its_milk_out_is_asked_for_it_and_goes_on_at_the_desk(page):
    page.goto("/recipes/bring")
    without = CARD.replace("2 gal milk (goat, raw)\n", "")
    page.get_by_label("The recipe").fill(without)
    expect(page.get_by_label("How much milk is it for")).to_be_visible()
    page.get_by_role("button", name="Make it with my milk").click()
    expect(page.locator(".asked-first .error")).to_contain_text("Answer this first")
    page.get_by_role("button", name="Open it on the desk").click()
    expect(page.locator(".desk-nav")).to_be_visible()
    expect(page.get_by_label("As it was written")).to_have_value(without)
    write(page, "Whose recipe is this", "the neighbour of the mill")
    page.get_by_role("button", name="Another milk with it").click()
    write(page, "How much", "7.5 L")
    expect(page.locator(".said-list .is-grave")).to_have_count(0)
    keep(page, "")
    expect(page.locator("body")).to_contain_text("the neighbour of the mill")


def test_a_note_is_mended_where_it_stands_and_a_number_is_read_otherwise(page, tmp_path):
    page.goto("/recipes/bring")
    text = page.get_by_label("The recipe")
    note = tmp_path / "note.txt"
    note.write_text(
        "ewe tomme\newe 20 L\nmeso 1 g\nren 6 ml 200 IMCU\n32° culture 40'\nset 2 drachms"
    )
    photo = tmp_path / "note.png"
    page.screenshot(path=photo)
    page.locator("#upload").set_input_files(photo)
    expect(page.get_by_alt_text("The page that is typed off")).to_be_visible()
    page.locator("#upload").set_input_files(note)
    expect(text).to_have_value(note.read_text())
    expect(page.locator(".marks s")).to_have_text("2 drachms")
    text.fill(note.read_text().replace("set 2 drachms", "rennet, set 35'\ncut 8 mm"))
    expect(page.locator(".make-column")).to_contain_text("Cut 8 mm")
    expect(page.locator(".marks s")).to_have_count(0)

    caret(page, "40'")
    card = page.get_by_role("group", name="What the number became")
    expect(card).to_contain_text("became: ")
    expect(page.locator(".make-column .is-here")).to_have_count(1)
    page.keyboard.press("Tab")
    expect(card.get_by_role("button", name="it is hours")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.locator(".make-column")).to_contain_text("40 h")
    expect(card.get_by_role("button")).to_have_text("as it was read first")
    card.get_by_role("button").click()
    expect(page.locator(".make-column")).to_contain_text("40 min")
    caret(page, "35'")
    card.get_by_role("button", name="it belongs to the step before").click()
    expect(page.locator(".make-column li").filter(has_text="Rennet")).to_contain_text("35 min")
    page.locator(".make-column li").filter(has_text="Cut 8 mm").click()
    expect(page.locator(".marks .is-here")).to_have_text("8 mm")
