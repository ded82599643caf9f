"""People: added, given another role, given a new password, ended; and what is one's own."""

from __future__ import annotations

import uuid

from flask import Blueprint, redirect, render_template, request, url_for
from flask_login import current_user

from openpail.craft.errors import RecordError
from openpail.web.account.sign_in import let_in
from openpail.web.edge import Page, here, needs, refuse
from openpail.web.people.forms import (
    LOGIN_HINT,
    PASSWORD_HINT,
    ROLE_WORDS,
    OwnPasswordForm,
    PersonForm,
)
from openpail.web.ui.fields import blame
from openpail.work.dairy import people

blueprint = Blueprint("people", __name__, template_folder="templates")


@blueprint.get("/dairy/people")
@needs("people.write")
def page() -> Page:
    """Everybody of this dairy."""
    return _page(PersonForm())


def _page(form: PersonForm, wrong: tuple[uuid.UUID, str] | None = None) -> Page:
    return render_template(
        "people/page.html",
        members=people.members(here()),
        form=form,
        roles=ROLE_WORDS,
        password_hint=PASSWORD_HINT,
        login_hint=LOGIN_HINT,
        wrong=wrong,
    )


@blueprint.post("/dairy/people")
@needs("people.write")
def add() -> Page:
    """Somebody comes."""
    form = PersonForm()
    if form.validate_on_submit():
        try:
            people.add(
                here(),
                form.login.data or "",
                name=form.name.data or "",
                password=form.password.data or "",
                role=form.role.data,
            )
        except RecordError as error:
            refuse()
            blame(form[error.about], error.words)
        else:
            return redirect(url_for("people.page"))
    return _page(form)


@blueprint.post("/dairy/people/<uuid:person>/role")
@needs("people.write")
def set_role(person: uuid.UUID) -> Page:
    """Somebody may do more, or less."""
    try:
        people.set_role(here(), person, request.form.get("role", ""))
    except RecordError as error:
        refuse()
        return _page(PersonForm(formdata=None), (person, error.words))
    return redirect(url_for("people.page"))


@blueprint.post("/dairy/people/<uuid:person>/password")
@needs("people.write")
def set_password(person: uuid.UUID) -> Page:
    """Somebody has forgotten theirs: a new one, and every device of theirs is signed out."""
    try:
        people.set_password(here(), person, request.form.get("password", ""))
    except RecordError as error:
        refuse()
        return _page(PersonForm(formdata=None), (person, error.words))
    if person == current_user.person.id:
        let_in(current_user.person)
    return redirect(url_for("people.page"))


@blueprint.post("/dairy/people/<uuid:person>/end")
@needs("people.write")
def end(person: uuid.UUID) -> Page:
    """Somebody leaves: what they did stays under their name, and no device of theirs gets in."""
    try:
        people.end(here(), person)
    except RecordError as error:
        refuse()
        return _page(PersonForm(formdata=None), (person, error.words))
    return redirect(url_for("people.page"))


# ── one's own ──


@blueprint.get("/you")
@needs("dairy.read")
def you() -> Page:
    """One's own password and devices."""
    return _you(OwnPasswordForm())


def _you(form: OwnPasswordForm) -> Page:
    return render_template(
        "people/you.html",
        form=form,
        person=current_user.person,
        password_hint=PASSWORD_HINT,
        changed="changed" in request.args,
        devices=people.devices(here(), current_user.person),
        this=current_user.device_id,
        device_words=device_words,
    )


@blueprint.post("/you/password")
@needs("dairy.read")
def own_password() -> Page:
    """A new password of one's own; every other device is signed out."""
    form, person = OwnPasswordForm(), current_user.person
    try:
        people.change_password(here(), person, form.old.data or "", form.new.data or "")
    except RecordError as error:
        refuse()
        blame(form[error.about], error.words)
        return _you(form)
    let_in(person)
    return redirect(url_for("people.you", changed=1))


_BROWSERS = (("Edg", "Edge"), ("Firefox", "Firefox"), ("Chrom", "Chromium"), ("Safari", "Safari"))
_MACHINES = (
    ("iPhone", "an iPhone"),
    ("iPad", "an iPad"),
    ("Android", "an Android device"),
    ("Windows", "Windows"),
    ("Mac OS", "a Mac"),
    ("Linux", "Linux"),
)


def device_words(agent: str) -> str:
    """What a browser calls itself, in plain words: whoever lists their devices knows them by it."""
    browser = next((words for sign, words in _BROWSERS if sign in agent), "A browser")
    machine = next(
        (words for sign, words in _MACHINES if sign in agent), "a machine we do not know"
    )
    return f"{browser} on {machine}"


@blueprint.post("/you/devices/<uuid:device_id>/sign-out")
@needs("dairy.read")
def sign_out_device(device_id: uuid.UUID) -> Page:
    """One device of one's own is signed out."""
    people.sign_out(here(), current_user.person, device_id)
    return redirect(url_for("people.you"))


@blueprint.post("/you/everywhere")
@needs("dairy.read")
def sign_out_everywhere() -> Page:
    """Every device is signed out, this one too."""
    people.sign_out_everywhere(here(), current_user.person)
    return redirect(url_for("account.sign_in"))
