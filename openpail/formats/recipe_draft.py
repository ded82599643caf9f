"""A recipe while it is read out of a text: what is known so far, and the whole that it makes."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

from openpail.craft.errors import Unknown
from openpail.craft.house import House, shipped
from openpail.craft.recipe.recipe import (
    Basis,
    Ingredient,
    Recipe,
    RecipeStep,
    ReferencePart,
    Stage,
    StepKind,
)
from openpail.craft.stock.products import Product
from openpail.craft.units import System
from openpail.formats.line_parts import among, guess_family
from openpail.formats.recipe_words import FAMILIES, free_key, slug


@dataclass(kw_only=True)
class Draft:
    """What has been read so far.

    wanted, what a step stirs in, in words, and the line that says so; missed, what is missing, by
    its line; usual, the places of the recipe that the text does not tell and its reader filled in.
    """

    house: House
    system: System
    head: dict[str, Any] = field(default_factory=dict)
    reference: list[ReferencePart] = field(default_factory=list)
    ingredients: list[Ingredient] = field(default_factory=list)
    steps: list[RecipeStep] = field(default_factory=list)
    stages: list[Stage] = field(default_factory=list)
    wanted: dict[str, tuple[int, str]] = field(default_factory=dict)
    missed: list[tuple[int, str]] = field(default_factory=list)
    usual: list[str] = field(default_factory=list)

    @property
    def begun(self) -> bool:
        """Whether anything of the recipe itself was read."""
        return bool(self.reference or self.ingredients or self.steps)

    @property
    def last_kind(self) -> StepKind | None:
        """The kind of the last step."""
        return self.steps[-1].kind if self.steps else None

    def add(self, product: Product, amount: float, unit: str, basis: Basis, words: str) -> None:
        """Put an ingredient behind the others."""
        key = free_key(product.kind, {each.key for each in self.ingredients})
        self.ingredients.append(
            Ingredient(key=key, product=product, amount=amount, unit=unit, basis=basis, words=words)
        )

    def change_last(self, change: Callable[[RecipeStep], RecipeStep]) -> str:
        """The step before, changed. Raises Unknown where none stands before it."""
        if not self.steps:
            raise Unknown("This belongs to a step, and none stands before it.")
        self.steps[-1] = change(self.steps[-1])
        return f"of the step before: {self.steps[-1].title}"


PutIn = Callable[[Draft, str, int, str], None]
"""Says which of what goes in a step stirs in: its key, the line, the words for it."""


def whole(draft: Draft, put_in: PutIn) -> tuple[Recipe, tuple[str, ...]]:
    """The recipe that the lines make, and what was taken for granted.

    Parameters: draft; put_in, how its reader says what a step stirs in.
    """
    granted = []
    for key, (number, want) in draft.wanted.items():
        put_in(draft, key, number, want)
    family = draft.head.get("family")
    if family is None:
        family = guess_family(draft.reference, draft.ingredients, draft.steps)
        draft.usual.append("family")
        granted.append(f"Family: {FAMILIES[family]}, by what goes in and what is done.")
    head = {"name": "A recipe without a name", "words": "", "eat_by_days": 0, **draft.head}
    head["family"] = family
    renneted = any(each.product.kind == "rennet" for each in draft.ingredients)
    if renneted and "renneting_c" not in head:
        head["renneting_c"] = _warmth_at_rennet(draft)
        if head["renneting_c"] is not None:
            draft.usual.append("renneting_c")
            granted.append(f"Rennet at {head['renneting_c']:.3g} °C, the warmth before it.")
    usual = f"cut.usual_{family}"
    if renneted and "cut_multiplier" not in head and usual in shipped():
        head["cut_multiplier"] = draft.house.number(usual)
        draft.usual.append("cut_multiplier")
        granted.append(f"Cut at {head['cut_multiplier']:g} times the flocks, usual of its family.")
    recipe = Recipe(
        key=slug(head["name"]),
        reference=tuple(draft.reference),
        ingredients=tuple(draft.ingredients),
        steps=tuple(draft.steps),
        stages=tuple(draft.stages),
        **head,
    )
    return recipe, tuple(granted)


def put_in_by_name(draft: Draft, step_key: str, number: int, want: str) -> None:
    """What a step stirs in, by its words, of what goes in and no step before it took."""
    at = next(i for i, step in enumerate(draft.steps) if step.key == step_key)
    before = {key for step in draft.steps for key in step.adds}
    named = [
        e.key for e in draft.ingredients if e.key not in before and e.product.name.lower() in want
    ]
    adds = named
    for each in () if named else re.split(r",? and (?:the )?|, ", want):
        found = among(each, [one for one in draft.ingredients if one.key not in before])
        if found and found not in adds:
            adds.append(found)
    draft.steps[at] = replace(draft.steps[at], adds=tuple(adds))
    if not adds and draft.steps[at].kind == "add":
        draft.missed.append(
            (
                number,
                f"“{want}” is not among what goes in: write its amount on a line of its own.",
            )
        )


def _warmth_at_rennet(draft: Draft) -> float | None:
    warm = None
    rennets = {each.key for each in draft.ingredients if each.product.kind == "rennet"}
    for step in draft.steps:
        warm = step.celsius.target if step.celsius else warm
        if rennets & set(step.adds):
            break
    return warm if warm is not None and 10 <= warm <= 45 else None
