"""A make's record looked at whole: help at the vat, what went otherwise, the lists around it."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from dataclasses import dataclass

from openpail.craft.cave.rooms import stays, taken_places, without_room
from openpail.craft.clock.ready import kit
from openpail.craft.make.deeds import HelpTaken
from openpail.craft.make.ending import Deviation, deviations
from openpail.craft.make.facts import Record, facts_of
from openpail.craft.make.help import Branch, Likely, Sign, likely, offered, signs
from openpail.craft.make.set_out import ToDo, after, before
from openpail.records.dairy import gear as gears
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk
from openpail.records.milk import keeping
from openpail.work.dairy import instruments
from openpail.work.here import Here
from openpail.work.make.day import day_of
from openpail.work.make.made import acid_of, given_to, milk_into, poured_l, recipe_of, standing_of
from openpail.work.plan.planned import cloths, stays_now


def record_of(here: Here, make: Make) -> Record:
    """All that is known of a make now, for help and for the list at its end."""
    standing = standing_of(here, make)
    slow = acid_of(here, make, standing)
    return Record(
        recipe=recipe_of(make),
        sheet=makes.sheet_of(make),
        standing=standing,
        day=day_of(here, make, standing),
        now=here.now,
        has_meter=instruments.has_meter(here),
        milk_l=poured_l(here, make),
        milk_says=dict(_milk_says(here, make)),
        acid_slow=f"{slow.title.rstrip('.')}: {slow.words}"
        if slow and slow.level == "stop"
        else "",
        meter_checked=not _asks_ph(make) or instruments.is_ph_set(here),
    )


def _asks_ph(make: Make) -> bool:
    return any("ph" in step.asks for step in recipe_of(make).steps)


def _milk_says(here: Here, make: Make) -> Iterable[tuple[str, str]]:
    """What the lots say of themselves: warm, old, late or bought milk."""
    for part in milk_into(here, make):
        lot = milk.lot(here.session, here.dairy, part.lot_id)
        age = keeping.hours_old(lot, make.started_at)
        if lot.holding == "warm" and age > here.house.number("fitness.warm_caution_h"):
            yield "warm_milk", f"{lot.name} stood warm for {age:.0f} h"
        elif age > 48:
            yield "old_milk", f"{lot.name} was {age / 24:.0f} days old"
        if lot.stage == "late":
            yield "late_milk", f"{lot.name} is late milk"
        if lot.bought:
            yield "bought", f"{lot.name} was bought"


# ── help ──


@dataclass(frozen=True, slots=True, kw_only=True)
class HelpAt:
    """Help at the vat: all signs, the chosen one, its chosen answer, and the causes in order."""

    make: Make
    signs: tuple[Sign, ...]
    here_first: int
    sign: Sign | None
    answer: Branch | None
    causes: tuple[Likely, ...]
    taken: str
    step: str


def help_at(here: Here, make_id: uuid.UUID, sign: str = "", answer: int | None = None) -> HelpAt:
    """Help for a make: its signs, or one of them with the causes that its record supports.

    Raises: NotHere.
    """
    make = makes.make(here.session, here.dairy, make_id)
    record = record_of(here, make)
    current = record.day.current
    kind = current.planned.step.kind if current else None
    every = offered(kind)
    chosen = signs().get(sign)
    branch = None
    if chosen is not None and answer is not None and 0 <= answer < len(chosen.answers):
        branch = chosen.answers[answer]
    causes = likely(branch.ends, facts_of(record)) if branch else ()
    return HelpAt(
        make=make,
        signs=every,
        here_first=sum(kind in each.at for each in every) if kind else 0,
        sign=chosen,
        answer=branch,
        causes=causes,
        taken=_taken(record, sign),
        step=current.planned.step.title if current else "",
    )


def _taken(record: Record, sign: str) -> str:
    """The cause that was taken for a sign before, "" for none."""
    told = [deed.cause for _, deed in record.standing.of(HelpTaken) if deed.sign == sign]
    return told[-1] if told else ""


# ── lists ──


@dataclass(frozen=True, slots=True)
class Listed:
    """A list of a make: its things, each with whether it is done."""

    things: tuple[tuple[ToDo, bool], ...]

    @property
    def left(self) -> int:
        """How many are still to do."""
        return sum(not done for _, done in self.things)


def before_list(here: Here, make: Make, litres: float) -> Listed:
    """What is to be ready before the milk goes in."""
    vat = here.vat(make.vat_id)
    recipe, sheet = recipe_of(make), makes.sheet_of(make)
    wanted = kit(recipe, sheet, litres, given_to(here, make), cloths(here))
    full = _no_place(here, make)
    things = before(
        recipe, sheet, litres, brim_l=vat.brim_l, kit=wanted, house=sheet.house, full=full
    )
    return _ticked(here, make, things)


def _no_place(here: Here, make: Make) -> str:
    """Words of the first room in which this make's cheese finds no place, "" where there is one."""
    rooms = gears.rooms_of(here.session, here.dairy)
    if not rooms:
        return ""
    raw, day = makes.sheet_of(make).milk.raw, here.day_of(make.started_at)
    mine = stays(recipe_of(make), day, here.house, raw, 0)  # its pieces are counted there already
    none = without_room(mine, taken_places(stays_now(here), rooms))
    return f"{none.room.name} is full on {none.day:%-d %b}" if none else ""


def after_list(here: Here, make: Make) -> Listed:
    """What is cleaned before it sets like cement."""
    return _ticked(here, make, after(recipe_of(make), makes.sheet_of(make).house))


def _ticked(here: Here, make: Make, things: Iterable[ToDo]) -> Listed:
    done = standing_of(here, make).ticked
    return Listed(tuple((each, each.key in done) for each in things))


def went_otherwise(here: Here, make: Make) -> tuple[Deviation, ...]:
    """What was planned, what happened, and what it may mean."""
    return deviations(record_of(here, make))
