"""The press of a make: which steps are at it, the load of each for this mould, what to look at."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.make.frozen import Frozen
from openpail.craft.press.load import PSI_PER_KPA, for_mould, press_word, pressure_kpa
from openpail.craft.press.moulds import Mould
from openpail.craft.press.presses import RETIGHTEN_MIN, Press, least_kg, mark_mm, to_hang
from openpail.craft.press.weights import Pile, Thing, nearest
from openpail.craft.recipe.recipe import Recipe, RecipeStep, StepKind

_AT_THE_VAT: frozenset[StepKind] = frozenset(
    {"warm", "heat", "cook in whey", "stretch", "add", "cut", "heal", "stir", "add water"}
)
_BOTTLES_KG = 0.05


def begins_at(recipe: Recipe) -> int | None:
    """The number of the first step that is at Press & salt, from 0: moulding, pressing in a mould,
    salting of curd or rind, brine; None for a cheese that needs none of it.

    Parameters: recipe. Source: usual practice.
    """
    kinds = [step.kind for step in recipe.steps]
    mould = kinds.index("mould") if "mould" in kinds else None
    in_milk = {each.key for each in recipe.ingredients if each.basis == "percent_of_milk"}
    found = [mould] if mould is not None else []
    for number, step in enumerate(recipe.steps):
        salted = step.kind == "salt" and not set(step.adds) & in_milk
        pressed = step.kind == "press" and (mould is None or number > mould)
        if salted or pressed or step.kind == "brine":
            found.append(number)
    return min(found, default=None)


def is_at_press(recipe: Recipe, step: RecipeStep) -> bool:
    """Whether a step is done at Press & salt, and not at the vat.

    Parameters: recipe; step, one of its own. Source: usual practice.
    """
    begins = begins_at(recipe)
    return (
        begins is not None and recipe.steps.index(step) >= begins and step.kind not in _AT_THE_VAT
    )


def now_at_press(recipe: Recipe, done: Collection[str]) -> bool:
    """Whether the first step that is not done is at Press & salt.

    Parameters: recipe; done, keys of steps. Source: derivation.
    """
    now = next((step for step in recipe.steps if step.key not in done), None)
    return now is not None and is_at_press(recipe, now)


@dataclass(frozen=True, slots=True)
class InMoulds:
    """The moulds that a cheese is in, or is to go into: of which measures (None: nobody measured
    them), how many, stacked in the press or side by side."""

    mould: Mould | None
    count: int
    stacked: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Pressing:
    """A pressing for this mould.

    load on the cheese, None where the recipe names none or the press tells none; kpa, of it on one
    mould; word, of the school; hang, what is hung or stacked, and pile, out of what is owned;
    mark_mm of a spring; says, what to look at.
    """

    load: Figure | None
    kpa: float | None
    word: str
    hang: Figure | None = None
    pile: Pile | None = None
    mark_mm: float | None = None
    says: tuple[str, ...] = ()
    as_written_kg: float | None = None

    @property
    def psi(self) -> float | None:
        """The pressure in pounds on a square inch."""
        return None if self.kpa is None else self.kpa * PSI_PER_KPA


def load_of(recipe: Recipe, step: RecipeStep, sheet: Frozen, moulds: InMoulds) -> Figure | None:
    """The load of a pressing, for these moulds, kg.

    By the area of the mould, where recipe and dairy measured theirs; else as the sheet moved it.
    Parameters: recipe; step, of its own, as written; sheet; moulds. Returns: None where none is
    named.
    Source: p = m g / A.
    """
    if step.load_kg is None:
        return None
    moves = [each for each in sheet.moved.of(step.key) if each.part == "load_kg"]
    wheels = recipe.wheels
    if wheels is None or moulds.mould is None:
        start = Figure.start("as written", step.load_kg, "kg", source="the recipe")
        return moves[0].figure if moves else start
    figure = for_mould(
        Figure.start("as written", step.load_kg, "kg", source="the recipe"),
        wheels.area_cm2,
        moulds.mould.area_cm2,
        1 if wheels.stacked else wheels.pieces,
        1 if moulds.stacked else moulds.count,
    )
    soft = [
        each
        for move in moves
        for each in move.figure.because
        if each.house_key == "move.first_press"
    ]
    return figure.scaled(soft)


def pressing(
    recipe: Recipe,
    step: RecipeStep,
    sheet: Frozen,
    *,
    moulds: InMoulds,
    press: Press | None,
    things: Sequence[Thing],
) -> Pressing:
    """A pressing as the hands do it.

    Parameters: recipe; step, of its own, as written; sheet; moulds; press, None where none is
    given;
    things, what of weights the dairy owns. Source: p = m g / A; law of the lever; house values.
    """
    load, house = load_of(recipe, step, sheet, moulds), sheet.house
    if load is None:
        return Pressing(load=None, kpa=None, word="", says=_screw_says(press))
    area = (
        moulds.mould.area_cm2 if moulds.mould else recipe.wheels.area_cm2 if recipe.wheels else None
    )
    under = area * (1 if moulds.stacked else moulds.count) if area else None
    kpa = pressure_kpa(load.value, under) if under else None
    word = press_word(kpa, house) if kpa is not None else ""
    written = step.load_kg if recipe.wheels is None else None
    if press is None or not press.tells:
        return Pressing(
            load=load, kpa=kpa, word=word, says=_screw_says(press), as_written_kg=written
        )
    if press.sort == "spring":
        return _by_spring(load, kpa, word, press, written)
    hang = to_hang(load, press)
    pile = nearest(hang.value, things) if things and hang.value > _BOTTLES_KG else None
    says = _stack_says(pile, moulds, press, house) + _least_says(load, press)
    return Pressing(
        load=load,
        kpa=kpa,
        word=word,
        hang=hang,
        pile=pile,
        mark_mm=None,
        says=says,
        as_written_kg=written,
    )


def _by_spring(
    load: Figure, kpa: float | None, word: str, press: Press, written: float | None
) -> Pressing:
    low, high = press.marks[0][1], press.marks[-1][1]
    if not low <= load.value <= high:
        end = "first" if load.value < low else "last"
        says = f"Its marks go from {low:g} to {high:g} kg: to the {end} one, and longer or shorter."
        return Pressing(load=load, kpa=kpa, word=word, says=(says,), as_written_kg=written)
    return Pressing(
        load=load, kpa=kpa, word=word, mark_mm=mark_mm(load.value, press), as_written_kg=written
    )


def _screw_says(press: Press | None) -> tuple[str, ...]:
    if press is None or press.sort != "screw":
        return ()
    told = ", ".join(f"{minutes:.0f}" for minutes in RETIGHTEN_MIN)
    return (
        "Screw it down until the whey runs in a slow steady drip, clear; a stream or milky whey is "
        f"too hard. The curd gives: once more after {told} min.",
    )


def _least_says(load: Figure, press: Press) -> tuple[str, ...]:
    alone = least_kg(press)
    if alone > load.value * 1.02:
        return (f"The press alone lays {alone:.1f} kg on it: more than this stage wants.",)
    return ()


def _stack_says(pile: Pile | None, moulds: InMoulds, press: Press, house: House) -> tuple[str, ...]:
    if pile is None:
        return ()
    says = []
    if not pile.is_near:
        way = "over" if pile.off_kg > 0 else "under"
        says.append(f"With what is in the house it is {abs(pile.off_kg):.1f} kg {way}.")
    narrow = moulds.mould and min(
        moulds.mould.across_cm, moulds.mould.side_cm or moulds.mould.across_cm
    )
    stands = pile.height_cm + (moulds.mould.height_cm if moulds.mould else 0.0)
    if press.sort == "stack" and narrow and stands > house.number("press.topples_at") * narrow:
        says.append(
            f"It stands {stands:.0f} cm high on {narrow:.0f} cm: it may topple. Level the board, "
            "and tie it or stand it in a corner."
        )
    return tuple(says)


def cold_says(celsius: float | None, room_c: float | None, house: House) -> tuple[str, ...]:
    """What a curd or a room that is too cold for the press asks.

    Parameters: celsius of the curd and room_c, None where nobody read them; house.
    Source: house values.
    """
    says = []
    curd, room = house.number("press.curd_warm_c"), house.number("press.room_warm_c")
    if celsius is not None and celsius < curd:
        says.append(
            f"The curd is at {celsius:.0f} °C, and knits badly under {curd:.0f}: warm water around "
            "the mould, or whey over the cloth."
        )
    if room_c is not None and room_c < room:
        says.append(f"The room has {room_c:.0f} °C: under {room:.0f} curd knits badly. Cover it.")
    return tuple(says)
