"""Acidity of milk: its titration scales, and pH brought to 25 °C."""

from __future__ import annotations

from collections.abc import Mapping

from openpail.craft.errors import OutOfRange, Unknown
from openpail.craft.house import House

_HOTTEST_SAMPLE_C = 60.0

# how much % lactic acid (w/v) one of each scale is; °SH and °Th by their own rounded °D
SCALES: Mapping[str, tuple[str, float]] = {
    "degD": ("°D (Dornic)", 0.01),
    "degSH": ("°SH (Soxhlet-Henkel)", 0.01 * 2.25),
    "degTh": ("°Th (Thörner)", 0.01 * 0.9),
    "pct_la": ("% lactic acid", 1.0),
    "meq_L": ("meq/L", 0.009008),
}


def convert(value: float, scale_from: str, scale_to: str) -> float:
    """A titratable acidity from one scale to another.

    Parameters: value 0 or more; scale_from and scale_to, keys of `SCALES`.
    Raises: Unknown, OutOfRange.
    Source: definitions of the scales, % lactic acid w/v between them.
    """
    for scale in (scale_from, scale_to):
        if scale not in SCALES:
            raise Unknown(f"“{scale}” is not a scale of acidity we know.", "acidity")
    if value < 0:
        raise OutOfRange("Acidity is not less than nothing.", "acidity")
    return value * SCALES[scale_from][1] / SCALES[scale_to][1]


def ph_at_25(ph: float, sample_c: float, house: House) -> float:
    """A milk's pH at 25 °C from a reading in a sample of another warmth.

    Parameters: ph 4–8; sample_c 0–60 °C. Raises: OutOfRange.
    Source: house value, 0.01 pH per °C.
    """
    if not 0 <= sample_c <= _HOTTEST_SAMPLE_C:
        raise OutOfRange(
            f"A sample at {sample_c:g} °C: measure pH between 0 and 60 °C.", "ph_sample_c"
        )
    return ph + house.number("milk.ph_per_degree") * (sample_c - 25)
