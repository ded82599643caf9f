"""What people do at the door: set-up, sign-in, and the limit on wrong tries."""

from __future__ import annotations

import hashlib
import secrets
import uuid
from datetime import datetime, timedelta
from functools import cache
from typing import Any

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import Select, Uuid, bindparam, delete, func, select
from sqlalchemy.orm import Session

from openpail.records.dairy.models import Dairy, HouseOverride
from openpail.records.errors import RecordError
from openpail.records.people.models import Membership, Person, SetupToken, SignInTry

MOST_TRIES = 8
WINDOW = timedelta(minutes=15)
SHORTEST_PASSWORD = 10

_hasher = PasswordHasher()
_nobody = _hasher.hash(secrets.token_hex())


def new_setup_token(session: Session, now: datetime) -> str | None:
    """A token for the first set-up, None when a dairy exists already."""
    if session.scalar(select(func.count()).select_from(Dairy)):
        return None
    session.execute(delete(SetupToken))
    token = secrets.token_urlsafe(9)
    session.add(SetupToken(token_hash=_digest(token), created_at=now))
    session.flush()
    return token


def _digest(token: str) -> str:
    return hashlib.sha256(token.strip().encode()).hexdigest()


def use_setup_token(session: Session, token: str, now: datetime) -> None:
    """Spend the set-up token. Raises RecordError when it is wrong or spent."""
    row = session.get(SetupToken, _digest(token), with_for_update=True)
    if not row or row.used_at:
        raise RecordError(
            "This is not the token that ./pail serve printed last. Look at its window.", "token"
        )
    row.used_at = now
    session.flush()


def add_person(
    session: Session,
    dairy: Dairy,
    login: str,
    name: str,
    password: str,
    role: str,
    now: datetime,
) -> Person:
    """Add a person to a dairy. Raises RecordError by field."""
    login = login.strip().lower()
    if not login:
        raise RecordError("Write the name you sign in with.", "login")
    if len(password) < SHORTEST_PASSWORD:
        raise RecordError(f"At least {SHORTEST_PASSWORD} characters, please.", "password")
    if session.scalar(select(Person).where(Person.login == login)):
        raise RecordError(f"“{login}” is taken.", "login")
    person = Person(
        id=uuid.uuid4(),
        login=login,
        name=name.strip() or login,
        password_hash=_hasher.hash(password),
        session_key=uuid.uuid4(),
        created_at=now,
    )
    session.add(person)
    session.flush()
    session.add(Membership(dairy_id=dairy.id, person_id=person.id, role=role))
    session.flush()
    return person


def sign_in(
    session: Session, login: str, password: str, address: str, now: datetime
) -> Person | None:
    """The person whose login and password these are, None when they are not.

    Raises: RecordError after too many wrong tries from one address or at one login.
    """
    login = login.strip().lower()
    keys = (f"login:{login}", f"address:{address}")
    recent = select(func.count()).where(SignInTry.at > now - WINDOW)
    for key in keys:
        if (session.scalar(recent.where(SignInTry.who == key)) or 0) >= MOST_TRIES:
            raise RecordError("Too many wrong tries. Wait a quarter of an hour, then try again.")
    person = session.scalar(select(Person).where(Person.login == login))
    if _matches(person.password_hash if person else _nobody, password) and person:
        session.execute(delete(SignInTry).where(SignInTry.who == keys[0]))
        return person
    session.add_all(SignInTry(id=uuid.uuid4(), who=key, at=now) for key in keys)
    session.execute(delete(SignInTry).where(SignInTry.at < now - timedelta(days=1)))
    session.flush()
    return None


def _matches(hashed: str, password: str) -> bool:
    try:
        return _hasher.verify(hashed, password)
    except (VerifyMismatchError, InvalidHashError):
        return False


@cache  # putting a question together takes longer than asking it
def _at_home() -> Select[Any]:
    own = (
        select(func.jsonb_object_agg(HouseOverride.key, HouseOverride.value))
        .where(HouseOverride.dairy_id == Dairy.id, HouseOverride.until.is_(None))
        .scalar_subquery()
    )
    return (
        select(Person, Dairy, Membership.role, own)
        .outerjoin(Membership, Membership.person_id == Person.id)
        .outerjoin(Dairy, Dairy.id == Membership.dairy_id)
        .where(Person.id == bindparam("person_id", type_=Uuid()))
        .order_by(Dairy.created_at)
    )


def at_home(
    session: Session, person_id: uuid.UUID
) -> tuple[Person, Dairy | None, str | None, dict[str, float]] | None:
    """A person, the dairy they belong to, their role there and its own house values; None for
    nobody."""
    row = session.execute(_at_home(), {"person_id": person_id}).first()
    return (row[0], row[1], row[2], row[3] or {}) if row else None


def first_maker(session: Session) -> Person | None:
    """The maker who came first (the demo signs its visitor in as this one)."""
    query = (
        select(Person)
        .join(Membership, Membership.person_id == Person.id)
        .where(Membership.role == "maker")
        .order_by(Person.created_at)
    )
    return session.scalar(query)
