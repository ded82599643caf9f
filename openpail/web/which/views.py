"""Which can I make? From the milk on the shelf, vats, moulds, stock, rooms and the day's clock."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta

from flask import Blueprint, render_template, request

from openpail.craft.clock import handy, minute_of, moment_of
from openpail.craft.makeable import Choice, Dairy, OnHand, VatAt, choose, in_order
from openpail.formats import recipe_file
from openpail.records.bench import actions as benches
from openpail.records.dairy import actions as dairies
from openpail.records.dairy import gear as gears
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.models import MilkLot
from openpail.records.milk.slips import Known
from openpail.records.plans import actions as plans
from openpail.records.plans.actions import Planned
from openpail.records.recipes import actions as recipes
from openpail.records.stock import actions as stock
from openpail.web.edge import Page, dairy, db, house, known, needs, now, today, zone
from openpail.web.plan.busy import busy
from openpail.web.plan.worked import (
    all_stays,
    gear,
    power,
    shelf,
    taught,
    worked,
)

blueprint = Blueprint("which", __name__, template_folder="templates")

_DAYS_AHEAD = 4
_DAYS_OFFERED = 6
_NEAR_L, _LEAST_L = 0.05, 0.2


@dataclass(frozen=True, slots=True)
class Row:
    """A choice with the lots it takes (litres, None for all that is left), and its next start."""

    choice: Choice
    lots: tuple[tuple[MilkLot, float, float | None], ...]
    begins: datetime | None
    hands_min: float

    @property
    def whole(self) -> bool:
        """Whether it takes whole lots, none of them frozen, so that a sheet can be made now."""
        return all(part is None and not slips.in_freezer(lot) for lot, _, part in self.lots)


@blueprint.get("/which")
@needs("dairy.read")
def page() -> Page:
    """Every recipe for a day: fits, nearly fits, does not, and why; the oldest milk first."""
    day = _day()
    moment = now() if day == today() else _morning(day)
    then = replace(known(), now=moment)
    planned = plans.planned(db(), dairy())
    waiting = milk.waiting(db(), dairy())
    free = _free(waiting, planned)
    lots = [lot for lot in waiting if _there(lot, day) and lot.id in free]
    on_hand = [_on_hand(lot, free[lot.id], then, moment) for lot in lots]
    versions = recipes.newest_versions(db(), dairy(), documents=False)
    there = _dairy(day, moment, planned)
    choices = []
    for version in versions:
        recipe = recipe_file.read_version(version)
        bottles = stock.chosen(recipe, shelf(), house(), {})
        choices.append(choose(recipe, on_hand, bottles, there))
    rows = [_row(choice, lots, there) for choice in in_order(choices)]
    by_answer = {answer: [row for row in rows if row.choice.answer == answer]
                 for answer in ("fits", "nearly", "not")}  # fmt: skip
    return render_template(
        "which/page.html", rows=by_answer, lots=lots, free=free, chosen=day, planned=planned,
        days=[today() + timedelta(days=number) for number in range(_DAYS_OFFERED + 1)],
        in_freezer=slips.in_freezer, hours_old=lambda lot: _hours(lot, moment),
    )  # fmt: skip


def _day() -> date:
    """The day that is asked for, today unless it is one of the next days."""
    try:
        day = date.fromisoformat(request.args.get("day", ""))
    except ValueError:
        return today()
    return day if today() <= day <= today() + timedelta(days=_DAYS_OFFERED) else today()


def _morning(day: date) -> datetime:
    """When the quiet hours of the night before are over."""
    night_over = dairy().quiet_until if dairy().quiet_until < time(12) else time()
    return datetime.combine(day, night_over, zone())


def _there(lot: MilkLot, day: date) -> bool:
    """On the shelf, or in the freezer with days enough to thaw until then."""
    thaw = timedelta(days=round(house().number("milk.thaw_days")))
    return not slips.in_freezer(lot) or today() + thaw <= day


def _free(waiting: list[MilkLot], planned: list[Planned]) -> dict[uuid.UUID, float]:
    """Litres of each lot that no planned make and no poured bench has, where there are any."""
    had: dict[uuid.UUID, float] = {}
    for each in planned:
        for lot, litres in worked(each).lots:
            had[lot.id] = had.get(lot.id, 0.0) + litres
    for bench in benches.open_benches(db(), dairy()):
        for part in bench.pours if bench.state == "poured" else ():
            lot_id = uuid.UUID(part["lot"])
            had[lot_id] = had.get(lot_id, 0.0) + max(0.0, part["litres"])
    left = {lot.id: slips.left_l(lot) - had.get(lot.id, 0.0) for lot in waiting}
    return {lot_id: litres for lot_id, litres in left.items() if litres > _LEAST_L}


def _hours(lot: MilkLot, moment: datetime) -> float:
    """Its age then; milk that is still frozen has none until it is thawed."""
    return 0.0 if slips.in_freezer(lot) else slips.hours_old(lot, moment)


def _on_hand(lot: MilkLot, litres: float, then: Known, moment: datetime) -> OnHand:
    fitness = slips.fitness_of(lot, then)
    part = None if abs(litres - slips.left_l(lot)) < _NEAR_L else litres
    return OnHand(slips.pour_of(lot, then, part), lot.kind, _hours(lot, moment), fitness.verdict,
                  slips.celsius_of(lot, house()))  # fmt: skip


def _dairy(day: date, moment: datetime, planned: list[Planned]) -> Dairy:
    midnight = datetime.combine(day, time(), zone())
    vats = tuple(VatAt(v.name, v.brim_l, power(v)) for v in dairies.vats(db(), dairy()))
    left = {lot.product.lot: lot.row.left for lot in shelf()}
    clock = busy(_DAYS_AHEAD + (day - today()).days, planned=planned)
    rooms = gears.rooms_of(db(), dairy())
    there = all_stays(planned) if rooms else ()
    return Dairy(vats, left, clock.taken(), minute_of(moment),
                 minute_of(midnight + timedelta(days=1)), house(), dairies.ways_of(dairy()),
                 day, gear(), rooms, there, clock.until, taught())  # fmt: skip


def _row(choice: Choice, lots: list[MilkLot], there: Dairy) -> Row:
    used = tuple(
        (lot, litres, None if abs(litres - slips.left_l(lot)) < _NEAR_L else round(litres, 2))
        for lot, litres in zip(lots, choice.litres, strict=False)
        if litres
    )
    first = handy(choice.starts, there.begin)
    hands = sum(step.hands_on_minutes for step in choice.recipe.steps)
    return Row(choice, used, None if first is None else moment_of(first), hands)
