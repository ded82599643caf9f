"""What a cheese is made of, read of what was really poured and done."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from typing import NamedTuple

from openpail.craft.cave.course import PieceCourse
from openpail.craft.cave.label import GivenTo, Matter, MilkSaid
from openpail.craft.make.frozen import Frozen, FrozenLine
from openpail.craft.make.standing import Standing
from openpail.craft.recipe.cares import kind_of
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.stock.products import Product
from openpail.records import inherited
from openpail.records.inherited import MilkIn
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.stock import actions as stock
from openpail.work.here import Here
from openpail.work.make.made import recipe_of, standing_of

# Cares that put nothing on a cheese.
_NOTHING_ON_IT = frozenset({"eat", "taste", "look", "turn", "weigh", "sign", "recheck"})


def matter_of(here: Here, make: Make, *, raw: bool, course: PieceCourse | None = None) -> Matter:
    """What a make, or a piece of it by its course, is made of.

    Parameters: raw, whether it counts as raw; course, None for the make itself.
    """
    recipe, sheet, went = recipe_of(make), makes.sheet_of(make), _went_in(here, make)
    milk = MilkSaid(
        animals=went.milk.animals,
        raw=raw,
        thermised=went.milk.treatments == {"thermised"},
        heated=sheet.milk.raw and not raw,
        declared=any(each.key == "declared" for each in sheet.cautions),
    )
    done = tuple(_done(recipe, course)) if course else ()
    return Matter(milk=milk, given=went.given, done=done, answers=here.dairy.allergens)


class _WentIn(NamedTuple):
    """What went into a make: its milk, and what its steps gave."""

    milk: MilkIn
    given: tuple[GivenTo, ...]


def _went_in(here: Here, make: Make) -> _WentIn:
    """What went into a make, read once for all its pieces."""
    key = ("went in", make.id)
    if key not in here.worked:
        milk = inherited.milk_in(here.session, here.dairy.id, make.id)
        given = _given(here, recipe_of(make), makes.sheet_of(make), standing_of(here, make))
        here.worked[key] = _WentIn(milk, tuple(given))
    found = here.worked[key]
    assert isinstance(found, _WentIn)
    return found


def _given(here: Here, recipe: Recipe, sheet: Frozen, standing: Standing) -> Iterator[GivenTo]:
    """What its steps gave: of the bottle that was told, else of the one on the sheet."""
    words = {each.key: each.words for each in recipe.ingredients}
    products = {each.key: each.product for each in recipe.ingredients} | dict(sheet.bottles)
    for step in recipe.steps:
        if step.key not in standing.done or step.key in standing.skipped:
            continue
        gave, bottles = standing.gave(step.key), standing.bottles(step.key)
        for line in sheet.given_by(step.adds):
            if gave.get(line.key, line.figure.value) <= 0:
                continue
            product = _product(here, bottles.get(line.key, ""), products.get(line.key))
            yield _as_given(line, product, words.get(line.key, ""))


def _product(here: Here, lot: str, planned: Product | None) -> Product | None:
    """The bottle that was told, where it is not the one on the sheet."""
    if not lot or (planned is not None and planned.lot == lot):
        return planned
    row = stock.bottle(here.session, here.dairy, uuid.UUID(lot))
    return stock.product_of(row, here.today)


def _as_given(line: FrozenLine, product: Product | None, words: str) -> GivenTo:
    if product is None:
        return GivenTo(line.kind, "", line.name, words)
    return GivenTo(product.kind, product.sort, product.name or line.name, words)


def _done(recipe: Recipe, course: PieceCourse) -> Iterator[str]:
    """What the cares of the stages that it was in put on it, in the words of the recipe."""
    for stage in recipe.stages[: course.stage + 1]:
        yield from (care.words for care in stage.cares if kind_of(care) not in _NOTHING_ON_IT)
