"""The end of every step is looked at: by the book nothing is asked, and what is odd once."""

import uuid
from datetime import timedelta

import pytest

from openpail.craft.make.deeds import (
    FirstFlocks,
    Moulded,
    PortionGiven,
    ReadingTaken,
    SetLooked,
    StepDone,
    Told,
    TurnedOver,
    WaterAdded,
    WheyKept,
    WheyOff,
)
from openpail.craft.make.order import portions_of, set_step
from openpail.demo import played
from openpail.formats import recipe_file
from openpail.records.bench import actions as benches
from openpail.records.makes import actions as makes
from openpail.records.milk import actions as milk
from openpail.work.make.day import day_of
from openpail.work.make.log import tell
from openpail.work.make.made import given_to, recipe_of
from tests.conftest import NOW
from tests.support.makes import begun, say
from tests.work.test_came_late import whey_at

KEYS = sorted(recipe.key for recipe, _ in recipe_file.library())


def tells(here, make_id, minutes, deed):
    moment = NOW + timedelta(minutes=minutes)
    (answer,) = tell(here, make_id, [Told(id=str(uuid.uuid4()), deed=deed, happened=moment)])
    return answer


def by_the_book(recipe, make, state, moulds, milk_l):
    """What a maker who follows the card tells of a step, in order, as it ends."""
    step = state.planned.step
    if step.celsius and "temperature" in step.asks:
        yield ReadingTaken(celsius=step.celsius.target)
    if "ph" in step.asks and step.ph:
        yield ReadingTaken(ph=step.ph.target)
    elif "ph" in step.asks:
        yield ReadingTaken(ph=6.3 if step.kind == "add" else 6.45)
    if step.share:
        yield WheyOff(litres=step.share * milk_l)
    if step.kind == "add water":
        yield WaterAdded(litres=0.15 * milk_l, celsius=60.0)
    if step.times > 1:
        yield from [TurnedOver(step=step.key)] * step.times
    if "flocks" in step.asks:
        yield FirstFlocks()
    elif step.key == set_step(recipe):
        yield SetLooked("clean")
    elif step.kind == "mould" and moulds:
        yield Moulded(step=step.key, count=len(moulds), mould=moulds[0])
    elif portions_of(recipe, step.key) > 1:
        yield from [PortionGiven(step=step.key)] * portions_of(recipe, step.key)
    elif "weight" not in step.asks:
        yield StepDone(step=step.key)


def walk(farm, make_id, until="", slip=lambda step, deeds: deeds):
    """A make by the book to its end, or to a step; what was asked, by the step it was asked at."""
    minutes, asked = 0.0, {}
    while True:
        here = farm(minutes)
        make = makes.make(here.session, here.dairy, make_id)
        state, recipe = day_of(here, make).current, recipe_of(make)
        if state is None or "weight" in state.planned.step.asks or state.planned.step.key == until:
            return asked, minutes
        step = state.planned.step
        minutes = max(minutes, (state.ends - NOW).total_seconds() / 60)
        here = farm(minutes)
        make = makes.make(here.session, here.dairy, make_id)
        moulds = given_to(here, make).moulds
        milk_l = sum(each.volume_l for each in makes.milk_of(here.session, make))
        for deed in slip(step, list(by_the_book(recipe, make, state, moulds, milk_l))):
            answer = tells(here, make_id, minutes, deed)
            if answer.outcome != "kept":
                asked.setdefault(step.key, []).append(answer.words)
                key = "note" if isinstance(deed, ReadingTaken) else "word"
                again = type(deed)(
                    **{**{f: getattr(deed, f) for f in deed.__slots__}, key: "it is so"}
                )
                answer = tells(here, make_id, minutes, again)
                assert answer.outcome == "kept", (step.key, answer)
        here.session.commit()


def begin(farm, key):
    """A make of a recipe, of milk that it may be made of."""
    here = farm()
    vat = here.free_vats[-1]
    if key == "second-pot":
        before = begun(farm, "larder-block")
        say(farm, before, 0.0, ReadingTaken(celsius=36.0, ph=6.35))
        say(farm, before, 0.0, WheyKept(10.0))
        here, lot = whey_at(farm, before, 0.0)
        vat = here.free_vats[-1]
    else:
        lot = next(lot for lot in here.free if lot.name.startswith("House cows"))
    recipe = next(recipe for recipe, _ in recipe_file.library() if recipe.key == key)
    accepted = "to try the page with" if recipe.ratio else ""
    for bench in here.benches:
        for part in bench.pours:
            benches.set_pour(
                here.session, bench, milk.lot(here.session, here.dairy, part.lot_id), 0
            )
    make = played.begin(
        here.session,
        here.dairy,
        key,
        vat=vat,
        lots=[lot],
        now=here.now,
        why="to try the page with",
        accepted=accepted,
    )
    here.session.commit()
    return make.id


@pytest.mark.parametrize("key", KEYS)
def test_a_make_by_the_book_is_asked_nothing(farm, key):
    assert walk(farm, begin(farm, key))[0] == {}
