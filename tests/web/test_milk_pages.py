"""Milk's pages: marks and money, files, herds, the analyser, jars and dip-sticks."""

import random
import re
import threading
import uuid
from io import BytesIO

import pytest
from sqlalchemy import select

from openpail.formats.milk_csv import read_lots, read_tests
from openpail.instruments.analyser.stand_in import Mood, StandIn
from openpail.records.dairy.models import Dairy
from openpail.records.milk.models import MilkLot, MilkTestRow
from openpail.records.session import sessions
from tests.web.test_forms import GOOD, lots, new_lot

LAB = """herd,date,fat %,protein %,scc
Goats,2026-04-28,3.91,3.30,1200
Goats,2026-04-29,91,3.30,1100
Donkeys,2026-04-29,3.0,2.0,10
lot 12,2026-05-04,5.6,,
Goats,2027-01-01,3.9,3.3,900
"""
ANSWERS = {"ask-protein": "crude", "ask-cells": "1000"}


def slips_kept(client):
    with sessions(client.application.extensions["config"].database_url)() as session:
        return session.query(MilkTestRow).count()


def test_a_file_is_looked_at_asked_about_kept_once_and_remembered(client, post):
    before = slips_kept(client)
    looked = post("/milk/file", {"text": LAB}).text
    assert "Understood, 2" in looked and "Refused, 3" in looked
    for words in ("Fat 91 % is outside", "is no lot and no herd here", "That day is to come"):
        assert words in looked
    assert "choose" in looked and slips_kept(client) == before
    assert looked.count("unit?") == 1  # no count is shown before its unit is known
    unanswered = post("/milk/file", {"text": LAB, "keep": "1"}).text
    assert "Answer what is open above" in unanswered and slips_kept(client) == before
    kept = post("/milk/file", {"text": LAB, "keep": "1", **ANSWERS}).text
    assert "2 slips kept" in kept and "line 3: Fat 91" in kept
    assert slips_kept(client) == before + 2
    again = post("/milk/file", {"text": LAB}).text
    assert "As you said" in again and ">choose<" not in again
    twice = post("/milk/file", {"text": LAB, "keep": "1"}).text
    assert "0 slips kept" in twice and "2 were here already" in twice
    assert slips_kept(client) == before + 2


def test_a_file_may_be_uploaded_or_be_no_file(client, post):
    upload = {"upload": (BytesIO("\ufeffherd;date;fat\nGoats;2026-04-28;3,9\n".encode()), "a.csv")}
    page = post("/milk/file", upload, content_type="multipart/form-data").text
    assert "Understood, 1" in page and "3.90" in page
    nothing = post("/milk/file", {"text": "fat,protein\n4,3"}).text
    assert "No column says whose milk" in nothing and "4,3</textarea>" in nothing


def test_the_milk_book_leaves_as_csv_and_reads_back(client, post):
    new_lot(client, post, name="=cmd()", price="12,5", bought="y")
    book = client.get("/milk/lots.csv")
    found = read_lots(book.text)
    assert found[-1].name == "=cmd()" and "'=cmd()" in book.text
    assert found[-1].price == "12.50" and found[-1].bought
    assert "attachment" in book.headers["Content-Disposition"]
    slips = read_tests(client.get("/milk/slips.csv").text)
    mine = next(slip for slip in slips if slip.name == "=cmd()").test
    assert (mine.fat_pct, mine.protein_kind) == (4.1, "true")
    assert any(slip.lot == 0 for slip in slips)  # a herd's own


def test_a_slip_of_every_kind_is_kept_in_its_own_scale(client, post):
    lot = new_lot(
        client,
        post,
        protein="",
        protein_kind="unknown",
        lactometer="29",
        lactometer_at="20 C",
        freezing="0.535",
        freezing_unit="h",
        acidity="7",
        acidity_scale="degSH",
        plates="60000",
        lactose="4.5",
    )
    page = client.get(f"/milk/{lot}").text
    assert "lactometer at 15.5 °C; an estimate but for cows" in page
    assert "acidity % <b>0.158</b>" in page
    assert "freezes at <b>−0.517</b>" in page
    assert "Added water" in page and "water was added" in page
    refused = post("/milk", {**GOOD, "density": "1.2"}).text
    assert "Density 1.2 g/mL is outside" in refused and 'value="1.2"' in refused
    cold = post("/milk", {**GOOD, "lactometer": "29"}).text
    assert "how many degrees the lactometer" in cold


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"breed": "dragon"}, "Choose whose milk"),
        ({"price": "much"}, "is not a number"),
        ({"price": "-4"}, "Write the price"),
        ({"best_before": "someday"}, "Not a valid date"),
        ({"acidity": "70"}, "Acidity 0.7"),
    ],
)
def test_marks_that_will_not_do_are_said_by_their_field(client, post, change, words):
    before = lots(client)
    page = post("/milk", {**GOOD, **change})
    if words == "Acidity 0.7":  # high, and yet a milk may be so sour: kept, with a caution
        assert page.status_code == 302
        assert "already souring" in client.get(page.headers["Location"]).text
        return
    assert words in page.text and lots(client) == before


def test_milk_goes_away_in_part_with_a_word_and_adds_up(client, post):
    lot = new_lot(client, post)
    given = {"kind": "given", "amount": "1 big jar", "note": "the neighbour"}
    assert post(f"/milk/{lot}/away", given).headers["Location"].endswith(lot)
    page = client.get(f"/milk/{lot}").text
    assert "given away, the neighbour" in page and "17.5 L left of 21.5 L" in page
    too_much = post(f"/milk/{lot}/away", {"kind": "fed", "amount": "40 L"}).text
    assert "is left, not" in too_much and 'value="40 L"' in too_much
    assert post(f"/milk/{lot}/away", {"kind": "fed"}).headers["Location"].endswith("/milk")


def test_frozen_milk_is_thawed_from_today(client, post):
    today = client.get("/").text
    thaw = re.search(r'action="(/milk/[\w-]+/thaw)"', today)[1]
    assert "Ewes, last summer out of the freezer" in today
    lot = thaw.removesuffix("/thaw")
    assert "Into the fridge now" in client.get(lot).text
    post(thaw, {"from": "today"})
    answered = client.get("/").text
    assert "<b>Done.</b> Into the fridge: Ewes, last summer" in answered
    post(thaw, {"back": "1", "from": "today"})
    assert "out of the freezer" in client.get("/").text
    post(thaw, {})
    assert "out of the freezer" not in client.get("/").text
    assert "0 h</span> old" in client.get(lot).text
    assert "not in the freezer" in post(thaw, {}).text


def test_a_herd_is_added_and_its_milk_is_one_touch(client, post):
    herds = client.get("/milk/herds").text
    assert "14 tests" in herds and "casein : fat" in herds
    assert "already" in post("/milk/herds", {"name": "Goats", "breed": "goat", "kappa": ""}).text
    assert (
        "1 or more"
        in post("/milk/herds", {"name": "Kids", "breed": "goat", "head": "0", "kappa": ""}).text
    )
    told = {"name": "Hill goats", "breed": "goat", "head": "9", "kappa": ""}
    assert "of cows only" in post("/milk/herds", {**told, "kappa": "BB"}).text
    post("/milk/herds", told)
    page = client.get("/milk").text
    herd = re.search(r'value="([\w-]+)"><span>Hill goats', page)[1]
    lot = new_lot(client, post, breed=herd, name="", fat="", protein="", ph="")
    shown = client.get(f"/milk/{lot}").text
    assert "Hill goats, Mon morning" in shown and "usual for goat" in shown
    goats = re.search(r'value="([\w-]+)"><span>Goats<', page)[1]
    known = client.get(f"/milk/{new_lot(client, post, breed=goats, fat='', protein='')}").text
    assert "the herd’s mean of 10 tests" in known


@pytest.fixture
def analyser(client):
    with StandIn(0, Mood(busy_s=0.01, chance=random.Random(1))) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        url = client.application.extensions["config"].database_url
        with sessions(url).begin() as session:
            dairy = session.scalar(select(Dairy))
            dairy.analyser = f"127.0.0.1:{server.server_address[1]}"
        yield server
        server.shutdown()


def test_the_analysers_reading_is_shown_and_kept_only_when_the_maker_does(client, post, analyser):
    lot = new_lot(client, post)
    before = slips_kept(client)
    page = post(f"/milk/{lot}/analyser", {}, page=f"/milk/{lot}").text
    assert "Read from the analyser. Look at it, then keep it." in page
    fat = re.search(r'name="fat"[^>]*value="(4\.\d\d)"', page)[1]
    assert slips_kept(client) == before
    slip = {
        "fat": fat,
        "protein_kind": "crude",
        "source": "analyser",
        "freezing_unit": "c",
        "acidity_scale": "degD",
    }
    post(f"/milk/{lot}/test", slip)
    assert "by the analyser" in client.get(f"/milk/{lot}").text


@pytest.mark.parametrize(
    ("faults", "words"),
    [
        (["blank"], "no milk in the cup"),
        (["checksum", "hang-up"], "cannot be trusted"),
        (["impossible", "impossible"], "no milk is so"),
    ],
)
def test_a_fault_of_the_analyser_is_told_and_nothing_is_kept(client, post, analyser, faults, words):
    lot = new_lot(client, post)
    before = slips_kept(client)
    analyser.mood.faults = faults
    page = post(f"/milk/{lot}/analyser", {}, page=f"/milk/{lot}").text
    assert words in page and slips_kept(client) == before
    assert re.search(r'name="fat"[^>]*value=""', page)


OWN = {
    "dairy-name": "Wrenfold Steading",
    "dairy-zone": "Dublin",
    "dairy-volume_system": "metric",
    "dairy-mass_system": "metric",
    "dairy-degrees": "C",
    "dairy-quiet_from": "22:30",
    "dairy-quiet_until": "06:30",
    "dairy-analyser": "",
}


def test_the_dairy_tells_of_its_jars_sticks_hours_and_devices(client, post):
    assert "big jar" in client.get("/dairy/gear").text
    assert "a unit already" in post("/dairy/jars", {"jar-name": "pint", "jar-holds": "1 L"}).text
    post("/dairy/jars", {"jar-name": "Milk can", "jar-holds": "8 L"})
    lot = new_lot(client, post, amount="2 milk cans")
    assert "16.0 L" in client.get(f"/milk/{lot}").text
    post("/dairy/jars/drop", {"name": "milk can"})
    assert "is not a unit" in post("/milk", {**GOOD, "amount": "2 milk cans"}).text
    assert "16.0 L" in client.get(f"/milk/{lot}").text  # what it was stays
    bad = post("/dairy", {**OWN, "dairy-analyser": "the shelf"}).text
    assert "Write it like 127.0.0.1:7431" in bad and "the shelf" in bad
    post("/dairy", {**OWN, "dairy-quiet_from": "21:00", "dairy-quiet_until": "07:15"})
    page = client.get("/dairy").text
    assert 'value="21:00"' in page and 'value="Europe/Dublin"' in page


def test_new_milk_is_told_as_it_stands_on_the_stick_of_a_vat(client, post):
    lot = new_lot(client, post, amount="12 cm in the water-bath kettle")
    assert "11.6 L" in client.get(f"/milk/{lot}").text  # by its measured fills
    assert "11.6 L" in client.get(f"/milk/{new_lot(client, post, amount='12 cm kettle')}").text
    for amount, words in (
        ("12 cm", "12 cm of which vat? Write it so: 12 cm in the stove pot."),
        ("90 cm in the stove pot", "90 cm is over the brim of stove pot"),
        ("12 cm in the bath tub", "12 cm of which vat?"),
        ("twelve", "“twelve”"),
    ):
        refused = post("/milk", {**GOOD, "amount": amount}).text
        assert words in refused and f'value="{amount}"' in refused


def test_a_dip_stick_follows_measured_fills(client, post):
    pot = re.search(
        r'href="(/dairy/vats/[\w-]+)">(?:(?!</a>).)*<b>stove pot',
        client.get("/dairy/gear").text,
        re.S,
    )[1]
    by_width = client.get(pot).text
    assert "From its width, 26.0 cm" in by_width
    fills = f"{pot}/fills"
    assert "must be more than" in post(fills, {"fills-fills": "10 5\n12 4"}).text
    assert "how deep and how much" in post(fills, {"fills-fills": "10 cm 5 L high"}).text
    post(fills, {"fills-fills": "10; 5\n20 = 11,5 L"})
    measured = client.get(pot).text
    assert "From measured fills" in measured and "<b>10.0 cm</b> 5.0 L" in measured
    assert "as this vat has shown in 4 makes" in measured  # it says more than its heater does
    heat = f"{pot}/heater"
    assert "kW, like 2.5" in post(heat, {"heater-heater": "gas", "heater-power": "900"}).text
    assert "Write both" in post(heat, {"heater-heater": "plate", "heater-power": ""}).text
    post(heat, {"heater-heater": "plate", "heater-power": "2"})
    assert 'value="2"' in client.get(pot).text
    post(heat, {"heater-heater": "", "heater-power": ""})
    post("/dairy/vats", {"vat-name": "tub", "vat-brim": "20 L"})
    tub = re.search(
        r'href="(/dairy/vats/[\w-]+)">(?:(?!</a>).)*<b>tub',
        client.get("/dairy/gear").text,
        re.S,
    )[1]
    unmeasured = client.get(tub).text
    assert "Read the temperature twice while it warms" in unmeasured
    assert "how wide it is inside" in unmeasured and "cm deep" not in client.get("/bench").text
    wide = {"vat-name": "wash tub", "vat-brim": "22 L", "vat-diameter": "12 in"}
    assert post(tub, wide).status_code == 302 and "30.5 cm" in client.get(tub).text
    assert "“Stove pot” already" in post(tub, {**wide, "vat-name": "Stove pot"}).text
    post(f"{tub}/heater", {"heater-heater": "gas", "heater-power": "3"})
    page = client.get(tub).text
    assert "<b>1.2</b> kW" in page and "over a gas flame" in page


def test_what_is_not_used_is_put_away_and_taken_out_again(client, post):
    """A vat in which something stands or is planned stays; animals stay in the milk they gave."""

    def address(name, page):
        return re.search(rf'href="([\w/-]+)">(?:(?!</a>).)*<b>{name}', client.get(page).text, re.S)[
            1
        ]

    kettle = address("water-bath kettle", "/dairy/gear")
    assert "stands in the" in post(f"{kettle}/away", {}).text  # a make is under way in it
    pot = address("stove pot", "/dairy/gear")
    assert post(f"{pot}/away", {}).status_code == 302
    sheet = client.get("/sheet").text
    assert "stove pot" not in sheet and "Put away" in client.get("/dairy/gear").text
    post(f"{pot}/away", {"back": "1"})
    assert "stove pot" in client.get("/sheet").text
    goats = re.search(r'value="([\w-]+)"><span>Goats<', client.get("/milk").text)[1]
    told = {f"{goats}-name": "Hill goats", f"{goats}-head": "14"}
    assert "already" in post(f"/milk/herds/{goats}", {**told, f"{goats}-name": "Ewes"}).text
    assert post(f"/milk/herds/{goats}", told).status_code == 302
    assert "Hill goats" in client.get("/milk").text
    post(f"/milk/herds/{goats}/away", {})
    milk = client.get("/milk").text
    assert "Hill goats" not in milk and "Goats, this morning" in milk
    assert "No longer milked" in client.get("/milk/herds").text
    post(f"/milk/herds/{goats}/away", {"back": "1"})
    assert "Hill goats" in client.get("/milk").text


BOXES = {
    "bought": "bought",
    "homogenised": "homogenised",
    "frozen": "frozen",
    "off_smell": "off_smell",
    "colostrum": "colostrum_or_sick",
    "withdrawal": "withdrawal",
}
FILLED = {
    "fat": ("4.21", "fat_pct"),
    "protein": ("3.31", "protein_pct"),
    "casein": ("2.61", "casein_pct"),
    "ph": ("6.61", "ph"),
    "lactose": ("4.71", "lactose_pct"),
    "snf": ("8.81", "snf_pct"),
    "total_solids": ("13.1", "total_solids_pct"),
    "cells": ("210000", "cells_per_ml"),
    "plates": ("23000", "plates_per_ml"),
}


def test_each_box_and_each_field_of_new_milk_comes_to_its_own_column(client, post, demo_url):
    """Two lines that were swapped would pass every check but this one."""

    def row_of(**told):
        with sessions(demo_url)() as session:
            key = uuid.UUID(new_lot(client, post, **told))
            lot = session.scalar(select(MilkLot).where(MilkLot.id == key))
            return {name: getattr(lot, name) for name in BOXES.values()}, list(lot.tests)

    none, _ = row_of()
    assert not any(none.values())
    for box, column in BOXES.items():
        row, _ = row_of(**{box: "y"})
        assert [name for name, on in row.items() if on] == [column], box
    for name, (text, column) in FILLED.items():
        blank = dict.fromkeys(("fat", "protein", "ph", "ph_sample"), "")
        _, slips = row_of(**{**blank, name: text})
        told = {part: getattr(slips[0], part) for _, part in FILLED.values()}
        assert {part: value for part, value in told.items() if value is not None} == {
            column: pytest.approx(float(text))
        }, name


def test_cream_taken_off_by_hand_is_a_lot_of_its_own_and_the_milk_is_the_poorer(client, post):
    slip = ("fat", "protein", "casein", "lactose", "snf", "total_solids", "ph", "density")
    new = {key: value for key, value in GOOD.items() if key not in slip}
    lot = post("/milk", new).headers["Location"]
    too_much = post(f"{lot}/skim", {"amount": "9 L"})
    assert "is cream. Look again." in too_much.text and 'value="9 L"' in too_much.text
    cream = post(f"{lot}/skim", {"amount": "2.15 L"}).headers["Location"]
    page = client.get(cream).text
    assert "It was taken off" in page and "fat, as cream by hand is" in page
    milk = client.get(lot).text
    assert "skimmed by hand" in milk and "19.4 L left of 21.5 L" in milk
    assert "10 % of it taken off as cream" in milk and "Skim it by hand" not in milk
    assert "skimmed by hand already" in post(f"{lot}/skim", {"amount": "1 L"}).text
    already = post("/milk", new | {"skimmed": "y"}).headers["Location"]
    assert "nobody measured how far" in client.get(already).text
    told = post("/milk", new | {"skimmed_pct": "45"})
    assert "up to 30 %" in told.text


def test_whose_pint_is_said_once_and_pieces_are_counted(client, post):
    asked = post("/milk", GOOD | {"amount": "8 pints"}).text
    assert "whose pint" in asked.replace("pints", "pint") and "under Dairy" in asked
    assert post("/dairy", OWN | {"dairy-pints": "imperial"}, "/dairy").status_code == 302
    lot = post("/milk", GOOD | {"amount": "8 pints"}).headers["Location"]
    assert "4.5 L" in client.get(lot).text
    jars = post("/milk", GOOD | {"amount": "3 × 4 L"}).headers["Location"]
    assert "12.0 L" in client.get(jars).text


def test_a_label_and_an_untold_protein_are_asked_for_what_they_leave_open(client, post):
    label = GOOD | {"fat": "3.6", "protein": "3.4", "basis": "label", "protein_kind": "unknown"}
    lot = post("/milk", label).headers["Location"]
    page = client.get(lot).text
    assert "crude protein <b>3.30</b>" in page and "fat <b>3.50</b>" in page
    untold = GOOD | {"protein": "5.10", "protein_kind": "unknown", "cells": "1600000"}
    lot = post("/milk", untold).headers["Location"]
    page = client.get(lot).text
    assert "1 600 000 per mL" in page and "look for the sick quarter" in page
    sheet = client.get(f"/sheet?recipe=larder-block&lot={lot.rsplit('/', 1)[1]}").text
    assert "Say which protein the slip of" in sheet and "A protein test would" not in sheet


def test_the_animal_of_a_herd_is_asked_and_can_be_told_anew(client, post):
    kids = {"name": "Kids", "breed": "", "kappa": ""}
    assert "Choose the animal." in post("/milk/herds", kids).text
    post("/milk/herds", kids | {"breed": "cow_lowland"})
    page = client.get("/milk/herds").text
    herd = re.search(r'action="/milk/herds/([\w-]+)"(?:(?!</form>).)*value="Kids"', page, re.S)[1]
    lot = post("/milk", GOOD | {"breed": herd}).headers["Location"]
    told = {f"{herd}-name": "Kids", f"{herd}-breed": "goat", f"{herd}-kappa": ""}
    assert post(f"/milk/herds/{herd}", told, "/milk/herds").status_code == 302
    assert "goat" in client.get(lot).text.split("What it is made of")[0].lower()
    post(f"{lot}/away", {"kind": "fed", "amount": "2 L"})
    again = told | {f"{herd}-breed": "sheep"}
    assert "write a word how it came" in post(f"/milk/herds/{herd}", again, "/milk/herds").text
    why = again | {f"{herd}-why": "ewes, noted as goats"}
    assert post(f"/milk/herds/{herd}", why, "/milk/herds").status_code == 302
    assert "ewes, noted as goats" in client.get("/milk/herds").text
