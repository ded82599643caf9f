"""What is typed at the tubs: their measures, a reading, what goes in."""

from __future__ import annotations

from flask_wtf import FlaskForm
from wtforms import BooleanField, SelectField, StringField
from wtforms.validators import Length

from openpail.craft.salt.brine import READ_WORDS
from openpail.craft.salt.cover import TubSize
from openpail.craft.salt.tub_deeds import FLOAT_WORDS
from openpail.web.ui.fields import AmountField, NumberField, choices

_BRINE_C = (-2.0, 45.0)


class TubForm(FlaskForm):
    """A tub: its name, its inside, the strength it is kept at."""

    name = StringField("Name", [Length(max=80)])
    across = AmountField("Wide, inside", "length")
    side = AmountField("Its other side; blank for round", "length", required=False)
    height = AmountField("High, inside", "length")
    goal = NumberField("Kept at, % salt")
    celsius = AmountField("It stands at", "temperature", likely_c=_BRINE_C, required=False)
    soft = BooleanField("for white cheese, kept in it")

    def size(self) -> TubSize:
        """Its inside. Raises CraftError by field."""
        return TubSize(self.across.base or 0.0, self.height.base or 0.0, self.side.base)

    def stands_at_c(self) -> float:
        """How warm it stands, °C; as is usual where nobody says."""
        return 12.0 if self.celsius.base is None else self.celsius.base


class MakeBrineForm(FlaskForm):
    """A new brine."""

    water = AmountField("Water, or whey", "volume")
    pct = NumberField("Salt, %")
    whey = BooleanField("of whey: strained, heated, cooled")


class ReadForm(FlaskForm):
    """A reading of its strength."""

    by = SelectField("Read with", choices=choices(*READ_WORDS.items()))
    value = NumberField("It shows")
    celsius = AmountField("The brine is at", "temperature", likely_c=_BRINE_C, required=False)
    ph = NumberField("pH", required=False)
    litres = AmountField("So much stands in it", "volume", required=False)
    word = StringField("If it is so, a word: why", [Length(max=300)])


class GoesInForm(FlaskForm):
    """Salt, water or calcium chloride goes in."""

    salt = AmountField("Salt that went in", "mass", required=False)
    water = AmountField("Water that went in", "volume", required=False)
    calcium = AmountField("Calcium chloride (dihydrate)", "mass", required=False)
    ph = NumberField("pH, read after vinegar", required=False)
    word = StringField("If it is so, a word: why", [Length(max=300)])


class CoverForm(FlaskForm):
    """Cheese laid side by side in this tub, or in it with spirit: does it cover?"""

    pieces = NumberField("Pieces")
    across = AmountField("Each wide", "length")
    side = AmountField("Its other side; blank for round", "length", required=False)
    high = AmountField("Each high", "length")
    there = AmountField("At hand; blank for enough", "volume", required=False)


FLOATS = tuple(FLOAT_WORDS.items())
