"""What the dairy has taught, in one place."""

from __future__ import annotations

import uuid

from flask import Blueprint, redirect, render_template, request, url_for

from openpail.craft.errors import CraftError
from openpail.web.edge import Page, form_id, here, needs, refuse
from openpail.work.logbook import learnt

_MOST_TOLD = 12
blueprint = Blueprint("learnt", __name__, template_folder="templates")


@blueprint.get("/logbook/learnt")
@needs("dairy.read")
def page() -> Page:
    """All that was learnt, how sure it is, and what it does to the next sheet."""
    return _page()


def _page(error: str = "") -> str:
    all_learnt = learnt.all_learnt(here())
    return render_template(
        "logbook/learnt.html", learnt=all_learnt, error=error, new_id=uuid.uuid4, most=_MOST_TOLD
    )


@blueprint.post("/logbook/learnt/<uuid:make_id>")
@needs("make.write")
def count(make_id: uuid.UUID) -> Page:
    """A make is left out of the learning, or counts again."""
    counts = request.form.get("counts") == "y"
    try:
        answer = learnt.count(here(), make_id, form_id("event"), counts=counts)
        words = "" if answer.is_kept else answer.words
    except CraftError as error:
        words = error.words
    if words:
        refuse()
        return _page(words), 422
    return redirect(url_for("learnt.page"))
