"""A make at Press & salt, without a page: what it is asked, what it holds, what it weighs."""

import uuid
from datetime import timedelta

from sqlalchemy import select

from openpail.craft.make import frozen
from openpail.craft.make.deeds import (
    InBrine,
    Moulded,
    OutOfMould,
    StepDone,
    Told,
    Trimmed,
)
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.work.make.log import tell
from openpail.work.press.at_press import AtPress
from openpail.work.table import table
from openpail.work.vat.at_vat import AtVat
from tests.conftest import NOW
from tests.craft.test_make import sheet_of
from tests.support import RECIPES
from tests.support.makes import at_step, begun, say


def told(farm, make, minutes, deed):
    here = farm(minutes)
    moment = NOW + timedelta(minutes=minutes)
    found = tell(here, make, [Told(id=str(uuid.uuid4()), deed=deed, happened=moment)])[0]
    here.session.commit()
    return found


def test_a_washed_rind_is_asked_before_it_shares_a_brine_with_another(farm):
    make = begun(farm, "gatepost")
    begins = at_step(farm, make, "brine")
    here = farm(begins)
    tub = next(each for each in here.tubs if not each.soft)
    hatch = here.session.scalar(select(Make).where(Make.name == "Hatch", Make.state == "under way"))
    assert hatch.id in {each.id for _, each in here.lying[tub.id]}
    until = (NOW + timedelta(minutes=begins + 300)).isoformat()
    found = told(farm, make, begins, InBrine(step="brine", tub=str(tub.id), until=until))
    assert found.field == "word" and "leaves its own growth" in found.words
    kept = told(
        farm,
        make,
        begins,
        InBrine(step="brine", tub=str(tub.id), until=until, word="the last batch of it"),
    )
    assert kept.outcome == "kept"
    at = AtPress(AtVat(farm(begins), makes.make(here.session, here.dairy, make)))
    assert at.in_tub.tub.id == tub.id and len(here.dairy.name) > 0


def test_a_slab_that_goes_back_into_its_whey_keeps_its_vat(farm):
    here = farm()
    lot = next(each for each in here.free if each.name.startswith("Ewes"))
    assert lot.left_kg > 0
    make = begun(farm, "threshing-cheddar")
    begins = at_step(farm, make, "mould")
    here = farm(begins)
    row = makes.make(here.session, here.dairy, make)
    assert row.station == "press" and row.vat_id in {vat.id for vat in here.free_vats}
    slab = RECIPES["millrace-slab"]
    done = {step.key: ["x", NOW.isoformat()] for step in slab.steps if step.key != "cook"}
    kept = frozen.to_json(sheet_of("millrace-slab"))
    parts = {"station": "press", "frozen": kept, "frozen_version": frozen.VERSION}
    stands = Make(id=uuid.uuid4(), standing={"done": done}, **parts)
    assert makes.holds_vat(stands)  # its whey is hot in it
    cooked = {**done, "cook": ["x", NOW.isoformat()]}
    assert not makes.holds_vat(Make(id=uuid.uuid4(), standing={"done": cooked}, **parts))


def test_what_brine_and_knife_took_is_off_the_weight_that_nobody_took(farm):
    make = begun(farm, "hatch")
    begins = at_step(farm, make, "brine")
    here = farm(begins)
    tub = next(each for each in here.tubs if not each.soft)
    kg = makes.sheet_of(makes.make(here.session, here.dairy, make)).cheese.value
    say(farm, make, begins, OutOfMould((kg,), word="as expected"))
    until = (NOW + timedelta(minutes=begins + 600)).isoformat()
    say(farm, make, begins + 1, InBrine(step="brine", tub=str(tub.id), until=until, word="it fits"))
    say(farm, make, begins + 601, StepDone(step="brine"), Trimmed(0.05))
    found = table.expected_pieces(farm(begins + 602), make)
    assert sum(found) < kg - 0.05  # lighter by the trim, and by what the brine drew out
    assert sum(found) > 0.93 * kg


def test_moulds_with_another_make_are_counted_as_taken(farm):
    first = begun(farm, "hatch")
    begins = at_step(farm, first, "mould")
    wide = next(each for each in farm(begins).gear if each.name == "wide mould")
    say(
        farm,
        first,
        begins,
        Moulded(step="mould", count=2, mould=f"{wide.id}/1", word="both of them"),
    )
    here = farm(begins)
    lot = next(each for each in here.free if each.name.startswith("Goats, this"))
    assert lot is not None
    second = begun(farm, "thatch", "Goats, this morning")
    later = at_step(farm, second, "mould", begins)
    found = told(farm, second, later, Moulded(step="mould", count=1, mould=f"{wide.id}/1"))
    assert found.field == "word" and "with other makes" in found.words
