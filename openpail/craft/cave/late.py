"""A care that is late: how much that matters."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Literal

from openpail.craft.cave.care import DueCare
from openpail.craft.cave.deeds import Seal

Level = Literal["", "can wait", "soon", "matters"]
_YOUNG_DAYS = 14
_MATTERS, _SOON = 3.0, 1.0
_KIND = {
    **{"move": 2.0, "pierce": 2.0, "recheck": 2.0, "plug": 2.0},
    **{"salt": 3.0, "eat": 3.0, "sign": 1.5},
}


@dataclass(frozen=True, slots=True)
class Late:
    """How late a care is, days, and how much it matters."""

    days: int
    level: Level


def how_late(care: DueCare, made_on: date, sealed: Seal | None, today: date) -> Late:
    """How much it matters that a care is late.

    A daily turn in the first two weeks matters; a weekly one in a bag hardly.

    Parameters: care; made_on; sealed, in what; today. Source: makers’ practice.
    """
    days = (today - care.due).days
    if days <= 0:
        return Late(0, "")
    weight = _KIND.get(care.kind, {"daily": 1.5, "weekly": 0.3}.get(care.matters, 0.5))
    if care.matters == "daily" and (today - made_on).days <= _YOUNG_DAYS:
        weight *= 2
    if sealed in ("bag", "wax") and care.kind not in _KIND:
        weight *= 0.3
    score = days * weight
    return Late(days, "matters" if score >= _MATTERS else "soon" if score >= _SOON else "can wait")
