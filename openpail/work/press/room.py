"""Press & salt as a room: all that stands there, the tubs on their shelf, the part for the wall."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import datetime

from openpail.craft.figure import Figure
from openpail.craft.make.additions import by_weight
from openpail.craft.make.order import portions_of
from openpail.craft.make.pressing import Pressing, is_at_press
from openpail.craft.make.salting import BrinePlan
from openpail.craft.recipe.recipe import RecipeStep
from openpail.craft.recipe.rubbed import rind_rubs
from openpail.craft.salt.rind import Rub
from openpail.craft.salt.tub import TubStanding
from openpail.records.brine import actions as brine
from openpail.records.brine.models import Brining, Tub
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.work.here import Here
from openpail.work.make.day import running
from openpail.work.press.at_press import AtPress, is_there
from openpail.work.press.brining import tub_choices
from openpail.work.vat.at_vat import AtVat


@dataclass(frozen=True, slots=True)
class TubOnShelf:
    """A tub on the shelf: where it stands, and what lies in it, the first to come out first."""

    tub: Tub
    standing: TubStanding
    lying: tuple[tuple[Brining, Make], ...]


@dataclass(frozen=True, slots=True)
class PressRoom:
    """All that Press & salt shows: the makes there, the tubs, and what comes next, the soonest
    first: when, of which make, in words, and what the moment is called."""

    makes: list[AtPress]
    tubs: list[TubOnShelf]
    turns: list[tuple[datetime, AtPress, str, str]]


def station(here: Here) -> PressRoom:
    """Press & salt as it stands now."""
    found = []
    for under_way in running(here):
        at = AtVat(here, under_way.make)
        if is_there(at):
            found.append(AtPress(at))
    turns: list[tuple[datetime, AtPress, str, str]] = []
    for each in found:
        now = each.at.now
        name = f"make/{each.make.number}/{now.step.planned.step.key}" if now.step else ""
        if now.turn:
            turns.append((now.turn.at, each, now.turn.words, f"{name}/turn"))
        if now.step and now.step.runs:
            turns.append((now.step.ends, each, now.at_end, f"{name}/ends"))
    return PressRoom(found, shelf(here), sorted(turns, key=lambda each: each[0]))


def shelf(here: Here) -> list[TubOnShelf]:
    """The tubs in use with what lies in them."""
    return [
        TubOnShelf(tub, brine.standing_of(tub), tuple(here.lying.get(tub.id, ())))
        for tub in here.tubs
    ]


def tub_of(here: Here, tub_id: uuid.UUID) -> TubOnShelf:
    """One tub with what lies in it. Raises NotHere."""
    tub = brine.tub(here.session, here.dairy, tub_id)
    return TubOnShelf(tub, brine.standing_of(tub), tuple(here.lying.get(tub.id, ())))


@dataclass(frozen=True, slots=True, kw_only=True)
class PaperStage:
    """A line of the wall's sheet: a step at Press & salt, its load where it presses, how long it
    lies in each tub, the grams of its rind; what else it gives: name, dose, in how many parts."""

    step: RecipeStep
    minutes: float
    pressing: Pressing | None
    brine: tuple[tuple[Tub, BrinePlan], ...]
    rubs: tuple[Rub, ...]
    gives: tuple[tuple[str, Figure, int], ...] = ()


@dataclass(frozen=True, slots=True)
class OnPaper:
    """The press and salt part of a make, for the wall."""

    at: AtPress
    stages: tuple[PaperStage, ...]


def _gives(at: AtPress, step: RecipeStep) -> tuple[tuple[str, Figure, int], ...]:
    """What a step gives, by the weights that are known."""
    return tuple(
        (
            line.name,
            by_weight(line, at.recipe, at.sheet, at.standing),
            portions_of(at.recipe, step.key),
        )
        for line in at.sheet.lines
        if line.key in step.adds
    )


def on_paper(here: Here, make_id: uuid.UUID) -> OnPaper:
    """The press and salt part of a make. Raises NotHere."""
    at = AtPress(AtVat(here, makes.make(here.session, here.dairy, make_id)))
    each_kg = sum(at.pieces_kg) / len(at.pieces_kg)
    found = []
    for state in at.at.day.steps:
        step = at.recipe.step(state.planned.step.key)
        if not is_at_press(at.recipe, step):
            continue
        rubs = rind_rubs(at.recipe, each_kg) if step.kind == "salt" else ()
        is_brine = step.kind == "brine"
        tubs = tub_choices(here, at.make, at.standing, step) if is_brine else []
        found.append(
            PaperStage(
                step=step,
                minutes=state.planned.minutes,
                pressing=at.pressing_of(step) if step.kind == "press" else None,
                brine=tuple((each.tub, each.plan) for each in tubs),
                rubs=rubs,
                gives=() if rubs else _gives(at, step),
            )
        )
    return OnPaper(at, tuple(found))
