"""Bottles come in and end; and how craft sees them today."""

from __future__ import annotations

import uuid
from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from openpail.craft.house import House
from openpail.craft.learning import Lessons, Seen, learn
from openpail.craft.products import Product
from openpail.records.dairy.models import Dairy
from openpail.records.errors import NotHere, RecordError
from openpail.records.makes.models import MakeEvent
from openpail.records.stock.models import Bottle

_DAYS_PER_MONTH = 30.4375


def add_bottle(
    session: Session,
    dairy: Dairy,
    product: Product,
    now: datetime,
    opened_on: date | None = None,
    best_before: date | None = None,
) -> Bottle:
    """Put a bottle in the fridge; it is the one of its kind from now on. Raises RecordError."""
    if not product.name.strip():
        raise RecordError("Write what the label calls it.", "name")
    if product.kind in ("rennet", "acid", "calcium") and not (product.strength or 0) > 0:
        raise RecordError("Write the strength on its label.", "strength")
    bottle = Bottle(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        kind=product.kind,
        name=product.name.strip(),
        strength=product.strength,
        counts=product.counts,
        per=product.per,
        g_per_tsp=product.g_per_tsp,
        kept=product.kept,
        opened_on=opened_on,
        best_before=best_before,
        created_at=now,
    )
    session.add(bottle)
    session.flush()
    return bottle


def end_bottle(session: Session, dairy: Dairy, bottle_id: uuid.UUID, now: datetime) -> Bottle:
    """A bottle is empty or thrown away. Raises NotHere."""
    ended = bottle(session, dairy, bottle_id)
    ended.ended_at = now
    session.flush()
    return ended


def bottle(session: Session, dairy: Dairy, bottle_id: uuid.UUID) -> Bottle:
    """One bottle. Raises NotHere."""
    found = session.get(Bottle, (dairy.id, bottle_id))
    if not found:
        raise NotHere("no such bottle")
    return found


def write_strength(
    session: Session, dairy: Dairy, old: Bottle, strength: float, now: datetime
) -> Bottle:
    """Write a tested strength on a bottle: the old label ends, the same bottle goes on with it.

    Its strength is of today, so its loss in store counts from today.
    """
    old.ended_at = now
    tested = Bottle(
        dairy_id=dairy.id, id=uuid.uuid4(), kind=old.kind, name=old.name, strength=strength,
        counts=old.counts, per=old.per, g_per_tsp=old.g_per_tsp, kept=old.kept,
        opened_on=now.date(), best_before=old.best_before, created_at=now,
    )  # fmt: skip
    session.add(tested)
    session.flush()
    return tested


def bottles(session: Session, dairy: Dairy) -> list[Bottle]:
    """Bottles not ended, the newest first."""
    query = (
        select(Bottle)
        .where(Bottle.dairy_id == dairy.id, Bottle.ended_at.is_(None))
        .order_by(Bottle.created_at.desc(), Bottle.name)
    )
    return list(session.scalars(query))


def in_use(session: Session, dairy: Dairy, today: date) -> dict[str, Product]:
    """The bottle of each kind that doses are worked out from, as craft sees it today."""
    found: dict[str, Product] = {}
    for bottle in bottles(session, dairy):
        found.setdefault(bottle.kind, product_of(bottle, today))
    return found


def product_of(bottle: Bottle, today: date) -> Product:
    """A bottle as craft sees it: months open, months past its date."""
    return Product(
        bottle.kind,  # type: ignore[arg-type]
        bottle.name,
        bottle.strength,
        bottle.counts,  # type: ignore[arg-type]
        bottle.per,  # type: ignore[arg-type]
        bottle.g_per_tsp,
        bottle.kept,  # type: ignore[arg-type]
        _months(bottle.opened_on, today),
        _months(bottle.best_before, today),
    )


def _months(since: date | None, today: date) -> float:
    return 0.0 if since is None else max(0.0, (today - since).days / _DAYS_PER_MONTH)


def rennet_id(session: Session, dairy: Dairy) -> str:
    """The bottle of rennet in use, by its id; "" when there is none."""
    return next((str(each.id) for each in bottles(session, dairy) if each.kind == "rennet"), "")


def lessons(session: Session, dairy: Dairy, house: House) -> Lessons:
    """What the flocks of all makes teach of the bottles and of the animals' milk."""
    undone = select(MakeEvent.amends).where(
        MakeEvent.dairy_id == dairy.id, MakeEvent.kind == "undo"
    )
    query = select(MakeEvent.payload).where(
        MakeEvent.dairy_id == dairy.id,
        MakeEvent.kind == "flocks",
        MakeEvent.payload.has_key("bottle"),
        MakeEvent.id.not_in(undone),
    )
    return learn(
        (
            Seen(told["animals"], told["bottle"], told["observed_min"], told["expected_min"])
            for told in session.scalars(query)
        ),
        house,
    )
