"""The form of a recipe: what is typed, kept as typed, and the recipe that it makes.

The fields are one flat form (`steps-3-title`), so that a draft is simply what was sent. A part's
`key` stays with it when it moves; what no field shows of a part is taken from the document that
the draft is written over.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from itertools import count
from typing import Any, get_args

from flask import g
from werkzeug.datastructures import MultiDict
from wtforms import (
    BooleanField,
    Field,
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

from openpail.craft.errors import CraftError
from openpail.craft.house import House
from openpail.craft.measures import in_its_unit
from openpail.craft.milk import BREEDS, TREATMENTS
from openpail.craft.products import FORMS, KIND_WORDS, KINDS, SORTS, Product
from openpail.craft.recipe import (
    Band,
    Care,
    Ingredient,
    RatioRule,
    Recipe,
    RecipeStep,
    ReferencePart,
    Stage,
    StepKind,
)
from openpail.craft.units import UNITS, convert, from_celsius, parse_number
from openpail.formats.recipe_text import free_key, slug
from openpail.formats.recipe_words import FAMILIES, STEP_WORDS, USUAL_MINUTES
from openpail.web.ui import show
from openpail.web.ui.fields import (
    AmountField,
    LengthField,
    NumberField,
    blame,
    choices,
    default_unit,
)

Flat = dict[str, list[str]]
_SPECIES = ("cow", "goat", "sheep", "buffalo")
_ASKS = (("temperature", "temperature"), ("ph", "pH"), ("flocks", "first flocks"),
         ("weight", "weight, the last step only"))  # fmt: skip
_BASIS = (("batch", "for this milk"), ("percent_of_curd", "per cent of the curd"),
          ("percent_of_milk", "per cent of the milk"))  # fmt: skip
_CLOCKS = (("fixed", "as written here"), ("flocculation", "the time to the first flocks"),
           ("cut", "from the flocks to the cut"))  # fmt: skip
_MATTERS = (("daily", "a day late is too late"), ("weekly", "within the week"), ("once", "once"))


class ReferenceForm(Form):
    """One milk that the recipe is written for."""

    breed = SelectField("Of", choices=choices(*((k, words) for k, (_, words) in BREEDS.items())))
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
    scale = SelectField("counted in", validate_choice=False,
                        choices=choices(("imcu", "IMCU"), ("soxhlet", "1 : N")))  # fmt: skip
    counts = SelectField("of", validate_choice=False,
                         choices=choices(("dihydrate", "dihydrate"), ("anhydrous", "anhydrous"),
                                         ("hexahydrate", "hexahydrate")))  # fmt: skip
    per = SelectField("in", validate_choice=False,
                      choices=choices(("w/v", "g in 100 mL"), ("w/w", "g in 100 g"),
                                      ("dry", "dry")))  # fmt: skip
    serves = NumberField("Litres of milk one is for", required=False)
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
    cut_mm = NumberField("Cut to, mm", required=False)
    load = AmountField("Weight on the mould", "mass", required=False)
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


class StageForm(Form):
    """One stage of ripening."""

    key = HiddenField()
    place = StringField("Where", [Length(max=80)])
    days = LengthField("How long", "d")
    celsius = AmountField("Warmth", "temperature")
    celsius_low = AmountField("from", "temperature", required=False)
    celsius_high = AmountField("to", "temperature", required=False)
    humidity = NumberField("Humidity, %", required=False)
    humidity_low = NumberField("from", required=False)
    humidity_high = NumberField("to", required=False)
    ends_when = StringField("It ends when")
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
    eat_by = LengthField("Eat within", "d")
    ready_words = StringField("Ready when")
    other_milks = TextAreaField("How other milks behave in it")
    ratio_by = SelectField(
        "Milks hold a ratio",
        validate_choice=False,
        choices=choices(("", "no"), ("volume", "by volume"), ("mass", "by weight"),
                        ("casein", "by casein")),
    )  # fmt: skip
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
        adds = choices(*((each.form.key.data or "", each.form.label.data or "?")
                         for each in form.ingredients))  # fmt: skip
        for each in form.steps:
            each.form.adds.choices = adds
        return form


# ── from a recipe to what is typed ──


def typed(recipe: Recipe) -> Flat:
    """A recipe as the fields of its form, in the dairy's units."""
    flat: dict[str, Any] = {
        "name": recipe.name, "family": recipe.family, "words": recipe.words,
        "renneting": _warm(recipe.renneting_c), "ph_drop": _plain(recipe.ripening_ph_drop or None),
        "cut_multiplier": _plain(recipe.cut_multiplier),
        "acid_target_ph": _plain(recipe.acid_target_ph),
        "eat_by": f"{recipe.eat_by_days} days" if recipe.eat_by_days else "",
        "ready_words": recipe.ready_words, "other_milks": recipe.other_milks,
        "ratio_by": recipe.ratio.by if recipe.ratio else "",
    }  # fmt: skip
    for species, low, high in recipe.ratio.shares if recipe.ratio else ():
        low, high = round(100 * low, 2), round(100 * high, 2)
        flat[f"ratio_{species}"] = _plain(low) if low == high else f"{low:g} to {high:g}"
    for name, parts, fields in (
        ("reference", recipe.reference, _typed_reference),
        ("ingredients", recipe.ingredients, _typed_ingredient),
        ("steps", recipe.steps, _typed_step),
        ("stages", recipe.stages, _typed_stage),
    ):
        for number, part in enumerate(parts):
            flat |= {f"{name}-{number}-{k}": v for k, v in fields(part).items()}  # type: ignore[operator]
    return _flat(flat)


def _flat(values: Mapping[str, Any]) -> Flat:
    return {
        key: list(value) if isinstance(value, (list, tuple)) else [str(value)]
        for key, value in values.items()
        if value not in ("", None, False, (), [])
    }


def _plain(value: float | None) -> str:
    """A number whole enough that reading it back gives the same."""
    return "" if value is None else f"{value:.7g}"


def _warm(celsius: float | None) -> str:
    if celsius is None:
        return ""
    return f"{from_celsius(celsius, g.dairy.degrees):.6g} {show.degree_sign()}"


def _volume(litres: float) -> str:
    key = default_unit("volume")
    return f"{_plain(convert(litres, 'L', key))} {UNITS[key].sign}"


def _mass(kg: float | None) -> str:
    key = default_unit("mass")
    return "" if kg is None else f"{_plain(convert(kg, 'kg', key))} {key}"


def _long(minutes: float) -> str:
    return show.span(minutes) if minutes == round(minutes) else f"{_plain(minutes)} min"


def _typed_band(name: str, band: Band | None, warm: bool) -> dict[str, str]:
    if band is None:
        return {}
    write = _warm if warm else _plain
    return {name: write(band.target), f"{name}_low": write(band.low),
            f"{name}_high": write(band.high)}  # fmt: skip


def _typed_reference(part: ReferencePart) -> dict[str, Any]:
    return {"breed": part.breed, "treatment": part.treatment, "stream": part.stream,
            "volume": _volume(part.volume_l),
            "homogenised": "y" if part.homogenised else "",
            "fat": _plain(part.fat_pct), "protein": _plain(part.protein_pct)}  # fmt: skip


def _typed_ingredient(each: Ingredient) -> dict[str, Any]:
    product, unit = each.product, "" if each.basis != "batch" else f" {each.unit}"
    return {"key": each.key, "kind": product.kind, "label": product.name,
            "amount": f"{_plain(each.amount)}{unit}", "basis": each.basis, "sort": product.sort,
            "form": product.form, "strength": _plain(product.strength), "scale": product.scale,
            "counts": product.counts, "per": product.per, "serves": _plain(product.serves_l),
            "words": each.words}  # fmt: skip


def _typed_step(step: RecipeStep) -> dict[str, Any]:
    return {"key": step.key, "kind": step.kind, "title": step.title,
            "minutes": _long(step.minutes), "hands": _long(step.hands_on_minutes),
            "stretch": _long(step.may_stretch_minutes) if step.may_stretch_minutes else "",
            "clock": step.clock, **_typed_band("celsius", step.celsius, True),
            **_typed_band("ph", step.ph, False), "adds": step.adds, "asks": step.asks,
            "cut_mm": _plain(step.cut_mm),
            "load": _mass(step.load_kg),
            "words": step.words, "sign": step.sign, "goes_wrong": step.goes_wrong,
            "leave": step.leave}  # fmt: skip


def _typed_stage(stage: Stage) -> dict[str, Any]:
    cares = {
        f"cares-{i}-{k}": v
        for i, care in enumerate(stage.cares)
        for k, v in {
            "key": care.key, "words": care.words, "every": f"{care.every_days} d",
            "begins": f"{care.from_day} d", "matters": care.matters,
        }.items()
    }  # fmt: skip
    return {"key": stage.key, "place": stage.place, "days": f"{stage.days} d",
            **_typed_band("celsius", stage.celsius, True),
            **_typed_band("humidity", stage.humidity_pct, False),
            "ends_when": stage.ends_when, **cares}  # fmt: skip


# ── from what is typed to a recipe ──


def recipe_of(form: RecipeForm, over: Recipe | None, key: str | None, house: House) -> Recipe:
    """The recipe that the fields make, with a stand-in where one is not understood.

    Parameters: form, validated; over, the recipe it changes or comes from; key, None to make one
    of the name; house. A field that is not understood carries its words in `errors`: see `faults`.
    """
    if not (form.name.data or "").strip():
        blame(form.name, "Give it a name.")
    name = (form.name.data or "").strip() or "A recipe without a name"
    if form.eat_by.days is not None and form.eat_by.days > 5000:
        blame(form.eat_by, "That is longer than anybody waits.")
    return Recipe(
        key=key or slug(name),
        name=name,
        family=form.family.data if form.family.data in FAMILIES else "tomme",
        words=_text(form.words),
        reference=tuple(_reference(each.form) for each in form.reference),
        ingredients=tuple(_ingredient(each.form, over, house) for each in form.ingredients),
        steps=tuple(_step(each.form) for each in form.steps),
        stages=tuple(_stage(each.form) for each in form.stages),
        eat_by_days=min(5000, form.eat_by.days or 0),
        renneting_c=_within(form.renneting, _exact(form.renneting.base), 10, 45, show.degrees),
        ripening_ph_drop=_within(form.ph_drop, form.ph_drop.number, 0, 2.5) or 0.0,
        cut_multiplier=_within(form.cut_multiplier, form.cut_multiplier.number, 1, 10),
        acid_target_ph=_within(form.acid_target_ph, form.acid_target_ph.number, 4, 6.6),
        ratio=_ratio(form),
        ready_words=_text(form.ready_words),
        other_milks=_text(form.other_milks),
    )


def _text(field: Field) -> str:
    return (field.data or "").strip().replace("\r\n", "\n")


def _exact(value: float | None) -> float | None:
    """A measure read back from another unit, as it was: a gallon’s last digit is no change."""
    return None if value is None else round(value, 3)


def _within(field: Field, value: float | None, low: float, high: float, say: Any = None
            ) -> float | None:  # fmt: skip
    """The value when it lies within what a recipe may say, else None with words by the field."""
    if value is None or low <= value <= high:
        return value
    say = say or (lambda number: f"{number:g}")
    blame(field, f"This lies between {say(low)} and {say(high)}.")
    return None


def _band(form: Form, name: str, usual: float, low: float, high: float) -> Band | None:
    def read(part: str) -> float | None:
        field = form[part]
        value = field.base if isinstance(field, AmountField) else field.number
        warm = isinstance(field, AmountField)
        return _within(field, value, low, high, show.degrees if warm else None)

    target, least, most = read(name), read(f"{name}_low"), read(f"{name}_high")
    if target is None:
        return None
    band = Band(round(target, 3), round(target - usual if least is None else least, 3),
                round(target + usual if most is None else most, 3))  # fmt: skip
    if not band.low <= band.target <= band.high:
        blame(form[name], "It lies outside its own band.")
        return Band(band.target, min(band.low, band.target), max(band.high, band.target))
    return band


def _reference(form: Any) -> ReferencePart:
    litres = _within(form.volume, _exact(form.volume.base), 0.05, 10_000, show.volume)
    return ReferencePart(form.breed.data, form.treatment.data, litres or 1.0,
                         form.stream.data or "milk", bool(form.homogenised.data),
                         _within(form.fat, form.fat.number, 0, 60),
                         _within(form.protein, form.protein.number, 0.5, 12))  # fmt: skip


_ASKED = {"serves_l": "serves"}


def _one_of(field: SelectField) -> Any:
    values = [choice.value for choice in field.choices or ()]
    return field.data if field.data in values else values[0]


def _ingredient(form: Any, over: Recipe | None, house: House) -> Ingredient:
    kind, key = form.kind.data or "other", form.key.data or "part"
    before = next((e for e in over.ingredients if e.key == key), None) if over else None
    base = before.product if before and before.product.kind == kind else Product(kind, "")
    label = _text(form.label)
    if not label:
        blame(form.label, "Write what its label says.")
    asked = {  # what is not asked of a kind stays as it was
        "sort": form.sort.data if form.sort.data in SORTS.get(kind, {}) else "",
        "form": form.form.data if form.form.data in FORMS[kind] else "",
        "strength": _within(form.strength, form.strength.number, 1e-6, 1e6),
        "scale": _one_of(form.scale), "counts": _one_of(form.counts), "per": _one_of(form.per),
        "serves_l": _within(form.serves, form.serves.number, 1e-6, 1e5),
    }  # fmt: skip
    product = replace(
        base, name=label or kind,
        **{part: value for part, value in asked.items() if form[_ASKED.get(part, part)].raw_data},
    )  # fmt: skip
    if kind == "rennet" and not product.strength and not form.strength.errors:
        blame(form.strength, "Write the strength on its label.")
    basis = form.basis.data or "batch"
    amount, unit = 0.0, "%"
    try:
        if basis == "batch":
            unit = product.unit
            amount = in_its_unit(form.amount.data or "", product, house, g.dairy.volume_system)
        else:
            amount = parse_number((form.amount.data or "").strip().rstrip("%").strip())
    except CraftError as why:
        blame(form.amount, why.words if form.amount.data else "Write how much.")
    acid = before.acid if before and before.product.sort == product.sort else ""
    return Ingredient(key, product, _within(form.amount, amount, 0, 100_000) or 0.0, unit, basis,
                      acid, _text(form.words))  # fmt: skip


def _step(form: Any) -> RecipeStep:
    title = _text(form.title)
    if not title:
        blame(form.title, "Say in a line what is done.")
    return RecipeStep(
        form.key.data or "step", form.kind.data, title or STEP_WORDS[form.kind.data],
        _minutes(form.minutes), _minutes(form.hands), _text(form.words), form.clock.data or "fixed",
        _band(form, "celsius", 1.0, -30, 110), _band(form, "ph", 0.05, 2, 8),
        tuple(each.value for each in form.adds.choices or () if each.value in (form.adds.data or ())),
        _text(form.sign), _text(form.goes_wrong), _text(form.leave), _minutes(form.stretch),
        _within(form.cut_mm, form.cut_mm.number, 1, 150),
        _within(form.load, _exact(form.load.base), 0, 1000, show.mass),
        tuple(form.asks.data or ()),
    )  # fmt: skip


def _minutes(field: LengthField) -> float:
    return _within(field, field.minutes, 0, 20_160, show.span) or 0.0


def _days(field: LengthField, low: int, high: int) -> int:
    return int(_within(field, field.days, low, high) or low)


def _stage(form: Any) -> Stage:
    cares = tuple(
        Care(each.form.key.data or "care", _text(each.form.words),
             _days(each.form.every, 1, 1000), _days(each.form.begins, 0, 5000),
             each.form.matters.data or "daily")
        for each in form.cares
    )  # fmt: skip
    return Stage(
        form.key.data or "stage", _text(form.place) or "cave",
        _band(form, "celsius", 1.0, -30, 110) or Band(12.0, 11.0, 13.0),
        _days(form.days, 0, 5000), cares, _text(form.ends_when),
        _band(form, "humidity", 5.0, 0, 100),
    )  # fmt: skip


def _ratio(form: RecipeForm) -> RatioRule | None:
    if not form.ratio_by.data:
        return None
    shares = []
    for species in _SPECIES:
        field = form[f"ratio_{species}"]
        text = (field.data or "").replace("%", "").strip()
        if not text:
            continue
        try:
            low, _, high = (part.strip() for part in text.replace("–", "to").partition("to"))
            part = [float(each.replace(",", ".")) / 100 for each in (low, high or low)]
        except ValueError:
            blame(field, "Write it like 65 or 63 to 67.")
            continue
        if not 0 <= part[0] <= part[1] <= 1:
            blame(field, "Between 0 and 100 %, the smaller first.")
            continue
        shares.append((species, part[0], part[1]))
    return RatioRule(form.ratio_by.data, tuple(shares)) if shares else None


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


# ── parts added, moved, taken out ──


def _groups(flat: Flat, name: str) -> list[Flat]:
    """The parts of a list in their order, each with its own fields by their short names."""
    numbered: dict[int, Flat] = {}
    for key, values in flat.items():
        if key.startswith(f"{name}-"):
            number, _, rest = key.removeprefix(f"{name}-").partition("-")
            if number.isdigit() and rest:
                numbered.setdefault(int(number), {})[rest] = values
    return [numbered[number] for number in sorted(numbered)]


def _put(flat: Flat, name: str, groups: Sequence[Flat]) -> Flat:
    kept = {key: values for key, values in flat.items() if not key.startswith(f"{name}-")}
    for number, group in enumerate(groups):
        kept |= {f"{name}-{number}-{key}": values for key, values in group.items()}
    return kept


def _blank(name: str, groups: Sequence[Flat], kind: str) -> Flat:
    """A new part of a list, with what is usual."""
    keys = {each["key"][0] for each in groups if "key" in each}
    if name.endswith("cares"):
        return {"key": [free_key("care", keys)], "words": ["Turn it"], "every": ["2 d"],
                "begins": ["1 d"], "matters": ["daily"]}  # fmt: skip
    if name == "reference":
        return {"breed": ["cow_lowland"], "treatment": ["raw"], "stream": ["milk"]}
    if name == "ingredients":
        kind = kind if kind in KINDS else "other"
        basis = "percent_of_curd" if kind == "salt" else "batch"
        return {"key": [free_key(kind, keys)], "kind": [kind], "basis": [basis],
                "label": [KIND_WORDS[kind]], "scale": ["imcu"], "counts": ["dihydrate"],
                "per": ["w/v"]}  # fmt: skip
    if name == "stages":
        return {"key": [free_key("stage", keys)], "place": ["cave"], "days": ["30 d"],
                "celsius": [_warm(12.0)], "humidity": ["85"]}  # fmt: skip
    step: StepKind = kind if kind in USUAL_MINUTES else "wait"  # type: ignore[assignment]
    minutes, hands = USUAL_MINUTES[step]
    clock = "flocculation" if step == "test" else "fixed"
    return _flat({"key": free_key(step.replace(" ", "-"), keys), "kind": step,
                  "title": STEP_WORDS[step], "minutes": show.span(minutes),
                  "hands": show.span(hands), "clock": clock,
                  "asks": ["flocks"] if step == "test" else []})  # fmt: skip


def changed(flat: Flat, what: str, kind: str = "") -> tuple[Flat, str]:
    """The fields with a part added, moved or taken out, and the part to look at next.

    what: "add steps 3" (behind the third; also "add stages-0-cares 1"), "out steps 3",
    "up steps 3", "down steps 3"; numbers from 0. kind: of a new step or ingredient.
    """
    verb, name, place = (*what.split(" "), "", "", "")[:3]
    groups = _groups(flat, name)
    at = int(place) if place.isdigit() else len(groups)
    if verb == "add":
        at = min(at, len(groups))
        groups.insert(at, _blank(name, groups, kind))
    elif verb == "out" and at < len(groups):
        groups.pop(at)
        at = max(0, at - 1)
    elif verb in ("up", "down") and at < len(groups):
        to = min(len(groups) - 1, max(0, at + (1 if verb == "down" else -1)))
        groups.insert(to, groups.pop(at))
        at = to
    shown = name.partition("-cares")[0] if "-cares" in name else f"{name}-{at}"
    return _put(flat, name, groups), shown


def numbered(flat: Flat) -> Flat:
    """The fields with every list counted from 0 without a gap, and each part with a key."""
    for name in ("reference", "ingredients", "steps", "stages"):
        flat = _put(flat, name, _groups(flat, name))
        for number in count():
            cares = f"stages-{number}-cares"
            if name != "stages" or not any(key.startswith(f"stages-{number}-") for key in flat):
                break
            flat = _put(flat, cares, _groups(flat, cares))
    return flat
