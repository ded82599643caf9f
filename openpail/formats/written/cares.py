"""What is done to a cheese again and again while it ripens, as people write it."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Literal

from openpail.craft.recipe.recipe import Care, CareKind, Matters
from openpail.craft.units import so_many
from openpail.formats.recipe_words import free_key
from openpail.formats.written.clauses import Clause
from openpail.formats.written.draft import WrittenDraft
from openpail.formats.written.lexicon import CARES
from openpail.formats.written.quantities import Quantity
from openpail.formats.written.steps import has_curd, is_every

_DAY = 1440
_WEEKLY_FROM, _MOST_DAY, _LEAST_EVERY_MIN = 5, 5000, 300
_FREQUENCY = (
    (
        re.compile(
            r"\b(?:morning and (?:night|evening)|night and morning|(?:2|two) ?(?:x|times) "
            r"(?:daily|a day)|twice (?:daily|a day|each day))\b",
            re.I,
        ),
        1,
        2,
    ),
    (re.compile(r"\b(?:twice|2 ?x|two times) weekly\b", re.I), 4, 1),
    (re.compile(r"\b(?:once )?(?:daily|every day|each day)\b", re.I), 1, 1),
    (
        re.compile(
            r"\b(?:once )?(?:weekly|every week|each week)\b|"
            r"\bon (?:mon|tues|wednes|thurs|fri|satur|sun)days?\b",
            re.I,
        ),
        7,
        1,
    ),
)
_UNTIL = re.compile(r"\b(?:until|till|up to|to)\s+(?:about\s+)?$", re.I)
_THEN = re.compile(
    r"\b(?:then|after that|after which|thereafter|afterwards?|later(?: on)?|from then on)\b|"
    r"\bafter\W*$",
    re.I,
)
_FIRST_SPAN = re.compile(
    r"\b(?:in |for |during )?(?:the )?(?:1st|first) (?:(?P<n>\d+|two|three|four|five|ten) )?"
    r"(?P<unit>days?|weeks?|months?)\b|\bin week (?:1|one)\b",
    re.I,
)
_AFTER = re.compile(r"\b(?:after|from|at|past)\s+(?:the\s+)?(?:first\s+)?$", re.I)
_SEALS: frozenset[CareKind | None] = frozenset({"wax", "wrap", "foil", "bag", "cloth"})
_SEALED_FIRST = re.compile(
    r"\W*(?:and |then |now |you |we |i |after that )*(?:cloth\b|bandag|wax|wrap|vacuum|bag it|"
    r"foil|lard)",
    re.I,
)
_EACH_TIME = re.compile(r"\b(?:each time|as you do|at the same time|every time)\b", re.I)
_SPANS = {"day": 1, "week": 7, "month": 30}
_WORDS = {"two": 2, "three": 3, "four": 4, "five": 5, "ten": 10}


@dataclass
class _Told:
    """A care as it is put together: its kinds and where each stands, how often, from when."""

    kinds: list[tuple[int, CareKind]] = field(default_factory=list)
    every: int = 0
    times: int = 1
    since: int | None = None
    ends: int = 0

    @property
    def often(self) -> bool:
        """Whether it says how often."""
        return bool(self.every)


Word = tuple[
    int, Literal["kind", "every", "since", "then", "span", "until"], int, int, CareKind | None
]


def cared(draft: WrittenDraft, clause: Clause, *, begun: bool = False) -> str:
    """What is done to it again and again while it ripens; "" where a clause says nothing of that.

    Parameters: draft; clause; begun, whether the clause names the place as well.
    """
    words = sorted(_words(clause), key=lambda each: each[0])
    says = any(each[1] == "kind" for each in words)
    often = any(each[1] == "every" for each in words)
    if not draft.stages:
        by_day = any(each.unit.endswith("day of") for each in clause.those)
        again = any(is_every(clause, q) and q.value >= _DAY for q in clause.every("time"))
        only = re.match(
            r"\W*(?:and |then |now )*(?:let (?:it|them) )?(?:air[- ])?dry\b", clause.text, re.I
        )
        sealed = has_curd(draft) and bool(_SEALED_FIRST.match(clause.text))
        if says and not only and (again or often or sealed or (clause.kind is None and by_day)):
            draft.pending.append((draft.number, clause))
            return f"a care, once it ripens: {clause.text.strip(' ,:;.-')}"
        return ""
    before = draft.stages[-1].cares
    if not says and not (often and before):
        return ""
    if clause.first("warm") and not begun:
        return ""
    since = draft.care_ends
    told = _cares(draft, words)
    _stays(draft, told)
    if told and not told[0].kinds and told[0].since is None:
        told[0].since = since or None
    echoes = [_put(draft, clause, each, begun=begun) for each in told]
    return "; ".join(echo for echo in echoes if echo)


def repeats(clause: Clause) -> bool:
    """Whether a clause says how often something is done. Parameters: clause."""
    return any(each[1] == "every" for each in _words(clause))


def _words(clause: Clause) -> Iterator[Word]:
    """What a clause says of cares, in the order in which it says it."""
    text = clause.text
    for pattern, kind in CARES:
        for match in re.finditer(rf"\b(?:{pattern})\b", text, re.I):
            yield match.start(), "kind", 0, 0, kind
    taken: list[tuple[int, int]] = []
    for frequency, days, times in _FREQUENCY:
        for match in frequency.finditer(text):
            if not any(a <= match.start() < b for a, b in taken):
                taken.append(match.span())
                yield match.start(), "every", days, times, None
    for match in _FIRST_SPAN.finditer(text):
        count = int(_WORDS.get((match["n"] or "").lower(), match["n"] or 1))
        taken.append(match.span())
        long = count * _SPANS[(match["unit"] or "week").rstrip("s").lower()]
        yield match.start(), "span", long, 0, None
    for match in _THEN.finditer(text):
        yield match.start(), "then", 0, 0, None
    for each in clause.every("time"):
        at = each.begins - clause.begins
        word = None if any(a <= at < b for a, b in taken) else _of_time(clause, each)
        if word:
            yield word


def _of_time(clause: Clause, each: Quantity) -> Word | None:
    """What a length of time says of a care: how often, from when, how long; None for nothing."""
    at = each.begins - clause.begins
    before, days = clause.text[:at], each.value / _DAY
    whole = min(_MOST_DAY, round(days))
    if is_every(clause, each):
        often = max(1, min(4, round(1 / days))) if days else 1
        short = each.value < _LEAST_EVERY_MIN
        return None if short else (at, "every", max(1, round(days)), often, None)
    if each.unit.endswith("week of"):
        is_first = each.value <= 7 * _DAY
        return (at, "span", 7, 0, None) if is_first else (at, "since", max(0, whole - 7), 0, None)
    if each.unit.endswith("of") or _AFTER.search(before):
        return at, "since", whole, 0, None
    if days < 1:
        return None
    return at, "until" if _UNTIL.search(before) else "span", whole, 0, None


def _cares(draft: WrittenDraft, words: list[Word]) -> list[_Told]:
    """The cares of a clause, each with how often and from when."""
    found = [_Told()]
    last = draft.care_ends

    def another(*, same: bool) -> None:
        """The care so far is whole: the next one begins, of the same kinds or of none yet."""
        nonlocal last
        last = found[-1].ends or last
        found.append(_Told(kinds=found[-1].kinds if same else []))

    for at, what, days, times, kind in words:
        now = found[-1]
        follows = any(a > at and w == "every" for a, w, *_ in words)
        if what == "kind" and kind:
            if now.often and now.kinds:
                another(same=False)
            if all(each != kind for _, each in found[-1].kinds):
                found[-1].kinds.append((at, kind))
        elif what == "every":
            if now.often:
                another(same=True)
            found[-1].every, found[-1].times = days, times
        elif what == "since":
            if now.since is not None and now.kinds and not now.often:
                another(same=True)
            found[-1].since = days
        elif what in ("until", "span"):
            now.ends = days if what == "until" else (now.since or 0) + days
        else:
            if now.often and follows:
                another(same=True)
            found[-1].since = last
    draft.care_ends = found[-1].ends or last
    return [each for each in found if each.kinds or each.often]


def _stays(draft: WrittenDraft, told: list[_Told]) -> None:
    """How long a care goes on is how long the place keeps the cheese, where nothing else says."""
    here, ends = draft.stages[-1], told[-1].ends if told else 0
    place = f"stages/{here.key}/days"
    if ends and place in draft.usual:
        draft.stages[-1] = replace(here, days=ends)
        draft.usual.remove(place)


def _put(draft: WrittenDraft, clause: Clause, told: _Told, *, begun: bool) -> str:
    """A care behind the others of its place."""
    stage = draft.stages[-1]
    kinds: list[tuple[int, CareKind | None]] = [*told.kinds]
    if not kinds and stage.cares:
        kinds = [(0, stage.cares[-1].kind)]
    echoes = []
    for at, kind in kinds:
        if kind in _SEALS and told.since is None and not told.often and not begun:
            told.since = stage.days
        text = " ".join(clause.text[at:].split()).strip(" ,:;.-")
        if not told.kinds and stage.cares:
            text = f"{kind or stage.cares[-1].words}: {text}"
        every, times, matters = _how_often(told, clause, stage.cares)
        if kind == "turn" and re.fullmatch(r"turn\w*(?:\W+\S+){0,3}", text, re.I):
            text = "turn it"
        care = Care(
            key=free_key("care", {each.key for each in draft.stages[-1].cares}),
            words=text[:200],
            every_days=every,
            from_day=told.since or 0,
            matters=matters,
            kind=kind,
            times_a_day=times,
        )
        here = draft.stages[-1]
        draft.stages[-1] = replace(here, cares=(*here.cares, care))
        when = f"once from day {care.from_day}"
        if matters != "once":
            often = f", {times} times a day" if times > 1 else ""
            since = f", from day {care.from_day} on" if care.from_day else ""
            when = f"every {so_many(every, 'day')}{often}{since}"
        echoes.append(f"a care: {text}, {when}")
    return "; ".join(echoes)


def _how_often(told: _Told, clause: Clause, before: tuple[Care, ...]) -> tuple[int, int, Matters]:
    if told.often:
        return told.every, told.times, "weekly" if told.every >= _WEEKLY_FROM else "daily"
    if before and (_EACH_TIME.search(clause.text) or re.match(r"\W*\w+ing\b", clause.text)):
        return before[-1].every_days, before[-1].times_a_day, before[-1].matters
    if told.since is None and any(kind == "turn" for _, kind in told.kinds):
        return 1, 1, "daily"
    return 1, 1, "once"
