"""A number that explains itself: value, unit, how it is known, how sure, and because of what.

The `because` is a list of steps that can be replayed: start, then times, plus, at least, and so
on. A step may itself stand on steps (`of`). Whoever shows or prints a figure reads these and
computes nothing.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import Any, Literal, NamedTuple

Known = Literal["measured", "assumed", "worked out", "overruled"]
Op = Literal["start", "times", "plus", "minus", "at_least", "at_most", "choose"]

FORMAT_VERSION = 1


class Step(NamedTuple):
    """One line of a because: what was done (`op`) with which number, and on whose word.

    `unit`, when there is one, is the unit of the running value after this step. A tuple, like
    Figure, because a sheet makes a thousand of them while it looks for its spread.
    """

    op: Op
    label: str
    value: float
    unit: str = ""
    source: str = ""
    house_key: str = ""
    of: tuple[Step, ...] = ()


def replay(steps: Iterable[Step]) -> float:
    """Work a because out again, from its first step to its last.

    Parameters: steps, beginning with a `start`.
    Returns: the value the steps lead to.
    Raises: ValueError for an unknown op, or a first step that is not `start`.
    Source: derivation.
    """
    value: float | None = None
    for step in steps:
        operand = replay(step.of) if step.of else step.value
        if value is None:
            if step.op != "start":
                raise ValueError("a because begins with a start")
            value = operand
        else:
            value = apply(step.op, value, operand)
    if value is None:
        raise ValueError("an empty because")
    return value


def apply(op: Op, value: float, operand: float) -> float:
    """One step of a because: `value` op `operand`. Source: derivation."""
    match op:
        case "times":
            return value * operand
        case "plus":
            return value + operand
        case "minus":
            return value - operand
        case "at_least":
            return max(value, operand)
        case "at_most":
            return min(value, operand)
        case "start" | "choose":
            return operand
    raise ValueError(f"no such step: {op}")


class Figure(NamedTuple):
    """Every number the craft hands out.

    value and unit; `known` tells how; `rests_on_assumed` is true when anything under it was
    assumed, so that it is still said with "about"; `sd` is one standard deviation in `unit`.
    """

    value: float
    unit: str
    known: Known
    because: tuple[Step, ...]
    rests_on_assumed: bool = False
    sd: float | None = None

    @classmethod
    def start(
        cls,
        label: str,
        value: float,
        unit: str,
        known: Known = "worked out",
        *,
        source: str = "",
        house_key: str = "",
        sd: float | None = None,
        rests_on_assumed: bool = False,
    ) -> Figure:
        """Begin a figure from a number somebody gave: a reading, a table, a recipe."""
        step = Step("start", label, value, unit, source, house_key)
        about = rests_on_assumed or known == "assumed"
        return cls(value, unit, known, (step,), about, sd)

    def then(
        self,
        op: Op,
        label: str,
        operand: float,
        unit: str = "",
        *,
        source: str = "",
        house_key: str = "",
        of: tuple[Step, ...] = (),
        about: bool = False,
        into: str | None = None,
    ) -> Figure:
        """One more step. `into` is the unit after it; `about` marks an assumed operand."""
        step = Step(op, label, operand, into or unit, source, house_key, of)
        return Figure(
            apply(op, self.value, operand),
            into or self.unit,
            "worked out",
            (*self.because, step),
            self.rests_on_assumed or about,
            None,
        )

    def times(self, label: str, factor: float, **more: Any) -> Figure:
        """Multiply by a factor that is not 1; a factor of exactly 1 leaves no line."""
        same = factor == 1.0 and not more.get("of") and not more.get("into")
        return self if same else self.then("times", label, factor, **more)

    def scaled(self, steps: Iterable[Step], about: bool = False) -> Figure:
        """Carry the steps of a ratio (its start of 1 left out) onto this figure.

        A step with a unit turns the figure into it.
        """
        kept = tuple(step for step in steps if step.op != "start")
        value, unit = self.value, self.unit
        for step in kept:
            value, unit = apply(step.op, value, step.value), step.unit or unit
        return Figure(
            value,
            unit,
            "worked out",
            self.because + kept,
            self.rests_on_assumed or about,
            None,
        )

    def plus(self, label: str, term: float, unit: str, **more: Any) -> Figure:
        """Add a term in this figure's unit."""
        return self.then("plus", label, term, unit, **more)

    def minus(self, label: str, term: float, unit: str, **more: Any) -> Figure:
        """Take a term away, in this figure's unit."""
        return self.then("minus", label, term, unit, **more)

    def overruled(self, value: float, label: str) -> Figure:
        """The maker's own figure in place of ours; the chain keeps both."""
        figure = self.then("choose", label, value, self.unit, source="the maker")
        return figure._replace(known="overruled", rests_on_assumed=False)

    def without(self, house_keys: Collection[str]) -> Figure:
        """The same chain with the factors of these house keys left out by the maker."""
        steps = tuple(
            Step("times", f"{step.label}: left out", 1.0, "", "the maker", step.house_key)
            if step.op == "times" and step.house_key in house_keys
            else step
            for step in self.because
        )
        if steps == self.because:
            return self
        return Figure(replay(steps), self.unit, "overruled", steps, False, None)

    def give_or_take(self, sd: float | None) -> Figure:
        """The same figure with its standard deviation (in its unit, 0 or more)."""
        return Figure(self.value, self.unit, self.known, self.because, self.rests_on_assumed, sd)

    def running(self) -> list[tuple[Step, float, str]]:
        """Each step with the value and the unit after it, for the ledger that a screen draws."""
        rows: list[tuple[Step, float, str]] = []
        value, unit = 0.0, ""
        for step in self.because:
            value = apply(step.op, value, step.value)
            unit = step.unit or unit
            rows.append((step, value, unit))
        return rows

    def to_json(self) -> dict[str, Any]:
        """The figure as plain data (version 1), for events, frozen sheets and the page."""
        return {
            "v": FORMAT_VERSION,
            "value": self.value,
            "unit": self.unit,
            "known": self.known,
            "rests_on_assumed": self.rests_on_assumed,
            "sd": self.sd,
            "because": [_step_to_json(step) for step in self.because],
        }

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> Figure:
        """Read back what `to_json` wrote. Raises ValueError for another version."""
        if data.get("v") != FORMAT_VERSION:
            raise ValueError(f"figure of version {data.get('v')}, not {FORMAT_VERSION}")
        steps = tuple(_step_from_json(step) for step in data["because"])
        return cls(
            data["value"],
            data["unit"],
            data["known"],
            steps,
            data["rests_on_assumed"],
            data["sd"],
        )


def _step_to_json(step: Step) -> dict[str, Any]:
    data: dict[str, Any] = {"op": step.op, "label": step.label, "value": step.value}
    for name in ("unit", "source", "house_key"):
        if getattr(step, name):
            data[name] = getattr(step, name)
    if step.of:
        data["of"] = [_step_to_json(inner) for inner in step.of]
    return data


def _step_from_json(data: dict[str, Any]) -> Step:
    return Step(
        data["op"],
        data["label"],
        data["value"],
        data.get("unit", ""),
        data.get("source", ""),
        data.get("house_key", ""),
        tuple(_step_from_json(inner) for inner in data.get("of", ())),
    )
