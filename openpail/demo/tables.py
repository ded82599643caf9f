"""The tables of docs/: one recipe in every milk, every shipped recipe in one line, the schema.

What was checked in them is written by hand under each table, and kept when it is made anew.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path

from openpail.craft.doses.asked import Job
from openpail.craft.house import House
from openpail.craft.milk.blend import Pour, pour
from openpail.craft.milk.density import mass_of
from openpail.craft.milk.kinds import Breed, MilkTest, Treatment
from openpail.craft.milk.slip import composition
from openpail.craft.recipe.recipe import Recipe, reference_pours
from openpail.craft.recipe.steps import laid_out
from openpail.craft.sheet.adapt import adapt
from openpail.formats.recipe_file import library, schema

DOCS = Path(__file__).parents[2] / "docs"
CHECKED = "## What was checked"
RECIPE, LITRES = "larder-block", 20.0
HEATED: tuple[tuple[str, Treatment, bool], ...] = (
    ("raw", "raw", False),
    ("batch", "batch", False),
    ("flash", "flash", False),
    ("flash, homogenised", "flash", True),
)
MILKS: tuple[tuple[str, tuple[tuple[Breed, float], ...]], ...] = (
    ("cow", (("cow_lowland", 1.0),)),
    ("goat", (("goat", 1.0),)),
    ("sheep", (("sheep", 1.0),)),
    ("buffalo", (("buffalo", 1.0),)),
    ("cow 65 : goat 35", (("cow_lowland", 0.65), ("goat", 0.35))),
)


def row(
    recipe: Recipe,
    milk: tuple[tuple[Breed, float], ...],
    treatment: Treatment,
    homogenised: bool,
    house: House,
) -> dict[str, float]:
    """Doses, minutes and cheese of a recipe for 20 L of an untested milk, by name."""
    pours = []
    for breed, share in milk:
        parts = composition(breed, MilkTest(), house)
        mass = mass_of(LITRES * share, 20.0, parts)
        pours.append(Pour(breed, breed, treatment, mass, parts, homogenised))
    sheet = adapt(Job(recipe, pour(pours, house), house))
    found = {line.kind: line.figure.value for line in sheet.lines}
    if sheet.set and sheet.firmness:
        found |= {
            "imcu": sheet.set.imcu_per_kg.value,
            "flocks": sheet.set.flocculation.value,
            "cut": sheet.set.cut.value,
            "firm": sheet.firmness.against,
        }
    return found | {"cheese": sheet.cheese.value}


def table() -> str:
    """The whole table, as Markdown."""
    house = House()
    recipe = next(recipe for recipe, _ in library() if recipe.key == RECIPE)
    lines = [
        "| milk | heated | CaCl₂ 33 %, mL | culture, g | rennet 200, mL | IMCU/kg | salt, g | "
        "flocks, min | cut, min | firm at the cut | cheese, kg |",
        "|---|---|--:|--:|--:|--:|--:|--:|--:|--:|--:|",
    ]
    for words, milk in MILKS:
        for heated, treatment, homogenised in HEATED:
            f = row(recipe, milk, treatment, homogenised, house)
            lines.append(
                f"| {words} | {heated} | {f['calcium']:.1f} | {f['culture']:.2f} | "
                f"{f['rennet']:.1f} | {f['imcu']:.0f} | {f['salt']:.0f} | {f['flocks']:.1f} | "
                f"{f['cut']:.0f} | {f['firm']:.2f} | {f['cheese']:.2f} |"
            )
    return "\n".join(lines)


def _plain(value: float) -> str:
    return f"{value:.2g}" if value < 99.5 else f"{value:.0f}"


def library_row(recipe: Recipe, house: House) -> str:
    """A shipped recipe in one line: milk, doses for 10 kg, set, warmest, salt, yield, cave."""
    pours = reference_pours(recipe, house)
    sheet = adapt(Job(recipe, pour(pours, house), house))
    kg = sum(each.mass.value for each in pours)
    for_10_kg = ", ".join(
        f"{line.key} {_plain(line.figure.value * 10 / kg)} {line.figure.unit}"
        for line in sheet.lines
        if line.figure.value > 0
    )
    times = sheet.set
    floc, cut = (times.flocculation.value, times.cut.value) if times else (None, None)
    hours = laid_out(recipe, floc, cut)[-1].end_min / 60
    set_ = f"{times.imcu_per_kg.value:.0f} · {floc:.0f} · {cut:.0f}" if times else "–"
    sours = [f"{step.ph.target:g}" for step in recipe.steps if step.ph]
    warm = [step.celsius.target for step in recipe.steps if step.celsius]
    caves = "; ".join(f"{stage.days} d {stage.celsius.target:g} °C" for stage in recipe.stages)
    milk = " + ".join(
        f"{part.volume_l:g} L {part.treatment} {part.breed.replace('_', ' ')}"
        f"{' whey' if part.stream == 'whey' else ''}"
        for part in recipe.reference
    )
    return (
        f"| {recipe.name} | {recipe.family.replace('_', ' ')} | {milk} | {for_10_kg} | "
        f"{'–' if recipe.renneting_c is None else f'{recipe.renneting_c:g}'} | {set_} | "
        f"{max(warm):g} | {' → '.join(sours) or '–'} | {hours:.1f} | "
        f"{100 * sheet.cheese.value / kg:.0f} | {caves} | {recipe.eat_by_days} |"
    )


def library_table() -> str:
    """Every shipped recipe, as Markdown."""
    head = (
        "| recipe | family | written for | doses for 10 kg | rennet at °C | IMCU/kg · flocks · "
        "cut, min | warmest °C | pH | hours | cheese, % | ripening | eat by, d |"
    )
    house = House()
    rows = [library_row(recipe, house) for recipe, _ in library()]
    return "\n".join((head, "|---|---|---|---|--:|---|--:|---|--:|--:|---|--:|", *rows))


PAGES: tuple[tuple[str, str, Callable[[], str]], ...] = (
    (
        "doses-by-milk.md",
        f"# Doses by milk\n\nThe shipped recipe *Larder Block* for {LITRES:g} L of untested milk, "
        "with the recipe’s own bottles, the house values as shipped and the recipe’s clock kept. "
        "Made by `./pail tables`; the recipe’s own milk is cow’s, flash-heated.",
        table,
    ),
    (
        "library.md",
        "# The starter library\n\nEvery shipped recipe in its own milk, with its own bottles, as "
        "the sheet works it out. Made by `./pail tables`.",
        library_table,
    ),
)


def page(head: str, made: str, before: str) -> str:
    """A page anew, with what was written by hand under the table kept."""
    checked = before[before.index(CHECKED) :] if CHECKED in before else f"{CHECKED}\n"
    return f"{head}\n\n{made}\n\n{checked.rstrip()}\n"


SCHEMA = "recipe.schema.json"

if __name__ == "__main__":
    for name, head, make in PAGES:
        file = DOCS / name
        before = file.read_text("utf-8") if file.exists() else ""
        file.write_text(page(head, make(), before), "utf-8")
        sys.stdout.write(f"· docs/{name}\n")
    (DOCS / SCHEMA).write_text(json.dumps(schema(), indent=1) + "\n", "utf-8")
    sys.stdout.write(f"· docs/{SCHEMA}\n")
