"""Bad input: a clear sentence by the field, nothing typed lost, nothing saved."""

import re
import uuid
from pathlib import Path

import pytest

from openpail import web
from tests.support import RECIPES

GOOD = {
    "amount": "21.5 L",
    "celsius": "20",
    "breed": "goat",
    "treatment": "raw",
    "holding": "cold",
    "kind": "milk",
    "stage": "",
    "freezing_unit": "c",
    "acidity_scale": "degD",
    "milked": "2026-05-04T06:30",
    "fat": "4,1",
    "protein": "3.3",
    "protein_kind": "true",
    "ph": "6.58",
    "ph_sample": "20 C",
    "name": "Goats again",
}


TEMPLATES = [
    each
    for each in sorted(Path(web.__file__).parent.rglob("*.html"))
    if "vendor" not in each.parts and "<form" in each.read_text("utf-8")
]


@pytest.mark.parametrize("template", TEMPLATES, ids=lambda each: each.stem)
def test_enter_in_a_field_does_what_the_form_is_for(template):
    """Enter, and a phone's Go, press the first button of a form: where something can be typed, that
    one says nothing beside what is typed, or is no button at all."""
    for form in re.findall(r"<form\b.*?</form>", template.read_text("utf-8"), re.S):
        typed = re.search(r'field\(|<textarea|<select|<input(?![^>]*type="hidden")', form)
        buttons = re.findall(r"<button\b[^>]*>", form)
        sends = [each for each in buttons if 'type="button"' not in each]
        if typed and len(sends) > 1:
            assert " name=" not in sends[0] or " disabled" in sends[0], sends[0]


def lots(client):
    return len(re.findall(r'class="pail-link', client.get("/milk").text)) - 1


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"amount": "-3"}, "less than nothing"),
        ({"amount": "lots"}, "“lots” is not an amount"),
        ({"amount": "1,500 mL"}, "could be 1500 or 1.500"),
        ({"amount": "5 gal"}, "US gal or imp gal"),
        ({"amount": ""}, "Write how much milk there is."),
        ({"celsius": "hot"}, "is not an amount"),
        ({"celsius": "75"}, "between 0 and 60"),
        ({"fat": "41"}, ""),
        ({"fat": "88"}, "Fat 88 % is outside"),
        ({"ph": "2"}, "pH 2 is outside"),
        ({"casein": "5"}, "more than the protein"),
        ({"milked": "tomorrow"}, "Write the day and time"),
        ({"milked": "2026-05-05T06:30"}, "not been milked yet"),
    ],
)
def test_bad_milk_is_refused_by_the_field_and_nothing_typed_is_lost(client, post, change, words):
    before = lots(client)
    page = post("/milk", {**GOOD, **change})
    if not words:
        assert page.status_code == 302
        return
    assert words in page.text
    assert "Goats again" in page.text
    for typed in change.values():
        assert f'value="{typed}"' in page.text
    assert lots(client) == before


def new_lot(client, post, **change):
    return post("/milk", {**GOOD, **change}).headers["Location"].split("/")[-1]


def sheet(client, lot, recipe="larder-block", **more):
    query = {"lot": lot, "recipe": recipe, **more}
    return client.get("/sheet", query_string=query).text


def test_a_crude_protein_shows_another_calcium_figure_with_its_reason(client, post):
    true = sheet(client, new_lot(client, post))
    crude = sheet(client, new_lot(client, post, protein_kind="crude"))
    assert "casein is low" not in true and "casein is low" in crude
    assert (
        "nitrogen that is no protein"
        in client.get(f"/milk/{new_lot(client, post, protein_kind='crude')}").text
    )


def test_what_ifs_answer_and_nonsense_is_said_beside_the_old_figures(client, post):
    lot = new_lot(client, post)
    plan, warm = sheet(client, lot), sheet(client, lot, at="34")
    dose = re.compile(r'data-dose="rennet"[^/]*<b>([\d.]+)</b>', re.S)
    assert float(dose.search(warm)[1]) < float(dose.search(plan)[1])
    assert "between 20 and 45" in sheet(client, lot, at="12")
    assert "“warm” is not an amount" in sheet(client, lot, at="warm")
    assert "keep the dose" in sheet(client, lot, school="keep_dose")
    assert client.get("/sheet", query_string={"lot": "rubbish"}).status_code == 404


def start(client, post, lot, recipe="larder-block", vat="jacketed", why=""):
    page = client.get("/sheet", query_string={"lot": lot}).text
    vat_id = re.search(rf'value="([\w-]+)"[^>]*>{vat}', page)[1]
    data = {"lot": lot, "recipe": recipe, "vat": vat_id, "school": "keep_clock", "why": why}
    return post("/sheet/start", data)


@pytest.mark.parametrize(
    ("milk", "recipe", "vat", "words"),
    [
        ({"treatment": "ultra_heated"}, "larder-block", "jacketed", "no culture mends it"),
        ({"residue": "y"}, "larder-block", "jacketed", "no animals fed"),
        ({"milked": "2026-04-29T06:30"}, "larder-block", "jacketed", "Write why you go on"),
        ({}, "larder-block", "stove", "with head room it takes 11.9 L"),
        ({}, "larder-block", "water-bath", "in use"),
    ],
)
def test_a_make_that_must_not_start_says_why_and_does_not(client, post, milk, recipe, vat, words):
    lot = new_lot(client, post, **milk)
    page = start(client, post, lot, recipe, vat)
    assert words in page.text
    assert f"/milk/{lot}" in client.get("/milk").text


def test_a_stop_that_may_be_answered_is_kept_with_the_make(client, post):
    lot = new_lot(client, post, milked="2026-04-29T06:30")
    why = "boiled curd for the hens, on purpose"
    made = start(client, post, lot, "bench-curd", why=why)
    assert made.status_code == 302
    make = made.headers["Location"].split("/")[-1]
    assert why in client.get(f"/makes/{make}/sheet").text


def test_a_reading_no_vat_shows_is_refused_and_kept_on_the_page(client, post):
    vat = client.get("/vat").headers["Location"]
    event = "11111111-1111-4111-8111-111111111111"
    for data, words in (
        ({"celsius": "310"}, "No vat is that cold"),
        ({"celsius": "31", "ph": "65"}, "A pH here lies between"),
        ({"note": "", "celsius": ""}, "Write what was read"),
        ({"celsius": "31", "at": "late"}, "Write the time like"),
    ):
        page = post(
            f"{vat}/tell",
            {"deed": "reading", "event": event, "note": "by the wall", **data}
            if data.get("note") is None
            else {"deed": "reading", "event": event, **data},
        )
        assert words in page.text
        assert all(f'value="{typed}"' in page.text for typed in data.values() if typed)
    post(f"{vat}/tell", {"deed": "reading", "event": event, "celsius": "31,5", "ph": "6.4"})
    post(f"{vat}/tell", {"deed": "reading", "event": event, "celsius": "31,5", "ph": "6.4"})
    assert client.get(vat).text.count("31.5 °C</b>") == 1


def test_weights_are_read_one_a_line_or_refused(client, post):
    make = client.get("/vat").headers["Location"].split("/")[-1]
    data = {"event": "22222222-2222-4222-8222-222222222222", "weights": "1.4 kg\nheavy"}
    assert "“heavy” is not an amount" in post(f"/table/{make}", data).text
    assert "Weigh the cheese" in post(f"/table/{make}", {**data, "weights": ""}).text
    assert "not cut yet" in post(f"/table/{make}", {**data, "weights": "1.4\n2 lb"}).text
    for step in RECIPES["larder-block"].steps:
        post(
            f"/vat/{make}/tell",
            {
                "deed": "step_done",
                "word": "all at once",
                "event": str(uuid.uuid4()),
                "step": step.key,
            },
        )
    far = post(f"/table/{make}", {**data, "weights": "9 kg"}).text
    assert "where about" in far and "If it is so, a word" in far
    assert post(f"/table/{make}", {**data, "weights": "1.4\n2 lb"}).status_code == 302
    page = client.get(f"/table/{make}").text
    assert "2.31 kg" in page and "next: Turn it" in page
    mend = {"event": "33333333-2222-4222-8222-222222222222", "weights": "1.5 kg"}
    assert "as many weights" in post(f"/table/{make}", mend).text
    many = post(f"/table/{make}", {**mend, "weights": "22 × 150 g"}).text
    assert "as many weights" in many and "22 × 150 g" in many  # each is a piece: not one of 3.3 kg
    two = "2 × 1.2 kg"
    assert post(f"/table/{make}", {**mend, "weights": two}).status_code == 302
    assert "2.40 kg" in client.get(f"/table/{make}").text
