"""Trace: from a sold piece to its milkings and forwards to its sisters; weights add up; a recall by
the clock; and nothing of it crosses to another dairy."""

import csv
import io
import re
import uuid
from dataclasses import replace
from datetime import timedelta

import pytest
from sqlalchemy import select

from openpail.craft.cave.deeds import Out
from openpail.records.makes import actions as makes
from openpail.records.pieces import actions as pieces
from openpail.records.stock.models import StockMove
from openpail.web.config import Config
from openpail.work.cave import piece
from openpail.work.cave.piece import Telling
from openpail.work.cave.ripening import resting
from openpail.work.logbook import trace
from tests.conftest import NOW
from tests.support.makes import send


@pytest.fixture
def sold(farm):
    """A make of several pieces, two of which are sold and one given to nobody that is named."""
    here = farm()
    rows = [row for row in resting(here) if not row.raw]
    by_make = {row.make_id: [r for r in rows if r.make_id == row.make_id] for row in rows}
    mine = max(by_make.values(), key=len)[:3]
    outs = (
        Out(where="sold", to="Mill Inn", kg=mine[0].left_kg / 2),
        Out(where="sold", to="Tarrow shop"),
        Out(where="given"),
    )
    for row, out in zip(mine, outs, strict=True):
        deed = replace(out, label=row.label, why="as every week, a regular")
        piece.tell(here, [Telling(piece_id=row.id, deed=deed, id=uuid.uuid4())])
    here.session.commit()
    return mine


@pytest.mark.parametrize("sort", ["lot", "bottle", "make"])
def test_each_source_leads_forwards_to_the_same_pieces_and_weights_add_up(farm, sold, sort):
    here = farm()
    make = makes.make(here.session, here.dairy, sold[0].make_id)
    key = {
        "lot": lambda: makes.milk_of(here.session, make)[0].lot_id,
        "bottle": lambda: here.session.scalar(
            select(StockMove.bottle_id).where(StockMove.make_id == make.id)
        ),
        "make": lambda: make.id,
    }[sort]()
    traced = trace.trace(here, sort, key)
    assert {row.id for row in sold} <= {each.id for each in traced.of_it.pieces}
    whole = [p for p in traced.of_it.pieces if p.parent_id is None]
    assert traced.weights.laid_kg == pytest.approx(sum(p.mass_kg for p in whole))
    gone = traced.weights.here_kg + sum(traced.went_kg.values()) + traced.dried_kg
    assert gone == pytest.approx(traced.weights.laid_kg) and traced.dried_kg >= 0
    assert sum(each.kg for each in traced.whom) == pytest.approx(
        traced.went_kg.get("sold", 0) + traced.went_kg.get("given", 0)
    )


def test_the_page_and_its_file_tell_the_same_and_guard_what_a_sheet_would_run(
    client, post, farm, sold
):
    here = farm()
    row = sold[0]
    piece.tell(
        here,
        [
            Telling(
                piece_id=row.id,
                deed=Out(where="sold", to="=HYPERLINK(1)", why="x" * 12, label=row.label),
                id=uuid.uuid4(),
            )
        ],
    )
    here.session.commit()
    page = client.get(f"/trace/piece/{row.id}").text
    for words in ("Mill Inn", "Tarrow shop", "nobody wrote to whom", "It came of", "Dried off"):
        assert words in page, words
    text = client.get(f"/trace/piece/{row.id}/lines.csv").text
    lines = list(csv.DictReader(io.StringIO(text)))
    told = {line["of_or_to"] for line in lines if line["what"] == "sold"}
    assert {"Mill Inn", "Tarrow shop"} <= told and "'=HYPERLINK(1)" in told
    assert {line["what"] for line in lines} >= {"milk", "make", "piece", "sold", "given"}
    for address in ("/trace/nothing/", "/trace/lot/", "/trace/tub/", "/trace/bottle/"):
        assert client.get(f"{address}{uuid.uuid4()}").status_code == 404


def test_a_recall_runs_by_the_clock_until_all_are_told_and_is_kept(app, client, post, sold):
    address = f"/trace/make/{sold[0].make_id}"
    assert "Try a recall out" in client.get(address).text
    assert send(client, f"{address}/recall", {}, address).status_code == 302
    page = client.get(address).text
    assert "A trial of it is under way" in page and "still to reach: " in page
    again = send(client, f"{address}/recall", {}, address)
    assert again.status_code in (302, 422)
    drill = re.search(r"/recall/([^/]+)/reached", page)[1]
    for name in ("Mill Inn", "Tarrow shop"):
        assert send(client, f"/recall/{drill}/reached", {"whom": name}, address).status_code == 302
    assert send(client, f"/recall/{drill}/reached", {"whom": "x"}, address).status_code == 404
    config = app.extensions["config"]
    later = Config(
        database_url=config.database_url,
        secret=config.secret,
        mode="demo",
        frozen_now=NOW + timedelta(hours=5),
    )
    app.extensions["config"] = later
    assert "Longer than the 4 h" in client.get(address).text
    send(client, f"/recall/{drill}/end", {}, address)
    page = client.get(address).text
    assert "Tried out" in page and "2 reached, nobody wrote to whom not" in page
    assert send(client, f"/recall/{drill}/end", {}, address).status_code in (404, 409, 422, 400)


def test_each_page_of_a_source_leads_to_its_trace(client, post, farm, sold):
    here = farm()
    make = makes.make(here.session, here.dairy, sold[0].make_id)
    lot = makes.milk_of(here.session, make)[0].lot_id
    bottle = next(line.lot for line in makes.sheet_of(make).lines if line.lot)
    for page, link in (
        (f"/cave/{sold[0].id}", f"/trace/piece/{sold[0].id}"),
        (f"/milk/{lot}", f"/trace/lot/{lot}"),
        (f"/stock/{bottle}", f"/trace/bottle/{bottle}"),
        (f"/logbook/{make.id}", f"/trace/make/{make.id}"),
    ):
        assert link in client.get(page, follow_redirects=True).text, page
    assert pieces.piece(here.session, here.dairy, sold[0].id).left_kg > 0


def test_milk_of_which_nothing_was_made_yet_leads_to_nothing_and_owes_nothing(client, post, farm):
    here = farm()
    lot = next(each for each in here.free if not here.poured_l(each))
    traced = trace.trace(here, "lot", lot.id)
    assert traced.of_it.makes == [] and traced.whom == () and traced.here == []
    assert traced.weights.laid_kg == traced.weights.here_kg == traced.dried_kg == 0
    page = client.get(f"/trace/lot/{lot.id}").text
    assert "Nobody: none of it was sold" in page and "Nothing of it is here." in page
