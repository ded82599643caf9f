"""Acid that does not come: stop and look."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from openpail.craft.house import House, shipped
from openpail.craft.sheet.cautions import Caution


@dataclass(frozen=True, slots=True)
class AcidReading:
    """A pH reading of the vat or the curd, and how long after the culture it was taken."""

    ph: float
    hours_after_culture: float


def slow_acid(family: str, readings: Iterable[AcidReading], house: House) -> Caution | None:
    """Stop and look when acid does not develop as the family should.

    Parameters: family; readings, pH 4–7 with hours since the culture (at 10–45 °C); house.
    Returns: the caution, or None while the last reading is in time or low enough, and for
    families without a culture.
    Source: house value; Regulation (EC) 2073/2005 for the test.
    """
    key = f"slow_acid.{family}"
    taken = sorted(readings, key=lambda each: each.hours_after_culture)
    if f"{key}.ph" not in shipped() or not taken:
        return None
    last = taken[-1]
    ph, hours = house.number(f"{key}.ph"), house.number(f"{key}.hours")
    if last.ph < ph or last.hours_after_culture < hours:
        return None
    return Caution(
        "slow-acid",
        "stop",
        "Stop and look: the acid is slow.",
        f"pH {last.ph:.2f} at {last.hours_after_culture:.0f} h; it should be under {ph:.1f} by "
        f"{hours:.0f} h. Germs that leave a toxin may have grown, and the toxin survives cooking: "
        "do not eat, sell or feed this cheese. Keep it cold and marked, and have it tested.",
    )
