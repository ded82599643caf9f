"""Who is signed in: Flask-Login over the people's records."""

from __future__ import annotations

import uuid
from dataclasses import dataclass

from flask import Flask, g, session
from flask_login import LoginManager, UserMixin, current_user, login_user

from openpail.records.people import actions as people
from openpail.records.people.models import Person
from openpail.web.edge import db


@dataclass
class User(UserMixin):
    """A signed-in person; a changed session key signs every device out."""

    person: Person

    def get_id(self) -> str:
        """What the cookie holds."""
        return f"{self.person.id}:{self.person.session_key}"


def install(app: Flask) -> None:
    """Load the person, dairy and role of each request."""
    manager = LoginManager(app)
    manager.session_protection = "basic"

    @manager.user_loader  # type: ignore[untyped-decorator]
    def load(cookie: str) -> User | None:
        person_id, _, key = cookie.partition(":")
        try:
            found = people.at_home(db(), uuid.UUID(person_id))
        except ValueError:
            return None
        if not found or str(found[0].session_key) != key:
            return None
        person, dairy, role, own = found
        if dairy:
            g.dairy, g.role, g.own_values = dairy, role, own
        return User(person)

    @app.before_request
    def place() -> None:
        current_user.is_authenticated  # noqa: B018 (asking loads the person, dairy and role)


def let_in(person: Person) -> None:
    """Sign a person in on this device for thirty days since the last use."""
    session.clear()
    session.permanent = True
    login_user(User(person), remember=False)
