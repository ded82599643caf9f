"""What is typed of a dairy: its vats, gear, rooms and ways."""

from __future__ import annotations

import re
from collections.abc import Sequence

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
from openpail.craft.units import UNITS, Dimension, parse_number
from openpail.web.account.forms import DairyForm
from openpail.web.ui.fields import AmountField, NumberField, choices, default_unit

_OF_A_FILL: tuple[Dimension, Dimension] = ("length", "volume")


class OwnForm(DairyForm):
    """All that is told of the dairy itself: name, zone, units, quiet hours, analyser."""

    quiet_from = TimeField("No hands from", [InputRequired("Write it like 22:30.")])
    quiet_until = TimeField("until", [InputRequired("Write it like 06:30.")])
    analyser = StringField("Milk analyser, host:port")


class VatForm(FlaskForm):
    """A vat: name, brim, and how wide it is where it was measured."""

    name = StringField("Name", [InputRequired("Give the vat a name.")])
    brim = AmountField("Holds to the brim", "volume")
    diameter = AmountField("Wide inside", "length", required=False)


class JarForm(FlaskForm):
    """A jar or bucket that stands for its litres."""

    name = StringField("Name")
    holds = AmountField("Holds", "volume")


class FillsForm(FlaskForm):
    """Measured fills of a vat: a line each, how deep and how much, in the dairy's own units."""

    fills = TextAreaField("Measured fills")

    def pairs(self) -> list[tuple[float, float]]:
        """The fills, cm and L. Raises CraftError with words for the first line that is not one."""
        found = []
        for line in (self.fills.data or "").splitlines():
            parts = re.split(r"\s*[;:=\t]\s*|\s+", line.strip().removesuffix("L").strip())
            if parts == [""]:
                continue
            if len(parts) != 2:
                raise Unknown(f"“{line.strip()}”: write how deep and how much, like 15 14.6.")
            deep, much = (
                parse_number(part) * UNITS[default_unit(kind)].in_base
                for part, kind in zip(parts, _OF_A_FILL, strict=True)
            )
            found.append((deep, much))
        return found

    @staticmethod
    def told(fills: Sequence[tuple[float, float]]) -> str:
        """Fills as they are typed."""
        cm, litre = (UNITS[default_unit(kind)].in_base for kind in _OF_A_FILL)
        return "\n".join(f"{deep / cm:.5g} {much / litre:.5g}" for deep, much in fills)


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


RAW_RENNET_LESS = tuple((f"{each:g}", f"{100 * each:.0f} % less") for each in (0.06, 0.15, 0.25))


class WaysForm(FlaskForm):
    """The house ways, where makers disagree: each a question, its answers, and what it changes."""

    rennet = RadioField(
        "Milk sets faster or slower than the recipe’s. What gives way?",
        choices=choices(
            ("keep_clock", "the dose: the recipe’s clock is kept"),
            ("keep_dose", "the clock: the recipe’s dose is kept"),
        ),
        description="Every dose of rennet, and the time of the first flocks and the cut.",
    )
    diluted = RadioField(
        "How does liquid rennet go in?",
        choices=choices(("yes", "diluted in cool water"), ("no", "drop by drop, undiluted")),
        description="The water that the sheet and the vat tell with the rennet.",
    )
    raw_calcium = RadioField(
        "Does raw milk get calcium chloride?",
        choices=choices(
            ("table", "by the table"),
            ("never", "never"),
            ("if_weak", "only if the last set was weak"),
            ("always", "always a little"),
        ),
        description="The calcium of every raw make, and with it the rennet.",
    )
    raw_culture = RadioField(
        "How much culture goes into raw milk?",
        choices=choices(
            ("same", "full: too little acid is the dangerous side"),
            ("less", "a quarter less in milk under 24 h old that smells sweet"),
        ),
        description="The culture of every raw make.",
    )
    raw_rennet = RadioField(
        "Raw milk in a recipe for heated milk: how much less rennet?",
        choices=choices(("0", "as the model says"), *RAW_RENNET_LESS),
        description="The rennet of raw milk in such a recipe.",
    )
    ripen = RadioField(
        "The pH was read. How long does the milk ripen?",
        choices=choices(
            ("to_ph", "to the pH that the recipe waits for: the time moves"),
            ("by_clock", "by the clock: the rennet moves"),
        ),
        description="When the rennet goes in, and how much of it.",
    )
    rest_cold = RadioField(
        "Milk was held cold over a day. Does it rest before the rennet?",
        choices=choices(
            ("no", "no: warmed and renneted as it comes"), ("yes", "yes: 30 min at 32 °C first")
        ),
        description="A step more, and less calcium and rennet against the cold.",
    )
    move_steps = RadioField(
        "Cut, warmth, stirring, draining, pressing: do they follow the milk?",
        choices=choices(("yes", "yes, they follow it"), ("no", "no: as the recipe has them")),
        description="The steps of every sheet; as written always stands beside.",
    )
    small = RadioField(
        "How are small amounts measured?",
        choices=choices(
            ("spoons", "by spoons"), ("scale", "by weight"), ("dilution", "dissolved, by the mL")
        ),
        description="Which figure is the big one on the sheet and at the vat. Salt is weighed.",
    )
    spoons = SelectMultipleField(
        "Which spoons are in the drawer?",
        choices=choices(*((name, name) for name, _ in SPOONS)),
        description="None marked: all of them.",
    )
    scale = NumberField("The scale’s finest step, g", required=False)
