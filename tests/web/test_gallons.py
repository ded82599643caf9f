"""A dairy of gallons, pounds and °F: the same milk, the same doses, other words; and on paper."""

import re
import uuid

import pytest
from sqlalchemy import select, update

from openpail.craft.units import convert
from openpail.records.dairy.models import Dairy, Vat
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.milk.models import MilkLot
from openpail.records.session import sessions
from tests.web.test_bench_pages import lot_named, pour, shown
from tests.web.test_forms import new_lot, start

UNITS = {
    "metric": {"volume_system": "metric", "mass_system": "metric", "degrees": "C"},
    "us": {"volume_system": "us", "mass_system": "us", "degrees": "F"},
    "imperial": {"volume_system": "imperial", "mass_system": "metric", "degrees": "C"},
}


@pytest.fixture
def database(client):
    return sessions(client.application.extensions["config"].database_url)


@pytest.fixture
def units(database):
    def switch(system):
        with database.begin() as session:
            session.execute(update(Dairy).values(**UNITS[system]))

    return switch


def lot(database, lot_id):
    with database() as session:
        return session.scalar(select(MilkLot).where(MilkLot.id == lot_id))


@pytest.mark.parametrize(
    ("system", "amount", "celsius", "litres"),
    [
        ("metric", "18.9 L", "20", 18.9),
        ("us", "5 gal", "68", 5 * 3.785411784),
        ("us", "5", "68 F", 5 * 3.785411784),
        ("us", "4 gal 3 qt 1 pt", "20 C", 4.875 * 3.785411784),
        ("imperial", "4 gal", "20", 4 * 4.54609),
        ("imperial", "30 pt", "20", 30 * 0.56826125),
        ("us", "40 lb", "68", None),
    ],
)
def test_milk_is_kept_in_litres_and_kilograms_and_as_it_was_typed(
    client, post, database, units, system, amount, celsius, litres
):
    units(system)
    kept = lot(database, new_lot(client, post, amount=amount, celsius=celsius))
    if litres:
        assert kept.volume_l == pytest.approx(litres)
        assert kept.mass_kg / kept.volume_l == pytest.approx(1.03, abs=0.01)
    else:
        assert kept.mass_kg == pytest.approx(40 * 0.45359237)
    assert kept.typed == amount and kept.celsius == pytest.approx(20)


def doses(page):
    """Each dose of a sheet as it is shown, by its key."""
    found = {}
    for key, cell in re.findall(r'data-dose="(\w+)">(.*?)</td>', page, re.S):
        figure = re.search(r"<b>([\d.]+)</b>\s*([^<]*)", cell)
        if figure:
            found[key] = (figure[1], figure[2].strip())
    return found


def test_the_doses_of_a_sheet_are_the_same_in_every_dairy(client, post, units):
    lot_id = new_lot(client, post)
    address = f"/sheet?lot={lot_id}&recipe=larder-block"
    metric = doses(client.get(address).text)
    units("us")
    american = doses(client.get(address).text)
    assert metric.keys() == american.keys()
    for key in ("rennet", "culture", "flocks", "cut"):
        assert american[key] == metric[key]
    assert metric["cheese"][1] == "kg" and american["cheese"][1] == "lb"
    pounds = convert(float(metric["cheese"][0]), "kg", "lb")
    assert float(american["cheese"][0]) == pytest.approx(pounds, rel=0.01)


def test_the_bench_pours_and_shows_in_the_dairys_own_units(client, post, units):
    page = client.get("/bench", follow_redirects=True).text
    vat = re.search(r'href="(/bench/[\w-]+)"[^>]*>stove pot', page)[1]
    cows = lot_named(client, "House cows, this morning")
    units("us")
    pour(post, vat, cows, "1 gal 2 qt")
    page = shown(client, vat)
    assert "1.50 US gal" in page and "12." in page and " lb" in page
    assert "3.14 US gal" in page  # what the pot takes with head room
    post(f"{vat}/targets", {"fat": "3.8", "cream": "separator", "size": "1 gal"})
    assert re.search(r"gives [\d.]+ US gal, fat 3\.[78]\d %", shown(client, vat))
    units("imperial")
    assert "1.25 imp gal" in shown(client, vat)
    assert "whose gal" not in pour(post, vat, cows, "1 gal").text
    units("metric")
    assert "US gal or imp gal" in pour(post, vat, cows, "1 gal").text


def test_a_measured_vat_shows_its_own_level(client, post, database):
    page = client.get("/bench", follow_redirects=True).text
    kettle = re.search(r'href="(/bench/[\w-]+)"[^>]*>water-bath', page)[1]
    pour(post, kettle, lot_named(client, "House cows, this morning"), "14.6 L")
    assert "15.0 cm" in shown(client, kettle)  # 14.6 L stood at 15 cm when it was measured
    with database.begin() as session:
        session.execute(update(Vat).values(fills=[]))
    assert "14.3 cm" in shown(client, kettle)  # by its width alone


@pytest.fixture
def started(client, post):
    """A make of a two-to-one blend from the bench, cream taken off."""
    page = client.get("/bench", follow_redirects=True)
    vat = page.request.path
    bench = re.search(r"/sheet\?bench=([\w-]+)", page.text)[1]
    data = {
        f"real:{lot_named(client, name)}": litres
        for name, litres in (("House cows, this morning", "17,6"), ("Goats, this morning", "9.5"))
    }
    post(f"{vat}/poured", data)
    data = {"bench": bench, "recipe": "steading-wheel", "school": "keep_clock"}
    return bench, post("/sheet/start", data).headers["Location"].split("/")[-1]


def test_a_bench_prints_on_one_page_with_what_was_poured(client, post):
    page = client.get("/bench", follow_redirects=True).text
    bench = re.search(r"/sheet\?bench=([\w-]+)", page)[1]
    paper = client.get(f"/sheet/print?bench={bench}").text
    assert "Steading Wheel" in paper and "27.1 L" in paper
    for name in ("House cows, this morning", "Goats, this morning"):
        assert name in paper
    assert "calcium" in paper and "licensed practice come first" in paper
    assert client.get(f"/sheet/figures?bench={bench}&at=30").status_code == 200


def paper_of(client, make_id):
    return client.get(f"/makes/{make_id}/sheet").text.split("<main", 1)[1]


def test_a_make_from_the_bench_keeps_its_blend_for_ever(client, post, database, started, units):
    _, make_id = started
    with database() as session:
        make = session.scalar(select(Make).where(Make.id == make_id))
        milk = makes.sheet_of(make).milk
        parts = {pour.name: pour for pour in milk.pours}
        assert parts["House cows, this morning"].mass_kg == pytest.approx(18.18, abs=0.05)
        assert milk.raw is True
    before = paper_of(client, make_id)
    assert "Goats, this morning, raw" in before
    cows = lot_named(client, "House cows, this morning")
    slip = {"fat": "9", "protein_kind": "unknown", "freezing_unit": "c", "acidity_scale": "degD"}
    post(f"/milk/{cows}/test", slip)
    assert paper_of(client, make_id) == before
    assert "1.4 L left of 19.0 L" in client.get(f"/milk/{cows}").text
    assert "make 22, Steading Wheel" in client.get(f"/milk/{cows}").text


def test_a_used_bench_is_not_there_to_start_from_again(client, post, started):
    bench, make = started
    again = post("/sheet/start", {"bench": bench, "recipe": "steading-wheel"})
    assert again.location == f"/vat/{make}"  # the one that began from it


@pytest.mark.parametrize(
    ("system", "typed", "kept"),
    [
        ("us", "31.5", None),  # ice, or a reading on the other scale: which?
        ("us", "31.5 F", "31.5 °F"),
        ("us", "31.5 C", "88.7 °F"),
        ("us", "89", "89.0 °F"),
        ("metric", "89", None),  # the step is at 32 °C
        ("metric", "89 C", "89.0 °C"),
        ("metric", "31.5", "31.5 °C"),
    ],
)
def test_a_reading_that_is_likely_on_the_other_scale_only_is_asked(
    client, post, units, system, typed, kept
):
    units(system)
    vat = start(client, post, new_lot(client, post, celsius="20 C")).location
    answer = post(
        f"{vat}/tell", {"deed": "reading", "event": str(uuid.uuid4()), "celsius": typed}, vat
    )
    if kept is None:
        assert "far from what is looked for here" in answer.text
        assert f'value="{typed}"' in answer.text and "<b>31.5" not in answer.text
    else:
        assert answer.status_code == 302 and f"<b>{kept}</b>" in client.get(vat).text
