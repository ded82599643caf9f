"""Forms of people."""

from __future__ import annotations

from flask_wtf import FlaskForm
from wtforms import PasswordField, RadioField, StringField

from openpail.web.ui.fields import choices
from openpail.work.dairy.people import LONGEST_LOGIN, SHORTEST_PASSWORD

ROLE_WORDS = {
    "maker": "maker: all of it",
    "helper": "helper: the work of the day; no recipes, house values, stock or people",
    "reader": "reader: sees and prints, for an inspector or a guest",
}
PASSWORD_HINT = f"{SHORTEST_PASSWORD} characters or more."
LOGIN_HINT = f"Like “mara”; {LONGEST_LOGIN} characters at most."


class PersonForm(FlaskForm):
    """Somebody new."""

    login = StringField("Signs in as")
    name = StringField("Name")
    role = RadioField("May do", choices=choices(*ROLE_WORDS.items()), default="helper")
    password = PasswordField("First password")


class OwnPasswordForm(FlaskForm):
    """One's own password."""

    old = PasswordField("Password until now")
    new = PasswordField("New password")
