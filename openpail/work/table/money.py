"""What makes cost, from the prices that are known."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from datetime import datetime

from openpail.craft.table.facts import HANDS, OF_EXPECTED, hands_minutes
from openpail.craft.table.money import Cost, PaidMilk, PaidStock, cost_of
from openpail.records.makes import over_time
from openpail.records.makes.models import Make
from openpail.records.makes.over_time import MadeAndWeighed
from openpail.work.here import Here
from openpail.work.make.day import day_of
from openpail.work.make.made import standing_of


def of_make(here: Here, make: Make) -> Cost:
    """What one make cost, so far as it went."""
    standing = standing_of(here, make)
    hands = hands_minutes(day_of(here, make, standing))
    kg = 0.0 if standing.about else sum(standing.pieces_kg)
    milk, stock = _parts(here, [make.id])
    return cost_of(milk.get(make.id, ()), stock.get(make.id, ()), hands, kg or None, here.house)


def of_all(here: Here, since: datetime | None) -> list[tuple[MadeAndWeighed, Cost]]:
    """What the makes cost whose cheese was weighed."""
    rows = over_time.weighed_makes(here.session, here.dairy, HANDS, OF_EXPECTED, since)
    milk, stock = _parts(here, None if since is None else [each.id for each in rows])
    found = []
    for each in rows:
        cost = cost_of(
            milk.get(each.id, ()), stock.get(each.id, ()), each.hands_min, each.kg, here.house
        )
        found.append((each, cost))
    return found


def _parts(
    here: Here, ids: Sequence[uuid.UUID] | None
) -> tuple[Mapping[uuid.UUID, list[PaidMilk]], Mapping[uuid.UUID, list[PaidStock]]]:
    milk: dict[uuid.UUID, list[PaidMilk]] = {}
    for row in over_time.milk_paid(here.session, here.dairy, ids):
        # whey is what is left of a cheese that was paid for already
        paid = 0.0 if row.kind == "whey" and row.paid is None else row.paid
        milk.setdefault(row.make_id, []).append(
            PaidMilk(name=row.name, breed=row.breed, litres=row.litres, paid=paid)
        )
    stock: dict[uuid.UUID, list[PaidStock]] = {}
    for make_id, name, paid in over_time.stock_paid(here.session, here.dairy, ids):
        stock.setdefault(make_id, []).append(PaidStock(name, paid))
    return milk, stock
