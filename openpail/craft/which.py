"""Which can I make? Each recipe held against the shelf, the vats, the stock and the day's clock."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from typing import Literal

from openpail.craft.bench.ratio import largest
from openpail.craft.cave.rooms import Taken as RoomsTaken
from openpail.craft.cave.rooms import stays, without_room
from openpail.craft.clock.gear import NO_OUTFIT, Gear, Outfit, outfit
from openpail.craft.clock.lengths import InVat, steps_in, warmings
from openpail.craft.clock.one import as_it_comes, course_of, good_begins
from openpail.craft.clock.ready import missing
from openpail.craft.clock.several import meets
from openpail.craft.clock.spans import Spans, Taken, first_from
from openpail.craft.doses.asked import Job, Ways, rennet_lot
from openpail.craft.errors import CraftError, NotPossible
from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.milk.blend import Pour, pour
from openpail.craft.milk.fitness import Verdict
from openpail.craft.milk.kinds import RAW_CLASS
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.steps import PlannedStep
from openpail.craft.recipe.yields import takes
from openpail.craft.sheet.adapt import adapt
from openpail.craft.sheet.sheet import Sheet
from openpail.craft.stock.learning import NOTHING_LEARNT, Learnt
from openpail.craft.stock.products import Product

_LEAST_L = 0.05  # of a lot, that a vat takes up
_ALL = 0.999

Answer = Literal["fits", "nearly", "not"]


@dataclass(frozen=True, slots=True, kw_only=True)
class OnHand:
    """Milk on the shelf: all that is left of a lot, its age in hours, what it is fit for, and how
    warm it will go into the vat (°C)."""

    pour: Pour
    kind: str
    hours: float
    verdict: Verdict
    celsius: float = 6.0


@dataclass(frozen=True, slots=True, kw_only=True)
class VatAt:
    """A vat: its name, its brim in L, the kW that go into its milk (None unknown).

    id: what the clock knows it by, "" is its name.
    """

    name: str
    brim_l: float
    power: Figure | None = None
    id: str = ""

    @property
    def key(self) -> str:
        """What the clock knows it by."""
        return self.id or self.name


@dataclass(frozen=True, slots=True, kw_only=True)
class AtHand:
    """What a dairy has to make with, beside milk.

    gear: its presses and moulds, () when it lists none. left: what is left of a lot of the stock,
    in its unit, None unknown. taken: hands, vats and gear that are; begin and day_ends, minutes of
    the clock's epoch; day, its date; until, to when the clock is known. rooms to ripen in, with
    the places that are taken in them. taught: what its makes showed of each bottle of rennet;
    yields, of each cheese, by its key; lively, of each culture.
    """

    vats: tuple[VatAt, ...]
    left: Mapping[str, float | None]
    taken: Taken
    begin: int
    day_ends: int
    house: House
    ways: Ways
    day: date
    gear: tuple[Gear, ...] = ()
    rooms: RoomsTaken = field(default_factory=dict)
    until: int = 10**9
    taught: Mapping[str, Learnt] = field(default_factory=dict)
    yields: Mapping[str, Learnt] = field(default_factory=dict)
    lively: Mapping[str, Learnt] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Choice:
    """A recipe held against it all.

    litres: of each milk on hand, in its order; given, the vat that is free first, with a press and
    moulds; against: what stands against it, in words; starts: the good ones, spans of minutes;
    oldest_h: of its milk.
    """

    recipe: Recipe
    answer: Answer
    against: tuple[str, ...]
    litres: tuple[float, ...] = ()
    given: Outfit = NO_OUTFIT
    sheet: Sheet | None = None
    starts: Spans = ()
    oldest_h: float = 0.0

    @property
    def vat(self) -> str:
        """The vat's name."""
        return self.given.name(self.given.vat)


def choose(
    recipe: Recipe, on_hand: Sequence[OnHand], bottles: Mapping[str, Product], dairy: AtHand
) -> Choice:
    """Can this be made on the day, of what, and what stands against it?

    Parameters: recipe; on_hand, all milk on the shelf; bottles, the lot at home for each
    ingredient that has one; dairy. Source: derivation; the smallest batch, house value.
    """
    room = dairy.house.number("vat.head_room")
    most_l = room * max((vat.brim_l for vat in dairy.vats), default=0.0)
    against: list[str] = []
    try:
        litres = _milk(recipe, on_hand, most_l, against)
        total = sum(litres)
        if total <= 0:
            kind = "whey" if recipe.family == "whey" else "milk"
            raise NotPossible(f"there is no {kind} for it on the shelf")
        written = sum(part.volume_l for part in recipe.reference)
        if total < dairy.house.number("plan.least_batch") * written:
            against.append(f"{total:.1f} L is little: it is written for {written:.0f} L")
        used = [(each, part) for each, part in zip(on_hand, litres, strict=True) if part]
        blend = pour([_part(each.pour, part) for each, part in used], dairy.house)
        learnt = dairy.taught.get(rennet_lot(recipe, bottles), NOTHING_LEARNT)
        job = Job(
            recipe=recipe,
            milk=blend,
            house=dairy.house,
            bottles=bottles,
            ways=dairy.ways,
            learnt=learnt,
            yield_learnt=dairy.yields.get(recipe.key, NOTHING_LEARNT),
            lively=dairy.lively,
        )
        sheet = adapt(job, roughly=True)
    except CraftError as why:
        return Choice(recipe=recipe, answer="not", against=(why.words,))
    against += [each.words for each in missing(recipe, sheet, bottles, dairy.left)]
    milk_c = sum(each.celsius * part for each, part in used) / total
    given, starts = _given(
        recipe, sheet, total, milk=InVat(blend.mass, milk_c), dairy=dairy, against=against
    )
    against += _room(recipe, job, given, dairy)
    first = first_from(starts, dairy.begin)
    if first is None or first >= dairy.day_ends:
        against.append("no start of the day leaves the night and the other makes alone")
    oldest = max(each.hours for each, _ in used)
    return Choice(
        recipe=recipe,
        answer="nearly" if against else "fits",
        against=tuple(against),
        litres=tuple(litres),
        given=given,
        sheet=sheet,
        starts=starts,
        oldest_h=oldest,
    )


def in_order(choices: Sequence[Choice]) -> list[Choice]:
    """What fits first, and of that the one that uses the oldest milk.

    Parameters: choices, in any order. Source: derivation.
    """
    rank: dict[Answer, int] = {"fits": 0, "nearly": 1, "not": 2}
    return sorted(
        choices,
        key=lambda each: (rank[each.answer], len(each.against), -each.oldest_h, each.recipe.name),
    )


def _milk(
    recipe: Recipe, on_hand: Sequence[OnHand], most_l: float, against: list[str]
) -> list[float]:
    """Litres of each milk: by the recipe's ratio, else of its own animals, the oldest first."""
    whey = recipe.family == "whey"
    kind = "whey" if whey else "milk"
    usable = [
        number
        for number, each in enumerate(on_hand)
        if each.kind == kind and takes(recipe.family, each.verdict)
    ]
    # The oldest that is fit for it first; what wants a caution only fills up.
    usable.sort(key=lambda number: (on_hand[number].verdict != "fit", -on_hand[number].hours))
    litres = [0.0] * len(on_hand)
    if recipe.ratio:
        parts = largest(recipe.ratio, [on_hand[number].pour for number in usable], most_l)
        for number, part in zip(usable, parts, strict=True):
            litres[number] = part if part > _LEAST_L else 0.0
        return litres
    own = set(recipe.animals())
    mine = [number for number in usable if on_hand[number].pour.species in own]
    if not mine and usable:
        other = on_hand[usable[0]].pour.species
        against.append(f"written for {' and '.join(sorted(own))}; the shelf has {other}’s")
        mine = [number for number in usable if on_hand[number].pour.species == other]
    raw = {number for number in mine if on_hand[number].pour.treatment in RAW_CLASS}
    if raw and len(raw) < len(
        mine
    ):  # a drop of raw milk makes all of it raw: the oldest says which
        mine = [number for number in mine if (number in raw) == (mine[0] in raw)]
    left = most_l
    for number in mine:
        litres[number] = min(left, on_hand[number].pour.volume_l)
        left -= litres[number]
    return litres


def _part(whole: Pour, litres: float) -> Pour:
    share = litres / whole.volume_l
    if share > _ALL:
        return whole
    return replace(whole, mass=whole.mass.times("part of the lot", share), litres=litres)


def _room(recipe: Recipe, job: Job, given: Outfit, dairy: AtHand) -> list[str]:
    """Whether each room it is to ripen in has a place for it."""
    mine = stays(recipe, dairy.day, dairy.house, job.is_raw(), given.pieces)
    full = without_room(mine, dairy.rooms)
    if full is None:
        return []
    return [f"no room in the {full.room.name} on {full.day:%-d %b}: {full.words}"]


def _given(
    recipe: Recipe, sheet: Sheet, litres: float, *, milk: InVat, dairy: AtHand, against: list[str]
) -> tuple[Outfit, Spans]:
    """Of the vats that take so much, the one that lets it begin first, with its good starts."""
    room = dairy.house.number("vat.head_room")
    fitting = [vat for vat in dairy.vats if vat.brim_l * room >= litres - 1e-6]
    # None begins sooner than one that nobody has taken: of the others only one that is smaller, and
    # as free at that moment, is better.
    fitting.sort(key=lambda vat: (vat.key in dairy.taken, vat.brim_l, vat.name))
    best: tuple[bool, int, float] | None = None
    for vat in fitting:
        planned = steps_in(recipe, sheet, warmings(recipe, replace(milk, power=vat.power)))
        found, lacks = _outfit(planned, sheet, vat, dairy)
        if best and not best[0]:
            straight = as_it_comes(course_of(planned, best[1], found), best[1])
            if vat.brim_l > best[2] or meets(straight, dairy.taken):
                continue
        found_starts = good_begins(
            course_of(planned, dairy.begin, found, dairy.until), dairy.taken
        )[0]
        first = first_from(found_starts, dairy.begin)
        rank = (first is None, first or 0, vat.brim_l)
        if best is None or rank < best:
            best, given, starts, unfit = rank, found, found_starts, lacks
    against += [unfit] if unfit else []
    return given, starts


def _outfit(
    planned: Sequence[PlannedStep], sheet: Sheet, vat: VatAt, dairy: AtHand
) -> tuple[Outfit, str]:
    """Its press and moulds, and what the dairy lacks for it in words."""
    names = {vat.key: vat.name}
    try:
        return outfit(
            planned, sheet.cheese.value, vat.key, gear=dairy.gear, taken=dairy.taken, names=names
        ), ""
    except NotPossible as why:
        return Outfit(vat=vat.key, names=names), why.words
