"""The cave lived through in a real browser: numbers, rounds, labels, the thumb, the air."""

import re
from datetime import UTC, datetime, timedelta

import pytest
import zxingcpp
from icalendar import Calendar
from PIL import Image
from playwright.sync_api import expect

pytestmark = pytest.mark.e2e


def open_cheese(page, label):
    page.goto("/cave")
    page.get_by_role("link", name=re.compile(rf"^{label}\b")).click()


def test_three_pieces_get_labels_whose_codes_open_them_and_one_is_moved_early_and_back(
    page, tmp_path
):
    page.goto("/cave/labels")
    for label in ("14-1", "14-2", "14-3"):
        page.get_by_role("checkbox", name=re.compile(rf"^{label} ")).check()
    page.get_by_label("On which paper").select_option("a4-4")
    page.get_by_role("button", name="Show them").click()
    expect(page.get_by_role("heading", name="3 labels")).to_be_visible()
    sheet = page.locator("img.label-page").first
    expect(sheet).to_be_visible()
    page.set_viewport_size({"width": 1600, "height": 2200})
    seen = tmp_path / "labels.png"
    sheet.screenshot(path=seen)
    with Image.open(seen) as image:
        codes = [
            each.text for each in zxingcpp.read_barcodes(image.convert("L").resize((2280, 3224)))
        ]
    assert len(codes) == 3
    code = next(each for each in codes if "/n/14-2/" in each)
    page.set_viewport_size({"width": 390, "height": 800})  # as the phone that read it
    page.goto(code)
    expect(page.get_by_role("heading", level=1)).to_contain_text("14-2")
    expect(page.locator("#moved .whose")).to_contain_text("Read off its label: 14-2")
    page.locator("#moved").get_by_label("What that means").select_option(
        label="the same stage goes on there"
    )
    page.locator("#moved").get_by_label("Where to").select_option("warm cupboard")
    page.get_by_role("button", name="Move 14-2").click()
    expect(page.get_by_role("alert")).to_contain_text("Its plan has it in cave")
    page.get_by_label("If it is so, a word: why").fill("the cave is washed out")
    page.get_by_role("button", name="Move 14-2").click()
    expect(page.get_by_role("status")).to_contain_text("14-2 is in warm cupboard now")
    page.get_by_role("button", name="Take it back").click()
    expect(page.locator(".piece-head")).to_contain_text("cave")
    expect(page.locator(".life-told .undone").first).to_contain_text("taken back")


def test_a_round_is_done_in_one_tap_and_one_of_it_taken_back(page):
    page.goto("/cave")
    page.get_by_role("link", name="Begin the round").click()
    walk = page.locator(".walk").filter(has_text="Turn the logs").first
    expect(walk.get_by_role("checkbox")).to_have_count(6)
    walk.get_by_role("button", name="Done").click()
    expect(page.get_by_role("status")).to_contain_text("16-1, 16-2")
    expect(page.locator(".walk").filter(has_text="Turn the logs")).to_have_count(0)
    page.get_by_text("Not all of them").click()
    page.get_by_role("button", name="Take back 16-4").click()
    walk = page.locator(".walk").filter(has_text="Turn the logs").first
    expect(walk.get_by_role("checkbox")).to_have_count(1)
    expect(walk).to_contain_text("16-4")


def test_a_bloomy_that_runs_early_is_moved_forward_by_the_thumb_and_the_calendar_follows(page):
    def eat_by():
        body = page.request.get("/calendar.ics").body()
        found = {
            str(each["uid"]): each["dtstart"].dt
            for each in Calendar.from_ical(body).walk("VEVENT")
            if "eat-up" in str(each["uid"]) and "Dapple" in str(each["summary"])
        }
        assert len(found) == 1
        return next(iter(found.items()))

    uid, before = eat_by()
    open_cheese(page, "14-1")
    row = page.locator(".sign-row").filter(has_text="What does the thumb feel?")
    row.get_by_role("checkbox").check()
    row.get_by_role("button", name="soft all through").click()
    expect(page.locator(".why")).to_contain_text("the thumb found it soft all through")
    same, after = eat_by()
    assert same == uid and after < before  # the same event, sooner


def test_a_loggers_file_with_a_gap_is_read_and_its_gap_is_shown(page, tmp_path):
    now = datetime(2026, 5, 4, 9, 30, tzinfo=UTC)
    lines = ["Time;Temp (°C);RH (%)"]
    for minutes in range(0, 60 * 30, 10):
        at = now - timedelta(hours=30) + timedelta(minutes=minutes)
        if not 10 * 60 <= minutes < 16 * 60:
            lines.append(f"{at:%d.%m.%Y %H:%M:07};{-18 - minutes % 7 / 10:.1f};")
    file = tmp_path / "air.csv"
    file.write_text("\n".join(lines))
    page.goto("/cave")
    page.locator(".cave-place").filter(has=page.get_by_role("heading", name="Freezer")).get_by_role(
        "link"
    ).first.click()
    page.get_by_text("A file of the logger").click()
    page.get_by_label("A file with time, temperature, humidity").set_input_files(file)
    page.get_by_role("button", name="Keep its values").click()
    expect(page.get_by_role("status")).to_contain_text("144 values came, 144 of them new")
    expect(page.get_by_role("status")).to_contain_text("Nothing was read from")
    expect(page.locator("svg.air")).to_be_visible()


def test_the_keyboard_walks_the_shelf_and_opens_a_cheese(page):
    page.goto("/cave")
    page.locator(".on-shelf").first.focus()
    page.keyboard.press("ArrowRight")
    second = page.locator(".on-shelf").nth(1)
    expect(second).to_be_focused()
    label = second.locator("b").text_content()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", level=1)).to_contain_text(label)
