"""A line in clauses: what is done in each, to what, with which quantities."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

from openpail.craft.recipe.recipe import StepKind
from openpail.craft.stock.products import Kind
from openpail.craft.units import System, to_celsius
from openpail.formats.recipe_words import kind_of_thing
from openpail.formats.written.asides import Why, asides, blotted
from openpail.formats.written.lexicon import PLACES, VERBS
from openpail.formats.written.quantities import Quantity, What, quantities
from openpail.formats.written.tables import WrittenTable

_BULLET = re.compile(
    r"^\s*(?:[-*•–·]\s+|\(?\d+[.)](?:\s+|(?=[A-Z]))|>\s*|step \d+\s*[:.)-]\s*)", re.I
)
# A full stop ends a sentence, but not behind a word cut short when the sentence goes on.
_CUT_SHORT = "".join(rf"(?<!\b{word})" for word in ("approx", "abt", "ca", "no", "temp", "ren"))
_GOES_ON = "".join(
    rf"(?<!\b{word})(?<!\b{word.capitalize()})"
    for word in (
        *("min", "mins", "hr", "hrs", "oz", "lb", "lbs", "tsp", "tbsp", "deg", "wk", "mo", "gal"),
        *("qt", "qts", "pt", "c", "pkt", "env", "sq", "tab", "tabs", "approx", "temp"),
    )
)
_STOP = rf"{_CUT_SHORT}(?:[.!?]+(?=\s+[A-Z\d(]|\s*$)|{_GOES_ON}[.!?]+(?=\s))"
_FILLS = r"(?:and |then |now |gently |slowly |carefully |let (?:it |them |the \w+ )?)*"
_VERB = "|".join(f"(?:{pattern})" for pattern, _ in VERBS)
_BREAKS = re.compile(
    rf"(?-i:{_STOP})|;|\s+/\s+|\s*(?:->|→|=>)\s*|\s+[-–—]\s+|(?<!& )(?<!and )\bthen\b|"
    rf"[,:]\s+(?={_FILLS}(?:{_VERB})\b)|\s+and\s+(?={_FILLS}(?:{_VERB})\b)|"
    rf",\s+(?=(?:up )?to \d|after (?:\d|an?\b|one|two|half))|[,;]\s*but\s+|"
    rf",\s+(?=(?:save|reserve|keep) (?:the )?(?:whey|rest)\b|(?:the )?same\b)",
    re.I,
)
_HEAT = re.compile(r"pasteuri|thermi[sz]", re.I)
# What is only a moment or a manner there: within 3 hours of draining.
_OF_A_DEED = re.compile(r"\b(?:of|after|before|while|without|since|during)\s+(?:the\s+)?$", re.I)
_ANY_VERB = re.compile(rf"\b(?:{_VERB})\b", re.I)
_KINDS = tuple((re.compile(rf"\b(?:{pattern})\b", re.I), kind) for pattern, kind in VERBS)
_MORE = re.compile(r"\s*(?:more|longer)\b", re.I)
_NO_UNIT = re.compile(
    r"\s*(?:$|[^\w\s°]|(?:and|then|with|at|until|till|over|in|or|to|for|each|again|while|by)\b|"
    rf"(?:{_VERB})\b)",
    re.I,
)
_IN_PLACE = re.compile(rf"\b(?:{'|'.join(p for p, _ in PLACES[:5])})\W*(?:at\s*)?$", re.I)
_CURD_AT = re.compile(
    r"\b(?:curds?|milk) (?:is |gets |comes |goes )?(?:at|to|is|reaches|reach)\s+(?:about\s+)?$",
    re.I,
)
_MOST_CAVE_C, _CAVE_F_FROM = 70, 30
_TO = re.compile(
    r"\b(?:to|at|until|till|reach\w*|hits?|up to|over|above|below|under|beyond)\s*$", re.I
)
_WAITS: frozenset[StepKind] = frozenset(
    {"wait", "hold", "stir", "settle", "heal", "test", "press", "drain", "turn", "brine", "cool"}
)
_WARMS: frozenset[StepKind] = frozenset({"warm", "heat", "cool", "hold"})
_LEAST_C, _MOST_C, _FAHRENHEIT_FROM = 4.0, 110.0, 60.0
# What a column's bare number measures, and one of its units in the unit of that.
_COLUMNS: dict[str, tuple[What, float]] = {
    "min": ("time", 1.0),
    "h": ("time", 60.0),
    "days": ("time", 1440.0),
    "pH": ("ph", 1.0),
    "mL": ("volume", 0.001),
    "L": ("volume", 1.0),
    "g": ("mass", 0.001),
    "kg": ("mass", 1.0),
    "%": ("percent", 1.0),
    "mm": ("length", 1.0),
    "cm": ("length", 10.0),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Clause:
    """A part of a line that says one thing.

    text, and where in its line it begins; kind of step that its verb is, None for none; things that
    it names, with their kinds; those, its quantities, their places counted in the line; aside, why
    it orders nothing, None where it does.
    """

    text: str
    begins: int
    kind: StepKind | None
    things: tuple[tuple[Kind, str], ...]
    those: tuple[Quantity, ...]
    aside: Why | None = None

    @property
    def says_nothing(self) -> bool:
        """Whether no verb, no thing and no quantity in it is known."""
        return self.kind is None and not self.things and not self.those and self.aside is None

    def first(self, *what: str) -> Quantity | None:
        """Its first quantity of a sort."""
        return next((each for each in self.those if each.what in what), None)

    def every(self, *what: str) -> list[Quantity]:
        """All its quantities of a sort."""
        return [each for each in self.those if each.what in what]


def clauses(
    line: str, system: System, is_raw: bool | None = None, table: WrittenTable | None = None
) -> list[Clause]:
    """A line in its clauses, quantities without a unit read by their column, or by what is done.

    Parameters: line as written; system, what a bare gallon or degree means; is_raw, whether the
    milk is, None where it is not told; table, whose row it is.
    """
    start = after_bullet(line)
    # blanks keep what stands behind the bullet where it stands
    plain = " " * start + line[start:]
    plain = re.sub(r";(?=\S)", "|", plain)  # columns of a sheet, not clauses
    if table and table.barred:
        plain = re.sub(r"(?<=[a-z])\.(?=\s)", " ", plain)  # cut short, in a cell: past.
    every, apart = quantities(plain, system), asides(plain, is_raw)
    every = [_in_column(each, plain, table) for each in every] if table else every
    found = [_apart(plain, (each.begins, each.ends), each.why, every, system) for each in apart]
    those = [q for q in every if not any(a.begins <= q.begins < a.ends for a in apart)]
    plain = blotted(plain, apart)
    for begins, ends in _by_verbs(plain, _split(plain, start, those), those):
        mine = tuple(each for each in those if begins <= each.begins < ends)
        text = plain[begins:ends]
        kind = _kind(text)
        things = tuple(each for each in _things(text) if kind != "mould" or each != ("mould", ""))
        at = Clause(text=text, begins=begins, kind=kind, things=things, those=mine)
        found.append(replace(at, those=tuple(_told(at, each, plain, system) for each in mine)))
    return sorted(found, key=lambda each: each.begins)


def begins_with_verb(clause: Clause, but: tuple[str, ...] = ()) -> bool:
    """Whether a clause begins with what is done, as an order does.

    Parameters: clause; but, words that are no verb here.
    """
    found = re.match(rf"\s*{_FILLS}((?:{_VERB}))\b", clause.text, re.I)
    return found is not None and found[1].lower() not in but


def _apart(
    line: str, at: tuple[int, int], why: Why, every: list[Quantity], system: System
) -> Clause:
    """A clause that orders nothing; its numbers are read by what it does not order."""
    begins, ends = at
    mine = tuple(each for each in every if begins <= each.begins < ends)
    text = line[begins:ends]
    read = Clause(text=text, begins=begins, kind=_kind(text), things=(), those=mine)
    told = tuple(_told(read, each, line, system) for each in mine)
    return replace(read, kind=None, those=told, aside=why)


def _in_column(each: Quantity, line: str, table: WrittenTable) -> Quantity:
    """A bare number of a row, as its column is headed."""
    unit = table.unit_at(line, each.begins) if each.what == "bare" else ""
    if not unit:
        return each
    if unit in ("°C", "°F"):
        return _warm_in(each, unit[1], ())
    what, times = _COLUMNS[unit]
    high = None if each.high is None else each.high * times
    return replace(each, what=what, value=each.value * times, high=high, unit=unit)


def _by_verbs(
    line: str, cut: Iterable[tuple[int, int]], those: list[Quantity]
) -> Iterator[tuple[int, int]]:
    """Clauses that nothing parts but their verbs: cut 1 inch heat to 115 F."""
    for begins, ends in cut:
        since = begins
        for match in _ANY_VERB.finditer(line, begins, ends):
            at = match.start()
            near = [q for q in those if since < q.begins and q.ends <= at]
            if not near or line[near[-1].ends : at].strip() or match[0][-2:].lower() == "in":
                continue
            if match[0][:5].lower() in ("brine", "water"):
                continue  # 3 % brine, 80 L water
            verb = _ANY_VERB.search(line, since, near[-1].begins)
            if verb and any(match.end() <= q.begins < ends for q in those):
                yield since, at
                since = at
        yield since, ends


def after_bullet(line: str) -> int:
    """Where a line begins behind its bullet or its number. Parameters: line."""
    bullet = _BULLET.match(line)
    return bullet.end() if bullet else 0


def _split(line: str, start: int, those: list[Quantity]) -> Iterator[tuple[int, int]]:
    """Where clauses begin and end; never inside a quantity, nor inside brackets."""
    begins, inside = start, [(m.start(), m.end()) for m in re.finditer(r"\([^)]*\)", line)]
    for match in _BREAKS.finditer(line, start):
        at = (match.start(), match.end())
        held = any(q.begins < at[1] and at[0] < q.ends for q in those)
        if held or any(a < at[0] < b for a, b in inside):
            continue
        if re.match(r"after\b", line[at[1] :]) and re.search(r"\bafter\b", line[begins : at[0]]):
            continue  # after 2 hours, after 4 hours
        if match[0].strip() == "/" and _HEAT.search(line, begins, at[0]):
            continue  # 72 °C / 15 s
        if line[begins : at[0]].strip(" ,:;.-"):
            yield begins, at[0]
            begins = at[1]
    if line[begins:].strip(" ,:;.-"):
        yield begins, len(line)


def _kind(text: str) -> StepKind | None:
    """What is done in a clause: the first verb that stands there."""
    best: tuple[StepKind | None, int] = (None, len(text))
    for pattern, kind in _KINDS:
        for match in pattern.finditer(text):
            if match.start() < best[1] and not _OF_A_DEED.search(text[: match.start()]):
                best = kind, match.start()
                break
    return best[0]


def _things(text: str) -> Iterator[tuple[Kind, str]]:
    """What a clause names of what goes into milk, each once."""
    seen = set()
    for part in re.split(r",|\band\b|\+|&|\bin\b|\bwith\b|\bthen\b", text):
        thing = kind_of_thing(part)
        if thing and thing[0] not in seen:
            seen.add(thing[0])
            yield thing


def _told(clause: Clause, each: Quantity, line: str, system: System) -> Quantity:
    """A number without a unit: minutes where something is waited for, a warmth where it warms."""
    if each.what != "bare":
        return each
    if clause.kind == "take whey off" and 0 < each.value < 1:
        return replace(each, what="percent", value=100 * each.value)
    before = line[clause.begins : each.begins]
    if _IN_PLACE.search(before) and each.value < _MOST_CAVE_C and not clause.first("warm"):
        return _warm_in(each, "C" if each.value < _CAVE_F_FROM else "F", ())
    if _CURD_AT.search(before) and (clause.kind == "add water" or not clause.first("warm")):
        return _as_warm(each, system)
    more = _MORE.match(line, each.ends)
    if not more and not _NO_UNIT.match(line, each.ends):
        return each  # a word stands there that may be its unit
    has_time = any(other.what == "time" for other in clause.those if other is not each)
    is_rising = any(other.what == "rise" for other in clause.those)
    is_to = _TO.search(line[clause.begins : each.begins])
    if (
        (clause.kind in _WARMS or is_rising or clause.kind is None)
        and is_to
        and not clause.first("warm")
    ):
        return _as_warm(each, system)
    if more:
        return replace(each, what="time", unit="min", ends=more.end(), other=("h",))
    if clause.kind in _WAITS and not has_time:
        return replace(each, what="time", unit="min", other=("h",))
    if clause.kind in ("warm", "heat") and not clause.first("warm"):
        return _as_warm(each, system)
    return each


def _as_warm(each: Quantity, system: System) -> Quantity:
    scale = (
        "F"
        if each.value > _MOST_C or (system != "metric" and each.value >= _FAHRENHEIT_FROM)
        else "C"
    )
    return _warm_in(each, scale, ("°C",) if scale == "F" else ("°F",))


def _warm_in(each: Quantity, scale: str, other: tuple[str, ...]) -> Quantity:
    value = to_celsius(each.value, scale)
    if not _LEAST_C <= value <= _MOST_C:
        return each
    high = None if each.high is None else to_celsius(each.high, scale)
    return replace(each, what="warm", value=value, high=high, unit=f"°{scale}", other=other)
