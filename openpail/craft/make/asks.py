"""What may be so and is far from what was expected: asked at once, then kept with a word."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta

from openpail.craft.errors import NotPossible, OddEnd, OutOfRange
from openpail.craft.house import House
from openpail.craft.make.at_press import ask_at_press, crowded
from openpail.craft.make.bounds import Bounds
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
    SetLooked,
    StepDone,
    WaterAdded,
    Weighed,
    WheyOff,
    WheyRan,
    WheyWent,
)
from openpail.craft.make.ends import odd_at_end, question, ready_words
from openpail.craft.make.order import set_step
from openpail.craft.make.standing import Standing, odd_flocks

_JUMP_WITHIN = timedelta(minutes=5)


def ask(deed: Deed, at: datetime, bounds: Bounds) -> None:
    """Ask for a word where a deed is far from what was expected.

    Parameters: deed, told without one; at, when it happened; bounds. Raises: OutOfRange about
    “word”, or “note” of a reading; NotPossible for a cheese that is not cut. Source: house value.
    """
    match deed:
        case Weighed(pieces):
            _ask_weight(sum(pieces), bounds)
            ask_at_press(deed, bounds)
        case OutOfMould() | Loaded() | InBrine() | WheyRan() | WheyWent():
            ask_at_press(deed, bounds)
        case FirstFlocks():
            _ask_flocks(at, bounds)
        case StepDone(step=step, gave=gave):
            _ask_end(step, at, bounds, gave)
        case Moulded(step=step):
            _ask_end(step, at, bounds)
        case SetLooked(look="clean" | "over") if bounds.recipe is not None:
            _ask_end(set_step(bounds.recipe) or "", at, bounds, broke=True)
        case ReadingTaken() if bounds.day is not None:
            _ask_reading(deed, at, bounds.day.standing, bounds)
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


def _ask_end(
    step: str,
    at: datetime,
    bounds: Bounds,
    gave: Mapping[str, float] | None = None,
    *,
    broke: bool = False,
) -> None:
    """The end of a step, looked at before it is taken: all that is odd in one question."""
    end = bounds.end_of(step, at, gave or {}, broke=broke)
    if end is None or end.state.done_at is not None:
        return
    odd = (*odd_at_end(end), *crowded(bounds))
    asked = question(odd)
    if asked:
        raise OddEnd(asked, ready_words(odd))


def _ask_reading(read: ReadingTaken, at: datetime, standing: Standing, bounds: Bounds) -> None:
    """No vat warms or cools as fast as this; no milk or curd gets sweeter."""
    near = [
        each.celsius
        for each in standing.readings
        if each.celsius is not None and timedelta(0) <= at - each.at <= _JUMP_WITHIN
    ]
    jump = bounds.house.number("ask.jump_c")
    jumped = read.celsius is not None and near and abs(read.celsius - near[-1]) > jump
    if read.celsius is not None and jumped and not _is_wanted(read.celsius, bounds):
        raise OutOfRange(
            f"{read.celsius:.1f} °C, and it was {near[-1]:.1f} °C within the last five minutes. "
            "Look at the thermometer again; write a note if it is so.",
            "note",
        )
    before = [each.ph for each in standing.readings if each.ph is not None and each.at <= at]
    if not before and bounds.milk_ph is not None:
        before = [bounds.milk_ph]
    rise = bounds.house.number("ask.rise_ph")
    if read.ph is not None and before and read.ph > before[-1] + rise and not bounds.salted:
        raise OutOfRange(
            f"pH {read.ph:.2f}, and it was {before[-1]:.2f}: milk and curd do not get sweeter. "
            "Rinse the electrode and read once more; write a note if it is so.",
            "note",
        )


def _is_wanted(celsius: float, bounds: Bounds) -> bool:
    """Whether it is as warm as the step under way wants it: a strong vat is quick."""
    current = bounds.day.current if bounds.day else None
    band = current.planned.step.celsius if current else None
    return band is not None and band.low <= celsius <= band.high


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
