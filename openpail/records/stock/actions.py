"""What is done to the stock: lots come in, go down with makes, are weighed, fed and ended."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from openpail.craft.dates import check_undo
from openpail.craft.doses.notices import Notice, notices
from openpail.craft.doses.swap import may_be_asked, stand_in
from openpail.craft.errors import NotHere, RecordError
from openpail.craft.house import House
from openpail.craft.recipe.recipe import Ingredient, Recipe
from openpail.craft.recipe.ripening import salt_in_milk_pct
from openpail.craft.stock.jar import Feeding, Health, Smell, health
from openpail.craft.stock.labels import lacks
from openpail.craft.stock.products import LABEL, Product
from openpail.records.base import mine
from openpail.records.dairy.models import Dairy
from openpail.records.makes.models import Make
from openpail.records.stock.models import Bottle, JarFeeding, StockMove

_DAYS_PER_MONTH = 30.4375
_NOTHING = 1e-12
_COUNTED = 24  # makes that tell what is usual; the older count for nothing
_CAME_IN = ("opened_on", "best_before", "bought_on", "price", "supplier_lot", "place")


@dataclass(frozen=True, slots=True, kw_only=True)
class Bought:
    """How a lot came in: dates, amount in its unit, price, supplier's lot, the place it stands."""

    opened_on: date | None = None
    best_before: date | None = None
    bought_on: date | None = None
    amount: float | None = None
    price: Decimal | None = None
    supplier_lot: str = ""
    place: str = ""


@dataclass(frozen=True, slots=True)
class Given:
    """What a step of a make gave: how much of which lot, in the lot's unit; when, by which deed."""

    amounts: Mapping[uuid.UUID, float]
    at: datetime
    deed_id: uuid.UUID | None


def add_bottle(
    session: Session,
    dairy: Dairy,
    product: Product,
    *,
    now: datetime,
    bought: Bought = Bought(),
    left: float | None = None,
) -> Bottle:
    """Put a lot in the stock; it is the one used of its kind from now on. Raises RecordError.

    left: what is left of it, when that is not all that was bought.
    """
    check_label(product)
    check_bought(bought)
    bottle = Bottle(
        dairy_id=dairy.id,
        id=uuid.uuid4(),
        created_at=now,
        balance=bought.amount if left is None else left,
        bought=bought.amount,
        **{key: getattr(product, key) for key in LABEL},
        **{key: getattr(bought, key) for key in _CAME_IN},
    )
    bottle.name = product.name.strip()
    session.add(bottle)
    session.flush()
    return bottle


def check_label(product: Product) -> None:
    """Refuse a label that says too little to dose from. Raises RecordError."""
    if not product.name.strip():
        raise RecordError("Write what the label calls it.", "label")
    juice = product.sort.startswith(("lemon", "citric"))
    lacking = lacks(product) if product.kind == "rennet" else ""
    if lacking:
        raise RecordError(lacking, "strength")
    told = product.kind == "calcium" or (product.kind == "acid" and not juice)
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
    for key in LABEL:
        setattr(lot, key, getattr(product, key))
    for key in _CAME_IN:
        setattr(lot, key, getattr(bought, key))
    lot.name = product.name.strip()
    lot.bought = bought.amount
    if lot.balance is None:
        lot.balance = bought.amount
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
    kept = (*LABEL, *_CAME_IN, "bought", "balance", "usual", "created_at")
    anew = Bottle(dairy_id=dairy.id, id=uuid.uuid4(), **{key: getattr(old, key) for key in kept})
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
    session.refresh(lot, ["balance", "bought"], with_for_update=True)
    _move(session, lot, "weighed", amount=left - (lot.balance or 0.0), now=now)
    lot.bought = lot.bought or left
    session.flush()


def _move(
    session: Session,
    lot: Bottle,
    kind: str,
    *,
    amount: float,
    now: datetime,
    make: Make | None = None,
    step: str = "",
    deed_id: uuid.UUID | None = None,
) -> None:
    session.add(
        StockMove(
            dairy_id=lot.dairy_id,
            id=uuid.uuid4(),
            bottle_id=lot.id,
            kind=kind,
            amount=amount,
            make_id=make.id if make else None,
            step=step,
            deed_id=deed_id,
            at=now,
        )
    )
    if lot.balance is not None or kind == "weighed":
        lot.balance = (lot.balance or 0.0) + amount


def follow(
    session: Session, make: Make, given: Mapping[str, Given], day_of: Callable[[datetime], date]
) -> None:
    """The lots follow what a make gave: of each step what it gave now, whatever it took before.

    Parameters: given, by step; day_of, the dairy's day of a moment.
    """
    taken: dict[tuple[str, uuid.UUID], float] = {}
    last: dict[tuple[str, uuid.UUID], StockMove] = {}
    for move in session.scalars(mine(StockMove, make.dairy_id).where(StockMove.make_id == make.id)):
        key = (move.step, move.bottle_id)
        taken[key] = taken.get(key, 0.0) - move.amount
        last[key] = move
    wanted = {
        (step, lot): amount for step, each in given.items() for lot, amount in each.amounts.items()
    }
    more = {key: wanted.get(key, 0.0) - taken.get(key, 0.0) for key in wanted.keys() | taken.keys()}
    more = {key: amount for key, amount in more.items() if abs(amount) > _NOTHING}
    if not more:
        return
    ids = {lot for _, lot in more}
    query = mine(Bottle, make.dairy_id).where(Bottle.id.in_(ids)).order_by(Bottle.id)
    bottles = {each.id: each for each in session.scalars(query.with_for_update())}
    for (step, lot_id), amount in sorted(more.items()):
        lot = bottles.get(lot_id)
        if lot is None:
            continue
        gave = given.get(step)
        at, deed_id = (
            (gave.at, gave.deed_id) if gave else (last[step, lot_id].at, last[step, lot_id].deed_id)
        )
        if amount > 0:
            day = day_of(at)
            lot.opened_on = min(lot.opened_on or day, day)
        kind = "used" if amount > 0 else "given back"
        _move(session, lot, kind, amount=-amount, now=at, make=make, step=step, deed_id=deed_id)
    session.flush()
    for lot in bottles.values():
        lot.usual = _usual(session, lot)
    session.flush()


def _usual(session: Session, lot: Bottle) -> float | None:
    """What a make usually takes of a lot, the last ones counting most."""
    query = (
        mine(StockMove, lot.dairy_id)
        .with_only_columns(func.sum(StockMove.amount))
        .where(StockMove.bottle_id == lot.id, StockMove.make_id.is_not(None))
        .group_by(StockMove.make_id, StockMove.step)
        .having(func.sum(StockMove.amount) < -_NOTHING)
        .order_by(func.max(StockMove.at).desc(), StockMove.make_id, StockMove.step)
        .limit(_COUNTED)
    )
    usual: float | None = None
    for amount in reversed(session.scalars(query).all()):
        usual = -amount if usual is None else (2 * usual - amount) / 3
    return usual


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
    return list(session.scalars(query.options(joinedload(Bottle.fed))).unique())


def feed(
    session: Session,
    jar: Bottle,
    now: datetime,
    *,
    set_hours: float | None = None,
    smell: Smell = "clean",
    ph: float | None = None,
    note: str = "",
) -> JarFeeding:
    """Feed a jar; what became of it may be seen later. Raises RecordError."""
    if jar.form != "jar":
        raise RecordError("Only a jar is fed.", "smell")
    fed = JarFeeding(dairy_id=jar.dairy_id, id=uuid.uuid4(), bottle_id=jar.id, at=now)
    session.add(fed)
    see_feeding(session, fed, set_hours, smell=smell, ph=ph, note=note)
    return fed


def not_fed(session: Session, jar: Bottle, now: datetime) -> None:
    """The last feeding was none. Raises: RecordError; craft's NotPossible after ten minutes."""
    query = mine(JarFeeding, jar.dairy_id).where(JarFeeding.bottle_id == jar.id)
    fed = session.scalar(query.order_by(JarFeeding.at.desc()).limit(1))
    if fed is None:
        raise RecordError("It was not fed.", "smell")
    check_undo(fed.at, now)
    session.delete(fed)
    session.flush()


def see_feeding(
    session: Session,
    fed: JarFeeding,
    set_hours: float | None,
    *,
    smell: Smell,
    ph: float | None,
    note: str = "",
) -> None:
    """What became of a feeding: hours to the set, smell, pH. Raises RecordError."""
    if set_hours is not None and not 0 < set_hours <= 200:
        raise RecordError("Hours until it set: over 0, at most 200.", "set_hours")
    if ph is not None and not 3 <= ph <= 7:
        raise RecordError("A jar’s pH lies between 3 and 7.", "ph")
    fed.set_hours, fed.smell, fed.ph, fed.note = set_hours, smell, ph, note.strip()
    session.flush()


def health_of(jar: Bottle, fed: Sequence[JarFeeding], now: datetime, house: House) -> Health:
    """How a fed jar is."""
    told = [
        Feeding(at=each.at, set_hours=each.set_hours, smell=each.smell, ph=each.ph) for each in fed
    ]
    return health(told, jar.kept, jar.created_at, now, house)


@dataclass(frozen=True, slots=True, kw_only=True)
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
    *,
    today: date,
    house: House,
    kinds: Collection[str] = (),
) -> list[Lot]:
    """All lots not ended, or those of some kinds, the newest first, as they stand today."""
    found = []
    for row in bottles(session, dairy, kinds):
        jar = health_of(row, row.fed, now, house) if row.form == "jar" else None
        product = product_of(row, today, jar.unfit if jar else "")
        found.append(Lot(row=row, product=product, jar=jar, fed=tuple(row.fed)))
    return found


def notices_of(lot: Lot, today: date, house: House) -> tuple[Notice, ...]:
    """What there is to know of a lot, the gravest first."""
    row = lot.row
    return notices(
        lot.product,
        row.best_before,
        today,
        left=row.left,
        bought=row.bought,
        usual=row.usual,
        house=house,
    )


def chosen(
    recipe: Recipe, of: Sequence[Lot], house: House, asked: Mapping[str, str]
) -> dict[str, Product]:
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
    if bottle.stands_salt and not written.stands_salt and not salt_in_milk_pct(recipe):
        return False  # kept for the milk that is salted
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
        **{key: getattr(bottle, key) for key in LABEL},
        months_open=_months(bottle.opened_on, today),
        months_past=_months(bottle.best_before, today),
        months_shut=months_shut,
        unfit=unfit,
        lot=str(bottle.id),
    )


def _months(since: date | None, today: date) -> float:
    return 0.0 if since is None else max(0.0, (today - since).days / _DAYS_PER_MONTH)
