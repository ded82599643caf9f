"""What the dairy taught, in one place; a make left out gives back exactly what stood before."""

import re
import uuid
from dataclasses import replace
from datetime import timedelta

import pytest

from openpail.craft.make.deeds import FirstFlocks, ReadingTaken
from openpail.records.makes import actions as makes
from openpail.records.makes import lessons
from openpail.work.logbook import learnt
from openpail.work.make.day import day_of
from tests.conftest import NOW
from tests.support.makes import at_step, begun, say, send


@pytest.fixture
def taught(farm):
    """What stood before, and a make more whose flocks came late."""
    before = farm().lessons
    make_id = begun(farm, "larder-block")
    minutes = at_step(farm, make_id, "rennet")
    say(farm, make_id, minutes, ReadingTaken(celsius=32.0))
    minutes = at_step(farm, make_id, "flocks", minutes)
    here = farm(minutes)
    due = day_of(here, makes.make(here.session, here.dairy, make_id)).current.minutes
    say(farm, make_id, minutes + 1.4 * due, ReadingTaken(celsius=32.0), FirstFlocks())
    return before, make_id


def test_forget_this_make_gives_back_exactly_what_stood_before_and_back_again(
    app, client, post, farm, taught
):
    before, make_id = taught
    late = farm().lessons
    assert late != before
    page = client.get("/logbook/learnt").text
    assert f"/logbook/learnt/{make_id}" in page and "Leave this make out" in page
    form = {"event": str(uuid.uuid4())}
    address = f"/logbook/learnt/{make_id}"
    assert send(client, address, form, "/logbook/learnt").status_code == 302
    here = farm()
    here.forget()
    assert here.lessons == before
    page = client.get("/logbook/learnt").text
    left = page.split('id="left-out"')[1]
    assert "Let it count again" in left and f"/logbook/learnt/{make_id}" in left
    app.extensions["config"] = replace(
        app.extensions["config"], frozen_now=NOW + timedelta(hours=3)
    )
    form = {"event": str(uuid.uuid4()), "counts": "y"}
    assert send(client, address, form, "/logbook/learnt").status_code == 302
    here = farm()
    here.forget()
    assert here.lessons == late
    assert 'id="left-out"' not in client.get("/logbook/learnt").text


def test_it_says_how_sure_and_what_it_does_to_the_next_sheet(client, post, farm):
    page = client.get("/logbook/learnt").text
    here = farm()
    found = learnt.all_learnt(here)
    assert not found.is_empty and found.bottles and found.vats
    for each in found.bottles:
        article = page.split(f"<h3>{each.name}</h3>")[1].split("</article>")[0]
        assert f"from {each.learnt.makes} make" in article and "The next sheet gives" in article
        assert article.count('aria-label="Leave this make out') == len(each.taught)
    for vat in found.vats:
        article = page.split(f"<h3>{vat.name.capitalize()}</h3>")[1].split("</article>")[0]
        assert "kW" in article
    rows = lessons.all_of(here.session, here.dairy)
    assert [row.at for row in rows] == sorted((row.at for row in rows), reverse=True)


def test_a_make_at_rest_whose_flocks_nobody_saw_is_left_out_all_the_same(client, post, farm):
    """The tomme's yield is taught by its weight alone."""
    before = learnt.all_learnt(farm())
    taught = next(each for each in before.yields if each.name == "Thatch").taught
    make_id = taught[0].make_id
    form = {"event": str(uuid.uuid4())}
    answer = send(client, f"/logbook/learnt/{make_id}", form, "/logbook/learnt")
    assert answer.status_code == 302
    here = farm(1)
    here.forget()
    after = learnt.all_learnt(here)
    assert [make.id for make in after.left_out] == [make_id]
    kept = [row for each in after.yields for row in each.taught]
    assert kept and make_id not in {row.make_id for row in kept}
    missing = send(client, f"/logbook/learnt/{uuid.uuid4()}", form, "/logbook/learnt")
    assert missing.status_code == 404


def test_a_dairy_that_has_taught_nothing_hears_what_would(client, post, farm, monkeypatch):
    monkeypatch.setattr(lessons, "all_of", lambda session, dairy: [])
    page = client.get("/logbook/learnt").text
    assert "Nothing yet. First flocks with a warmth read" in page
    assert not re.search(r"<h2[^>]*>Vats", page)


def test_flocks_that_taught_nothing_are_named_with_why(client, post, farm):
    before = {make.id for make, _ in learnt.all_learnt(farm()).taught_nothing}
    make_id = begun(farm, "larder-block")
    minutes = at_step(farm, make_id, "flocks")
    say(farm, make_id, minutes + 13, FirstFlocks("as it was"))
    here = farm(minutes + 14)
    here.forget()
    found = {make.id: why for make, why in learnt.all_learnt(here).taught_nothing}
    assert set(found) - before == {make_id} and "nobody read the milk" in found[make_id]
    page = client.get("/logbook/learnt").text
    assert found[make_id] in page.split('id="taught-nothing"')[1]
