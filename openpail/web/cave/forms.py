"""What is typed of a piece: where it goes, what it is sealed in, how it was cut, how it tastes."""

from __future__ import annotations

import re
from datetime import datetime

from flask import request
from flask_wtf import FlaskForm
from wtforms import HiddenField, IntegerField, RadioField, SelectField, StringField, TextAreaField
from wtforms.validators import Length, Optional

from openpail.craft.cave.deeds import (
    OUTS,
    RIPE,
    SEALS,
    By,
    CutUp,
    EarlyTaste,
    MovedTo,
    Out,
    PieceAmended,
    PieceDeed,
    PieceUndone,
    Ripe,
    Seal,
    Sealed,
    Seen,
    WeighedAgain,
)
from openpail.craft.cave.signs import SIGNS
from openpail.craft.errors import OutOfRange
from openpail.web.edge import here
from openpail.web.ui.fields import AmountField, MomentField, choices

_WORD = "If it is so, a word: why"
_BY: tuple[By, ...] = ("typed", "shelf", "label")
_DRY = tuple((str(n), words) for n, words in enumerate(SIGNS["dry"].steps))


class PieceForm(FlaskForm):
    """A deed of one piece: its number as it was read off it, and a word where one is asked."""

    label = StringField("The number on the cheese", [Length(max=20)])
    by = HiddenField(default="typed")
    word = StringField(_WORD, [Length(max=300)])

    def how(self) -> By:
        """How its number was told."""
        return next((each for each in _BY if each == self.by.data), "typed")

    def said(self) -> str:
        """The word that was written."""
        return (self.word.data or "").strip()

    def deed(self) -> PieceDeed:
        """What was written, as a deed. Raises CraftError by field."""
        raise NotImplementedError


class MoveForm(PieceForm):
    """It goes to another place."""

    place = SelectField("Where to", validate_choice=False)
    shelf = IntegerField("Shelf; blank for any", [Optional()])
    stage = SelectField("What that means", validate_choice=False)

    def deed(self) -> PieceDeed:
        """The move."""
        place, stage = self.place.data or "", self.stage.data or ""
        return MovedTo(
            label=self.label.data or "",
            place=place,
            shelf=self.shelf.data or 0,
            stage=stage,
            by=self.how(),
            word=self.said(),
        )


class SealForm(PieceForm):
    """It is sealed in something."""

    seal = SelectField("Sealed", choices=choices(*SEALS.items()))
    rind = RadioField("How does the rind feel?", choices=choices(*_DRY), validators=[Optional()])

    def deed(self) -> PieceDeed:
        """The sealing."""
        how: Seal = next((each for each in SEALS if each == self.seal.data), "wrap")
        rind = int(self.rind.data) if self.rind.data else None
        return Sealed(
            label=self.label.data or "", how=how, rind=rind, by=self.how(), word=self.said()
        )


class CutForm(PieceForm):
    """It is cut into parts."""

    parts = TextAreaField("Each part: its weight, and its place")

    def deed(self) -> PieceDeed:
        """The cut. Raises CraftError for a weight that is none."""
        kgs, places = [], []
        default = self.default_place
        for line in re.split(r"[\n;]", self.parts.data or ""):
            if line.strip():
                amount, place = _split(line.strip())
                kgs.append(here().amount(amount, "mass").base)
                places.append(self.there.get(place.casefold(), place) or default)
        return CutUp(
            label=self.label.data or "",
            kgs=tuple(kgs),
            places=tuple(places),
            by=self.how(),
            word=self.said(),
        )

    default_place = ""
    there: dict[str, str] = {}  # noqa: RUF012 - the page sets it, by instance


_AMOUNT = re.compile(r"^([\d.,/¼½¾]+(?:\s*[a-z]+)?(?:\s+\d[\d./]*\s*oz)?)\s*[,:]?\s*(.*)$", re.I)


def _split(line: str) -> tuple[str, str]:
    """The weight and the place of a line like “0.45 kg fridge”, “1 lb 2 oz: freezer”."""
    found = _AMOUNT.match(line)
    if found is None:
        raise OutOfRange(f"“{line[:30]}”: write it like 0.45 kg fridge.", "parts")
    return found[1], found[2].strip()


class SeenForm(PieceForm):
    """A sign was looked at."""

    sign = HiddenField()
    step = HiddenField()

    def deed(self) -> PieceDeed:
        """The look. Raises CraftError where none was chosen."""
        step = self.step.data or ""
        if not step.isdecimal():
            raise OutOfRange("Choose which of the pictures it is most like.", "step")
        return Seen(self.sign.data or "", int(step), self.said())


class WeighForm(PieceForm):
    """It was weighed."""

    kg = AmountField("It weighs", "mass")

    def deed(self) -> PieceDeed:
        """The weighing."""
        return WeighedAgain(self.kg.base or 0.0, self.said())


class TasteForm(PieceForm):
    """It was tasted."""

    ripe = SelectField("How ripe is it?", choices=choices(*RIPE.items()))
    words = StringField("A word about it", [Length(max=300)])

    def deed(self) -> PieceDeed:
        """The taste."""
        ripe: Ripe = next((each for each in RIPE if each == self.ripe.data), "right")
        return EarlyTaste(ripe, (self.words.data or "").strip(), self.said())


class OutForm(PieceForm):
    """What became of a piece, or of a part of it."""

    where = SelectField("What became of it", choices=choices(*OUTS.items()))
    to = StringField("To whom")
    kg = AmountField("How much of it", "mass", required=False)
    why = StringField("Why, or a word about it")
    left = MomentField("It left on")

    @property
    def moment(self) -> datetime | None:
        """When it left, None for now."""
        return self.left.moment

    def deed(self) -> PieceDeed:
        """What was written."""
        to, why = ((field.data or "").strip() for field in (self.to, self.why))
        label = self.label.data or ""
        return Out(
            where=self.where.data or "", to=to, kg=self.kg.base, why=why, label=label, by=self.how()
        )


class UndoForm(FlaskForm):
    """Something did not happen."""

    back = StringField("Why it did not happen")

    def deed(self) -> PieceDeed:
        """The taking back."""
        return PieceUndone((self.back.data or "").strip())


class WhenForm(FlaskForm):
    """Something happened at another time."""

    happened = MomentField("It was at")

    def deed(self) -> PieceDeed:
        """The mending. Raises CraftError where no time was written."""
        if self.happened.moment is None:
            raise OutOfRange("Write when it was, like 2026-05-04 06:30.", "happened")
        return PieceAmended({"at": self.happened.moment.isoformat()})


FORMS: dict[str, type[PieceForm]] = {
    "moved": MoveForm,
    "sealed": SealForm,
    "cut_up": CutForm,
    "seen": SeenForm,
    "weighed_again": WeighForm,
    "early_taste": TasteForm,
    "out": OutForm,
}


def by_of_request() -> By:
    """How the page of a piece was reached: off its shelf, by its label, or by its number."""
    told = request.values.get("by", "typed")
    return next((each for each in _BY if each == told), "typed")
