"""A bar is lifted by no word and washed off by no heat, whichever door it comes by."""

import re
import uuid
from datetime import timedelta

import pytest
from sqlalchemy import select

from openpail.records.milk import slips
from openpail.records.milk.cream import keep_cream
from openpail.records.milk.models import MilkLot
from tests.conftest import NOW
from tests.support.makes import send
from tests.web.test_forms import new_lot, start
from tests.web.test_make_day import at as later_at

WARM = {"milked": "2026-05-04T00:00", "holding": "warm"}  # ten hours and a half over 15 °C
WORD = "I want to use it"


@pytest.mark.parametrize(
    "milk",
    [
        WARM,
        {**WARM, "treatment": "batch"},
        {"milked": "2026-05-02T18:00", "holding": "cellar", "treatment": "batch"},
        {"colostrum": "y"},
        {"withdrawal": "y"},
        {"residue": "y"},
        {"ph": "5.9"},
    ],
    ids=lambda milk: " ".join(milk.values()),
)
def test_what_is_barred_goes_into_no_vat_whatever_is_written(client, post, milk):
    lot = new_lot(client, post, **milk)
    page = client.get(f"/milk/{lot}").text
    assert "not for cheese" in page
    for recipe in ("larder-block", "bench-curd"):
        refused = start(client, post, lot, recipe, why=WORD)
        assert refused.status_code != 302 and "not for cheese" in refused.text
    assert "make" not in client.get(f"/milk/{lot}").text.split("What became of it")[1][:200]


def test_an_age_is_lifted_by_a_word_and_not_by_less(client, post):
    lot = new_lot(client, post, milked="2026-04-29T06:30")
    assert "Write why you go on" in start(client, post, lot).text
    assert start(client, post, lot, why=WORD).status_code == 302


def test_what_heat_does_not_mend_is_offered_to_no_fire_and_taken_by_none(client, post):
    lot = new_lot(client, post, **WARM)
    page = client.get("/heat").text
    box = re.search(rf'<input[^>]*value="{lot}"[^>]*>', page)[0]
    assert "disabled" in box and "Heat does not mend it." in page and "discard it" in page
    vat = re.findall(r'name="vat" value="([^"]+)"', page)[-1]
    refused = post("/heat", {"lot": lot, "vat": vat, "unit": "C"}, "/heat")
    assert refused.status_code != 302 and "heat does not mend it" in refused.text


def test_milk_that_was_heated_here_keeps_what_heat_does_not_end(demo_url, client, post, farm):
    lot = new_lot(client, post, milked="2026-05-04T05:30", holding="warm")  # five hours: a caution
    page = client.get("/heat").text
    vat = re.findall(r'name="vat" value="([^"]+)"', page)[-1]
    record = post("/heat", {"lot": lot, "vat": vat, "unit": "C"}, "/heat").location
    for minutes in range(0, 36, 4):
        there = later_at(demo_url, NOW + timedelta(minutes=minutes))
        told = {"event": uuid.uuid4(), "value": "63.6", "of_air": ""}
        send(there, f"{record}/read", told, record)
    there = later_at(demo_url, NOW + timedelta(minutes=40))
    send(there, f"{record}/close", {"stirred": "y", "coldest": "y"}, record)
    query = select(MilkLot).where(MilkLot.id == uuid.UUID(lot))
    row = farm(40).session.scalar(query)
    assert row.treatment == "batch" and row.heated_at == NOW
    here = farm(41)
    heated = here.session.scalar(query)
    of = {"fat": 25.0}
    cream = keep_cream(
        here.session, here.dairy, heated, mass_kg=0.5, litres=0.5, now=here.now, made_of=of
    )
    said = [reason.words for reason in slips.fitness_of(cream, here.known).reasons]
    assert any("5 h warm" in words for words in said)  # its cream was there too
    here.session.rollback()
    later = later_at(demo_url, NOW + timedelta(days=3)).get(f"/milk/{lot}").text
    assert "5 h warm, over 15 °C" in later  # its warm hours stay; its age began anew
    assert "discard it" not in later
