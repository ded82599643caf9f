"""What a text says and does not order: forbidden, taken back, only possible, of another make.

A sentence is looked at in its parts. A part that orders nothing keeps its place in the text, and is
told as what it is; no verb, thing or number in it becomes a step.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

Why = Literal["ban", "limit", "taken back", "not here", "possible", "elsewhere"]

WHY_WORDS: dict[Why, str] = {
    "ban": "not done, as it says",
    "limit": "never over this",
    "taken back": "taken back",
    "not here": "not for this milk",
    "possible": "only if it comes to it",
    "elsewhere": "of another make",
}


@dataclass(frozen=True, slots=True)
class Aside:
    """A part of a line that orders nothing: where it begins and ends, and why."""

    begins: int
    ends: int
    why: Why


_NUM = r"(?:\d+(?:[.,/]\d+)?|[½¼¾⅓⅔⅛])"
_UNIT = r"(?:\s*(?:°\s*[CF]?|[CF]\b|degrees|min\w*|hours?|h\b|g\b|kg\b|ml\b|l\b|mm\b|cm\b|%))?"
_CORRECTED = re.compile(
    rf"{_NUM}{_UNIT}\s*[,(–—-]*\s*(?:no|sorry|i mean|rather|correction|make that|oops|er|nay|"
    rf"i meant)\b[\s,:–—-]*(?=(?:(?:it is|it's|make it|that is|better) )?{_NUM})"
    rf"|\bnot (?:to |at )?{_NUM}{_UNIT},? but (?:to |at )?(?={_NUM})",
    re.I,
)
_STOPS = re.compile(
    r"(?<!\b[A-Za-z])(?<!\bapprox)(?<!\babt)[.!?]+(?=\s|$|\))|[;|]|\s[-–—]\s|:(?=\s)"
)
_SUBJECT = (
    r"(?:(?:and|but|so|for|as|also|then|now|just|please|it|they|you|we|i|one|this|that|ours|mine|"
    r"the (?:curds?|milk|cheese|pot|lid|whey|cheeses|temperature|mixture|mass)|curds?|milk|"
    r"cheeses?|people)"
    r"\s+)*"
)
_HELPS = (
    r"(?:(?:must|should|shall|do|does|did|is|are|was|were|will|would|can|could|may|might|has|have|"
    r"had|need)\s*)"
)
_NOT = (
    rf"{_HELPS}?(?:not|never)\b|\b(?:don|doesn|didn|mustn|shouldn|won|wouldn|isn|aren|can|couldn|"
    r"needn|wasn)['’]?t\b|\bcannot\b"
)
_NO_MORE = (
    r"(?! more than| less than| longer than| later than| sooner than|\.\s*\d| matter| sooner)"
)
_BANS = re.compile(
    rf"{_SUBJECT}(?:{_NOT}|\bavoid\b|\bskip\b|\bomit\b|\bleav(?:e|ing) out\b|\bnor\b|\bwithout\b|"
    rf"\bno\b{_NO_MORE}(?=\s+[a-zA-Z])|\bnone\b|\binstead of\b|\brather than\b|\bunlike\b|"
    rf"\b(?:anything|any|all|everything) but\b|\bexcept\b|\bno need\b|\bnot needed\b|"
    rf"\bunnecessary\b|\bforbidden\b|\bnothing\b)",
    re.I,
)
# What the words before them are about as well: calcium chloride is not needed; lipase: none.
_OF_BEFORE = re.compile(
    r"\bnone\b|\bnot (?:needed|necessary|wanted|required|used)\b|\bunnecessary\b|"
    r"\bneeds? (?:none|no)\b|\b(?:is|are) (?:left out|skipped|omitted)\b|\bskip\b(?!\s+\w)|"
    r"\bleave (?:it |them )?out\b|\bforbidden\b",
    re.I,
)
# What is said with not and is meant.
_MEANT = re.compile(
    r"\b(?:not|never|won['’]?t|don['’]?t|doesn['’]?t|cannot)\b[^.;,]{0,12}?\bkeeps?\b\s+"
    r"(?:beyond|past|longer|more|over|for (?:more|longer))|"
    r"\bnot (?:only|just|quite|yet ripe|bad|far)\b|\bwhy not\b|\bor not\b|\bif not\b|"
    r"\b(?:to|for|in|at|than|about|with) (?:not|no) (?:more|less|longer|over|under)\b|"
    r"\bnot (?:more|less|longer|later|sooner) than\b|\bnot homogeni[sz]ed|\bnot pasteuri[sz]ed",
    re.I,
)
_LIMIT = re.compile(
    rf"{_SUBJECT}(?:{_NOT}|\bno\b|\bnor\b)[^.;,]{{0,24}}?\b(?:above|over|beyond|hotter|warmer|"
    rf"exceed|"
    r"higher|past)\b[^,;]*",
    re.I,
)
_ELSEWHERE = re.compile(
    r"\b(?:last (?:time|year|month|week|batch)|withdrawn|used to\b|formerly|previously|"
    r"in the (?:old|first) (?:book|card|recipe|days)|the old (?:card|way|recipe)|years ago|"
    r"(?:some|other) (?:people|folks?|makers|books|recipes)|others|neighbou?rs?|once (?:i|we)|"
    r"(?:first|second|last) try)\b",
    re.I,
)
_POSSIBLE = re.compile(r"\b(?:would|could|might)\b(?! (?:like|want|need you))", re.I)
_DECLINED = re.compile(
    r"\b(?:(?:but )?(?:i|we|mine|ours)\s+(?:never|don['’]?t|do not|did not|didn['’]?t|skip|leave it"
    r"|won['’]?t|always skip|usually don['’]?t)\b(?: (?:do|use|add|bother|like|like it)\b)?"
    r"\s*(?=$|[.;,)(–—-])|ours (?:is not|isn['’]?t|needs? none|does not|doesn['’]?t|has none)\b|"
    r"\bskip (?:it|this|that)\b|\bwe skip\b)",
    re.I,
)
# Of what a bracket says it behind, not of what it names itself.
_OF_ALL = re.compile(
    r"\b(?:skip(?! (?:it |this )?if)|leave (?:it )?out|ours is not|ours isn['’]?t)\b|"
    r"\(\s*(?:only\s+)?(?:if|for|when|with)\b",
    re.I,
)
_FROM = re.compile(r"\(\s*from (?:a|an|any|the|last|your)\b", re.I)
_DECLINED_ONLY = re.compile(
    r"\W*(?:but )?(?:(?:i|we) (?:never (?:do|use it)|don['’]?t|do not|skip it|leave it out|did "
    r"not)|"
    r"(?:always )?left out|skip(?: it)?|not (?:used )?here)\W*",
    re.I,
)
_DOUBTED = re.compile(r"\d\S*(?:\s*[a-zA-Z°%]+)?\s*$")  # 2 bar? of a number, not of the deed
_ENDS = re.compile(r"(?<=\w{4})[.!?;](?=\s)|[.!?](?=\s+[A-Z])")
_OR_ELSE = re.compile(r"\W*or\b(?:.*\binstead\b|\s+(?:\d|an?\s+\w+ of)).*", re.I)
_IF = re.compile(r"\b(?:only )?(?:if|unless|in case|should (?=(?:it|they|the)\b))\b", re.I)
_IF_WANTED = re.compile(
    r"\b(?:only )?if (?:you |we |it is |it's |it |they are )?(?:like|will|please|want\w*|wish|"
    r"have|can|using|possible|need|"
    r"need be|in season|handy|at hand|needed|necessary|has cooled|desired|available|"
    r"preferred)\b[^,.;]*",
    re.I,
)
_HEATED = (
    r"(?:pasteuri[sz]ed|heat(?:ed|-treated)|shop|store[- ]?bought|supermarket|bought|"
    r"homogeni[sz]ed)"
)
_RAW = r"(?:raw|unpasteuri[sz]ed|straight from|fresh from|our own|unheated)"
_IF_MILK = re.compile(
    r"\b(?:only )?(?:if|when|for|with)\s+(?:(?:the|your|you|using|use|we|it|is|are|was|milk|"
    r"it's|it’s|only)\s+)*"
    rf"(?:(?P<heated>{_HEATED})|(?P<raw>{_RAW}))\b(?:\s+milk)?(?:\s+(?:is|was) used)?\s*,?",
    re.I,
)
_OURS_IS = re.compile(
    rf"\b({_RAW}|{_HEATED})\b[^.;()]{{0,20}}\((?:as )?(?:ours|mine)(?: always| is)+\)", re.I
)
_UNLESS = re.compile(r"\bunless\b", re.I)
_OR = re.compile(r"\s*(?:or|nor)\b", re.I)
_VERBAL = (
    r"(?:then |now |just |gently |slowly |only |instead )*(?:it|they|you|we|i|let|leave|put|"
    r"take|stir|cut|"
    r"heat|warm|press|turn|flip|drain|salt|add|pour|ladle|cover|keep|hold|rest|ripen|wash|"
    r"brine|dry|hang|"
    r"cook|eat|store|age|move|mill|break|fill|set|cool|wait|mix|sprinkle|bring|give|rub|oil|"
    r"brush|wipe|"
    r"wax|wrap|pack|place|tip|lift|stop|start|go|use|curds?|the)\b"
)
_PARTS = re.compile(
    rf",\s*|(?<!\bany)(?<!\ball)(?<!thing)\s+but\s+|\s+and\s+(?={_VERBAL}|do\b|don|never\b|"
    rf"not\b|no\b)|\s+then\s+",
    re.I,
)


def asides(text: str, is_raw: bool | None = None) -> list[Aside]:
    """The parts of a line that order nothing, in their order, none inside another.

    Parameters: text of a line; is_raw, whether the milk of the text is raw, None where it is not
    told: what holds for the one or the other only is then only possible.
    Source: what makers write, gone through by hand.
    """
    found = [Aside(m.start(), m.end(), "taken back") for m in _CORRECTED.finditer(text)]
    plain = blotted(text, found)
    for begins, ends in _brackets(plain):
        inner = _sentence(plain, begins + 1, ends - 1, is_raw)
        if _DECLINED_ONLY.fullmatch(plain[begins:ends]):
            inner = [Aside(_statement(plain, begins), ends, "ban")]
        elif _FROM.match(plain, begins):
            inner = [Aside(begins, ends, "elsewhere")]
        elif any(each.why == "not here" and _OF_ALL.search(plain, begins) for each in inner):
            inner = [Aside(_statement(plain, begins), ends, "not here")]
        elif any(
            each.ends - each.begins > (ends - begins) / 2
            or not plain[begins + 1 : each.begins].strip()
            for each in inner
        ):
            inner = [Aside(begins, ends, inner[0].why)]
        found += inner
        plain = blotted(plain, [Aside(begins, ends, "ban")])
    for begins, ends in _between(plain, _STOPS, 0, len(plain)):
        found += _sentence(plain, begins, ends, is_raw)
    found.sort(key=lambda each: (each.begins, -each.ends))
    kept: list[Aside] = []
    for each in found:
        if not kept or each.begins >= kept[-1].ends:
            kept.append(each)
        elif each.ends > kept[-1].ends:
            kept[-1] = Aside(kept[-1].begins, each.ends, kept[-1].why)
    return kept


def blotted(text: str, found: list[Aside]) -> str:
    """A line with its asides as blanks, all else where it stands. Parameters: text; found."""
    for each in found:
        text = text[: each.begins] + " " * (each.ends - each.begins) + text[each.ends :]
    return text


def _brackets(text: str) -> list[tuple[int, int]]:
    return [match.span() for match in re.finditer(r"\([^()]*\)", text)]


def _between(text: str, cut: re.Pattern[str], begins: int, ends: int) -> Iterator[tuple[int, int]]:
    at = begins
    for match in cut.finditer(text, begins, ends):
        if text[at : match.start()].strip():
            yield at, match.start()
        at = match.end()
    if text[at:ends].strip():
        yield at, ends


def _statement(text: str, at: int) -> int:
    """Where the statement that a bracket stands behind begins: the row of a table, the sentence."""
    before = [match.end() for match in _ENDS.finditer(text, 0, at)]
    return before[-1] if before else 0


def _sentence(text: str, begins: int, ends: int, is_raw: bool | None) -> list[Aside]:
    """What of one sentence orders nothing."""
    words = text[begins:ends]
    if (text[ends : ends + 1] == "?" and not _DOUBTED.search(words)) or _OR_ELSE.match(words):
        return [Aside(begins, ends, "possible")]
    if _DECLINED_ONLY.fullmatch(words):
        return [Aside(_statement(text, begins), ends, "ban")]
    if _DECLINED.search(words):
        here: Why = "not here" if re.search(r"\bours\b|\bskip\b", words, re.I) else "ban"
        last = list(_DECLINED.finditer(words))[-1]
        return [Aside(begins, begins + last.end(), here)]
    if _ELSEWHERE.search(words):
        return [Aside(begins, ends, "elsewhere")]
    milk = _IF_MILK.search(words)
    if milk:
        return _if_milk(begins, ends, words, milk, is_raw)
    wanted = _IF_WANTED.search(words)
    if wanted:
        words = words[: wanted.start()] + " " * len(wanted[0]) + words[wanted.end() :]
    when = _IF.search(words)
    if when:
        return _conditional(text, begins, ends, begins + when.start())
    return list(_parts(text, begins, ends))


def _if_milk(
    begins: int, ends: int, words: str, milk: re.Match[str], is_raw: bool | None
) -> list[Aside]:
    """What holds for raw milk, or for heated, only."""
    is_if = re.match(r"(?:only )?(?:if|when)\b", milk[0], re.I)
    if not is_if and "only" not in milk[0].lower() and milk.start() > 2:
        return []
    holds = (is_raw if milk["raw"] else not is_raw) if is_raw is not None else None
    if _UNLESS.search(words) and holds is not None:
        holds = not holds
    if holds:
        return [Aside(begins + milk.start(), begins + milk.end(), "not here")]
    return [Aside(begins, ends, "not here" if holds is False else "possible")]


def _conditional(text: str, begins: int, ends: int, at: int) -> list[Aside]:
    """A condition with what it orders: before it from the last part on, else all behind it."""
    before = text[begins:at]
    if not re.sub(r"\b(?:and|but|then|only|or)\b", "", before, flags=re.I).strip(" ,"):
        return [Aside(begins, ends, "possible")]
    cuts = [match.end() for match in _PARTS.finditer(before)]
    since = begins + (cuts[-1] if cuts and before[cuts[-1] :].strip() else 0)
    if cuts and not before[cuts[-1] :].strip():
        since = at
    return [*_parts(text, begins, since), Aside(since, ends, "possible")]


def _parts(text: str, begins: int, ends: int) -> Iterator[Aside]:
    """The parts of a sentence that are forbidden, limits, or only possible."""
    parts = list(_between(text, _PARTS, begins, ends))
    banned_until = -1
    for number, (since, until) in enumerate(parts):
        words = text[since:until]
        if number <= banned_until:
            yield Aside(since, until, "ban")
            continue
        meant = _MEANT.search(words)
        ban = None if meant else _BANS.search(words)
        limit = None if meant else _LIMIT.search(words)
        if limit and ban and ban.start() == limit.start() and re.search(r"\d", limit[0]):
            yield Aside(since + limit.start(), until, "limit")
        elif ban:
            whole = _OF_BEFORE.search(words)
            at = since if whole else since + ban.start()
            if whole and not words[: whole.start()].strip() and text[:since].rstrip()[-1:] in "|:":
                at = _statement(text, since)  # lipase: none; a cell of a row says it of the row
            yield Aside(at, until, "ban")
            more = [n for n in range(number + 1, len(parts)) if _OR.match(text, parts[n][0])]
            banned_until = more[-1] if more else -1
        elif _POSSIBLE.search(words):
            yield Aside(since, until, "possible")


def is_raw(text: str) -> bool | None:
    """Whether the milk of a text is raw; None where it does not say. Parameters: text."""
    ours = _OURS_IS.search(text)
    if ours:
        return bool(re.fullmatch(_RAW, ours[1], re.I))
    told: set[bool] = set()
    for begins, ends in _between(text, re.compile(r"[.;!?](?=\s)|\n"), 0, len(text)):
        words = blotted(text[begins:ends], asides(text[begins:ends]))
        if _IF.search(words) or not re.search(
            r"\b(?:milk|cows?|goats?|ewes?|sheep|buffalo)\b", words, re.I
        ):
            continue
        if re.search(
            r"\b(?<!not )(?:raw|unpasteuri[sz]ed|straight from the (?:barn|cow|parlou?r|udder))\b",
            words,
            re.I,
        ):
            told.add(True)
        elif re.search(rf"\b(?<!not )(?<!un){_HEATED}\b", words, re.I) and re.search(
            r"\bmilk\b|\d", words, re.I
        ):
            told.add(False)
    return told.pop() if len(told) == 1 else None
