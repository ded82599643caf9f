"""Where a make stands, folded from its deeds; and its steps on the clock from now.

The same deeds in any order of arrival, with repeats, come to the same standing. A step that two
devices ended is done once, when the earlier of them says; both stay in the record.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from itertools import pairwise
from typing import Any

from openpail.craft.make.deeds import (
    Amended,
    Became,
    FirstFlocks,
    GivenUp,
    ReadingTaken,
    StepDone,
    Told,
    Undone,
    Weighed,
    WheyKept,
    amended,
    odd_flocks,
)
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.steps import PlannedStep

MOST_DRAWN = 96
NEWEST_TOLD = 24
_HOURS_KEPT = 96


@dataclass(frozen=True, slots=True)
class Reading:
    """A reading as it stands: °C, pH, words; None and "" are not read."""

    id: str
    at: datetime
    celsius: float | None = None
    ph: float | None = None
    note: str = ""
    amended: bool = False


@dataclass(frozen=True, slots=True)
class Done:
    """By which deed, and when."""

    id: str
    at: datetime


@dataclass(frozen=True, slots=True)
class Caught:
    """Whey that was caught: by which deed, when, litres."""

    id: str
    at: datetime
    litres: float


@dataclass(frozen=True, slots=True)
class Ended:
    """No cheese came of it: when, what became of the milk, why."""

    at: datetime
    became: Became
    word: str


@dataclass(frozen=True, slots=True)
class Standing:
    """What the deeds of a make come to, whatever the moment.

    done: by step; readings, and the count of all there were; met: of steps that were ended
    more than once, the deeds that were not the first; flocks_count, what the maker said of
    whether the flocks teach; word, that came with the weight; ended, when it was given up.
    """

    done: Mapping[str, Done]
    readings: tuple[Reading, ...] = ()
    count: int = 0
    culture_at: datetime | None = None
    rennet_at: datetime | None = None
    flocks: Done | None = None
    weighed: Done | None = None
    pieces_kg: tuple[float, ...] = ()
    whey: tuple[Caught, ...] = ()
    met: tuple[str, ...] = ()
    flocks_count: bool | None = None
    word: str = ""
    ended: Ended | None = None

    @property
    def flocks_min(self) -> float | None:
        """Minutes from the rennet to the first flocks, None before both are known."""
        if self.flocks is None or self.rennet_at is None or self.flocks.at <= self.rennet_at:
            return None
        return (self.flocks.at - self.rennet_at).total_seconds() / 60

    def believed_min(self, expected_min: float | None) -> float | None:
        """`flocks_min`, where it moves the cut and teaches of the bottle: not when it is too far
        from what was expected, unless the maker says that it counts; never when they say not."""
        seen = self.flocks_min
        if seen is None or self.flocks_count is False:
            return None
        odd = bool(expected_min) and odd_flocks(seen, expected_min or 0.0)
        return None if odd and not self.flocks_count else seen


NOTHING_DONE = Standing({})


def standing_deeds(told: Iterable[Told]) -> list[Told]:
    """The deeds as they stand: undone ones left out, amended ones as they are now.

    Parameters: told, in any order, each as often as it arrived. Returns: in order.
    Source: derivation.
    """
    once = {each.id: each for each in told}
    ordered = sorted(once.values(), key=lambda each: each.order)
    undone = {each.amends for each in ordered if isinstance(each.deed, Undone)}
    found = {
        each.id: each
        for each in ordered
        if each.id not in undone and not isinstance(each.deed, Amended | Undone)
    }
    for each in ordered:
        target = found.get(each.amends or "")
        if isinstance(each.deed, Amended) and each.id not in undone and target:
            found[target.id] = amended(target, each.deed)
    return sorted(found.values(), key=lambda each: each.order)


def amended_ids(told: Iterable[Told]) -> frozenset[str]:
    """The deeds that were amended, and the amendment stands.

    Parameters: told, every deed of one make. Source: derivation.
    """
    every = list(told)
    undone = {each.amends for each in every if isinstance(each.deed, Undone)}
    return frozenset(
        each.amends or ""
        for each in every
        if isinstance(each.deed, Amended) and each.id not in undone
    )


def fold(recipe: Recipe, told: Iterable[Told]) -> Standing:
    """What the deeds of a make come to.

    Parameters: recipe, as it was when the make began; told, in any order, with repeats.
    Source: derivation.
    """
    every = list(told)
    standing, mended = standing_deeds(every), amended_ids(every)
    done: dict[str, Done] = {}
    met: list[str] = []
    for each in standing:
        for step in _ends(recipe, each):
            if step in done:
                met.append(each.id)
            done.setdefault(step, Done(each.id, each.at))
    flocks = [(each, each.deed) for each in standing if isinstance(each.deed, FirstFlocks)]
    weighed = [(each, each.deed) for each in standing if isinstance(each.deed, Weighed)]
    readings = tuple(
        _reading(each, each.deed, mended)
        for each in standing
        if isinstance(each.deed, ReadingTaken) and each.deed != ReadingTaken()
    )
    return Standing(
        done,
        readings,
        len(readings),
        _given_at(recipe, done, "culture"),
        _given_at(recipe, done, "rennet"),
        Done(flocks[0][0].id, flocks[0][0].at) if flocks else None,
        Done(weighed[0][0].id, weighed[0][0].at) if weighed else None,
        weighed[0][1].pieces_kg if weighed else (),
        tuple(
            Caught(each.id, each.at, each.deed.litres)
            for each in standing
            if isinstance(each.deed, WheyKept)
        ),
        tuple(met),
        flocks[0][1].counts if flocks else None,
        weighed[0][1].word if weighed else "",
        next(
            (
                Ended(each.at, each.deed.became, each.deed.word)
                for each in standing
                if isinstance(each.deed, GivenUp)
            ),
            None,
        ),
    )


def _ends(recipe: Recipe, each: Told) -> Sequence[str]:
    """The steps that a deed ends: first flocks end the step that waits for them."""
    if isinstance(each.deed, StepDone):
        return (each.deed.step,)
    if isinstance(each.deed, FirstFlocks):
        return [step.key for step in recipe.steps if "flocks" in step.asks][:1]
    return ()


def _given_at(recipe: Recipe, done: Mapping[str, Done], kind: str) -> datetime | None:
    """When the first product of a kind went in, whatever the recipe calls it."""
    keys = {each.key for each in recipe.ingredients if each.product.kind == kind}
    for step in recipe.steps:
        if keys & set(step.adds) and step.key in done:
            return done[step.key].at
    return None


def _reading(each: Told, deed: ReadingTaken, mended: frozenset[str]) -> Reading:
    return Reading(each.id, each.at, deed.celsius, deed.ph, deed.note, each.id in mended)


def newest(readings: Sequence[Reading], count: int = NEWEST_TOLD) -> tuple[Reading, ...]:
    """The last so many readings. Parameters: readings in order; count. Source: derivation."""
    return tuple(readings[-count:])


def thinned(readings: Sequence[Reading], most: int = MOST_DRAWN) -> tuple[Reading, ...]:
    """Readings few enough to draw: the first, the last, and one of each stretch between them.

    Of a stretch it is the one farthest off the line from the one drawn before to the middle of
    the next stretch, so that no peak is lost.
    Parameters: readings with a temperature, by time; most, 3 or more. Source: derivation.
    """
    if len(readings) <= most:
        return tuple(readings)
    points = [(each.at.timestamp(), each.celsius or 0.0) for each in readings]
    ends = [1 + number * (len(readings) - 2) // (most - 2) for number in range(most - 1)]
    stretches = [*pairwise(ends), (len(readings) - 1, len(readings))]
    found = [0]
    for (begin, end), (after, last) in pairwise(stretches):
        x, y = points[found[-1]]
        to_x = sum(point[0] for point in points[after:last]) / (last - after)
        to_y = sum(point[1] for point in points[after:last]) / (last - after)
        slope = (to_y - y) / (to_x - x) if to_x > x else 0.0
        off = [abs(points[n][1] - y - slope * (points[n][0] - x)) for n in range(begin, end)]
        found.append(begin + off.index(max(off)))
    return tuple(readings[number] for number in (*found, len(readings) - 1))


# ── on the clock ──


@dataclass(frozen=True, slots=True)
class StepState:
    """A step on the make's own clock: when it was to begin, when it begins now, when done."""

    planned: PlannedStep
    was_to_begin: datetime
    begins: datetime
    ends: datetime
    done_at: datetime | None = None
    done_by: str | None = None


@dataclass(frozen=True, slots=True)
class MakeDay:
    """A make's steps from now on. `current` is the step for the hands, None when all are done."""

    steps: tuple[StepState, ...]
    current: StepState | None
    standing: Standing
    cut_min: float | None

    @property
    def number(self) -> int:
        """The current step's number, from 1; past the last when all are done."""
        return sum(1 for step in self.steps if step.done_at) + 1

    def following(self, count: int) -> tuple[StepState, ...]:
        """The steps after the current one."""
        return tuple(self.steps[self.number : self.number + count])


def on_the_clock(
    planned: Sequence[PlannedStep],
    started: datetime,
    standing: Standing,
    now: datetime,
    cut_multiplier: float | None = None,
    flocks_min: float | None = None,
) -> MakeDay:
    """A make's steps now, every later one moved to "from now".

    Parameters: planned, from `laid_out`; started; standing, from `fold`; now, with zone;
    cut_multiplier, flocculation times to wait for the cut in this milk (an observed flocculation
    then moves the cut, unless it is too far from flocks_min, the expected). Source: derivation.
    """
    floc = standing.believed_min(flocks_min)
    cut_min = floc * cut_multiplier if floc and cut_multiplier else None
    states = []
    at = started
    for each in planned:
        done = standing.done.get(each.step.key)
        minutes = each.minutes
        if each.step.clock == "cut" and standing.rennet_at and cut_min is not None:
            minutes = max(0.0, (standing.rennet_at - at).total_seconds() / 60 + cut_min)
        ends = done.at if done else at + timedelta(minutes=minutes)
        first = started + timedelta(minutes=each.start_min)
        states.append(
            StepState(each, first, at, ends, done.at if done else None, done.id if done else None)
        )
        at = ends if done else max(ends, now)
    current = next((step for step in states if step.done_at is None), None)
    return MakeDay(tuple(states), current, standing, cut_min)


def hours_since(moment: datetime | None, at: datetime) -> float:
    """Hours from a moment to `at`, 0 when there is none. Source: derivation."""
    return 0.0 if moment is None else (at - moment).total_seconds() / 3600


# ── kept ──


def drawn(standing: Standing) -> Standing:
    """The standing with as many readings as are told and drawn, however many there were.

    The newest, the last of pH, and the temperatures thinned. Source: derivation.
    """
    sour = [each for each in standing.readings if each.ph is not None]
    warm = thinned([each for each in standing.readings if each.celsius is not None])
    told = (*warm, *newest(sour), *_sweetest_of_hours(sour), *newest(standing.readings))
    kept = {each.id: each for each in told}
    readings = tuple(sorted(kept.values(), key=lambda each: (each.at, each.id)))
    return replace(standing, readings=readings)


def _sweetest_of_hours(sour: Sequence[Reading]) -> list[Reading]:
    """The sweetest pH of each hour: a stop for slow acid is judged by it for ever."""
    sweetest: dict[datetime, Reading] = {}
    for each in sour:
        hour = each.at.replace(minute=0, second=0, microsecond=0)
        if hour not in sweetest or (each.ph or 0.0) > (sweetest[hour].ph or 0.0):
            sweetest[hour] = each
    return list(sweetest.values())[:_HOURS_KEPT]


def to_json(standing: Standing) -> dict[str, Any]:
    """A standing as plain data. Source: derivation."""
    return {
        "done": {key: _done_json(each) for key, each in standing.done.items()},
        "readings": [
            [each.id, each.at.isoformat(), each.celsius, each.ph, each.note, each.amended]
            for each in standing.readings
        ],
        "count": standing.count,
        "culture_at": standing.culture_at.isoformat() if standing.culture_at else None,
        "rennet_at": standing.rennet_at.isoformat() if standing.rennet_at else None,
        "flocks": _done_json(standing.flocks) if standing.flocks else None,
        "weighed": _done_json(standing.weighed) if standing.weighed else None,
        "pieces_kg": list(standing.pieces_kg),
        "whey": [[each.id, each.at.isoformat(), each.litres] for each in standing.whey],
        "met": list(standing.met),
        "flocks_count": standing.flocks_count,
        "word": standing.word,
        "ended": standing.ended
        and [standing.ended.at.isoformat(), standing.ended.became, standing.ended.word],
    }


def _done_json(each: Done) -> list[str]:
    return [each.id, each.at.isoformat()]


def from_json(data: Mapping[str, Any]) -> Standing:
    """Read back what `to_json` wrote.

    Parameters: data; {} is a make of which nothing was told yet. Raises: KeyError for other JSON.
    """
    if not data:
        return NOTHING_DONE
    return Standing(
        {key: _done_from(each) for key, each in data["done"].items()},
        tuple(
            Reading(key, datetime.fromisoformat(at), *rest) for key, at, *rest in data["readings"]
        ),
        data["count"],
        _moment_from(data["culture_at"]),
        _moment_from(data["rennet_at"]),
        _done_from(data["flocks"]) if data["flocks"] else None,
        _done_from(data["weighed"]) if data["weighed"] else None,
        tuple(data["pieces_kg"]),
        tuple(Caught(key, datetime.fromisoformat(at), litres) for key, at, litres in data["whey"]),
        tuple(data["met"]),
        data.get("flocks_count"),
        data.get("word", ""),
        _ended_from(data.get("ended")),
    )


def _ended_from(data: Sequence[Any] | None) -> Ended | None:
    return Ended(datetime.fromisoformat(data[0]), data[1], data[2]) if data else None


def _done_from(data: Sequence[str]) -> Done:
    return Done(data[0], datetime.fromisoformat(data[1]))


def _moment_from(text: str | None) -> datetime | None:
    return datetime.fromisoformat(text) if text else None
