"""Press & salt: the makes that stand there, what presses on them, what they lie in, the clocks."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

from openpail.craft.clock.gear import Gear
from openpail.craft.make.additions import cheese_now
from openpail.craft.make.deeds import Loaded
from openpail.craft.make.pressing import (
    InMoulds,
    Pressing,
    cold_says,
    is_at_press,
    load_of,
    pressing,
)
from openpail.craft.make.salting import Brined as SaltOfStay
from openpail.craft.make.salting import (
    BrinePlan,
    KeptIn,
    keeping,
    salt_held,
    salt_in_whey_g,
)
from openpail.craft.make.turns import NextTurn
from openpail.craft.make.whey_book import WheyBook, whey_book
from openpail.craft.make.yielded import Yielded, yielded
from openpail.craft.press.moulds import Filling, choices, fill
from openpail.craft.recipe.recipe import RecipeStep
from openpail.craft.recipe.rubbed import rind_rubs
from openpail.craft.salt.drying import Drying, drying
from openpail.craft.salt.rind import Rub
from openpail.craft.salt.tub import TubStanding
from openpail.records.brine import actions as brine
from openpail.records.brine.models import Brining, Tub
from openpail.work.make.made import given_to, made_of_whey
from openpail.work.press.brining import TubChoice, covers, mould_of, pieces_of, plan_in, tub_choices
from openpail.work.press.gear import in_moulds, pressing_now, sort_of
from openpail.work.vat.at_vat import AtVat


@dataclass(frozen=True, slots=True)
class MouldChoice:
    """A sort of mould that this curd could go into: how it fills so many of them; ours: the one
    that it was given."""

    gear: Gear
    filling: Filling
    ours: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class InTub:
    """The tub that it lies in now: what is told of its stay, and how."""

    tub: Tub
    standing: TubStanding
    stay: Brining
    plan: BrinePlan
    covers: str


class AtPress:
    """A make at Press & salt; all of it is worked out when it is asked."""

    def __init__(self, at: AtVat) -> None:
        self.at, self.here, self.make = at, at.here, at.make
        self.recipe, self.sheet, self.standing = at.recipe, at.sheet, at.standing

    @property
    def step(self) -> RecipeStep | None:
        """The step of now, as this milk moves it."""
        return self.at.step.planned.step if self.at.step else None

    @property
    def _written(self) -> RecipeStep | None:
        """The step of now as the recipe has it."""
        return self.recipe.step(self.step.key) if self.step else None

    # ── moulds ──

    @cached_property
    def moulds(self) -> InMoulds:
        """The moulds that it is in, or is to go into."""
        return in_moulds(self.here, self.make, self.recipe, self.sheet, self.standing)

    @cached_property
    def pieces_kg(self) -> tuple[float, ...]:
        """Its pieces, kg each; about, while nobody weighed them."""
        return pieces_of(self.standing, self.sheet, self.recipe)

    @property
    def labels(self) -> tuple[str, ...]:
        """The numbers of its pieces, which they keep."""
        count = len(self.pieces_kg)
        return tuple(f"{self.make.number}-{number}" for number in range(1, count + 1))

    @property
    def is_weighed(self) -> bool:
        """Whether its pieces were weighed out of their moulds."""
        return self.standing.out_of_mould is not None

    @property
    def curd_kg(self) -> float:
        """The curd that goes into the moulds, kg: as it was weighed, else about."""
        expected = self.sheet.cheese.value * self.sheet.house.number("yield.curd_before_press")
        return self.standing.curd_kg or expected

    @property
    def cheese_kg(self) -> float:
        """The cheese that it is thought to give, kg: as it was weighed last, else about."""
        return cheese_now(self.recipe, self.sheet, self.standing).value

    @cached_property
    def mould_choices(self) -> list[MouldChoice]:
        """The sorts of mould that this curd fits, what it was given first."""
        measured = [each for each in self.here.gear if each.kind == "mould" and each.mould]
        is_pressed = any(step.kind == "press" and step.load_kg for step in self.recipe.steps)
        fit = [
            (each.id, each.mould, each.count)
            for each in measured
            if each.mould and (each.follower or not is_pressed)
        ]
        cheese, house = self.cheese_kg, self.sheet.house
        by_id = {each.id: each for each in measured}
        given = self.sheet.given.moulds
        own = by_id.get(given[0].split("/")[0]) if given else None
        found = []
        if own and own.mould:
            filling = fill(self.curd_kg, cheese, len(given), own.mould, house)
            found.append(MouldChoice(own, filling, True))
        for key, filling in choices(self.curd_kg, cheese, fit, house):
            if own is None or key != own.id:
                found.append(MouldChoice(by_id[key], filling, False))
        return found

    # ── the press ──

    @property
    def press(self) -> Gear | None:
        """The press that it is in, or is to go under."""
        return sort_of(self.here, self.press_key)

    @cached_property
    def pressing(self) -> Pressing | None:
        """The pressing of now, for these moulds; None at other steps."""
        step = self._written
        if step is None or step.kind != "press":
            return None
        return self.pressing_of(step)

    def pressing_of(self, step: RecipeStep) -> Pressing:
        """One of its pressings, for these moulds."""
        press = self.press.press if self.press else None
        return pressing(
            self.recipe, step, self.sheet, moulds=self.moulds, press=press, things=self.here.things
        )

    @property
    def is_loaded(self) -> bool:
        """Whether the press is on."""
        return bool(self.step and self.standing.loaded(self.step.key))

    @property
    def is_begun(self) -> bool:
        """Whether what this step begins with is told: moulds filled, the press on, in the tub."""
        kind = self.step.kind if self.step else ""
        begun = {"mould": False, "press": self.is_loaded, "brine": self.in_tub is not None}
        return begun.get(kind, True)

    @property
    def presses(self) -> list[tuple[str, Gear]]:
        """Every single press of the dairy: what it is known by, and its sort."""
        return [
            (key, each) for each in self.here.gear if each.kind == "press" for key in each.each()
        ]

    @cached_property
    def press_key(self) -> str:
        """The single press that it is in; else the one that it was given, or one that is free."""
        told = self.standing.loaded(self.step.key) if self.step else None
        if told:
            return told.press
        last = [deed.press for _, deed in self.standing.of(Loaded)]
        given = given_to(self.here, self.make).press
        owned = [key for key, _ in self.presses]
        wanted = [key for key in (*last[::-1], given, *owned) if key in owned]
        busy = pressing_now(self.here, self.make)
        return next((key for key in wanted if key not in busy), wanted[0] if wanted else "")

    @property
    def cold(self) -> tuple[str, ...]:
        """What the last reading of this step says of a curd that is too cold to knit."""
        state = self.at.step
        if state is None or state.planned.step.kind not in ("press", "mould", "turn"):
            return ()
        read = [each for each in self.standing.readings if each.at >= state.begins]
        warm = [each.celsius for each in read if each.celsius is not None]
        return cold_says(warm[-1], None, self.sheet.house) if warm else ()

    @property
    def next_turn(self) -> NextTurn | None:
        """What the hands do next inside this step."""
        return self.at.now.turn

    # ── out of the moulds ──

    @property
    def wants_weights(self) -> bool:
        """Whether it is out of its moulds, or comes out of them now, and nobody weighed it."""
        if self.is_weighed or self.step is None or "weight" in self.step.asks:
            return False
        keys = [each.key for each in self.recipe.steps]
        later = self.recipe.steps[keys.index(self.step.key) :]
        in_mould = any(each.kind in ("mould", "press", "turn", "drain") for each in later)
        moulded = any(
            each.kind in ("mould", "press") and each.key in self.standing.done
            for each in self.recipe.steps
        )
        return moulded and not in_mould

    def load_kg(self, key: str) -> float | None:
        """What a step of pressing puts on the cheese in this make's own moulds, kg; None for one
        without a load. Parameters: key, of the step."""
        step = self.recipe.step(key)
        if step.load_kg is None or not is_at_press(self.recipe, step):
            return None
        told = load_of(self.recipe, step, self.sheet, self.moulds)
        return told.value if told else None

    @cached_property
    def yielded(self) -> Yielded | None:
        """What its weight out of the moulds says, None while it is not weighed."""
        if not self.is_weighed:
            return None
        return yielded(self.recipe, self.sheet, sum(self.pieces_kg))

    # ── salt ──

    @cached_property
    def rubs(self) -> tuple[Rub, ...]:
        """The saltings of one piece's rind, where this step begins them."""
        if self.step is None or self.step.kind != "salt":
            return ()
        return rind_rubs(self.recipe, sum(self.pieces_kg) / len(self.pieces_kg))

    @cached_property
    def tub_choices(self) -> list[TubChoice]:
        """The tubs that it could lie in, the ones that nothing speaks against first."""
        step = self._written
        if step is None or step.kind != "brine" or self.in_tub:
            return []
        return tub_choices(self.here, self.make, self.standing, step)

    @cached_property
    def in_tub(self) -> InTub | None:
        """The tub that it lies in now."""
        step = self._written
        if step is None or step.kind != "brine" or self.standing.in_brine(step.key) is None:
            return None
        stays = [e for e in brine.of_make(self.here.session, self.make) if e.out_at is None]
        if not stays:
            return None
        stay = stays[-1]
        tub = brine.tub(self.here.session, self.here.dairy, stay.tub_id)
        standing = brine.standing_of(tub)
        went_into = replace(
            standing, pct=standing.pct._replace(value=stay.pct_in) if standing.pct else None
        )
        mould = mould_of(self.here, self.make, self.standing)
        return InTub(
            tub=tub,
            standing=standing,
            stay=stay,
            plan=plan_in(self.here, self.make, self.standing, step=step, tub=tub, stands=went_into),
            covers=covers(self.here, tub, self.pieces_kg, mould),
        )

    @cached_property
    def salt(self) -> float:
        """Salt that it is thought to hold so far, % of the cheese."""
        stays = [
            SaltOfStay(each.salt_kg, each.out_at)
            for each in brine.of_make(self.here.session, self.make)
            if each.out_at is not None
        ]
        kg = sum(self.pieces_kg)
        return salt_held(self.recipe, self.sheet, self.standing, kg, stays).value

    @cached_property
    def keeping(self) -> KeptIn | None:
        """The brine that it is kept in from its last step on, None where it is kept in none."""
        if self.step is None or "weight" not in self.step.asks:
            return None
        return keeping(self.recipe, self.sheet, sum(self.pieces_kg), self.salt)

    @property
    def is_kept(self) -> bool:
        """Whether it was laid into the tub that keeps it."""
        return bool(self.step and self.standing.in_brine(self.step.key))

    @property
    def keeping_tubs(self) -> list[tuple[Tub, TubStanding, KeptIn]]:
        """The tubs of white cheese with where this cheese would come to rest in each."""
        found = []
        for tub in self.here.tubs if self.keeping else ():
            standing = brine.standing_of(tub)
            if not tub.soft or standing.pct is None or standing.ended_at:
                continue
            kg = sum(self.pieces_kg)
            there = keeping(self.recipe, self.sheet, kg, self.salt, standing.pct.value)
            if there:
                found.append((tub, standing, there))
        return found

    # ── drying, whey ──

    @cached_property
    def drying(self) -> Drying | None:
        """How long its rind takes to be touch-dry, where this step dries it."""
        step = self.step
        if step is None or step.kind != "dry" or step.minutes < 240:
            return None
        first = self.recipe.stages[0] if self.recipe.stages else None
        humid = first.humidity_pct.target if first and first.humidity_pct else None
        return drying(humid, first.celsius.target if first else None, self.sheet.house)

    @cached_property
    def whey(self) -> WheyBook:
        """Where its whey went."""
        kg = sum(self.pieces_kg)
        salty = salt_in_whey_g(self.recipe, self.sheet, self.standing, kg)
        expected = made_of_whey(self.here, self.make).litres
        return whey_book(self.recipe, self.standing, expected, salty)


def is_there(at: AtVat) -> bool:
    """Whether a make stands at Press & salt now, and not at the vat."""
    if at.step is None or at.standing.ended:
        return False
    return is_at_press(at.recipe, at.recipe.step(at.step.planned.step.key))
