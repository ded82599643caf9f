"""Forms of set-up and sign-in."""

from __future__ import annotations

from collections.abc import Callable

from flask_wtf import FlaskForm
from wtforms import PasswordField, SelectField, StringField
from wtforms.validators import InputRequired, StopValidation

from openpail.craft.dates import zone_of
from openpail.craft.errors import PailError
from openpail.web.edge import db
from openpail.web.ui.fields import choices
from openpail.work.dairy import people

UNITS = choices(
    ("metric", "litres"),
    ("us", "US gallons, quarts, cups"),
    ("imperial", "imperial gallons and pints"),
)
MASSES = choices(("metric", "kilograms, grams"), ("us", "pounds, ounces"))
DEGREES = choices(("C", "°C"), ("F", "°F"))


class SignInForm(FlaskForm):
    """Login and password."""

    login = StringField("Name", [InputRequired("Write your name.")])
    password = PasswordField("Password", [InputRequired("Write your password.")])


class DairyForm(FlaskForm):
    """A dairy's name, zone and units."""

    name = StringField("Name of the dairy", [InputRequired("Write the name of the dairy.")])
    zone = StringField("Time zone", [InputRequired("Write the nearest large city.")])
    volume_system = SelectField("Volumes in", choices=UNITS)
    mass_system = SelectField("Weights in", choices=MASSES)
    degrees = SelectField("Temperatures in", choices=DEGREES)


class SetUpForm(DairyForm):
    """The first set-up: the dairy and its first maker."""

    token = StringField("Token from ./pail serve", [InputRequired("Write the token.")])
    login = StringField("You sign in as", [InputRequired("Write the name you sign in with.")])
    password = PasswordField("Password", [InputRequired("Choose a password.")])

    def validate_token(self, field: StringField) -> None:
        """One that was printed and not spent; it is spent when all the rest is right."""
        _say(lambda: people.check_setup_token(db(), field.data or ""))

    def validate_zone(self, field: StringField) -> None:
        """A zone, or a city of one."""
        _say(lambda: zone_of(field.data or ""))

    def validate_password(self, field: PasswordField) -> None:
        """Long enough."""
        _say(lambda: people.check_password(field.data or "", "password"))


def _say(check: Callable[[], object]) -> None:
    try:
        check()
    except PailError as error:
        raise StopValidation(error.words) from error
