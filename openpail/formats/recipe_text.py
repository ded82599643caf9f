"""A recipe in plain lines, as people write them down, read line by line.

Nothing is guessed silently: each line comes back with what was understood of it, or with why it
was not; what was taken for granted is told.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from typing import Any

from openpail.craft.doses.spoons import in_its_unit
from openpail.craft.errors import CraftError, Unknown
from openpail.craft.house import House
from openpail.craft.recipe.recipe import (
    Basis,
    Care,
    Recipe,
    RecipeStep,
    ReferencePart,
    Stage,
)
from openpail.craft.units import System, parse_amount, parse_number, so_many
from openpail.formats.line_parts import (
    NUM,
    PERCENT,
    Clauses,
    product_of,
)
from openpail.formats.recipe_draft import Draft, put_in_by_name, whole
from openpail.formats.recipe_labels import days_of, labelled
from openpail.formats.recipe_words import (
    BREED_WORDS,
    TREATMENT_WORDS,
    USUAL_MINUTES,
    free_key,
    kind_of_step,
    kind_of_thing,
)
from openpail.formats.written.asked import OpenQuestion
from openpail.formats.written.marks import TextMark

MOST_LINES = 600
MOST_SIGNS = 600
_BULLET = re.compile(r"^(?:[-*•]\s+|\d+[.)]\s+)")
_CARE = re.compile(
    r"every (?:(\d+) )?days?(?: from day (\d+))?(?:, (daily|weekly|once))?\s*:\s*(.+)$", re.I
)
_ONCE = re.compile(r"(once)(?: from|,? on) day (\d+)(, once)?\s*:\s*(.+)$", re.I)
_STAGE = re.compile(
    rf"(?:ripen|age|keep|mature|dry)?\s*(?:it )?(?:for )?((?:{NUM})\s*(?:days?|weeks?|months?))\b"
    r"(.*)$",
    re.I,
)
TOO_LONG = f"No recipe is longer than {MOST_LINES} lines: this one was not read."
NOT_KNOWN = "No word of this line is known here. Begin it with an amount or a verb of the dairy."


_EVERY = re.compile(rf"\b(?:every|each)\s+(?:({NUM})\s+)?(days?|hours?|hrs?|h)\b", re.I)


def _long(minutes: float) -> str:
    """A length as it is said: 45 min, 12 h, 2 days."""
    if minutes < 120:
        return f"{minutes:g} min"
    return f"{minutes / 60:.3g} h" if minutes < 2880 else so_many(round(minutes / 1440), "day")


@dataclass(frozen=True, slots=True, kw_only=True)
class WrittenLine:
    """A line as written, what was understood of it, or why nothing was; of a line as people write
    it also its marks, and the places of what was not used."""

    number: int
    text: str
    understood: str = ""
    why: str = ""
    marks: tuple[TextMark, ...] = ()
    unused: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class UnderstoodText:
    """What a text made: a recipe, perhaps with gaps; each line; what was taken for granted, in
    words, and which places of the recipe it is, like `steps/stir` or `ingredients/rennet`; what is
    asked of its maker."""

    recipe: Recipe
    lines: tuple[WrittenLine, ...]
    granted: tuple[str, ...]
    questions: tuple[OpenQuestion, ...] = ()
    usual: tuple[str, ...] = ()


def read_lines(text: str, house: House, system: System = "metric") -> UnderstoodText:
    """Read a plainly written recipe.

    Parameters: text, a thing a line; house, for what a spoon weighs and the usual cut; system,
    what a bare gallon or spoon means.
    Returns: the recipe so far; it may lack what the text lacks.
    Raises nothing: a line that cannot be read is told.
    """
    draft = Draft(house=house, system=system)
    lines = []
    for number, raw in enumerate(text.splitlines(), 1):
        if raw.strip() and number <= MOST_LINES:
            lines.append(_take(draft, number, raw[:MOST_SIGNS]))
        elif raw.strip():
            lines.append(WrittenLine(number=number, text=raw.strip()[:MOST_SIGNS], why=TOO_LONG))
    recipe, granted = whole(draft, put_in_by_name)
    missed = dict(draft.missed)
    return UnderstoodText(
        recipe=recipe,
        lines=tuple(
            replace(line, understood="", why=missed[line.number]) if line.number in missed else line
            for line in lines
        ),
        granted=granted,
        usual=tuple(draft.usual),
    )


def _take(draft: Draft, number: int, raw: str) -> WrittenLine:
    """Read one line."""
    text = raw.strip()
    plain = re.sub(r"^(eat) (?:it )?within (?=\d)", "eat within: ", text, flags=re.I)
    try:
        understood = _read(draft, number, raw, plain)
    except CraftError as why:
        return WrittenLine(number=number, text=text, why=why.words)
    if understood:
        return WrittenLine(number=number, text=text, understood=understood)
    return WrittenLine(number=number, text=text, why=NOT_KNOWN)


def _read(draft: Draft, number: int, raw: str, text: str) -> str:
    label = labelled(draft, text)
    if label:
        return label
    if not draft.head and not draft.begun and not re.search(r"\d", text):
        draft.head["name"] = text[:80]
        return "its name"
    if raw[0].isspace() and draft.steps and not draft.stages and not _BULLET.match(text):
        last = draft.steps[-1]
        draft.steps[-1] = replace(last, words=f"{last.words} {text}".strip())
        return f"how: {last.title}"
    plain = _BULLET.sub("", text)
    care = _CARE.match(plain) or _ONCE.match(plain)
    if care and draft.stages:
        return _care(draft, care)
    stage = _STAGE.match(plain)
    if stage and not (raw[0].isspace() and draft.stages):
        return _stage(draft, stage[1], stage[2])
    if re.match(rf"(?:{NUM})", plain):
        return _goes_in(draft, plain)
    kind = kind_of_step(plain)
    if kind:
        return _step(draft, number, plain, kind)
    return ""


def _goes_in(draft: Draft, text: str) -> str:
    text, _, words = text.partition(": ")
    percent = PERCENT.match(text)
    if percent:
        return _percent(draft, percent, words)
    said, rest = _amount(text, draft.system)
    if re.search(r"\b(?:milk|whey)\b", rest, re.I) and kind_of_thing(rest) is None:
        return _milk(draft, said, rest)
    thing = kind_of_thing(rest)
    if thing is None:
        raise Unknown(f"“{rest}” is nothing we know to put into milk.")
    product = product_of(rest, thing[0], thing[1])
    amount = in_its_unit(said, product, draft.house, draft.system)
    draft.add(product, amount, product.unit, "batch", words)
    return f"{amount:.3g} {product.unit} of {product.name}"


def _amount(text: str, system: System) -> tuple[str, str]:
    """The amount that a line begins with, as long as it can be read, and the rest."""
    tokens = text.split()
    for count in range(min(5, len(tokens)), 0, -1):
        said = " ".join(tokens[:count])
        for dimension in ("volume", "mass"):
            try:
                parse_amount(said, dimension, system)
            except Unknown:
                continue
            return said, " ".join(tokens[count:]).removeprefix("of ")
    for count in (2, 1):
        said = " ".join(tokens[:count])
        try:
            parse_number(said)
        except CraftError:
            continue
        return said, re.sub(r"^pieces? (?:of )?", "", " ".join(tokens[count:]))
    raise Unknown("The amount is not understood. Write it like 2 L, 1/4 tsp or 5 mL.")


def _milk(draft: Draft, said: str, rest: str) -> str:
    litres = parse_amount(said, "volume", draft.system).base
    breed = next(b for pattern, b in BREED_WORDS if re.search(rf"\b(?:{pattern})\b", rest, re.I))
    found = [t for pattern, t in TREATMENT_WORDS if re.search(rf"\b(?:{pattern})\b", rest, re.I)]
    part = ReferencePart(
        breed=breed,
        treatment=found[0] if found else "raw",
        volume_l=litres,
        stream="whey" if "whey" in rest.lower() else "milk",
        homogenised="homogenised" in rest.lower(),
    )
    draft.reference.append(part)
    heat = part.treatment.replace("_", "-") + ("" if found else ", as nothing else is said")
    return f"{litres:.3g} L of {breed.replace('_', ' ')} {part.stream}, {heat}"


def _percent(draft: Draft, match: re.Match[str], words: str) -> str:
    of = (match[2] or ("milk" if "milk" in match[3] else "curd")).lower()
    name = re.sub(r"\s*(?:of|in|on) the (?:curd|milk|cheese|rind)\b", "", match[3]).strip()
    if re.search(r"\bon the (?:cheese|rind)\b", match[3]):
        of = "cheese"
    thing = kind_of_thing(name)
    if thing is None:
        raise Unknown(f"“{name}” is nothing we know to put into milk.")
    amount = parse_number(match[1])
    basis: Basis = f"percent_of_{of}"  # type: ignore[assignment]
    draft.add(product_of(name, thing[0], thing[1]), amount, "%", basis, words)
    return f"{amount:g} % of the {of}’s weight of {name}"


def _step(draft: Draft, number: int, text: str, kind: Any) -> str:
    head, _, title = text.partition(": ")
    if not title or not re.search(r"\d", head):
        head, title = text, ""
    again = _EVERY.search(head)
    if again:
        return _again(draft, kind, again)
    found = Clauses(head)
    rennet_in = any("rennet" in want for _, want in draft.wanted.values())
    if kind == "warm" and any(step.kind == "cut" for step in draft.steps):
        kind = "heat"
    if kind == "wait" and draft.steps and draft.steps[-1].kind == "cut":
        kind = "heal"
    sign = re.search(r"\b(?:until|till) (.+)$", head, re.I)
    usual, by_hand = USUAL_MINUTES[kind]
    minutes = usual if found.minutes is None else found.minutes
    hands = minutes if by_hand == usual else by_hand
    clock, asks = "fixed", ("weight",) if "weigh" in head.lower() else ()
    if kind == "test" or "by the flocks" in head:
        kind, clock, asks = "test", "flocculation", ("flocks",)
    elif kind == "wait" and rennet_in and re.search(r"\bset|break|by the cut", head, re.I):
        clock = "cut"
    step = RecipeStep(
        key=free_key(kind.replace(" ", "-"), {each.key for each in draft.steps}),
        kind=kind,
        title=(title or head[:1].upper() + head[1:])[:120],
        minutes=minutes,
        hands_on_minutes=min(minutes, hands if found.hands is None else found.hands),
        clock=clock,  # type: ignore[arg-type]
        celsius=found.celsius,
        ph=found.ph,
        sign=sign[1][:1].upper() + sign[1][1:] if sign else "",
        cut_mm=found.cut_mm if kind == "cut" else None,
        load_kg=found.load_kg if kind == "press" else None,
        may_stretch_minutes=found.longer,
        asks=asks,  # type: ignore[arg-type]
    )
    draft.steps.append(step)
    adds = re.search(r"(?:^|\b)(?:adds?|sprinkle|stir in|mix in|pour in)\s+(.+)$", head, re.I)
    if kind == "salt" and not adds:
        draft.wanted[step.key] = (number, "salt")
    elif adds and kind != "add water":
        draft.wanted[step.key] = (number, adds[1].lower())
    taken = "" if found.minutes is not None else ", as nothing else is said"
    said = [
        found.celsius and f"{found.celsius.target:.3g} °C",
        found.ph and f"pH {found.ph.target:g}",
        step.cut_mm and f"{step.cut_mm:.3g} mm",
        step.load_kg and f"{step.load_kg:.3g} kg on it",
        step.sign and f"until: {step.sign}",
    ]
    return ", ".join([f"{kind}, {_long(minutes)}{taken}", *(each for each in said if each)])


def _again(draft: Draft, kind: str, again: re.Match[str]) -> str:
    """What is done every so often is a care where it ripens, and no step of the make."""
    if not draft.stages or again[2].startswith("h"):
        raise Unknown(
            "What is done again and again belongs behind a place to ripen, like every 2 days: "
            "turn it. In the make, write how long it goes on in all."
        )
    every, stage = max(1, round(parse_number(again[1] or "1"))), draft.stages[-1]
    words = {"turn": "turn it", "salt": "salt it"}.get(kind, kind)
    key = free_key("care", {each.key for each in stage.cares})
    care = Care(key=key, words=words, every_days=every, from_day=0, matters="daily")
    draft.stages[-1] = replace(stage, cares=(*stage.cares, care))
    return f"a care: {words}, every {so_many(every, 'day')}"


def _stage(draft: Draft, length: str, rest: str) -> str:
    found = Clauses(rest)
    if found.celsius is None:
        raise Unknown("How warm? Write it like ripen 60 days at 12 C, 85 %, in the cave.")
    days = days_of(length)
    place, _, ends = found.left.partition("until ")
    place = re.sub(r"^(?:(?:at|in|on|the)\b|[\s,:])+", "", place).rstrip(" ,:")[:80] or "cave"
    key = free_key("stage", {each.key for each in draft.stages})
    draft.stages.append(
        Stage(
            key=key,
            place=place,
            celsius=found.celsius,
            days=days,
            cares=(),
            ends_when=ends.strip() or "asked for",
            humidity_pct=found.humidity,
        )
    )
    damp = f", {found.humidity.target:g} % humid" if found.humidity else ""
    return f"ripening, {so_many(days, 'day')} at {found.celsius.target:.3g} °C{damp}, {place}"


def _care(draft: Draft, match: re.Match[str]) -> str:
    stage = draft.stages[-1]
    once = match[1] == "once"
    care = Care(
        key=free_key("care", {each.key for each in stage.cares}),
        words=match[4].strip(),
        every_days=1 if once else max(1, days_of(match[1] or "1")),
        from_day=days_of(match[2] or "0"),
        matters="once" if once or match[3] == "once" else match[3] or "daily",  # type: ignore[arg-type]
    )
    draft.stages[-1] = replace(stage, cares=(*stage.cares, care))
    return f"a care: {care.words}"
