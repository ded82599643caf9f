"""Tables of people and sign-in."""

from __future__ import annotations

import uuid
from datetime import datetime

from sqlalchemy import CheckConstraint, ForeignKey, Index
from sqlalchemy.orm import Mapped, mapped_column

from openpail.records.base import Base


class Person(Base):
    """Someone who signs in; the password only as an argon2 hash."""

    __tablename__ = "person"

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    login: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    password_hash: Mapped[str]
    session_key: Mapped[uuid.UUID] = mapped_column(default=uuid.uuid4)
    created_at: Mapped[datetime]


class Membership(Base):
    """A person's role in a dairy; once ended, what they did there stays under their name."""

    __tablename__ = "membership"
    __table_args__ = (CheckConstraint("role in ('maker', 'helper', 'reader')", name="role"),)

    dairy_id: Mapped[uuid.UUID] = mapped_column(
        ForeignKey("dairy.id", ondelete="CASCADE"), primary_key=True
    )
    person_id: Mapped[uuid.UUID] = mapped_column(
        ForeignKey("person.id", ondelete="CASCADE"), primary_key=True
    )
    role: Mapped[str]
    ended_at: Mapped[datetime | None]


class SignedIn(Base):
    """A device on which somebody is signed in: since when, when it was last seen, and what its
    browser calls itself. Gone, it is signed out."""

    __tablename__ = "signed_in"
    __table_args__ = (Index("ix_signed_in_person_id", "person_id"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"))
    begun_at: Mapped[datetime]
    seen_at: Mapped[datetime]
    agent: Mapped[str] = mapped_column(default="")


class SignInTry(Base):
    """A failed sign-in, by login and address: how often is too often."""

    __tablename__ = "sign_in_try"
    __table_args__ = (Index("ix_sign_in_try_who_at", "who", "at"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    who: Mapped[str]
    at: Mapped[datetime]


class SetupToken(Base):
    """The one-time token that `serve` prints: it founds the first dairy."""

    __tablename__ = "setup_token"

    token_hash: Mapped[str] = mapped_column(primary_key=True)
    created_at: Mapped[datetime]
    used_at: Mapped[datetime | None]
