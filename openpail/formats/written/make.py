"""A text as people write it becomes a recipe: what goes in, steps, places to ripen, cares."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from openpail.craft.errors import CraftError, Unknown
from openpail.craft.house import House
from openpail.craft.recipe.recipe import RecipeStep, StepKind
from openpail.craft.units import System
from openpail.formats.recipe_draft import whole
from openpail.formats.recipe_labels import labelled
from openpail.formats.recipe_text import (
    MOST_LINES,
    MOST_SIGNS,
    NOT_KNOWN,
    TOO_LONG,
    UnderstoodText,
    WrittenLine,
    read_lines,
)
from openpail.formats.written.amounts import (
    STIRRED,
    listed,
    milk_of,
    own_amounts,
    stirred,
    without,
)
from openpail.formats.written.asides import WHY_WORDS, is_raw
from openpail.formats.written.asked import MakersWord, OpenQuestion, in_order
from openpail.formats.written.cares import cared
from openpail.formats.written.clauses import Clause, after_bullet, begins_with_verb, clauses
from openpail.formats.written.draft import WrittenDraft
from openpail.formats.written.gaps import fill_gaps
from openpail.formats.written.goes_in import (
    HEATED_BEFORE,
    add_thing,
    heated_before,
    is_ingredient,
    milks_of,
    piece_kg,
)
from openpail.formats.written.lexicon import GOES_ON_AFTER, GOES_ON_WITH, SECTIONS
from openpail.formats.written.marks import TextMark, clock_marks, mark_of, marks_of, unused_numbers
from openpail.formats.written.quantities import Quantity
from openpail.formats.written.readings import AFTER, ChosenReading, HandedOn, as_chosen, reread
from openpail.formats.written.ripens import eaten, ripens
from openpail.formats.written.steps import (
    clocked,
    describes,
    describing,
    do_step,
    give_to_last,
    put_in_by_kind,
)
from openpail.formats.written.tables import is_head, is_rule, tables

MOST_SOURCE = 60_000
NOTHING = MakersWord()
_MEASURE = OpenQuestion(
    key="measure",
    words="",
    choices=(("US", "US measure"), ("imperial", "imperial, a fifth larger")),
    usual="US",
)
_DOTTED = re.compile(
    r"(?:^\s*|\b(?:at|by|until) )(?:[01]?\d|2[0-3])\.[0-5]\d(?=:?\s+(?!g\b|kg\b|m?l\b|%)[a-z\d])",
    re.I,
)
_LEAST_DOTTED = 3
_COUNTED = re.compile(r"^(\s*\d{1,2})\s(?=\s*[A-Z])")
# From here bare degrees of a text that writes °F can be meant so, in °C as they were read.
_BARE_FROM = {"°F": 60.0, "°C": 0.0}
_OPEN_END = re.compile(rf"\b(?:{GOES_ON_AFTER})\s*$", re.I)
_OPEN_BEGIN = re.compile(rf"\s*(?:{GOES_ON_WITH})\b")
_BEGINS_ANEW = re.compile(r"\s*(?:\d{1,2}[:.]\d{2}\b|[-*•–]\s|\d{1,2}[.)]\s)")
_STOPS = re.compile(r"[.!?:;]\s*$")
_LEAST_WRAPPED = 40
_LEAST_LISTED = 2
_HEADS = re.compile(
    r"[\W\d]*(?:the )?[A-Za-z]+(?:ing)?(?: (?:the |it|curds?|cheese|milk)\w*)?\s*:?\s*"
)
_FOR = re.compile(r"\bfor\s+(?:about\s+)?$", re.I)
# Kinds of steps whose verbs are names of things as well: salt, mould, brine, starter.
_NOUNS: frozenset[StepKind] = frozenset({"salt", "mould", "brine", "add", "dry", "wait"})
_PRINTED = re.compile(r"^## Goes in$.*^## The make$", re.M | re.S)


def understand(
    text: str, house: House, system: System, said: MakersWord = NOTHING
) -> UnderstoodText:
    """A recipe in a text: one that was printed here word for word, any other by what it says.

    Parameters: text; house; system of who wrote it; said, what its maker answered and chose.
    Returns: the recipe as far as it goes; each line with what it became and what of it was not
    used; what is asked. Raises nothing.
    """
    if _PRINTED.search(text):
        return read_lines(text, house, system)
    wrapped = list(_sentences(_numbered(_with_clocks(text.splitlines()[:MOST_LINES]))))
    said = replace(said, chosen=tuple(_carried(said.chosen, wrapped)))
    lines = [each.text for each in wrapped]
    raw = is_raw(text)
    if raw is None:  # as it is taken to be
        raw = said.answers.get("heat") not in ("thermised", "batch", "flash")
    rows = tables(lines)
    cut = _one_scale([clauses(line, system, raw, rows.get(n)) for n, line in enumerate(lines)])
    listed_lines = _listed(cut)
    named = next((n for n, line in enumerate(lines) if line.strip()), 0)
    measure = said.answers.get(_MEASURE.key, "") if system == "metric" else ""
    milk_l = sum(
        milk_of(part)
        for n, those in enumerate(cut)
        if n != named or re.search(r"\bmilk\b", lines[n])
        for each in those
        for part in listed(as_chosen(each, lines[n], said.chosen, measure)[0])
    )
    draft = WrittenDraft(
        house=house,
        system=system,
        milk_l=milk_l,
        said=said,
        is_raw=raw,
        piece_kg=piece_kg(text, system),
    )
    written: list[WrittenLine] = []
    for n, (each, those) in enumerate(zip(wrapped, cut, strict=True)):
        if n in rows:
            draft.section = rows[n].section
        elif n - 1 in rows or draft.listing:
            draft.section = ""
        draft.listing = n in listed_lines and n not in rows and not draft.section
        if draft.listing:
            draft.section = "in"
        if each.text.strip():
            line = _line(draft, each.number, each.text, those)
            written += _unwrapped(each, line, draft.echoed)
    for number, over in enumerate(text.splitlines()[MOST_LINES:], MOST_LINES + 1):
        if over.strip():
            written.append(WrittenLine(number=number, text=over.strip()[:MOST_SIGNS], why=TOO_LONG))
    fill_gaps(draft)
    recipe, granted = whole(draft, put_in_by_kind)
    missed = dict(draft.missed)
    told = tuple(_missed(line, missed.get(line.number, "")) for line in written)
    recipe = replace(recipe, source=text[:MOST_SOURCE])
    raw_lines = text.splitlines()
    told = tuple(  # as it was written, not as it was read
        replace(line, text=raw_lines[line.number - 1][: len(line.text)]) for line in told
    )
    granted = (*granted, *dict.fromkeys(draft.granted))
    return UnderstoodText(
        recipe=recipe,
        lines=told,
        granted=granted,
        questions=in_order(draft.open.values()),
        usual=(
            *dict.fromkeys(draft.usual),
            *(f"steps/{key}/minutes" for key in sorted(draft.taken)),
        ),
    )


def _listed(cut: Sequence[Sequence[Clause]]) -> set[int]:
    """The lines of a list of what goes in that has no heading: things with their amounts, neither
    warmth nor time, before the first line that begins with what is done."""
    found: set[int] = set()
    for n, those in enumerate(cut):
        first = next((each for each in those if each.aside is None), None)
        if first is None:
            continue
        if first.kind not in (None, *_NOUNS) and begins_with_verb(first):
            break
        named = any(each.things or milk_of(each) for each in those)
        told = {q.what for each in those for q in each.those if each.aside is None}
        if named and not told & {"time", "warm", "rise", "ph", "clock", "times"} and n:
            found.add(n)
    return found if len(found) >= _LEAST_LISTED else set()


def _one_scale(cut: list[list[Clause]]) -> list[list[Clause]]:
    """A text that writes °F writes its bare degrees so too, and one that writes °C."""
    warm = [each for those in cut for at in those for each in at.every("warm")]
    told = {each.unit for each in warm if not each.other}
    if len(told) != 1:
        return cut
    (scale,) = told

    def anew(each: Quantity) -> Quantity:
        is_bare = each.what == "warm" and scale in each.other
        return reread(each, scale, "") if is_bare and each.value >= _BARE_FROM[scale] else each

    return [
        [replace(at, those=tuple(anew(each) for each in at.those)) for at in those] for those in cut
    ]


def _with_clocks(lines: list[str]) -> list[str]:
    """The lines of a log whose times of day are written with a full stop, with a colon."""
    if sum(1 for line in lines if _DOTTED.match(line)) < _LEAST_DOTTED:
        return lines
    return [_DOTTED.sub(lambda at: at[0].replace(".", ":"), line) for line in lines]


def _numbered(lines: list[str]) -> list[str]:
    """The lines of a sheet that are counted without a full stop, with one."""
    counts = [(n, int(m[1])) for n, line in enumerate(lines) if (m := _COUNTED.match(line))]
    steps = {n for (n, at), (_, after) in pairwise(counts) if after == at + 1}
    steps |= {n for (_, at), (n, after) in pairwise(counts) if after == at + 1}
    if len(steps) < _LEAST_DOTTED:
        return lines
    return [_COUNTED.sub(r"\1.", line) if n in steps else line for n, line in enumerate(lines)]


@dataclass(frozen=True, slots=True)
class Wrapped:
    """A line of a text with the ones that its sentence was wrapped into: the number of the first,
    and where each begins."""

    number: int
    text: str
    begins: tuple[int, ...]


def _sentences(lines: Sequence[str]) -> Iterator[Wrapped]:
    """The lines of a text, wrapped ones joined."""
    held: Wrapped | None = None
    for number, raw in enumerate(lines, 1):
        line = raw[:MOST_SIGNS]
        if held and _goes_on(held.text, line) and len(held.text) + len(line) < MOST_SIGNS:
            begins = (*held.begins, len(held.text) + 1)
            held = Wrapped(held.number, f"{held.text} {line}", begins)
            continue
        if held:
            yield held
        held = Wrapped(number, line, (0,))
    if held:
        yield held


def _carried(
    chosen: Sequence[ChosenReading], wrapped: Sequence[Wrapped]
) -> Iterator[ChosenReading]:
    """Choices of a line that is the part of a wrapped sentence, as of the whole sentence."""
    yield from chosen
    for held in wrapped:
        for begins, ends in pairwise((*held.begins, len(held.text) + 1)):
            line = held.text[begins : ends - 1].rstrip()
            for each in chosen:
                if each.line == line and len(held.begins) > 1:
                    yield ChosenReading(held.text.rstrip(), each.begins + begins, each.reading)


def _goes_on(line: str, after: str) -> bool:
    """Whether a sentence goes on in the line after."""
    if not after.strip() or not line.strip() or "|" in line or _BEGINS_ANEW.match(after):
        return False
    if _OPEN_END.search(line) and not after.lstrip()[:1].isupper():
        return True
    return len(line) >= _LEAST_WRAPPED and bool(
        _OPEN_BEGIN.match(after) and not _STOPS.search(line)
    )


def _unwrapped(
    held: Wrapped, line: WrittenLine, echoed: Sequence[tuple[int, str]]
) -> Iterator[WrittenLine]:
    """What was read of a sentence, line by line as it was wrapped."""
    if len(held.begins) == 1:
        yield line
        return
    for number, (begins, ends) in enumerate(pairwise((*held.begins, len(held.text) + 1))):
        text = held.text[begins : ends - 1].rstrip()
        marks = tuple(
            replace(each, begins=each.begins - begins, ends=min(each.ends - begins, len(text)))
            for each in line.marks
            if begins <= each.begins < ends
        )
        unused = tuple((a - begins, b - begins) for a, b in line.unused if begins <= a < ends)
        mine = "; ".join(echo for at, echo in echoed if begins <= at < ends)
        understood = (mine or "goes on with the line before") if line.understood else ""
        yield WrittenLine(
            number=held.number + number,
            text=text,
            understood=understood,
            why=line.why,
            marks=marks,
            unused=unused,
        )


def _missed(line: WrittenLine, why: str) -> WrittenLine:
    """A line of which something was not found among what goes in."""
    if not why:
        return line
    if ";" in line.understood:
        return replace(line, understood=f"{line.understood} ({why})")
    return replace(line, understood="", why=why)


def _line(draft: WrittenDraft, number: int, raw: str, those: Sequence[Clause]) -> WrittenLine:
    """Read one line, in its clauses."""
    draft.number, text = number, raw.strip()
    draft.echoed = []
    plain = re.sub(r"^eat (?:it )?within (?=\d+ \w+\W*$)", "eat within: ", text, flags=re.I)
    try:
        said = labelled(draft, plain) or _headed(draft, raw, text, those)
    except CraftError as wrong:
        return WrittenLine(number=number, text=text, why=wrong.words)
    if said is not None:
        return WrittenLine(number=number, text=raw.rstrip(), understood=said)
    if draft.named:
        those = clauses(" " * draft.named + raw[draft.named :], draft.system, draft.is_raw)
        draft.named = 0
    echoes: list[str] = []
    whys: list[str] = []
    marks: list[TextMark] = []
    merged = _merged(those, raw)
    if len(merged) == 1 and not raw[0].isspace() and merged[0].says_nothing:
        return WrittenLine(number=number, text=raw.rstrip(), why=NOT_KNOWN)
    for each in merged:
        if each.aside:
            echo = _said_apart(draft, each)
            echoes.append(echo)
            draft.echoed.append((each.begins, echo))
            marks += [replace(mark, became=echo) for mark in marks_of(each, draft.milk_l)]
            continue
        clause, given = as_chosen(each, raw, draft.said.chosen, _measure(draft, each))
        marks += [_given(draft, one) for one in given]
        was = list(draft.steps)
        clock = clocked(draft, clause)
        try:
            echo = _clause(draft, number, clause)
        except CraftError as wrong:
            echo = ""
            whys.append(wrong.words)
        if clock:
            marks += clock_marks(clause, clock)
            draft.echoed.append((each.begins, clock))
        if echo:
            step = draft.steps[-1].key if draft.steps and draft.steps != was else ""
            echoes.append(echo)
            draft.echoed.append((each.begins, echo))
            marks += [
                replace(mark, became=echo, step=step) for mark in marks_of(clause, draft.milk_l)
            ]
        _give_next(draft, was)
        draft.for_next += [one.each for one in given if one.to == AFTER]
    unused = list(unused_numbers(raw, after_bullet(raw), marks))
    if unused:
        draft.struck.add(number)
    if not echoes:
        why = (whys or [NOT_KNOWN])[0]
        return WrittenLine(number=number, text=raw.rstrip(), why=why, unused=tuple(unused))
    told = "; ".join(echoes) + "".join(f" ({wrong})" for wrong in whys)
    return WrittenLine(
        number=number,
        text=raw.rstrip(),
        understood=told,
        why="",
        marks=tuple(marks),
        unused=tuple(unused),
    )


def _said_apart(draft: WrittenDraft, clause: Clause) -> str:
    """What orders nothing stays with the step that it stands behind, in its own words."""
    words = " ".join(clause.text.split()).strip(" ,:;.|–—-()")
    if clause.aside == "ban":
        draft.bans.append(words)
    if draft.steps and clause.aside != "taken back":
        last = draft.steps[-1]
        draft.steps[-1] = replace(last, words=_sentence_more(last.words, words))
    return f"{WHY_WORDS[clause.aside]}: {words}" if clause.aside else ""


def _sentence_more(words: str, more: str) -> str:
    """Words with a sentence more."""
    return f"{words} {more[:1].upper()}{more[1:]}.".strip()


def _unweighed(clause: Clause) -> bool:
    """Whether a clause names a thing and says only what it is thinned with."""
    return (
        bool(clause.those)
        and not own_amounts(clause)
        and {each.what for each in clause.those}
        <= {
            "volume",
            "imcu",
            "one_to",
        }
    )


def _measure(draft: WrittenDraft, clause: Clause) -> str:
    """Whose gallon is meant, where a clause leaves it open and the dairy has none."""
    open_units = [each.unit for each in clause.those if each.other == ("imperial",)]
    if not open_units or draft.system != "metric":
        return ""
    words = f"Whose {open_units[0]} is meant?"
    known = draft.open.get("measure")
    given = draft.ask(known or replace(_MEASURE, words=words))
    if not given:
        unit = open_units[0]
        told = f"{unit} is taken as US measure: an imperial one is a fifth larger."
        draft.granted.append(told[:1].upper() + told[1:])
    return given


def _given(draft: WrittenDraft, given: HandedOn) -> TextMark:
    """A quantity that belongs to the step before its own, or to the one after it."""
    told = mark_of(given.each, draft.milk_l) or TextMark(
        begins=given.each.begins, ends=given.each.ends
    )
    if given.to == AFTER:
        return replace(told, became="of the step after it")
    if not draft.steps or not give_to_last(draft, given.each):
        return replace(told, became="no step before it could use it")
    return replace(told, became=f"of {draft.steps[-1].title}", step=draft.steps[-1].key)


def _give_next(draft: WrittenDraft, was: list[RecipeStep]) -> None:
    """What was kept for the step that comes, once it is there."""
    if draft.for_next and len(draft.steps) > len(was):
        kept, draft.for_next = draft.for_next, []
        for each in kept:
            give_to_last(draft, each)


def _headed(draft: WrittenDraft, raw: str, text: str, those: Sequence[Clause]) -> str | None:
    """A line that is a heading, the name, or more about the step before; None for others."""
    if is_rule(raw) or is_head(raw):
        return "a heading"
    for pattern, section in SECTIONS:
        if re.fullmatch(rf"(?:{pattern})\s*:?", text, re.I):
            draft.section = section
            return "a heading"
    if (
        text.count("|") > 1
        and not re.search(r"\d", text)
        and not any(e.aside or e.things or e.kind for e in those)
    ):
        return "a heading"
    if "name" not in draft.head and not draft.begun:
        name, colon, rest = text.partition(":")
        is_milk = (
            any(milk_of(each) for each in those)
            and re.search(r"\bmilk\b", text, re.I)
            and not colon
        )
        has_amounts = any(each.what != "bare" for clause in those for each in clause.those)
        if colon and rest.strip() and re.search(r"\d", rest) and not re.search(r"\d", name):
            draft.head["name"] = name[:80]
            draft.named = raw.index(":") + 1
            return None
        if not is_milk and (
            not has_amounts or not any(c.things or c.kind for c in those) or " - " in text
        ):
            draft.head["name"] = re.split(r"\s+-\s+(?=\d)", text)[0][:80]
            return "its name"
        if not is_milk and not any(each.things for each in those):
            draft.head["name"] = text[:80]
            return "its name"
    return None


def _clause(draft: WrittenDraft, number: int, clause: Clause) -> str:
    if draft.section != "in":
        apart = not draft.stages and describes(draft, clause)
        for read in (eaten,) if apart else (eaten, ripens, cared):
            echo = read(draft, clause)
            if echo:
                return echo
    if not draft.steps or draft.section == "in":
        parts = listed(clause)
        if len(parts) > 1:
            return "; ".join(_goes(draft, number, part) for part in parts)
    return _goes(draft, number, clause)


def _goes(draft: WrittenDraft, number: int, clause: Clause) -> str:
    before = heated_before(draft, clause)
    if before:
        return before
    if milk_of(clause) and not draft.steps and clause.kind != "take whey off":
        milks, draft.milked_on = milks_of(draft, clause), number
        rest = tuple(each for each in clause.those if each.what not in ("volume", "ph"))
        if HEATED_BEFORE.search(clause.text):
            rest = ()
        return (
            f"{milks}; {do_step(draft, number, replace(clause, those=rest))}"
            if rest and (clause.kind or clause.first("warm"))
            else milks
        )
    if not draft.steps and clause.kind in (None, "add") and stirred(clause) and _unweighed(clause):
        draft.unweighed[clause.things[0][0]] = number
        return f"{without(clause, None)}: how much is not said here"
    if is_ingredient(draft, clause):
        echo = add_thing(draft, clause)
        rest = tuple(each for each in clause.those if each.what in ("warm", "time", "rise"))
        thinned = len(own_amounts(clause)) < len(clause.every("volume", "mass", "count"))
        steps_too = rest or (clause.kind == "add" and not thinned)
        if steps_too and draft.section != "in":
            echo += f"; {do_step(draft, number, replace(clause, those=rest))}"
        return echo
    if draft.section == "in" and clause.things:
        draft.unweighed |= {kind: number for kind, _ in clause.things if kind in STIRRED}
        return f"{without(clause, None)}: how much is not said here"
    begins = next((each.begins - clause.begins for each in clause.every("bare")), len(clause.text))
    if (
        not draft.steps
        and clause.kind is None
        and stirred(clause)
        and not clause.text[:begins].strip()
    ):
        draft.unweighed[clause.things[0][0]] = number
        raise Unknown("How much? Write its amount like 2 L, 1/4 tsp or 5 mL.")
    if (
        not draft.steps
        and clause.kind is None
        and not clause.things
        and clause.first("volume", "mass")
    ):
        words = without(clause, clause.first("volume", "mass"))
        raise Unknown(f"“{words}” is nothing we know to put into milk.")
    if clause.kind:  # the list of what goes in is over
        draft.section = ""
    return do_step(draft, number, clause)


def _heads_it(last: Clause, each: Clause, raw: str) -> bool:
    """Whether a clause is only the word that what follows stands under: Cook: …"""
    told = [q for q in last.those if q.what != "clock"]
    if each.aside or last.kind is None or told or not _HEADS.fullmatch(last.text):
        return False
    return ":" in raw[last.begins + len(last.text) - 1 : each.begins]


def _belongs(last: Clause, each: Clause) -> bool:
    """Whether a clause says the same step on: stir gently and warm to 38 over half an hour."""
    if last.aside or each.aside:
        return False
    if last.kind == "add" and each.kind == "salt" and each.text.strip(" ,.;").lower() == "salt":
        return True
    if last.things or each.things:
        return False
    if last.kind == "stir" and describing(each) and each.kind in ("heat", "warm"):
        return bool(each.first("warm"))
    if [q for q in last.those if q.what != "clock"]:
        return False
    if last.kind == each.kind == "cheddar":
        return True
    if each.kind not in ("heat", "warm"):
        return False
    return last.kind == "stir" and not last.those and bool(each.first("warm"))


def _lasting(those: Sequence[Clause]) -> list[Clause]:
    """Clauses, with how long a place keeps it where that is: keep it at 11, turning daily for 10
    days."""
    found = list(those)
    for n, (last, each) in enumerate(pairwise(those)):
        keeps = last.kind and not last.aside and last.first("warm") and not last.first("time")
        if not keeps or each.aside or not describing(each):
            continue
        long = tuple(q for q in each.those if _FOR.search(each.text[: q.begins - each.begins]))
        found[n] = replace(last, those=(*last.those, *long))
        found[n + 1] = replace(each, those=tuple(q for q in each.those if q not in long))
    return found


def _lasts(last: Clause, each: Clause) -> bool:
    """Whether a clause says only how long the one before it goes on: keep it at 11, …, for 10
    days."""
    if last.aside or each.aside or each.kind or each.things or last.first("time"):
        return False
    told = re.match(r"\s*(?:for|over|during)\b", each.text, re.I)
    return bool(told and each.first("time") and last.kind and last.first("warm"))


def _merged(those: Sequence[Clause], raw: str) -> list[Clause]:
    """Clauses of a line; a thing with its amount behind a dash is one."""
    found: list[Clause] = []
    for each in _lasting(those):
        last = found[-1] if found else None
        if last and (_belongs(last, each) or _heads_it(last, each, raw)):
            gap = " " * (each.begins - last.begins - len(last.text))
            text, kept = f"{last.text}{gap}{each.text}", (*last.those, *each.those)
            kind = each.kind if last.kind == "stir" else last.kind
            things = (*last.things, *each.things)
            found[-1] = replace(last, text=text, kind=kind, things=things, those=kept)
            continue
        held = next((n for n in reversed(range(len(found))) if not describing(found[n])), None)
        if held is not None and _lasts(found[held], each):
            found[held] = replace(found[held], those=(*found[held].those, *each.those))
            continue
        is_amount = (
            each.kind is None
            and not each.things
            and each.those
            and {q.what for q in each.those} <= {"mass", "volume", "count"}
        )
        if (
            last
            and last.aside is None
            and each.aside is None
            and (
                last.kind is None or (last.kind in _NOUNS and not begins_with_verb(last, ("salt",)))
            )
            and last.things
            and is_amount
            and not last.first("mass", "volume", "count")
        ):
            gap = " " * (each.begins - last.begins - len(last.text))
            found[-1] = replace(
                last, text=f"{last.text}{gap}{each.text}", those=(*last.those, *each.those)
            )
        else:
            found.append(each)
    return found
