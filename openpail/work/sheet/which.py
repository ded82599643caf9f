"""Which can I make? The recipes held against milk, vats, moulds, stock, rooms and the clock."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from openpail.craft.cave.rooms import taken_places
from openpail.craft.clock.spans import handy, minute_of, moment_of
from openpail.craft.which import AtHand, Choice, OnHand, VatAt, choose, in_order
from openpail.records.dairy import actions as dairies
from openpail.records.dairy import gear as gears
from openpail.records.milk import keeping, slips
from openpail.records.milk.models import MilkLot
from openpail.records.milk.slips import Known
from openpail.records.plans.actions import vat_key
from openpail.records.stock import actions as stock
from openpail.work.dairy import recipes
from openpail.work.faults import FAULTS, words_of
from openpail.work.here import LEAST_L, Here
from openpail.work.plan.planned import all_stays, clock, worked

_DAYS_AHEAD = 4
DAYS_OFFERED = 6
_NEAR_L = 0.05


@dataclass(frozen=True, slots=True, kw_only=True)
class WhichRow:
    """A choice with the lots it takes (litres, None for all that is left), and its next start."""

    choice: Choice
    lots: tuple[tuple[MilkLot, float, float | None], ...]
    begins: datetime | None
    hands_min: float

    @property
    def whole(self) -> bool:
        """Whether it takes whole lots, none of them frozen, so that a sheet can be made now."""
        return all(part is None and not keeping.in_freezer(lot) for lot, _, part in self.lots)


@dataclass(frozen=True, slots=True, kw_only=True)
class WhichDay:
    """The answers for a day, by answer; the milk that is free then, litres by lot."""

    rows: dict[str, list[WhichRow]]
    lots: list[MilkLot]
    free: dict[object, float]
    day: date
    moment: datetime

    def hours_old(self, lot: MilkLot) -> float:
        """A lot's age then; milk that is still frozen has none until it is thawed."""
        return _hours(lot, self.moment)


def which(here: Here, day: date) -> WhichDay:
    """Every recipe for a day: fits, nearly fits, does not, and why; the oldest milk first."""
    moment = here.now if day == here.today else _morning(here, day)
    then = here.known_at(moment)
    free = _free(here)
    lots = [lot for lot in here.waiting if _there(here, lot, day) and lot.id in free]
    on_hand = [_on_hand(here, lot, free[lot.id], then, moment) for lot in lots]
    there = _at_hand(here, day, moment)
    choices = []
    for recipe in recipes.known(here):
        bottles = stock.chosen(recipe, here.shelf, here.house, {})
        try:
            choices.append(choose(recipe, on_hand, bottles, there))
        except FAULTS as fault:
            choices.append(Choice(recipe=recipe, answer="not", against=(words_of(fault),)))
    rows = [_row(choice, lots, there) for choice in in_order(choices)]
    by_answer = {
        answer: [row for row in rows if row.choice.answer == answer]
        for answer in ("fits", "nearly", "not")
    }
    return WhichDay(rows=by_answer, lots=lots, free=free, day=day, moment=moment)


def days(here: Here) -> list[date]:
    """The days that may be asked for."""
    return [here.ahead(number) for number in range(DAYS_OFFERED + 1)]


def _morning(here: Here, day: date) -> datetime:
    """When the quiet hours of the night before are over."""
    until = here.dairy.quiet_until
    return datetime.combine(day, until if until < time(12) else time(), here.zone)


def _there(here: Here, lot: MilkLot, day: date) -> bool:
    """On the shelf, or in the freezer with days enough to thaw until then."""
    thaw = timedelta(days=round(here.house.number("milk.thaw_days")))
    return not keeping.in_freezer(lot) or here.today + thaw <= day


def _free(here: Here) -> dict[object, float]:
    """Litres of each lot that no planned make and no poured bench has, where there are any."""
    had: dict[object, float] = {}
    for each in here.planned:
        for lot, litres in worked(here, each).lots:
            had[lot.id] = had.get(lot.id, 0.0) + litres
    left = {lot.id: here.free_l(lot) - had.get(lot.id, 0.0) for lot in here.waiting}
    return {lot_id: litres for lot_id, litres in left.items() if litres > LEAST_L}


def _hours(lot: MilkLot, moment: datetime) -> float:
    return 0.0 if keeping.in_freezer(lot) else keeping.hours_old(lot, moment)


def _on_hand(here: Here, lot: MilkLot, litres: float, then: Known, moment: datetime) -> OnHand:
    fitness = slips.fitness_of(lot, then)
    part = None if abs(litres - slips.left_l(lot)) < _NEAR_L else litres
    return OnHand(
        pour=slips.pour_of(lot, then, part),
        kind=lot.kind,
        hours=_hours(lot, moment),
        verdict=fitness.verdict,
        celsius=slips.celsius_of(lot, here.house),
    )


def _at_hand(here: Here, day: date, moment: datetime) -> AtHand:
    midnight = datetime.combine(day, time(), here.zone)
    vats = tuple(
        VatAt(name=v.name, brim_l=v.brim_l, power=here.power(v), id=vat_key(v.id))
        for v in here.vats
    )
    left = {lot.product.lot: lot.row.left for lot in here.shelf}
    taken = clock(here, _DAYS_AHEAD + (day - here.today).days)
    rooms = gears.rooms_of(here.session, here.dairy)
    return AtHand(
        vats=vats,
        left=left,
        taken=taken.taken(),
        begin=minute_of(moment),
        day_ends=minute_of(midnight + timedelta(days=1)),
        house=here.house,
        ways=dairies.ways_of(here.dairy),
        day=day,
        gear=here.gear,
        rooms=taken_places(all_stays(here) if rooms else (), rooms),
        until=taken.until,
        taught=here.lessons.bottles,
        yields=here.yields_learnt,
        lively=here.lively,
    )


def _row(choice: Choice, lots: list[MilkLot], there: AtHand) -> WhichRow:
    used = tuple(
        (lot, litres, None if abs(litres - slips.left_l(lot)) < _NEAR_L else round(litres, 2))
        for lot, litres in zip(lots, choice.litres, strict=False)
        if litres
    )
    first = handy(choice.starts, there.begin)
    hands = sum(step.hands_on_minutes for step in choice.recipe.steps)
    return WhichRow(
        choice=choice,
        lots=used,
        begins=None if first is None else moment_of(first),
        hands_min=hands,
    )
