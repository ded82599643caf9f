"""The form of a recipe: what is typed, kept as typed, and the recipe that it makes.

The fields are one flat form (`steps-3-title`), so that a draft is simply what was sent. A part's
`key` stays with it when it moves; what no field shows of a part is taken from the document that
the draft is written over.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, get_args

from werkzeug.datastructures import MultiDict
from wtforms import (
    BooleanField,
    FieldList,
    Form,
    FormField,
    HiddenField,
    SelectField,
    SelectMultipleField,
    StringField,
    TextAreaField,
)
from wtforms.validators import Length

from openpail.craft.cave.signs import SIGN_WORDS
from openpail.craft.milk.kinds import BREEDS, TREATMENTS
from openpail.craft.recipe.cares import CARE_KINDS
from openpail.craft.recipe.recipe import (
    StepKind,
)
from openpail.craft.stock.products import FORMS, KIND_WORDS, KINDS, SORTS
from openpail.formats.recipe_words import FAMILIES
from openpail.web.ui.fields import (
    IN_A_ROOM_C,
    AmountField,
    LengthField,
    NumberField,
    TurnsField,
    choices,
)

Flat = dict[str, list[str]]
_ASKS = (
    ("temperature", "temperature"),
    ("ph", "pH"),
    ("flocks", "first flocks"),
    ("weight", "weight, the last step only"),
)
_BASIS = (
    ("batch", "for this milk"),
    ("percent_of_curd", "per cent of the curd, before the press"),
    ("percent_of_cheese", "per cent of the cheese, on its rind or in its folds"),
    ("percent_of_milk", "per cent of the milk"),
)
_CLOCKS = (
    ("fixed", "as written here"),
    ("flocculation", "the time to the first flocks"),
    ("cut", "from the flocks to the cut"),
)
_MATTERS = (("daily", "a day late is too late"), ("weekly", "within the week"), ("once", "once"))


class ReferenceForm(Form):
    """One milk that the recipe is written for."""

    breed = SelectField("Of", choices=choices(*((k, each.words) for k, each in BREEDS.items())))
    treatment = SelectField("Heat", choices=choices(*TREATMENTS.items()))
    stream = SelectField("It is", choices=choices(("milk", "milk"), ("whey", "whey of a make")))
    volume = AmountField("How much", "volume")
    homogenised = BooleanField("homogenised")
    fat = NumberField("Fat, %", required=False)
    protein = NumberField("Protein, %", required=False)


class IngredientForm(Form):
    """One thing that goes in, by its label, with its amount."""

    key = HiddenField()
    kind = SelectField("It is", choices=choices(*((kind, KIND_WORDS[kind]) for kind in KINDS)))
    label = StringField("By its label", [Length(max=120)])
    amount = StringField("How much")
    basis = SelectField("that is", choices=choices(*_BASIS))
    sort = SelectField("Sort", validate_choice=False)
    form = SelectField("Form", validate_choice=False)
    strength = NumberField("Strength", required=False)
    scale = SelectField(
        "counted in",
        validate_choice=False,
        choices=choices(
            ("imcu", "IMCU"), ("soxhlet", "1 : N"), ("mg", "mg/L"), ("dose", "L of milk for one")
        ),
    )
    counts = SelectField(
        "of",
        validate_choice=False,
        choices=choices(
            ("dihydrate", "dihydrate"), ("anhydrous", "anhydrous"), ("hexahydrate", "hexahydrate")
        ),
    )
    per = SelectField(
        "in",
        validate_choice=False,
        choices=choices(("w/v", "g in 100 mL"), ("w/w", "g in 100 g"), ("dry", "dry")),
    )
    serves = AmountField("Milk one is for", "volume", required=False)
    stands_salt = BooleanField("works in salted milk")
    portions = NumberField("In so many equal parts", required=False)
    days = NumberField("On the rind, on so many days", required=False)
    words = TextAreaField("How it goes in")

    def offer(self) -> None:
        """Offer the sorts and forms of its kind."""
        kind = self.kind.data or "other"
        self.sort.choices = choices(("", "it does not say"), *SORTS.get(kind, {}).items())
        self.form.choices = choices(("", "the usual"), *((f, f) for f in FORMS.get(kind, ())))


class StepForm(Form):
    """One step of the make."""

    key = HiddenField()
    kind = SelectField("Kind", choices=choices(*((k, k) for k in get_args(StepKind))))
    title = StringField("What is done", [Length(max=120)])
    minutes = LengthField("It takes")
    hands = LengthField("of it by hand")
    stretch = LengthField("may run longer by", required=False)
    clock = SelectField("Its length is", choices=choices(*_CLOCKS))
    celsius = AmountField("Warmth", "temperature", required=False)
    celsius_low = AmountField("from", "temperature", required=False)
    celsius_high = AmountField("to", "temperature", required=False)
    ph = NumberField("pH", required=False)
    ph_low = NumberField("from", required=False)
    ph_high = NumberField("to", required=False)
    adds = SelectMultipleField("Goes in here", validate_choice=False)
    asks = SelectMultipleField("Asks for", choices=choices(*_ASKS))
    cut_mm = AmountField("Cut to", "length", required=False, in_mm=True)
    load = AmountField("Weight on the mould", "mass", required=False)
    brine = NumberField("Brine, % salt", required=False)
    most_salt = NumberField("Takes up at most, % salt", required=False)
    share = NumberField("Whey off, % of the milk", required=False)
    times = TurnsField("Turned so many times, or after so many min each", required=False)
    words = TextAreaField("How")
    sign = TextAreaField("Look for")
    goes_wrong = TextAreaField("If it goes wrong")
    leave = StringField("It may be left")


class CareForm(Form):
    """One care of a stage."""

    key = HiddenField()
    words = StringField("What", [Length(max=160)])
    every = LengthField("every", "d")
    begins = LengthField("from day", "d", required=False)
    matters = SelectField("and", choices=choices(*_MATTERS))
    kind = SelectField(
        "The hands",
        choices=choices(("", "as its words say"), *CARE_KINDS.items()),
        validate_choice=False,
    )
    times = NumberField("times a day", required=False)
    brine = NumberField("Brine, %", required=False)


class StageForm(Form):
    """One stage of ripening."""

    key = HiddenField()
    place = StringField("Where", [Length(max=80)])
    days = LengthField("How long", "d")
    celsius = AmountField("Warmth", "temperature", likely_c=IN_A_ROOM_C)
    celsius_low = AmountField("from", "temperature", required=False, likely_c=IN_A_ROOM_C)
    celsius_high = AmountField("to", "temperature", required=False, likely_c=IN_A_ROOM_C)
    humidity = NumberField("Humidity, %", required=False)
    humidity_low = NumberField("from", required=False)
    humidity_high = NumberField("to", required=False)
    brine = NumberField("Lies in brine of, % salt", required=False)
    brine_per_kg = NumberField("kg of it for each kg", required=False)
    ends_when = StringField("It ends when")
    sign = SelectField(
        "Seen or felt by",
        choices=choices(("", "nothing drawn"), *SIGN_WORDS.items()),
        validate_choice=False,
    )
    cares = FieldList(FormField(CareForm))


class RecipeForm(Form):
    """A whole recipe."""

    name = StringField("Name", [Length(max=80)])
    family = SelectField("Family", choices=choices(*FAMILIES.items()))
    words = TextAreaField("In a sentence or two")
    renneting = AmountField("Rennet goes in at", "temperature", required=False)
    ph_drop = NumberField("pH falls before the rennet by", required=False)
    cut_multiplier = NumberField("Cut after so many times the flocks", required=False)
    acid_target_ph = NumberField("Acid down to pH", required=False)
    eat_by = LengthField("Eat within", "d", required=False)
    moisture = NumberField("Moisture of its cheese, %", required=False)
    pieces = NumberField("Pieces", required=False)
    piece = AmountField("each of", "mass", required=False)
    across = AmountField("Mould, across", "length", required=False)
    side = AmountField("its other side", "length", required=False)
    height = AmountField("and how high", "length", required=False)
    stacked = BooleanField("one on the other in the press")
    ready_words = StringField("Ready when")
    other_milks = TextAreaField("How other milks behave in it")
    whose = StringField("Whose recipe is this")
    source = TextAreaField("As it was written")
    ratio_by = SelectField(
        "Milks hold a ratio",
        validate_choice=False,
        choices=choices(
            ("", "no"), ("volume", "by volume"), ("mass", "by weight"), ("casein", "by casein")
        ),
    )
    ratio_cow = StringField("cow, %")
    ratio_goat = StringField("goat, %")
    ratio_sheep = StringField("sheep, %")
    ratio_buffalo = StringField("buffalo, %")
    reference = FieldList(FormField(ReferenceForm))
    ingredients = FieldList(FormField(IngredientForm))
    steps = FieldList(FormField(StepForm))
    stages = FieldList(FormField(StageForm))
    why = StringField("Why", [Length(max=200)])

    @classmethod
    def of(cls, flat: Flat) -> RecipeForm:
        """The form as it was typed."""
        form = cls(formdata=MultiDict((k, v) for k, values in flat.items() for v in values))
        for each in form.ingredients:
            each.form.offer()
        adds = choices(
            *((each.form.key.data or "", each.form.label.data or "?") for each in form.ingredients)
        )
        for each in form.steps:
            each.form.adds.choices = adds
        return form


def faults(form: RecipeForm) -> list[tuple[str, str]]:
    """Where something is not understood: the id of the part's place, and the words."""
    found: list[tuple[str, str]] = []

    def look(fields: Iterable[Any], place: str) -> None:
        for field in fields:
            if isinstance(field, FieldList):
                for number, entry in enumerate(field):
                    look(entry.form, place or f"{field.short_name}-{number}")
            elif field.errors:
                found.append((place, f"{field.label.text}: {' '.join(map(str, field.errors))}"))

    look(form, "")
    return found
