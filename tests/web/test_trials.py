"""Trials and kept looks by their pages: planned, made both ways, said, ended; kept and let go."""

import re

import pytest

from openpail.records.makes import actions as makes
from openpail.records.trials import actions as trials
from openpail.work.logbook import trial
from tests.support.makes import send

PLAN = {
    "recipe": "larder-block",
    "words": "cut ten minutes later",
    "fact": "cut",
    "step": "cut",
    "each": "3",
}


@pytest.fixture
def planned(client, post):
    answer = send(client, "/logbook/trials", PLAN, "/logbook/trials")
    assert answer.status_code == 302
    return answer.headers["Location"]


def test_a_trial_is_made_both_ways_and_says_what_else_differs(client, post, farm, planned):
    page = client.get(planned).text
    here = farm()
    row = trials.trials(here.session, here.dairy)[0]
    seen = trial.seen(here, row.id)
    way = "the new way" if seen.next_is_new else "as always"
    assert f"<b>{way}</b>" in page and "0 of 3 the new way" in page
    larder = [
        m
        for m in makes.all_makes(here.session, here.dairy)
        if m.name == "Larder Block" and m.state == "resting"
    ]
    for number, make in enumerate(larder[:5]):
        side = "new" if number < 2 else "usual"
        assert send(client, planned, {"make": make.id, "side": side}, planned).status_code == 302
    page = client.get(planned).text
    assert "2 of 3 the new way, 3 of 3 as always" in page
    for words in ("What is tried", "How it came out", "What else differs", "cut after"):
        assert words in page, words
    assert send(client, planned, {"make": larder[0].id, "side": ""}, planned).status_code == 302
    assert "1 of 3 the new way" in client.get(planned).text
    lot = re.search(r'href="/milk/([0-9a-f-]{36})"', client.get("/milk").text)[1]
    sheet = client.get(f"/sheet?recipe=larder-block&lot={lot}").text
    assert "A trial is under way" in sheet and "cut ten minutes later" in sheet
    assert "A trial is under way" not in client.get(f"/sheet?recipe=bench-curd&lot={lot}").text
    under_way = next(e for e in here.under_way if e.name == "Larder Block")
    vat = f"/vat/{under_way.id}"
    page = client.get(vat).text
    assert "On trial, at “Cut" in page
    assert "how do you make it?" in page and "On trial now" not in page
    side = {"make": under_way.id, "side": "new", "from": "vat"}
    assert send(client, planned, side, planned).headers["Location"] == vat
    assert "this one <b>the new way</b>" in client.get(vat).text
    assert send(client, planned, {"do": "end"}, planned).status_code == 302
    assert "On trial" not in client.get(vat).text
    page = client.get(planned).text
    assert "ended" in page and "End this trial" not in page
    late = send(client, planned, {"make": larder[0].id, "side": "new"}, planned)
    assert late.status_code == 422 and "This trial is ended." in late.text


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"words": " "}, "Write what is made another way."),
        ({"each": "many"}, "as a number"),
        ({"each": "1"}, "2 to 40"),
        ({"each": "99999"}, "2 to 40"),
        ({"step": "no-such"}, "Choose a step of this cheese."),
        ({"recipe": "no-such"}, "Choose the cheese."),
    ],
)
def test_a_slip_in_a_plan_is_said_by_its_field_and_nothing_typed_is_lost(
    client, post, change, words
):
    answer = send(client, "/logbook/trials", PLAN | change, "/logbook/trials")
    assert answer.status_code == 422 and words in answer.text
    if "recipe" not in change and "words" not in change:
        assert 'value="cut ten minutes later"' in answer.text


def test_a_trial_speaks_loudly_at_its_own_step_and_on_the_papers(client, post, farm):
    make = next(e for e in farm().under_way if e.name == "Larder Block")
    step = re.search(r'data-step="([^"]+)"', client.get(f"/vat/{make.id}").text)[1]
    for each in (step, "press-hard"):
        plan = PLAN | {"step": each, "words": f"otherwise at {each}"}
        where = send(client, "/logbook/trials", plan, "/logbook/trials").headers["Location"]
        send(client, where, {"make": make.id, "side": "new"}, where)
    page = client.get(f"/vat/{make.id}").text
    assert re.search(rf"On trial now:\s+<a [^>]+>otherwise at {step}</a>", page)
    assert re.search(r"On trial, at “[^”]+”:\s+<a [^>]+>otherwise at press-hard</a>", page)
    paper = client.get(f"/press/{make.id}/wall").text
    assert re.search(r"On trial, the new way:\s+otherwise at press-hard", " ".join(paper.split()))
    lot = re.search(r'href="/milk/([0-9a-f-]{36})"', client.get("/milk").text)[1]
    printed = client.get(f"/sheet/print?recipe=larder-block&lot={lot}").text
    assert "On trial: otherwise at press-hard. This one" in " ".join(printed.split())


def test_a_side_that_is_none_and_a_make_that_is_not_here_change_nothing(client, post, planned):
    odd = send(client, planned, {"make": "x", "side": "new"}, planned)
    assert odd.status_code == 422 and "Choose a make and a side." in odd.text
    strange = "00000000-0000-4000-8000-000000000000"
    assert send(client, planned, {"make": strange, "side": "new"}, planned).status_code == 404
    assert "0 of 3 the new way" in client.get(planned).text


def test_a_look_is_kept_under_a_name_opened_again_and_let_go(client, post):
    where = "/logbook?words=goat&outcome=poor"
    answer = send(client, "/logbook/looks?words=goat&outcome=poor", {"name": "poor goats"}, where)
    assert answer.status_code == 302
    page = client.get("/logbook").text
    link = re.search(r'href="(/logbook\?[^"]+)">poor goats', page)[1].replace("&amp;", "&")
    assert link == where
    assert "/logbook/" in client.get(link).text
    again = send(client, "/logbook/looks?words=sheep", {"name": "poor goats"}, where)
    assert again.status_code == 302
    assert client.get("/logbook").text.count(">poor goats</a>") == 1
    blank = send(client, "/logbook/looks?words=goat", {"name": " "}, where)
    assert blank.status_code == 422 and "Give it a name" in blank.text
    assert 'value="goat"' in blank.text
    let_go = re.search(r'action="(/logbook/looks/[^"]+/let-go)"', page)[1]
    assert send(client, let_go, {}, "/logbook").status_code == 302
    assert "poor goats" not in client.get("/logbook").text
    assert send(client, let_go, {}, "/logbook").status_code == 404
