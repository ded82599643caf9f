"""What is typed of a dairy: its vats, gear, rooms and ways."""

from __future__ import annotations

import re

from flask_wtf import FlaskForm
from wtforms import (
    BooleanField,
    RadioField,
    SelectField,
    SelectMultipleField,
    StringField,
    TextAreaField,
    TimeField,
)
from wtforms.validators import InputRequired

from openpail.craft.clock.gear import Gear, Kind
from openpail.craft.clock.heat import HEATERS
from openpail.craft.doses.spoons import SPOONS
from openpail.craft.errors import Unknown
from openpail.craft.units import parse_number
from openpail.web.ui.fields import AmountField, NumberField, choices


class VatForm(FlaskForm):
    """A vat: name, brim, diameter."""

    name = StringField("Name", [InputRequired("Give the vat a name.")])
    brim = AmountField("Holds to the brim", "volume")
    diameter = NumberField("Inner diameter, cm")


class JarForm(FlaskForm):
    """A jar or bucket that stands for its litres."""

    name = StringField("Name")
    holds = AmountField("Holds", "volume")


class FillsForm(FlaskForm):
    """Measured fills of a vat: a line each, cm and litres."""

    fills = TextAreaField("Measured fills, a line each: cm, then litres")

    def pairs(self) -> list[tuple[float, float]]:
        """The fills. Raises CraftError with words for the first line that is not one."""
        found = []
        for line in (self.fills.data or "").splitlines():
            parts = re.split(r"\s*[;:=\t]\s*|\s+", line.strip().removesuffix("L").strip())
            if parts == [""]:
                continue
            if len(parts) != 2:
                raise Unknown(f"“{line.strip()}”: write cm and litres, like 15 14.6.")
            found.append((parse_number(parts[0]), parse_number(parts[1])))
        return found


class GearForm(FlaskForm):
    """Presses, or moulds, of one sort."""

    kind = RadioField(
        "What it is", choices=choices(("mould", "mould"), ("press", "press")), default="mould"
    )
    name = StringField("Name")
    count = NumberField("How many")
    holds = AmountField("Cheese out of one mould", "mass", required=False)
    follower = BooleanField("With a follower, so that it can be pressed", default=True)

    def gear(self) -> Gear:
        """What was written."""
        kind: Kind = "press" if self.kind.data == "press" else "mould"
        count = self.count.number or 0
        return Gear(
            kind,
            self.name.data or "",
            int(count) if count == int(count) else 0,
            self.holds.base or 0.0,
            bool(self.follower.data),
        )


class RoomForm(FlaskForm):
    """A place to ripen."""

    name = StringField("Place, as recipes call it")
    holds = NumberField("Pieces it holds; 0 forgets it")


class HeaterForm(FlaskForm):
    """What heats a vat."""

    heater = SelectField(
        "What heats it", choices=choices(("", "nobody has said"), *HEATERS.items())
    )
    power = NumberField("Its power, kW", required=False)


class AnalyserForm(FlaskForm):
    """Where the milk analyser answers."""

    analyser = StringField("Milk analyser, host:port")


class QuietForm(FlaskForm):
    """Hours in which no hands-on step may fall."""

    quiet_from = TimeField("Quiet from", [InputRequired("Write it like 22:30.")])
    quiet_until = TimeField("until", [InputRequired("Write it like 06:30.")])


RAW_RENNET_LESS = tuple((f"{each:g}", f"{100 * each:.0f} % less") for each in (0.06, 0.15, 0.25))


class WaysForm(FlaskForm):
    """The house ways, where makers disagree."""

    raw_calcium = RadioField(
        "Calcium chloride in raw milk",
        choices=choices(
            ("table", "by the table"),
            ("never", "never"),
            ("if_weak", "only if the last set was weak"),
            ("always", "always a little"),
        ),
    )
    rennet = RadioField(
        "Rennet",
        choices=choices(
            ("keep_clock", "keep the recipe’s clock, change the dose"),
            ("keep_dose", "keep the dose, change the clock"),
        ),
    )
    diluted = RadioField(
        "Liquid rennet goes in",
        choices=choices(("yes", "diluted in cool water"), ("no", "drop by drop, undiluted")),
    )
    raw_culture = RadioField(
        "Culture in raw milk",
        choices=choices(
            ("same", "full: too little acid is the dangerous side"),
            ("less", "a quarter less in milk under 24 h old that smells sweet"),
        ),
    )
    raw_rennet = RadioField(
        "Rennet in raw milk, against a recipe for heated milk",
        choices=choices(("0", "as the model says"), *RAW_RENNET_LESS),
    )
    ripen = RadioField(
        "Milk whose pH was read is ripened",
        choices=choices(
            ("to_ph", "to the pH that the recipe waits for: the time moves"),
            ("by_clock", "by the clock: the rennet moves"),
        ),
    )
    move_steps = RadioField(
        "Steps: cut, warmth, stirring, draining, pressing",
        choices=choices(("yes", "follow the milk"), ("no", "left as the recipe has them")),
    )
    rest_cold = RadioField(
        "Milk held cold over a day, before the rennet",
        choices=choices(
            ("no", "warmed and renneted as it comes"), ("yes", "rested 30 min at 32 °C first")
        ),
    )
    small = RadioField(
        "Small amounts",
        choices=choices(
            ("spoons", "by spoons"), ("scale", "by weight"), ("dilution", "dissolved, by the mL")
        ),
    )
    spoons = SelectMultipleField(
        "Spoons in the drawer (none marked: all)",
        choices=choices(*((name, name) for name, _ in SPOONS)),
    )
    scale = NumberField("The scale’s finest step, g", required=False)
