"""Roles, and what each of them may do."""

from __future__ import annotations

from collections.abc import Mapping

_READER = frozenset({"dairy.read"})
_HELPER = _READER | {"milk.write", "make.write", "care.write"}
_MAKER = _HELPER | {"dairy.write", "people.write"}
ROLES: Mapping[str, frozenset[str]] = {"maker": _MAKER, "helper": _HELPER, "reader": _READER}
