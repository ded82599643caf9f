"""Forms of milk."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from datetime import datetime, time

from flask import g
from flask_wtf import FlaskForm
from wtforms import (
    BooleanField,
    HiddenField,
    RadioField,
    SelectField,
    StringField,
    TextAreaField,
)
from wtforms.validators import Optional, StopValidation

from openpail.craft.errors import CraftError
from openpail.craft.milk.acidity import SCALES, convert
from openpail.craft.milk.animals import KAPPA_WORDS
from openpail.craft.milk.kinds import BREEDS, TREATMENTS, Breed, MilkTest
from openpail.craft.milk.slip import MOST_CREAM, STREAMS, freezing_point, of_label
from openpail.web.edge import here, local, now
from openpail.web.ui.fields import AmountField, DayField, MomentField, NumberField, choices, money
from openpail.web.ui.show import number as shown
from openpail.work.dairy.stick import told_by_stick
from openpail.work.milk.lots import USES, Herd, MilkLot, NewMilk
from openpail.work.milk.noted import WORDS

HOLDING = choices(
    ("cold", "chilled, 6 °C or under"),
    ("cool", "6 to 8 °C"),
    ("cellar", "cellar-cool, 8 to 15 °C"),
    ("warm", "warm, over 15 °C"),
)
PROTEIN = choices(
    ("unknown", "it does not say"), ("true", "true protein"), ("crude", "crude protein")
)


BASIS = choices(
    ("percent", "in per cent, as a laboratory writes"), ("label", "in 100 mL, as a label writes")
)


class TestForm(FlaskForm):
    """A test slip; every part may be blank."""

    fat = NumberField("Fat %", required=False)
    protein = NumberField("Protein %", required=False)
    basis = RadioField("Fat and protein are", choices=BASIS, default="percent")
    protein_kind = RadioField("The slip’s protein is", choices=PROTEIN, default="unknown")
    casein = NumberField("Casein %", required=False)
    ph = NumberField("pH", required=False)
    ph_sample = AmountField("pH sample at", "temperature", required=False)
    lactose = NumberField("Lactose %", required=False)
    snf = NumberField("Solids not fat %", required=False)
    total_solids = NumberField("Total solids %", required=False)
    lactometer = NumberField("Lactometer", required=False)
    lactometer_at = AmountField("Lactometer at", "temperature", required=False)
    density = NumberField("Density g/mL", required=False)
    density_at = AmountField("Density at", "temperature", required=False)
    freezing = NumberField("Freezing point", required=False)
    freezing_unit = SelectField(
        "Freezing point in", choices=choices(("c", "°C"), ("h", "°H")), default="c"
    )
    acidity = NumberField("Acidity", required=False)
    acidity_scale = SelectField(
        "Acidity on", choices=choices(*((key, words) for key, (words, _) in SCALES.items()))
    )
    cells = NumberField("Cells per mL", required=False)
    plates = NumberField("Plate count per mL", required=False)
    residue = BooleanField("Residue test is positive")
    source = HiddenField(default="hand")

    def slip(self) -> MilkTest:
        """What the slip says."""
        freezing = self.freezing.number
        if freezing is not None:
            freezing = freezing_point(freezing, self.freezing_unit.data == "h")
        acidity = self.acidity.number
        if acidity is not None:
            acidity = convert(acidity, self.acidity_scale.data, "pct_la")
        slip = MilkTest(
            fat_pct=self.fat.number,
            protein_pct=self.protein.number,
            protein_kind=self.protein_kind.data,
            casein_pct=self.casein.number,
            ph=self.ph.number,
            ph_sample_c=self.ph_sample.base,
            cells_per_ml=self.cells.number,
            residue_found=bool(self.residue.data),
            lactose_pct=self.lactose.number,
            snf_pct=self.snf.number,
            total_solids_pct=self.total_solids.number,
            density_g_ml=self.density.number,
            density_c=self.density_at.base,
            lactometer=self.lactometer.number,
            lactometer_c=self.lactometer_at.base,
            freezing_point_c=freezing,
            acidity_pct=acidity,
            plates_per_ml=self.plates.number,
        )
        return of_label(slip) if self.basis.data == "label" else slip

    @property
    def is_blank(self) -> bool:
        """True when nothing was measured."""
        return self.slip() == MilkTest(protein_kind=self.slip().protein_kind)

    @property
    def way(self) -> str:
        """How the slip came: typed, or as the analyser sent it."""
        return "analyser" if self.source.data == "analyser" else "hand"

    @property
    def more_is_used(self) -> bool:
        """True when a part beyond the usual ones is filled, so that it must be seen."""
        rare = (
            self.lactose,
            self.snf,
            self.total_solids,
            self.lactometer,
            self.density,
            self.freezing,
            self.acidity,
            self.plates,
        )
        return any(field.data or field.errors for field in rare)


# which field the craft's words are about
FIELD_OF = {
    "fat_pct": "fat",
    "protein_pct": "protein",
    "casein_pct": "casein",
    "ph": "ph",
    "ph_sample_c": "ph_sample",
    "lactose_pct": "lactose",
    "snf_pct": "snf",
    "total_solids_pct": "total_solids",
    "lactometer": "lactometer",
    "lactometer_c": "lactometer_at",
    "density_g_ml": "density",
    "freezing_point_c": "freezing",
    "acidity_pct": "acidity",
    "acidity": "acidity",
    "cells_per_ml": "cells",
    "plates_per_ml": "plates",
    "celsius": "celsius",
    "amount": "amount",
    "collected_at": "milked",
}


def read_slip(test: MilkTest) -> TestForm:
    """A form filled with what the analyser measured, to be looked at before it is kept."""

    def text(value: float | None, decimals: int) -> str:
        return "" if value is None else shown(value, decimals).replace("−", "-")

    return TestForm(
        formdata=None,
        fat=text(test.fat_pct, 2),
        protein=text(test.protein_pct, 2),
        protein_kind=test.protein_kind,
        lactose=text(test.lactose_pct, 2),
        snf=text(test.snf_pct, 2),
        density=text(test.density_g_ml, 4),
        density_at="20 C" if test.density_g_ml else "",
        freezing=text(test.freezing_point_c, 3),
        source="analyser",
    )


class MilkField(AmountField):
    """So much milk, or how high it stands on the dip-stick of a vat."""

    def understand(self, text: str) -> None:
        """A volume or a mass; else a height, in the one vat that was measured or the one named."""
        try:
            super().understand(text)
        except CraftError as first:
            self.amount = told_by_stick(text, here().vats, g.dairy.spoken_system, first)


class MilkForm(TestForm):
    """New milk: amount, animal, treatment, temperature; the rest may wait."""

    amount = MilkField("How much", "volume", "mass", blank="Write how much milk there is.")
    breed = RadioField("From", validate_choice=False)
    treatment = SelectField("Treatment", choices=choices(*TREATMENTS.items()))
    celsius = AmountField("How warm when measured", "temperature", required=False)
    milked = MomentField("Milked or bought at")
    name = StringField("Call it", [Optional()])
    container = StringField("In", [Optional()])
    bought = BooleanField("Bought")
    kind = SelectField("It is", choices=choices(("milk", "milk"), *STREAMS.items()))
    price = NumberField("Price, or cost, of all of it", required=False)
    best_before = DayField("Best before")
    homogenised = BooleanField("Homogenised")
    frozen = BooleanField("Frozen and thawed")
    in_freezer = BooleanField("In the freezer now")
    frozen_on = DayField("Frozen on")
    freezer = AmountField("The freezer, how cold", "temperature", required=False)
    thawed_on = MomentField("Left the freezer")
    wanted_on = DayField("Wanted for a make on")
    skimmed = BooleanField("Skimmed by hand")
    skimmed_pct = NumberField("Cream taken off, % of it", required=False)
    holding = SelectField("Kept", choices=HOLDING)
    stage = SelectField(
        "Lactation",
        choices=choices(("", "not noted"), ("early", "early"), ("mid", "mid"), ("late", "late")),
    )
    off_smell = BooleanField("Smells off")
    colostrum = BooleanField("Within 5 days after birth (goats, ewes 7), or clots, blood, salty")
    withdrawal = BooleanField("Animal on withdrawal")

    def of(self, herds: Sequence[Herd]) -> MilkForm:
        """Offer the dairy's own animals first, then the kinds it has none of."""
        own = {herd.breed for herd in herds}
        self.herds = {str(herd.id): herd for herd in herds}
        shown = [(str(herd.id), herd.name) for herd in herds]
        shown += [
            (key, f"{words}, another’s" if key in own else words)
            for key, (_, words, _) in BREEDS.items()
        ]
        self.breed.choices = choices(*shown)
        return self

    def validate_breed(self, field: RadioField) -> None:
        """A herd of this dairy, or a kind of animal."""
        if field.data not in self.herds and field.data not in BREEDS:
            raise StopValidation("Choose whose milk it is.")

    def validate_skimmed_pct(self, field: NumberField) -> None:
        """A part of the milk, and no more than rises."""
        if field.number is not None and not 0 < field.number <= 100 * MOST_CREAM:
            raise StopValidation(f"Write how much was taken off, up to {100 * MOST_CREAM:.0f} %.")

    def validate_price(self, field: NumberField) -> None:
        """Money is not less than nothing."""
        try:
            money(field.number)
        except CraftError as error:
            raise StopValidation(error.words) from error

    def collected_at(self) -> datetime:
        """When it was milked; now when left blank."""
        return self.milked.moment or now()

    def new_milk(self) -> NewMilk:
        """The milk as it comes in."""
        moment = self.collected_at()
        assert self.amount.amount
        herd = self.herds.get(self.breed.data)
        breed = herd.breed if herd else self.breed.data
        return NewMilk(
            name=(self.name.data or "").strip() or self._name(breed, moment),
            breed=breed,
            treatment=self.treatment.data,
            amount=self.amount.amount,
            collected_at=moment,
            celsius=self.celsius.base,
            homogenised=bool(self.homogenised.data),
            frozen=bool(self.frozen.data),
            bought=bool(self.bought.data),
            best_before=self.best_before.data,
            holding=self.holding.data,
            off_smell=bool(self.off_smell.data),
            colostrum_or_sick=bool(self.colostrum.data),
            withdrawal=bool(self.withdrawal.data),
            kind=self.kind.data,
            herd=None if self.bought.data else herd,
            stage=self.stage.data,
            container=(self.container.data or "").strip(),
            price=money(self.price.number),
            in_freezer=bool(self.in_freezer.data),
            frozen_at=self._frozen_at(moment),
            freezer_c=self.freezer.base,
            thawed_at=self.thawed_on.moment,
            wanted_on=self.wanted_on.data if self.in_freezer.data else None,
            skimmed_share=self._skimmed_share(),
        )

    def _skimmed_share(self) -> float | None:
        if self.skimmed_pct.number is not None:
            return self.skimmed_pct.number / 100
        return 0.0 if self.skimmed.data else None

    def _frozen_at(self, milked: datetime) -> datetime | None:
        """At noon of the day, or as it was milked, where that was later."""
        day = self.frozen_on.data
        if day is None:
            return None
        noon = datetime.combine(day, time(12), local(milked).tzinfo)
        return milked if day == local(milked).date() else noon

    def _name(self, breed: Breed, moment: datetime) -> str:
        here = local(moment)
        if self.bought.data or self.kind.data not in (None, "milk"):
            what = STREAMS.get(self.kind.data, "milk")
            return (
                f"Shop {what}, {here:%a}" if self.bought.data else f"{what.capitalize()}, {here:%a}"
            )
        herd = self.herds.get(self.breed.data)
        half = "morning" if here.hour < 12 else "evening"
        return f"{herd.name if herd else BREEDS[breed].herd}, {here:%a} {half}"

    @property
    def marks_are_used(self) -> bool:
        """True when something beyond the usual was noted, so that it must be seen."""
        ticks = (
            self.homogenised,
            self.frozen,
            self.in_freezer,
            self.frozen_on,
            self.freezer,
            self.thawed_on,
            self.off_smell,
            self.colostrum,
            self.withdrawal,
            self.bought,
            self.price,
            self.container,
            self.best_before,
            self.wanted_on,
            self.skimmed,
            self.skimmed_pct,
        )
        return any(field.data or field.errors for field in ticks) or self.kind.data not in (
            None,
            "milk",
        )


class MendForm(FlaskForm):
    """What was noted of milk, told anew; blank leaves it as it is."""

    amount = AmountField("It was", "volume", "mass", required=False)
    milked = MomentField("Milked or bought at")
    breed = SelectField("From", validate_choice=False)

    def of(self, herds: Sequence[Herd]) -> MendForm:
        """Offer the dairy's own animals, and every kind."""
        self.herds = {str(herd.id): herd for herd in herds}
        shown = [("", "as it is noted"), *((str(herd.id), herd.name) for herd in herds)]
        self.breed.choices = choices(
            *shown, *((key, words) for key, (_, words, _) in BREEDS.items())
        )
        return self

    def whose(self) -> tuple[Breed | None, Herd | None]:
        """Whose milk it is after all; None for as it was noted."""
        herd = self.herds.get(self.breed.data or "")
        if herd:
            return herd.breed, herd
        return next((each for each in BREEDS if each == self.breed.data), None), None


class SkimForm(FlaskForm):
    """Cream taken off a lot by hand."""

    amount = AmountField("Cream taken off", "volume", blank="Write how much cream it is.")


class AwayForm(FlaskForm):
    """Milk that goes elsewhere than into a make."""

    kind = RadioField(
        "It was",
        choices=choices(*((k, words) for k, words in USES.items() if k != "skimmed")),
        default="fed",
    )
    amount = AmountField("How much", "volume", required=False)
    note = StringField("To whom, or why")


class NotedForm(FlaskForm):
    """What came out of a lot later."""

    fact = RadioField("What came out", choices=choices(*WORDS.items()), validate_choice=False)
    why = StringField("How it came out, a word")


class TakenBackForm(FlaskForm):
    """What was told of a lot is not so after all."""

    why = StringField("Why it is not so")


class HerdForm(FlaskForm):
    """A group of animals."""

    name = StringField("Name")
    breed = SelectField(
        "Animal",
        choices=choices(("", "choose"), *((k, each.words) for k, each in BREEDS.items())),
        validate_choice=False,
    )
    why = StringField("How it came")
    head = NumberField("How many", required=False)
    kappa = SelectField("κ-casein of cows", choices=choices(*KAPPA_WORDS.items()))

    def count(self) -> int | None:
        """How many animals, None when not said."""
        return None if self.head.number is None else round(self.head.number)

    def validate_head(self, field: NumberField) -> None:
        """A whole number."""
        if field.number is not None and not 1 <= field.number <= 10_000:
            raise StopValidation("Write how many animals, 1 or more.")


class MilkFileForm(FlaskForm):
    """A file of slips, pasted or uploaded."""

    text = TextAreaField("Paste the file here")


def lot_id_of(text: str, lots: Sequence[MilkLot]) -> uuid.UUID | None:
    """The lot that a file means by a number or a name, None for none."""
    plain = text.strip().lower()
    for lot in reversed(lots):
        if plain in (str(lot.number), f"lot {lot.number}", lot.name.lower()):
            return lot.id
    return None
