"""Today."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time, timedelta
from itertools import pairwise

from flask import Blueprint, abort, g, redirect, render_template, request, url_for

from openpail.craft.clock import moment_of
from openpail.craft.plan import MakeDay, StepState
from openpail.craft.shelf import Notice
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
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
    zone,
)
from openpail.web.plan.busy import placed
from openpail.web.ui import draw
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
    noticed = [(lot, stock.notices_of(lot, today(), house())) for lot in _stock()]
    said = [(lot, notices[0]) for lot, notices in noticed if notices and notices[0].grave != "note"]
    return sorted(said, key=lambda each: each[1].grave != "stop")


def _hungry() -> list[Lot]:
    """Jars that want feeding today."""
    return [lot for lot in _stock() if lot.jar and local(lot.jar.feed_by).date() <= today()]


def _stock() -> list[Lot]:
    """The lots as they stand, read once a request."""
    if "stock" not in g:
        g.stock = stock.lots(db(), dairy(), now(), today(), house())
    found: list[Lot] = g.stock
    return found


@blueprint.get("/")
@needs("dairy.read")
def page() -> Page:
    """The next thing, the day, the cares, the milk waiting."""
    days = [(make, state_of(make)) for make in makes.under_way(db(), dairy())]
    planned = plans.planned(db(), dairy())
    moment = now()
    waiting = [
        (lot, slips.fitness_of(lot, known()), slips.hours_old(lot, moment))
        for lot in milk.waiting(db(), dairy())
    ]
    return render_template(
        "today/page.html",
        next=_next(days),
        lanes=[
            *((make, _blocks(state)) for make, state in days),
            *((each, _planned_blocks(each)) for each in planned if each.row.day == today()),
        ],
        planned=planned,
        now_x=draw.ribbon_x(moment, zone(), moment),
        moment=moment,
        quiet=_quiet(moment),
        cares=_grouped(pieces.due_by(db(), dairy(), today())),
        coming=_grouped(_coming()),
        waiting=waiting,
        left_l=slips.left_l,
        in_freezer=slips.in_freezer,
        stock_says=_stock_says(),
        hungry=_hungry(),
        tasks=milk.tasks(db(), dairy(), today() + timedelta(days=7)),
    )


def _next(days: list[tuple[Make, MakeDay]]) -> tuple[Make, StepState] | None:
    steps = [(make, day.current) for make, day in days if day.current]
    return min(steps, key=lambda pair: pair[1].ends) if steps else None


def _coming() -> list[tuple[Care, Piece]]:
    due = pieces.due_by(db(), dairy(), today() + timedelta(days=7))
    return [pair for pair in due if pair[0].due > today()]


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


def _blocks(state: MakeDay) -> list[draw.Block]:
    blocks = []
    moment = now()
    for step in state.steps:
        begins, ends = step.begins, step.done_at or step.ends
        if step is state.current:
            ends = max(ends, moment)
        hands = step.planned.step.hands_on_minutes >= 0.5 * max(1.0, step.planned.minutes)
        x0, x1 = draw.ribbon_x(begins, zone(), moment), draw.ribbon_x(ends, zone(), moment)
        if x1 > x0:
            done = step.done_at is not None
            blocks.append(draw.Block(x0, x1 - x0, hands, step.planned.step.kind, done))
    return draw.merged(blocks)


def _planned_blocks(each: Planned) -> list[draw.Block]:
    steps, made = placed(each)
    edges = [draw.ribbon_x(moment_of(at), zone(), now()) for at in (*made.begins, made.ends)]
    blocks = [
        draw.Block(x0, x1 - x0, one.step.hands_on_minutes >= 0.5 * max(1.0, one.minutes),
                   one.step.kind, False)
        for one, (x0, x1) in zip(steps, pairwise(edges), strict=True)
        if x1 > x0
    ]  # fmt: skip
    return draw.merged(blocks)


def _quiet(moment: datetime) -> list[tuple[float, float]]:
    day = today()

    def x(at: time, plus: int = 0) -> float:
        local = datetime.combine(day + timedelta(days=plus), at, zone())
        return draw.ribbon_x(local.astimezone(UTC), zone(), moment)

    until, since = dairy().quiet_until, dairy().quiet_from
    return [(0.0, x(until)), (x(since), draw.RIBBON_WIDTH - x(since))]


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
