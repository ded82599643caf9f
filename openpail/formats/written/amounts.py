"""What a clause says of amounts: of which thing, of how much, in which band."""

from __future__ import annotations

import re
from dataclasses import replace
from itertools import pairwise

from openpail.craft.recipe.recipe import (
    Band,
    StepKind,
)
from openpail.craft.units import parse_number
from openpail.formats.recipe_words import (
    kind_of_thing,
)
from openpail.formats.written.clauses import Clause
from openpail.formats.written.quantities import Quantity

SIGN = re.compile(
    r"\b(?:until|till|untill)\s+(?P<a>(?!\d|pH)(?:[^,;.()]|(?<=\d)[.,](?=\d))+)|"
    r"\b(?P<b>clean break)\b|\bwhen (?P<c>(?!pH)[^,;.()]+)",
    re.I,
)
MILK = re.compile(
    r"\b(?:milk|cow|cows|goats?|ewes?|sheep|buffalo|whey|raw|unpasteuri[sz]ed|pasteuri[sz]ed)\b",
    re.I,
)
_COOL = r"(?:hot|cool|cold|warm|lukewarm|tepid|well|boiled|clean|fresh|tap|the|skimmed?)"
_WATER = re.compile(rf"\s*(?:of\s+)?(?:{_COOL}\s+)*(?:water|H2O|H₂O)\b", re.I)
_WHEY = re.compile(rf"\s*(?:of\s+)?(?:{_COOL}\s+)*(?:whey|milk)\b", re.I)
_THINNED_IN = re.compile(r"\b(?:in|with)\s+(?:about\s+)?$", re.I)
_RAMP_C = 4.0
_STRENGTHS = frozenset({"percent", "imcu", "one_to"})
_FORMS = r"tablet|packet|sachet|pack|envelope|DCU|units?"
_PACKS = re.compile(
    r"tablet|tab|packet|pack|sachet|envelope|pinch|dash|lemon|lime|cube|drop|capsule|DCU|unit|"
    r"handful|"
    r"sprig|leaves|clove|stick|part|bag",
    re.I,
)
_PACKED = re.compile(r"\b(?:sachet|pack|envelope)s?$", re.I)
# What a packet is enough for: (sachet does 250 L).
_SERVES = re.compile(
    r"\b(?:does|do|serves?|enough for|good for|sufficient for|sets)\s+(?:up to )?$", re.I
)
_NEXT_THING = re.compile(r",\s+|\s+and\s+|\s\+\s|\s+(?:together|along) with\s+|\s+plus\s+")
_FILLING = r"of|a|an|the|and|then|good|just|at|in|after|for|with|you want|you need|take"
_FILLING_BEFORE = re.compile(rf"^(?:\W*\b(?:{_FILLING})\b)+\s*", re.I)
_FILLING_BEHIND = re.compile(rf"(?:\s*\b(?:{_FILLING})\b\W*)+$", re.I)
_SALT = re.compile(
    r"\b(?:(?:coarse|fine|flaked|pickling|canning|sea|dairy|cheese|table|rock)\s+)?salt\b", re.I
)
_TITLE, _SAME_SUM = 120, 0.02
STIRRED = frozenset(
    {
        "culture",
        "mould",
        "propionic",
        "protective",
        "acid",
        "calcium",
        "lipase",
        "rennet",
        "colour",
        "salt",
        "herb",
    }
)


def milk_of(clause: Clause) -> float:
    """The milk that a clause brings, L; 0 for none. Parameters: clause."""
    if (
        clause.aside
        or stirred(clause)
        or clause.kind not in (None, "warm", "cheddar")
        or not MILK.search(clause.text)
    ):
        return 0.0
    told = [
        sum(each.values) / len(each.values) for each in clause.every("volume") if each.per is None
    ]
    if len(told) > 2 and abs(sum(told[1:]) - told[0]) < _SAME_SUM * told[0]:
        return told[0]
    return sum(told)


def own_amounts(clause: Clause) -> list[Quantity]:
    """The amounts of a clause that are of its things: never the water that thins them."""
    return [
        each
        for each in clause.every("volume", "mass", "count")
        if not _SERVES.search(clause.text[: each.begins - clause.begins])
        if each.what != "count" or _PACKS.search(each.unit)
        if each.what != "volume"
        or not (
            _WATER.match(clause.text[each.ends - clause.begins :])
            or (
                _WHEY.match(clause.text[each.ends - clause.begins :])
                and _THINNED_IN.search(clause.text[: each.begins - clause.begins])
            )
        )
    ]


def listed(clause: Clause) -> list[Clause]:
    """A clause of several things with their amounts, each for itself; milks stay together."""
    amounts = own_amounts(clause)
    if (
        len(amounts) < 2
        or not (stirred(clause) or milk_of(clause))
        or (milk_of(clause) and not stirred(clause))
    ):
        return [clause]
    if kind_of_thing(clause.text[: amounts[0].begins - clause.begins]):
        inside = [(m.start(), m.end()) for m in re.finditer(r"\([^)]*\)", clause.text)]
        cuts = [
            match.end()
            for match in _NEXT_THING.finditer(clause.text)
            if not any(a < match.start() < b for a, b in inside)
        ]
    else:
        cuts = [
            _before(clause.text, last.ends - clause.begins, each.begins - clause.begins)
            for last, each in pairwise(amounts)
        ]
    found: list[Clause] = []
    for begins, ends in pairwise([0, *cuts, len(clause.text)]):
        text, of = clause.text[begins:ends], clause.begins + begins
        those = tuple(q for q in clause.those if of <= q.begins < clause.begins + ends)
        thing = kind_of_thing(text)
        part = replace(
            clause, text=text, begins=of, kind=None, things=(thing,) if thing else (), those=those
        )
        if found and (not own_amounts(part) or not (thing or milk_of(part))):
            last = found[-1]
            part = replace(last, text=last.text + text, those=(*last.those, *those))
            found.pop()
        found.append(part)
    return found


def _before(text: str, since: int, at: int) -> int:
    """Where the words of an amount begin: juice of 2 lemons, heaped 1/4 tsp; culture 1 g, where
    its thing stands before it behind a comma."""
    match = re.search(
        r"(?:juice of|heaped|heaping|scant|rounded|level|about|abt|good)\s*$", text[:at], re.I
    )
    comma = text.rfind(",", since, at) + 1
    if comma and kind_of_thing(text[comma:at]) and not kind_of_thing(text[since:comma]):
        return comma
    return match.start() if match else at


def without(clause: Clause, amount: Quantity | None) -> str:
    """The words of a thing: its clause without its amount, and without words that carry nothing."""
    text = clause.text
    if clause.things and clause.things[0][0] == "salt":
        return next((m[0] for m in [_SALT.search(text)] if m), "salt").casefold()
    gone = [each for each in clause.those if each is amount or each.what not in _STRENGTHS]
    for each in reversed(gone):
        begins, ends = each.begins - clause.begins, each.ends - clause.begins
        text = f"{text[:begins]} {text[ends:]}"
    text = re.sub(r"(?:/|\bper\s)\s*(?:gal\w*|qts?|quarts?|l|lit\w+)\b", " ", text, flags=re.I)
    text = re.sub(r"[|@/]+(?![a-z])", " ", text)
    text = re.sub(r"\((?:[^()\d]*\b(?:does|serves?|enough for)\b[^()]*)\)", " ", text, flags=re.I)
    thinned = r":?\s*(?:diluted |mixed )?\b(?:in|with)\s+(?:\w+ )*(?:water|whey|milk)\b.*"
    text = re.sub(thinned, " ", text)
    text = re.sub(
        r"\b(?:heaped|heaping|scant|rounded|level|about|abt|approx\.?|add|sprinkle|stir in)\b",
        " ",
        text,
        flags=re.I,
    )
    text = re.sub(r"(?<!\d):\s*(?:of\b)?", " ", text)
    text = " ".join(re.sub(r"\(\W*\)", " ", text).split()).replace(" ,", ",")
    text = _FILLING_BEFORE.sub("", _FILLING_BEHIND.sub("", text))
    text = text.strip(" ,:;.-–—~*+&" if "(" in text else " ,:;.-–—~*+&)")[:_TITLE]
    if amount is not None and amount.what == "count" and re.search(_FORMS, amount.unit, re.I):
        unit = (
            "units" if re.fullmatch(r"DCUs?|units?", amount.unit, re.I) else amount.unit.rstrip("s")
        )
        text = f"{text} {_PACKED.sub('packet', unit)}"
    return text or (clause.things[0][0] if clause.things else "")


def stirred(clause: Clause) -> list[str]:
    """What a clause names that is stirred into milk."""
    return [kind for kind, _ in clause.things if kind in STIRRED]


def serves_l(clause: Clause) -> float | None:
    """How much milk a packet is told to be enough for, L. Parameters: clause."""
    for each in clause.every("volume"):
        if _SERVES.search(clause.text[: each.begins - clause.begins]):
            return each.value
    return None


def pct_of(pattern: re.Pattern[str], words: str) -> float | None:
    """The % of fat or protein that a milk is said to have."""
    match = pattern.search(words)
    value = parse_number(match["n"] or match["m"]) if match else None
    return value if value is not None and 0.5 <= value <= 12 else None


def reached(clause: Clause, kind: StepKind) -> Quantity | None:
    """How warm it is in the end: of a rise its upper end, of water the curd it is poured on."""
    warm = clause.every("warm")
    if not warm:
        return None
    first = warm[0]
    if kind == "add water":
        return replace(first, value=min(min(each.values) for each in warm), high=None)
    if kind in ("warm", "heat") and first.high is not None and first.high - first.value > _RAMP_C:
        return replace(first, value=first.high, high=None)
    return warm[-1] if kind in ("warm", "heat") else first


def band(each: Quantity | None, usual: float, least: float, most: float) -> Band | None:
    """A target with its band: both ends of a range, else the usual around it."""
    if each is None or not all(least <= value <= most for value in each.values):
        return None
    if each.high is not None:
        low, high = min(each.values), max(each.values)
        return Band(round((low + high) / 2, 2), round(low, 2), round(high, 2))
    value = round(each.value, 2)
    return Band(value, value - usual, value + usual)
