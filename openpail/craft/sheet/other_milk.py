"""What another milk does to a recipe: the same make, turned to each milk beside each other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

from openpail.craft.doses.asked import Job, Ways
from openpail.craft.errors import CraftError
from openpail.craft.house import House
from openpail.craft.milk.blend import Pour, pour
from openpail.craft.milk.kinds import SPECIES, Breed, Treatment, table_breed
from openpail.craft.recipe.recipe import Recipe, as_pour, reference_pours
from openpail.craft.sheet.adapt import adapt
from openpail.craft.sheet.cautions import Caution, for_sheet
from openpail.craft.sheet.sheet import Sheet


@dataclass(frozen=True, slots=True, kw_only=True)
class Turned:
    """A recipe turned to one milk: its sheet with that milk's cautions, or why it cannot be."""

    name: str
    pours: tuple[Pour, ...]
    sheet: Sheet | None
    cautions: tuple[Caution, ...] = ()
    refusal: str = ""


def as_if(
    recipe: Recipe, house: House, breed: Breed | None = None, treatment: Treatment | None = None
) -> tuple[Pour, ...]:
    """As much milk as the recipe's, of another animal or with another heat behind it.

    Parameters: recipe; house; breed and treatment, None for the recipe's own.
    Source: species table.
    """
    parts = [
        replace(
            part,
            breed=breed or part.breed,
            treatment=treatment or part.treatment,
            homogenised=part.homogenised and not (breed or treatment),
        )
        for part in recipe.reference
    ]
    return tuple(as_pour(part, house) for part in parts)


def scaled_to(pours: Sequence[Pour], litres: float) -> tuple[Pour, ...]:
    """The same mix, so many litres of it in all.

    Parameters: pours, over 0 L together; litres, over 0. Source: derivation.
    """
    share = litres / sum(each.volume_l for each in pours)
    return tuple(
        replace(
            each,
            mass=each.mass.times("as much as the recipe’s", share),
            litres=each.volume_l * share,
        )
        for each in pours
    )


def turned(
    recipe: Recipe, name: str, pours: tuple[Pour, ...], *, house: House, ways: Ways, day: date
) -> Turned:
    """A recipe turned to one milk, with its own bottles.

    Parameters: recipe; name of the column; pours, one or more; house; ways, the house ways; day
    of the make. Source: the sheet's rules.
    """
    milk = pour(pours, house)
    cautions = tuple(
        each
        for each in for_sheet(recipe, milk, (), products=(), made_on=day, house=house)
        if each.level != "note"
    )
    try:
        return Turned(
            name=name,
            pours=pours,
            sheet=adapt(Job(recipe=recipe, milk=milk, house=house, ways=ways)),
            cautions=cautions,
        )
    except CraftError as why:
        return Turned(name=name, pours=pours, sheet=None, cautions=cautions, refusal=why.words)


HEATS: tuple[Treatment, ...] = ("raw", "batch", "flash", "ultra_heated")


def side_by_side(
    recipe: Recipe, house: House, ways: Ways, day: date, own: Sequence[Pour] = ()
) -> tuple[Turned, ...]:
    """A recipe as written and in each other milk: heats first, then animals, then the dairy's own.

    Parameters: recipe; house; ways; day of the make; own, the dairy's own mix, may be none.
    Source: the sheet's rules.
    """
    milks = [("as written", reference_pours(recipe, house))]
    own_heats = {part.treatment for part in recipe.reference}
    milks += [(heat, as_if(recipe, house, treatment=heat)) for heat in HEATS if own_heats != {heat}]
    alone = recipe.animals() if len(recipe.animals()) == 1 else ()
    milks += [
        (animal, as_if(recipe, house, breed=table_breed(animal)))
        for animal in SPECIES
        if animal not in alone
    ]
    if own:
        milks.append(("own mix", scaled_to(own, sum(part.volume_l for part in recipe.reference))))
    return tuple(
        turned(recipe, name, pours, house=house, ways=ways, day=day) for name, pours in milks
    )
