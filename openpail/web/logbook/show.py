"""The logbook in words and drawings of the dairy."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from math import sqrt

from openpail.craft.make import deeds
from openpail.craft.make.deeds import Told
from openpail.craft.make.stream import SILENT
from openpail.craft.make.taught import MakeTaught
from openpail.craft.table.facts import MadeFact
from openpail.craft.table.like_this import Otherwise
from openpail.craft.units import so_long, so_much
from openpail.web.edge import here
from openpail.web.ui import show
from openpail.web.ui.curves import CurvePoint, Curves, curves
from openpail.web.vat.show import told_in_words
from openpail.work.logbook.book import LogPage, Mended

_WIDTH = 1000.0


def day_at(moment: datetime) -> str:
    """The day of a moment at the dairy, in words."""
    return show.day(here().day_of(moment))


def date_of(moment: datetime) -> str:
    """The day and time of a moment at the dairy, so that it is read in years."""
    return f"{here().local(moment):%-d %B %Y, %H:%M}"


def value(fact: MadeFact | None) -> str:
    """A fact in the dairy's own units."""
    if fact is None:
        return "–"
    if fact.value is None:
        return fact.words
    return amount(fact, fact.value)


def amount(fact: MadeFact, number: float) -> str:
    """A value of a fact's kind in the dairy's own units."""
    match fact.unit:
        case "°C":
            return show.degrees(number, 1)
        case "min":
            return so_long(number)
        case "h":
            return so_long(60 * number)
        case "kg":
            return show.mass(number)
        case "pH":
            return show.number(number, 2)
        case "%":
            return f"{show.number(number, 0 if abs(number) >= 20 else 1)} %"
        case "":
            return show.number(number, 0)
    return f"{show.number(number)} {fact.unit}"


@dataclass(frozen=True, slots=True, kw_only=True)
class ClockRow:
    """A step as it was planned and as it was: how long its two bars are, and in words."""

    title: str
    planned_width: float
    real_width: float
    began: datetime
    ended: datetime | None
    planned_min: float
    took_min: float | None
    skipped: str


def clock_rows(page: LogPage) -> list[ClockRow]:
    """The clock of a make, planned and real: a bar twice as long is a step four times as long, so
    that a minute is seen beside a night."""
    steps = page.at.day.steps
    longest = max([1.0, *(max(each.planned.minutes, each.minutes) for each in steps)])

    def width(minutes: float) -> float:
        return round(_WIDTH * sqrt(max(0.0, minutes) / longest), 1)

    return [
        ClockRow(
            title=each.planned.step.title,
            planned_width=width(each.planned.minutes),
            real_width=width(each.minutes) if each.done_at and not each.skipped else 0.0,
            began=each.begins,
            ended=each.done_at,
            planned_min=each.planned.minutes,
            took_min=each.minutes if each.done_at else None,
            skipped=each.skipped,
        )
        for each in steps
    ]


def drawn(page: LogPage) -> Curves | None:
    """The whole make drawn: the probe's line, else what was read by hand, joined."""
    at = page.at
    read = [CurvePoint(e.at, e.celsius, e.ph) for e in at.standing.readings]
    read = [each for each in read if each.celsius is not None or each.ph is not None]
    line = [CurvePoint(*each) for each in at.streamed] or read
    if not line:
        return None
    until = max(each.at for each in (*line, *read))
    silent = SILENT if at.streamed else None
    return curves(line, read, at.day.steps, since=page.make.started_at, until=until, silent=silent)


def mended_words(page: LogPage, each: Mended) -> tuple[str, str]:
    """What was first told, and what stands now, in words."""
    return _told_words(page, each.first), _told_words(page, each.now) if each.now else "taken back"


def _told_words(page: LogPage, told: Told) -> str:
    deed = told.deed
    when = show.clock(told.at)
    if isinstance(deed, deeds.ReadingTaken):
        parts = [
            show.degrees(deed.celsius, 1) if deed.celsius is not None else "",
            f"pH {show.number(deed.ph, 2)}" if deed.ph is not None else "",
            deed.note,
        ]
        return f"{when} {', '.join(each for each in parts if each)}"
    if isinstance(deed, deeds.Weighed):
        return f"{when} weighed {' + '.join(show.mass(kg) for kg in deed.pieces_kg)}"
    step = getattr(deed, "step", "")
    known = {each.planned.step.key: each.planned.step.title for each in page.at.day.steps}
    if isinstance(deed, deeds.StepDone):
        return f"{when} done: {known.get(step, step)}"
    words = told_in_words(page.at, deed)
    return f"{when} {words}"


def taught_words(taught: MakeTaught) -> list[str]:
    """What a make taught, in words."""
    found = []
    if taught.flocks:
        seen, due = taught.flocks.observed_min, taught.flocks.expected_min
        by = show.against(seen, due)
        found.append(
            f"Of its rennet: first flocks after {show.number(seen, 1)} min, where its label says "
            f"{show.number(due, 1)} in milk as it was read" + (f" ({by})." if by else ".")
        )
    if taught.nothing:
        found.append(f"Of its rennet nothing: {taught.nothing}.")
    for each in taught.warmings.values():
        found.append(
            f"Of its vat: {show.mass(each.mass_kg)} from {show.degrees(each.from_c, 1)} to "
            f"{show.degrees(each.to_c, 1)} in {so_long(each.minutes)}."
        )
    for over in taught.overshoots:
        rise = f"{over.over_c:.1f} °C more"
        found.append(f"Of its vat: it went on by {rise} after the heat was off.")
    if taught.acid:
        share = 100 * taught.acid.used / taught.acid.expected
        found.append(f"Of its acid: {show.number(share, 0)} % of what was expected went in.")
    if taught.yielded:
        share = 100 * taught.yielded.seen / taught.yielded.expected
        found.append(f"Of its yield: {show.number(share, 0)} % of what its milk brings came of it.")
    found += [
        f"Of its culture: {show.number(100 * soured.seen, 0)} % as lively as fresh."
        for soured in taught.soured
    ]
    return found


def otherwise_words(each: Otherwise) -> tuple[str, str]:
    """What a make did otherwise, as written and as it was."""
    return _part_words(each, each.written), _part_words(each, each.was)


def _part_words(each: Otherwise, value: float) -> str:
    match each.part:
        case "left out":
            return "done" if value else "left out"
        case "amount":
            return so_much(value, each.unit)
        case "ph":
            return f"pH {value:.2f}"
        case "share":
            return f"{show.percent(value)} of the milk’s whey off"
    return show.part(each.part, value)


def line_of(page: LogPage) -> list[tuple[float, float]]:
    """The warmth of a make, minutes from its start and °C: the probe's, else as it was read."""
    at = page.at
    read = [(e.at, e.celsius) for e in at.standing.readings if e.celsius is not None]
    line = [(each.at, each.celsius) for each in at.streamed] or read
    return [((when - page.make.started_at).total_seconds() / 60, c) for when, c in line]
