"""The strength test at home (Soxhlet): a cup of today's milk, a measure of rennet, a stopwatch."""

from __future__ import annotations

from openpail.craft.errors import OutOfRange
from openpail.craft.figure import Figure
from openpail.craft.house import House, along

_WORKS_C = (20.0, 45.0)  # rennet, at all
_KNOWN = (1_000, 1_000_000)  # strengths, 1 : N

_SECONDS = 2400.0  # Soxhlet's forty minutes at 35 °C
TEST_C = 35.0
USUAL_MILK_ML, USUAL_RENNET_ML = 500.0, 0.5


def strength(milk_ml: float, rennet_ml: float, seconds: float) -> float:
    """Strength in Soxhlet units: parts of this milk that one part of rennet sets in 40 min.

    Parameters: milk_ml 50–2000, at 35 °C; rennet_ml, as neat rennet, 0.01–10; seconds to the
    first flocks, 20–3600. Raises: OutOfRange.
    Source: Soxhlet, S = V_milk × 2400 / (V_rennet × s).
    """
    for words, value, low, high, unit, about in (
        ("The cup of milk", milk_ml, 50, 2000, "mL", "milk"),
        ("The rennet in it", rennet_ml, 0.01, 10, "mL", "rennet"),
        ("The time to the first flocks", seconds, 20, 3600, "s", "seconds"),
    ):
        if not low <= value <= high:
            raise OutOfRange(
                f"{words}, {value:g} {unit}, is outside {low:g} to {high:g} {unit}.", about
            )
    return milk_ml * _SECONDS / (rennet_ml * seconds)


def dose_ml(
    soxhlet: float, milk_ml: float, seconds_wanted: float, celsius: float, house: House
) -> Figure:
    """Neat rennet that brings the same milk to its first flocks in a wanted time, mL, with its
    because.

    Parameters: soxhlet, its strength, over 0; milk_ml over 0; seconds_wanted over 0; celsius
    of renneting 20–45; house, for the effect of warmth.
    Raises: OutOfRange.
    Source: Soxhlet; warmth against the test's 35 °C, house value.
    """
    if soxhlet <= 0 or milk_ml <= 0 or seconds_wanted <= 0:
        raise OutOfRange("A dose needs a strength, milk and a time, each over 0.")
    if not _WORKS_C[0] <= celsius <= _WORKS_C[1]:
        raise OutOfRange(f"Rennet at {celsius:g} °C: it works between 20 and 45 °C.", "celsius")
    key = "rennet.temperature"
    curve = house.curve(key)
    warmth = along(curve, celsius) / along(curve, TEST_C)
    return (
        Figure.start("milk to set", milk_ml / 1000, "L", "measured")
        .times(f"for each litre: one part sets {soxhlet:.0f}", 1000 / soxhlet, into="mL")
        .times("forty minutes against the time wanted", _SECONDS / seconds_wanted, source="Soxhlet")
        .times(
            f"at {celsius:g} °C, against the cup’s {TEST_C:g} °C",
            warmth,
            source=house.source(key),
            house_key=key,
        )
    )


def imcu_per_ml(soxhlet: float, house: House) -> float:
    """About how many IMCU a mL holds, from a strength in Soxhlet units: an estimate, ± 30 %.

    Parameters: soxhlet 1 000–1 000 000 (a label's “1 : 10 000” is 10 000). Raises: OutOfRange.
    Source: house value, 100 IMCU/mL for 10 000.
    """
    if not _KNOWN[0] <= soxhlet <= _KNOWN[1]:
        raise OutOfRange(f"A strength of 1 : {soxhlet:,.0f} is not one we know.".replace(",", " "))
    return soxhlet / 10_000 * house.number("rennet.imcu_per_soxhlet")


def tested(milk_ml: float, rennet_ml: float, seconds: float, house: House) -> Figure:
    """What a mL of the bottle holds by the test at home, IMCU/mL, with its because.

    Parameters: milk_ml, rennet_ml, seconds and house; they and errors as `strength` and
    `imcu_per_ml`. Source: Soxhlet; house value.
    """
    found = strength(milk_ml, rennet_ml, seconds)
    imcu_per_ml(found, house)
    key = "rennet.imcu_per_soxhlet"
    return (
        Figure.start("milk in the cup", milk_ml, "mL", "measured")
        .times("forty minutes, in seconds", _SECONDS, source="Soxhlet")
        .times(f"for {rennet_ml:g} mL of rennet", 1 / rennet_ml)
        .times(f"for {seconds:g} s to the first flocks", 1 / seconds, into="parts")
        .times(
            "IMCU per mL for each 10 000",
            house.number(key) / 10_000,
            into="IMCU/mL",
            source=house.source(key),
            house_key=key,
            about=True,
        )
        .give_or_take(0.15 * imcu_per_ml(found, house))
    )
