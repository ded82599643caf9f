"""What the demo farm presses and salts: its tubs, the press that goes on, cheese in brine."""

from __future__ import annotations

import uuid
from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from openpail.craft.make.deeds import Deed, InBrine, Loaded, OutOfMould, ReadingTaken
from openpail.craft.recipe.recipe import RecipeStep
from openpail.craft.salt.tub_deeds import CalciumIn, Cleaned, PhRead, Read, SaltIn, TubDeed
from openpail.demo.farm import TUBS
from openpail.records.brine import actions as brine
from openpail.records.dairy.models import Dairy
from openpail.records.makes.models import Make
from openpail.work.here import Here
from openpail.work.make.made import recipe_of
from openpail.work.press import tubs
from openpail.work.press.at_press import AtPress
from openpail.work.vat.at_vat import AtVat


def fill_tubs(session: Session, dairy: Dairy, founded: datetime) -> None:
    """The tubs, each with a brine that was read, freshened and strained since."""
    for name, size, goal, celsius, soft in TUBS:
        tub = brine.add_tub(
            session, dairy, name, size=size, goal_pct=goal, celsius=celsius, soft=soft
        )
        water = size.volume_l * (0.34 if soft else 0.5)
        begins = Here(session, dairy, founded + timedelta(days=1))
        tubs.make_brine(begins, tub.id, water, goal, uuid.uuid4())
        later = Here(session, dairy, founded + timedelta(days=40))
        told: tuple[tuple[Here, TubDeed], ...] = (
            (begins, CalciumIn(2.0 * water)),
            (begins, PhRead(4.8 if soft else 5.2)),
            (later, Read(value=goal - 0.9, by="pct", celsius=celsius, ph=4.75 if soft else 5.15)),
            (later, SaltIn(round(0.011 * water, 2))),
            (later, Cleaned("boiled")),
        )
        for here, deed in told:
            tubs.tell(here, tub.id, deed, deed_id=uuid.uuid4())


def begun(
    session: Session, dairy: Dairy, make: Make, *, step: RecipeStep, at: datetime, press: str
) -> list[tuple[datetime, Deed]]:
    """What the hands do as a step begins: the press goes on, the cheese into its tub."""
    if not press:
        return []
    here = Here(session, dairy, at)
    keys = {name: key for key, name in here.names.items()}
    if step.kind == "press":
        now = AtPress(AtVat(here, make)).pressing_of(recipe_of(make).step(step.key))
        load = None if press == "screw press" or now.load is None else now.load.value
        return [(at, Loaded(step=step.key, load_kg=load, press=keys[press]))]
    if step.kind == "brine":
        kg = round(make.expected_kg * 0.99, 2)
        tub = next(each for each in here.tubs if not each.soft)
        out = (at + timedelta(minutes=step.minutes)).isoformat()
        return [
            (at - timedelta(minutes=2), ReadingTaken(ph=5.3)),
            (at - timedelta(minutes=1), OutOfMould((kg,))),
            (at, InBrine(step=step.key, tub=str(tub.id), until=out)),
        ]
    return []
