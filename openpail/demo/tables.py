"""The table of docs/doses-by-milk.md: one recipe, every milk, each dose and the times of its set.

What was checked in it is written by hand under the table, and kept when the table is made anew.
"""

from __future__ import annotations

import sys
from pathlib import Path

from openpail.craft.adapt import adapt
from openpail.craft.blend import Pour, pour
from openpail.craft.density import mass_of
from openpail.craft.house import House
from openpail.craft.job import Job
from openpail.craft.milk import Breed, MilkTest, Treatment
from openpail.craft.recipe import Recipe
from openpail.craft.slip import composition
from openpail.formats.recipe_file import library

FILE = Path(__file__).parents[2] / "docs" / "doses-by-milk.md"
CHECKED = "## What was checked"
RECIPE, LITRES = "larder-block", 20.0
HEATED: tuple[tuple[str, Treatment, bool], ...] = (
    ("raw", "raw", False), ("batch", "batch", False), ("flash", "flash", False),
    ("flash, homogenised", "flash", True),
)  # fmt: skip
MILKS: tuple[tuple[str, tuple[tuple[Breed, float], ...]], ...] = (
    ("cow", (("cow_lowland", 1.0),)), ("goat", (("goat", 1.0),)), ("sheep", (("sheep", 1.0),)),
    ("buffalo", (("buffalo", 1.0),)), ("cow 65 : goat 35", (("cow_lowland", 0.65), ("goat", 0.35))),
)  # fmt: skip


def row(recipe: Recipe, milk: tuple[tuple[Breed, float], ...], treatment: Treatment,
        homogenised: bool, house: House) -> dict[str, float]:  # fmt: skip
    """Doses, minutes and cheese of a recipe for 20 L of an untested milk, by name."""
    pours = []
    for breed, share in milk:
        parts = composition(breed, MilkTest(), house)
        mass = mass_of(LITRES * share, 20.0, parts)
        pours.append(Pour(breed, breed, treatment, mass, parts, homogenised))
    sheet = adapt(Job(recipe, pour(pours, house), house))
    found = {line.kind: line.figure.value for line in sheet.lines}
    if sheet.set and sheet.firmness:
        found |= {"imcu": sheet.set.imcu_per_kg.value, "flocks": sheet.set.flocculation.value,
                  "cut": sheet.set.cut.value, "firm": sheet.firmness.against}  # fmt: skip
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


def page(before: str) -> str:
    """The page anew, with what was written by hand under the table kept."""
    checked = before[before.index(CHECKED):] if CHECKED in before else f"{CHECKED}\n"  # fmt: skip
    return (
        f"# Doses by milk\n\nThe shipped recipe *Larder Block* for {LITRES:g} L of untested milk, "
        "with the recipe’s own bottles, the house values as shipped and the recipe’s clock kept. "
        "Made by `./pail tables`; the recipe’s own milk is cow’s, flash-heated.\n\n"
        f"{table()}\n\n{checked.rstrip()}\n"
    )


if __name__ == "__main__":
    FILE.write_text(page(FILE.read_text("utf-8") if FILE.exists() else ""), "utf-8")
    sys.stdout.write(f"· {FILE.relative_to(Path.cwd())}\n")
