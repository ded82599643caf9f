"""Every shipped recipe with the milk of every animal, however it was heated or is, and rennets of
five sorts: what comes of it lies inside published bands, and moves the way it must."""

import csv
from dataclasses import replace
from pathlib import Path

import pytest

from openpail.craft.milk.kinds import BREEDS, MilkTest
from openpail.craft.sheet.adapt import adapt
from openpail.craft.sheet.moves import moved
from tests.support import HOUSE, RECIPES, job_for, one_pour

_ROWS = csv.DictReader(Path(__file__).with_name("bands.csv").open(encoding="utf-8"))
BANDS = {(r["what"], r["of"]): (float(r["low"]), float(r["high"])) for r in _ROWS}
RENNETS = ("calf", "kid", "miehei", "plant", "camel")
OF_MILK = sorted(key for key, each in RECIPES.items() if each.family != "whey")


def of_strength(breed, share):
    told = {part: share * HOUSE.number(f"milk.{breed}.{part}") for part in ("fat", "protein")}
    return MilkTest(fat_pct=told["fat"], protein_pct=told["protein"], protein_kind="true")


def milks(breed):
    return {
        "raw": one_pour(breed, "raw", litres=25.0),
        "batch": one_pour(breed, "batch", litres=25.0),
        "flash": one_pour(breed, "flash", litres=25.0),
        "homogenised": one_pour(breed, "flash", litres=25.0, homogenised=True),
        "late": one_pour(breed, "raw", litres=25.0, stage="late"),
        "rich": one_pour(breed, "raw", litres=25.0, test=of_strength(breed, 1.15)),
        "thin": one_pour(breed, "raw", litres=25.0, test=of_strength(breed, 0.88)),
    }


def within(what, of, value, where):
    low, high = BANDS[what, of]
    assert low <= value <= high, (what, value, where)


def sheets_of(key, breed, sort):
    recipe = RECIPES[key]
    rennet = recipe.ingredient("rennet")
    bottles = {rennet.key: replace(rennet.product, sort=sort)} if rennet else {}
    return {
        name: adapt(job_for(key, milk, bottles=bottles), roughly=True)
        for name, milk in milks(breed).items()
    }


@pytest.mark.parametrize("key", OF_MILK)
def test_every_milk_and_rennet_stays_inside_its_bands_and_moves_as_it_must(key):
    recipe = RECIPES[key]
    of_set = recipe.family if recipe.family == "stretched_quick" else "rennet"
    for breed in BREEDS:
        for sort in RENNETS if recipe.ingredient("rennet") else ("",):
            made = sheets_of(key, breed, sort)
            for name, sheet in made.items():
                where = (key, breed, name, sort)
                per_100 = 100 * sheet.cheese.value / sheet.milk_kg
                within("yield_pct", breed.split("_")[0], per_100, where)
                if sheet.set:
                    within("imcu_per_kg", "rennet", sheet.set.imcu_per_kg.value, where)
                    within("flocks_min", of_set, sheet.set.flocculation.value, where)
                    within("cut_min", of_set, sheet.set.cut.value, where)
                for line in sheet.lines:
                    of_milk = recipe.ingredient("salt") and any(
                        e.key == line.key and e.basis == "percent_of_milk"
                        for e in recipe.ingredients
                    )
                    if line.kind == "salt" and line.figure.unit == "g":
                        given = line.figure.value / 10 / sheet.cheese.value
                        within("salt_pct", "salted_milk" if of_milk else "given", given, where)
                for step in moved(recipe, sheet.moved.moves).steps:
                    if step.kind == "brine":
                        within("brine_h", "brined", step.minutes / 60, where)
            cheese = {name: sheet.cheese.value for name, sheet in made.items()}
            assert cheese["thin"] < cheese["raw"] < cheese["rich"]
            if made["raw"].set:
                dose = {name: sheet.line("rennet").figure.value for name, sheet in made.items()}
                if not any(part.homogenised for part in recipe.reference):
                    assert dose["homogenised"] >= dose["flash"] - 1e-9
                assert dose["late"] >= dose["raw"] - 1e-9
                waits = {name: sheet.set.multiplier.value for name, sheet in made.items()}
                assert waits["homogenised"] > waits["flash"]
