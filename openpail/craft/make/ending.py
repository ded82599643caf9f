"""At the end of the vat: what was planned, what happened, and what it may mean."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from openpail.craft.make.deeds import StepDone
from openpail.craft.make.facts import Record, facts_of
from openpail.craft.make.ramp import half_band
from openpail.craft.make.set_talk import flocks_said
from openpail.craft.units import so_long

_SAME_MIN, _SAME_SHARE = 5.0, 0.25
_MEANS = {
    "longer": {
        "wait": "more acid than the recipe has",
        "stir": "a drier curd",
        "heal": "a firmer skin",
        "heat": "a gentler cooking",
        "press": "a closer rind",
        "drain": "a drier, sourer curd",
        "hang": "a drier curd",
        "cheddar": "more acid, drier slabs",
    },
    "shorter": {
        "wait": "less acid than the recipe has",
        "stir": "a wetter curd",
        "heal": "dust in the whey, a lighter cheese",
        "heat": "a skin on the curd that keeps whey in",
        "press": "an open rind",
        "drain": "a wetter, sweeter curd",
        "hang": "a softer curd",
        "cheddar": "less acid, wetter slabs",
    },
}


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

    Parameters: record, of the make. Source: the record; usual practice for what it may mean.
    """
    return tuple(_of_steps(record)) + tuple(_of_set(record))


def _of_steps(record: Record) -> Iterator[Deviation]:
    words = {deed.step: deed.word for _, deed in record.standing.of(StepDone) if deed.word}
    for state in record.day.steps:
        step, planned = state.planned.step, state.planned.minutes
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
        read = [
            each.celsius
            for each in record.standing.readings
            if each.celsius is not None and state.begins <= each.at <= state.done_at
        ]
        if step.celsius and read and step.kind in ("warm", "heat", "stir", "hold"):
            off = max(read) - step.celsius.target
            if off > half_band(0.0, record.house):
                yield Deviation(
                    step=step.title,
                    planned=f"{step.celsius.target:g} °C",
                    happened=f"{max(read):.1f} °C",
                    means="a drier curd, a slower culture" if step.kind != "warm" else "",
                    word=words.get(step.key, ""),
                )
        off = state.minutes - planned
        told = step.clock == "fixed" and step.kind in _MEANS["longer"]
        if told and abs(off) > max(_SAME_MIN, _SAME_SHARE * planned):
            way = "longer" if off > 0 else "shorter"
            yield Deviation(
                step=step.title,
                planned=so_long(planned),
                happened=so_long(state.minutes),
                means=_MEANS[way][step.kind],
                word=words.get(step.key, ""),
            )
        for key, amount in record.standing.gave(step.key).items():
            line = record.sheet.line(key)
            if line is not None:
                yield Deviation(
                    step=step.title,
                    planned=f"{line.figure.value:.3g} {line.figure.unit} of {line.name}",
                    happened=f"{amount:.3g} {line.figure.unit}",
                    means="",
                    word=words.get(step.key, ""),
                )


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
