"""How long a step may be left, as a sentence: written out, and read as people say it.

Recipe files of before their version 1.1 hold such a sentence; the desk and the printed recipe do
still. What was read is a `MayLeave`, and nobody reads the sentence again after that.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from openpail.craft.recipe.recipe import LeftFrom, MayLeave
from openpail.craft.units import so_long

_WORDS = ("one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "twenty")
_COUNT = rf"\d+|{'|'.join(_WORDS)}"
_LONG = rf"(?:the |an? )?(?:half (?:an )?hour|hour|(?:{_COUNT}) ?(?:min|h)\w*(?: \d+\b)?)"
_PART = re.compile(r"\s*(?:[;:,.]|\bbut\b)\s*")
_EACH_TIME = re.compile(r"at a time|between turns", re.I)
_PART_OF_DAY = {"morning": 240.0, "day": 480.0}
# A length said without more is for as long as somebody turns away; a long one from the beginning.
_TURNS_AWAY_MIN = 15.0

_WHAT: tuple[tuple[str, LeftFrom], ...] = (
    (r"(?:not now|not in|stay by it)\b.*", "not now"),
    (rf"(?:any time )?until (?P<long>{_LONG}) before (?:its time|its end|it ends)", "before end"),
    (rf"(?:any time |up to |for )*(?P<long>{_LONG}) (?:longer|more|over|past it)\b.*", "past end"),
    (rf"(?:up to )?(?P<long>{_LONG}) (?:at a time|between turns)", "at a time"),
    (rf"(?:up to )?(?P<long>{_LONG}) from its beginning", "beginning"),
    (rf"(?:any time )?within (?P<long>{_LONG})", "beginning"),
    (rf"(?:up to |for )?(?P<long>{_LONG})(?: at most)?(?P<under> below .*)?", "at a time"),
    (r"any time (?:that|the same) (?P<part>morning|day)", "beginning"),
    (r"(?:any ?time|until|overnight|all day)\b.*", "end"),
)
_SAID = tuple((re.compile(pattern, re.I), counted) for pattern, counted in _WHAT)


def leave_of(text: str) -> MayLeave | None:
    """A sentence as what it says; None for nothing.

    Parameters: text, like "Up to 5 min; then it catches". Returns: words without a time in them
    are kept as what happens then, and it may not be left. Source: derivation.
    """
    said = text.strip().rstrip(".").strip()
    if not said:
        return None
    head, *rest = _PART.split(said, maxsplit=1)
    then = rest[0].strip() if rest else ""
    for pattern, usual in _SAID:
        found = pattern.fullmatch(head)
        if found is None:
            continue
        counted = usual
        parts = found.groupdict()
        minutes = _minutes(parts["long"]) if parts.get("long") else 0.0
        minutes = minutes or _PART_OF_DAY.get(parts.get("part") or "", 0.0)
        if counted == "at a time" and minutes > _TURNS_AWAY_MIN and not _EACH_TIME.search(head):
            counted = "beginning"
        then = _joined((parts.get("under") or "").strip(), then)
        if counted == "not now":
            then = _joined(re.sub(r"(?i)^not now\b", "", head).strip(), then)
        return MayLeave(counted, minutes, then)
    return MayLeave("not now", 0.0, said)


def _joined(*parts: str) -> str:
    return ", ".join(part for part in parts if part)


def _minutes(said: str) -> float:
    plain = re.sub(r"^(?:the |an? )", "", said.lower())
    if "half" in plain:
        return 30.0
    if plain == "hour":
        return 60.0
    count, unit, more = re.fullmatch(rf"({_COUNT}) ?(min|h)\w*(?: (\d+))?", plain).groups()  # type: ignore[union-attr]
    number = float(count) if count.isdigit() else float((*range(1, 11), 20)[_WORDS.index(count)])
    return number * (60.0 if unit == "h" else 1.0) + float(more or 0)


_WRITTEN: dict[LeftFrom, Callable[[str], str]] = {
    "not now": lambda _: "Not now",
    "at a time": lambda long: f"Up to {long} at a time",
    "beginning": lambda long: f"Any time within {long}",
    "before end": lambda long: f"Until {long} before its time",
    "end": lambda _: "Any time until it ends",
    "past end": lambda long: f"Up to {long} longer",
}


def leave_words(leave: MayLeave | None) -> str:
    """What `leave_of` reads back the same. Parameters: leave, None for nothing said."""
    if leave is None:
        return ""
    head = _WRITTEN[leave.counted](so_long(leave.minutes))
    return f"{head}; {leave.then}" if leave.then else head
