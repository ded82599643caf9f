"""Presses and moulds: what of them a make has, and what others have."""

from __future__ import annotations

from dataclasses import replace

from openpail.craft.clock.gear import Gear
from openpail.craft.make import deeds
from openpail.craft.make.additions import cheese_now
from openpail.craft.make.bounds import Bounds
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.pressing import InMoulds, load_of
from openpail.craft.make.standing import Standing
from openpail.craft.make.yielded import yielded
from openpail.craft.press.moulds import fewest
from openpail.craft.recipe.recipe import Recipe
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.work.here import Here
from openpail.work.make.made import given_to, made_of_whey, recipe_of, standing_of
from openpail.work.press.brining import asked_of_tub, count_of, crowded, mould_of, pieces_of


def in_moulds(
    here: Here, make: Make, recipe: Recipe, sheet: Frozen, standing: Standing
) -> InMoulds:
    """The moulds that a make is in, or is to go into."""
    told = standing.moulded
    stacked = told.stacked if told else bool(recipe.wheels and recipe.wheels.stacked)
    count = count_of(standing, sheet, recipe)
    return InMoulds(mould_of(here, make, standing), count, stacked)


def sort_of(here: Here, key: str) -> Gear | None:
    """The sort of press or mould that one of them is of, None when it is gone."""
    sort = key.split("/", maxsplit=1)[0]
    return next((each for each in here.gear if each.id == sort), None) if sort else None


def press_of(here: Here, make: Make, standing: Standing) -> Gear | None:
    """The press that a make is in, or was given; None for none."""
    used = [deed.press for _, deed in standing.of(deeds.Loaded) if deed.press]
    return sort_of(here, used[-1] if used else given_to(here, make).press)


def pressing_now(here: Here, but: Make) -> dict[str, Make]:
    """The presses that stand on a cheese of another make now, each with that make."""
    found: dict[str, Make] = {}
    for make in here.under_way:
        if make.id == but.id:
            continue
        standing = standing_of(here, make)
        for step in standing.begun:
            told = standing.loaded(step)
            if told and told.press and step not in standing.done:
                found[told.press] = make
    return found


def taken(here: Here, make: Make, press: str) -> str:
    """What speaks against a press, in words; "" where it is free."""
    other = pressing_now(here, make).get(press)
    if other is None:
        return ""
    name = here.names.get(press, "This press")
    return f"“{name}” stands on {other.name}, make {other.number}, now."


def too_few(here: Here, make: Make, mould: str, count: int) -> str:
    """What speaks against so many moulds of a sort: fewer are there, or others are in them."""
    sort = sort_of(here, mould)
    if sort is None:
        return ""
    others = 0
    for other in here.under_way:
        told = standing_of(here, other).moulded if other.id != make.id else None
        if told and told.mould.split("/")[0] == sort.id and not standing_of(here, other).weighed:
            others += 0 if standing_of(here, other).out_of_mould else told.count
    if count <= sort.count - others:
        return ""
    used = f", {others} with other makes" if others else ""
    return f"{count} of “{sort.name}”, and {sort.count} are there{used}."


def overfull(here: Here, mould: str, count: int, cheese_kg: float) -> str:
    """What speaks against so few moulds of a sort: the curd fills more of them."""
    sort = sort_of(here, mould)
    if sort is None or sort.mould is None:
        return ""
    fills = fewest(cheese_kg, sort.mould, here.house)
    if fills <= count:
        return ""
    return f"This curd fills {fills} of “{sort.name}”, and {count} told: where is the rest of it?"


def asked_at_press(
    here: Here, make: Make, deed: deeds.Deed, bounds: Bounds, standing: Standing
) -> Bounds:
    """What a deed at Press & salt is held against: loads for these moulds, what others are in, the
    yield, the whey. Raises NotHere for a tub that is not here."""
    recipe, sheet = recipe_of(make), makes.sheet_of(make)
    match deed:
        case deeds.Loaded(step=step, load_kg=load, press=press):
            at = in_moulds(here, make, recipe, sheet, standing)
            wanted = load_of(recipe, recipe.step(step), sheet, at) if load else None
            loads = {step: wanted.value} if wanted else {}
            return replace(bounds, loads=loads, crowded=taken(here, make, press))
        case deeds.Moulded(count=count, mould=key):
            cheese_kg = cheese_now(recipe, sheet, standing).value
            asked = too_few(here, make, key, count), overfull(here, key, count, cheese_kg)
            return replace(bounds, crowded=" ".join(filter(None, asked)))
        case deeds.InBrine(tub=tub):
            pieces = pieces_of(standing, sheet, recipe)
            mould = mould_of(here, make, standing)
            against = crowded(here, make, recipe, pieces=pieces, mould=mould, tub_id=tub)
            asked = against, asked_of_tub(here, tub)
            return replace(bounds, crowded=" ".join(filter(None, asked)))
        case deeds.OutOfMould(weighed) if weighed and sum(weighed) > 0:
            return replace(bounds, weight_says=yielded(recipe, sheet, sum(weighed)))
        case deeds.WheyRan() | deeds.WheyWent():
            return replace(bounds, whey_l=made_of_whey(here, make).litres)
    return bounds
