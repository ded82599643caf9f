"""Cautions of the make day itself: what a step may do to hands, and what is foul in a vat."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

from openpail.craft.make.deeds import Felt, HelpTaken
from openpail.craft.make.standing import Standing
from openpail.craft.recipe.recipe import Recipe, RecipeStep
from openpail.craft.sheet.cautions import Caution

_BARE_HAND_C, _HOT_C, _HEATED_C = 45.0, 60.0, 75.0
_BY_HAND = frozenset({"heat", "stir", "hold", "settle", "drain", "mould", "cheddar", "mill"})
_GAS = frozenset({("floats", "own_gas"), ("gas", "aroma_gas"), ("gas", "yeasts")})
_COLIFORMS = frozenset({("floats", "coliforms"), ("gas", "coliform_gas")})


def at_step(step: RecipeStep, heater: str, water_c: float | None = None) -> tuple[Caution, ...]:
    """What a step may do to whoever stands there.

    Parameters: step; heater, of its vat (a key of HEATERS, "" unknown); water_c, of water that is
    poured. Source: usual practice.
    """
    return tuple(_at_step(step, heater, water_c))


def _at_step(step: RecipeStep, heater: str, water_c: float | None) -> Iterator[Caution]:
    hottest = max(step.celsius.target if step.celsius else 0.0, water_c or 0.0)
    if hottest >= _HOT_C or step.kind in ("stretch", "cook in whey"):
        yield Caution(
            key="hot-hands",
            level="note",
            title="Hot enough to scald.",
            words="Gloves, two people to lift a full pot, children and animals out.",
        )
    elif hottest >= _BARE_HAND_C and step.kind in _BY_HAND:
        yield Caution(
            key="hot-curd",
            level="note",
            title="Too hot for a bare hand.",
            words=f"From {_BARE_HAND_C:.0f} °C on curd is worked with a clean glove or a paddle.",
        )
    if step.kind == "press":
        yield Caution(
            key="cold-room",
            level="note",
            title="A cold room knits no curd.",
            words="Under 20 °C cover the press, or warm the mould: cracks stay open.",
        )
    if heater == "immersed" and step.kind in ("drain", "take whey off", "mould"):
        yield Caution(
            key="heater",
            level="note",
            title="The heater is in the bath.",
            words="Unplug it first, with dry hands.",
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class OfGas:
    """What says how grave gas in a curd is: whether its milk is raw; whether a culture that makes
    gas of its own went in; whether its acid is on its line; hours from which gas is late."""

    raw: bool
    is_cultured_for: bool = False
    acid_is_slow: bool = False
    late_h: float = 12.0


def foul(standing: Standing, of: OfGas) -> Caution | None:
    """Stop, once somebody took gas or floating curd for coliforms, and at any gas in raw curd;
    look, at a foul smell.

    Parameters: standing; of, what the gas is held against. Returns: the stop stays, whatever smells
    clean later. Source: usual practice; handbook of the vat.
    """
    taken = [(tap.at, (deed.sign, deed.cause)) for tap, deed in standing.of(HelpTaken)]
    if any(end in _COLIFORMS for _, end in taken):
        return Caution(
            key="coliforms",
            level="stop",
            title="Stop: gas of dirty milk.",
            words="Gas within half a day, with a foul smell, is coliforms: do not eat, sell or "
            "feed this cheese; keep it apart and marked, scald what it touched, have the milk "
            "tested.",
        )
    gas = [at for at, end in taken if end in _GAS]
    if of.raw and gas:
        return _raw_gas(standing, of, gas[0])
    if _smells_foul(standing):
        return Caution(
            key="foul",
            level="strong caution",
            title="It smells sour or foul.",
            words="Look for gas and sponge: with them it is coliforms, and not to be eaten. "
            "Read the pH; "
            "“Looks wrong” leads on.",
        )
    return None


def _smells_foul(standing: Standing) -> bool:
    smelt = [deed.sign for _, deed in standing.of(Felt) if deed.of == "smell"]
    return bool(smelt) and smelt[-1] == "foul"


def _raw_gas(standing: Standing, of: OfGas, at: datetime) -> Caution:
    """Gas in raw curd: a stop, but where a culture makes it, late, clean, on its line of acid."""
    since = standing.cultured_at
    is_late = since is not None and at - since >= timedelta(hours=of.late_h)
    own = of.is_cultured_for and is_late and not of.acid_is_slow and not _smells_foul(standing)
    return Caution(
        key="gas",
        level="strong caution" if own else "stop",
        title="Gas in raw curd." if own else "Stop and look: gas in raw curd.",
        words="It may be of germs that make ill, however clean it smells: keep the cheese apart "
        "and marked, and have it tested before anybody eats it.",
    )


def raw_heat(recipe: Recipe, is_raw: bool, standing: Standing) -> Caution | None:
    """Raw milk that its own readings do not show as heated, once the acid is in.

    Parameters: recipe; is_raw, its milk; standing. Returns: None for other families, heated milk,
    and while the acid is not done. Source: our own judgement, 75 °C with the acid or before it.
    """
    acid = recipe.ingredient("acid")
    step = next((each for each in recipe.steps if acid and acid.key in each.adds), None)
    done = standing.done.get(step.key) if step else None
    if not is_raw or not recipe.family.startswith("acid_heat") or done is None:
        return None
    read = [e.celsius for e in standing.readings if e.celsius is not None and e.at <= done.at]
    if read and max(read) >= _HEATED_C:
        return None
    return Caution(
        key="raw-soft",
        level="strong caution",
        title=f"Raw and soft: no reading shows {_HEATED_C:.0f} °C.",
        words=f"Read at {_HEATED_C:.0f} °C or more before the acid, it would count as heated. "
        f"As it is, "
        "it is raw: not for the pregnant, very young, old or ill, and no age clears it.",
    )
