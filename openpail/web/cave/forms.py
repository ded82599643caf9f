"""What is typed at the cave: where a piece went."""

from __future__ import annotations

from flask_wtf import FlaskForm
from wtforms import SelectField, StringField

from openpail.craft.cave.deeds import OUTS, Out
from openpail.web.ui.fields import AmountField, choices


class OutForm(FlaskForm):
    """What became of a piece, or of a part of it."""

    where = SelectField("What became of it", choices=choices(*OUTS.items()))
    to = StringField("To whom")
    kg = AmountField("How much of it", "mass", required=False)
    why = StringField("Why, or a word about it")

    def out(self) -> Out:
        """What was written."""
        to, why = ((field.data or "").strip() for field in (self.to, self.why))
        return Out(self.where.data or "", to, self.kg.base, why)


class BackForm(FlaskForm):
    """What was told as gone is there."""

    back = StringField("Why it is there after all")
