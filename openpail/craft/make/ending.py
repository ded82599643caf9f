"""At the end of the vat: what was planned, what happened, and what it may mean."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime

from openpail.craft.make.day import StepState
from openpail.craft.make.deeds import StepDone
from openpail.craft.make.ends import Odd, StepEnd, odd_at_end
from openpail.craft.make.facts import Record, facts_of
from openpail.craft.make.set_talk import flocks_said


@dataclass(frozen=True, slots=True, kw_only=True)
class Deviation:
    """What went otherwise at a step: planned, what happened, what it may mean, the maker's word."""

    step: str
    planned: str
    happened: str
    means: str = ""
    word: str = ""


def deviations(record: Record) -> tuple[Deviation, ...]:
    """All that went otherwise than planned, in the order of the steps.

    Parameters: record, of the make. Source: the rules that ask at the end of a step.
    """
    return tuple(_of_steps(record)) + tuple(_of_set(record))


def _of_steps(record: Record) -> Iterator[Deviation]:
    words = {deed.step: deed.word for _, deed in record.standing.of(StepDone) if deed.word}
    for state in record.day.steps:
        step = state.planned.step
        if state.skipped:
            yield Deviation(
                step=step.title,
                planned="to be done",
                happened="left out",
                means="",
                word=state.skipped,
            )
            continue
        if state.done_at is None:
            continue
        if state.again:
            yield Deviation(step=step.title, planned="once", happened=f"{state.again + 1} times")
        yield from _moved(record, state)
        for odd in _odd_of(record, state, state.done_at):
            yield Deviation(
                step=step.title,
                planned=odd.planned,
                happened=odd.happened,
                means=odd.means,
                word=words.get(step.key, ""),
            )


def _moved(record: Record, state: StepState) -> Iterator[Deviation]:
    """A cut that this milk wants otherwise than the recipe has it: which of the two was taken."""
    for move in record.sheet.moved.moves:
        if move.step != state.planned.step.key or move.part != "cut_mm":
            continue
        written, here = f"{move.written.value:.2g} mm", f"{move.figure.value:.2g} mm"
        yield Deviation(
            step=move.title,
            planned=f"{here} for this milk" if move.left else f"{written} as written",
            happened=f"{written}, left as written" if move.left else here,
            means="" if move.left else "as this milk asks",
        )


def _odd_of(record: Record, state: StepState, at: datetime) -> tuple[Odd, ...]:
    return odd_at_end(
        StepEnd(
            state=state,
            at=at,
            recipe=record.recipe,
            sheet=record.sheet,
            day=record.day,
            milk_l=record.milk_l,
            gave=record.standing.gave(state.planned.step.key),
            has_meter=record.has_meter,
        )
    )


def odd_by_step(record: Record) -> Mapping[str, tuple[Odd, ...]]:
    """What was odd at the end of each step that is done, by its key.

    Parameters: record, of the make. Source: the rules that ask at the end of a step.
    """
    return {
        each.planned.step.key: _odd_of(record, each, each.done_at)
        for each in record.day.steps
        if each.done_at is not None and not each.skipped
    }


def _of_set(record: Record) -> Iterator[Deviation]:
    said = flocks_said(record.recipe, record.sheet, record.day)
    if said is not None and abs(said.seen_min - said.expected_min) > 1:
        yield Deviation(
            step="First flocks",
            planned=f"{said.expected_min:.0f} min",
            happened=f"{said.seen_min:.0f} min",
            means=said.words,
        )
    slow = facts_of(record).get("slow_acid")
    if slow:
        yield Deviation(step="Acid", planned="in its time", happened="slow", means=slow)
