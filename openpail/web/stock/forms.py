"""The forms of the stock: a label of each kind, a weighing, a feeding, a solution of one's own."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from flask import g
from flask_wtf import FlaskForm
from wtforms import BooleanField, SelectField, StringField, TextAreaField
from wtforms.validators import Length

from openpail.craft.errors import OutOfRange
from openpail.craft.stock.jar import SMELLS
from openpail.craft.stock.labels import SCALE_WORDS, asked_of_label, read_label
from openpail.craft.stock.products import FORMS, SORTS, Product, Scale
from openpail.craft.units import parse_amount, parse_number
from openpail.web.edge import house
from openpail.web.ui.fields import AmountField, DayField, NumberField, choices, money, written
from openpail.work.dairy.stock import Bottle, Bought

_FORM_WORDS = {
    "units": "freeze-dried, by the unit",
    "cubes": "frozen cubes",
    "jar": "a jar that is fed",
    "one-packet": "one packet, rennet included",
    "mother": "mother culture, liquid",
    "packet": "pieces or packets",
}
_COUNTS = (
    ("dihydrate", "dihydrate (or it does not say)"),
    ("anhydrous", "anhydrous"),
    ("hexahydrate", "hexahydrate"),
)
_STRENGTH_WORDS = {
    "rennet": "Strength on the label",
    "calcium": "Its per cent",
    "acid": "Its per cent of acid",
}
# Which parts of a label belong to which kind; the rest is asked of every one.
_ASKED: Mapping[str, tuple[str, ...]] = {
    "rennet": ("strength", "scale", "sure", "drops"),
    "calcium": ("strength", "counts", "per", "drops"),
    "acid": ("strength", "drops"),
    "culture": ("serves", "size", "raw", "stands_salt"),
    "mould": ("serves",),
    "propionic": ("serves",),
    "protective": ("serves",),
    "lipase": ("serves",),
    "colour": ("serves", "drops"),
}
_TICKS = ("raw", "stands_salt")
_OPTIONAL = (
    "sort",
    "form",
    "strength",
    "scale",
    "counts",
    "per",
    "serves",
    "size",
    "sure",
    "drops",
    *_TICKS,
)


class StrengthField(NumberField):
    """The strength of a bottle; of a rennet in the words of its label too: "520 mg/L", "30 mL for
    100 L". `number` and `scale` after validation, the scale None where the words do not say."""

    def __init__(self, label: str, **more: Any) -> None:
        super().__init__(label, **more)
        self.scale: Scale | None = None

    def understand(self, text: str) -> None:
        """Read the label. Raises: as `read_label`."""
        found = read_label(text.strip().rstrip("%"), g.dairy.volume_system)
        self.number, self.scale = found.strength, found.scale


class LabelForm(FlaskForm):
    """A lot by its label. Which parts it asks depends on the kind: see `of`."""

    label = StringField("By its label", [Length(max=120)])
    sort = SelectField("Sort", validate_choice=False)
    form = SelectField("Form", validate_choice=False)
    strength = StrengthField("Strength", required=False)
    scale = SelectField("which counts", choices=choices(*SCALE_WORDS.items()))
    sure = BooleanField("it is IMCU, all the same")
    counts = SelectField("of", choices=choices(*_COUNTS))
    per = SelectField(
        "in", choices=choices(("w/v", "g in 100 mL"), ("w/w", "g in 100 g"), ("dry", "dry flakes"))
    )
    serves = AmountField("Milk that one g, mL or piece is for", "volume", required=False)
    size = NumberField("One cube, mL", required=False)
    raw = BooleanField("grown in raw milk")
    stands_salt = BooleanField("works in salted milk, by its label")
    amount = StringField("How much of it")
    kept = SelectField(
        "Kept in the", choices=choices(*((place, place) for place in ("fridge", "freezer", "room")))
    )
    place = StringField("Where exactly", [Length(max=80)])
    drops = NumberField("Drops in 1 mL", required=False)
    per_tsp = NumberField("A level teaspoon, g", required=False)
    bought_on = DayField("Bought on")
    opened_on = DayField("Opened on")
    best_before = DayField("Best before")
    price = NumberField("Price", required=False)
    supplier_lot = StringField("Supplier’s lot", [Length(max=60)])

    def of(self, kind: str) -> LabelForm:
        """Ask what belongs to this kind, and no more."""
        asked = _ASKED.get(kind, ())
        sorts = SORTS.get(kind, {})
        forms = FORMS[kind]
        for name in _OPTIONAL:
            wanted = {"sort": bool(sorts), "form": len(forms) > 1}.get(name, name in asked)
            if not wanted:
                del self[name]
        if kind == "ware":
            del self.per_tsp
        if "sort" in self:
            self.sort.choices = choices(("", "it does not say"), *sorts.items())
        if "form" in self:
            self.form.choices = choices(*((each, _FORM_WORDS.get(each, each)) for each in forms))
        if "strength" in self:
            self.strength.label.text = _STRENGTH_WORDS[kind]
        return self

    def product(self, kind: str) -> Product:
        """The label as craft sees it."""
        parts = ("sort", "form", "scale", "counts", "per", *_TICKS)
        told: dict[str, Any] = {
            name: self[name].data for name in parts if name in self and self[name].data is not None
        }
        if told.get("form", "") not in ("", *FORMS[kind]):
            del told["form"]
        if kind == "calcium" and told.get("form") == "powder":
            told["per"] = "dry"
        if kind == "acid" and told.get("form") == "powder":
            told["per"] = "dry"
        if "scale" in self and self.strength.scale:
            told["scale"] = self.strength.scale
        for name, part in (
            ("strength", "strength"),
            ("serves", "serves_l"),
            ("size", "size_ml"),
            ("drops", "drops_per_ml"),
        ):
            if name in self:
                told[part] = self[name].base if name == "serves" else self[name].number
        found = Product(
            kind=kind,  # type: ignore[arg-type]
            name=self.label.data or "",
            kept=self.kept.data,
            g_per_tsp=self.per_tsp.number if "per_tsp" in self else None,
            **told,
        )
        asked = asked_of_label(found, house())
        if asked and not self.sure.data:
            raise OutOfRange(asked, "sure")
        return found

    def bought(self, unit: str) -> Bought:
        """How it came in. Raises CraftError about the amount."""
        return Bought(
            opened_on=self.opened_on.data,
            best_before=self.best_before.data,
            bought_on=self.bought_on.data,
            amount=amount_in(self.amount.data or "", unit),
            price=money(self.price.number),
            supplier_lot=(self.supplier_lot.data or "").strip(),
            place=(self.place.data or "").strip(),
        )


def amount_in(text: str, unit: str) -> float | None:
    """An amount in a lot's unit: "250", "250 mL", "1 lb"; None when blank. Raises CraftError."""
    text = text.strip()
    if not text:
        return None
    if unit == "mL":
        return 1000 * parse_amount(text, "volume", g.dairy.volume_system, "mL").base
    if unit == "g":
        return 1000 * parse_amount(text, "mass", g.dairy.volume_system, "g").base
    return parse_number(text.lower().removesuffix(f"{unit}s").removesuffix(unit))


def label_of(lot: Bottle) -> dict[str, Any]:
    """What a lot's label form begins with."""
    numbers = {
        "strength": lot.strength,
        "size": lot.size_ml,
        "per_tsp": lot.g_per_tsp,
        "drops": lot.drops_per_ml,
        "amount": lot.bought,
        "price": lot.price,
    }
    same = (
        "sort",
        "form",
        "scale",
        "counts",
        "per",
        *_TICKS,
        "kept",
        "place",
        "bought_on",
        "opened_on",
        "best_before",
        "supplier_lot",
    )
    return {
        "label": lot.name,
        "serves": written(lot.serves_l, "volume"),
        **{key: getattr(lot, key) for key in same},
        **{key: f"{value:g}" for key, value in numbers.items() if value is not None},
    }


class WeighLotForm(FlaskForm):
    """What is left, by the scale or the eye."""

    left = StringField("What is left, weighed")


class FeedingForm(FlaskForm):
    """A jar's feeding, or what became of one."""

    set_hours = NumberField("Hours until it set", required=False)
    smell = SelectField("It smells", choices=choices(*SMELLS.items()))
    ph = NumberField("pH, if measured", required=False)
    note = StringField("Note", [Length(max=200)])


class SolutionForm(FlaskForm):
    """Calcium chloride solution from flakes."""

    counts = SelectField("The flakes are", choices=choices(*_COUNTS))
    purity = NumberField("Pure to, %")
    wanted = NumberField("Wanted, g anhydrous in 100 mL")
    ml = NumberField("How much of it, mL")


class StockFileForm(FlaskForm):
    """A file of lots, pasted."""

    text = TextAreaField("Or paste it here")
