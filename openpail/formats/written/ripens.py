"""How it ripens, as people write it."""

from __future__ import annotations

import re
from dataclasses import replace

from openpail.craft.errors import OutOfRange
from openpail.craft.recipe.recipe import (
    Band,
    Stage,
    StepKind,
)
from openpail.craft.units import so_many
from openpail.formats.recipe_labels import MOST_DAYS
from openpail.formats.recipe_words import (
    free_key,
)
from openpail.formats.written.amounts import (
    SIGN,
    band,
)
from openpail.formats.written.cares import cared
from openpail.formats.written.clauses import Clause
from openpail.formats.written.draft import WrittenDraft
from openpail.formats.written.lexicon import CARES, PLACES
from openpail.formats.written.quantities import Quantity
from openpail.formats.written.steps import blank, has_curd, kind_in, lengths

_EATEN = re.compile(
    r"\b(?:keeps?\b(?! (?:it|at|warm|stirr|in|the))|eats?\b|eaten|best (?:within|before|after|"
    r"between|"
    r"from)|(?:used?|sell|sold) (?:it )?(?:up )?(?:with)?in\b|good for|ready (?:from|after|at|"
    r"in)|ripe "
    r"(?:from|after|at|in)|(?:young|mature|good|sold|release\w*) (?:from|after|at))",
    re.I,
)
_LEAST_STAGE_MIN, DAY = 3 * 1440, 1440
_KEPT = re.compile(r"\W*(?:then |now |and )*(?:keep|store|stow)\w*\b", re.I)
_FROM = re.compile(r"\b(?:from|after|ready|ripe)\b", re.I)
_CAVE_PCT, _LEAST_DAMP, _MOST_BRINE = 60.0, 40.0, 27.0
_AGEING = re.compile(r"\b(?:age|aged|ageing|aging|ripen\w*|mature\w*|store\w*|affin\w+)\b", re.I)
_MADE: frozenset[StepKind] = frozenset({"cut", "mould", "press", "drain", "hang", "brine"})
_IT_IS = re.compile(r"\b(?:it|they|this|which|the cheese|one|is|are|will be|and)\b", re.I)
_ONLY_LASTS = re.compile(
    r"(?:\W|\b(?:and|then|for|about|max|maximum|until|up to|at least|in all|all told|total|"
    r"another|it|"
    r"stays?|there|ripens?|altogether|some|rh|r\.h|humid\w*|relative)\b)*",
    re.I,
)
_STAGE_DAYS, _DRIES_MIN = 30, 5 * 1440


def eaten(draft: WrittenDraft, clause: Clause) -> str:
    """How long it keeps, and from when it is eaten.

    Parameters: draft; clause. Returns: what was read; "" where it says neither.
    """
    echoes: list[str] = []
    found = list(_EATEN.finditer(clause.text))
    for match, after in zip(found, [*found[1:], None], strict=False):
        ends = after.start() if after else len(clause.text)
        times = [
            each
            for each in clause.every("time")
            if match.start() <= each.begins - clause.begins < ends
        ]
        if not times or times[0].value < DAY:
            continue
        before = clause.text[match.start() : times[0].begins - clause.begins]
        if re.search(r"\bbetween\b", before, re.I) and len(times) > 1:
            echoes += [_from(draft, clause, match, times[0]), _within(draft, times[1])]
        elif _FROM.search(before) or times[0].unit.endswith(" of"):
            echoes.append(_from(draft, clause, match, times[0]))
        else:
            echoes.append(_within(draft, times[0]))
    return "; ".join(each for each in echoes if each)


def _within(draft: WrittenDraft, time: Quantity) -> str:
    days = round(time.value / DAY)
    draft.head["eat_by_days"] = min(5000, days)
    return f"to be eaten within {so_many(days, 'day')}"


def _from(draft: WrittenDraft, clause: Clause, match: re.Match[str], time: Quantity) -> str:
    """From when it is eaten: so long the last place keeps it; what stands before may name that."""
    days = round(time.value / DAY)
    before = clause.text[: match.start()]
    rest = tuple(each for each in clause.those if each is not time)
    named = _IT_IS.sub("", before).strip(" ,.;")
    echo = ripens(draft, replace(clause, text=before, those=rest)) if named else ""
    if not draft.stages and has_curd(draft):
        _usual_place(draft, days)
    elif draft.stages:
        so_far = sum(stage.days for stage in draft.stages[:-1])
        draft.stages[-1] = replace(draft.stages[-1], days=max(1, days - so_far))
        key = f"stages/{draft.stages[-1].key}/days"
        draft.usual[:] = [each for each in draft.usual if each != key]
    else:
        return ""
    return f"{echo}; " * bool(echo) + f"eaten from day {days}"


def _place_in(text: str) -> tuple[re.Match[str], float] | None:
    """The first place that a text names, and how warm it usually is."""
    for pattern, celsius in PLACES:
        match = re.search(rf"(?:\b|(?=%))(?:{pattern})\b", text, re.I)
        if match:
            return match, celsius
    return None


def _dries(draft: WrittenDraft, clause: Clause) -> bool:
    """Whether it only dries off, a few days, before it ripens: a step of the make."""
    time = clause.first("time")
    first = re.match(r"\W*(?:and |then |now |let (?:it|them) |air[- ])*dry\b", clause.text, re.I)
    return bool(first and time and time.value <= _DRIES_MIN and not draft.stages)


def _usual_place(draft: WrittenDraft, days: int) -> None:
    """Where a cheese ripens that is ready in so many days, and nothing says where."""
    at_c = 12.0
    draft.granted.append(f"{at_c:g} °C where it ripens, as nothing else is said.")
    draft.usual += ["stages/cave/place", "stages/cave/celsius"]
    draft.stages.append(
        Stage(
            key="cave",
            place="cave",
            celsius=Band(at_c, at_c - 2, at_c + 2),
            days=max(1, days),
            cares=(),
            ends_when="asked for",
        )
    )
    waited, draft.pending = draft.pending, []
    for _, each in waited:
        cared(draft, each, begun=True)


def ripens(draft: WrittenDraft, clause: Clause) -> str:
    """A place to ripen, or how long in the one before. Parameters: draft; clause.

    Returns: what was read; "" where it is no such thing. Raises: OutOfRange.
    """
    if clause.kind in ("press", "drain", "hang", "heat", "warm") or _dries(draft, clause):
        return ""
    place = _place_of(clause)
    times = lengths(clause)
    time = next((t for t in times if t.value >= DAY), None)
    longer = _longer(draft, clause, time) if not place else ""
    if longer:
        return longer
    if times and time is None:
        return ""  # hours in a warm place are a step of the make
    if not _is_place(draft, clause, place, time):
        return ""
    return _into(draft, clause, place, time)


_Place = tuple[re.Match[str], float] | None


def _place_of(clause: Clause) -> _Place:
    """The place that a clause names; of a care with brine the brine is none."""
    tended = next(
        (m for p, _ in CARES if (m := re.search(rf"\b(?:{p})\b", clause.text, re.I))), None
    )
    before_cares = clause.text[: tended.start()] if tended and tended.start() else clause.text
    place = _place_in(before_cares)
    if place is None and clause.first("warm"):
        place = _place_in(clause.text)
        place = None if place and "brine" in place[0][0].lower() else place
    return place


def _longer(draft: WrittenDraft, clause: Clause, time: Quantity | None) -> str:
    """How long it stays where it was told to be."""
    bare = blank(clause, clause.every("percent"))
    lasts = time and _ONLY_LASTS.fullmatch(bare[: time.begins - clause.begins])
    if time is None or not draft.stages or not lasts or clause.first("warm") or clause.kind:
        return ""
    damp, stage = clause.first("percent"), draft.stages[-1]
    days = round(max(time.values) / DAY)
    damper = band(damp, 5.0, 0, 100) if damp and damp.value >= _LEAST_DAMP else None
    draft.stages[-1] = replace(stage, days=days, humidity_pct=damper or stage.humidity_pct)
    dampness = f", {damper.target:g} % humid" if damper else ""
    return f"it ripens {so_many(days, 'day')}{dampness}"


def _is_place(draft: WrittenDraft, clause: Clause, place: _Place, time: Quantity | None) -> bool:
    """Whether a clause says where it ripens, rather than a step of the make."""
    warm, damp = clause.first("warm"), clause.first("percent")
    is_long = time is not None and time.value >= _LEAST_STAGE_MIN
    ageing = bool(_AGEING.search(clause.text))
    made = any(step.kind in _MADE for step in draft.steps)
    is_brined = clause.kind == "brine" or kind_in(draft, clause) == "brine"
    if is_brined and not is_long and not (place and "brine" not in place[0][0].lower()):
        return False
    if not (made or (place and is_long)) or (clause.kind == "wait" and not ageing and not place):
        return False
    humid = bool(damp and damp.value >= _CAVE_PCT and not place and has_curd(draft))
    kept = bool(place) and (clause.kind == "hold" or bool(_KEPT.match(clause.text)))
    where = bool(place and (warm or time)) or (kept and has_curd(draft))
    return where or bool(warm and (humid or is_long)) or (ageing and bool(warm or is_long))


def _into(draft: WrittenDraft, clause: Clause, place: _Place, time: Quantity | None) -> str:
    """Another place where it ripens, with the cares that are said with it."""
    warm, damp = clause.first("warm"), clause.first("percent")
    celsius = band(warm, 1.0, -30, 60)
    if celsius is None:
        at_c = place[1] if place else 12.0
        celsius = Band(at_c, at_c - 2, at_c + 2)
        draft.granted.append(f"{at_c:g} °C where it ripens, as nothing else is said.")
    days = round(max(time.values) / DAY) if time else _STAGE_DAYS
    if days > MOST_DAYS:
        raise OutOfRange(f"{days} days is longer than anybody waits.")
    key = free_key("stage", {each.key for each in draft.stages})
    if not time:
        draft.usual.append(f"stages/{key}/days")
    humid = band(damp, 5.0, 0, 100) if damp and damp.value >= _LEAST_DAMP else None
    salty = damp and 1 <= damp.value <= _MOST_BRINE and re.search(r"\bbrine", clause.text, re.I)
    name = "tub of brine" if salty else place[0][0].lower() if place else "cave"
    sign = SIGN.search(clause.text)
    draft.stages.append(
        Stage(
            key=key,
            place=name,
            celsius=celsius,
            days=days,
            cares=(),
            ends_when=((sign["a"] or "").strip() if sign else "") or "asked for",
            humidity_pct=humid,
            brine_pct=damp.value if damp and salty else None,
        )
    )
    moist = f", {humid.target:g} % humid" if humid else ""
    echo = f"ripening, {so_many(days, 'day')} at {celsius.target:.3g} °C{moist}, {name}"
    draft.care_ends = 0
    care = cared(draft, clause, begun=True)
    waited, draft.pending = draft.pending, []
    for _, each in waited:
        cared(draft, each, begun=True)
    return f"{echo}; {care}" if care else echo
