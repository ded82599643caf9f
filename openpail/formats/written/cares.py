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
from openpail.formats.written.steps import is_every

_DAY = 1440
_WEEKLY_FROM, _MOST_DAY = 5, 5000
_FREQUENCY = (
    (
        re.compile(
            r"\b(?:morning and (?:night|evening)|night and morning|twice (?:daily|a day|each day)|"
            r"(?:2|two) ?(?:x|times) (?:daily|a day))\b",
            re.I,
        ),
        1,
        2,
    ),
    (re.compile(r"\b(?:once )?(?:daily|every day|each day)\b", re.I), 1, 1),
    (
        re.compile(
            r"\b(?:once )?(?:weekly|every week|each week)\b|\bon (?:mon|tues|wednes|thurs|fri|satur|"
            r"sun)days?\b",
            re.I,
        ),
        7,
        1,
    ),
)
_THEN = re.compile(
    r"\b(?:then|after that|after which|thereafter|afterwards?|later(?: on)?|from then on)\b", re.I
)
_FIRST_SPAN = re.compile(
    r"\b(?:in |for |during )?(?:the )?(?:1st|first) (?:(?P<n>\d+|two|three|four|five|ten) )?"
    r"(?P<unit>days?|weeks?|months?)\b|\bin week (?:1|one)\b",
    re.I,
)
_AFTER = re.compile(r"\b(?:after|from|at|past)\s+(?:the\s+)?(?:first\s+)?$", re.I)
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


Word = tuple[int, Literal["kind", "every", "since", "then", "span"], int, int, CareKind | None]


def cared(draft: WrittenDraft, clause: Clause, *, begun: bool = False) -> str:
    """What is done to it again and again while it ripens; "" where a clause says nothing of that.

    Parameters: draft; clause; begun, whether the clause names the place as well.
    """
    words = sorted(_words(clause), key=lambda each: each[0])
    says = any(each[1] == "kind" for each in words)
    repeats = any(each[1] == "every" for each in words)
    if not draft.stages:
        by_day = any(each.unit.endswith("day of") for each in clause.those)
        again = any(is_every(clause, q) and q.value >= _DAY for q in clause.every("time"))
        if says and (again or (clause.kind is None and by_day)):
            draft.pending.append((draft.number, clause))
            return f"a care, once it ripens: {clause.text.strip(' ,:;.-')}"
        return ""
    before = draft.stages[-1].cares
    if not says and not (repeats and before):
        return ""
    if clause.first("warm") and not begun:
        return ""
    echoes = [_put(draft, clause, each) for each in _cares(draft, clause, words)]
    return "; ".join(echo for echo in echoes if echo)


def _words(clause: Clause) -> Iterator[Word]:
    """What a clause says of cares, in the order in which it says it."""
    text = clause.text
    for pattern, kind in CARES:
        for match in re.finditer(rf"\b(?:{pattern})\b", text, re.I):
            yield match.start(), "kind", 0, 0, kind
    taken = []
    for frequency, days, times in _FREQUENCY:
        for match in frequency.finditer(text):
            if not any(a <= match.start() < b for a, b in taken):
                taken.append(match.span())
                yield match.start(), "every", days, times, None
    for match in _FIRST_SPAN.finditer(text):
        count = int(_WORDS.get((match["n"] or "").lower(), match["n"] or 1))
        taken.append(match.span())
        yield (
            match.start(),
            "span",
            count * _SPANS[(match["unit"] or "week").rstrip("s").lower()],
            0,
            None,
        )
    for match in _THEN.finditer(text):
        yield match.start(), "then", 0, 0, None
    for each in clause.every("time"):
        at = each.begins - clause.begins
        if any(a <= at < b for a, b in taken):
            continue
        days = each.value / _DAY
        if is_every(clause, each):
            yield (
                at,
                "every",
                max(1, round(days)),
                max(1, min(4, round(1 / days))) if days else 1,
                None,
            )
        elif each.unit.endswith("day of") or _AFTER.search(text[:at]):
            yield at, "since", min(_MOST_DAY, round(days)), 0, None
        elif each.unit.endswith("week of") and each.value <= 7 * _DAY:
            yield at, "span", 7, 0, None
        elif each.unit.endswith("of"):
            yield at, "since", min(_MOST_DAY, round(days - 7)), 0, None
        elif days >= 1:
            yield at, "span", min(_MOST_DAY, round(days)), 0, None


def _cares(draft: WrittenDraft, clause: Clause, words: list[Word]) -> Iterator[_Told]:
    """The cares of a clause, each with how often and from when."""
    now, last = _Told(), draft.care_ends
    for at, what, days, times, kind in words:
        if what == "kind" and kind:
            if now.often and now.kinds:
                yield now
                last, now = now.ends or last, _Told(since=None)
            if all(each != kind for _, each in now.kinds):
                now.kinds.append((at, kind))
        elif what == "every":
            if now.often:
                yield now
                last, now = now.ends or last, _Told(kinds=now.kinds)
            now.every, now.times = days, times
        elif what == "since":
            now.since = days
        elif what == "span":
            now.ends = (now.since or 0) + days
        elif now.often and any(a > at and w == "every" for a, w, *_ in words):
            yield now
            last, now = now.ends or last, _Told(kinds=now.kinds)
            now.since = last
        elif now.kinds or now.often or not last:
            now.since = last
    if now.kinds or now.often:
        yield now
    draft.care_ends = now.ends or last


def _put(draft: WrittenDraft, clause: Clause, told: _Told) -> str:
    """A care behind the others of its place."""
    stage = draft.stages[-1]
    kinds = told.kinds or [(0, stage.cares[-1].kind)] if stage.cares else told.kinds
    if not told.kinds and told.since is None and draft.care_ends:
        told.since = draft.care_ends
    echoes = []
    for at, kind in kinds:
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
