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
from openpail.formats.recipe_words import (
    USUAL_MINUTES,
    free_key,
)
from openpail.formats.written.amounts import (
    SIGN,
    STIRRED,
    band,
    listed,
    reached,
    stirred,
)
from openpail.formats.written.clauses import Clause
from openpail.formats.written.draft import WrittenDraft
from openpail.formats.written.goes_in import add_thing, amount_of
from openpail.formats.written.lexicon import SHARES
from openpail.formats.written.quantities import Quantity

_EACH_OF = re.compile(r"\b(?:forms?|moulds?|molds?|wheels?|pieces?|cheeses)\s+of\s+$", re.I)
_BRIEF: frozenset[StepKind] = frozenset({"add", "cut", "mould", "turn", "take whey off"})
_LEAST_WAIT_MIN = 3.0
_MORE_OF: frozenset[Kind] = frozenset({"culture", "mould", "herb"})
_GOES_ON: frozenset[StepKind] = frozenset({"wait", "drain", "hang", "settle", "hold", "brine"})
# Half the whey off, 1 qt of warm water in: two steps in a breath.
_WATER_IN = re.compile(r"(?<=[,;]) *(?:and )?\d[^,;]*\bwater\b.*", re.I)
_SET_WORDS = re.compile(r"\bset|break|curd|cut", re.I)
_AT_CLOCK = re.compile(r"^\s*\d{1,2}:\d{2}\b")
_IN_BRINE = re.compile(r"\b(?:in|into)\b.*\bbrine\b", re.I)
_EVERY = re.compile(r"\b(?:every|each|per)\s*$", re.I)
_HALVES = re.compile(rf"\b(?P<n>{'|'.join(SHARES)})\b", re.I)
_LEAST_STAGE_MIN, DAY, _STIRRED_MIN, _RAMP_C = 3 * 1440, 1440, 10, 4.0
_ADDS = re.compile(r"\b(?:adds?|sprinkle)\s+(?:the\s+)?([a-z][a-z -]{2,})$", re.I)
_NOTHING_NEW = re.compile(
    r"(?:it|them|all|this|rest|slowly|gently|mixture|more)\b.*|.*\bwater\b.*", re.I
)
_TITLE = 120
_KEPT_WARM: frozenset[StepKind | None] = frozenset({"brine", "add water"})


def clock_time(minutes: float) -> str:
    """A time of day. Parameters: minutes since midnight."""
    return f"{int(minutes // 60):02d}:{int(minutes % 60):02d}"


def _blank(clause: Clause, those: list[Quantity]) -> str:
    """The text of a clause with some of its quantities blotted out."""
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


def do_step(draft: WrittenDraft, number: int, clause: Clause) -> str:
    """A step, or what a clause without a verb says of the step before."""
    kind = kind_in(draft, clause)
    parts = _in_order(clause, kind)
    if len(parts) > 1:
        return "; ".join(do_step(draft, number, part) for part in parts)
    if kind is None or (
        kind in ("warm", "heat") and clause.kind is None and draft.last_kind in _KEPT_WARM
    ):
        return _of_before(draft, clause)
    times = [
        each
        for each in clause.every("time")
        if not is_every(clause, each) and not each.unit.endswith("of")
    ]
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
    turned = len(times) if kind == "turn" and len(times) > 1 else 1
    if kind == "turn" and every and times:
        turned = max(1, min(24, round(times[0].value / every[0].value)))
    step = _made(draft, clause, kind, minutes=minutes, by_hand=by_hand, turned=turned)
    after = tuple(round(each.value, 2) for each in times)
    if 1 < turned == len(after) and all(a < b for a, b in pairwise(after)):
        step = replace(step, turns_min=after)
    if len(times) > 1 and kind != "turn" and _more(clause):
        step = replace(step, may_stretch_minutes=min(times[-1].value, float(MOST_MINUTES)))
    last = draft.steps[-1] if draft.steps else None
    if last and last.kind == kind in _GOES_ON and last.key in draft.taken and not taken:
        title = f"{last.title}; {step.title[:1].lower()}{step.title[1:]}"[:_TITLE]
        step = replace(step, key=last.key, title=title)
        draft.steps.pop()
        draft.taken.discard(last.key)
    draft.steps.append(step)
    if taken:
        draft.taken.add(step.key)
    _wants(draft, number, clause, step)
    return _echo(step, draft.wanted.get(step.key, (0, ""))[1], taken=taken)


def _in_order(clause: Clause, kind: StepKind | None) -> list[Clause]:
    """A clause that says several steps in one: rennet at a warmth and how long it is left;
    loads one after another."""
    loads = [
        each
        for each in clause.every("mass")
        if not _EACH_OF.search(clause.text[: each.begins - clause.begins])
    ]
    times = clause.every("time")
    if kind == "turn" and loads and times:
        rest = tuple(each for each in clause.those if each not in (*loads, *times))
        pressed = replace(clause, kind="press", those=(*loads, *times))
        return [replace(clause, those=rest), pressed]
    water = _WATER_IN.search(clause.text) if kind == "take whey off" else None
    if water:
        cut = clause.begins + water.start()
        mine = tuple(each for each in clause.those if each.begins < cut)
        rest = tuple(each for each in clause.those if each.begins >= cut)
        poured = replace(clause, kind="add water", text=water[0], begins=cut, those=rest)
        return [replace(clause, text=clause.text[: water.start()], those=mine), poured]
    if kind == "press" and len(loads) > 1:
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
    if kind == "press" and not loads and len(times) > 1 and not _more(clause):
        first = replace(clause, those=tuple(each for each in clause.those if each not in times[1:]))
        return [first, *(_only(clause, "press", "press", (each,)) for each in times[1:])]
    if (
        not stirred(clause)
        or clause.kind not in (None, "add")
        or (clause.kind == "add" and not times)
    ):
        return [clause]
    warm = tuple(each for each in clause.those if each.what in ("warm", "rise"))
    added = tuple(each for each in clause.those if each.what not in ("warm", "rise", "time"))
    parts = [replace(clause, kind="add", text=_blank(clause, [*times, *warm]), those=added)]
    if warm and clause.kind is None:
        parts.insert(0, _only(clause, "warm", "warm to", warm))
    long = tuple(each for each in times if each.value > _STIRRED_MIN)
    if long:
        says_more = SIGN.search(clause.text) or _SET_WORDS.search(clause.text)
        whole = replace(clause, kind="wait", things=(), those=long)
        parts.append(whole if says_more else _only(clause, "wait", "leave it", long))
    return parts if len(parts) > 1 else [clause]


def kind_in(draft: WrittenDraft, clause: Clause) -> StepKind | None:
    """What is done in a clause, by its verb, its quantities and what was done before."""
    kind: StepKind | None = clause.kind
    is_cut = any(step.kind == "cut" for step in draft.steps)
    last = draft.last_kind
    if kind is None and clause.first("mass") and last in ("press", "turn") and clause.first("time"):
        kind = "press"
    elif kind is None and clause.first("warm") and not clause.first("time"):
        kind = "warm"
    elif kind is None and (clause.first("rise") or clause.first("warm")):
        kind = "heat" if is_cut else "warm"
    elif kind is None and stirred(clause) and not clause.first("time"):
        kind = "add"
    if clause.first("mass") and clause.first("time") and re.search(r"\bpress", clause.text, re.I):
        kind = "press"
    if kind == "salt" and clause.first("percent", "time") and _IN_BRINE.search(clause.text):
        kind = "brine"
    if kind == "warm" and is_cut:
        kind = "heat"
    if kind == "add water" and stirred(clause):
        kind = "add"
    if kind == "wait" and last == "cut":
        kind = "heal"
    if kind == "wait" and re.search(r"\bfloc", clause.text, re.I) and clause.first("times"):
        kind = "test"
    return kind


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
    if kind == "test" or clause.first("times"):
        clock, kind = "flocculation", "test"
        multiple = clause.first("times")
        if multiple:
            draft.head["cut_multiplier"] = multiple.value
    elif kind == "wait" and rennet_in and _SET_WORDS.search(clause.text):
        clock = "cut"
    title = _AT_CLOCK.sub("", re.sub(r"(?:\s*\|\s*)+", ", ", clause.text).strip(" ,"))
    title = " ".join(title.split()).strip(" ,:;.-–—")
    asks: Any = (
        ("flocks",) if kind == "test" else ("weight",) if "weigh" in clause.text.lower() else ()
    )
    size, load, brine = clause.first("length"), clause.first("mass"), clause.first("percent")
    before_load = clause.text[: load.begins - clause.begins] if load else ""
    return RecipeStep(
        key=free_key(kind.replace(" ", "-"), {each.key for each in draft.steps}),
        kind=kind,
        title=(title[:1].upper() + title[1:])[:_TITLE],
        minutes=round(minutes, 2),
        hands_on_minutes=round(min(minutes, hands), 2),
        words=title[_TITLE:],
        clock=clock,
        celsius=band(reached(clause, kind), 1.0, -30, 120),
        ph=band(clause.first("ph"), 0.05, 0, 14),
        sign=words[:1].upper() + words[1:] if words else "",
        cut_mm=min(150.0, max(1.0, size.value)) if size and kind == "cut" else None,
        load_kg=min(1000.0, load.value)
        if load and not _EACH_OF.search(before_load) and kind == "press"
        else None,
        brine_pct=brine.value if kind == "brine" and brine and 1 <= brine.value <= 27 else None,
        share=_share(draft, clause) if kind == "take whey off" else None,
        asks=asks,
        times=turned,
    )


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
    named = [kind for kind, _ in clause.things if kind in STIRRED]
    meant = _ADDS.search(clause.text)
    if step.kind == "add" and not clause.things and meant and not _NOTHING_NEW.fullmatch(meant[1]):
        words = f"“{meant[1].strip()}” is not among what goes in: write its amount on a line"
        draft.missed.append((number, f"{words} of its own."))
    if step.kind == "salt":
        named = ["salt"]
    if step.kind == "add" and not named and re.search(r"\bacid\b", clause.text, re.I):
        named = [each.product.kind for each in draft.ingredients if each.product.kind == "acid"]
    if step.kind in ("add", "salt") and named:
        draft.wanted[step.key] = (number, " and ".join(named))


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
    if not draft.steps:
        return ""
    last = draft.steps[-1]
    time, sour, words = clause.first("time"), clause.first("ph"), clause.text.strip(" ,:;.-–—")
    more = f"{last.words} {words}".strip()
    if time and re.search(r"\bmore\b|\blonger\b", clause.text, re.I):
        last = replace(last, may_stretch_minutes=min(time.value, float(MOST_MINUTES)), words=more)
    elif last.kind == "brine" and (time or clause.first("percent", "warm")):
        whole = [t for t in clause.every("time") if t.per is None] or ([time] if time else [])
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
    last = draft.steps[-1]
    return last.minutes == USUAL_MINUTES[last.kind][0]


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
    title, adds = draft.steps[at].title.casefold(), []
    for kind in want.split(" and "):
        mine = [e for e in draft.ingredients if e.product.kind == kind and e.key not in before]
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
