"""Which can I make?"""

from __future__ import annotations

from datetime import date

from flask import Blueprint, render_template, request

from openpail.formats.recipe_words import PLAIN
from openpail.web.edge import Page, here, needs
from openpail.work.milk import lots as milk
from openpail.work.sheet import which as whiches

blueprint = Blueprint("which", __name__, template_folder="templates")


@blueprint.get("/which")
@needs("dairy.read")
def page() -> Page:
    """Every recipe for a day: fits, nearly fits, does not, and why; the oldest milk first."""
    at = whiches.which(here(), _day())
    return render_template(
        "which/page.html",
        rows=at.rows,
        lots=at.lots,
        free=at.free,
        chosen=at.day,
        planned=here().planned,
        days=whiches.days(here()),
        vats={here().key_of(vat): vat.id for vat in here().vats},
        in_freezer=milk.in_freezer,
        hours_old=at.hours_old,
        plain=PLAIN,
    )


def _day() -> date:
    """The day that is asked for, today unless it is one of the next days."""
    try:
        day = date.fromisoformat(request.args.get("day", ""))
    except ValueError:
        return here().today
    return day if day in whiches.days(here()) else here().today
