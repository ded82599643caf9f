"""Warming a vat: how many minutes, from what the vat has shown, else from what heats it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median, stdev

from openpail.craft.errors import OutOfRange
from openpail.craft.figure import Figure, Step
from openpail.craft.house import House

HEATERS = {"plate": "an electric plate", "gas": "a gas flame", "immersed": "an immersed element"}
MILK_KJ_PER_KG_K = 3.93
_LAST_MAKES = 6


@dataclass(frozen=True, slots=True, kw_only=True)
class Warming:
    """One warming as it was read: kg in the vat, °C at its first and last reading, minutes."""

    mass_kg: float
    from_c: float
    to_c: float
    minutes: float


@dataclass(frozen=True, slots=True)
class Heater:
    """What heats a vat: by what (a key of HEATERS, "" unknown), its power in kW, None unknown."""

    by: str = ""
    power_kw: float | None = None


def heating_minutes(mass_kg: float, rise_c: float, power_kw: float, efficiency: float) -> float:
    """Minutes to warm a milk.

    Parameters: mass_kg 0 or more; rise_c, 0 for none; power_kw over 0; efficiency over 0 to 1.
    Raises: OutOfRange. Source: heat balance, milk at 3.93 kJ/(kg K).
    """
    if power_kw <= 0 or not 0 < efficiency <= 1:
        raise OutOfRange("Write a power over 0 kW.", "power")
    return mass_kg * MILK_KJ_PER_KG_K * max(0.0, rise_c) / (60 * power_kw * efficiency)


def tells_a_rate(seen: Warming, house: House) -> bool:
    """Whether a warming went far enough to tell a rate.

    Parameters: seen, minutes and °C; house. Source: house value.
    """
    return seen.to_c - seen.from_c >= house.number("heat.least_rise") and seen.minutes > 0


def power_of(warmings: Sequence[Warming], heater: Heater, house: House) -> Figure | None:
    """What goes into the milk of a vat, kW: learnt from its last warmings, else by its heater.

    Parameters: warmings, the newest first; heater. Returns: None when neither says anything.
    Source: heat balance over each warming, the middle one; house value for the efficiency.
    """
    rates = [
        each.mass_kg * MILK_KJ_PER_KG_K * (each.to_c - each.from_c) / (60 * each.minutes)
        for each in warmings
        if tells_a_rate(each, house)
    ][:_LAST_MAKES]
    if rates:
        spread = stdev(rates) if len(rates) > 1 else house.number("heat.sd") * rates[0]
        times = "once" if len(rates) == 1 else f"in {len(rates)} makes"
        return Figure.start(
            f"goes into the milk, as this vat has shown {times}",
            median(rates),
            "kW",
            "measured",
            sd=spread,
        )
    if not heater.power_kw or heater.by not in HEATERS:
        return None
    key = f"heat.{heater.by}"
    told = Figure.start("power of what heats it", heater.power_kw, "kW", "measured")
    return told.times(
        f"of it reaches the milk over {HEATERS[heater.by]}",
        house.number(key),
        source="house value",
        house_key=key,
        about=True,
    )


def warming(mass: Figure, from_c: float, to_c: float, power: Figure) -> Figure:
    """Minutes to warm this milk in this vat.

    Parameters: mass, kg; from_c and to_c, °C; power, from `power_of`. Source: heat balance.
    """
    minutes = heating_minutes(mass.value, to_c - from_c, power.value, 1.0)
    about = mass.rests_on_assumed or power.rests_on_assumed
    kj = Figure.start(
        "to warm a kg of milk by 1 °C",
        MILK_KJ_PER_KG_K,
        "kJ/(kg °C)",
        source="heat balance",
        rests_on_assumed=about,
    )
    rise = f"from {from_c:.0f} to {to_c:.0f} °C"
    found = (
        kj.then("times", "kg in the vat", mass.value, into="kJ/°C")
        .then("times", rise, max(0.0, to_c - from_c), into="kJ")
        .then(
            "times",
            "at the rate of this vat",
            1 / (60 * power.value),
            into="min",
            of=(
                Step("start", "a minute", 1.0, "min"),
                Step("times", f"over 60 × {power.value:.2f} kW", 1 / (60 * power.value)),
            ),
        )
    )
    return found.give_or_take(minutes * (power.sd or 0.0) / power.value)
