"""A recipe as its form shows it: every value written so that it reads back the same."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from flask import g

from openpail.craft.recipe.recipe import (
    Band,
    Ingredient,
    Recipe,
    RecipeStep,
    ReferencePart,
    Stage,
    Wheels,
)
from openpail.craft.units import from_celsius, so_long, so_many
from openpail.formats.leave_text import leave_words
from openpail.web.recipes.forms import Flat
from openpail.web.ui import show
from openpail.web.ui.fields import default_unit, written


def typed(recipe: Recipe) -> Flat:
    """A recipe as the fields of its form, in the dairy's units."""
    flat: dict[str, Any] = {
        "name": recipe.name,
        "family": recipe.family,
        "words": recipe.words,
        "renneting": warm(recipe.renneting_c),
        "ph_drop": _plain(recipe.ripening_ph_drop or None),
        "cut_multiplier": _plain(recipe.cut_multiplier),
        "acid_target_ph": _plain(recipe.acid_target_ph),
        "eat_by": so_many(recipe.eat_by_days, "day") if recipe.eat_by_days else "",
        "ready_words": recipe.ready_words,
        "other_milks": recipe.other_milks,
        "whose": recipe.whose,
        "source": recipe.source,
        "ratio_by": recipe.ratio.by if recipe.ratio else "",
        "moisture": _plain(recipe.moisture_pct),
        **_typed_wheels(recipe.wheels),
    }
    for species, low, high in recipe.ratio.shares if recipe.ratio else ():
        least, most = round(100 * low, 2), round(100 * high, 2)
        same = least == most
        flat[f"ratio_{species}"] = _plain(least) if same else f"{least:g} to {most:g}"
    for name, parts in (
        ("reference", [_typed_reference(each) for each in recipe.reference]),
        ("ingredients", [_typed_ingredient(each) for each in recipe.ingredients]),
        ("steps", [_typed_step(each) for each in recipe.steps]),
        ("stages", [_typed_stage(each) for each in recipe.stages]),
    ):
        for number, part in enumerate(parts):
            flat |= {f"{name}-{number}-{k}": v for k, v in part.items()}
    return flat_of(flat)


def _typed_wheels(wheels: Wheels | None) -> dict[str, str]:
    if wheels is None:
        return {}
    return {
        "pieces": _plain(wheels.pieces),
        "piece": written(wheels.piece_kg, "mass"),
        "across": written(wheels.across_cm, "length"),
        "side": written(wheels.side_cm, "length"),
        "height": written(wheels.height_cm, "length"),
        "stacked": "y" if wheels.stacked else "",
    }


def flat_of(values: Mapping[str, Any]) -> Flat:
    """Values as fields; what is blank is left out."""
    return {
        key: list(value) if isinstance(value, (list, tuple)) else [str(value)]
        for key, value in values.items()
        if value not in ("", None, False, (), [])
    }


def _plain(value: float | None) -> str:
    """A number whole enough that reading it back gives the same."""
    return "" if value is None else f"{value:.7g}"


def _turns(step: RecipeStep) -> str:
    """How often it is turned, or after which minutes; "" for once."""
    if step.turns_min:
        return ", ".join(map(_plain, step.turns_min))
    return _plain(step.times) if step.times > 1 else ""


def warm(celsius: float | None) -> str:
    """A temperature in the dairy's degrees, "" for none."""
    if celsius is None:
        return ""
    return f"{from_celsius(celsius, g.dairy.degrees):.6g} {show.degree_sign()}"


def _small(mm: float | None) -> str:
    key = "mm" if default_unit("length") == "cm" else "in"
    return written(None if mm is None else mm / 10, "length", key)


def _long(minutes: float) -> str:
    return so_long(minutes) if minutes == round(minutes) else f"{_plain(minutes)} min"


def _typed_band(name: str, band: Band | None, *, in_degrees: bool) -> dict[str, str]:
    if band is None:
        return {}
    write = warm if in_degrees else _plain
    return {
        name: write(band.target),
        f"{name}_low": write(band.low),
        f"{name}_high": write(band.high),
    }


def _typed_reference(part: ReferencePart) -> dict[str, Any]:
    return {
        "breed": part.breed,
        "treatment": part.treatment,
        "stream": part.stream,
        "volume": written(part.volume_l, "volume"),
        "homogenised": "y" if part.homogenised else "",
        "fat": _plain(part.fat_pct),
        "protein": _plain(part.protein_pct),
    }


def _typed_ingredient(each: Ingredient) -> dict[str, Any]:
    product, unit = each.product, "" if each.basis != "batch" else f" {each.unit}"
    return {
        "key": each.key,
        "kind": product.kind,
        "label": product.name,
        "amount": f"{_plain(each.amount)}{unit}",
        "basis": each.basis,
        "sort": product.sort,
        "form": product.form,
        "strength": _plain(product.strength),
        "scale": product.scale,
        "counts": product.counts,
        "per": product.per,
        "serves": written(product.serves_l, "volume"),
        "stands_salt": "y" if product.stands_salt else "",
        "portions": _plain(each.portions) if each.portions > 1 else "",
        "days": _plain(each.days) if each.days > 1 else "",
        "words": each.words,
    }


def _typed_step(step: RecipeStep) -> dict[str, Any]:
    return {
        "key": step.key,
        "kind": step.kind,
        "title": step.title,
        "minutes": _long(step.minutes),
        "hands": _long(step.hands_on_minutes),
        "stretch": _long(step.may_stretch_minutes) if step.may_stretch_minutes else "",
        "clock": step.clock,
        **_typed_band("celsius", step.celsius, in_degrees=True),
        **_typed_band("ph", step.ph, in_degrees=False),
        "adds": step.adds,
        "asks": step.asks,
        "cut_mm": _small(step.cut_mm),
        "load": written(step.load_kg, "mass"),
        "brine": _plain(step.brine_pct),
        "most_salt": _plain(step.most_salt_pct),
        "times": _turns(step),
        "share": _plain(None if step.share is None else 100 * step.share),
        "words": step.words,
        "sign": step.sign,
        "goes_wrong": step.goes_wrong,
        "leave": leave_words(step.leave),
    }


def _typed_stage(stage: Stage) -> dict[str, Any]:
    cares = {
        f"cares-{i}-{k}": v
        for i, care in enumerate(stage.cares)
        for k, v in {
            "key": care.key,
            "words": care.words,
            "every": f"{care.every_days} d",
            "begins": f"{care.from_day} d",
            "matters": care.matters,
            "kind": care.kind or "",
            "times": _plain(care.times_a_day if care.times_a_day > 1 else None),
            "brine": _plain(care.brine_pct),
        }.items()
    }
    return {
        "key": stage.key,
        "place": stage.place,
        "days": f"{stage.days} d",
        **_typed_band("celsius", stage.celsius, in_degrees=True),
        **_typed_band("humidity", stage.humidity_pct, in_degrees=False),
        "brine": _plain(stage.brine_pct),
        "brine_per_kg": _plain(stage.brine_per_kg),
        "ends_when": stage.ends_when,
        "sign": stage.sign or "",
        **cares,
    }
