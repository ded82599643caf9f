"""Forms of milk."""

from __future__ import annotations

from datetime import datetime

from flask_wtf import FlaskForm
from wtforms import BooleanField, RadioField, SelectField, StringField
from wtforms.validators import Optional, StopValidation

from openpail.craft.milk import BREEDS, TREATMENTS, MilkTest
from openpail.records.milk.actions import NewMilk
from openpail.web.edge import local, now, zone
from openpail.web.ui.fields import AmountField, NumberField, choices

HOLDING = choices(
    ("cold", "chilled, 6 °C or under"),
    ("cellar", "cellar-cool, 8 to 15 °C"),
    ("warm", "warm, over 15 °C"),
)
PROTEIN = choices(
    ("unknown", "it does not say"), ("true", "true protein"), ("crude", "crude protein")
)


class TestForm(FlaskForm):
    """A test slip; every part may be blank."""

    fat = NumberField("Fat %", required=False)
    protein = NumberField("Protein %", required=False)
    protein_kind = RadioField("The slip’s protein is", choices=PROTEIN, default="unknown")
    casein = NumberField("Casein %", required=False)
    ph = NumberField("pH", required=False)
    ph_sample = AmountField("pH sample at", "temperature", required=False)
    cells = NumberField("Cells per mL", required=False)
    residue = BooleanField("Residue test is positive")

    def slip(self) -> MilkTest:
        """What the slip says."""
        return MilkTest(
            self.fat.number,
            self.protein.number,
            self.protein_kind.data,
            self.casein.number,
            self.ph.number,
            self.ph_sample.base,
            self.cells.number,
            bool(self.residue.data),
        )

    @property
    def is_blank(self) -> bool:
        """True when nothing was measured."""
        return self.slip() == MilkTest(protein_kind=self.protein_kind.data)


class MilkForm(TestForm):
    """New milk: amount, animal, treatment, temperature; the rest may wait."""

    amount = AmountField("How much", "volume", "mass", blank="Write how much milk there is.")
    breed = RadioField("From", choices=choices(*((k, words) for k, (_, words) in BREEDS.items())))
    treatment = SelectField("Treatment", choices=choices(*TREATMENTS.items()))
    celsius = AmountField("Measured at", "temperature", required=False)
    milked = StringField("Milked or bought at", [Optional()])
    name = StringField("Call it", [Optional()])
    bought = BooleanField("From a shop")
    homogenised = BooleanField("Homogenised")
    frozen = BooleanField("Frozen and thawed")
    holding = SelectField("Kept", choices=HOLDING)
    off_smell = BooleanField("Smells off")
    colostrum = BooleanField("Within 5 days after birth, or clots, blood, salty")
    withdrawal = BooleanField("Animal on withdrawal")

    def validate_milked(self, field: StringField) -> None:
        """The time as the browser's own field writes it."""
        try:
            self.collected_at()
        except ValueError:
            raise StopValidation("Write the day and time, like 2026-05-04 06:30.") from None

    def collected_at(self) -> datetime:
        """When it was milked, in UTC; now when left blank."""
        if not self.milked.data:
            return now()
        return datetime.fromisoformat(self.milked.data.strip()).replace(tzinfo=zone())

    def new_milk(self) -> NewMilk:
        """The milk as it comes in."""
        moment = self.collected_at()
        assert self.amount.amount
        return NewMilk(
            self.name.data.strip() or _name(self.breed.data, moment),
            self.breed.data,
            self.treatment.data,
            self.amount.amount,
            moment,
            self.celsius.base,
            bool(self.homogenised.data),
            bool(self.frozen.data),
            bool(self.bought.data),
            None,
            self.holding.data,
            bool(self.off_smell.data),
            bool(self.colostrum.data),
            bool(self.withdrawal.data),
        )


_HERDS = {
    "cow_lowland": "Cows", "cow_high_solids": "High-solids cows", "goat": "Goats",
    "goat_dwarf": "Dwarf goats", "sheep": "Ewes", "buffalo": "Buffalo",
}  # fmt: skip


def _name(breed: str, moment: datetime) -> str:
    here = local(moment)
    half = "morning" if here.hour < 12 else "evening"
    return f"{_HERDS[breed]}, {here:%a} {half}"
