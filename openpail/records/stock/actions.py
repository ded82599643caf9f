"""What is done to the stock: lots come in, go down with makes, are weighed, fed and ended."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal

from sqlalchemy import select
from sqlalchemy.orm import Session

from openpail.craft.house import House
from openpail.craft.jar import Feeding, Health, health
from openpail.craft.learning import Lessons, Seen, learn
from openpail.craft.products import Product
from openpail.craft.recipe import Ingredient, Recipe
from openpail.craft.shelf import Notice, notices
from openpail.craft.swap import may_be_asked, stand_in
from openpail.records.dairy.models import Dairy
from openpail.records.errors import NotHere, RecordError
from openpail.records.makes.models import Make, MakeEvent
from openpail.records.stock.models import Bottle, JarFeeding, StockMove

_DAYS_PER_MONTH = 30.4375
_LABEL = ("kind", "name", "sort", "form", "strength", "scale", "counts", "per", "g_per_tsp",
          "serves_l", "size_ml", "raw", "kept")  # fmt: skip
_CAME_IN = ("opened_on", "best_before", "bought_on", "price", "supplier_lot", "place")


@dataclass(frozen=True, slots=True)
class Bought:
    """How a lot came in: dates, amount in its unit, price, supplier's lot, the place it stands."""

    opened_on: date | None = None
    best_before: date | None = None
    bought_on: date | None = None
    amount: float | None = None
    price: Decimal | None = None
    supplier_lot: str = ""
    place: str = ""


def add_bottle(
    session: Session, dairy: Dairy, product: Product, now: datetime, bought: Bought = Bought()
) -> Bottle:
    """Put a lot in the stock; it is the one used of its kind from now on. Raises RecordError."""
    check_label(product)
    check_bought(bought)
    bottle = Bottle(
        dairy_id=dairy.id, id=uuid.uuid4(), created_at=now, left=bought.amount,
        bought=bought.amount, **{key: getattr(product, key) for key in _LABEL},
        **{key: getattr(bought, key) for key in _CAME_IN},
    )  # fmt: skip
    bottle.name = product.name.strip()
    session.add(bottle)
    session.flush()
    return bottle


def check_label(product: Product) -> None:
    """Refuse a label that says too little to dose from. Raises RecordError."""
    if not product.name.strip():
        raise RecordError("Write what the label calls it.", "label")
    juice = product.sort.startswith(("lemon", "citric"))
    told = product.kind in ("rennet", "calcium") or (product.kind == "acid" and not juice)
    if told and not (product.strength or 0) > 0:
        raise RecordError("Write the strength on its label.", "strength")
    most = {"acid": 100, "calcium": 100 if product.per == "dry" else 60}.get(product.kind)
    if most and product.strength and product.strength > most:
        raise RecordError(f"A strength over {most} % cannot be.", "strength")
    if product.form == "cubes" and not product.size_ml:
        raise RecordError("Write how many mL one cube holds.", "size")
    if product.form == "one-packet" and not product.serves_l:
        raise RecordError("Write how many litres one packet sets.", "serves")


def check_bought(bought: Bought) -> None:
    """Refuse dates the wrong way round and amounts under nothing. Raises RecordError."""
    if bought.amount is not None and bought.amount <= 0:
        raise RecordError("An amount is more than nothing.", "amount")
    if bought.price is not None and bought.price < 0:
        raise RecordError("A price is not under nothing.", "price")
    if bought.opened_on and bought.bought_on and bought.opened_on < bought.bought_on:
        raise RecordError("It was opened before it was bought. Look at the dates.", "opened_on")


def mend(session: Session, lot: Bottle, product: Product, bought: Bought) -> None:
    """Its label was read wrongly: the lot stays, what it says is mended. Raises RecordError."""
    check_label(product)
    check_bought(bought)
    for key in _LABEL:
        setattr(lot, key, getattr(product, key))
    for key in _CAME_IN:
        setattr(lot, key, getattr(bought, key))
    lot.name = product.name.strip()
    lot.bought = bought.amount
    if lot.left is None:
        lot.left = bought.amount
    session.flush()


def end_bottle(session: Session, dairy: Dairy, bottle_id: uuid.UUID, now: datetime) -> Bottle:
    """A lot is empty or thrown away. Raises NotHere."""
    ended = bottle(session, dairy, bottle_id)
    ended.ended_at = now
    session.flush()
    return ended


def bottle(session: Session, dairy: Dairy, bottle_id: uuid.UUID) -> Bottle:
    """One lot. Raises NotHere."""
    found = session.get(Bottle, (dairy.id, bottle_id))
    if not found:
        raise NotHere("no such bottle")
    return found


def write_strength(
    session: Session, dairy: Dairy, old: Bottle, strength: float, now: datetime
) -> Bottle:
    """Write a tested strength on a bottle: what its makes taught of the old label ends with it.

    Its strength is of today, so its loss in store counts from today.
    """
    tested = forget_lessons(session, dairy, old, now)
    tested.strength, tested.scale = strength, "imcu"
    tested.opened_on, tested.bought_on = now.date(), None
    session.flush()
    return tested


def forget_lessons(session: Session, dairy: Dairy, old: Bottle, now: datetime) -> Bottle:
    """The same bottle as a lot of its own, of which no make has taught anything yet."""
    old.ended_at = now
    kept = (*_LABEL, *_CAME_IN, "bought", "left", "usual", "created_at")
    anew = Bottle(
        dairy_id=dairy.id, id=uuid.uuid4(), **{key: getattr(old, key) for key in kept}
    )  # fmt: skip
    session.add(anew)
    session.flush()
    return anew


def open_bottle(session: Session, lot: Bottle, day: date) -> None:
    """A lot is opened: from now on it ages as open."""
    lot.opened_on = day
    session.flush()


def weigh(session: Session, lot: Bottle, left: float, now: datetime) -> None:
    """Put right what is left of a lot. Raises RecordError."""
    if left < 0:
        raise RecordError("What is left cannot be under nothing.", "left")
    session.refresh(lot, with_for_update=True)
    _move(session, lot, "weighed", left - (lot.left or 0.0), now)
    lot.bought = lot.bought or left
    session.flush()


def _move(session: Session, lot: Bottle, kind: str, amount: float, now: datetime,
          make: Make | None = None, event_id: uuid.UUID | None = None) -> None:  # fmt: skip
    session.add(
        StockMove(
            dairy_id=lot.dairy_id, id=uuid.uuid4(), bottle_id=lot.id, kind=kind, amount=amount,
            make_id=make.id if make else None, event_id=event_id, at=now,
        )
    )  # fmt: skip
    lot.left = max(0.0, (lot.left or 0.0) + amount)


def use_in(session: Session, make: Make, keys: Iterable[str], event_id: uuid.UUID,
           now: datetime) -> None:  # fmt: skip
    """Take what a make's step gives from the lots its sheet named; unopened ones are open now."""
    wanted = set(keys)
    for line in make.frozen["lines"]:
        amount = line["figure"]["value"]
        if line["key"] not in wanted or not line.get("lot") or amount <= 0:
            continue
        lot = session.get(Bottle, (make.dairy_id, uuid.UUID(line["lot"])), with_for_update=True)
        if lot is None:
            continue
        lot.opened_on = lot.opened_on or now.date()
        lot.usual = amount if lot.usual is None else (2 * lot.usual + amount) / 3
        if lot.left is not None:
            _move(session, lot, "used", -min(amount, lot.left), now, make, event_id)
    session.flush()


def give_back(session: Session, make: Make, event_id: uuid.UUID, now: datetime) -> None:
    """A tap was undone: what it took is back in its lots."""
    query = select(StockMove).where(
        StockMove.dairy_id == make.dairy_id, StockMove.event_id == event_id
    )
    of_event = session.scalars(query).all()
    if any(move.kind == "given back" for move in of_event):
        return
    for taken in of_event:
        lot = session.get(Bottle, (make.dairy_id, taken.bottle_id), with_for_update=True)
        if lot:
            _move(session, lot, "given back", -taken.amount, now, make, event_id)
    session.flush()


def moves(session: Session, lot: Bottle) -> list[tuple[StockMove, Make | None]]:
    """What became of a lot, the newest first, with the make that took it."""
    query = (
        select(StockMove, Make)
        .outerjoin(Make, (Make.dairy_id == StockMove.dairy_id) & (Make.id == StockMove.make_id))
        .where(StockMove.dairy_id == lot.dairy_id, StockMove.bottle_id == lot.id)
        .order_by(StockMove.at.desc())
    )
    return [(move, make) for move, make in session.execute(query)]


def bottles(session: Session, dairy: Dairy, kinds: Collection[str] = ()) -> list[Bottle]:
    """Lots not ended, or those of some kinds, the newest first."""
    query = (
        select(Bottle)
        .where(Bottle.dairy_id == dairy.id, Bottle.ended_at.is_(None))
        .order_by(Bottle.created_at.desc(), Bottle.name)
    )
    if kinds:
        query = query.where(Bottle.kind.in_(kinds))
    return list(session.scalars(query))


def feed(
    session: Session, jar: Bottle, now: datetime, set_hours: float | None = None,
    smell: str = "clean", ph: float | None = None, note: str = "",
) -> JarFeeding:  # fmt: skip
    """Feed a jar; what became of it may be seen later. Raises RecordError."""
    if jar.form != "jar":
        raise RecordError("Only a jar is fed.", "smell")
    fed = JarFeeding(dairy_id=jar.dairy_id, id=uuid.uuid4(), bottle_id=jar.id, at=now)
    session.add(fed)
    see_feeding(session, fed, set_hours, smell, ph, note)
    return fed


def see_feeding(
    session: Session, fed: JarFeeding, set_hours: float | None, smell: str, ph: float | None,
    note: str = "",
) -> None:  # fmt: skip
    """What became of a feeding: hours to the set, smell, pH. Raises RecordError."""
    if set_hours is not None and not 0 < set_hours <= 200:
        raise RecordError("Hours until it set: over 0, at most 200.", "set_hours")
    if ph is not None and not 3 <= ph <= 7:
        raise RecordError("A jar’s pH lies between 3 and 7.", "ph")
    fed.set_hours, fed.smell, fed.ph, fed.note = set_hours, smell, ph, note.strip()
    session.flush()


def feedings(session: Session, dairy: Dairy) -> dict[uuid.UUID, list[JarFeeding]]:
    """All feedings by jar, the oldest first."""
    query = select(JarFeeding).where(JarFeeding.dairy_id == dairy.id).order_by(JarFeeding.at)
    found: dict[uuid.UUID, list[JarFeeding]] = {}
    for fed in session.scalars(query):
        found.setdefault(fed.bottle_id, []).append(fed)
    return found


def health_of(jar: Bottle, fed: Sequence[JarFeeding], now: datetime, house: House) -> Health:
    """How a fed jar is."""
    told = [Feeding(each.at, each.set_hours, each.smell, each.ph) for each in fed]  # type: ignore[arg-type]
    return health(told, jar.kept, jar.created_at, now, house)  # type: ignore[arg-type]


@dataclass(frozen=True, slots=True)
class Lot:
    """A lot as it stands today: its row, how craft sees it, and a jar's health."""

    row: Bottle
    product: Product
    jar: Health | None = None
    fed: tuple[JarFeeding, ...] = ()


def lots(
    session: Session,
    dairy: Dairy,
    now: datetime,
    today: date,
    house: House,
    kinds: Collection[str] = (),
) -> list[Lot]:
    """All lots not ended, or those of some kinds, the newest first, as they stand today."""
    rows = bottles(session, dairy, kinds)
    fed = feedings(session, dairy) if any(row.form == "jar" for row in rows) else {}
    found = []
    for row in rows:
        mine = fed.get(row.id, [])
        jar = health_of(row, mine, now, house) if row.form == "jar" else None
        found.append(Lot(row, product_of(row, today, jar.unfit if jar else ""), jar, tuple(mine)))
    return found


def notices_of(lot: Lot, today: date, house: House) -> tuple[Notice, ...]:
    """What there is to know of a lot, the gravest first."""
    row = lot.row
    return notices(lot.product, row.best_before, today, row.left, row.bought, row.usual, house)


def chosen(recipe: Recipe, of: Sequence[Lot], house: House,
           asked: Mapping[str, str]) -> dict[str, Product]:  # fmt: skip
    """The lot of each ingredient: the one asked for, "" for the recipe's own, else at home.

    Parameters: asked, lots' ids by ingredient key. Raises NotHere for an id of nothing.
    """
    found: dict[str, Product] = {}
    for each in recipe.ingredients:
        wanted = asked.get(each.key)
        if wanted:
            lot = next((lot for lot in of if lot.product.lot == wanted), None)
            if lot is None:
                raise NotHere("no such bottle")
            found[each.key] = lot.product
        elif wanted is None:
            home = next((lot.product for lot in of if _at_home(each, lot, recipe, house)), None)
            if home:
                found[each.key] = home
    if "calcium" not in found and not recipe.ingredient("calcium") and asked.get("calcium") != "":
        for lot in of:
            if lot.product.kind == "calcium":
                found["calcium"] = lot.product
                break
    return found


def _at_home(ingredient: Ingredient, lot: Lot, recipe: Recipe, house: House) -> bool:
    """Whether a lot is taken without asking: of the kind and sort written, fit, and measurable."""
    written, bottle = ingredient.product, lot.product
    if not may_be_asked(ingredient, bottle) or bottle.unfit:
        return False
    theirs = written.sort or ingredient.acid
    if bottle.kind != "rennet" and theirs and bottle.sort and theirs != bottle.sort:
        return False
    if bottle.kind not in ("rennet", "calcium") and bottle.unit != written.unit:
        return False
    return stand_in(ingredient, bottle, recipe, house).can


def product_of(bottle: Bottle, today: date, unfit: str = "") -> Product:
    """A lot as craft sees it: months shut, open, and past its date."""
    months_shut = 0.0
    if bottle.bought_on:
        months_shut = _months(bottle.bought_on, bottle.opened_on or today)
    return Product(
        **{key: getattr(bottle, key) for key in _LABEL},
        months_open=_months(bottle.opened_on, today),
        months_past=_months(bottle.best_before, today),
        months_shut=months_shut,
        unfit=unfit,
        lot=str(bottle.id),
    )


def _months(since: date | None, today: date) -> float:
    return 0.0 if since is None else max(0.0, (today - since).days / _DAYS_PER_MONTH)


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
