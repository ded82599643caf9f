"""What is typed at the table: the weights of the pieces."""

from __future__ import annotations

import re

from flask_wtf import FlaskForm
from wtforms import StringField, TextAreaField
from wtforms.validators import Length

from openpail.craft.units import counted_pieces
from openpail.web.edge import here


class WeighCheeseForm(FlaskForm):
    """The weights of the pieces, one a line; a word where they are far from expected."""

    weights = TextAreaField("Weight of each piece, one a line")
    word = StringField("If it is so, a word: why", [Length(max=300)])

    def masses(self) -> tuple[float, ...]:
        """The weights in kg. Raises CraftError with words for the first that is not one."""
        texts = [text for text in re.split(r"[\n;]", self.weights.data or "") if text.strip()]
        counted = [counted_pieces(text) for text in texts]
        return tuple(
            kg for count, one in counted for kg in [here().amount(one, "mass").base] * count
        )
