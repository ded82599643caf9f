"""What stays said of a piece for ever, because it happened to its milk or in its vat.

A closed set: each with why the piece does not leave, and what the draft of its label says.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Hazard:
    """What may be in a piece. leaves: why it does not leave without the maker's word; label: what
    stands on the draft of its label."""

    leaves: str
    label: str


# By the key of the stop that left them, the gravest first.
HAZARDS: Mapping[str, Hazard] = {
    "slow-acid": Hazard(
        leaves="Its acid was slow: a toxin may be in it, and outlives cooking. It is not eaten, "
        "sold or fed unless a test says so.",
        label="SLOW ACID: not eaten, sold or fed unless tested",
    ),
    "stood": Hazard(
        leaves="Its milk stood warm, or unread, before its culture: a toxin may be in it, and "
        "outlives cooking. It is not eaten, sold or fed unless a test says so.",
        label="STOOD WARM: not eaten, sold or fed unless tested",
    ),
    "coliforms": Hazard(
        leaves="Gas of dirty milk was in its curd: germs that make ill may be in it. It is not "
        "eaten, sold or fed unless a test says so.",
        label="GAS OF DIRTY MILK: not eaten, sold or fed unless tested",
    ),
}
RAW_SOFT = "raw-soft"
