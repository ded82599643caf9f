"""How a dry run went: step by step, what was early, late, off its mark or missed."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

from openpail.craft.make.day import StepState
from openpail.craft.make.deeds import SetLooked
from openpail.craft.make.ends import Rule, StepEnd, odd_at_end
from openpail.craft.make.order import ends_by, is_free
from openpail.craft.make.standing import Reading
from openpail.craft.practice.run import AtMinute, TraceAt
from openpail.craft.practice.world import FIRM_ENOUGH, OVER_FIRM
from openpail.craft.recipe.recipe import StepKind
from openpail.craft.units import so_long

How = Literal["well", "early", "late", "off", "missed", "not reached"]
HOW_WORDS: Mapping[How, str] = {
    "well": "in time",
    "early": "early",
    "late": "late",
    "off": "off its mark",
    "missed": "missed",
    "not reached": "not reached",
}
_SPARE_SHARE, _LEAST_SPARE_MIN, _HANDS_MIN = 0.15, 3.0, 8.0
_OUT_MIN = 5.0
_FLOCKS_LATE, _FLOCKS_LATE_MIN = 1.12, 1.5
_TOO_FAST = 0.6
# Steps that bring it to a warmth.
_BROUGHT: frozenset[StepKind] = frozenset({"warm", "heat", "add water"})


@dataclass(frozen=True, slots=True)
class Fault:
    """What did not go well at a step, and in what way."""

    how: How
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class StepJudged:
    """A step as it was done: its faults, none where it went well; minutes that it took and was to
    take; what goes wrong by such a fault, as the recipe says it."""

    key: str
    title: str
    minutes: float
    planned_min: float
    faults: tuple[Fault, ...] = ()
    goes_wrong: str = ""

    @property
    def hows(self) -> tuple[How, ...]:
        """In which ways, the first first."""
        return tuple(dict.fromkeys(each.how for each in self.faults)) or ("well",)


@dataclass(frozen=True, slots=True)
class Judged:
    """How a dry run went, by its steps in order."""

    steps: tuple[StepJudged, ...]
    counts: Mapping[How, int] = field(default_factory=dict)


def judge(minute: AtMinute) -> Judged:
    """How a dry run went until now.

    Parameters: minute. Returns: each step with its faults, and how many steps had each sort of
    them.
    Source: the recipe's own marks; our own judgement for how far off is worth a word.
    """
    in_vat = minute.in_vat_steps
    steps = tuple(_step(minute, each, each in in_vat) for each in minute.day.steps)
    counts: dict[How, int] = {}
    for step in steps:
        for how in step.hows:
            counts[how] = counts.get(how, 0) + 1
    return Judged(steps, counts)


def _step(minute: AtMinute, state: StepState, in_vat: bool) -> StepJudged:
    step, planned = state.planned.step, state.planned.minutes
    if state.done_at is None:
        return StepJudged(
            key=step.key,
            title=step.title,
            minutes=0.0,
            planned_min=planned,
            faults=(Fault("not reached", ""),),
        )
    seen = [
        each
        for each in minute.trace
        if state.begins <= minute.moment(each.minute) <= state.done_at and in_vat
    ]
    faults = tuple(fault for rule in _RULES for fault in rule(minute, state, seen))
    wrong = step.goes_wrong if any(fault.how != "missed" for fault in faults) else ""
    return StepJudged(
        key=step.key,
        title=step.title,
        minutes=state.minutes,
        planned_min=planned,
        faults=faults,
        goes_wrong=wrong,
    )


def _time(minute: AtMinute, state: StepState, seen: list[TraceAt]) -> Iterator[Fault]:
    """A step that goes by the clock, where nothing else ends it."""
    step, planned, took = state.planned.step, state.planned.minutes, state.minutes
    ends = ends_by(minute.world.recipe, step)
    by_ph = step.key in minute.world.fair_ph
    if ends in ("flocks", "set_looked") or by_ph or is_free(minute.world.recipe, step):
        return
    if step.kind == "warm":  # as fast as the vat can
        return
    spare = max(_LEAST_SPARE_MIN, _SPARE_SHARE * planned)
    by_hand = step.hands_on_minutes >= planned
    late = spare + step.may_stretch_minutes + (_HANDS_MIN if by_hand else 0.0)
    if took > planned + late:
        words = f"{so_long(took - planned)} over its {so_long(max(1.0, planned))}"
        yield Fault("late", words)
    elif not by_hand and step.kind != "heat" and took < planned - spare:
        yield Fault("early", f"after {so_long(max(1.0, took))} of {so_long(planned)}")


def _on_its_way(minute: AtMinute, state: StepState, seen: list[TraceAt]) -> Iterator[Fault]:
    """A warming that ran past its mark and came back, or went too fast: its end does not tell."""
    step, slack = state.planned.step, _slack_c(minute)
    band = step.celsius
    if band is None or not seen or step.kind not in _BROUGHT:
        return
    last, top = seen[-1].celsius, max(each.celsius for each in seen)
    if last <= band.high + slack < top:
        yield Fault("off", f"it came to {top:.1f} °C, {band.target:g} °C wanted")
    if step.kind == "heat" and state.minutes < _TOO_FAST * state.planned.minutes:
        if last < band.low - slack:
            return
        took, planned = so_long(max(1.0, state.minutes)), so_long(state.planned.minutes)
        yield Fault("early", f"heated in {took}, {planned} wanted: the curd gets a skin")


def _slack_c(minute: AtMinute) -> float:
    """How far outside a band the vat lets pass, °C."""
    return minute.world.sheet.house.number("ask.band_c")


def _held(minute: AtMinute, state: StepState, seen: list[TraceAt]) -> Iterator[Fault]:
    """Minutes outside the band while it is to be kept in it."""
    step = state.planned.step
    band = step.celsius
    if band is None or step.kind in _BROUGHT or step.kind == "cool":
        return
    slack = _slack_c(minute)
    cold = [each.celsius for each in seen if each.celsius < band.low - slack]
    hot = [each.celsius for each in seen if each.celsius > band.high + slack]
    if len(cold) > _OUT_MIN:
        words = f"{so_long(len(cold))} under {band.low:g} °C, {min(cold):.1f} °C at the coldest"
        yield Fault("off", words)
    if len(hot) > _OUT_MIN:
        words = f"{so_long(len(hot))} over {band.high:g} °C, {max(hot):.1f} °C at the warmest"
        yield Fault("off", words)


def _flocks(minute: AtMinute, state: StepState, seen: list[TraceAt]) -> Iterator[Fault]:
    """First flocks that were seen late, or never."""
    if ends_by(minute.world.recipe, state.planned.step) != "flocks":
        return
    rennet = minute.standing.rennet_at
    if minute.standing.flocks is None or rennet is None:
        yield Fault("missed", "the first flocks were not looked for: the cut went by the clock")
        return
    came = next((minute.moment(each.minute) for each in minute.trace if each.set_ >= 1), None)
    tried = minute.standing.flocks_min or 0.0
    if came is None or came <= rennet:
        return
    true = (came - rennet).total_seconds() / 60
    if tried > max(_FLOCKS_LATE * true, true + _FLOCKS_LATE_MIN):
        late = so_long(tried - true)
        yield Fault("late", f"seen {late} after they came: the cut is reckoned from it")


def _cut(minute: AtMinute, state: StepState, seen: list[TraceAt]) -> Iterator[Fault]:
    """A set that was left before it was firm, or after."""
    sets = minute.world.sheet.set
    if ends_by(minute.world.recipe, state.planned.step) != "set_looked" or sets is None:
        return
    looks = [deed.look for tap, deed in minute.standing.of(SetLooked) if tap.id == state.done_by]
    firm = seen[-1].set_ / sets.multiplier.value if seen else 0.0
    if looks == ["over"] or firm > OVER_FIRM:
        yield Fault("late", "over-firm when the knife came: it gives up its whey badly")
    elif not looks and firm < FIRM_ENOUGH:
        yield Fault("early", "cut before a clean break: fat and fines go with the whey")


def _reading(minute: AtMinute, state: StepState, seen: list[TraceAt]) -> Iterator[Fault]:
    """What the step asks to be read, and nobody read."""
    step = state.planned.step
    until = state.done_at or minute.now
    read = [each for each in minute.standing.readings if state.begins <= each.at <= until]
    if "temperature" in step.asks and seen and not any(e.celsius is not None for e in read):
        yield Fault("missed", "its warmth was not read")
    if "ph" in step.asks and not any(each.ph is not None for each in read):
        yield Fault("missed", "its pH was not read")


def _how(minute: AtMinute, state: StepState, seen: list[TraceAt], rule: Rule) -> How | None:
    """What it is called that a rule of the vat asks, None where the trace tells it better."""
    step = state.planned.step
    if rule in ("turns", "sign", "cold curd"):
        return "missed"
    if not seen:  # out of the vat its warmth and its acid are its own
        return None
    if rule in ("cold", "hot"):
        if step.kind == "add":
            return "off"
        if step.kind == "cool" or (step.kind in _BROUGHT and rule == "cold"):
            return "early"
        return "off" if step.kind in _BROUGHT else None
    if step.key not in minute.world.fair_ph or step.ph is None:
        return None
    if rule == "sweet":
        return "early"
    # Sour from the first, it could not have been left in time.
    return "late" if rule == "sour" and seen[0].ph >= step.ph.low else None


def _ends(minute: AtMinute, state: StepState, seen: list[TraceAt]) -> Iterator[Fault]:
    """What the vat would ask at its end, of what really was so: the dry run knows it."""
    done = state.done_at
    there = [each for each in minute.trace if done and minute.moment(each.minute) <= done]
    if done is None or not there:
        return
    true = Reading(id="true", at=done, celsius=there[-1].celsius, ph=there[-1].ph)
    end = StepEnd(
        state=state,
        at=done,
        recipe=minute.world.recipe,
        sheet=minute.world.sheet,
        day=replace(minute.day, standing=replace(minute.standing, readings=(true,))),
        milk_l=minute.world.litres,
    )
    for odd in odd_at_end(end):
        how = _how(minute, state, seen, odd.rule)
        if how:
            yield Fault(how, f"{odd.happened}, where {odd.planned} is wanted")


_RULES: tuple[Callable[[AtMinute, StepState, list[TraceAt]], Iterator[Fault]], ...] = (
    _time,
    _on_its_way,
    _held,
    _flocks,
    _cut,
    _reading,
    _ends,
)


def stood_alone(minute: AtMinute) -> str:
    """What is said of the time while nobody was there, "" where somebody was all the time.

    Parameters: minute. Source: derivation.
    """
    away = minute.world.away
    if away is None or minute.standing.last_away is None:
        return ""
    begins, ends = minute.standing.last_away
    called = next((each for each in minute.day.steps if each.begins <= begins <= each.ends), None)
    during = f", during “{called.planned.step.title}”" if called else ""
    return f"Called away for {so_long((ends - begins).total_seconds() / 60)}{during}."
