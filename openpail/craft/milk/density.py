"""From litres to kilograms and back: density of milk, the lactometer, the weight of a lot."""

from __future__ import annotations

from typing import NamedTuple

from openpail.craft.errors import OutOfRange
from openpail.craft.figure import Figure
from openpail.craft.milk.kinds import Composition

_HOTTEST_C = 60.0  # the source’s density was measured up to here
_SOLIDS_PCT = (4.0, 20.0)
_FLOATS_C = (10.0, 27.0)  # a lactometer is corrected between these
_FLOATS = (15.0, 50.0)

_FAT, _SOLIDS, _WATER = 0.930, 1.608, 0.998
RICH_PCT = 15.0


def density_at_20(fat_pct: float, snf_pct: float) -> float:
    """Density of milk at 20 °C, g/mL.

    Parameters: fat_pct 0–60 % w/w; snf_pct 0–40 % w/w. Raises: OutOfRange.
    Source: Fleischmann, densities of the components.
    """
    water = 100 - fat_pct - snf_pct
    if fat_pct < 0 or snf_pct < 0 or water < 0:
        raise OutOfRange("Fat and solids must lie between 0 and 100 % together.", "fat_pct")
    return 100 / (fat_pct / _FAT + snf_pct / _SOLIDS + water / _WATER)


def density(fat_pct: float, snf_pct: float, celsius: float) -> float:
    """Density of milk at the warmth at which its volume was read, g/mL.

    Parameters: fat_pct, snf_pct % w/w; celsius 0–60. Raises: OutOfRange.
    Source: Fleischmann; temperature after Short 1955.
    """
    return density_at_20(fat_pct, snf_pct) * _against_20(celsius)


def brought_to_20(g_per_ml: float, celsius: float) -> float:
    """A density read at another warmth, at 20 °C, g/mL.

    Parameters: g_per_ml 0.9–1.1; celsius 0–60. Raises: OutOfRange. Source: Short 1955.
    """
    return g_per_ml / _against_20(celsius)


def _against_20(celsius: float) -> float:
    if not 0 <= celsius <= _HOTTEST_C:
        raise OutOfRange(
            f"Milk at {celsius:g} °C: a volume is turned into a weight between 0 and 60 °C only. "
            "Weigh it, or measure it cooler.",
            "celsius",
        )
    return _short(celsius) / _short(20.0)


def _short(t: float) -> float:
    return 1035.0 - 0.358 * t + 0.0049 * t**2 - 0.00010 * t**3


def solids_not_fat(fat_pct: float, g_per_ml_20: float) -> float:
    """Solids not fat of a milk from its density and fat, % w/w.

    Parameters: fat_pct 0–60; g_per_ml_20, at 20 °C. Raises: OutOfRange for a density no milk
    of that fat has. Source: Fleischmann, solved for the solids.
    """
    room = 100 / g_per_ml_20 - fat_pct / _FAT - (100 - fat_pct) / _WATER
    found = room / (1 / _SOLIDS - 1 / _WATER)
    if not _SOLIDS_PCT[0] <= found <= _SOLIDS_PCT[1]:
        raise OutOfRange(
            f"A density of {g_per_ml_20:.4f} g/mL at 20 °C does not go with {fat_pct:g} % fat.",
            "density_g_ml",
        )
    return found


class Lactometer(NamedTuple):
    """What a lactometer says: corrected reading, total solids and solids not fat, % w/w."""

    corrected: float
    total_solids_pct: float
    snf_pct: float


def lactometer(reading: float, celsius: float, fat_pct: float) -> Lactometer:
    """Solids from a lactometer (Quevenne, 15.5 °C) and the fat.

    Parameters: reading 15–50; celsius 10–27; fat_pct 0–15 % w/w. Raises: OutOfRange.
    Source: Richmond.
    """
    if not _FLOATS_C[0] <= celsius <= _FLOATS_C[1]:
        raise OutOfRange(
            f"A lactometer is read between 10 and 27 °C, not at {celsius:g}.", "lactometer_c"
        )
    if not _FLOATS[0] <= reading <= _FLOATS[1]:
        raise OutOfRange(f"A lactometer in milk stands at 15 to 50, not {reading:g}.", "lactometer")
    corrected = reading + 0.2 * (celsius - 15.5)
    total = corrected / 4 + 1.2 * fat_pct + 0.14
    return Lactometer(corrected, total, total - fat_pct)


def mass_of(
    volume_l: float, celsius: float | None, milk: Composition, known: bool = True
) -> Figure:
    """The weight of a volume of milk, kg.

    Parameters: volume_l over 0; celsius at which it was measured, None taken as 20;
    milk, its composition; known False when the volume was a guess.
    Returns: the mass, with its density as a step.
    Raises: OutOfRange below 0 or over 60 °C, or for no volume.
    Source: Fleischmann; Short 1955; a density measured beats one worked out.
    """
    if volume_l <= 0:
        raise OutOfRange("Write how much milk there is, more than nothing.", "amount")
    at = 20.0 if celsius is None else celsius
    if milk.density is None:
        rho, whose = density(milk.fat.value, milk.solids_not_fat.value, at), "density"
    else:
        rho, whose = milk.density.value * _against_20(at), "density measured, brought"
    warmth = "20 °C taken" if celsius is None else f"{at:g} °C"
    figure = Figure.start("milk by volume", volume_l, "L", "measured" if known else "assumed")
    return figure.times(
        f"{whose} {'at' if milk.density is None else 'to'} {warmth}",
        rho,
        unit="kg/L",
        source="Fleischmann; Short 1955",
        into="kg",
    ).give_or_take(0.005 * volume_l)
