"""Planned makes in words and drawn: what stands against one, what is due, the ribbon of a day."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta

from flask import url_for

from openpail.craft.clock.ready import Ready
from openpail.craft.clock.spans import HANDS
from openpail.web.edge import here
from openpail.web.ui import draw
from openpail.web.ui.show import clock, lot_amount, volume
from openpail.work.plan.clock import Against
from openpail.work.plan.days import Lane
from openpail.work.plan.planned import Due


def against_words(each: Against) -> str:
    """What stands against a make begun so, in words."""
    if each.lacks:
        return each.lacks
    if each.step:
        more = f", and {each.more} more" if each.more else ""
        return f"hands are wanted {clock(each.at)}, in quiet hours: “{each.step}”{more}"
    what = "hands are wanted" if each.thing == HANDS else f"the {each.thing} is wanted"
    return f"{what} {clock(each.at)} by {each.by} too"


def due_words(due: Due) -> str:
    """What is to be made ready, with how much of it."""
    return ready_words(due.what)


def ready_words(what: Ready) -> str:
    """One thing to have ready, with how much of it."""
    if what.litres is None:
        return what.words
    amount = volume(what.litres) if what.litres >= 1 else lot_amount(1000 * what.litres, "mL")
    return f"{what.words} {amount}"


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawnLane:
    """A make on a ribbon: its name, its page, whether it is planned, its blocks."""

    name: str
    href: str
    planned: bool
    blocks: list[draw.Block]


@dataclass(frozen=True, slots=True, kw_only=True)
class Ribbon:
    """A day's ribbon: its lanes, the quiet hours, and where now is on it."""

    day: date
    lanes: tuple[DrawnLane, ...]
    quiet: tuple[tuple[float, float], ...]
    now_x: float | None

    @property
    def words(self) -> str:
        """What stands on it, for who cannot see it."""
        return ", ".join(lane.name for lane in self.lanes) or "nothing"


def ribbon_day() -> date:
    """The day whose ribbon now lies on: before five in the morning it is the day before."""
    return (here().local(here().now) - timedelta(hours=draw.RIBBON_FROM_H)).date()


def ribbon(day: date, lanes: Sequence[Lane]) -> Ribbon:
    """One day's ribbon with the makes that are on it."""
    noon = datetime.combine(day, time(12), here().zone)
    drawn = [(lane, _blocks(lane, noon)) for lane in lanes]
    x = draw.ribbon_x(here().now, here().zone, noon)
    return Ribbon(
        day=day,
        lanes=tuple(
            DrawnLane(name=lane.name, href=_href(lane), planned=lane.planned, blocks=blocks)
            for lane, blocks in drawn
            if blocks
        ),
        quiet=_quiet(day, noon),
        now_x=x if day == ribbon_day() else None,
    )


def _href(lane: Lane) -> str:
    if lane.planned:
        return url_for("plan.page", plan_id=lane.id)
    return url_for("vat.page", make_id=lane.id)


def ribbons(lanes: Sequence[Lane], first: datetime, last: datetime) -> list[Ribbon]:
    """A ribbon for each day between two moments on which there is something to draw."""
    begin, end = here().day_of(first), here().day_of(last)
    days = (begin + timedelta(days=number) for number in range((end - begin).days + 1))
    return [each for each in (ribbon(day, lanes) for day in days) if each.lanes]


def _blocks(lane: Lane, noon: datetime) -> list[draw.Block]:
    found = []
    for each in lane.stretches:
        x0, x1 = (draw.ribbon_x(at, here().zone, noon) for at in (each.begins, each.ends))
        if x1 > x0:
            found.append(
                draw.Block(
                    x=x0, width=x1 - x0, hands_on=each.hands_on, words=each.words, done=each.done
                )
            )
    return draw.merged(found)


def _quiet(day: date, noon: datetime) -> tuple[tuple[float, float], ...]:
    def x(at: time, plus: int = 0) -> float:
        moment = datetime.combine(day + timedelta(days=plus), at, here().zone)
        return draw.ribbon_x(moment.astimezone(UTC), here().zone, noon)

    begins, ends = here().dairy.quiet_from, here().dairy.quiet_until
    if begins == ends:
        return ()
    spans = [(x(begins), x(ends))]  # within one day, a rest at noon
    if begins > ends:
        spans = [(0.0, x(ends)), (x(begins), x(ends, 1))]
    return tuple((a, b - a) for a, b in spans if b > a)
