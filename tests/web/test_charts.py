"""Charts over time: each draws what the record holds, and its file has every figure of it."""

import csv
import io
import re
import uuid
from datetime import timedelta

import pytest
from sqlalchemy import select, update

from openpail.craft.cave.deeds import WeighedAgain
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make, ShareLesson
from openpail.records.milk.models import MilkLot
from openpail.records.stock.models import Bottle
from openpail.work.cave import piece
from openpail.work.cave.piece import Telling
from openpail.work.cave.ripening import resting
from openpail.work.logbook import charts
from openpail.work.table import money
from tests.conftest import NOW
from tests.support.makes import send

KEYS = list(charts.CHARTS)


def figures(client, key):
    answer = client.get(f"/logbook/charts/{key}/figures.csv?span=all")
    assert answer.mimetype == "text/csv"
    return list(csv.DictReader(io.StringIO(answer.text)))


@pytest.mark.parametrize("key", KEYS)
def test_each_chart_draws_as_many_as_its_file_has_and_says_how_many(client, post, farm, key):
    page = client.get(f"/logbook/charts/{key}?span=all").text
    rows = figures(client, key)
    found = charts.chart(farm(), key, None)
    assert len(rows) == found.count
    if not rows:
        assert "stands here" in page or "house values" in page
        assert "chart-panel" not in page
        return
    shown = re.findall(r"<figcaption>.*?<p>(\d+) (?:make|test|warming|cheese)", page, re.S)
    series = [
        len({p.key for p in e.points}) if key == "acid" else len(e.points) for e in found.series
    ]
    assert [int(n) for n in shown] == series[:6]
    for panel, count in zip(page.split("<figure")[1:], series, strict=False):
        drawn = "chart-middle" in panel
        assert drawn == (count >= 4) or key == "acid", "no line through three points"
    assert all(float(row["value"]) == float(row["value"]) for row in rows)


def test_yields_are_those_of_the_makes_and_lead_to_them(client, post, farm):
    here = farm()
    weighed = {}
    for make in makes.all_makes(here.session, here.dairy):
        standing = makes.standing_of(make)
        if standing and standing.weighed and not standing.about:
            share = 100 * sum(standing.pieces_kg) / makes.sheet_of(make).cheese.value
            weighed[f"{make.name}, make {make.number}"] = share
    rows = {row["what"]: float(row["value"]) for row in figures(client, "yield")}
    assert rows == pytest.approx(weighed, rel=1e-3) and len(rows) > 5
    page = client.get("/logbook/charts/yield").text
    linked = set(re.findall(r'href="/logbook/([0-9a-f-]{36})" tabindex', page))
    assert linked <= {str(make.id) for make in makes.all_makes(here.session, here.dairy)}
    one = client.get("/logbook/charts/yield?of=Larder+Block").text
    assert one.count("<figure") == 1
    assert client.get("/logbook/charts/nothing").status_code == 404
    assert client.get("/logbook/charts/nothing/figures.csv").status_code == 404


def priced(farm):
    """A dairy that knows what its milk and its stock cost, and its makes' own words for it."""
    here = farm()
    here.session.execute(update(MilkLot).values(price=40, bought=True))
    here.session.execute(update(Bottle).where(Bottle.price.is_(None)).values(price=10))
    here.session.execute(update(Bottle).where(Bottle.bought.is_(None)).values(bought=100))
    here.session.commit()


def test_money_adds_up_on_the_makes_page_and_in_the_chart_in_kg_and_in_pounds(client, post, farm):
    assert "No prices" not in client.get("/logbook/charts/cost").text
    assert figures(client, "cost") == []
    priced(farm)
    here = farm()
    rows = {row["what"]: float(row["value"]) for row in figures(client, "cost")}
    costs = {made.name: cost for made, cost in money.of_all(here, None)}
    assert rows == pytest.approx({name: c.per_kg.value for name, c in costs.items()}, rel=1e-3)
    make = next(
        each
        for each in makes.all_makes(here.session, here.dairy)
        if f"{each.name}, make {each.number}" in rows
    )
    one = money.of_make(here, make)
    name = f"{make.name}, make {make.number}"
    assert one.per_kg.value == pytest.approx(rows[name], rel=1e-3)
    page = client.get(f"/logbook/{make.id}").text
    assert f"{one.per_kg.value:.2f} a kg" in page and "the time" in page
    here.dairy.mass_system = "us"
    here.session.commit()
    page = client.get(f"/logbook/{make.id}").text
    assert f"{one.per_kg.value * 0.45359237:.2f} a lb" in page
    assert "a lb" in client.get("/logbook/charts/cost").text


def test_what_a_cheese_lost_teaches_its_place_and_taken_back_it_teaches_nothing(client, post, farm):
    here = farm()
    at = next(
        each
        for row in resting(here)
        for each in [piece.one(here, row.id)]
        if each.row.parent_id is None
        and not each.row.about
        and (loss := piece.loss_of(here, each))
        and each.now.course.lain[-1].begins <= row.made_on + timedelta(days=5)
        and (here.today - row.made_on).days > 20
        and loss.at((here.today - row.made_on).days) > 2
    )
    before = here.session.scalars(select(ShareLesson).where(ShareLesson.sort == "drying")).all()
    deed = uuid.uuid4()
    kg = round(0.92 * at.row.left_kg, 3)
    piece.tell(
        here, [Telling(piece_id=at.row.id, deed=WeighedAgain(kg, "as the scale says"), id=deed)]
    )
    here.session.commit()
    found = here.session.scalars(
        select(ShareLesson).where(ShareLesson.subject_id == at.row.id)
    ).one()
    room = next(r for r in here.room_rows if r.name == at.now.course.now.place)
    assert (found.sort, found.of) == ("drying", str(room.id)) and found.seen > 5
    learnt = here.drying_learnt(room.id)
    assert learnt.makes >= 1
    page = client.get("/logbook/learnt").text
    assert "Places that dry" in page and room.name in page
    rows = figures(client, "drying")
    assert all(row["of"] in {r.name for r in here.room_rows} for row in rows)
    send(
        client, f"/cave/{at.row.id}/undo", {"deed": str(deed), "back": "the wrong cheese"}, "/cave"
    )
    here = farm()
    here.session.expire_all()
    after = here.session.scalars(select(ShareLesson).where(ShareLesson.sort == "drying")).all()
    assert {row.subject_id for row in after} == {row.subject_id for row in before}


def test_a_dairy_with_nothing_yet_is_told_what_each_chart_wants(client, post, farm):
    here = farm()
    here.session.execute(update(Make).values(started_at=NOW - timedelta(days=9000)))
    here.session.commit()
    for key, sort in charts.CHARTS.items():
        page = client.get(f"/logbook/charts/{key}").text
        assert "<h1" in page and (sort.needs in page.replace("&#39;", "'") or "chart-panel" in page)


def test_the_spreadsheet_has_a_row_a_make_and_a_row_a_test(client, post, farm):
    from tests.formats.test_spreadsheet import cells

    here = farm()
    answer = client.get("/logbook/makes-and-tests.ods")
    assert answer.mimetype == "application/vnd.oasis.opendocument.spreadsheet"
    found = cells(answer.data)
    every = makes.all_makes(here.session, here.dairy)
    assert [int(row[0][1]) for row in found["makes"][1:]] == [make.number for make in every]
    assert len(found["tests"]) > 20 and found["tests"][0][0] == ("string", "taken")
    assert all(row[0][0] == "date" for row in found["tests"][1:])
