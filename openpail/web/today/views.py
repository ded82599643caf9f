"""Today."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, field
from datetime import date, timedelta

from flask import Blueprint, abort, redirect, render_template, request, url_for

from openpail.craft.plan import MakeDay, StepState
from openpail.craft.shelf import Notice
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.models import Task
from openpail.records.pieces import actions as pieces
from openpail.records.pieces.models import Care, Piece
from openpail.records.plans import actions as plans
from openpail.records.plans.actions import Planned
from openpail.records.stock import actions as stock
from openpail.records.stock.actions import Lot
from openpail.web.edge import (
    Page,
    dairy,
    db,
    house,
    known,
    local,
    needs,
    now,
    person_id,
    today,
)
from openpail.web.plan.busy import placed
from openpail.web.plan.ribbon import of_make, of_plan, ribbon
from openpail.web.plan.worked import Due, due, shelf
from openpail.web.vat.state import state_of

blueprint = Blueprint("today", __name__, template_folder="templates")


@dataclass
class CareGroup:
    """The same care for several pieces at one place: one touch for all."""

    words: str
    place: str
    due: date
    matters: str
    name: str
    items: list[tuple[Care, Piece]] = field(default_factory=list)

    @property
    def ids(self) -> str:
        """The cares' ids, for the form."""
        return ",".join(str(care.id) for care, _ in self.items)

    @property
    def days_late(self) -> int:
        """Days past the due date, 0 when in time."""
        return max(0, (today() - self.due).days)


def _stock_says() -> list[tuple[Lot, Notice]]:
    """What of the stock wants looking at: the gravest of each lot, notes left out."""
    noticed = [(lot, stock.notices_of(lot, today(), house())) for lot in shelf()]
    said = [(lot, notices[0]) for lot, notices in noticed if notices and notices[0].grave != "note"]
    return sorted(said, key=lambda each: each[1].grave != "stop")


def _hungry() -> list[Lot]:
    """Jars that want feeding today."""
    return [lot for lot in shelf() if lot.jar and local(lot.jar.feed_by).date() <= today()]


def _wanted(planned: list[Planned]) -> list[Wanted]:
    """What the planned makes want ready by tomorrow and is not; what is set out, as one."""
    found: list[Wanted] = []
    for each in due(planned):
        if each.done or each.day > today() + timedelta(days=1):
            continue
        last = found[-1] if found else None
        if each.what.sort == "kit" and last and last.is_kit_of(each):
            last.things.append(each)
        else:
            found.append(Wanted([each]))
    return found


@dataclass
class Wanted:
    """Things that one planned make wants ready on a day: all its kit, or one product or milk."""

    things: list[Due]

    def is_kit_of(self, other: Due) -> bool:
        """Whether it is the kit of the same make."""
        first = self.things[0]
        return first.what.sort == "kit" and first.plan.row.id == other.plan.row.id

    @property
    def first(self) -> Due:
        """The first of them."""
        return self.things[0]


def _tasks(planned: list[Planned]) -> list[Task]:
    """Thawings of the next days; a plan that wants the same milk says so itself."""
    told = {lot for each in planned for lot in each.row.lots}
    found = milk.tasks(db(), dairy(), today() + timedelta(days=7))
    return [task for task in found if str(task.lot_id) not in told]


@blueprint.get("/")
@needs("dairy.read")
def page() -> Page:
    """The next thing, the day, the cares, the milk waiting."""
    days = [(make, state_of(make)) for make in makes.under_way(db(), dairy())]
    planned = plans.planned(db(), dairy())
    moment = now()
    cares = pieces.due_by(db(), dairy(), today() + timedelta(days=7))
    waiting = [
        (lot, slips.fitness_of(lot, known()), slips.hours_old(lot, moment))
        for lot in milk.waiting(db(), dairy())
    ]
    return render_template(
        "today/page.html",
        next=_next(days),
        ribbon=ribbon(
            today(),
            [
                *(of_make(make, state) for make, state in days),
                *(of_plan(each, placed(each)) for each in planned),
            ],
        ),
        planned=planned,
        wanted=_wanted(planned),
        moment=moment,
        cares=_grouped([each for each in cares if each[0].due <= today()]),
        coming=_grouped([each for each in cares if each[0].due > today()]),
        waiting=waiting,
        left_l=slips.left_l,
        in_freezer=slips.in_freezer,
        stock_says=_stock_says(),
        hungry=_hungry(),
        tasks=_tasks(planned),
    )


def _next(days: list[tuple[Make, MakeDay]]) -> tuple[Make, StepState] | None:
    steps = [(make, day.current) for make, day in days if day.current]
    return min(steps, key=lambda pair: pair[1].ends) if steps else None


def _grouped(due: list[tuple[Care, Piece]]) -> list[CareGroup]:
    groups: dict[tuple[str, str, str, date], CareGroup] = {}
    for care, piece in due:
        key = (care.place, piece.name, care.words, care.due)
        group = groups.setdefault(
            key, CareGroup(care.words, care.place, care.due, care.matters, piece.name)
        )
        if piece.id not in {each.id for _, each in group.items}:
            group.items.append((care, piece))
    return list(groups.values())


@blueprint.post("/cares/done")
@needs("care.write")
def care_done() -> Page:
    """One or several cares are done."""
    try:
        ids = [uuid.UUID(text) for text in request.form.get("ids", "").split(",")]
    except ValueError:
        abort(404)
    pieces.care_done(db(), dairy(), ids, now(), person_id())
    back = "cave.page" if request.form.get("from") == "cave" else "today.page"
    return redirect(url_for(back))
