"""What may be so and is far from what was expected: asked at once, then kept with a word."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from datetime import datetime, timedelta

from openpail.craft.errors import NotPossible, OutOfRange
from openpail.craft.house import House
from openpail.craft.make.at_press import ask_at_press
from openpail.craft.make.bounds import Bounds
from openpail.craft.make.day import StepState
from openpail.craft.make.deeds import (
    AcidGiven,
    CurdWeighed,
    Deed,
    FirstFlocks,
    InBrine,
    Loaded,
    Moulded,
    OutOfMould,
    ReadingTaken,
    StepDone,
    WaterAdded,
    Weighed,
    WheyOff,
    WheyRan,
    WheyWent,
)
from openpail.craft.make.standing import Reading, odd_flocks
from openpail.craft.recipe.recipe import StepKind
from openpail.craft.units import so_long

_JUMP_WITHIN = timedelta(minutes=5)
_SHORT_MIN = 10.0  # a step as short as this is done when it is done
_TIME_TELLS: frozenset[StepKind] = frozenset(
    {
        *("wait", "heal", "stir", "heat", "hold", "settle", "drain", "cheddar", "hang"),
        *("press", "brine", "cook in whey"),
    }
)


def ask(deed: Deed, at: datetime, bounds: Bounds) -> None:
    """Ask for a word where a deed is far from what was expected.

    Parameters: deed, told without one; at, when it happened; bounds. Raises: OutOfRange about
    “word”, or “note” of a reading; NotPossible for a cheese that is not cut. Source: house value.
    """
    match deed:
        case Weighed(pieces):
            _ask_weight(sum(pieces), bounds)
            ask_at_press(deed, bounds)
        case OutOfMould() | Loaded() | Moulded() | InBrine() | WheyRan() | WheyWent():
            ask_at_press(deed, bounds)
        case FirstFlocks():
            _ask_flocks(at, bounds)
        case StepDone(step=step, gave=gave):
            _ask_doses(gave, bounds)
            if bounds.day is not None:
                _ask_step(bounds.day.state(step), at, bounds.day.standing.readings, bounds.house)
        case ReadingTaken(celsius=float(celsius)) if bounds.day is not None:
            _ask_jump(celsius, at, bounds.day.standing.readings, bounds.house)
        case CurdWeighed(kg):
            if bounds.is_far(kg, bounds.cheese_kg, "ask.curd"):
                raise OutOfRange(
                    f"{kg:.2f} kg of curd, where about {bounds.cheese_kg:.2f} kg of cheese are "
                    "expected. Look at the scale and its unit; write a word if it is so.",
                    "word",
                )
        case WaterAdded(litres, celsius):
            _ask_water(litres, celsius, bounds)
        case AcidGiven(amount):
            _ask_acid(amount, bounds)


def _ask_weight(total: float, bounds: Bounds) -> None:
    if bounds.uncut:
        raise NotPossible("It is not cut yet: there is no cheese to weigh.", "weight")
    expected = bounds.cheese_kg
    if bounds.is_far(total, expected, "ask.weight"):
        raise OutOfRange(
            f"{total:.2f} kg, where about {expected:.2f} were expected. Look at the scale and its "
            "unit, and whether a piece is missing; write a word if it is so.",
            "word",
        )


def _ask_flocks(at: datetime, bounds: Bounds) -> None:
    if bounds.rennet_at is None or not bounds.flocks_min:
        return
    minutes = (at - bounds.rennet_at).total_seconds() / 60
    asked = flocks_asked(minutes, bounds.flocks_min, bounds.house)
    if asked:
        raise OutOfRange(f"{asked} Write a word if it is so.", "word")


def flocks_asked(minutes: float, expected_min: float, house: House) -> str:
    """What is asked of first flocks that are hard to believe, "" of those that are not.

    Parameters: minutes after the rennet; expected_min, above 0; house. Source: house value.
    """
    if not odd_flocks(max(minutes, 0.01), expected_min, house):
        return ""
    return (
        f"First flocks after {round(minutes, 1):g} min, where about {expected_min:.0f} were "
        "expected: was the time of the rennet noted right, is it the right bottle, is the "
        "milk sour?"
    )


def _ask_doses(gave: Mapping[str, float], bounds: Bounds) -> None:
    for key, amount in gave.items():
        dose = bounds.doses.get(key, 0.0)
        if bounds.is_far(amount, dose, "ask.dose"):
            raise OutOfRange(
                f"{amount:.3g} was given, where the sheet says {dose:.3g}. Look at the unit; "
                "write a word if it is so.",
                "word",
            )


def _ask_step(state: StepState, at: datetime, readings: Collection[Reading], house: House) -> None:
    """A step that ends without its target, or long before its time."""
    step, minutes = state.planned.step, state.planned.minutes
    if state.done_at is not None:
        return
    since = [each for each in readings if each.at >= state.begins]
    read = [each.celsius for each in since if each.celsius is not None]
    if step.kind in ("warm", "heat") and step.celsius and read and read[-1] < step.celsius.low:
        raise OutOfRange(
            f"It was last read at {read[-1]:.1f} °C, and is to come to {step.celsius.target:g} °C. "
            "Read it once more; write a word if it is left at that.",
            "word",
        )
    sour = [each.ph for each in since if each.ph is not None]
    if step.ph and sour and step.ph.low <= sour[-1] <= step.ph.high:
        return
    lasted = (at - state.begins).total_seconds() / 60
    told_by_time = step.kind in _TIME_TELLS and "weight" not in step.asks
    if told_by_time and minutes > _SHORT_MIN and lasted < minutes * house.number("ask.under_time"):
        raise OutOfRange(
            f"“{step.title}” lasts about {so_long(minutes)}, and it is done after "
            f"{so_long(max(0.0, lasted))}? Write a word if it is so.",
            "word",
        )


def _ask_jump(celsius: float, at: datetime, readings: Collection[Reading], house: House) -> None:
    """No vat warms or cools as fast as this."""
    near = [
        each.celsius
        for each in readings
        if each.celsius is not None and timedelta(0) <= at - each.at <= _JUMP_WITHIN
    ]
    if near and abs(celsius - near[-1]) > house.number("ask.jump_c"):
        raise OutOfRange(
            f"{celsius:.1f} °C, and it was {near[-1]:.1f} °C within the last five minutes. Look at "
            "the thermometer again; write a note if it is so.",
            "note",
        )


def _ask_water(litres: float, celsius: float, bounds: Bounds) -> None:
    stands = bounds.milk_l - sum(
        each.deed.litres for each in bounds.told.values() if isinstance(each.deed, WheyOff)
    )
    scalds_c, most = bounds.house.number("ask.water_c"), bounds.house.number("ask.water_share")
    if celsius >= scalds_c:
        raise OutOfRange(
            f"Water of {celsius:.0f} °C seals the curd where it falls: under "
            f"{scalds_c:.0f} °C is usual. Write a word if it is so.",
            "word",
        )
    if bounds.brim_l and stands + litres > bounds.brim_l:
        raise OutOfRange(
            f"{litres:.1f} L on {max(0.0, stands):.1f} L is more than the vat’s "
            f"{bounds.brim_l:.0f} L. Look at the amount; write a word if it is so.",
            "word",
        )
    if stands > 0 and litres / stands > most:
        raise OutOfRange(
            f"{litres:.1f} L of water in {stands:.1f} L: over {100 * most:.0f} % the curd "
            "washes bland. Write a word if it is so.",
            "word",
        )


def _ask_acid(amount: float, bounds: Bounds) -> None:
    if bounds.recipe is None:
        return
    acid = bounds.recipe.ingredient("acid")
    dose = bounds.doses.get(acid.key, 0.0) if acid else 0.0
    total = amount + sum(
        each.deed.amount for each in bounds.told.values() if isinstance(each.deed, AcidGiven)
    )
    if dose > 0 and total > bounds.house.number("ask.dose") * dose:
        raise OutOfRange(
            f"That makes {total:.3g} in all, where about {dose:.3g} were expected. Is the milk hot "
            "enough, is it the right bottle? Write a word if it is so.",
            "word",
        )
