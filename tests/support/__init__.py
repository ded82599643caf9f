"""Small makers of milks and jobs that several tests use."""

import uuid

from openpail.craft.doses.asked import Job
from openpail.craft.house import House
from openpail.craft.milk.blend import Pour, Share, VatMilk, pour
from openpail.craft.milk.density import mass_of
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.milk.slip import composition
from openpail.formats.recipe_file import library

HOUSE = House()
RECIPES = {recipe.key: recipe for recipe, _ in library()}
MILK_RECIPES = {key: recipe for key, recipe in RECIPES.items() if recipe.family != "whey"}


def one_pour(breed="goat", treatment="raw", litres=21.5, test=None, celsius=20.0, **marks):
    milk = composition(breed, test or MilkTest(), HOUSE)
    return Pour(
        name=breed,
        breed=breed,
        treatment=treatment,
        mass=mass_of(litres, celsius, milk),
        milk=milk,
        **marks,
    )


def job_for(recipe="larder-block", *pours, **more):
    return Job(
        recipe=RECIPES[recipe], milk=pour(pours or (one_pour(),), HOUSE), house=HOUSE, **more
    )


def vat_milk(species="cow", treatment="raw", casein=2.7, **more):
    marks = {k: more.pop(k) for k in ("homogenised", "frozen", "hours_cold") if k in more}
    share = Share(
        species=species,
        treatment=treatment,
        homogenised=marks.get("homogenised", False),
        frozen=marks.get("frozen", False),
        hours_cold=marks.get("hours_cold", 0.0),
        mass_kg=20.0,
        fat_pct=4.0,
        protein_pct=3.3,
        casein_pct=casein,
    )
    return VatMilk((share,), **more)


def done(step, event=None):
    """A step ended at the vat, as its form sends it; the clock of a test stands still."""
    told = {"deed": "step_done", "word": "all at once", "step": step}
    return {**told, "event": str(event or uuid.uuid4())}
