"""How it ripens, as people write it."""

from __future__ import annotations

import re
from dataclasses import replace

from openpail.craft.errors import OutOfRange
from openpail.craft.recipe.recipe import (
    Band,
    Stage,
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
from openpail.formats.written.clauses import Clause
from openpail.formats.written.draft import WrittenDraft
from openpail.formats.written.cares import cared
from openpail.formats.written.lexicon import CARES, PLACES
from openpail.formats.written.steps import is_every, kind_in

_EATEN = re.compile(
    r"\b(?:keeps?\b(?! (?:it|at|warm|stirr|in|the))|eat\b|eaten|best (?:within|before|after|"
    r"from)|use within|good for|ready (?:from|after|at|in))",
    re.I,
)
_LEAST_STAGE_MIN, DAY, _STIRRED_MIN, _RAMP_C = 3 * 1440, 1440, 10, 4.0
_STRENGTH_IMCU, _STAGE_DAYS = 200, 30


def eaten(draft: WrittenDraft, clause: Clause) -> str:
    """How long it keeps, or from when it is eaten."""
    eaten, time = _EATEN.search(clause.text), None
    if eaten:
        time = next(
            (t for t in clause.every("time") if t.begins - clause.begins >= eaten.start()), None
        )
    if not eaten or time is None or time.value < DAY:
        return ""
    days = round(time.value / DAY)
    before = clause.text[eaten.start() : time.begins - clause.begins]
    is_from = re.search(r"\b(?:from|after)\b", before, re.I) or time.unit.endswith(" of")
    if is_from and draft.stages:
        rest = sum(stage.days for stage in draft.stages[:-1])
        draft.stages[-1] = replace(draft.stages[-1], days=max(1, days - rest))
        head = (
            ripens(draft, replace(clause, text=clause.text[: eaten.start()]))
            if clause.text[: eaten.start()].strip(" ,")
            else ""
        )
        return f"{head}; " * bool(head) + f"eaten from day {days}"
    if is_from:
        echo = ripens(
            draft,
            replace(
                clause,
                text=clause.text[: eaten.start()],
                those=tuple(t for t in clause.those if t is not time),
            ),
        )
        if draft.stages:
            draft.stages[-1] = replace(draft.stages[-1], days=max(1, days))
            return f"{echo}; eaten from day {days}"
        return ""
    draft.head["eat_by_days"] = min(5000, days)
    return f"to be eaten within {so_many(days, 'day')}"


def ripens(draft: WrittenDraft, clause: Clause) -> str:
    """A place to ripen, or how long in the one before."""
    if clause.kind in ("press", "drain", "hang", "heat", "warm"):
        return ""
    tended = next(
        (m for p, _ in CARES if (m := re.search(rf"\b(?:{p})\b", clause.text, re.I))), None
    )
    before_cares = clause.text[: tended.start()] if tended and tended.start() else clause.text
    place = next(
        (
            (m, c)
            for pattern, c in PLACES
            if (m := re.search(rf"(?:\b|(?=%))(?:{pattern})\b", before_cares, re.I))
        ),
        None,
    )
    ageing = bool(
        re.search(
            r"\b(?:age|aged|ageing|aging|ripen\w*|mature\w*|store\w*|affin\w+)\b", clause.text, re.I
        )
    )
    times = [
        t for t in clause.every("time") if not is_every(clause, t) and not t.unit.endswith("of")
    ]
    time = next((t for t in times if t.value >= DAY), None)
    warm, damp = clause.first("warm"), clause.first("percent")
    made = any(
        step.kind in ("cut", "mould", "press", "drain", "hang", "brine") for step in draft.steps
    )
    is_long = time is not None and time.value >= _LEAST_STAGE_MIN
    is_brined = clause.kind == "brine" or kind_in(draft, clause) == "brine"
    if is_brined and not is_long and not (place and "brine" not in place[0][0].lower()):
        return ""
    if not (made or (place and is_long)) or (clause.kind == "wait" and not ageing and not place):
        return ""
    if draft.stages and time and not warm and not place and clause.kind is None:
        stage, days = draft.stages[-1], round(max(time.values) / DAY)
        damper = band(damp, 5.0, 0, 100) if damp and damp.value >= 40 else None
        draft.stages[-1] = replace(stage, days=days, humidity_pct=damper or stage.humidity_pct)
        dampness = f", {damper.target:g} % humid" if damper else ""
        return f"it ripens {so_many(days, 'day')}{dampness}"
    if not ((place and (warm or time)) or (ageing and (warm or is_long)) or (warm and is_long)):
        return ""
    celsius = band(warm, 1.0, -30, 60)
    if celsius is None:
        at_c = place[1] if place else 12.0
        celsius = Band(at_c, at_c - 2, at_c + 2)
        draft.granted.append(f"{at_c:g} °C where it ripens, as nothing else is said.")
    days = round(max(time.values) / DAY) if time else _STAGE_DAYS
    name = place[0][0].lower() if place else "cave"
    key = free_key("stage", {each.key for each in draft.stages})
    humid = band(damp, 5.0, 0, 100) if damp and damp.value >= 40 else None
    brine = (
        damp.value
        if damp and 1 <= damp.value <= 27 and re.search(r"\bbrine", clause.text, re.I)
        else None
    )
    if brine:
        name = "tub of brine"
    if days > MOST_DAYS:
        raise OutOfRange(f"{days} days is longer than anybody waits.")
    sign = SIGN.search(clause.text)
    ends = (sign["a"] or "").strip() if sign else ""
    draft.stages.append(
        Stage(
            key=key,
            place=name,
            celsius=celsius,
            days=days,
            cares=(),
            ends_when=ends or "asked for",
            humidity_pct=humid,
            brine_pct=brine,
        )
    )
    moist = f", {humid.target:g} % humid" if humid else ""
    echo = f"ripening, {so_many(days, 'day')} at {celsius.target:.3g} °C{moist}, {name}"
    care = cared(draft, clause, begun=True)
    waited, draft.pending = draft.pending, []
    for _, each in waited:
        cared(draft, each)
    return f"{echo}; {care}" if care else echo
