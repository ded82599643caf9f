"""The days ahead: on a page, and as a calendar file that other programmes read."""

from __future__ import annotations

import secrets
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from flask import Blueprint, Response, abort, g, redirect, render_template, request, url_for

from openpail.formats.calendar import Entry, write
from openpail.records.dairy import actions as dairies
from openpail.records.makes import actions as makes
from openpail.records.milk import actions as milk
from openpail.records.milk.models import Task
from openpail.records.pieces import actions as pieces
from openpail.records.pieces.models import Care, Piece
from openpail.records.plans import actions as plans
from openpail.records.plans.actions import Planned
from openpail.web.edge import Page, dairy, db, needs, now, public, today
from openpail.web.plan.busy import placed
from openpail.web.plan.ribbon import Course, Ribbon, Stretch, of_make, of_plan, ribbon
from openpail.web.plan.worked import Due, due
from openpail.web.vat.state import state_of

blueprint = Blueprint("calendar", __name__, template_folder="templates")

_DAYS = 7
_FILE_DAYS = 60
# Blocks of hands so near each other are one entry: nobody leaves the vat in between.
_NEAR = timedelta(minutes=30)


@dataclass(frozen=True, slots=True)
class Day:
    """A day: its ribbon, and what is due on it."""

    date: date
    ribbon: Ribbon
    cares: tuple[tuple[str, str, int], ...]
    wanted: tuple[Due, ...]
    tasks: tuple[Task, ...]

    @property
    def kits(self) -> list[Planned]:
        """The planned makes whose kit is set out on it."""
        kit = {each.plan.row.id: each.plan for each in self.wanted if each.what.sort == "kit"}
        return list(kit.values())


def _courses() -> list[Course]:
    running = [of_make(make, state_of(make)) for make in makes.under_way(db(), dairy())]
    return running + [of_plan(e, placed(e)) for e in plans.planned(db(), dairy())]


@blueprint.get("/days")
@needs("dairy.read")
def page() -> Page:
    """A ribbon for each of the next days, and what is due on it."""
    courses = _courses()
    planned = plans.planned(db(), dairy())
    cares = pieces.due_by(db(), dairy(), today() + timedelta(days=_DAYS))
    tasks = milk.tasks(db(), dairy(), today() + timedelta(days=_DAYS))
    told = {lot for each in planned for lot in each.row.lots}
    days = []
    for number in range(_DAYS):
        day = today() + timedelta(days=number)
        days.append(Day(
            day, ribbon(day, courses), _cares(cares, day),
            tuple(each for each in due(planned) if not each.done
                  and (each.day == day or (number == 0 and each.late))),
            tuple(t for t in tasks if t.due == day and str(t.lot_id) not in told),
        ))  # fmt: skip
    return render_template("plan/days.html", days=days, planned=planned, moment=now(),
                           key=dairy().calendar_key)  # fmt: skip


def _cares(due_cares: Sequence[tuple[Care, Piece]], day: date) -> tuple[tuple[str, str, int], ...]:
    """What is to be done to how many pieces of which cheese, late ones on the first day."""
    found: dict[tuple[str, str], set[str]] = {}
    for care, piece in due_cares:
        if care.due == day or (care.due < day == today()):
            found.setdefault((care.words, piece.name), set()).add(piece.label)
    return tuple((words, name, len(labels)) for (words, name), labels in found.items())


# ── the file ──


@blueprint.get("/calendar.ics")
@needs("dairy.read")
def file() -> Page:
    """The calendar as a file."""
    return _file()


@blueprint.get("/calendar/<key>.ics")
@public
def feed(key: str) -> Page:
    """The calendar under its own secret address, for programmes that cannot sign in."""
    found = dairies.by_calendar_key(db(), key)
    if found is None:
        abort(404)
    g.dairy = found
    return _file()


def _file() -> Response:
    body = write(dairy().name, _entries(), now())
    response = Response(body, mimetype="text/calendar")
    response.headers["Content-Disposition"] = 'attachment; filename="open-pail.ics"'
    response.headers["Cache-Control"] = "no-store"
    return response


def _entries() -> Iterator[Entry]:
    for make in makes.under_way(db(), dairy()):
        yield from _blocks(f"make-{make.id}", of_make(make, state_of(make)))
    planned = plans.planned(db(), dairy())
    for each in planned:
        yield from _blocks(f"plan-{each.row.id}", of_plan(each, placed(each)))
    for wanted in due(planned):
        if not wanted.done and wanted.what.sort != "kit":
            yield Entry(f"ready-{wanted.plan.row.id}-{wanted.what.key}", wanted.what.words,
                        wanted.day, more=f"for {wanted.plan.name}")  # fmt: skip
    told = {lot for each in planned for lot in each.row.lots}
    until = today() + timedelta(days=_FILE_DAYS)
    for task in milk.tasks(db(), dairy(), until):
        if str(task.lot_id) not in told:
            yield Entry(f"task-{task.id}", task.words, task.due)
    for care, piece in pieces.due_by(db(), dairy(), until):
        yield Entry(f"care-{care.id}", f"{care.words}: {piece.label} {piece.name}", care.due,
                    more=care.place)  # fmt: skip


def _blocks(uid: str, course: Course) -> Iterator[Entry]:
    """An entry for each time that hands are wanted, from now on."""
    block: list[Stretch] = []
    number = 0
    for each in [s for s in course.stretches if s.hands_on and not s.done]:
        if block and each.begins - block[-1].ends > _NEAR:
            yield _entry(f"{uid}-{number}", course, block)
            block, number = [], number + 1
        block.append(each)
    if block:
        yield _entry(f"{uid}-{number}", course, block)


def _entry(uid: str, course: Course, block: Sequence[Stretch]) -> Entry:
    words = list(dict.fromkeys(each.words for each in block))
    some = words if len(words) < 4 else [words[0], "…", words[-1]]
    return Entry(uid, f"{course.name}: {', '.join(some)}", _minute(block[0].begins),
                 max(_minute(block[-1].ends), _minute(block[0].begins) + timedelta(minutes=1)),
                 ", ".join(words))  # fmt: skip


def _minute(moment: datetime) -> datetime:
    return moment.astimezone(ZoneInfo("UTC")).replace(second=0, microsecond=0)


@blueprint.post("/calendar/key")
@needs("dairy.write")
def set_key() -> Page:
    """Make the secret address, make it anew, or end it."""
    key = "" if "end" in request.form else secrets.token_urlsafe(24)
    dairies.set_calendar_key(db(), dairy(), key)
    return redirect(url_for("calendar.page", _anchor="file"))
