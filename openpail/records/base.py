"""What every table shares: key names, the dairy in every key, moments in UTC."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Iterable
from datetime import date, datetime
from typing import Any, Protocol, TypeVar, get_args

from sqlalchemy import (
    ARRAY,
    CheckConstraint,
    ColumnElement,
    Date,
    DateTime,
    ForeignKey,
    ForeignKeyConstraint,
    MetaData,
    RowMapping,
    Select,
    Text,
    Uuid,
    any_,
    bindparam,
    event,
    select,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import (
    DeclarativeBase,
    InstrumentedAttribute,
    Mapped,
    declared_attr,
    mapped_column,
)

from openpail.craft import units
from openpail.craft.cave import rooms
from openpail.craft.milk import animals, fitness, kinds
from openpail.craft.stock import jar, products
from openpail.records.kept import check_kept

Json = dict[str, Any]
# Words of the craft that a column may hold: text, and a check that names them all.
_WORDS: tuple[Any, ...] = (
    animals.Kappa,
    kinds.Breed,
    kinds.Treatment,
    kinds.ProteinKind,
    kinds.MilkKind,
    fitness.Holding,
    products.Kind,
    products.Form,
    products.Salt,
    products.Per,
    products.Kept,
    products.Scale,
    jar.Smell,
    units.System,
    rooms.Sort,
)


class Base(DeclarativeBase):
    """Every table's base. Money is Decimal, masses kg, volumes L, moments UTC."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_N_label)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_N_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {  # noqa: RUF012
        datetime: DateTime(timezone=True),
        date: Date(),
        str: Text(),
        uuid.UUID: Uuid(),
        Json: JSONB(),
        **dict.fromkeys(_WORDS, Text()),
    }


@event.listens_for(Base, "attribute_instrument", propagate=True)
def _hold_what_is_kept(_: type[Base], key: str, attribute: InstrumentedAttribute[Any]) -> None:
    """No row holds what cannot be meant, by whatever door it came: a page that reckons with it
    would break for good."""
    columns = getattr(attribute.property, "columns", ())
    if columns:

        @event.listens_for(attribute, "set")
        def check(_: Base, value: object, *__: Any) -> None:
            check_kept(value, key)


class OfDairy:
    """A row that belongs to one dairy: its key is (dairy_id, id), the id made by its maker."""

    @declared_attr
    def dairy_id(cls) -> Mapped[uuid.UUID]:
        """The dairy, first in the key, so that no row is ever found without it."""
        return mapped_column(
            ForeignKey("dairy.id", ondelete="CASCADE"), primary_key=True, sort_order=-2
        )

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4, sort_order=-1)


def within_dairy(column: str, table: str, ondelete: str | None = None) -> ForeignKeyConstraint:
    """A foreign key that cannot leave the dairy."""
    there = [f"{table}.dairy_id", f"{table}.id"]
    return ForeignKeyConstraint(["dairy_id", column], there, ondelete=ondelete)


def by_member() -> ForeignKeyConstraint:
    """Who did it: a person of this dairy (`person_id`)."""
    return ForeignKeyConstraint(
        ["dairy_id", "person_id"], ["membership.dairy_id", "membership.person_id"]
    )


def one_of(column: str, words: object) -> CheckConstraint:
    """A check that a column holds one of the words of a Literal."""
    told = ", ".join(f"'{each}'" for each in get_args(words))
    return CheckConstraint(f"{column} in ({told})", name=column)


Row = TypeVar("Row", bound=OfDairy)
T = TypeVar("T")


class HasNames(Protocol):
    """A row of a query, whose columns have names."""

    @property
    def _mapping(self) -> RowMapping:
        """Each column by its name."""


def among(column: Any, ids: Collection[uuid.UUID]) -> ColumnElement[bool]:
    """Whether a column is one of these: told as one array, so that thousands cost no more to say
    than a few."""
    found: ColumnElement[bool] = column == any_(bindparam(None, list(ids), ARRAY(Uuid())))
    return found


def mine(model: type[Row], dairy_id: uuid.UUID) -> Select[Row]:
    """The rows of one dairy: where every query of its own begins."""
    return select(model).where(model.dairy_id == dairy_id)


def as_named(sort: type[T], rows: Iterable[HasNames]) -> list[T]:
    """Rows as what they are, each column to the field of its own name.

    Parameters: sort, a dataclass; rows, of columns that are labelled as its fields are.
    """
    return [sort(**row._mapping) for row in rows]
