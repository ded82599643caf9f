"""A make of the demo farm brought to a step, deed by deed."""

import uuid
from datetime import timedelta

from openpail.craft.make.deeds import FirstFlocks, ReadingTaken, StepDone, Told
from openpail.records.makes import actions as makes
from openpail.work.make.day import day_of
from openpail.work.make.log import tell
from openpail.work.sheet import sheet as sheets
from tests.conftest import NOW, token_in


def tapped(deed, **parts):
    return {"deed": deed, "event": str(uuid.uuid4()), **parts}


def begun(farm, recipe, milk="House cows", minutes=0.0):
    here = farm(minutes)
    lot = next(lot for lot in here.free if lot.name.startswith(milk))
    vat = here.free_vats[-1]
    asked = sheets.ask(here, lots=(lot.id,), recipe_key=recipe, vat_id=vat.id)
    make = sheets.start(here, asked, "to try the page with")
    here.session.commit()
    return make.id


def say(farm, make_id, minutes, *deeds):
    here = farm(minutes)
    for number, deed in enumerate(deeds):
        moment = NOW + timedelta(minutes=minutes)
        answers = tell(
            here, make_id, [Told(id=str(uuid.uuid4()), deed=deed, happened=moment, counter=number)]
        )
        assert answers[0].outcome == "kept", answers
    here.session.commit()


def at_step(farm, make_id, key, minutes=0.0):
    """All steps before one, told at their own time; when it begins, minutes after the start."""
    while True:
        here = farm(minutes)
        state = day_of(here, makes.make(here.session, here.dairy, make_id)).current
        step = state.planned.step
        if step.key == key:
            return minutes
        minutes = max(minutes, (state.ends - NOW).total_seconds() / 60)
        if step.kind in ("warm", "heat"):
            say(farm, make_id, minutes, ReadingTaken(celsius=step.celsius.target))
        ends = StepDone(step=step.key, word="as it was")
        say(farm, make_id, minutes, FirstFlocks("as it was") if "flocks" in step.asks else ends)


def send(there, address, data, page):
    return there.post(address, data={**data, "csrf_token": token_in(there.get(page).text)})
