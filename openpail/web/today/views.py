"""Today."""

from __future__ import annotations

import uuid

from flask import Blueprint, redirect, render_template, url_for

from openpail.web.cave import show as cave_show
from openpail.web.edge import Page, here, needs
from openpail.web.plan.show import due_words, ribbon, ribbon_day
from openpail.web.ui import done
from openpail.work.milk import lots as milk
from openpail.work.plan.days import lanes
from openpail.work.plan.today import today
from openpail.work.sheet.first import first_hour

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
        next=at.next,
        ribbon=ribbon(ribbon_day(), lanes(here())),
        planned=here().planned,
        wanted=at.wanted,
        moment=here().now,
        cares=at.cares,
        coming=at.coming,
        waiting=at.waiting,
        left_l=milk.left_l,
        poured_l=here().poured_l,
        in_freezer=milk.in_freezer,
        stock_says=at.stock_says,
        hungry=at.hungry,
        tasks=at.tasks,
        came_late=at.came_late,
        due_words=due_words,
        done=done.just_done(),
        late_words=lambda group: cave_show.late_words(group.care, group.pieces[0], here().today),
        by_itself=cave_show.BY_ITSELF,
        fellows=cave_show.fellows(here(), done.just_done()),
    )
