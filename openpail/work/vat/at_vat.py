"""The vat: what fills the screen for the step of now, and what the maker tells."""

from __future__ import annotations

import hashlib
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property

from openpail.craft.bench.vat import level_cm
from openpail.craft.dates import UNDO_WITHIN
from openpail.craft.errors import NotHere
from openpail.craft.figure import Figure
from openpail.craft.make.additions import (
    AcidNow,
    acid_now,
    by_weight,
    cheese_now,
    expected_flocks,
    from_another,
    one_part,
)
from openpail.craft.make.bands import ph_said, round_seconds, warmth_said
from openpail.craft.make.care import at_step, raw_heat
from openpail.craft.make.day import MakeDay, StepState
from openpail.craft.make.deeds import Felt, SetLooked, TimerSet, Told, WaterAdded, WheyOff
from openpail.craft.make.fold import fold
from openpail.craft.make.frozen import Frozen, FrozenLine
from openpail.craft.make.leave import Leave, Missed, missed
from openpail.craft.make.now import Now
from openpail.craft.make.order import back_to, set_step
from openpail.craft.make.set_talk import FlocksSaid, flocks_said, wants_help
from openpail.craft.make.signs import Ladder, asked_at, wanted
from openpail.craft.make.standing import Reading, Standing, odd_flocks, whey_off_l
from openpail.craft.recipe.recipe import Recipe, RecipeStep
from openpail.craft.recipe.yields import NO_RENNET_FAMILIES
from openpail.craft.sheet.cautions import Caution
from openpail.craft.sheet.moves import titled
from openpail.records.dairy.models import Vat
from openpail.records.log import actions as log
from openpail.records.log import samples
from openpail.records.log.samples import Sampled
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk
from openpail.records.milk.models import MilkLot
from openpail.records.recipes import actions as recipes
from openpail.work.dairy import instruments
from openpail.work.here import Here
from openpail.work.make import marks
from openpail.work.make.day import as_it_runs, day_of
from openpail.work.make.log import Answer, tell
from openpail.work.make.made import (
    made_of_whey,
    planned_of,
    poured_l,
    recipe_of,
    standing_of,
    stops_of,
)
from openpail.work.vat import stream as streams
from openpail.work.vat import warmth as warmths
from openpail.work.vat.on_trial import TrialAtMake, trials_at
from openpail.work.vat.stream import ProbeNow
from openpail.work.vat.warmth import Stood, Warmth, WashNow

_WHEY_RUNS = frozenset({"take whey off", "drain", "hang", "mould", "press"})
_LEAVES_THE_VAT = frozenset({"drain", "hang", "mould", "cheddar"})
_FAR_C, _COLDEST_C, _WARMEST_START_C = 15.0, 0.5, 38.0
_PAGE = 100
_LAST_MAKES = 3


@dataclass(frozen=True, slots=True)
class Whey:
    """The whey of a make once it runs: litres to expect, where it was put, who can use it."""

    litres: float
    kept: MilkLot | None
    recipes: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Addition:
    """What a step gives: its line, the dose by what is really at hand, one part of it and how many
    parts there are; acid that goes in bit by bit."""

    line: FrozenLine
    dose: Figure
    part: Figure
    parts: int
    acid: AcidNow | None = None


@dataclass(frozen=True, slots=True)
class HadHere:
    """What an earlier make of the same cheese had at this step: its signs, and how it went."""

    make: Make
    signs: tuple[Felt, ...]
    minutes: float | None


class AtVat:
    """A make at the vat: its sheet, its day, its vat; the rest is worked out when it is asked."""

    def __init__(self, here: Here, make: Make) -> None:
        self.here, self.make = here, make
        self.recipe: Recipe = recipe_of(make)
        self.sheet: Frozen = makes.sheet_of(make)
        runs = as_it_runs(here, make)
        self.day: MakeDay = runs.day
        self.now: Now = runs.now
        self.standing: Standing = self.day.standing
        self.vat: Vat = here.vat(make.vat_id)
        self.water_c: float | None = None  # as hot as somebody says the wash water is

    @cached_property
    def litres(self) -> float:
        """The milk that went in, L."""
        return poured_l(self.here, self.make)

    @property
    def told_here_l(self) -> float:
        """Whey that was told off, or water in where this step pours it, since it began, L."""
        state = self.step
        if state is None:
            return 0.0
        sort = WaterAdded if state.planned.step.kind == "add water" else WheyOff
        return sum(self.standing.litres_told(sort, state.begins, self.here.now))

    @property
    def back(self) -> RecipeStep | None:
        """The souring that the step of now may send back to, None where none came before it."""
        step = self.step.planned.step if self.step else None
        return back_to(self.recipe, step.key, self.standing.done) if step else None

    @property
    def stands_l(self) -> float:
        """What stands in the vat now, L: the milk without the whey that was taken, with water."""
        off = whey_off_l(self.recipe, self.standing, self.litres)
        water = sum(deed.litres for _, deed in self.standing.of(WaterAdded))
        return max(0.0, self.litres - off + water)

    @property
    def level_cm(self) -> float | None:
        """How high it stands, cm; None where the vat was never measured."""
        return self.level_at(self.stands_l)

    def level_at(self, litres: float) -> float | None:
        """How high so many litres stand in the vat, cm."""
        return level_cm(litres, self.vat.diameter_cm, self.vat.measured)

    def told_at(self, event: str) -> datetime | None:
        """When a deed is thought to have happened, None of one that nothing stands by."""
        standing = self.standing
        ends = [each for each in (standing.flocks, standing.weighed) if each]
        at = {each.id: each.at for each in [*standing.done.values(), *ends]}
        at |= {each.id: each.at for each in standing.whey}
        at |= {each.id: each.at for each in standing.readings}
        return (at | {each.id: each.at for each in standing.taps}).get(event)

    @cached_property
    def recent(self) -> tuple[str, ...]:
        """The deeds that may still be undone, the last first."""
        since = self.here.now - UNDO_WITHIN
        return log.told_since(self.here.session, self.make.dairy_id, self.make.id, since)

    @cached_property
    def cautions(self) -> tuple[Caution, ...]:
        """What is to be said above all: what stays of its milk, slow acid, what is foul."""
        heated = raw_heat(self.recipe, self.sheet.milk.raw, self.standing)
        return (
            *(marks.as_caution(each) for each in marks.brought(self.here, self.make)),
            *stops_of(self.here, self.make, self.standing),
            *((heated,) if heated else ()),
        )

    @property
    def notes(self) -> tuple[Caution, ...]:
        """What the step of now may do to hands."""
        if self.step is None:
            return ()
        wash = self.wash
        return at_step(self.step.planned.step, self.vat.heater, wash.water_c if wash else None)

    @property
    def step(self) -> StepState | None:
        """The step for the hands, None when all are done."""
        return self.day.current

    @property
    def title(self) -> str:
        """What the step of now is called, with the figures of this milk."""
        if self.step is None:
            return ""
        step = self.step.planned.step
        return titled(step.title, self.sheet.moved.of(step.key))

    @property
    def cheese(self) -> Figure:
        """The cheese that it is thought to give: by the last scale, else by its milk."""
        return cheese_now(self.recipe, self.sheet, self.standing)

    @property
    def may_weigh(self) -> bool:
        """Whether there is a cheese to weigh: the curd is cut, and it is not weighed yet."""
        cut = all(step.done_at for step in self.day.steps if step.planned.step.kind == "cut")
        return cut and self.standing.weighed is None and self.standing.ended is None

    @cached_property
    def told(self) -> Sequence[tuple[uuid.UUID, int, str, datetime | None]]:
        """How many deeds this make has, and each under way, and when its probe spoke last."""
        return makes.deeds_told(self.here.session, self.here.dairy, self.make.id)

    @cached_property
    def streamed(self) -> list[Sampled]:
        """What a probe showed since the make began, a value for each five minutes."""
        spoke = any(key == self.make.id and shown for key, _, _, shown in self.told)
        if not spoke:
            return []
        return samples.drawn(self.here.session, self.make, self.make.started_at)

    @property
    def probe(self) -> ProbeNow | None:
        """What the probe in the vat showed last, None where none stands there, or never spoke."""
        if not self.vat.probe or self.make.station != "vat" or not self.streamed:
            return None
        return streams.shown(self.streamed[-1], self.here.now)

    @property
    def others(self) -> tuple[RecipeStep, ...]:
        """Steps that may be done now beside the one of now."""
        return self.day.may_be_done(self.recipe)

    @property
    def in_vat(self) -> bool:
        """Whether milk or curd stands in the vat still, and is not drained or moulded."""
        return not any(
            each.done_at and each.planned.step.kind in _LEAVES_THE_VAT for each in self.day.steps
        )

    # ── what is given ──

    def additions(self) -> tuple[Addition, ...]:
        """What the step of now gives, as the recipe has it."""
        if self.step is None:
            return ()
        step = self.step.planned.step
        found = []
        for line in self.sheet.lines:
            if line.key not in step.adds:
                continue
            dose = by_weight(line, self.recipe, self.sheet, self.standing)
            part, parts = one_part(dose, self.recipe, step.key)
            bit_by_bit = line.kind == "acid" and self.recipe.family in NO_RENNET_FAMILIES
            acid = acid_now(line, self.standing, self.sheet.house) if bit_by_bit else None
            found.append(Addition(line=line, dose=dose, part=part, parts=parts, acid=acid))
        return tuple(found)

    @property
    def next_part(self) -> int:
        """Which part of what is given in parts comes next, from 1."""
        return len(self.standing.portions(self.step.planned.step.key)) + 1 if self.step else 1

    @property
    def by_curd_weight(self) -> bool:
        """Whether what is given now goes by the weight of the curd, and it is not weighed."""
        if self.step is None or self.standing.curd_kg is not None:
            return False
        by = {e.key for e in self.recipe.ingredients if e.basis == "percent_of_curd"}
        return bool(by & set(self.step.planned.step.adds))

    def unwritten(self) -> tuple[FrozenLine, ...]:
        """Doses that this milk wants and no step of the recipe gives, due before the rennet."""
        if self.step is None:
            return ()
        adds = self.step.planned.step.adds
        return tuple(line for line in self.sheet.given_by(adds) if line.key not in adds)

    # ── the set ──

    @property
    def flocks(self) -> FlocksSaid | None:
        """What the first flocks say, once they are seen."""
        return flocks_said(self.recipe, self.sheet, self.day)

    @property
    def odd_flocks(self) -> bool:
        """Whether the first flocks came too far from what was expected to count."""
        seen = self.standing.flocks_min
        return bool(
            seen and self.flocks_due and odd_flocks(seen, self.flocks_due, self.sheet.house)
        )

    @property
    def flocks_due(self) -> float:
        """Minutes from the rennet to the first flocks, as they are expected; 0 without a set."""
        return expected_flocks(self.recipe, self.sheet, self.standing)

    @property
    def is_setting(self) -> bool:
        """Whether the step of now is ended by a clean break."""
        return bool(self.step and self.step.planned.step.key == set_step(self.recipe))

    @property
    def gives_rennet(self) -> bool:
        """Whether the rennet goes in at the step of now: the set begins with it."""
        adds = self.step.planned.step.adds if self.step else ()
        return any(line.kind == "rennet" and line.key in adds for line in self.sheet.lines)

    @property
    def not_firm(self) -> int:
        """How often the set was tried and was not firm."""
        return sum(deed.look in ("soft", "liquid") for _, deed in self.standing.of(SetLooked))

    @property
    def wants_help(self) -> bool:
        """Whether the set was tried so often that it wants more than waiting."""
        return wants_help(self.not_firm, self.sheet.house)

    # ── warmth, water, acid ──

    @cached_property
    def warmth(self) -> Warmth | None:
        """How a warming goes, None at other steps."""
        return warmths.warmth(self.here, self.make, self.sheet.house, self.standing, self.step)

    @property
    def wash(self) -> WashNow | None:
        """The water of a wash, with water as hot as it is; None at other steps."""
        return warmths.wash_now(self, self.water_c)

    @property
    def whey_off_l(self) -> float | None:
        """Whey to take off at this step, L; None where the recipe does not say."""
        share = self.step.planned.step.share if self.step else None
        return None if share is None else share * self.litres

    @cached_property
    def stood(self) -> Stood | None:
        """How long it stood warm without a working culture; None with one."""
        return warmths.stood_warm(self.here, self.make, self.recipe, self.sheet, self.standing)

    @property
    def said(self) -> tuple[str, ...]:
        """What the last readings of this step mean, where they leave its bands."""
        state = self.step
        if state is None:
            return ()
        since = [each for each in self.standing.readings if each.at >= state.begins]
        warm = [each.celsius for each in since if each.celsius is not None]
        sour = [each.ph for each in since if each.ph is not None]
        step, early = state.planned.step, self.here.now < state.ends
        found = (
            warmth_said(step, warm[-1]) if warm else "",
            ph_said(step, sour[-1], early) if sour else "",
        )
        return tuple(words for words in found if words)

    @property
    def round_s(self) -> float | None:
        """How long one round of the spoon takes now, s; None where nothing is stirred."""
        state = self.step
        if state is None:
            return None
        over = (self.here.now - state.begins).total_seconds() / 60
        share = over / state.planned.minutes if state.planned.minutes else 1.0
        weak = bool(self.sheet.moved.said(state.planned.step.key))
        return round_seconds(state.planned.step, share, weak)

    @property
    def turned(self) -> int:
        """How often the slabs were laid or turned so far: each sets the clock of the next."""
        return sum(deed.slabs for _, deed in self.standing.of(TimerSet))

    @property
    def turn_min(self) -> float:
        """Minutes from one turn of the slabs to the next."""
        return self.sheet.house.number("slabs.turn_min")

    @cached_property
    def meter_unset(self) -> bool:
        """Whether this step asks for a pH, and the meter was not set today."""
        if self.step is None or "ph" not in self.step.planned.step.asks:
            return False
        return not instruments.is_ph_set(self.here)

    @cached_property
    def trials(self) -> tuple[TrialAtMake, ...]:
        """The trials of this cheese that are under way, as this make speaks of them."""
        step = self.step.planned.step if self.step else None
        return trials_at(self.here, self.recipe, self.make.id, step)

    # ── signs, leaving, coming back ──

    @property
    def ladders(self) -> tuple[tuple[Ladder, str | None], ...]:
        """The signs that speak at this step, each with the rung it should have reached."""
        if self.step is None:
            return ()
        step = self.step.planned.step
        return tuple(
            (each, wanted(self.recipe, step, each.of)) for each in asked_at(self.recipe, step)
        )

    @cached_property
    def had_here(self) -> tuple[HadHere, ...]:
        """What the last makes of this cheese had at this step."""
        if self.step is None:
            return ()
        key = self.step.planned.step.key
        found = []
        for make in makes.last_like(self.here.session, self.make, _LAST_MAKES):
            standing = standing_of(self.here, make)
            signs = tuple(d for _, d in standing.of(Felt) if d.step == key and (d.sign or d.note))
            done = standing.done.get(key)
            day = day_of(self.here, make, standing) if done else None
            state = next((s for s in day.steps if s.planned.step.key == key), None) if day else None
            if signs or state:
                found.append(HadHere(make, signs, state.minutes if state else None))
        return tuple(found)

    @property
    def leave(self) -> Leave | None:
        """How long this step may be left."""
        return self.now.leave

    @property
    def missed(self) -> Missed | None:
        """What was missed so far while nobody is at the vat; None while somebody is."""
        since = self.standing.away_since
        return self._missed(since, self.here.now) if since else None

    def _missed(self, since: datetime, until: datetime) -> Missed:
        as_it_stood = day_of(self.here, self.make, self.standing, since)
        return missed(self.day, as_it_stood, since=since, until=until)

    @property
    def came_back(self) -> Missed | None:
        """What was missed, for a while after somebody came back to it; None when all is well."""
        gone = self.standing.last_away
        if gone is None or self.here.now - gone[1] > UNDO_WITHIN or self.standing.away_since:
            return None
        ended = [done.at for done in self.standing.done.values()]
        return None if any(at >= gone[1] for at in ended) else self._missed(*gone)

    # ── the whey ──

    @cached_property
    def whey(self) -> Whey | None:
        """What there is of whey once it runs, None before, and of a whey cheese."""
        reached = {each.planned.step.kind for each in self.day.steps if each.done_at}
        if self.step:
            reached.add(self.step.planned.step.kind)
        if self.recipe.family == "whey" or not _WHEY_RUNS & reached:
            return None
        here = self.here
        offered = recipes.keys_of_family(here.session, here.dairy, "whey")
        kept = milk.whey_of(here.session, here.dairy, self.make)
        return Whey(made_of_whey(here, self.make).litres, kept, offered)


def at_vat(here: Here, make_id: uuid.UUID) -> AtVat:
    """A make as its page shows it. Raises NotHere."""
    return AtVat(here, makes.make(here.session, here.dairy, make_id))


def from_bottle(here: Here, make_id: uuid.UUID, key: str, lot: str) -> tuple[Figure, str]:
    """The dose of an ingredient from another lot of the stock, and what that does to what follows.

    Raises: NotHere; craft's NotPossible where one cannot be turned into the other.
    """
    at = at_vat(here, make_id)
    line = at.sheet.line(key)
    other = next((each.product for each in here.shelf if str(each.row.id) == lot), None)
    if line is None or other is None:
        raise NotHere("no such bottle")
    own = at.sheet.bottles.get(key)
    ours = own or next(each.product for each in at.recipe.ingredients if each.key == key)
    dose = by_weight(line, at.recipe, at.sheet, at.standing)
    found = from_another(dose, ours, other, at.recipe, at.sheet.house)
    words = f"{other.name} is not the sheet’s {ours.name}: so much of it does the same."
    if line.kind == "rennet":
        words += " What was learnt of the other bottle does not hold: watch for the first flocks."
    return found, words


def likely_c(here: Here, make_id: uuid.UUID) -> tuple[float, float]:
    """Between which °C a reading at the vat is looked for now: about the last one and the step's.

    Raises: NotHere.
    """
    make = makes.make(here.session, here.dairy, make_id)
    step = day_of(here, make).current
    warm = step.planned.step.celsius if step else None
    read = [each.celsius for each in standing_of(here, make).readings if each.celsius is not None]
    known = [*read[-1:], *([warm.low, warm.high] if warm else [])]
    if not read:  # milk comes from the fridge, or from the animal
        return _COLDEST_C, max([*known, _WARMEST_START_C]) + _FAR_C
    return max(_COLDEST_C, min(known) - _FAR_C), max(known) + _FAR_C


def version(here: Here, make_id: uuid.UUID) -> str:
    """What changes with every deed of this make, and of any other that is under way.

    Raises: NotHere. A page asks for it every few seconds: it reads no more than their last deeds.
    """
    return version_of(makes.deeds_told(here.session, here.dairy, make_id))


def version_of(found: Sequence[tuple[uuid.UUID, int, str, datetime | None]]) -> str:
    """The same, of what was read already."""
    told = "|".join(  # what a probe shows is looked at once a minute
        f"{key}:{count}:{state}:{shown:%H:%M}" if shown else f"{key}:{count}:{state}"
        for key, count, state, shown in found
    )
    return hashlib.sha256(told.encode()).hexdigest()[:20]


def all_readings(here: Here, make_id: uuid.UUID, page: int) -> tuple[Make, list[Reading], int]:
    """A make, a page of its readings (0 the newest), and how many pages there are.

    Raises: NotHere.
    """
    make = makes.make(here.session, here.dairy, make_id)
    told = log.of_make(here.session, make.dairy_id, make.id)
    readings = fold(recipe_of(make), told).readings[::-1]
    pages = max(1, -(-len(readings) // _PAGE))
    return make, list(readings[page * _PAGE : (page + 1) * _PAGE]), pages


def say(here: Here, make_id: uuid.UUID, told: Told, *, by_hand: bool = False) -> Answer:
    """Tell one deed of a make; by_hand, at a moment that was typed. Raises NotHere."""
    return tell(here, make_id, [told], by_hand=by_hand)[0]


def is_told(here: Here, event: uuid.UUID) -> bool:
    """Whether a deed is kept already."""
    return bool(log.there(here.session, here.dairy.id, [event]))


def frozen_sheet(here: Here, make_id: uuid.UUID) -> tuple[Make, Frozen, Sequence[object]]:
    """A make's sheet as it was, with its steps. Raises NotHere."""
    make = makes.make(here.session, here.dairy, make_id)
    return make, makes.sheet_of(make), planned_of(make)
