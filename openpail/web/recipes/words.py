"""What changed between two recipes, in words that a maker reads."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from openpail.craft.recipe.recipe import MayLeave
from openpail.craft.units import so_long
from openpail.formats.changes import KEYED, Change
from openpail.formats.leave_text import leave_of, leave_words
from openpail.formats.recipe_words import FAMILIES
from openpail.web.ui.show import degrees, mass, number, small_length, volume

_FIELDS: Mapping[str, str] = {
    "name": "name",
    "family": "family",
    "words": "words",
    "reference": "written for",
    "renneting_c": "rennet goes in at",
    "ripening_ph_drop": "pH falls before the rennet by",
    "cut_multiplier": "cut, times the flocks",
    "acid_target_ph": "acid down to pH",
    "eat_by_days": "eat within, days",
    "ratio": "ratio of milks",
    "ready_words": "ready",
    "other_milks": "other milks",
    "whose": "whose it is",
    "source": "as it was written",
    "product": "what it is",
    "amount": "amount",
    "unit": "unit",
    "basis": "counted for",
    "kind": "kind",
    "title": "title",
    "minutes": "takes",
    "hands_on_minutes": "by hand",
    "clock": "its length",
    "celsius": "warmth",
    "ph": "pH",
    "adds": "goes in here",
    "sign": "look for",
    "goes_wrong": "if it goes wrong",
    "leave": "may be left",
    "may_stretch_minutes": "may run longer by",
    "cut_mm": "cut to",
    "load_kg": "weight on it",
    "most_salt_pct": "salt it takes up at most, %",
    "asks": "asks for",
    "turns_min": "turned after, min",
    "place": "where",
    "days": "days",
    "ends_when": "ends when",
    "humidity_pct": "humidity, %",
    "every_days": "every, days",
    "from_day": "from day",
    "matters": "how it matters",
    "times_a_day": "times a day",
    "key": "key",
    "acid": "acid",
}


@dataclass(frozen=True, slots=True)
class ChangeInWords:
    """One change: where, what stood there, what stands there now; "" for nothing."""

    where: str
    was: str
    now: str


def told(
    changes: Sequence[Change], old: Mapping[str, Any], new: Mapping[str, Any]
) -> list[ChangeInWords]:
    """Changes in words. Parameters: changes from old to new, both recipe bodies."""
    return [_told(each, old, new) for each in changes]


def _told(change: Change, old: Mapping[str, Any], new: Mapping[str, Any]) -> ChangeInWords:
    where = _where(change.at, old, new)
    was, now = _at(change.at, old), _at(change.at, new)
    if change.gone:
        return ChangeInWords(where, _say(change.at, was), "taken out")
    if change.after is not None:
        named = _part_name(_at("/".join([*change.at.split("/")[:-1], change.after]), new))
        behind = f"behind “{named}”" if change.after else "first"
        if change.moves:
            return ChangeInWords(where, "", f"moved: {behind}")
        return ChangeInWords(where, "", f"new, {behind}: {_say(change.at, change.now)}")
    return ChangeInWords(where, _say(change.at, was), _say(change.at, now))


def _at(path: str, body: Any) -> Any:
    for name in path.split("/"):
        if isinstance(body, Mapping):
            body = body.get(name)
        elif isinstance(body, list):
            body = next((each for each in body if each.get("key") == name), None)
        else:
            return None
    return body


def _where(path: str, old: Mapping[str, Any], new: Mapping[str, Any]) -> str:
    """The place in words: “Warm the curd to 39 °C”, warmth."""
    parts, said = path.split("/"), []
    for number_of, name in enumerate(parts):
        here = "/".join(parts[: number_of + 1])
        if number_of and parts[number_of - 1] in KEYED:
            said.append(f"“{_part_name(_at(here, old) or _at(here, new)) or name}”")
        elif name not in KEYED:
            said.append(_FIELDS.get(name, name.replace("_", " ")))
    return ", ".join(said)


def _part_name(part: Any) -> str:
    if not isinstance(part, Mapping):
        return ""
    product = part.get("product")
    if isinstance(product, Mapping):
        return str(product.get("name", ""))
    return str(part.get("title") or part.get("place") or part.get("words") or part.get("key", ""))


def _say(path: str, value: Any) -> str:
    """A value of a recipe in words and in the dairy's units."""
    field = path.rsplit("/", 1)[-1]
    if value is None or value in ("", []):
        return "nothing"
    if field == "reference":
        return " and ".join(
            f"{volume(part['volume_l'])} of {part['treatment']} "
            f"{part['breed'].replace('_', ' ')} {part.get('stream', 'milk')}"
            for part in value
        )
    if isinstance(value, Mapping) and {"target", "low", "high"} <= set(value):
        say = degrees if field == "celsius" else (lambda each, _=0: number(each))
        return f"{say(value['target'], 1)} ({say(value['low'], 1)} to {say(value['high'], 1)})"
    if field == "leave":
        return leave_words(MayLeave(**value) if isinstance(value, Mapping) else leave_of(value))
    if isinstance(value, Mapping):
        return _part_name(value) or str(value.get("name", "")) or "changed"
    if isinstance(value, list):
        return ", ".join(map(str, value))
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        return next((words for key, words in FAMILIES.items() if key == value), str(value))
    if field.endswith("minutes"):
        return so_long(value)
    if field == "load_kg":
        return mass(value)
    if field == "cut_mm":
        return small_length(value)
    return degrees(value, 1) if field == "renneting_c" else f"{value:g}"
