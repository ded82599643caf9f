"""A recipe on paper: Markdown that reads well by itself and that `recipe_text` reads back."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from openpail.craft.recipe.recipe import Band, Care, Ingredient, Recipe, RecipeStep, Stage
from openpail.craft.units import so_many
from openpail.formats.leave_text import leave_words
from openpail.formats.recipe_words import FAMILIES


def markdown(recipe: Recipe) -> str:
    """The recipe as Markdown, metric, one thing a line.

    Parameters: recipe. Returns: text that ends with a line's end.
    """
    names = {each.key: each.product.name for each in recipe.ingredients}
    lines = [f"# {recipe.name}", "", *_head(recipe), "", "## Milk", ""]
    for part in recipe.reference:
        heat = part.treatment.replace("_", "-") + (" homogenised" if part.homogenised else "")
        breed = {
            "cow_lowland": "cow",
            "cow_high_solids": "high-solids cow",
            "goat_dwarf": "dwarf goat",
        }.get(part.breed, part.breed)
        lines.append(f"- {part.volume_l:g} L {heat} {breed} {part.stream}")
    lines += ["", "## Goes in", "", *(f"- {_goes_in(each)}" for each in recipe.ingredients)]
    lines += ["", "## The make", ""]
    for number, step in enumerate(recipe.steps, 1):
        lines += _step(number, step, names)
    lines += ["", "## Ripening", ""]
    for stage in recipe.stages:
        lines += [_stage(stage), *(f"  - {_care(care)}" for care in stage.cares)]
    return "\n".join(lines) + "\n"


def _head(recipe: Recipe) -> Iterator[str]:
    told = (
        ("Family", FAMILIES[recipe.family]),
        ("About", recipe.words),
        ("Rennet at", None if recipe.renneting_c is None else f"{recipe.renneting_c:g} °C"),
        ("Ripened by", f"{recipe.ripening_ph_drop:g} pH" if recipe.ripening_ph_drop else None),
        ("Cut at", recipe.cut_multiplier and f"{recipe.cut_multiplier:g} times the flocks"),
        ("Acid to", recipe.acid_target_ph and f"pH {recipe.acid_target_ph:g}"),
        ("Ready", recipe.ready_words),
        ("Eat within", so_many(recipe.eat_by_days, "day")),
        ("Other milks", recipe.other_milks),
        ("Whose", recipe.whose),
    )
    return (f"{name}: {value}  " for name, value in told if value)


_OF: Mapping[str, str] = {
    "percent_of_curd": " of the curd",
    "percent_of_cheese": " of the cheese",
    "percent_of_milk": " of the milk",
}


def _goes_in(each: Ingredient) -> str:
    of = _OF.get(each.basis, "")
    unit = f"{each.unit}s" if each.product.in_pieces and each.amount != 1 else each.unit
    words = f": {each.words}" if each.words else ""
    serves = each.product.serves_l
    made_for = f", for {serves:g} L a {each.product.unit}" if serves else ""
    return f"{each.amount:g} {unit}{of} {each.product.name}{made_for}{words}"


def _band(band: Band, unit: str) -> str:
    return f"{band.target:g}{unit} ({band.low:g} to {band.high:g})"


def _step(number: int, step: RecipeStep, names: dict[str, str]) -> Iterator[str]:
    parts = [f"{step.kind} {step.minutes:g} min", f"{step.hands_on_minutes:g} min of it by hand"]
    if step.celsius:
        parts.append(_band(step.celsius, " °C"))
    if step.ph:
        parts.append(f"pH {_band(step.ph, '')}")
    if step.cut_mm:
        parts.append(f"{step.cut_mm:g} mm")
    if step.load_kg:
        parts.append(f"{step.load_kg:g} kg")
    if step.most_salt_pct:
        parts.append(f"at most {step.most_salt_pct:g} % salt in it")
    if step.may_stretch_minutes:
        parts.append(f"may run {step.may_stretch_minutes:g} min longer")
    if step.clock != "fixed":
        parts.append({"flocculation": "by the flocks", "cut": "by the cut"}[step.clock])
    if step.adds:
        parts.append("adds " + " and ".join(names[key] for key in step.adds))
    yield f"{number}. {', '.join(parts)}: {step.title}"
    if step.words:
        yield f"   {step.words}"
    told = (
        ("Look for", step.sign),
        ("If it goes wrong", step.goes_wrong),
        ("May be left", leave_words(step.leave)),
        ("Asks", ", ".join(step.asks)),
    )
    yield from (f"   {name}: {words}" for name, words in told if words)


def _stage(stage: Stage) -> str:
    damp = f", {_band(stage.humidity_pct, ' %')}" if stage.humidity_pct else ""
    return (
        f"- ripen {so_many(stage.days, 'day')} at {_band(stage.celsius, ' °C')}{damp}, "
        f"{stage.place}, until {stage.ends_when}"
    )


def _care(care: Care) -> str:
    if care.matters == "once":
        return f"once from day {care.from_day}: {care.words}"
    days = "day" if care.every_days == 1 else f"{care.every_days} days"
    return f"every {days} from day {care.from_day}, {care.matters}: {care.words}"
