"""Set-up, sign-in, sign-out."""

from __future__ import annotations

import logging

from flask import Blueprint, abort, current_app, g, redirect, render_template, request, url_for
from flask_login import current_user, logout_user

from openpail.craft.dates import zones
from openpail.craft.errors import RecordError
from openpail.web.account.forms import SetUpForm, SignInForm
from openpail.web.account.sign_in import let_in
from openpail.web.edge import Page, db, here, needs, now, public, refuse
from openpail.web.ui.fields import blame
from openpail.work.dairy import people
from openpail.work.dairy.people import Founding

_log = logging.getLogger("openpail")
blueprint = Blueprint("account", __name__, template_folder="templates")


def _is_demo() -> bool:
    return bool(current_app.extensions["config"].mode == "demo")


@blueprint.route("/sign-in", methods=["GET", "POST"])
@public
def sign_in() -> Page:
    """Sign in; the demo offers one click instead."""
    if current_user.is_authenticated and "dairy" in g:
        return redirect(url_for("today.page"))
    if not _is_demo() and people.first_maker(db()) is None:
        return redirect(url_for("account.set_up"))
    form = SignInForm()
    if form.validate_on_submit():
        try:
            person = people.sign_in(
                db(), form.login.data, form.password.data, request.remote_addr or "", now()
            )
        except RecordError as error:
            blame(form.password, error.words)
            _log.warning("shut out for now: a sign-in from %s", request.remote_addr)
        else:
            if person:
                let_in(person)
                _log.info("signed in: %s from %s", person.id, request.remote_addr)
                return redirect(_back())
            _log.warning("wrong password or name, from %s", request.remote_addr)
            blame(form.password, "This name and password do not go together.")
    return render_template("account/sign_in.html", form=form, demo=_is_demo())


def _back() -> str:
    target = request.args.get("next", "")
    inside = target.startswith("/") and not target.startswith(("//", "/\\"))
    safe = inside and target.isprintable()
    return target if safe else url_for("today.page")


@blueprint.post("/demo")
@public
def demo() -> Page:
    """Let the demo's visitor in as its maker."""
    person = people.first_maker(db()) if _is_demo() else None
    if not person:
        abort(404)
    let_in(person)
    return redirect(url_for("today.page"))


@blueprint.post("/sign-out")
@needs("dairy.read")
def sign_out() -> Page:
    """Sign out on this device."""
    people.sign_out(here(), current_user.person, current_user.device_id)
    logout_user()
    return redirect(url_for("account.sign_in"))


@blueprint.route("/set-up", methods=["GET", "POST"])
@public
def set_up() -> Page:
    """Found the dairy and its first maker, with the token that serve printed."""
    form = SetUpForm()
    if form.validate_on_submit():
        try:
            person = people.found(db(), _told(form), now())
        except RecordError as error:
            refuse()
            blame(form[error.about or "token"], error.words)
        else:
            g.pop("refused", None)
            let_in(person)
            return redirect(url_for("today.page"))
    return render_template(
        "account/set_up.html", form=form, zones=zones(), shortest=people.SHORTEST_PASSWORD
    )


def _told(form: SetUpForm) -> Founding:
    return Founding(
        token=form.token.data,
        name=form.name.data,
        zone=form.zone.data,
        volume_system=form.volume_system.data,
        mass_system=form.mass_system.data,
        degrees=form.degrees.data,
        login=form.login.data,
        password=form.password.data,
    )
