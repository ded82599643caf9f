"""Lists around a make: what stands ready before the milk goes in, what is rinsed off after."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from openpail.craft.bench.vat import most_l
from openpail.craft.clock.ready import Ready
from openpail.craft.house import House
from openpail.craft.make.frozen import Frozen
from openpail.craft.recipe.recipe import Recipe

_SCALD_MIN = 5.0
_WASH_SHARE = 0.3
_SPARE = 1.2


@dataclass(frozen=True, slots=True, kw_only=True)
class ToDo:
    """A thing of a list: its key, words, litres that belong to it, minutes of a clock that it
    wants, and whether something speaks against it."""

    key: str
    words: str
    litres: float | None = None
    minutes: float | None = None
    wrong: str = ""


def before(
    recipe: Recipe,
    sheet: Frozen,
    milk_l: float,
    *,
    brim_l: float,
    kit: Sequence[Ready],
    house: House,
    full: str = "",
) -> tuple[ToDo, ...]:
    """What is to be ready before the milk goes in, in the order in which hands do it.

    Parameters: recipe and its sheet; milk_l and brim_l, of the vat; kit, from `ready`; house; full,
    words of a room that has no place for it, "" where there is one.
    Source: the recipe's steps; usual practice.
    """
    washes = any(step.kind == "add water" for step in recipe.steps)
    most = most_l(brim_l, house)
    needs = milk_l * (1 + _WASH_SHARE) - (_taken_off(recipe) * milk_l if washes else 0.0)
    wrong = ""
    if washes and needs > brim_l:
        wrong = "with its wash water it comes over the brim: take more whey off first"
    elif milk_l > most:
        wrong = "there is no head room"
    room = "Head room in the vat, its wash water too" if washes else "Head room in the vat"
    found = [ToDo(key="head", words=room, wrong=wrong)]
    found += [
        ToDo(key=each.key, words=each.words, litres=each.litres)
        for each in kit
        if each.days_before == 0
    ]
    if recipe.stages:
        found.append(
            ToDo(key="place", words=f"A place to ripen: {recipe.stages[0].place}", wrong=full)
        )
    spoons = sorted({line.spoons for line in sheet.lines if line.by_spoon and line.spoons})
    if spoons:
        found.append(ToDo(key="spoons", words=f"Spoons: {'; '.join(spoons)}"))
    water_l = sum(line.water.value for line in sheet.lines if line.water) / 1000
    water_l += milk_l * _WASH_SHARE if washes else 0.0
    found.append(
        ToDo(
            key="scald",
            words="All of it scalded, five minutes in boiling water",
            litres=None,
            minutes=_SCALD_MIN,
        )
    )
    if washes:
        found.append(
            ToDo(
                key="water_all",
                words="Clean water in all, no chlorine in it, about",
                litres=water_l * _SPARE,
            )
        )
    return tuple(found)


def _taken_off(recipe: Recipe) -> float:
    return sum(step.share or 0.0 for step in recipe.steps if step.kind == "take whey off")


def after(recipe: Recipe, house: House) -> tuple[ToDo, ...]:
    """What is cleaned before it sets like cement, the most pressing first.

    Parameters: recipe; house. Source: usual practice; house value for the minutes.
    """
    kinds = {step.kind for step in recipe.steps}
    wanted = (
        (True, "vat", "Vat and spoons: cool water first, then hot with a brush"),
        (
            bool(kinds & {"drain", "hang", "press", "mould"}),
            "cloths",
            "Cloths: cool rinse, then boil",
        ),
        (
            bool(kinds & {"mould", "press"}),
            "moulds",
            "Moulds and followers: cool rinse, brush the holes",
        ),
        ("stretch" in kinds, "stretch", "The stretching bowl, while its fat is warm"),
        (True, "drain", "The drain: curd out of it, a kettle of hot water after"),
        (True, "thermometer", "Thermometer and meter: rinsed, the electrode in its liquid"),
    )
    minutes = house.number("cement.minutes")
    return tuple(
        ToDo(key=f"after-{key}", words=words, litres=None, minutes=minutes if number == 0 else None)
        for number, (is_so, key, words) in enumerate(each for each in wanted if each[0])
    )
