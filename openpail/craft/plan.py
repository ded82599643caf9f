"""The clock of a make: its steps laid out in time, and what has been done of them.

State is a fold over the events of a make; nothing is kept that the events do not say.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

from openpail.craft.recipe import Recipe, RecipeStep

NO_OWN: Mapping[str, float] = {}


@dataclass(frozen=True, slots=True)
class PlannedStep:
    """A step with its own length (minutes) and its start after the make's start (minutes)."""

    step: RecipeStep
    start_min: float
    minutes: float

    @property
    def end_min(self) -> float:
        """When it ends, minutes after the make's start."""
        return self.start_min + self.minutes


def forwards(
    recipe: Recipe,
    flocculation_min: float | None = None,
    cut_min: float | None = None,
    own: Mapping[str, float] = NO_OWN,
) -> tuple[PlannedStep, ...]:
    """Lay a recipe's steps end to end from the start.

    Parameters: recipe; flocculation_min and cut_min after the rennet, for the steps whose
    clock they are (None keeps the recipe's minutes); own, minutes of steps by their key, of a
    warming that this vat does at its own rate.
    Returns: the steps in order. Source: derivation.
    """
    planned = []
    at = 0.0
    for step in recipe.steps:
        minutes = own.get(step.key, _length(step, flocculation_min, cut_min))
        planned.append(PlannedStep(step, at, minutes))
        at += minutes
    return tuple(planned)


def _length(step: RecipeStep, floc: float | None, cut: float | None) -> float:
    if step.clock == "flocculation" and floc is not None:
        return floc
    if step.clock == "cut" and floc is not None and cut is not None:
        return max(0.0, cut - floc)
    return step.minutes


@dataclass(frozen=True, slots=True)
class Event:
    """What happened, as the make's record has it: `amends` is the id of the event it mends."""

    id: str
    kind: str
    happened: datetime
    payload: Mapping[str, Any]
    amends: str | None = None


@dataclass(frozen=True, slots=True)
class Reading:
    """A reading at the vat: °C, pH, or words; None is not read."""

    event_id: str
    at: datetime
    celsius: float | None = None
    ph: float | None = None
    note: str = ""
    amended: bool = False


@dataclass(frozen=True, slots=True)
class StepState:
    """A step on the make's own clock: when it was to begin, when it begins now, when done."""

    planned: PlannedStep
    was_to_begin: datetime
    begins: datetime
    ends: datetime
    done_at: datetime | None = None
    done_event: str | None = None


@dataclass(frozen=True, slots=True)
class MakeDay:
    """Where a make stands. `current` is the step for the hands, None when all are done."""

    steps: tuple[StepState, ...]
    current: StepState | None
    readings: tuple[Reading, ...]
    culture_at: datetime | None
    rennet_at: datetime | None
    flocks_min: float | None
    cut_min: float | None
    weighed_kg: float | None
    finished: bool = False

    @property
    def number(self) -> int:
        """The current step's number, from 1; past the last when all are done."""
        return sum(1 for step in self.steps if step.done_at) + 1

    def following(self, count: int) -> tuple[StepState, ...]:
        """The steps after the current one."""
        return tuple(self.steps[self.number : self.number + count])


def effective(events: Iterable[Event]) -> list[Event]:
    """The events as they stand: undone ones left out, amended ones with their last payload.

    Parameters: events, in any order. Returns: ordered by when they happened.
    Source: derivation.
    """
    ordered = sorted(events, key=lambda event: (event.happened, event.id))
    undone = {event.amends for event in ordered if event.kind == "undo"}
    mended = {
        event.amends: event for event in ordered if event.kind == "amend" and event.id not in undone
    }
    standing = []
    for event in ordered:
        if event.kind in ("undo", "amend") or event.id in undone:
            continue
        if event.id in mended:
            payload = {**event.payload, **mended[event.id].payload, "amended": True}
            event = replace(event, payload=payload)
        standing.append(event)
    return standing


def fold(
    planned: Sequence[PlannedStep],
    started: datetime,
    events: Iterable[Event],
    now: datetime,
    cut_multiplier: float | None = None,
) -> MakeDay:
    """Where a make stands now, from its plan and its events.

    Parameters: planned, from `forwards`; started; events, all of the make; now, with zone;
    cut_multiplier, flocculation times to wait for the cut in this milk (an observed
    flocculation then moves the cut).
    Returns: the state, every later step moved to "from now". Source: derivation.
    """
    standing = effective(events)
    done = {e.payload["step"]: e for e in standing if e.kind == "step_done"}
    rennet_at = _added_at(planned, done, "rennet")
    flocks_at = next((e.happened for e in reversed(standing) if e.kind == "flocks"), None)
    flocks_min = None
    if flocks_at and rennet_at and flocks_at > rennet_at:
        flocks_min = (flocks_at - rennet_at).total_seconds() / 60
    cut_min = flocks_min * cut_multiplier if flocks_min and cut_multiplier else None
    steps = _on_the_clock(planned, started, done, now, rennet_at, flocks_min, cut_min)
    weighed = [e.payload["kg"] for e in standing if e.kind == "weighed"]
    return MakeDay(
        steps,
        next((step for step in steps if step.done_at is None), None),
        tuple(_reading(e) for e in standing if e.kind in ("reading", "note")),
        _added_at(planned, done, "culture"),
        rennet_at,
        flocks_min,
        cut_min,
        weighed[-1] if weighed else None,
        any(e.kind == "finished" for e in standing),
    )


def _added_at(
    planned: Sequence[PlannedStep], done: Mapping[str, Event], key: str
) -> datetime | None:
    for each in planned:
        if key in each.step.adds and each.step.key in done:
            return done[each.step.key].happened
    return None


def _on_the_clock(
    planned: Sequence[PlannedStep],
    started: datetime,
    done: Mapping[str, Event],
    now: datetime,
    rennet_at: datetime | None,
    flocks_min: float | None,
    cut_min: float | None,
) -> tuple[StepState, ...]:
    states = []
    at = started
    for each in planned:
        event = done.get(each.step.key)
        minutes = each.minutes
        if each.step.clock == "cut" and rennet_at and cut_min is not None:
            minutes = max(0.0, (rennet_at - at).total_seconds() / 60 + cut_min)
        ends = event.happened if event else at + timedelta(minutes=minutes)
        states.append(
            StepState(
                each,
                started + timedelta(minutes=each.start_min),
                at,
                ends,
                event.happened if event else None,
                event.id if event else None,
            )
        )
        at = ends if event else max(ends, now)
    return tuple(states)


def _reading(event: Event) -> Reading:
    payload = event.payload
    return Reading(
        event.id,
        event.happened,
        payload.get("celsius"),
        payload.get("ph"),
        payload.get("note", ""),
        bool(payload.get("amended")),
    )


def hours_since(moment: datetime | None, at: datetime) -> float:
    """Hours from a moment to `at`, 0 when there is none. Source: derivation."""
    return 0.0 if moment is None else (at - moment).total_seconds() / 3600
