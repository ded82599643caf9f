"""People: who comes in, what they may do, their passwords and devices."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy.orm import Session

from openpail.formats import recipe_file
from openpail.records.dairy import actions as dairies
from openpail.records.people import actions
from openpail.records.people.actions import (
    LONGEST_LOGIN,
    SHORTEST_PASSWORD,
    SIGNED_IN_FOR,
)
from openpail.records.people.models import Person
from openpail.records.people.roles import ROLES
from openpail.records.recipes import actions as recipes
from openpail.work.asked import of_dairy, of_row
from openpail.work.here import Here

__all__ = ["LONGEST_LOGIN", "ROLES", "SHORTEST_PASSWORD", "SIGNED_IN_FOR", "Person"]

# ── before anybody is here: asked with a session ──

check_password = actions.check_password
check_setup_token = actions.check_setup_token
sign_in = actions.sign_in
first_maker = actions.first_maker
at_home = actions.at_home
let_in = actions.let_in
seen = actions.seen


@dataclass(frozen=True, slots=True, kw_only=True)
class Founding:
    """What is told when a dairy is founded: the token that shows who may, the dairy, its maker."""

    token: str
    name: str
    zone: str
    volume_system: str
    mass_system: str
    degrees: str
    login: str
    password: str


def found(session: Session, told: Founding, now: datetime) -> Person:
    """A dairy with the starter recipes and its first maker, who is answered.

    Raises: RecordError by field.
    """
    actions.use_setup_token(session, told.token, now)
    dairy = dairies.found(
        session,
        told.name,
        told.zone,
        now,
        volume_system=told.volume_system,
        mass_system=told.mass_system,
        degrees=told.degrees,
    )
    library = [(r, d, recipe_file.checksum(d)) for r, d in recipe_file.library()]
    recipes.keep_library(session, dairy, library, now)
    return actions.add_person(
        session,
        dairy,
        told.login,
        name=told.login,
        password=told.password,
        role="maker",
        now=now,
    )


# ── the people of a dairy ──

members = of_dairy(actions.members)
set_role = of_dairy(actions.set_role)


def add(here: Here, login: str, *, name: str, password: str, role: str) -> None:
    """Somebody comes. Raises RecordError by field."""
    actions.add_person(
        here.session, here.dairy, login, name=name, password=password, role=role, now=here.now
    )


def set_password(here: Here, person_id: uuid.UUID, password: str) -> None:
    """A new password for somebody; every device of theirs is signed out.

    Raises: NotHere, RecordError.
    """
    member = actions.member(here.session, here.dairy, person_id)
    actions.set_password(here.session, member, password)


def end(here: Here, person_id: uuid.UUID) -> None:
    """Somebody leaves; what they did stays theirs. Raises NotHere, RecordError."""
    actions.end(here.session, here.dairy, person_id, here.now)


# ── one's own ──

devices = of_row(actions.devices)
change_password = of_row(actions.change_password)
sign_out = of_row(actions.sign_out)
sign_out_everywhere = of_row(actions.new_session_key)
