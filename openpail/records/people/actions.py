"""What people do at the door: set-up, sign-in, and the limit on wrong tries."""

from __future__ import annotations

import hashlib
import secrets
import uuid
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cache
from typing import Any

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import Select, Uuid, and_, bindparam, delete, func, select, update
from sqlalchemy.orm import Session, aliased

from openpail.craft.errors import NotHere, RecordError
from openpail.records.dairy.models import Dairy, HouseOverride
from openpail.records.people.models import (
    Membership,
    Person,
    SetupToken,
    SignedIn,
    SignInTry,
)
from openpail.records.people.roles import ROLES

MOST_TRIES = 8  # of one name from one address: who guesses cannot shut out whoever sits elsewhere
MOST_OF_AN_ADDRESS = 60
LONGEST_LOGIN = 80
WINDOW = timedelta(minutes=15)
SHORTEST_PASSWORD, _LONGEST_PASSWORD = 12, 1000
_LEAST_SIGNS = 6
_GUESSED_FIRST = ("password", "openpail", "cheese", "123456", "qwert", "letmein", "welcome")

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


def check_setup_token(session: Session, token: str) -> SetupToken:
    """The set-up token, held until it is spent. Raises RecordError when it is wrong or spent."""
    row = session.get(SetupToken, _digest(token), with_for_update=True)
    if not row or row.used_at:
        raise RecordError(
            "This is not the token that ./pail serve printed last. Look at its window.", "token"
        )
    return row


def use_setup_token(session: Session, token: str, now: datetime) -> None:
    """Spend the set-up token. Raises RecordError as `check_setup_token`."""
    check_setup_token(session, token).used_at = now
    session.flush()


def add_person(
    session: Session,
    dairy: Dairy,
    login: str,
    *,
    name: str,
    password: str,
    role: str,
    now: datetime,
) -> Person:
    """Add a person to a dairy. Raises RecordError by field."""
    login = login.strip().lower()
    if not login:
        raise RecordError("Write the name to sign in with.", "login")
    if len(login) > LONGEST_LOGIN or not login.isprintable():
        raise RecordError(f"At most {LONGEST_LOGIN} characters, please.", "login")
    if len(name) > LONGEST_LOGIN:
        raise RecordError(f"At most {LONGEST_LOGIN} characters, please.", "name")
    if role not in ROLES:
        raise RecordError("Choose what they may do.", "role")
    check_password(password, "password", login)
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


def check_password(password: str, field: str, login: str = "") -> None:
    """Long enough to be one, and none that is guessed first. Raises RecordError about the field."""
    if not SHORTEST_PASSWORD <= len(password) <= _LONGEST_PASSWORD:
        raise RecordError(f"At least {SHORTEST_PASSWORD} characters, please.", field)
    plain = password.casefold()
    if login:
        plain = plain.replace(login.casefold(), "")
    for word in _GUESSED_FIRST:
        plain = plain.replace(word, "")
    # what is left of it after the words that everybody tries must still be something
    if len(set(plain)) < _LEAST_SIGNS:
        words = "That one is guessed first: take a few words that have nothing to do with it."
        raise RecordError(words, field)


# ── those who are there ──


@dataclass(frozen=True, slots=True)
class Member:
    """A person of a dairy, their role, and when they left."""

    person: Person
    role: str
    ended_at: datetime | None


def members(session: Session, dairy: Dairy) -> list[Member]:
    """Everybody of a dairy, those who left at the end."""
    query = (
        select(Person, Membership.role, Membership.ended_at)
        .join(Membership, Membership.person_id == Person.id)
        .where(Membership.dairy_id == dairy.id)
        .order_by(Membership.ended_at.isnot(None), Person.created_at)
    )
    return [Member(*row) for row in session.execute(query)]


def unknown_password() -> str:
    """A password that nobody knows, as it is kept: whoever has it is given a new one."""
    return _hasher.hash(secrets.token_hex())


def names(session: Session, dairy: Dairy) -> dict[uuid.UUID, str]:
    """What everybody is called who is or was at the dairy."""
    query = (
        select(Person.id, Person.name, Person.login)
        .join(Membership, Membership.person_id == Person.id)
        .where(Membership.dairy_id == dairy.id)
    )
    return {key: name or login for key, name, login in session.execute(query)}


def member(session: Session, dairy: Dairy, person_id: uuid.UUID) -> Person:
    """A person who is of this dairy now. Raises NotHere."""
    _membership(session, dairy, person_id)
    return session.get_one(Person, person_id)


def _membership(session: Session, dairy: Dairy, person_id: uuid.UUID) -> Membership:
    found = session.get(Membership, (dairy.id, person_id), with_for_update=True)
    if found is None or found.ended_at:
        raise NotHere("no such person")
    return found


def set_role(session: Session, dairy: Dairy, person_id: uuid.UUID, role: str) -> None:
    """Somebody may do more or less. Raises NotHere; RecordError for no role, or no maker left."""
    found = _membership(session, dairy, person_id)
    if role not in ROLES:
        raise RecordError("Choose what they may do.", "role")
    if role != "maker":
        _check_other_maker(session, dairy, person_id)
    found.role = role
    session.flush()


def end(session: Session, dairy: Dairy, person_id: uuid.UUID, now: datetime) -> None:
    """Somebody leaves; what they did stays theirs. Raises NotHere, RecordError as `set_role`."""
    found = _membership(session, dairy, person_id)
    _check_other_maker(session, dairy, person_id)
    found.ended_at = now
    new_session_key(session, session.get_one(Person, person_id))


def _check_other_maker(session: Session, dairy: Dairy, person_id: uuid.UUID) -> None:
    """One maker stays; the makers' rows are held, so that two cannot leave at one time."""
    makers = session.scalars(
        select(Membership.person_id)
        .where(
            Membership.dairy_id == dairy.id,
            Membership.role == "maker",
            Membership.ended_at.is_(None),
        )
        .with_for_update()
    ).all()
    if makers and not set(makers) - {person_id}:
        raise RecordError("One maker must stay: make somebody else one first.", "role")


def set_password(session: Session, person: Person, password: str) -> None:
    """A new password; every device is signed out. Raises RecordError."""
    check_password(password, "new", person.login)
    person.password_hash = _hasher.hash(password)
    new_session_key(session, person)


def change_password(session: Session, person: Person, old: str, new: str) -> None:
    """One's own password, by whoever knows the old one. Raises RecordError by field."""
    if not _matches(person.password_hash, old):
        raise RecordError("This is not your password until now.", "old")
    set_password(session, person, new)


def new_session_key(session: Session, person: Person) -> None:
    """Every device of theirs is signed out: no cookie from before is good any more."""
    person.session_key = uuid.uuid4()
    session.execute(delete(SignedIn).where(SignedIn.person_id == person.id))
    session.flush()


# ── the door ──


def sign_in(
    session: Session, login: str, password: str, address: str, now: datetime
) -> Person | None:
    """The person whose login and password these are, None when they are not.

    Raises: RecordError after too many wrong tries of one name from one address, or of an address.
    """
    login = login.strip().lower()
    address_key = f"address:{address}"
    keys = {address_key: MOST_OF_AN_ADDRESS}
    if len(login) <= LONGEST_LOGIN:  # nobody has a longer one
        keys[f"pair:{login} {address}"] = MOST_TRIES
    # One at a time from an address, so that many at one moment are counted too.
    session.execute(select(func.pg_advisory_xact_lock(func.hashtextextended(address_key, 0))))
    recent = select(func.count()).where(SignInTry.at > now - WINDOW)
    for key, most in keys.items():
        if (session.scalar(recent.where(SignInTry.who == key)) or 0) >= most:
            raise RecordError("Too many wrong tries. Wait a quarter of an hour, then try again.")
    person = session.scalar(select(Person).where(Person.login == login[: LONGEST_LOGIN + 1]))
    password = password[: _LONGEST_PASSWORD + 1]
    if _matches(person.password_hash if person else _nobody, password) and person:
        session.execute(delete(SignInTry).where(SignInTry.who.in_(keys.keys() - {address_key})))
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
    device = aliased(SignedIn)
    own = (
        select(func.jsonb_object_agg(HouseOverride.key, HouseOverride.value))
        .where(HouseOverride.dairy_id == Dairy.id, HouseOverride.until.is_(None))
        .scalar_subquery()
    )
    return (
        select(Person, Dairy, Membership.role, own, device.seen_at)
        .outerjoin(
            Membership, and_(Membership.person_id == Person.id, Membership.ended_at.is_(None))
        )
        .outerjoin(Dairy, Dairy.id == Membership.dairy_id)
        .outerjoin(
            device,
            and_(device.person_id == Person.id, device.id == bindparam("device_id", type_=Uuid())),
        )
        .where(Person.id == bindparam("person_id", type_=Uuid()))
        .order_by(Dairy.created_at)
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class AtHome:
    """A person, the dairy they belong to, their role there, its own house values, and when the
    device that asks was last seen; None: nobody is signed in on it."""

    person: Person
    dairy: Dairy | None
    role: str | None
    own: dict[str, float]
    seen_at: datetime | None


def at_home(
    session: Session, person_id: uuid.UUID, device_id: uuid.UUID | None = None
) -> AtHome | None:
    """A person where they belong; None for nobody."""
    asked = {"person_id": person_id, "device_id": device_id}
    row = session.execute(_at_home(), asked).first()
    return (
        AtHome(person=row[0], dairy=row[1], role=row[2], own=row[3] or {}, seen_at=row[4])
        if row
        else None
    )


# ── devices ──

SIGNED_IN_FOR = timedelta(days=30)
_SEEN_EVERY = timedelta(minutes=10)
_LONGEST_AGENT = 300


def let_in(session: Session, person: Person, agent: str, now: datetime) -> uuid.UUID:
    """A device is signed in; those that nobody used for long are forgotten."""
    session.execute(
        delete(SignedIn).where(
            SignedIn.person_id == person.id, SignedIn.seen_at < now - SIGNED_IN_FOR
        )
    )
    row = SignedIn(
        id=uuid.uuid4(),
        person_id=person.id,
        begun_at=now,
        seen_at=now,
        agent=agent[:_LONGEST_AGENT],
    )
    session.add(row)
    session.flush()
    return row.id


def seen(session: Session, device_id: uuid.UUID, last: datetime, now: datetime) -> None:
    """A device is in use: told every ten minutes, no oftener."""
    if now - last >= _SEEN_EVERY:
        session.execute(update(SignedIn).where(SignedIn.id == device_id).values(seen_at=now))


def devices(session: Session, person: Person) -> list[SignedIn]:
    """The devices on which somebody is signed in, the last seen first."""
    query = select(SignedIn).where(SignedIn.person_id == person.id)
    return list(session.scalars(query.order_by(SignedIn.seen_at.desc(), SignedIn.begun_at.desc())))


def sign_out(session: Session, person: Person, device_id: uuid.UUID) -> None:
    """A device of theirs is signed out. Raises NotHere."""
    row = session.get(SignedIn, device_id)
    if row is None or row.person_id != person.id:
        raise NotHere("no such device")
    session.delete(row)
    session.flush()


def first_maker(session: Session) -> Person | None:
    """The maker who came first (the demo signs its visitor in as this one)."""
    query = (
        select(Person)
        .join(Membership, Membership.person_id == Person.id)
        .where(Membership.role == "maker", Membership.ended_at.is_(None))
        .order_by(Person.created_at)
    )
    return session.scalar(query)
