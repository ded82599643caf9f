"""What is done, as people write it: the steps of the make."""

from __future__ import annotations

import re
from dataclasses import replace
from itertools import pairwise
from typing import Any

from openpail.craft.errors import OutOfRange
from openpail.craft.recipe.recipe import (
    RecipeStep,
    StepKind,
)
from openpail.craft.stock.products import Kind
from openpail.craft.units import so_long
from openpail.formats.line_parts import MOST_MINUTES
from openpail.formats.recipe_draft import Draft
from openpail.formats.recipe_words import USUAL_MINUTES, free_key, kind_of_thing
from openpail.formats.written.amounts import (
    SIGN,
    STIRRED,
    band,
    listed,
    own_amounts,
    reached,
    stirred,
)
from openpail.formats.written.clauses import Clause
from openpail.formats.written.draft import WrittenDraft
from openpail.formats.written.goes_in import add_thing, amount_of, weighed
from openpail.formats.written.lexicon import SHARES
from openpail.formats.written.quantities import Quantity
from openpail.formats.written.quantities import number as number_of

_EACH_OF = re.compile(r"\b(?:forms?|moulds?|molds?|wheels?|pieces?|cheeses)\s+of\s+$", re.I)
_BRIEF: frozenset[StepKind] = frozenset({"add", "cut", "mould", "turn", "take whey off"})
_LEAST_WAIT_MIN = 3.0
_MORE_OF: frozenset[Kind] = frozenset({"culture", "mould", "herb"})
_AFTER_FIRST = re.compile(r"\W*(?:and |then )*after\b", re.I)
_ADDING = re.compile(r"\b(?:add|stir|sprinkl|mix|put|dos|whisk)\w*", re.I)
_AT_FIRST = re.compile(
    r"\W*(?:at|when (?:it|the milk|the whey)|once (?:it|the milk|the whey))\b", re.I
)
_BETWEEN_PARTS: frozenset[StepKind] = frozenset({"wait", "turn", "stir", "heal", "hold", "settle"})
_OF_THE = re.compile(r"\bof (?:the|this|that|your)\b", re.I)
_IN_MILK: frozenset[str] = frozenset({"culture", "rennet", "calcium", "acid", "mould", "lipase"})
_THE_REST = re.compile(
    r"\b(?:the )?remain(?:s|ing|der)\b|\bthe (?:rest|other (?:half|part|third))\b|\bwhat is "
    r"left\b|\bsecond half\b",
    re.I,
)
_REPLACED = re.compile(r"\breplac\w*\b.*\bwhey\b.*\bwater\b", re.I)
_BY_WATER = re.compile(r"\s(?:by|with)\b(?=[^,;]*\bwater\b)", re.I)
_SAME = re.compile(r"\W*(?:and |then )*(?:the )?(?:same|again|as before|once more)\b", re.I)
_MOULDS = re.compile(r"\b(?:moulds?|molds?|forms?|hoops?|baskets?)\b", re.I)
_COOKS = re.compile(r"\b(?:curds?|slabs?|cheeses?|pieces|whey|rais\w+|cook\w*)\b", re.I)
_CURD: frozenset[StepKind] = frozenset(
    {"cut", "drain", "hang", "settle", "cheddar", "mill", "mould", "press", "take whey off"}
)
_DESCRIBES = re.compile(r"\W*(?:and\s+|while\s+|still\s+|always\s+)*[a-z]+ing\b", re.I)
_APART = re.compile(r"\s*(?:(?:of |as )?intervals?|apart|between)\b", re.I)
_IN_GOES = re.compile(
    r"\b(?:in |on )?(?P<n>two|three|four|2|3|4) (?P<of>goes|times|parts|lots|additions|"
    r"portions|stages|days)\b",
    re.I,
)
_STIRRED_IN: frozenset[StepKind] = frozenset({"heat", "warm", "hold", "stir", "add water", "add"})
_SOME_TIMES = re.compile(r"\b(?:once|twice|\w+ times)\b", re.I)
_SIGN_ONLY = re.compile(
    r"[\W\d]*(?:till |until |to |for |at )?(?:a |it |the )*(?:clean break|breaks? clean(?:ly)?)\W*",
    re.I,
)
_LID_ON = re.compile(
    r"\W*(?:with )?(?:the )?(?:lid on|cover(?:ed)?(?: it)?(?: with the lid)?)\W*", re.I
)
_KEPT_BACK = re.compile(
    r"\b(?:save|reserve|keep|put aside|set aside) (?:[\w']+ ){0,2}?(?:rest|remain\w+|whey)\b", re.I
)
_EACH_SIDE = re.compile(
    r"\b(?:(?:on |for )?(?:each|either|every|both|a|per) (?:side|face)s?)\b", re.I
)
_ALONE = re.compile(
    r"\W*(?:and |then |now )*(?:stir|mix|whisk|fold|blend)(?:red|ed)? (?:it |them |well |"
    r"gently )*in\b(?:\W*(?:for|well|gently|about))*\W*",
    re.I,
)
_GOES_ON: frozenset[StepKind] = frozenset({"wait", "drain", "hang", "settle", "hold", "brine"})
# Half the whey off, 1 qt of warm water in: two steps in a breath.
_WATER_IN = re.compile(r"(?<=[,;]) *(?:and )?\d[^,;]*\bwater\b.*", re.I)
_SET_WORDS = re.compile(r"\bset|break|curd|cut", re.I)
_AT_CLOCK = re.compile(r"^\s*\d{1,2}:\d{2}\b")
_IN_BRINE = re.compile(r"\b(?:in|into)\b.*\bbrine\b", re.I)
_EVERY = re.compile(r"\b(?:every|each|per)\s*$", re.I)
_HALVES = re.compile(rf"\b(?P<n>{'|'.join(SHARES)})\b", re.I)
_SAME_WARMTH_C, _HEALS_MIN, _MOST_BRINE = 1.1, 25.0, 27.0
_OUT: frozenset[StepKind] = frozenset(
    {"drain", "hang", "cheddar", "press", "take whey off", "settle"}
)
DAY, _STIRRED_MIN = 1440, 10
_ADDS = re.compile(r"\b(?:adds?|sprinkle)\s+(?:the\s+)?([a-z][a-z -]{2,})$", re.I)
_NOTHING_NEW = re.compile(
    r"(?:it|them|all|this|rest|slowly|gently|mixture|more)\b.*|.*\bwater\b.*", re.I
)
_TITLE = 120
_KEPT_WARM: frozenset[StepKind | None] = frozenset({"brine", "add water"})


def clock_time(minutes: float) -> str:
    """A time of day. Parameters: minutes since midnight."""
    return f"{int(minutes // 60):02d}:{int(minutes % 60):02d}"


def blank(clause: Clause, those: list[Quantity]) -> str:
    """The text of a clause with some of its quantities blotted out. Parameters: clause; those."""
    text = clause.text
    for each in those:
        begins, ends = each.begins - clause.begins, each.ends - clause.begins
        text = text[:begins] + " " * (ends - begins) + text[ends:]
    return text


def _more(clause: Clause) -> bool:
    """Whether a clause says how much longer something may take."""
    return bool(re.search(r"\bmore\b|\blonger\b|\bextra\b", clause.text))


def _only(clause: Clause, kind: StepKind, words: str, those: tuple[Quantity, ...]) -> Clause:
    """A step that a clause names by nothing but its quantities, in words of its own."""
    begins, ends = those[0].begins, those[-1].ends
    text = f"{words} {clause.text[begins - clause.begins : ends - clause.begins]}"
    return Clause(text=text, begins=begins - len(words) - 1, kind=kind, things=(), those=those)


def has_curd(draft: WrittenDraft) -> bool:
    """Whether the milk is curd already. Parameters: draft."""
    return any(step.kind in _CURD for step in draft.steps)


def describing(clause: Clause) -> bool:
    """Whether a clause begins as one that describes: turning daily. Parameters: clause."""
    return bool(_DESCRIBES.match(clause.text))


def lengths(clause: Clause) -> list[Quantity]:
    """How long something takes: never how often, by when, how far apart, on which day.

    Parameters: clause.
    """
    return [
        each
        for each in clause.every("time")
        if not is_every(clause, each)
        and not each.unit.endswith("of")
        and not _within(clause, each)
        and not _APART.match(clause.text[each.ends - clause.begins :])
    ]


def _given_before(draft: WrittenDraft, clause: Clause, times: list[Quantity]) -> Clause:
    """After an hour turn it: how long what stands before it takes, where nothing says so."""
    last = draft.steps[-1] if draft.steps else None
    if last is not None and last.key in draft.taken and last.kind not in _BRIEF:
        minutes = min(times[0].value, float(MOST_MINUTES))
        hands = min(minutes, last.hands_on_minutes)
        draft.steps[-1] = replace(last, minutes=minutes, hands_on_minutes=hands)
        draft.taken.discard(last.key)
    return replace(clause, those=tuple(each for each in clause.those if each is not times[0]))


def _within(clause: Clause, each: Quantity) -> bool:
    """Whether a length says only by when: within two minutes."""
    return bool(re.search(r"\bwithin\s+$", clause.text[: each.begins - clause.begins], re.I))


def describes(draft: WrittenDraft, clause: Clause) -> bool:
    """Whether a clause only says how the step before is done: stirring gently, turning once after
    eight hours, twice a day; stir it in, of what was sprinkled on.

    Parameters: draft, with the step before; clause.
    """
    if not draft.steps:
        return False
    last, times = draft.steps[-1], clause.every("time")
    if times and clause.kind is None and all(_within(clause, each) for each in times):
        return True
    if _ALONE.fullmatch(blank(clause, times)) and last.kind in ("add", "wait", "salt"):
        return True
    if clause.kind == "turn" and not times and _SOME_TIMES.search(clause.text):
        return last.kind in ("drain", "press", "hang")
    if clause.kind == "stir" and times and all(is_every(clause, each) for each in times):
        return last.kind in _STIRRED_IN
    if _LID_ON.fullmatch(clause.text):
        return True
    if _SIGN_ONLY.fullmatch(clause.text) and last.kind == "wait":
        return True
    if clause.kind == "turn" and times and all(is_every(clause, each) for each in times):
        return last.kind in ("dry", "drain", "hang", "brine", "press", "wait", "hold")
    if _KEPT_BACK.search(clause.text):
        return True
    bare = not (times or clause.first("warm", "mass", "ph", "length"))
    if clause.kind == "stir" and bare and last.kind in _STIRRED_IN:
        return draft.stepped_on == draft.number
    if clause.kind is None or not _DESCRIBES.match(clause.text):
        return False
    return clause.kind == "turn" or bare


def do_step(draft: WrittenDraft, number: int, clause: Clause) -> str:
    """A step, or what a clause says of the step before: without a verb, or how it is done."""
    if describes(draft, clause):
        return _more_of_last(draft, clause)
    kind = kind_in(draft, clause)
    told = _brine_told(draft, clause, kind) or _rest(draft, clause, kind)
    if told:
        return told
    parts = _in_order(draft, clause, kind)
    if len(parts) > 1:
        return "; ".join(do_step(draft, number, part) for part in parts)
    if kind is None or (
        kind in ("warm", "heat") and clause.kind is None and draft.last_kind in _KEPT_WARM
    ):
        return _of_before(draft, clause)
    times = lengths(clause)
    if times and times[0] and _AFTER_FIRST.match(clause.text) and kind in _BRIEF:
        clause, times = _given_before(draft, clause, times), times[1:]
    every = [each for each in clause.every("time") if is_every(clause, each)]
    usual, by_hand = USUAL_MINUTES[kind]
    rise = _rise(draft, clause)
    taken = not times and rise is None
    minutes = (
        usual
        if taken
        else (rise if rise is not None and not times else times[-1 if kind == "turn" else 0].value)
    )
    if minutes > MOST_MINUTES:
        raise OutOfRange("No step of a make takes longer than two weeks.")
    minutes = _for_all(draft, clause, kind, minutes, times)
    turned = len(times) if kind == "turn" and len(times) > 1 else 1
    if kind == "turn" and every and times:
        turned = max(1, min(24, round(times[0].value / every[0].value)))
    if kind == "cut":
        _before_the_cut(draft, clause)
    step = _made(draft, clause, kind, minutes=minutes, by_hand=by_hand, turned=turned)
    after = tuple(round(each.value, 2) for each in times)
    if 1 < turned == len(after) and all(a < b for a, b in pairwise(after)):
        step = replace(step, turns_min=after)
    if len(times) > 1 and kind != "turn" and _more(clause):
        step = replace(step, may_stretch_minutes=min(times[-1].value, float(MOST_MINUTES)))
    step = step if taken else _gone_on(draft, step)
    draft.steps.append(step)
    draft.stepped_on = draft.number
    if taken:
        draft.taken.add(step.key)
    _wants(draft, number, clause, step)
    return _echo(step, draft.wanted.get(step.key, (0, ""))[1], taken=taken)


def _brine_told(draft: WrittenDraft, clause: Clause, kind: StepKind | None) -> str:
    """How strong the brine is, among what goes in: no step, before there is curd."""
    percent = clause.first("percent")
    if kind != "brine" or has_curd(draft) or percent is None:
        return ""
    if 1 <= percent.value <= _MOST_BRINE:
        draft.brine_pct = percent.value
    return f"the brine: {percent.value:g} %"


def _gone_on(draft: WrittenDraft, step: RecipeStep) -> RecipeStep:
    """A step that says how long what is done already goes on: one step."""
    last = draft.steps[-1] if draft.steps else None
    if last is None or not last.kind == step.kind in _GOES_ON or last.key not in draft.taken:
        return step
    title = f"{last.title}; {step.title[:1].lower()}{step.title[1:]}"[:_TITLE]
    draft.steps.pop()
    draft.taken.discard(last.key)
    return replace(step, key=last.key, title=title)


def _before_the_cut(draft: WrittenDraft, clause: Clause) -> None:
    """What a cut stands behind: the flocks it is told by; a cut without a size is this one."""
    if clause.first("times"):
        _watched(draft)
    last = draft.steps[-1] if draft.steps else None
    if last and last.kind == "cut" and last.cut_mm is None and last.key in draft.taken:
        draft.steps.pop()
        draft.taken.discard(last.key)


def _watched(draft: WrittenDraft) -> None:
    """Who cuts at so many times the first flocks has waited for them."""
    if any(step.clock == "flocculation" for step in draft.steps):
        return
    usual, by_hand = USUAL_MINUTES["test"]
    key = free_key("test", {each.key for each in draft.steps})
    draft.steps.append(
        RecipeStep(
            key=key,
            kind="test",
            title="Wait for the first flocks",
            minutes=usual,
            hands_on_minutes=by_hand,
            clock="flocculation",
            asks=("flocks",),
        )
    )
    draft.taken.add(key)


def _more_of_last(draft: WrittenDraft, clause: Clause) -> str:
    """How the step before is done, in its own words."""
    last, words = draft.steps[-1], " ".join(clause.text.split()).strip(" ,:;.-–—")
    clock: Any = "cut" if _SIGN_ONLY.fullmatch(clause.text) else last.clock
    more = f"{last.words} {words[:1].upper()}{words[1:]}.".strip()
    draft.steps[-1] = replace(last, words=more, clock=clock)
    return f"of the step before: {last.title}"


def _warm_first(clause: Clause, warm: Quantity | None) -> bool:
    """Whether a warmth stands before what is added at it: milk 21 °C, culture in."""
    before = clause.text[: warm.begins - clause.begins] if warm else ""
    return warm is not None and kind_of_thing(before) is None and not _ADDING.search(before)


def _thing_first(clause: Clause) -> bool:
    """Whether a clause begins with a thing: rennet, 35 min, set hard."""
    return kind_of_thing(re.split(r"[|,\d]|\s{2,}", clause.text.strip(" |"))[0]) is not None


def _is_at(draft: WrittenDraft, warm: Quantity) -> bool:
    """Whether what stands in the vat is as warm already."""
    last = next((s.celsius.target for s in reversed(draft.steps) if s.celsius), None)
    return last is not None and abs(last - warm.value) < _SAME_WARMTH_C


def _in_order(draft: WrittenDraft, clause: Clause, kind: StepKind | None) -> list[Clause]:
    """A clause that says several steps in one: rennet at a warmth and how long it is left;
    loads one after another."""
    loads = [
        each
        for each in clause.every("mass", "own_weights")
        if not _EACH_OF.search(clause.text[: each.begins - clause.begins])
    ]
    times = clause.every("time")
    if kind == "turn" and loads and _AFTER_FIRST.match(clause.text):
        times = [each for each in times if each.begins > loads[0].begins]
    if kind == "turn" and loads and times:
        rest = tuple(each for each in clause.those if each not in (*loads, *times))
        pressed = replace(clause, kind="press", those=(*loads, *times))
        turned = replace(clause, text=blank(clause, [*loads, *times]), those=rest)
        return [turned, pressed]
    if kind == "add water" and _REPLACED.search(clause.text):
        return _replaced(clause)
    water = _WATER_IN.search(clause.text) if kind == "take whey off" else None
    if water:
        cut = clause.begins + water.start()
        mine = tuple(each for each in clause.those if each.begins < cut)
        rest = tuple(each for each in clause.those if each.begins >= cut)
        poured = replace(clause, kind="add water", text=water[0], begins=cut, those=rest)
        return [replace(clause, text=clause.text[: water.start()], those=mine), poured]
    if kind == "press" and len(loads) > 1:
        return _loads_in_order(clause, loads, times)
    if kind == "press" and not loads and len(times) > 1 and not _more(clause):
        first = replace(clause, those=tuple(each for each in clause.those if each not in times[1:]))
        return [first, *(_only(clause, "press", "press", (each,)) for each in times[1:])]
    return _adds_in_order(draft, clause, kind)


def _loads_in_order(clause: Clause, loads: list[Quantity], times: list[Quantity]) -> list[Clause]:
    """Loads one after another, each with its time."""
    clocks = clause.every("clock")
    if not times and len(clocks) == len(loads):
        times = [
            replace(after, what="time", value=(after.value - each.value) % DAY)
            for each, after in pairwise(clocks)
        ]
    pairs = zip(loads, [*times, *[None] * len(loads)], strict=False)
    found = []
    for load, time in pairs:
        mine = tuple(each for each in (load, time) if each)
        begins, ends = min(q.begins for q in mine), max(q.ends for q in mine)
        text = clause.text[begins - clause.begins : ends - clause.begins]
        found.append(
            replace(clause, kind="press", text=f"Press {text}", begins=begins - 6, those=mine)
        )
    return found


def _replaced(clause: Clause) -> list[Clause]:
    """A third of the whey replaced by water: off, and in."""
    of = _BY_WATER.search(clause.text)
    cut = clause.begins + (of.start() if of else len(clause.text))
    off = tuple(each for each in clause.those if each.begins < cut)
    poured = tuple(each for each in clause.those if each.begins >= cut)
    text = clause.text[: cut - clause.begins]
    return [
        replace(clause, kind="take whey off", text=text, those=off),
        replace(clause, kind="add water", text=f"add{clause.text[len(text) :]}", those=poured),
    ]


def _adds_in_order(draft: WrittenDraft, clause: Clause, kind: StepKind | None) -> list[Clause]:
    """What is added, the warmth that it is added at, and how long it is left then."""
    times = lengths(clause)
    warmed = clause.first("warm") if clause.kind in (None, "add") else None
    is_warm = warmed and _is_at(draft, warmed)
    if is_warm:
        clause = replace(clause, those=tuple(each for each in clause.those if each is not warmed))
    first_warm = bool(warmed) and (_AT_FIRST.match(clause.text) or _warm_first(clause, warmed))
    if (
        not stirred(clause)
        or kind in ("brine", "salt")
        or clause.kind not in (None, "add", "wait")
        or (clause.kind == "wait" and not _thing_first(clause))
        or (clause.kind == "add" and not times and not first_warm)
    ):
        return [clause]
    warm = tuple(each for each in clause.those if each.what in ("warm", "rise"))
    added = tuple(each for each in clause.those if each.what not in ("warm", "rise", "time"))
    parts = [replace(clause, kind="add", text=blank(clause, [*times, *warm]), those=added)]
    if clause.kind == "wait":
        warm = ()
    if warm and (clause.kind is None or first_warm):
        parts.insert(0, _only(clause, "warm", "warm to", warm))
    long = tuple(each for each in times if each.value > _STIRRED_MIN)
    if long and (_AFTER_FIRST.match(clause.text) or re.search(r"\blater\b", clause.text, re.I)):
        return [_only(clause, "wait", "leave it", long), *parts]
    if long:
        says_more = SIGN.search(clause.text) or _SET_WORDS.search(clause.text)
        whole = replace(clause, kind="wait", things=(), those=long)
        parts.append(whole if says_more else _only(clause, "wait", "leave it", long))
    return parts if len(parts) > 1 else [clause]


def kind_in(draft: WrittenDraft, clause: Clause) -> StepKind | None:
    """What is done in a clause, by its verb, its quantities and what was done before.

    Parameters: draft; clause. Returns: None where it says nothing of its own.
    """
    kind = _said(draft, clause)
    kind = _of_salt(draft, clause, kind)
    is_cut = any(step.kind == "cut" for step in draft.steps)
    fills = kind == "mould" and not is_cut and not _MOULDS.search(clause.text)
    if fills and clause.first("warm"):
        return "warm"  # fill the vat at 31 °C
    if clause.first("mass") and clause.first("time") and re.search(r"\bpress", clause.text, re.I):
        return "press"
    if kind in ("warm", "heat"):
        return _warms(draft, clause, kind, is_cut=is_cut)
    if kind == "add water" and stirred(clause):
        return "add"
    if kind == "mill" and not any(step.kind in _OUT for step in draft.steps):
        return "cut"  # break the curd
    return _waits(draft, clause) if kind == "wait" else kind


def _said(draft: WrittenDraft, clause: Clause) -> StepKind | None:
    """What a clause says by its verb, or by what it names."""
    kind, last = clause.kind, draft.last_kind
    if kind is None and _SAME.match(clause.text) and last in ("press", "turn") and lengths(clause):
        return "press"
    heavy = clause.first("mass", "own_weights")
    if kind in (None, "wait") and heavy and last in ("press", "turn"):
        return "press" if kind == "wait" or clause.first("time") else kind
    if kind is not None:
        return kind
    if stirred(clause):
        return "add"
    warm, rise = clause.first("warm"), clause.first("rise")
    if rise or (warm and clause.first("time")):
        return "heat" if any(step.kind == "cut" for step in draft.steps) else "warm"
    return "warm" if warm else None


def _of_salt(draft: WrittenDraft, clause: Clause, kind: StepKind | None) -> StepKind | None:
    """Salt goes into milk or onto curd, or the curd into brine; the rest of it as it did before."""
    named = set(stirred(clause))
    if kind == "add" and "salt" in named and not named & _IN_MILK and has_curd(draft):
        kind = "salt"
    if kind in (None, "add") and not clause.things and _THE_REST.search(clause.text):
        kind = "salt" if any(step.kind == "salt" for step in draft.steps) else "add"
    if kind == "salt" and clause.first("percent", "time") and _IN_BRINE.search(clause.text):
        return "brine"
    return kind


def _warms(draft: WrittenDraft, clause: Clause, kind: StepKind, *, is_cut: bool) -> StepKind:
    """Milk is warmed, curd is cooked."""
    if is_cut:
        return "heat"
    if kind == "heat" and not has_curd(draft) and not _COOKS.search(clause.text):
        return "warm"
    return kind


def _waits(draft: WrittenDraft, clause: Clause) -> StepKind:
    """A wait behind the cut heals the curd, unless it is long, or sours it."""
    times = lengths(clause)
    is_long = bool(times) and times[0].value > _HEALS_MIN
    if draft.last_kind == "cut" and not is_long and not clause.first("ph"):
        return "heal"
    if re.search(r"\bfloc", clause.text, re.I) and clause.first("times"):
        return "test"
    return "wait"


def _made(
    draft: WrittenDraft,
    clause: Clause,
    kind: StepKind,
    *,
    minutes: float,
    by_hand: float,
    turned: int,
) -> RecipeStep:
    usual, _ = USUAL_MINUTES[kind]
    hands = minutes if by_hand == usual else by_hand
    rennet_in = any("rennet" in want for _, want in draft.wanted.values())
    sign = SIGN.search(clause.text)
    words = (sign["a"] or sign["b"] or sign["c"]) if sign else ""
    clock: Any = "fixed"
    multiple = clause.first("times")
    if multiple:
        draft.head["cut_multiplier"] = multiple.value
    if kind == "test" or (multiple and kind != "cut"):
        clock, kind = "flocculation", "test"
    elif kind == "wait" and rennet_in and _SET_WORDS.search(clause.text):
        clock = "cut"
    title = _AT_CLOCK.sub("", re.sub(r"(?:\s*\|\s*)+", ", ", clause.text).strip(" ,"))
    title = " ".join(title.split()).strip(" ,:;.-–—")
    asks: Any = (
        ("flocks",) if kind == "test" else ("weight",) if "weigh" in clause.text.lower() else ()
    )
    title, words_more = title[:1].upper() + title[1:], title[_TITLE:]
    if kind == "add" and own_amounts(clause) and stirred(clause):
        # how much is this make's to say: the card's own amount stands behind, as it was written
        words_more = f"As written: “{title}”."
        title = f"Stir in the {' and '.join(dict.fromkeys(stirred(clause)))}"
    size, load, brine = clause.first("length"), _load(draft, clause), clause.first("percent")
    before_load = clause.text[: load.begins - clause.begins] if load else ""
    return RecipeStep(
        key=free_key(kind.replace(" ", "-"), {each.key for each in draft.steps}),
        kind=kind,
        title=title[:_TITLE],
        minutes=round(minutes, 2),
        hands_on_minutes=round(min(minutes, hands), 2),
        words=words_more,
        clock=clock,
        celsius=band(reached(clause, kind), 1.0, -30, 120),
        ph=band(clause.first("ph"), 0.05, 0, 14),
        sign=words[:1].upper() + words[1:] if words else "",
        cut_mm=min(150.0, max(1.0, size.value)) if size and kind == "cut" else None,
        load_kg=min(1000.0, load.value)
        if load and not _EACH_OF.search(before_load) and kind == "press"
        else None,
        brine_pct=(brine.value if brine and 1 <= brine.value <= _MOST_BRINE else draft.brine_pct)
        if kind == "brine"
        else None,
        share=_share(draft, clause) if kind == "take whey off" else None,
        asks=asks,
        times=turned,
    )


def _rest(draft: WrittenDraft, clause: Clause, kind: StepKind | None) -> str:
    """The rest of what a step before gave a part of: one step gives it in parts, where both are of
    one kind; "" where this is no such thing."""
    if kind not in ("salt", "add") or not _THE_REST.search(clause.text):
        return ""
    named = stirred(clause)
    for step in reversed(draft.steps):
        wanted = draft.wanted.get(step.key, (0, ""))[1].split(" and ")
        thing = next((each for each in wanted if each in named or (not named and each)), None)
        if thing is None:
            continue
        since = draft.steps[draft.steps.index(step) + 1 :]
        if step.kind != kind or any(each.kind not in _BETWEEN_PARTS for each in since):
            draft.parted[thing] = draft.shares.get(thing) or _part_of(step.title)
            return ""
        draft.in_parts.add(thing)
        more = [each for each in named if each not in wanted]
        draft.wanted[step.key] = (draft.wanted[step.key][0], " and ".join([*wanted, *more]))
        place = draft.steps.index(step)
        words = " ".join(clause.text.split()).strip(" ,:;.-–—")
        draft.steps[place] = replace(
            step, words=f"{step.words} {words[:1].upper()}{words[1:]}.".strip()
        )
        return f"of {step.title}: given in two parts"
    return ""


def _part_of(title: str) -> float:
    """Which share of a thing a step gives that says so, else half. Parameters: its title."""
    part = _HALVES.search(title)
    return SHARES[part["n"].lower()] if part else 0.5


def _for_all(
    draft: WrittenDraft,
    clause: Clause,
    kind: StepKind,
    minutes: float,
    times: list[Quantity],
) -> float:
    """A length that is told for each side, or for each kg, for all of it."""
    if not times or kind not in ("brine", "salt", "dry", "press"):
        return minutes
    per = times[0].per
    if per is not None and per.what == "mass" and draft.piece_kg:
        minutes = times[0].value * draft.piece_kg / per.value
    if _EACH_SIDE.search(clause.text):
        minutes *= 2
    return minutes


def _load(draft: WrittenDraft, clause: Clause) -> Quantity | None:
    """What presses, kg; of times its own weight, where it is told how heavy one is."""
    own = clause.first("own_weights")
    if own and draft.piece_kg:
        return replace(own, what="mass", value=own.value * draft.piece_kg)
    if _SAME.match(clause.text):
        before = next((s.load_kg for s in reversed(draft.steps) if s.load_kg), None)
        time = clause.first("time")
        return replace(time, what="mass", value=before) if before and time else None
    return clause.first("mass")


def _share(draft: WrittenDraft, clause: Clause) -> float | None:
    litres, part = clause.first("volume"), _HALVES.search(clause.text)
    percent = clause.first("percent")
    if percent and percent.value <= 100:
        return percent.value / 100
    if litres and draft.milk_l:
        return min(1.0, litres.value / draft.milk_l)
    return SHARES[part["n"].lower()] if part else None


def _wants(draft: WrittenDraft, number: int, clause: Clause, step: RecipeStep) -> None:
    """What a step stirs in: named before, or now, with how much."""
    for part in listed(clause):
        known = {each.product.kind for each in draft.ingredients}
        new = [
            thing
            for thing in part.things
            if thing[0] in STIRRED
            and (thing[0] not in known or (_MORE_OF & {thing[0]} and _just(draft, thing[0])))
        ]
        if (
            new
            and step.kind in ("add", "salt")
            and amount_of(draft, replace(part, things=tuple(new)))
        ):
            add_thing(draft, replace(part, things=tuple(new)))
    _share_given(draft, clause)
    named = [kind for kind, _ in clause.things if kind in STIRRED]
    meant = _ADDS.search(clause.text)
    if step.kind == "add" and not clause.things and meant and not _NOTHING_NEW.fullmatch(meant[1]):
        words = f"“{meant[1].strip()}” is not among what goes in: write its amount on a line"
        draft.missed.append((number, f"{words} of its own."))
    goes = _IN_GOES.search(clause.text)
    if goes and step.kind in ("salt", "add"):
        by_days = goes["of"].lower() == "days" or re.search(
            r"\b(?:apart|interval)", clause.text, re.I
        )
        draft.in_goes["salt" if step.kind == "salt" else named[0] if named else ""] = (
            round(number_of(goes["n"])),
            bool(by_days),
        )
    if step.kind == "salt":
        named = ["salt", *(each for each in named if each == "herb")]
    if step.kind == "add" and not named and re.search(r"\bacid\b", clause.text, re.I):
        named = [each.product.kind for each in draft.ingredients if each.product.kind == "acid"]
    if step.kind in ("add", "salt") and named:
        draft.wanted[step.key] = (number, " and ".join(named))


def _share_given(draft: WrittenDraft, clause: Clause) -> None:
    """Two spoons of the salt, where the list says how much there is: a share of it."""
    for part in listed(clause):
        amount = amount_of(draft, part)
        if amount is None or not part.things or not _OF_THE.search(part.text):
            continue
        whole = [e for e in draft.ingredients if e.product.kind == part.things[0][0]]
        if len(whole) == 1 and whole[0].basis == "batch" and amount.what in ("mass", "volume"):
            given = weighed(draft, amount, whole[0].product)
            if given < whole[0].amount:
                draft.shares[whole[0].product.kind] = given / whole[0].amount


def _just(draft: WrittenDraft, kind: Kind) -> bool:
    """Whether a kind was added by this very line: 1 g of one culture + 10 g of another."""
    return draft.added_on.get(kind) == draft.number


def _rise(draft: WrittenDraft, clause: Clause) -> float | None:
    """How long so many degrees every so often take, min; None where that is not said."""
    rise, warm = clause.first("rise"), clause.first("warm")
    if rise is None or warm is None or rise.per is None or rise.value <= 0:
        return None
    before = next((s.celsius.target for s in reversed(draft.steps) if s.celsius), None)
    if before is None or warm.value <= before:
        return None
    return (warm.value - before) / rise.value * rise.per.value


def is_every(clause: Clause, each: Quantity) -> bool:
    """Whether a length is how often, and not how long."""
    return bool(_EVERY.search(clause.text[: each.begins - clause.begins])) or each.unit == "every"


def _of_before(draft: WrittenDraft, clause: Clause) -> str:
    """What a clause without a verb says: more of the step before."""
    if not draft.steps or draft.stages:
        return ""  # where it ripens, nothing is of the make's last step any more
    last = draft.steps[-1]
    time = next(iter(lengths(clause)), None)
    sour, words = clause.first("ph"), clause.text.strip(" ,:;.-–—")
    more = f"{last.words} {words}".strip()
    if time and re.search(r"\bmore\b|\blonger\b", clause.text, re.I):
        last = replace(last, may_stretch_minutes=min(time.value, float(MOST_MINUTES)), words=more)
    elif last.kind == "brine" and (time or clause.first("percent", "warm")):
        whole = [t for t in lengths(clause) if t.per is None] or ([time] if time else [])
        if whole and whole[0].per is not None and draft.piece_kg:
            whole = [replace(whole[0], value=whole[0].value * draft.piece_kg / whole[0].per.value)]
        pct, warm = clause.first("percent"), band(clause.first("warm"), 1.0, -30, 120)
        last = replace(
            last,
            minutes=min(float(MOST_MINUTES), whole[0].value) if whole else last.minutes,
            brine_pct=pct.value if pct and 1 <= pct.value <= 27 else last.brine_pct,
            celsius=warm or last.celsius,
            words=more,
        )
    elif time and (_usual_taken(draft) or last.kind == "add"):
        kind: StepKind = "wait" if last.kind == "add" else last.kind
        if kind != last.kind:
            clause = replace(clause, kind=kind)
            return do_step(draft, 0, clause)
        last = replace(last, minutes=min(time.value, float(MOST_MINUTES)), words=more)
        draft.taken.discard(last.key)
    elif time:
        return do_step(
            draft, 0, replace(clause, kind="hold" if last.kind in ("heat", "warm") else "wait")
        )
    elif last.kind == "add water" and clause.first("warm"):
        last = replace(last, celsius=band(clause.first("warm"), 1.0, -30, 120), words=more)
    elif sour:
        last = replace(last, ph=band(sour, 0.05, 0, 14), words=more)
    else:
        last = replace(last, words=more)
    was, draft.steps[-1] = draft.steps[-1], last
    if replace(was, words="") == replace(last, words=""):
        return f"of the step before: {last.title}"
    return f"the step before: {_echo(last, '', taken=False)}"


def clocked(draft: WrittenDraft, clause: Clause) -> str:
    """A time of day: how long what was begun before took, where nothing else says so."""
    clock = clause.first("clock")
    if clock is None:
        return ""
    since, draft.clock = draft.clock, (clock.value, len(draft.steps))
    if since is None:
        return f"at {clock_time(clock.value)}"
    gap = (clock.value - since[0]) % DAY
    begun = draft.steps[since[1] :]
    open_ = [each for each in begun if each.key in draft.taken]
    left = gap - sum(each.minutes for each in begun if each.key not in draft.taken)
    told = f"{so_long(gap)} after {clock_time(since[0])}"
    if left < 1 or not (begun or draft.ingredients):
        return told
    if begun[-1:] and begun[-1].kind == "add":  # what was warm already waits behind it
        open_ = [each for each in open_ if each.kind not in ("warm", "heat")]
        gap += sum(
            each.minutes
            for each in begun
            if each.kind in ("warm", "heat") and each.key in draft.taken
        )
    waiting = [each for each in open_ if each.kind not in _BRIEF] or open_
    left -= sum(each.minutes for each in open_ if each not in waiting)
    if len(waiting) == 1 and waiting[0].kind not in _BRIEF and left >= 1:
        place = draft.steps.index(waiting[0])
        draft.steps[place] = replace(
            waiting[0],
            minutes=left,
            hands_on_minutes=min(left, waiting[0].hands_on_minutes),
        )
        draft.taken.discard(waiting[0].key)
    elif not open_ or all(each.kind in _BRIEF for each in open_):
        left = gap - sum(each.minutes for each in begun)
        if left >= _LEAST_WAIT_MIN:
            key = free_key("wait", {each.key for each in draft.steps})
            draft.steps.append(
                RecipeStep(
                    key=key,
                    kind="wait",
                    title="Leave it, lid on",
                    minutes=left,
                    hands_on_minutes=2,
                )
            )
            draft.clock = (clock.value, len(draft.steps))
    return told


def give_to_last(draft: WrittenDraft, each: Quantity) -> bool:
    """Put a quantity into the last step, as its maker says; whether that step can use it.

    Parameters: each quantity.
    """
    last = draft.steps[-1]
    part: dict[str, Any] = {}
    if each.what == "time":
        minutes = min(each.value, float(MOST_MINUTES))
        part = {
            "minutes": minutes,
            "hands_on_minutes": min(minutes, last.hands_on_minutes),
        }
    elif each.what == "warm":
        part = {"celsius": band(each, 1.0, -30, 120)}
    elif each.what == "ph":
        part = {"ph": band(each, 0.05, 0, 14)}
    elif each.what == "length" and last.kind == "cut":
        part = {"cut_mm": min(150.0, max(1.0, each.value))}
    elif each.what == "mass" and last.kind == "press":
        part = {"load_kg": min(1000.0, each.value)}
    elif each.what == "percent" and last.kind == "brine" and 1 <= each.value <= 27:
        part = {"brine_pct": each.value}
    draft.steps[-1] = replace(last, **part)
    return bool(part)


def _usual_taken(draft: WrittenDraft) -> bool:
    """Whether the minutes of the last step are only usual ones."""
    return draft.steps[-1].key in draft.taken


def _echo(step: RecipeStep, goes_in: str, *, taken: bool) -> str:
    filled = ", as nothing else is said" if taken else ""
    said = [
        step.celsius and f"{step.celsius.target:.3g} °C",
        step.ph and f"pH {step.ph.target:g}",
        step.cut_mm and f"{step.cut_mm:.3g} mm",
        step.load_kg and f"{step.load_kg:.3g} kg on it",
        step.brine_pct and f"{step.brine_pct:g} % brine",
        step.share and f"{100 * step.share:.0f} % of the milk",
        step.times > 1 and f"{step.times} times",
        step.sign and f"until: {step.sign}",
    ]
    kind = f"add {goes_in}" if step.kind == "add" and goes_in else step.kind
    return ", ".join([f"{kind}, {so_long(step.minutes)}{filled}", *(each for each in said if each)])


def put_in_by_kind(draft: Draft, step_key: str, number: int, want: str) -> None:
    """What a step stirs in, of what goes in by its kind: those it names, else all of a kind."""
    at = next(n for n, step in enumerate(draft.steps) if step.key == step_key)
    before = {key for step in draft.steps for key in step.adds}
    title = f"{draft.steps[at].title} {draft.steps[at].words}".casefold()
    adds: list[str] = []
    for kind in want.split(" and "):
        mine = [e for e in draft.ingredients if e.product.kind == kind and e.key not in before]
        if len({e.product for e in mine}) < len(mine):
            mine = mine[:1]  # the first of it, and the rest
        named = [
            e
            for e in mine
            if any(w in title for w in e.product.name.casefold().split() if len(w) > 4)
        ]
        adds += [each.key for each in (named if len(mine) > 1 and named else mine)]
        if (
            not any(e.product.kind == kind for e in draft.ingredients)
            and draft.steps[at].kind == "add"
        ):
            draft.missed.append((number, f"How much {kind}? It is not among what goes in."))
    draft.steps[at] = replace(draft.steps[at], adds=tuple(dict.fromkeys(adds)))
