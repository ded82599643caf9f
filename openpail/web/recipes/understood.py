"""The recipe that the fields of its form make; what is not understood is said by its field."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from flask import g
from wtforms import Field, Form, SelectField

from openpail.craft.cave.signs import SIGN_WORDS
from openpail.craft.doses.spoons import in_its_unit
from openpail.craft.errors import CraftError
from openpail.craft.house import House
from openpail.craft.milk.kinds import SPECIES
from openpail.craft.recipe.cares import CARE_KINDS
from openpail.craft.recipe.recipe import (
    Band,
    Basis,
    Care,
    Ingredient,
    RatioRule,
    Recipe,
    RecipeStep,
    ReferencePart,
    Stage,
    Wheels,
)
from openpail.craft.stock.products import FORMS, SORTS, Kind, Product
from openpail.craft.units import parse_number, so_long
from openpail.formats.leave_text import leave_of
from openpail.formats.recipe_words import FAMILIES, STEP_WORDS, slug
from openpail.web.recipes.forms import RecipeForm
from openpail.web.ui import show
from openpail.web.ui.fields import AmountField, LengthField, NumberField, blame


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
        steps=tuple(_step(each.form, over) for each in form.steps),
        stages=tuple(_stage(each.form) for each in form.stages),
        eat_by_days=min(5000, form.eat_by.days or 0),
        renneting_c=_within(form.renneting, _exact(form.renneting.base), 10, 45, show.degrees),
        ripening_ph_drop=_within(form.ph_drop, form.ph_drop.number, 0, 2.5) or 0.0,
        cut_multiplier=_within(form.cut_multiplier, form.cut_multiplier.number, 1, 10),
        acid_target_ph=_within(form.acid_target_ph, form.acid_target_ph.number, 4, 6.6),
        ratio=_ratio(form, over.ratio if over else None),
        ready_words=_text(form.ready_words),
        other_milks=_text(form.other_milks),
        whose=_text(form.whose),
        source=form.source.data or "",
        moisture_pct=_within(form.moisture, form.moisture.number, 25, 85),
        wheels=_wheels(form),
    )


def _wheels(form: RecipeForm) -> Wheels | None:
    """What its press and brine are for, None when nothing is said; half of it is asked for."""
    told = {
        "pieces": _within(form.pieces, form.pieces.number, 1, 500),
        "piece_kg": _within(form.piece, _exact(form.piece.base), 0.02, 200, show.mass),
        "across_cm": _within(form.across, _exact(form.across.base), 2, 120, show.length),
        "height_cm": _within(form.height, _exact(form.height.base), 1, 60, show.length),
    }
    if not any(told.values()):
        return None
    fields = (form.pieces, form.piece, form.across, form.height)
    for field, value in zip(fields, told.values(), strict=True):
        if value is None and not field.errors:
            blame(field, "Write this too, or leave all of them blank.")
    if not all(told.values()):
        return None
    return Wheels(
        pieces=round(told["pieces"] or 1),
        piece_kg=told["piece_kg"] or 0.0,
        across_cm=told["across_cm"] or 0.0,
        height_cm=told["height_cm"] or 0.0,
        side_cm=_within(form.side, _exact(form.side.base), 2, 120, show.length),
        stacked=bool(form.stacked.data),
    )


def _text(field: Field) -> str:
    return (field.data or "").strip().replace("\r\n", "\n")


def _mm(cm: float | None) -> float | None:
    return None if cm is None else round(10 * cm, 3)


def _exact(value: float | None) -> float | None:
    """A measure read back from another unit, as it was: a gallon’s last digit is no change."""
    return None if value is None else round(value, 3)


def _within(
    field: Field, value: float | None, low: float, high: float, say: Any = None
) -> float | None:
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
    band = Band(
        round(target, 3),
        round(target - usual if least is None else least, 3),
        round(target + usual if most is None else most, 3),
    )
    if not band.low <= band.target <= band.high:
        blame(form[name], "It lies outside its own band.")
        return Band(band.target, min(band.low, band.target), max(band.high, band.target))
    return band


def _reference(form: Any) -> ReferencePart:
    litres = _within(form.volume, _exact(form.volume.base), 0.05, 10_000, show.volume)
    return ReferencePart(
        breed=form.breed.data,
        treatment=form.treatment.data,
        volume_l=litres or 1.0,
        stream=form.stream.data or "milk",
        homogenised=bool(form.homogenised.data),
        fat_pct=_within(form.fat, form.fat.number, 0, 60),
        protein_pct=_within(form.protein, form.protein.number, 0.5, 12),
    )


_ASKED = {"serves_l": "serves"}


def _one_of(field: SelectField) -> Any:
    values = [choice.value for choice in field.choices or ()]
    return field.data if field.data in values else values[0]


def _ingredient(form: Any, over: Recipe | None, house: House) -> Ingredient:
    kind: Kind = _one_of(form.kind)
    key = form.key.data or "part"
    before = next((e for e in over.ingredients if e.key == key), None) if over else None
    base = before.product if before and before.product.kind == kind else Product(kind=kind, name="")
    label = _text(form.label)
    if not label:
        blame(form.label, "Write what its label says.")
    asked = {  # what is not asked of a kind stays as it was
        "sort": form.sort.data if form.sort.data in SORTS.get(kind, {}) else "",
        "form": form.form.data if form.form.data in FORMS[kind] else "",
        "strength": _within(form.strength, form.strength.number, 1e-6, 1e6),
        "scale": _one_of(form.scale),
        "counts": _one_of(form.counts),
        "per": _one_of(form.per),
        "serves_l": _within(form.serves, _exact(form.serves.base), 1e-6, 1e5, show.volume),
    }
    if kind == "culture":
        base = replace(base, stands_salt=bool(form.stands_salt.data))
    product = replace(
        base,
        name=label or kind,
        **{part: value for part, value in asked.items() if form[_ASKED.get(part, part)].raw_data},
    )
    if kind == "rennet" and not product.strength and not form.strength.errors:
        blame(form.strength, "Write the strength on its label.")
    basis: Basis = form.basis.data or "batch"
    amount, unit = 0.0, "%"
    try:
        if basis == "batch":
            unit = product.unit
            amount = in_its_unit(form.amount.data or "", product, house, g.dairy.spoken_system)
        else:
            amount = parse_number((form.amount.data or "").strip().rstrip("%").strip())
    except CraftError as why:
        blame(form.amount, why.words if form.amount.data else "Write how much.")
    acid = before.acid if before and before.product.sort == product.sort else ""
    return Ingredient(
        key=key,
        product=product,
        amount=_within(form.amount, amount, 0, 100_000) or 0.0,
        unit=unit,
        basis=basis,
        acid=acid,
        words=_text(form.words),
        portions=round(_within(form.portions, form.portions.number, 1, 12) or 1),
        days=round(_within(form.days, form.days.number, 1, 12) or 1),
    )


def _as_before(before: Sequence[str], ticked: Sequence[str]) -> tuple[str, ...]:
    """What is ticked, in the order it stood in: the browser’s own order is no change."""
    kept = [each for each in before if each in ticked]
    return (*kept, *(each for each in ticked if each not in kept))


def _step(form: Any, over: Recipe | None) -> RecipeStep:
    key = form.key.data or "step"
    before = next((step for step in over.steps if step.key == key), None) if over else None
    there = [choice.value for choice in form.adds.choices or ()]
    adds = [each for each in form.adds.data or () if each in there]
    title = _text(form.title)
    if not title:
        blame(form.title, "Say in a line what is done.")
    return RecipeStep(
        key=key,
        kind=_one_of(form.kind),
        title=title or STEP_WORDS[_one_of(form.kind)],
        minutes=_minutes(form.minutes),
        hands_on_minutes=_minutes(form.hands),
        words=_text(form.words),
        clock=form.clock.data or "fixed",
        celsius=_band(form, "celsius", 1.0, -30, 110),
        ph=_band(form, "ph", 0.05, 2, 8),
        adds=_as_before(before.adds if before else (), adds),
        sign=_text(form.sign),
        goes_wrong=_text(form.goes_wrong),
        leave=leave_of(_text(form.leave)),
        may_stretch_minutes=_minutes(form.stretch),
        cut_mm=_within(form.cut_mm, _mm(form.cut_mm.base), 1, 150, show.small_length),
        load_kg=_within(form.load, _exact(form.load.base), 0, 1000, show.mass),
        brine_pct=_within(form.brine, form.brine.number, 1, 27),
        most_salt_pct=_within(form.most_salt, form.most_salt.number, 0.3, 8),
        asks=_as_before(before.asks if before else (), form.asks.data or ()),  # type: ignore[arg-type]
        share=_share(form.share),
        times=round(_within(form.times, form.times.number, 1, 24) or 1),
        turns_min=form.times.after_min,
    )


def _share(field: NumberField) -> float | None:
    """Per cent of the milk as a share of it."""
    percent = _within(field, field.number, 1, 95)
    return None if percent is None else round(percent / 100, 6)


def _minutes(field: LengthField) -> float:
    return _within(field, field.minutes, 0, 20_160, so_long) or 0.0


def _days(field: LengthField, low: int, high: int) -> int:
    return int(_within(field, field.days, low, high) or low)


def _stage(form: Any) -> Stage:
    cares = tuple(
        Care(
            key=each.form.key.data or "care",
            words=_text(each.form.words),
            every_days=_days(each.form.every, 1, 1000),
            from_day=_days(each.form.begins, 0, 5000),
            matters=each.form.matters.data or "daily",
            kind=next((kind for kind in CARE_KINDS if kind == each.form.kind.data), None),
            brine_pct=_within(each.form.brine, each.form.brine.number, 0, 27),
            times_a_day=int(_within(each.form.times, each.form.times.number, 1, 4) or 1),
        )
        for each in form.cares
    )
    return Stage(
        key=form.key.data or "stage",
        place=_text(form.place) or "cave",
        celsius=_band(form, "celsius", 1.0, -30, 110) or Band(12.0, 11.0, 13.0),
        days=_days(form.days, 0, 5000),
        cares=cares,
        ends_when=_text(form.ends_when),
        humidity_pct=_band(form, "humidity", 5.0, 0, 100),
        brine_pct=_within(form.brine, form.brine.number, 1, 27),
        brine_per_kg=_within(form.brine_per_kg, form.brine_per_kg.number, 0.1, 20),
        sign=next((sign for sign in SIGN_WORDS if sign == form.sign.data), None),
    )


def _ratio(form: RecipeForm, over: RatioRule | None) -> RatioRule | None:
    if not form.ratio_by.data:
        return None
    shares = []
    before = [species for species, _, _ in over.shares] if over else []
    for species in (*before, *(each for each in SPECIES if each not in before)):
        field = form[f"ratio_{species}"]
        text = (field.data or "").replace("%", "").strip()
        if not text:
            continue
        try:
            low, _, high = (part.strip() for part in text.replace("–", "to").partition("to"))
            part = [round(parse_number(each) / 100, 6) for each in (low, high or low)]
        except CraftError:
            blame(field, "Write it like 65 or 63 to 67.")
            continue
        if not 0 <= part[0] <= part[1] <= 1:
            blame(field, "Between 0 and 100 %, the smaller first.")
            continue
        shares.append((species, part[0], part[1]))
    return RatioRule(form.ratio_by.data, tuple(shares)) if shares else None
