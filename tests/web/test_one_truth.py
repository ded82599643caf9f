"""What is known in one place is said alike in every other: a make at every step, on every page at
one moment, by the names that figures carry."""

import re
from datetime import datetime, timedelta

import pytest

from openpail.craft.make.deeds import FirstFlocks, ReadingTaken, StepDone
from openpail.records.makes import actions as makes
from openpail.work.make.day import day_of
from tests.conftest import NOW
from tests.support.makes import at_step, begun, say
from tests.web.test_make_day import at as signed_in_at

NAMED = re.compile(
    r'<(time|data) data-of="([^"]+)" (?:datetime|value)="([^"]*)">(?:<[^>]+>)*([^<]*)'
    r'|data-of="([^"]+)"><b[^>]*>([^<]*)</b>\s*<span[^>]*>([^<]*)'
)


IN_FILE = re.compile(r"DTSTART:(\d{8}T\d{4})00Z(?:(?!END:VEVENT).)*?X-OPEN-PAIL-OF:(\S+)", re.S)


def named(page):
    """Each figure of a page, or of the calendar's file, by its name: the exact value, or what is
    shown."""
    for begins, name in IN_FILE.findall(page):
        yield name, f"{datetime.strptime(begins, '%Y%m%dT%H%M').isoformat(timespec='minutes')}Z"
    for _, name, exact, _, big, value, unit in NAMED.findall(page):
        yield (name, exact) if name else (big, f"{value} {unit}".strip())


def told_alike(client, pages):
    """One name, one value, over all these pages; what is told by name in all."""
    found = {}
    for page in pages:
        answer = client.get(page, follow_redirects=True)
        assert answer.status_code == 200, page
        for name, value in named(answer.text):
            before = found.setdefault(name, (value, page))
            assert before[0] == value, (name, before, value, page)
    return {name: value for name, (value, _) in found.items()}


def every_page(make_id):
    return (
        *("/", "/vat", "/press", "/days", "/calendar.ics", f"/vat/{make_id}", f"/table/{make_id}"),
        *(f"/logbook/{make_id}", f"/makes/{make_id}/sheet", f"/press/{make_id}/wall"),
    )


@pytest.mark.parametrize(
    ("recipe", "milk"),
    [("hatch", "House cows"), ("wrenfold-log", "Goats"), ("slow-skein", "House cows")],
)
def test_a_make_at_every_step_says_one_thing_on_every_page(demo_url, farm, recipe, milk):
    make_id = begun(farm, recipe, milk)
    minutes, names = 0.0, set()
    while True:
        client = signed_in_at(demo_url, NOW + timedelta(minutes=minutes))
        names |= set(told_alike(client, every_page(make_id)))
        here = farm(minutes)
        state = day_of(here, makes.make(here.session, here.dairy, make_id)).current
        if state is None:
            break
        step = state.planned.step
        minutes = at_step(farm, make_id, step.key, minutes)
        if step.ph:
            sweet = ReadingTaken(ph=step.ph.target + 0.3, note="it is so")
            say(farm, make_id, minutes, sweet)
        minutes = max(minutes, (state.ends - NOW).total_seconds() / 60) + 1
        if step.celsius:
            say(farm, make_id, minutes, ReadingTaken(celsius=step.celsius.target))
        if step.ph:
            say(farm, make_id, minutes, ReadingTaken(ph=step.ph.target, note="it is so"))
        ends = StepDone(step=step.key, word="as it was")
        say(farm, make_id, minutes, FirstFlocks("as it was") if "flocks" in step.asks else ends)
    assert len(names) > 25


def test_the_calendars_file_tells_the_moments_of_the_press_by_their_names(demo_url):
    client = signed_in_at(demo_url, NOW)
    in_file = set(named(client.get("/calendar.ics").text))
    told = told_alike(client, ("/press", "/days", "/"))
    assert in_file and all(told[name] == exact for name, exact in in_file)
