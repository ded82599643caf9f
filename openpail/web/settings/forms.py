"""What is typed of a dairy: its vats, gear, rooms and ways."""

from __future__ import annotations

import re
from calendar import day_name
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
from wtforms.validators import InputRequired, Length

from openpail.craft.cave.rooms import SORTS, Room, Sort
from openpail.craft.clock.gear import Gear, Kind
from openpail.craft.clock.heat import HEATERS
from openpail.craft.doses.spoons import SPOONS
from openpail.craft.errors import CraftError, OutOfRange, Unknown
from openpail.craft.press.moulds import MOULD_WORDS, Mould
from openpail.craft.press.presses import PRESS_WORDS, Lever, Press
from openpail.craft.press.weights import Thing
from openpail.craft.units import UNITS, Dimension, parse_number
from openpail.web.account.forms import DairyForm
from openpail.web.edge import here
from openpail.web.ui.fields import AmountField, NumberField, choices, default_unit, written

_OF_A_FILL: tuple[Dimension, Dimension] = ("length", "volume")


HOUSE_DAYS = (
    ("0", "their own day"),
    *((str(n), f"a {day}") for n, day in enumerate(day_name, start=1)),
)


class OwnForm(DairyForm):
    """All that is told of the dairy itself: name, zone, units, quiet hours, house day, devices."""

    pints = SelectField(
        "A bare pint, quart or gallon is",
        default="",
        choices=choices(
            ("", "asked each time"), ("imperial", "imperial, 0.57 L"), ("us", "US, 0.47 L")
        ),
    )
    currency = StringField("Money in")
    quiet_from = TimeField("No hands from", [InputRequired("Write it like 22:30.")])
    quiet_until = TimeField("until", [InputRequired("Write it like 06:30.")])
    analyser = StringField("Milk analyser, host:port")
    logger = StringField("Cave logger, host:port")
    scale = StringField("Scale, host:port")
    house_day = SelectField(
        "Weekly cares fall on", choices=choices(*HOUSE_DAYS), coerce=int, validate_choice=False
    )


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
            kind=kind,
            name=self.name.data or "",
            count=int(count) if count == int(count) else 0,
            holds_kg=self.holds.base or 0.0,
            follower=bool(self.follower.data),
        )


class MouldForm(FlaskForm):
    """A mould by its measures."""

    sort = SelectField("Sort", choices=choices(*MOULD_WORDS.items()))
    across = AmountField("Wide, inside", "length")
    side = AmountField("Its other side; blank for round", "length", required=False)
    height = AmountField("High, inside", "length")
    follower = AmountField("Its follower is so wide", "length", required=False)

    def mould(self) -> Mould:
        """The mould. Raises CraftError by field."""
        return Mould(
            sort=self.sort.data,
            across_cm=self.across.base or 0.0,
            height_cm=self.height.base or 0.0,
            side_cm=self.side.base,
            follower_cm=self.follower.base,
        )

    @staticmethod
    def told(mould: Mould | None) -> dict[str, str]:
        """The measures as they may be typed back."""
        if mould is None:
            return {}
        return {
            "sort": mould.sort,
            "across": written(mould.across_cm, "length", digits=4),
            "side": written(mould.side_cm, "length", digits=4),
            "height": written(mould.height_cm, "length", digits=4),
            "follower": written(mould.follower_cm, "length", digits=4),
        }


class PressForm(FlaskForm):
    """A press by what makes it press: levers, a stack, a spring, a screw."""

    sort = RadioField("What presses", choices=choices(*list(PRESS_WORDS.items())[1:]))
    levers = TextAreaField("Each lever a line: to the follower, to the weight, its own weight")
    follower_kg = AmountField("What stands on the cheese with nothing hung", "mass", required=False)
    marks = TextAreaField("Each mark of the spring a line: how far, what it presses")

    def press(self) -> Press:
        """The press. Raises CraftError by field."""
        sort = self.sort.data
        levers = self._rows(self.levers, ("length", "length", "mass")) if sort == "lever" else ()
        marks = self._rows(self.marks, ("length", "mass")) if sort == "spring" else ()
        return Press(
            sort=sort,
            levers=tuple(
                Lever(weight_cm=weight, follower_cm=follower, own_kg=own)
                for follower, weight, own in levers
            ),
            follower_kg=self.follower_kg.base or 0.0,
            marks=tuple((10 * cm, kg) for cm, kg in marks),
        )

    @staticmethod
    def _rows(field: TextAreaField, dimensions: tuple[Dimension, ...]) -> list[list[float]]:
        found = []
        for line in (field.data or "").splitlines():
            parts = [part.strip() for part in re.split(r"[;,]\s+|;", line) if part.strip()]
            if not parts:
                continue
            if len(parts) == len(dimensions) - 1 and dimensions[-1] == "mass":
                parts.append("0 kg")
            if len(parts) != len(dimensions):
                raise OutOfRange(
                    f"“{line.strip()}”: {len(dimensions)} figures, please.", field.short_name
                )
            try:
                found.append(
                    [
                        here().amount(part, dimension).base
                        for part, dimension in zip(parts, dimensions, strict=True)
                    ]
                )
            except CraftError as error:
                raise OutOfRange(error.words, field.short_name) from None
        return found

    @staticmethod
    def told(press: Press | None) -> dict[str, str]:
        """The press as it may be typed back."""
        if press is None:
            return {}
        levers = [
            "; ".join(
                (
                    written(each.follower_cm, "length", digits=4),
                    written(each.weight_cm, "length", digits=4),
                    written(each.own_kg, "mass", digits=4),
                )
            )
            for each in press.levers
        ]
        marks = [
            f"{written(mm / 10, 'length', digits=4)}; {written(kg, 'mass', digits=4)}"
            for mm, kg in press.marks
        ]
        return {
            "sort": press.sort,
            "levers": "\n".join(levers),
            "follower_kg": written(press.follower_kg, "mass", digits=4)
            if press.follower_kg
            else "",
            "marks": "\n".join(marks),
        }


class WeightForm(FlaskForm):
    """A weight of the house, or a jug that is hung as one."""

    name = StringField("Name", [Length(max=60)])
    kg = AmountField("One weighs", "mass", required=False)
    count = NumberField("How many")
    holds = AmountField("A jug: water that goes in", "volume", required=False)
    height = AmountField("It stands so high", "length", required=False)

    def thing(self) -> Thing:
        """The weight. Raises CraftError by field."""
        count = self.count.number or 0
        return Thing(
            name=self.name.data or "",
            kg=self.kg.base or 0.0,
            count=int(count) if count == int(count) else 0,
            holds_l=self.holds.base or 0.0,
            height_cm=self.height.base or 0.0,
        )


class RoomForm(FlaskForm):
    """A place to ripen."""

    name = StringField("Place, as recipes call it")
    sort = SelectField("It is", choices=choices(*SORTS.items()))
    holds = NumberField("Pieces it holds; 0 forgets it")
    shelves = NumberField("Shelves", required=False)
    width = AmountField("A shelf is wide", "length", required=False)
    depth = AmountField("and deep", "length", required=False)
    channel = StringField("Its name on the logger", [Length(max=40)])

    def room(self) -> Room:
        """The place as it was written."""
        sort: Sort = next((each for each in SORTS if each == self.sort.data), "cave")
        return Room(
            name=self.name.data or "",
            holds=int(self.holds.number or 0),
            sort=sort,
            shelves=int(self.shelves.number or 1),
            width_cm=self.width.base or 0.0,
            depth_cm=self.depth.base or 0.0,
        )


class HeaterForm(FlaskForm):
    """What heats a vat."""

    heater = SelectField(
        "What heats it", choices=choices(("", "nobody has said"), *HEATERS.items())
    )
    power = NumberField("Its power, kW", required=False)


class ProbeForm(FlaskForm):
    """The probe that stands in a vat."""

    probe = StringField("Where it answers, host:port")


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
    brining = RadioField(
        "How long does a cheese lie in brine?",
        choices=choices(
            ("weight", "by its weight: hours for a kilogram, as makers say it"),
            ("faces", "by its faces: as salt moves into it"),
        ),
        description="The hours of every brining; the other way always stands beside.",
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
