"""A dry run under way: what the hands do, told as the deeds of any make, and what it answers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from functools import cached_property
from typing import Any, Literal

from openpail.craft.deed import to_payload
from openpail.craft.errors import NotPossible
from openpail.craft.make.by_sheet import day_by
from openpail.craft.make.day import MakeDay, StepState
from openpail.craft.make.deeds import (
    CalledAway,
    CameBack,
    Deed,
    FirstFlocks,
    HeatOff,
    ReadingTaken,
    SetLooked,
    StepDone,
    Told,
    TurnedOver,
)
from openpail.craft.make.fold import fold
from openpail.craft.make.leave import missed
from openpail.craft.make.order import EndsBy, ends_by
from openpail.craft.make.plain import read
from openpail.craft.make.ramp import Coach, WarmingNow, coach
from openpail.craft.make.signs import LOOKS
from openpail.craft.make.simulated import SimulatedState, sown
from openpail.craft.make.standing import Standing
from openpail.craft.practice.world import (
    CALLED_SOON_MIN,
    LEAVES_THE_VAT,
    World,
    WorldState,
    is_culture,
)
from openpail.craft.sheet.washed import hot_water_kg

What = Literal["done", "read", "blade", "set", "heat", "turned", "wait", "go"]
WATER_C, _FULLER_C = 55.0, 15.0
_LONGEST_MIN = 20_160.0
_READ_TO_C, _READ_TO_PH, _TRACE_MIN = 1, 2, 1.0


@dataclass(frozen=True, slots=True, kw_only=True)
class TraceAt:
    """How the vat stood at a minute of a run: °C, pH, how far the set was."""

    minute: float
    celsius: float
    ph: float
    set_: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Run:
    """What was done so far: deeds, how it stands since the last of them, how it stood from minute
    to minute while it was in the vat, and what it answered."""

    told: tuple[Told, ...]
    state: WorldState
    trace: tuple[TraceAt, ...] = ()
    said: str = ""


def begun(world: World) -> Run:
    """A dry run before its first deed. Parameters: world. Source: derivation."""
    return Run(told=(), state=world.begun())


class AtMinute:
    """A dry run at one of its minutes: what stands on the clock, what is in the vat.

    started: the moment of its minute 0; minute, never before the last deed, and no later than when
    somebody calls you away, until you went.
    """

    def __init__(self, world: World, run: Run, started: datetime, minute: float) -> None:
        self.world, self.run, self.started = world, run, started
        went = any(isinstance(each.deed, CameBack) for each in run.told)
        until = world.away[0] if world.away and not went else _LONGEST_MIN
        self.minute = max(run.state.minute, min(minute, until))

    @property
    def now(self) -> datetime:
        """The moment of its minute."""
        return self.moment(self.minute)

    def moment(self, minute: float) -> datetime:
        """The moment of any of its minutes."""
        return self.started + timedelta(minutes=minute)

    @cached_property
    def _passed(self) -> list[WorldState]:
        """How it stood from minute to minute since the last deed, with now."""
        return _passed(self.world, self.run.state, self.minute)

    @property
    def state(self) -> WorldState:
        """The vat at this minute."""
        return self._passed[-1]

    @property
    def trace(self) -> tuple[TraceAt, ...]:
        """How the vat stood until now; no more of it once it is empty."""
        return (*self.run.trace, *_traced(self._passed)) if self.in_vat else self.run.trace

    @cached_property
    def standing(self) -> Standing:
        """What the deeds come to."""
        return fold(self.world.recipe, self.run.told)

    @cached_property
    def day(self) -> MakeDay:
        """The steps on the clock."""
        return self.day_at(self.now)

    def day_at(self, now: datetime) -> MakeDay:
        """The steps on the clock as it stood at a moment."""
        world = self.world
        return day_by(world.recipe, world.sheet, self.standing, started=self.started, now=now)

    @property
    def step(self) -> StepState | None:
        """The step for the hands, None when all are done."""
        return self.day.current

    @property
    def ends_by(self) -> EndsBy:
        """What the step of now is ended by."""
        return ends_by(self.world.recipe, self.step.planned.step) if self.step else "step_done"

    @property
    def in_vat(self) -> bool:
        """Whether there is something in the vat that the heat reaches."""
        done = {each.planned.step.kind for each in self.day.steps if each.done_at}
        return self.step is not None and not LEAVES_THE_VAT & done

    @property
    def in_vat_steps(self) -> tuple[StepState, ...]:
        """The steps until the curd leaves the vat."""
        kinds = [each.planned.step.kind in LEAVES_THE_VAT for each in self.day.steps]
        return self.day.steps[: kinds.index(True)] if True in kinds else self.day.steps

    @property
    def away(self) -> tuple[float, float] | None:
        """From which minute to which nobody is there now, None while somebody is."""
        away = self.world.away
        went = bool(self.standing.of(CameBack))
        return away if away and away[0] <= self.minute and not went else None

    @property
    def called_in(self) -> float | None:
        """Minutes until somebody wants you away, None while nobody does soon."""
        away = self.world.away
        ahead = away[0] - self.minute if away else 0.0
        return ahead if 0 < ahead <= CALLED_SOON_MIN else None

    @property
    def ph(self) -> float:
        """The pH in the vat, with the acid that is being poured in."""
        state, vat = self.step, self.state.vat
        target = self.world.recipe.acid_target_ph
        if state is None or target is None or not self._pours_acid(state):
            return vat.ph
        share = (self.now - state.begins).total_seconds() / 60 / max(1.0, state.planned.minutes)
        return min(vat.ph, vat.ph + min(1.0, share) * (target - vat.ph))

    def _pours_acid(self, state: StepState) -> bool:
        acid = self.world.recipe.ingredient("acid")
        return acid is not None and acid.key in state.planned.step.adds

    @property
    def turns_left(self) -> int:
        """How often the cheese is still to be turned at this step."""
        step = self.step.planned.step if self.step else None
        if step is None or step.times <= 1:
            return 0
        return max(0, step.times - len(self.standing.turned(step.key)))

    @property
    def water_l(self) -> float | None:
        """Water of `WATER_C`, L, that brings the vat to the warmth of this step; None at a step
        that adds none, or says no warmth."""
        step = self.step.planned.step if self.step else None
        if step is None or step.kind != "add water" or step.celsius is None:
            return None
        water = max(WATER_C, step.celsius.target + _FULLER_C)
        at = self.state
        return hot_water_kg(at.litres, at.vat.celsius, step.celsius.target, water)

    @cached_property
    def warming(self) -> tuple[WarmingNow, Coach] | None:
        """A warming under way, by what was read of it, and what its coach says."""
        state = self.step
        step = state.planned.step if state else None
        if state is None or step is None or step.celsius is None:
            return None
        if step.kind not in ("warm", "heat"):
            return None
        read_ = [
            ((each.at - state.begins).total_seconds() / 60, each.celsius)
            for each in self.standing.readings
            if each.celsius is not None and each.at >= state.begins
        ]
        off = [tap.at for tap, _ in self.standing.of(HeatOff) if tap.at >= state.begins]
        since = (self.now - state.begins).total_seconds() / 60
        begins = (state.begins - self.started).total_seconds() / 60
        stood = (each.celsius for each in self.trace if each.minute >= begins)
        start = next(stood, self.state.vat.celsius)
        now = WarmingNow(
            start_c=start,
            target_c=step.celsius.target,
            minutes=state.planned.minutes,
            now_min=since,
            read=read_,
            heat_off_min=(off[-1] - state.begins).total_seconds() / 60 if off else None,
            curd=step.kind == "heat",
        )
        return now, coach(now, self.world.sheet.house)

    # ── the hands ──

    def does(self, what: What, share: float = 0.0) -> Run:
        """The run after one deed of the hands.

        Parameters: what; share of the heat, −1 to 1, of “heat”. Raises: NotPossible while nobody is
        there, or for what cannot be done now. Source: derivation.
        """
        away = self.away
        if what == "go":
            return self._back(away)
        if away is not None and what != "wait":
            raise NotPossible("You are called away: nobody is at the vat.")
        match what:
            case "wait":
                return self._with()
            case "heat":
                return self._heat(share)
            case "read":
                return self._read()
            case "blade":
                return self._blade()
            case "set":
                return self._set()
            case "turned":
                return self._turned()
            case _:
                return self._done()

    def _with(self, *deeds: Deed, said: str = "", state: WorldState | None = None) -> Run:
        count = len(self.run.told)
        told = [
            Told(id=f"run-{count + number}", deed=deed, happened=self.now, counter=count + number)
            for number, deed in enumerate(deeds)
        ]
        return Run(
            told=(*self.run.told, *told), state=state or self.state, trace=self.trace, said=said
        )

    def _back(self, away: tuple[float, float] | None) -> Run:
        """Gone, and back again: the vat stood alone."""
        if away is None:
            raise NotPossible("Nobody calls you now.")
        begins, ends = away
        alone = _passed(self.world, self.state, ends)
        count = len(self.run.told)
        gone = Told(id="run-away", deed=CalledAway(), happened=self.moment(begins), counter=count)
        back = Told(id="run-back", deed=CameBack(), happened=self.moment(ends), counter=count + 1)
        day = AtMinute(self.world, self.run, self.started, ends).day
        went, came = self.moment(begins), self.moment(ends)
        words = missed(day, self.day_at(went), since=went, until=came).now
        trace = (*self.trace, *_traced(alone)) if self.in_vat else self.run.trace
        return Run(
            told=(*self.run.told, gone, back), state=alone[-1], trace=trace, said=f"Back. {words}"
        )

    def _heat(self, share: float) -> Run:
        if not self.in_vat:
            raise NotPossible("It is out of the vat: no heat reaches it.")
        if not -1 <= share <= 1:
            raise NotPossible("The heat is between none and all.")
        off = self.state.heat > 0 >= share
        return self._with(*([HeatOff()] if off else []), state=replace(self.state, heat=share))

    def _read(self) -> Run:
        asks = self.step.planned.step.asks if self.step else ()
        wants_ph = "ph" in asks or (self.step is not None and self.step.planned.step.ph is not None)
        vat = self.state.vat
        celsius = round(vat.celsius, _READ_TO_C) if self.in_vat else None
        ph = round(self.ph, _READ_TO_PH) if wants_ph else None
        if celsius is None and ph is None:
            raise NotPossible("There is nothing to read at this step.")
        return self._with(ReadingTaken(celsius=celsius, ph=ph))

    def _blade(self) -> Run:
        if self.ends_by != "flocks":
            raise NotPossible("The blade is tried while the first flocks are waited for.")
        if self.world.look(self.state) == "liquid":
            return self._with(said="Clear on the blade: nothing yet.")
        return self._with(FirstFlocks(counts=True), said="First flocks on the blade.")

    def _set(self) -> Run:
        if self.ends_by != "set_looked":
            raise NotPossible("There is no set to try at this step.")
        look = self.world.look(self.state)
        return self._with(SetLooked(look), said=f"The blade shows: {LOOKS[look].lower()}.")

    def _turned(self) -> Run:
        if self.step is None or not self.turns_left:
            raise NotPossible("Nothing is turned at this step.")
        return self._with(TurnedOver(self.step.planned.step.key), said="Turned.")

    def _done(self) -> Run:
        if self.step is None:
            raise NotPossible("All is done.")
        step = self.step.planned.step
        return self._with(StepDone(step=step.key), state=self._after(self.step))

    def _after(self, done: StepState) -> WorldState:
        """What the end of a step does to what is in the vat."""
        step, state = done.planned.step, self.state
        if step.share:
            state = replace(state, litres=max(1.0, state.litres - step.share * self.world.litres))
        water = self.water_l
        if water and step.celsius:
            at = replace(state.vat, celsius=step.celsius.target, jacket_c=step.celsius.target)
            state = replace(state, litres=state.litres + water, vat=at)
        if self._pours_acid(done):
            state = replace(state, vat=replace(state.vat, ph=self.ph))
        kinds = {e.product.kind for e in self.world.recipe.ingredients if e.key in step.adds}
        if is_culture(self.world.recipe, step.adds):
            state = replace(state, vat=sown(state.vat))
        if "rennet" in kinds:
            state = replace(state, rennet_in=True)
        if step.kind in LEAVES_THE_VAT:
            state = replace(state, heat=0.0)
        return state


def _passed(world: World, state: WorldState, until: float) -> list[WorldState]:
    states = [state]
    while states[-1].minute < until:
        states.append(world.goes_on_to(states[-1], min(until, states[-1].minute + _TRACE_MIN)))
    return states


def _traced(states: list[WorldState]) -> list[TraceAt]:
    """All but the last, which the next deed begins with."""
    return [
        TraceAt(
            minute=round(each.minute, 2),
            celsius=round(each.vat.celsius, 2),
            ph=round(each.vat.ph, 3),
            set_=round(each.set_, 3),
        )
        for each in states[:-1]
    ]


# ── kept ──


def to_json(run: Run) -> dict[str, Any]:
    """A run as plain data. Source: derivation."""
    state, vat = run.state, run.state.vat
    return {
        "told": [
            [each.id, each.deed.kind, to_payload(each.deed), each.happened.isoformat()]
            for each in run.told
        ],
        "state": [state.minute, state.litres, state.heat, state.set_, state.rennet_in],
        "vat": [vat.celsius, vat.jacket_c, vat.ph, vat.grown, vat.minutes],
        "trace": [[t.minute, t.celsius, t.ph, t.set_] for t in run.trace],
        "said": run.said,
    }


def from_json(data: Mapping[str, Any]) -> Run:
    """Read back what `to_json` wrote. Parameters: data. Raises: KeyError for other JSON."""
    minute, litres, heat, set_, rennet_in = data["state"]
    celsius, jacket_c, ph, grown, minutes = data["vat"]
    vat = SimulatedState(celsius=celsius, jacket_c=jacket_c, ph=ph, grown=grown, minutes=minutes)
    told = tuple(
        Told(id=key, deed=read(kind, payload), happened=datetime.fromisoformat(at), counter=number)
        for number, (key, kind, payload, at) in enumerate(data["told"])
    )
    state = WorldState(
        minute=minute, vat=vat, litres=litres, heat=heat, set_=set_, rennet_in=rennet_in
    )
    trace = tuple(
        TraceAt(minute=at, celsius=warm, ph=sour, set_=firm)
        for at, warm, sour, firm in data["trace"]
    )
    return Run(told=told, state=state, trace=trace, said=data["said"])
