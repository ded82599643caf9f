"""The one door to the log: a batch of deeds comes in, each gets its answer.

The subject is locked; each deed is checked by the craft, kept, and what follows from it is done:
the make's standing is folded anew, stock and milk follow, what is learnt is written again. A deed
that comes a second time is harmless. A step that was ended before is kept and told so: the earlier
of the two ends it, in whatever order they arrive, and the stock is taken once.
"""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import Literal

from openpail.craft.deed import to_payload
from openpail.craft.errors import OddEnd, PailError, RecordError
from openpail.craft.make import deeds, taught
from openpail.craft.make.additions import by_weight, expected_flocks
from openpail.craft.make.bounds import Bounds
from openpail.craft.make.checks import check
from openpail.craft.make.deeds import Amended, Told, Undone, amended
from openpail.craft.make.fold import fold
from openpail.craft.make.frozen import Frozen, FrozenLine
from openpail.craft.make.pressing import now_at_press
from openpail.craft.make.salting import salt_held
from openpail.craft.make.standing import Standing
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.yields import NO_RENNET_FAMILIES
from openpail.records.log import actions as log
from openpail.records.log.actions import Kept
from openpail.records.makes import actions as makes
from openpail.records.makes import files
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk
from openpail.records.pieces import actions as pieces
from openpail.records.plans import actions as plans
from openpail.records.stock import actions as stock
from openpail.records.stock.actions import Given
from openpail.work.cave import ripening
from openpail.work.dairy import instruments
from openpail.work.here import Here
from openpail.work.make import marks
from openpail.work.make.day import day_of
from openpail.work.make.made import made_of_whey, poured_l, recipe_of, stops_of
from openpail.work.press import brining
from openpail.work.press.gear import asked_at_press

MOST_AT_ONCE = 500
# Taps that nothing can be odd about: they are kept without looking at the whole make.
_NEVER_ODD = (
    deeds.TimerSet,
    deeds.TimerStopped,
    deeds.Ticked,
    deeds.Felt,
    deeds.CalledAway,
    deeds.CameBack,
    deeds.HeatOff,
    deeds.HelpTaken,
    deeds.WheyKept,
    deeds.WheyOff,
    deeds.TurnedOver,
    deeds.Tightened,
    deeds.Counted,
)
_JUST_NOW = timedelta(minutes=2)
Outcome = Literal["kept", "repeat", "met", "unknown", "refused"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Answer:
    """What became of a deed.

    kept; repeat, it was kept before; met, kept, but its step was ended before; unknown, it mends
    what is not here (yet): send it again behind that; refused, with words and the field of them;
    ways, the answers to its question that a hand has ready.
    """

    id: str
    outcome: Outcome
    words: str = ""
    field: str = ""
    ways: tuple[str, ...] = ()

    @property
    def is_kept(self) -> bool:
        """Whether the log has it now."""
        return self.outcome in ("kept", "repeat", "met")


def tell(
    here: Here, make_id: uuid.UUID, batch: Sequence[Told], *, by_hand: bool = False
) -> list[Answer]:
    """Tell deeds of a make. Raises NotHere; RecordError for more than 500 at once.

    Parameters: batch, in any order; a mending may come beside what it mends; by_hand, whether
    somebody at the page told the moment, and can be asked however long ago it was.
    Returns: an answer for each, in the order of the batch.
    """
    if len(batch) > MOST_AT_ONCE:
        raise RecordError(f"At most {MOST_AT_ONCE} deeds at a time.")
    make = makes.make(here.session, here.dairy, make_id, to_change=True)
    door = _Door(here, make, by_hand=by_hand)
    # What one device counted is told in its own order, even where its clock was put back between.
    counted = len({each.device for each in batch}) == 1 and all(each.counter for each in batch)
    ordered = sorted(
        batch,
        key=lambda each: (each.amends is not None, each.counter if counted else 0, each.order),
    )
    answers = {id(each): door.take(each) for each in ordered}
    if door.changed:
        door.follow()
    return [answers[id(each)] for each in batch]


class _Door:
    """One make, open for a batch of deeds."""

    def __init__(self, here: Here, make: Make, *, by_hand: bool) -> None:
        self.here, self.make, self.by_hand = here, make, by_hand
        self.recipe = recipe_of(make)
        self.told = {each.id: each for each in log.of_make(here.session, make.dairy_id, make.id)}
        self.before = fold(self.recipe, self.told.values())
        self.milk_l = poured_l(here, make)
        self.steps = frozenset(step.key for step in self.recipe.steps)
        self.rested_at = self.before.weighed.at if self.before.weighed else None
        self.changed = False
        self.now = max([here.now, *(each.arrived for each in self.told.values() if each.arrived)])

    def take(self, told: Told) -> Answer:
        """Keep one deed, or say why not."""
        if told.id in self.told:
            return Answer(id=told.id, outcome="repeat")
        told = self._after_all(told)
        bounds = self._bounds(told)
        mends = isinstance(told.deed, Amended | Undone)
        if mends and told.amends not in self.told:
            return Answer(
                id=told.id,
                outcome="unknown",
                words="What this would mend is not here.",
                field="amends",
            )
        try:
            check(told, bounds)
            self._check_state(told)
        except PailError as error:
            field = error.about
            ways = error.ways if isinstance(error, OddEnd) else ()
            return Answer(id=told.id, outcome="refused", words=error.words, field=field, ways=ways)
        kept = Told(
            id=told.id,
            deed=told.deed,
            happened=told.happened,
            amends=told.amends,
            offset=told.offset,
            device=told.device,
            counter=told.counter,
            arrived=self.now,
        )
        row = Kept(
            subject="make",
            subject_id=self.make.id,
            id=uuid.UUID(told.id),
            deed=told.deed.kind,
            payload=to_payload(told.deed),
            happened=told.happened,
            at=told.at,
            device=told.device,
            counter=told.counter,
            amends=uuid.UUID(told.amends) if told.amends else None,
        )
        here = self.here
        if not log.add(here.session, self.make.dairy_id, row, self.now, here.person_id):
            return Answer(
                id=told.id,
                outcome="refused",
                words="This number belongs to another deed.",
                field="id",
            )
        self.told[told.id], self.changed = kept, True
        return self._answer(kept)

    def _after_all(self, told: Told) -> Told:
        """What happens now happens after what arrived before, though our clock was put back since;
        what is told of an earlier moment stays there."""
        is_now = abs(told.at - self.here.now) < _JUST_NOW
        if not is_now or self.now - self.here.now < _JUST_NOW:
            return told
        self.now += timedelta(seconds=1)
        return replace(told, happened=self.now - told.offset)

    def _bounds(self, told: Told) -> Bounds:
        """What a deed is held against. Only those that may be odd are held against the whole."""
        bounds = Bounds(
            house=makes.sheet_of(self.make).house,
            steps=self.steps,
            started=self.make.started_at,
            milk_l=self.milk_l,
            now=self.now,
            rested_at=self.rested_at,
            told=self.told,
            recipe=self.recipe,
            by_hand=self.by_hand,
            zone=self.here.zone,
        )
        if isinstance(told.deed, deeds.GivenUp):
            return replace(bounds, into_it=self._into_it())
        target = self.told.get(told.amends or "", told)
        if isinstance(target.deed, _NEVER_ODD):
            return bounds
        sheet = makes.sheet_of(self.make)
        standing = fold(self.recipe, self.told.values())
        bounds = asked_at_press(self.here, self.make, told.deed, bounds, standing)
        if isinstance(told.deed, deeds.Weighed) and standing.weighed is None:
            lacks = ripening.no_place(self.here, self.recipe, len(told.deed.pieces_kg))
            bounds = replace(bounds, crowded=lacks)
        of_milk = marks.brought(self.here, self.make)
        stops = (*map(marks.as_caution, of_milk), *stops_of(self.here, self.make, standing))
        cuts = [step.key for step in self.recipe.steps if step.kind == "cut"]
        return replace(
            bounds,
            milk_kg=sheet.milk.mass.value,
            cheese_kg=sheet.cheese.value,
            flocks_min=expected_flocks(self.recipe, sheet, standing),
            rennet_at=standing.rennet_at,
            uncut=any(key not in standing.done for key in cuts),
            slow=" ".join(f"{e.title} {e.words}" for e in stops if e.level == "stop"),
            day=day_of(self.here, self.make, standing),
            doses={line.key: line.figure.value for line in sheet.lines},
            brim_l=self.here.vat(self.make.vat_id).brim_l,
            sheet=sheet,
            has_meter=instruments.has_meter(self.here),
        )

    def _into_it(self) -> str:
        """What was given to the milk so far, in words."""
        sheet = makes.sheet_of(self.make)
        given = set(self.before.done) - set(self.before.skipped)
        keys = {key for step in given for key in self.recipe.step(step).adds}
        return " and ".join(
            line.name for line in sheet.lines if line.key in keys and line.figure.value > 0
        )

    def _answer(self, told: Told) -> Answer:
        if not isinstance(told.deed, deeds.StepDone | deeds.StepSkipped | deeds.FirstFlocks):
            return Answer(id=told.id, outcome="kept")
        standing = fold(self.recipe, self.told.values())
        if told.id not in standing.met:
            return Answer(id=told.id, outcome="kept")
        step = getattr(told.deed, "step", "")
        title = self.recipe.step(step).title if step else "First flocks"
        return Answer(
            id=told.id,
            outcome="met",
            words=f"“{title}” was done before: it is done once.",
            field="step",
        )

    def _check_state(self, told: Told) -> None:
        """What the craft cannot see: an ended make, a weighing or whey told before."""
        if self.make.state == "ended":
            raise RecordError("This make is ended.")
        if isinstance(told.deed, deeds.Weighed) and self.rested_at is not None:
            raise RecordError(f"Make {self.make.number} was weighed already.", "weight")
        if isinstance(told.deed, deeds.WheyKept) and self.before.whey:
            raise RecordError("The whey of this make was kept already.")
        self._check_named(told.deed)
        target = self.told.get(told.amends or "")
        if isinstance(told.deed, Undone) and target and isinstance(target.deed, deeds.GivenUp):
            raise RecordError("The make is ended: begin it anew.")
        if isinstance(told.deed, Undone) and target and isinstance(target.deed, deeds.Weighed):
            raise RecordError("Its pieces are laid down already: they cannot be taken back.")
        if isinstance(told.deed, Amended) and target:
            undone = any(
                isinstance(each.deed, Undone) and each.amends == target.id
                for each in self.told.values()
            )
            if undone:
                raise RecordError("That was taken back: there is nothing to mend.", "amends")
            mended = amended(target, told.deed).deed
            self._check_named(mended)
            if isinstance(mended, deeds.Weighed) and "pieces_kg" in told.deed.change:
                pieces.check_anew(self.here.session, self.make, mended.pieces_kg)

    def _check_named(self, deed: deeds.Deed) -> None:
        """What a deed names by its id is here: bottles, a tub, a file."""
        match deed:
            case deeds.StepDone(bottles=bottles):
                for key, lot in bottles.items():
                    self._check_bottle(key, lot)
            case deeds.InBrine(tub=tub):
                brining.check_tub(self.here, tub)
            case deeds.Felt(file=file) if file:
                files.there(self.here.session, self.make, uuid.UUID(file))

    def _check_bottle(self, key: str, lot: str) -> None:
        """What was really given came from a lot of this dairy, of the same kind."""
        wanted = next(each for each in self.recipe.ingredients if each.key == key)
        bottle = stock.bottle(self.here.session, self.here.dairy, uuid.UUID(lot))
        if bottle.kind != wanted.product.kind:
            raise RecordError(f"{bottle.name} is no {wanted.product.kind}.", f"bottle-{key}")

    def follow(self) -> None:
        """Fold the make anew, and let stock, milk, pieces and lessons follow."""
        here, make = self.here, self.make
        standing = fold(self.recipe, self.told.values())
        sheet = makes.sheet_of(make)
        stock.follow(here.session, make, _given(self.recipe, sheet, standing), here.day_of)
        _keep_whey(here, make, sheet, self.told, standing)
        if standing.ended and standing.ended.became == "back" and not self.before.ended:
            makes.milk_goes_back(here.session, here.dairy, make)
            plans.not_begun(here.session, make)
        brined = brining.follow(here, make, self.recipe, sheet, standing)
        if standing.weighed:
            kg = sum(standing.pieces_kg)
            salt = salt_held(self.recipe, sheet, standing, kg, brined)
            ripening.follow(
                here, make, self.recipe, standing=standing, before=self.before, salt_pct=salt.value
            )
            pieces.keep_salt(here.session, make, salt)
        lessons = taught.lessons(self.recipe, sheet, standing, make.started_at)
        makes.keep_lessons(here.session, make, lessons)
        last = max(self.told.values(), key=lambda each: each.order)
        at_press = now_at_press(self.recipe, standing.done)
        makes.keep_standing(here.session, make, standing, uuid.UUID(last.id), at_press=at_press)
        marks.keep(here, [make])
        here.forget(
            Here.under_way,
            Here.waiting,
            Here.shelf,
            Here.lessons,
            Here._shares,
            Here.lively,
            Here._vats,
            Here.free,
            Here.planned,
        )


def _given(recipe: Recipe, sheet: Frozen, standing: Standing) -> dict[str, Given]:
    """What each step that is done gave of the stock: what was said, else what the sheet says."""
    found: dict[str, Given] = {}
    for step in recipe.steps:
        done = standing.done.get(step.key)
        times = 1 + standing.again.get(step.key, 0)
        if step.key in standing.skipped or (done is None and times < 2):
            continue
        gave, bottles = standing.gave(step.key), standing.bottles(step.key)
        amounts: dict[uuid.UUID, float] = {}
        for line in sheet.given_by(step.adds):
            lot = bottles.get(line.key, line.lot)
            amount = gave.get(line.key, _dose(line, recipe, sheet, standing))
            if lot and amount > 0:
                amounts[uuid.UUID(lot)] = amount * (times if done else times - 1)
        at = done.at if done else standing.begun[step.key]
        found[step.key] = Given(amounts, at, uuid.UUID(done.id) if done else None)
    return found


def _dose(line: FrozenLine, recipe: Recipe, sheet: Frozen, standing: Standing) -> float:
    """What a line gives where nothing else was said: by the curd's own weight, or as it was added
    up bit by bit."""
    if line.kind == "acid" and recipe.family in NO_RENNET_FAMILIES:
        bit_by_bit = sum(deed.amount for _, deed in standing.of(deeds.AcidGiven))
        if bit_by_bit:
            return bit_by_bit
    return by_weight(line, recipe, sheet, standing).value


def _keep_whey(
    here: Here, make: Make, sheet: Frozen, told: Mapping[str, Told], standing: Standing
) -> None:
    """The whey that was caught is a pail on the shelf; what was not, after all, is none."""
    kept = milk.whey_of(here.session, here.dairy, make)
    caught = {each.id for each in standing.whey}
    if kept and str(kept.id) in told and str(kept.id) not in caught:
        milk.drop_whey(here.session, kept)
        kept = None
    if standing.whey and kept is None:
        first = standing.whey[0]
        read = [each for each in standing.readings if each.at <= first.at]
        sour = [each.ph for each in read if each.ph is not None]
        warm = [each.celsius for each in read if each.celsius is not None]
        made_of = dict(made_of_whey(here, make).made_of) | ({"ph": sour[-1]} if sour else {})
        milk.keep_whey(
            here.session,
            here.dairy,
            make,
            litres=first.litres,
            made_of=made_of,
            celsius=warm[-1] if warm else None,
            at=first.at,
            lot_id=uuid.UUID(first.id),
            person_id=here.person_id,
        )
