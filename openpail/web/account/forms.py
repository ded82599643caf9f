"""Forms of set-up and sign-in."""

from __future__ import annotations

from zoneinfo import available_timezones

from flask_wtf import FlaskForm
from wtforms import PasswordField, SelectField, StringField
from wtforms.validators import InputRequired

from openpail.web.ui.fields import choices

UNITS = choices(
    ("metric", "litres"),
    ("us", "US gallons, quarts, cups"),
    ("imperial", "imperial gallons and pints"),
)
MASSES = choices(("metric", "kilograms, grams"), ("us", "pounds, ounces"))
DEGREES = choices(("C", "°C"), ("F", "°F"))


def zones() -> list[str]:
    """Time zones by name, places only."""
    return sorted(zone for zone in available_timezones() if "/" in zone and "Etc" not in zone)


class SignInForm(FlaskForm):
    """Login and password."""

    login = StringField("Name", [InputRequired("Write your name.")])
    password = PasswordField("Password", [InputRequired("Write your password.")])


class DairyForm(FlaskForm):
    """A dairy's name, zone and units."""

    name = StringField("Name of the dairy", [InputRequired("Write the name of the dairy.")])
    zone = StringField("Time zone", [InputRequired("Write the time zone, like Europe/Dublin.")])
    volume_system = SelectField("Volumes in", choices=UNITS)
    mass_system = SelectField("Weights in", choices=MASSES)
    degrees = SelectField("Temperatures in", choices=DEGREES)


class SetUpForm(DairyForm):
    """The first set-up: the dairy and its first maker."""

    token = StringField("Token from ./pail serve", [InputRequired("Write the token.")])
    login = StringField("You sign in as", [InputRequired("Write the name you sign in with.")])
    password = PasswordField("Password", [InputRequired("Choose a password.")])
