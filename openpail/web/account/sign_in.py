"""Who is signed in: Flask-Login over the people's records."""

from __future__ import annotations

import uuid
from dataclasses import dataclass

from flask import Flask, g, request, session
from flask_login import LoginManager, UserMixin, current_user, login_user

from openpail.web.edge import db, now
from openpail.work.dairy import people
from openpail.work.dairy.people import Person


@dataclass
class User(UserMixin):
    """A person who is signed in on a device; a changed session key signs every device out."""

    person: Person
    device_id: uuid.UUID

    def get_id(self) -> str:
        """What the cookie holds."""
        return f"{self.person.id}:{self.person.session_key}:{self.device_id}"


def install(app: Flask) -> None:
    """Load the person, dairy and role of each request."""
    manager = LoginManager(app)
    manager.session_protection = "basic"

    @manager.user_loader  # type: ignore[untyped-decorator]
    def load(cookie: str) -> User | None:
        try:
            person_id, key, device = (uuid.UUID(part) for part in cookie.split(":"))
        except ValueError:
            return None
        found = people.at_home(db(), person_id, device)
        if not found or found.person.session_key != key or found.seen_at is None:
            return None
        if now() - found.seen_at > people.SIGNED_IN_FOR:
            return None
        if found.dairy:
            g.dairy, g.role, g.own_values = found.dairy, found.role, found.own
        people.seen(db(), device, found.seen_at, now())
        return User(found.person, device)

    @app.before_request
    def place() -> None:
        current_user.is_authenticated  # noqa: B018 (asking loads the person, dairy and role)


def let_in(person: Person) -> None:
    """Sign a person in on this device for thirty days since the last use."""
    session.clear()
    session.permanent = True
    device = people.let_in(db(), person, request.user_agent.string, now())
    login_user(User(person, device), remember=False)
