"""The stock: what stands on which shelf, what comes in, what is weighed, opened, fed and ended."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence

from openpail.craft.doses.notices import Notice
from openpail.craft.errors import RecordError
from openpail.craft.stock.jar import Smell
from openpail.craft.stock.products import Product
from openpail.formats import stock_csv
from openpail.formats.stock_csv import LotOfFile
from openpail.records.makes.models import Make
from openpail.records.stock import actions
from openpail.records.stock.actions import Bought, Lot, check_label
from openpail.records.stock.models import Bottle, StockMove
from openpail.work.asked import of_dairy, of_row
from openpail.work.here import Here

# Rows that a screen has in its hands and tells of by name.
__all__ = ["Bottle", "Bought", "Lot", "check_label"]

_MOVES_TOLD = 12

bottle = of_dairy(actions.bottle)
bottles = of_dairy(actions.bottles)
mend = of_row(actions.mend)


def one(here: Here, lot_id: uuid.UUID) -> Lot:
    """A lot as it stands today, one that is ended too. Raises NotHere."""
    row = bottle(here, lot_id)
    found = next((lot for lot in here.shelf if lot.row.id == row.id), None)
    return found or Lot(row=row, product=actions.product_of(row, here.today))


def notices(here: Here, lots: Sequence[Lot]) -> Mapping[uuid.UUID, tuple[Notice, ...]]:
    """What there is to know of lots, by lot, the gravest first."""
    return {each.row.id: actions.notices_of(each, here.today, here.house) for each in lots}


def moves(here: Here, lot: Bottle) -> Sequence[tuple[StockMove, Make | None]]:
    """What became of a lot last."""
    return actions.moves(here.session, lot)[:_MOVES_TOLD]


def add(here: Here, product: Product, bought: Bought) -> None:
    """A lot comes in. Raises RecordError by field."""
    actions.add_bottle(here.session, here.dairy, product, now=here.now, bought=bought)


def weigh(here: Here, lot: Bottle, left: float) -> None:
    """What is left of a lot was weighed, in its unit. Raises RecordError."""
    actions.weigh(here.session, lot, left, here.now)


def open_today(here: Here, lot_id: uuid.UUID) -> None:
    """A lot is opened today. Raises NotHere."""
    actions.open_bottle(here.session, bottle(here, lot_id), here.today)


def end(here: Here, lot_id: uuid.UUID) -> None:
    """A lot is empty, or thrown away. Raises NotHere."""
    actions.end_bottle(here.session, here.dairy, lot_id, here.now)


def forget_lessons(here: Here, lot_id: uuid.UUID) -> Bottle:
    """What makes taught of a lot is forgotten: the lot that stands in its place."""
    return actions.forget_lessons(here.session, here.dairy, bottle(here, lot_id), here.now)


def write_strength(here: Here, lot: Bottle, strength: float) -> Bottle:
    """A strength that was tested goes onto a bottle: the lot that stands in its place."""
    return actions.write_strength(here.session, here.dairy, lot, strength, here.now)


# ── a jar ──


def feed(here: Here, lot: Lot) -> None:
    """A jar is fed now. Raises RecordError."""
    actions.feed(here.session, lot.row, here.now)


def not_fed(here: Here, lot: Lot) -> None:
    """It was not fed after all. Raises RecordError, NotPossible after ten minutes."""
    actions.not_fed(here.session, lot.row, here.now)


def see_feeding(
    here: Here, lot: Lot, set_hours: float | None, *, smell: Smell, ph: float | None, note: str
) -> None:
    """What became of the last feeding: hours to the set, smell, pH. Raises RecordError."""
    if not lot.fed:
        raise RecordError("Feed it first.", "set_hours")
    actions.see_feeding(here.session, lot.fed[-1], set_hours, smell=smell, ph=ph, note=note)


# ── files ──


def as_csv(here: Here) -> str:
    """All lots that are not ended, as a table."""
    rows = [{key: getattr(lot.row, key) for key in stock_csv.COLUMNS} for lot in here.shelf]
    return stock_csv.write(rows)


def take_in(here: Here, lots: Sequence[LotOfFile]) -> None:
    """The lots of a file come in; the first in it is the newest, as it was written."""
    for each in reversed(lots):
        rest = dict(each.rest)
        left = rest.pop("left", None)
        bought = Bought(amount=rest.pop("bought", left), **rest)
        actions.add_bottle(
            here.session, here.dairy, each.product, now=here.now, bought=bought, left=left
        )
