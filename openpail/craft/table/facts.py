"""The facts of a make: what its milk was, what was given, read and timed, what it weighed; each by
a key under which another make has the same."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any, Literal

from openpail.craft.make.additions import by_weight, expected_flocks
from openpail.craft.make.day import MakeDay, StepState
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.standing import Standing
from openpail.craft.recipe.recipe import Recipe

Group = Literal["milk", "given", "set", "warmth", "acid", "time", "press", "salt", "cheese"]
GROUPS: Mapping[Group, str] = {
    "milk": "Milk",
    "given": "Given",
    "set": "Set",
    "warmth": "Warmth",
    "acid": "Acid",
    "time": "Time",
    "press": "Press",
    "salt": "Salt",
    "cheese": "Cheese",
}
HANDS, OF_EXPECTED, _FROM = "hands", "yield-share", " from"
_TIMED = frozenset(
    {"wait", "heal", "heat", "stir", "hold", "settle", "drain", "hang", "cheddar", "press", "dry"}
)
_WARMED = frozenset({"warm", "heat", "hold", "stir"})


@dataclass(frozen=True, slots=True, kw_only=True)
class MadeFact:
    """One fact of a make: a value in a unit, or words; apart: how far another's must lie from it
    to differ, in its unit."""

    key: str
    group: Group
    label: str
    value: float | None = None
    unit: str = ""
    words: str = ""
    apart: float = 0.0


@dataclass(frozen=True, slots=True)
class BrineStay:
    """A stay in a tub of brine: its strength as it went in, %, and hours."""

    pct: float
    hours: float


def facts_of_make(
    recipe: Recipe,
    sheet: Frozen,
    standing: Standing,
    day: MakeDay,
    brined: Sequence[BrineStay] = (),
) -> tuple[MadeFact, ...]:
    """All facts of a make.

    Parameters: recipe and its sheet; standing and day; brined, its stays in brine.
    Source: the record; house values for what counts as a difference.
    """
    return (
        *_milk(sheet),
        *_given(recipe, sheet, standing),
        *_set(recipe, sheet, standing),
        *_read(standing, day),
        *_timed(day),
        *_pressed(recipe, standing, brined),
        *_weighed(sheet, standing),
    )


def _milk(sheet: Frozen) -> Iterator[MadeFact]:
    milk = sheet.milk
    kgs = milk.animals
    whole = sum(kgs.values()) or 1.0
    shares = sorted(kgs.items(), key=lambda each: -each[1])
    told = (f"{100 * kg / whole:.0f} % {name}" if len(shares) > 1 else name for name, kg in shares)
    yield MadeFact(key="animals", group="milk", label="animals", words=", ".join(told))
    heated = sorted({pour.treatment.replace("_", "-") for pour in milk.pours})
    yield MadeFact(key="heated", group="milk", label="heated", words=", ".join(heated))
    yield MadeFact(
        key="milk-kg",
        group="milk",
        label="amount",
        value=milk.mass.value,
        unit="kg",
        apart=0.1 * whole,
    )
    for key, label, figure, apart in (
        ("fat", "fat", milk.fat, 0.3),
        ("casein", "casein", milk.casein, 0.15),
    ):
        yield MadeFact(
            key=key, group="milk", label=label, value=figure.value, unit="%", apart=apart
        )
    if milk.ph is not None:
        yield MadeFact(
            key="milk-ph", group="milk", label="pH", value=milk.ph.value, unit="pH", apart=0.06
        )


def _given(recipe: Recipe, sheet: Frozen, standing: Standing) -> Iterator[MadeFact]:
    kg = sheet.milk.mass.value or 1.0
    for line in sheet.lines:
        step = next((each for each in recipe.steps if line.key in each.adds), None)
        gave = standing.gave(step.key).get(line.key) if step else None
        dose = by_weight(line, recipe, sheet, standing)
        amount = dose.value if gave is None else gave
        each = 10 * amount / kg
        yield MadeFact(
            key=f"dose-{line.kind}-{line.key}",
            group="given",
            label=f"{line.kind}, for 10 kg of milk",
            value=each,
            unit=dose.unit,
            apart=0.05 * each,
        )
        lot = standing.bottles(step.key).get(line.key, line.lot) if step else line.lot
        bottle = sheet.bottles.get(line.key)
        name = bottle.name if bottle else line.name
        yield MadeFact(
            key=f"bottle-{line.key}",
            group="given",
            label=f"{line.kind}{_FROM}",
            words=name + _lot(lot, line.lot),
        )


def _lot(lot: str, planned: str) -> str:
    return "" if lot == planned else " (another bottle)"


def _set(recipe: Recipe, sheet: Frozen, standing: Standing) -> Iterator[MadeFact]:
    if sheet.set is None or standing.rennet_at is None:
        return
    before = [
        each.celsius
        for each in standing.readings
        if each.celsius is not None and each.at <= standing.rennet_at
    ]
    if before:
        yield MadeFact(
            key="rennet-c",
            group="set",
            label="warmth at the rennet",
            value=before[-1],
            unit="°C",
            apart=0.7,
        )
    seen, due = standing.flocks_min, expected_flocks(recipe, sheet, standing)
    if seen:
        yield MadeFact(
            key="flocks",
            group="set",
            label="first flocks after",
            value=seen,
            unit="min",
            apart=max(1.0, 0.1 * seen),
        )
        if due:
            yield MadeFact(
                key="flocks-share",
                group="set",
                label="of what was expected",
                value=100 * seen / due,
                unit="%",
                apart=10,
            )
    cut = next((s.key for s in recipe.steps if s.clock == "cut"), "")
    if cut in standing.done:
        minutes = (standing.done[cut].at - standing.rennet_at).total_seconds() / 60
        yield MadeFact(
            key="cut",
            group="set",
            label="cut after",
            value=minutes,
            unit="min",
            apart=max(3.0, 0.1 * minutes),
        )


def _read(standing: Standing, day: MakeDay) -> Iterator[MadeFact]:
    for state in day.steps:
        step, until = state.planned.step, state.done_at
        if until is None:
            continue
        read = [each for each in standing.readings if state.begins < each.at <= until]
        warm = [each.celsius for each in read if each.celsius is not None]
        sour = [each.ph for each in read if each.ph is not None]
        if warm and step.celsius and step.kind in _WARMED:
            top = max(warm)
            yield MadeFact(
                key=f"warm-{step.key}",
                group="warmth",
                label=step.title,
                value=top,
                unit="°C",
                apart=1.0,
            )
        if sour:
            yield MadeFact(
                key=f"ph-{step.key}",
                group="acid",
                label=step.title,
                value=sour[-1],
                unit="pH",
                apart=0.08,
            )


def _timed(day: MakeDay) -> Iterator[MadeFact]:
    hands = hands_minutes(day)
    if hands:
        yield MadeFact(
            key=HANDS,
            group="time",
            label="wants your hands for",
            value=hands,
            unit="min",
            apart=0.15 * hands,
        )
    for state in day.steps:
        if state.done_at is not None and not state.skipped and state.planned.step.kind in _TIMED:
            yield _time(state)


def hands_minutes(day: MakeDay) -> float:
    """The minutes of a make that want hands, of the steps that are done: as its recipe says, and no
    more than the step took. Parameters: day. Source: the recipe."""
    done = [each for each in day.steps if each.done_at is not None and not each.skipped]
    return sum(min(each.planned.step.hands_on_minutes, each.minutes) for each in done)


def _time(state: StepState) -> MadeFact:
    minutes = state.minutes
    apart = max(3.0, 0.12 * minutes)
    step = state.planned.step
    return MadeFact(
        key=f"min-{step.key}",
        group="time",
        label=step.title,
        value=minutes,
        unit="min",
        apart=apart,
    )


def _pressed(recipe: Recipe, standing: Standing, brined: Sequence[BrineStay]) -> Iterator[MadeFact]:
    for step in recipe.steps:
        load = standing.loaded(step.key)
        if load is not None and load.load_kg:
            kg = load.load_kg
            yield MadeFact(
                key=f"load-{step.key}",
                group="press",
                label=step.title,
                value=kg,
                unit="kg",
                apart=0.15 * kg,
            )
    if brined:
        hours = sum(each.hours for each in brined)
        yield MadeFact(
            key="brine-h",
            group="salt",
            label="in brine",
            value=hours,
            unit="h",
            apart=max(1.0, 0.1 * hours),
        )
        yield MadeFact(
            key="brine-pct", group="salt", label="brine", value=brined[0].pct, unit="%", apart=1.0
        )


def _weighed(sheet: Frozen, standing: Standing) -> Iterator[MadeFact]:
    kg = sum(standing.pieces_kg)
    if not kg or standing.about:
        return
    milk = sheet.milk.mass.value or 1.0
    yield MadeFact(
        key="pieces",
        group="cheese",
        label="pieces",
        value=float(len(standing.pieces_kg)),
        unit="",
        apart=0.5,
    )
    yield MadeFact(
        key="cheese-kg", group="cheese", label="weighed", value=kg, unit="kg", apart=0.06 * kg
    )
    yield MadeFact(
        key="yield",
        group="cheese",
        label="from 100 kg of milk",
        value=100 * kg / milk,
        unit="kg",
        apart=0.6,
    )
    if sheet.cheese.value > 0:
        share = 100 * kg / sheet.cheese.value
        yield MadeFact(
            key=OF_EXPECTED,
            group="cheese",
            label="of what was expected",
            value=share,
            unit="%",
            apart=5.0,
        )


def soured_by(facts: Sequence[MadeFact]) -> str:
    """What the culture of a make was called; "" where none went in, or its acid was never read.

    Parameters: facts of the make. Source: derivation.
    """
    if not any(each.group == "acid" for each in facts):
        return ""
    return next((each.words for each in facts if each.label == f"culture{_FROM}"), "")


def to_plain(facts: Sequence[MadeFact]) -> list[dict[str, Any]]:
    """Facts as plain data. Parameters: facts. Source: derivation."""
    return [asdict(each) for each in facts]


def from_plain(data: Sequence[Mapping[str, Any]]) -> tuple[MadeFact, ...]:
    """Read back what `to_plain` wrote. Parameters: data. Source: derivation."""
    return tuple(MadeFact(**each) for each in data)
