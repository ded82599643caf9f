"""Today."""

from __future__ import annotations

import uuid

from flask import Blueprint, abort, redirect, render_template, request, url_for

from openpail.records.milk import slips
from openpail.web.edge import Page, here, needs
from openpail.web.plan.show import due_words, ribbon, ribbon_day
from openpail.web.ui import done
from openpail.work import cave
from openpail.work.days import lanes
from openpail.work.first import first_hour
from openpail.work.today import today

blueprint = Blueprint("today", __name__, template_folder="templates")


@blueprint.get("/")
@needs("dairy.read")
def page() -> Page:
    """The next thing, the day, the cares, the milk waiting."""
    if first_hour(here()):
        return redirect(url_for("first.page"))
    at = today(here())
    return render_template(
        "today/page.html",
        wall=at.wall,
        heating=at.heating,
        new_id=uuid.uuid4,
        next=at.next[0] if at.next else None,
        also=at.next[1:],
        ribbon=ribbon(ribbon_day(), lanes(here())),
        planned=here().planned,
        wanted=at.wanted,
        moment=here().now,
        cares=at.cares,
        coming=at.coming,
        waiting=at.waiting,
        left_l=slips.left_l,
        poured_l=here().poured_l,
        in_freezer=slips.in_freezer,
        stock_says=at.stock_says,
        hungry=at.hungry,
        tasks=at.tasks,
        due_words=due_words,
        done=done.just_done(),
        days_late=lambda group: max(0, (here().today - group.due).days),
    )


@blueprint.post("/cares/done")
@needs("care.write")
def care_done() -> Page:
    """One or several cares are done."""
    ids = _ids()
    words = cave.care_done(here(), ids)
    done.tell(words, url_for("today.care_not_done"), ids=request.form["ids"])
    return _back()


@blueprint.post("/cares/not-done")
@needs("care.write")
def care_not_done() -> Page:
    """It was a slip of the finger: they are open again."""
    cave.care_not_done(here(), _ids())
    done.forget()
    return _back()


def _ids() -> list[uuid.UUID]:
    try:
        return [uuid.UUID(text) for text in request.form.get("ids", "").split(",")]
    except ValueError:
        abort(404)


def _back() -> Page:
    return redirect(url_for("cave.page" if request.form.get("from") == "cave" else "today.page"))
