"""What lies between two recipes, as a list of changes: compared, carried over, followed.

A place is written like a path: `eat_by_days`, `steps/heat/celsius`, `ingredients/herbs`. Parts
that carry a key (ingredients, steps, stages, and the cares of a stage) are found by it, so that a
change still finds its place when the parent has gained a step in between.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from copy import deepcopy
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Annotated, Any

from annotated_types import MinLen

from openpail.craft.errors import NotPossible

Body = dict[str, Any]
KEYED = frozenset({"ingredients", "steps", "stages", "cares"})
NOTHING = object()


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """One change: a place, and what stands there now, or that it is gone, or after what it stands.

    after: the key that a new or moved part stands behind, "" for the first; None when its place
    among the others is not what changes.
    """

    at: Annotated[str, MinLen(1)]
    now: Any = None
    gone: bool = False
    after: str | None = None

    @property
    def moves(self) -> bool:
        """Whether it only moves a part."""
        return self.after is not None and self.now is None

    def to_json(self) -> Body:
        """As it stands in a file."""
        body: Body = {"at": self.at}
        if self.gone:
            return {**body, "gone": True}
        if self.after is not None:
            body["after"] = self.after
        return body if self.moves else {**body, "now": self.now}


def between(old: Mapping[str, Any], new: Mapping[str, Any], place: str = "") -> list[Change]:
    """What turns one body into the other.

    Parameters: old and new, recipe bodies as in a file; place, where in a recipe they stand.
    Returns: changes in an order in which `applied` takes them. Source: derivation.
    """
    found: list[Change] = []
    for name in [*old, *(each for each in new if each not in old)]:
        at, was, now = f"{place}{name}", old.get(name, NOTHING), new.get(name, NOTHING)
        if _same(was, now):
            continue
        if now is NOTHING or now is None:
            found.append(Change(at=at, gone=True))
        elif name in KEYED and _keyed(was) and _keyed(now):
            found += _parts_between(was, now, f"{at}/")
        else:
            found.append(Change(at=at, now=deepcopy(now)))
    return found


def _same(was: Any, now: Any) -> bool:
    """Equal, and of one kind: to JSON's readers true is not 1."""
    if isinstance(was, bool) != isinstance(now, bool):
        return False
    return bool(was == now)


def _keyed(parts: Any) -> bool:
    """A list of parts, each with a key of its own."""
    if not isinstance(parts, list) or not all(isinstance(each, dict) for each in parts):
        return False
    keys = [each.get("key") for each in parts]
    return all(isinstance(key, str) and key and "/" not in key for key in keys) and len(
        set(keys)
    ) == len(keys)


def _parts_between(old: list[Body], new: list[Body], place: str) -> Iterator[Change]:
    was, now = ({each["key"]: each for each in parts} for parts in (old, new))
    for key in was:
        if key not in now:
            yield Change(at=f"{place}{key}", gone=True)
    here = [key for key in was if key in now]
    matched = SequenceMatcher(None, here, list(now), autojunk=False).get_matching_blocks()
    still = {key for block in matched for key in here[block.a : block.a + block.size]}
    before = ""
    for key, part in now.items():
        if key not in was:
            yield Change(at=f"{place}{key}", now=deepcopy(part), after=before)
        else:
            if key not in still:
                yield Change(at=f"{place}{key}", after=before)
            yield from between(was[key], part, f"{place}{key}/")
        before = key


@dataclass(frozen=True, slots=True)
class Applied:
    """A body with changes made to it, and what could not be made, with why."""

    body: Body
    missed: tuple[tuple[Change, str], ...]


def applied(body: Mapping[str, Any], changes: Iterable[Change]) -> Applied:
    """Make changes to a copy of a body, as far as their places are still there.

    Parameters: body; changes, in their order. Returns: the new body; changes whose place is gone
    are left out and named. Source: derivation.
    """
    made: Body = deepcopy(dict(body))
    missed = []
    for change in changes:
        try:
            _make(made, change)
        except NotPossible as why:
            missed.append((change, why.words))
    return Applied(made, tuple(missed))


def _make(body: Body, change: Change) -> None:
    *way, last = change.at.split("/")
    inside: Any = body
    for name in way:
        inside = _inside(inside, name)
    if isinstance(inside, list):
        _make_in(inside, last, change)
    elif not isinstance(inside, dict) or change.after is not None:
        raise NotPossible(f"“{change.at}” is not a place of this recipe.")
    elif change.gone:
        inside.pop(last, None)
    else:
        inside[last] = deepcopy(change.now)


def _inside(inside: Any, name: str) -> Any:
    if isinstance(inside, dict) and name in KEYED:
        return inside.setdefault(name, [])
    if isinstance(inside, list) and _keyed(inside):
        found = next((each for each in inside if each["key"] == name), None)
        if found is not None:
            return found
    raise NotPossible(f"The parent has no “{name}” any more.")


def _make_in(parts: list[Body], key: str, change: Change) -> None:
    at = next((i for i, each in enumerate(parts) if each.get("key") == key), None)
    if at is None and (change.gone or change.now is None):
        raise NotPossible(f"The parent has no “{key}” any more.")
    before = None if at is None else parts.pop(at)
    if change.gone:
        return
    part = before if change.now is None else deepcopy(change.now)
    if not isinstance(part, dict) or part.get("key") != key:
        raise NotPossible(f"What is to stand at “{change.at}” does not carry that key.")
    if change.after is None:
        parts.insert(len(parts) if at is None else at, part)
    elif not change.after:
        parts.insert(0, part)
    else:
        behind = [i for i, each in enumerate(parts) if each.get("key") == change.after]
        parts.insert(behind[0] + 1 if behind else len(parts), part)


def both_changed(mine: Sequence[Change], theirs: Sequence[Change]) -> list[Change]:
    """Changes of mine at a place, within one or around one that theirs changes as well."""

    def touch(a: str, b: str) -> bool:
        return a == b or a.startswith(f"{b}/") or b.startswith(f"{a}/")

    return [each for each in mine if any(touch(each.at, other.at) for other in theirs)]
