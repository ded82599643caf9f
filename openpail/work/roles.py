"""Roles, and what each of them may do."""

from __future__ import annotations

READER = frozenset({"dairy.read"})
HELPER = READER | {"milk.write", "make.write", "care.write"}
MAKER = HELPER | {"dairy.write", "people.write"}
ROLES = {"reader": READER, "helper": HELPER, "maker": MAKER}
