"""The first hour of a dairy: a vat, animals, milk, a cheese, until its first make."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from openpail.records.dairy.models import Vat
from openpail.records.makes import actions as makes
from openpail.records.milk import slips
from openpail.records.milk.models import Herd, MilkLot
from openpail.work.here import Here

Step = Literal["vat", "herd", "milk", "cheese"]


@dataclass(frozen=True, slots=True)
class FirstHour:
    """What is there so far."""

    vats: list[Vat]
    herds: list[Herd]
    milk: list[MilkLot]

    @property
    def next(self) -> Step:
        """What comes next. Animals may be left out: milk can be bought."""
        if not self.vats:
            return "vat"
        if self.milk:
            return "cheese"
        return "milk" if self.herds else "herd"


def first_hour(here: Here) -> FirstHour | None:
    """How far a new dairy is; None from its first make or plan on."""
    begun = here.under_way or here.planned or here.poured
    if begun or makes.any_yet(here.session, here.dairy):
        return None
    return FirstHour(here.vats, slips.herds(here.session, here.dairy), here.waiting)
