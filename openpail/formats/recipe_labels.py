"""Lines of a recipe that say themselves what they are: headings, and labels with a colon."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from typing import get_args

from openpail.craft.errors import OutOfRange, Unknown
from openpail.craft.recipe.recipe import Asks
from openpail.craft.units import parse_minutes, parse_number, so_many
from openpail.formats.leave_text import leave_of
from openpail.formats.line_parts import NUM, Clauses
from openpail.formats.recipe_draft import Draft
from openpail.formats.recipe_words import FAMILIES

MOST_DAYS = 5000
_Label = Callable[[Draft, str], str]
_ASKS: dict[str, Asks] = {each: each for each in get_args(Asks)}


def labelled(draft: Draft, text: str) -> str:
    """A heading, or what its label says it is; "" for other lines."""
    if text.startswith("#"):
        return _heading(draft, text)
    for label, read in _LABELS.items():
        match = re.match(rf"(?:{label})\s*:\s*(.+)$", text, re.I)
        if match:
            return read(draft, match[1].strip())
    return ""


def _heading(draft: Draft, text: str) -> str:
    words = text.lstrip("#").strip()
    if text.startswith("##") or not words or "name" in draft.head:
        return "a heading"
    draft.head["name"] = words[:80]
    return "its name"


def _sign(draft: Draft, words: str) -> str:
    return draft.change_last(lambda step: replace(step, sign=words))


def _goes_wrong(draft: Draft, words: str) -> str:
    return draft.change_last(lambda step: replace(step, goes_wrong=words))


def _leave(draft: Draft, words: str) -> str:
    return draft.change_last(lambda step: replace(step, leave=leave_of(words)))


def _asks(draft: Draft, words: str) -> str:
    said = re.split(r"[\s,]+", words.lower())
    asks = tuple(_ASKS[each] for each in said if each in _ASKS)
    return draft.change_last(lambda step: replace(step, asks=asks))


def _family(draft: Draft, words: str) -> str:
    plain = re.sub(r"[^a-z]+", " ", words.lower()).strip()
    for key, name in FAMILIES.items():
        if plain in (key.replace("_", " "), re.sub(r"[^a-z]+", " ", name).strip()):
            draft.head["family"] = key
            return f"family: {name}"
    raise Unknown(f"“{words}” is no family we know: {', '.join(FAMILIES.values())}.")


def _number_of(part: str) -> _Label:
    def read(draft: Draft, words: str) -> str:
        match = re.search(NUM, words)
        if not match:
            raise Unknown(f"There is no number in “{words}”.")
        draft.head[part] = parse_number(match[0])
        return f"{part.replace('_', ' ')}: {draft.head[part]:g}"

    return read


def _rennet_at(draft: Draft, words: str) -> str:
    warm = Clauses(words).celsius
    if warm is None:
        raise Unknown("Write it like Rennet at: 31 C.")
    draft.head["renneting_c"] = warm.target
    return f"rennet goes in at {warm.target:.3g} °C"


def _eat_by(draft: Draft, words: str) -> str:
    draft.head["eat_by_days"] = days_of(words)
    return f"to be eaten within {so_many(draft.head['eat_by_days'], 'day')}"


def _put(part: str, most: int | None = None) -> _Label:
    def put(draft: Draft, words: str) -> str:
        draft.head[part] = words[:most]
        return part.replace("_", " ")

    return put


def days_of(words: str) -> int:
    """A length in whole days. Parameters: words, like 60 days. Raises: OutOfRange."""
    days = round(parse_minutes(words, "d") / 1440)
    if days > MOST_DAYS:
        raise OutOfRange(f"{days} days is longer than anybody waits.")
    return days


_LABELS: dict[str, _Label] = {
    "name": _put("name", 80),
    "family": _family,
    "about": _put("words"),
    "rennet at": _rennet_at,
    "cut at": _number_of("cut_multiplier"),
    "ripened by": _number_of("ripening_ph_drop"),
    "acid to": _number_of("acid_target_ph"),
    "eat within": _eat_by,
    "ready": _put("ready_words"),
    "whose": _put("whose"),
    "other milks": _put("other_milks"),
    "look for": _sign,
    "if it goes wrong": _goes_wrong,
    "may be left": _leave,
    "asks": _asks,
}
