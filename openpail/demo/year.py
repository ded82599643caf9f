"""The year before: makes of all families from fourteen months ago on, and what went wrong in it."""

from __future__ import annotations

import uuid
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from math import cos, pi
from random import Random
from typing import Literal

from sqlalchemy.orm import Session

from openpail.craft.cave.deeds import Again, Mark, Tasted
from openpail.craft.make.deeds import ReadingTaken, Weighed, WheyKept
from openpail.craft.milk.kinds import Breed, Treatment
from openpail.craft.recipe.recipe import Recipe
from openpail.demo.cave import live_through
from openpail.demo.farm import HERDS, Waiting
from openpail.demo.played import begin, morning, play, take_in, tell_all
from openpail.formats.recipe_file import library
from openpail.records.dairy import actions as dairies
from openpail.records.dairy.models import Dairy, Vat
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk
from openpail.records.milk.models import MilkLot
from openpail.records.pieces import actions as pieces
from openpail.records.pieces.models import Piece
from openpail.records.recipes import actions as recipes
from openpail.records.stock import actions as stock
from openpail.records.trials import actions as trials
from openpail.work.here import Here
from openpail.work.make.made import recipe_of, standing_of
from openpail.work.table import tasting

FIRST_DAY, LAST_DAY = 424, 62  # days ago
BUYERS = ("Mill Inn", "Tarrow shop", "the Saturday market", "")
_WHY = "looked at and smelled: sweet, and wanted today"
_OLD_RENNET = "calf rennet, last year’s"
_OLD_FROM = 160  # days ago the newer bottle was opened
Mishap = Literal["", "turned", "old", "hot", "early"]
# Makes whose whey went into the second pot, by how many there were before.
_WHEY_KEPT = frozenset({8, 37, 61})
_SWEET = timedelta(minutes=20)
# What is made turn by turn, and while the ewes are in milk.
_ALL_YEAR = (
    "larder-block",
    "thatch",
    "steading-wheel",
    "threshing-cheddar",
    "dapple",
    "larder-block",
    "gatepost",
    "hatch",
    "bench-curd",
    "larder-block",
    "skillet",
    "slow-skein",
    "wrenfold-log",
    "lantern",
    "larder-block",
    "pond-white",
    "steading-wheel",
    "swaddle",
    "stile-block",
    "threshing-herbs",
    "flagstone-curd",
)
_PRICES = {
    "money.hour": 16.0,
    "money.cow_milk": 0.8,
    "money.goat_milk": 1.4,
    "money.sheep_milk": 2.4,
    "money.buffalo_milk": 2.2,
}
_PRICED = "what we would get for the milk at the gate"
_OF_EWES = ("drystone", "tarrow-blue", "fold-white", "high-pasture", "millrace-slab")
_TURNED = "poured the wrong way round: of goats what was meant of cows"


@dataclass(frozen=True, slots=True)
class YearMake:
    """A make of the year: how many days ago, of what, and what went wrong with it."""

    days_ago: int
    recipe: str
    mishap: Mishap = ""


def makes_of(now: datetime) -> Iterator[YearMake]:
    """The makes of the year, the oldest first: three every two weeks; of ewes' milk while there is
    some."""
    turn = ewes = number = 0
    days_ago = FIRST_DAY
    mishaps: dict[int, Mishap] = {11: "turned", 26: "old", 41: "hot", 54: "early"}
    while days_ago > LAST_DAY:
        month = (now - timedelta(days=days_ago)).month
        if month in _in_milk("sheep") and number % 2:
            key, ewes = _OF_EWES[ewes % len(_OF_EWES)], ewes + 1
        else:
            key, turn = _ALL_YEAR[turn % len(_ALL_YEAR)], turn + 1
        mishap = mishaps.get(number, "")
        if mishap:
            key = {"turned": "steading-wheel", "early": "dapple"}.get(mishap, "larder-block")
        elif number in _WHEY_KEPT:
            key = "larder-block"
        yield YearMake(days_ago, key, mishap)
        days_ago -= (5, 5, 4)[number % 3]
        number += 1


def _in_milk(breed: Breed) -> range:
    return next(months for _, each, _, months, *_ in HERDS if each == breed)


def live_the_year(session: Session, dairy: Dairy, vats: Mapping[str, Vat], now: datetime) -> None:
    """Live through the year before, from its first make to what became of the last cheese."""
    for key, value in _PRICES.items():
        dairies.overrule(session, dairy, key, value=value, now=morning(now, FIRST_DAY), why=_PRICED)
    chance = Random(7)  # noqa: S311 - a story, no secret
    recipes = {recipe.key: recipe for recipe, _ in library()}
    begun = datetime.min
    for number, each in enumerate(makes_of(now)):
        make = one(
            session, dairy, vats, recipe=recipes[each.recipe], each=each, chance=chance, now=now
        )
        begun = make.started_at
        if number in _WHEY_KEPT:
            second_pot(session, dairy, vats, first=make, chance=chance, now=now)
    for lot in stock.bottles(session, dairy):
        if lot.bought is not None and lot.left is not None and lot.left < lot.bought:
            stock.weigh(session, lot, lot.bought, begun + timedelta(hours=30))


def tried_out(session: Session, dairy: Dairy, made: Sequence[Make], now: datetime) -> None:
    """A trial under way: makes of one cheese on its two sides, as the lot fell."""
    version = recipes.newest_of(session, dairy, "larder-block")
    words = "turned twice an hour in the light press, not once"
    begun = morning(now, LAST_DAY - 2)
    row = trials.plan(
        session,
        dairy,
        version.recipe_id,
        words=words,
        fact="",
        step="press-light",
        each=4,
        now=begun,
        person_id=None,
    )
    for number, make in enumerate(made[:5]):
        trials.put(session, row, make.id, is_new_way=number % 3 == 1)


def one(
    session: Session,
    dairy: Dairy,
    vats: Mapping[str, Vat],
    *,
    recipe: Recipe,
    each: YearMake,
    chance: Random,
    now: datetime,
) -> Make:
    """One make of the year, from its milkings to what became of its pieces."""
    day = morning(now, each.days_ago)
    size = chance.uniform(0.85, 1.05)
    litres = [part.volume_l * size for part in recipe.reference]
    if each.mishap == "turned":
        litres = litres[::-1]
    lots = [
        _milked(
            session,
            dairy,
            part.breed,
            treatment=part.treatment,
            litres=round(volume, 2),
            day=day,
            chance=chance,
        )
        for part, volume in zip(recipe.reference, litres, strict=True)
    ]
    vat = vats[_vat_for(sum(litres))]
    turned = _TURNED if each.mishap == "turned" else ""
    use = _bottle(session, dairy, recipe, old=each.mishap == "old" or each.days_ago > _OLD_FROM)
    make = begin(
        session, dairy, recipe.key, vat=vat, lots=lots, now=day, why=_WHY, use=use, accepted=turned
    )
    late = 1.5 if each.mishap == "old" else chance.gauss(1.04, 0.06)
    hot = 5.0 if each.mishap == "hot" else 0.0
    flocks = late if recipe.cut_multiplier else None
    ends = play(
        session,
        dairy,
        make,
        until=now,
        flocks_share=flocks,
        hot_c=hot,
        sour_ph=round(chance.gauss(0, 0.05), 2),
    )
    ends += timedelta(hours=1)
    note = {"turned": _TURNED, "old": "sets slowly: the old bottle", "hot": "ran hot"}
    if each.mishap in note:
        tell_all(session, dairy, make, [(ends, ReadingTaken(note=note[each.mishap]))])
    count = 1 + (len(recipe.reference) + round(sum(litres)) // 9) % 4
    _to_its_end(
        session, dairy, make, ends=ends, count=count, mishap=each.mishap, chance=chance, now=now
    )
    return make


def second_pot(
    session: Session,
    dairy: Dairy,
    vats: Mapping[str, Vat],
    *,
    first: Make,
    chance: Random,
    now: datetime,
) -> Make:
    """The whey of a make, caught as it ran off and taken up again while it is sweet."""
    done = standing_of(Here(session, dairy, now), first).done
    ran = next(done[step.key].at for step in recipe_of(first).steps if step.kind == "mould")
    litres = round(0.8 * sum(part.volume_l for part in makes.milk_of(session, first)), 1)
    tell_all(session, dairy, first, [(ran, WheyKept(litres))], timedelta(days=1))
    whey = milk.whey_of(session, dairy, first)
    assert whey is not None
    begins = ran + _SWEET
    make = begin(
        session, dairy, "second-pot", vat=vats[_vat_for(litres)], lots=[whey], now=begins, why=_WHY
    )
    ends = play(session, dairy, make, until=now, flocks_share=None) + timedelta(hours=1)
    _to_its_end(session, dairy, make, ends=ends, count=2, mishap="", chance=chance, now=now)
    return make


def _to_its_end(
    session: Session,
    dairy: Dairy,
    make: Make,
    *,
    ends: datetime,
    count: int,
    mishap: Mishap,
    chance: Random,
    now: datetime,
) -> None:
    """Its cheeses weighed, lived through, sold or eaten, and now and then tasted."""
    share = chance.gauss(0.99, 0.03) * (0.9 if mishap == "hot" else 1.0)
    mass = round(make.expected_kg * share / count, 2)
    tell_all(session, dairy, make, [(ends, Weighed((mass,) * count))])
    laid = pieces.of_make(session, make)
    live_through(session, dairy, laid, laid=ends, now=now, buyers=BUYERS, early=mishap == "early")
    if chance.random() < 0.6 or mishap:
        _taste(session, dairy, laid[0], mishap, chance)


def _vat_for(litres: float) -> str:
    if litres <= 11:
        return "stove pot"
    return "water-bath kettle" if litres <= 30 else "jacketed vat"


def _milked(
    session: Session,
    dairy: Dairy,
    breed: Breed,
    *,
    treatment: Treatment,
    litres: float,
    day: datetime,
    chance: Random,
) -> MilkLot:
    """Milk of a herd as its season has it, tested."""
    name, _, _, _, fat, protein, swing = next(each for each in HERDS if each[1] == breed)
    season = cos(2 * pi * (day.month - 12) / 12)
    waiting = Waiting(
        name=f"{name}, {day:%-d %b}",
        breed=breed,
        litres=litres,
        celsius=6.0,
        hours_old=30.0 if treatment != "raw" else 2.0,
        fat=round(fat + swing * season + chance.gauss(0, 0.06), 2),
        protein=round(protein + 0.4 * swing * season + chance.gauss(0, 0.03), 2),
        ph=round(6.63 + chance.gauss(0, 0.02), 2),
    )
    lot = take_in(session, dairy, waiting, day)
    lot.treatment = "raw" if treatment == "raw" else "batch"
    return lot


def _bottle(session: Session, dairy: Dairy, recipe: Recipe, *, old: bool) -> Mapping[str, str]:
    """The bottle of rennet that stood open then."""
    rennet = recipe.ingredient("rennet")
    if rennet is None or not old or rennet.product.form == "tablet":
        return {}
    rows = stock.bottles(session, dairy, ("rennet",))
    return {rennet.key: str(next(row.id for row in rows if row.name == _OLD_RENNET))}


def _taste(session: Session, dairy: Dairy, row: Piece, mishap: Mishap, chance: Random) -> None:
    """It was tasted on the day that it left, by one or two."""
    if row.ended_at is None:
        return
    here = Here(session, dairy, row.ended_at)
    names = ["maker", "helper"][: chance.choice((1, 2))]
    event = uuid.uuid4()
    tasting.set_out(here, row.id, names, event, "a taste of it, at home")
    for name in names:
        mark, faults, again, words = _said(mishap, chance)
        taste = Tasted(
            tasting=str(event),
            taster=name,
            taste=mark,
            texture=mark,
            faults=faults,
            again=again,
            words=words,
        )
        tasting.taste(here, row.id, taste, uuid.uuid4())


def _said(mishap: Mishap, chance: Random) -> tuple[Mark, tuple[str, ...], Again, str]:
    if mishap == "turned":
        return "poor", ("bitter", "cracked"), "no", "sharp, and short in the knife"
    if mishap == "early":
        return "fair", ("bland",), "changed", "moved to the cold too early: no coat, no cream"
    if mishap:
        return "fair", ("dry",), "changed", "tight and dry"
    mark: Mark = chance.choice(("good", "good", "fine", "fair"))
    return mark, (), "changed" if mark == "fair" else "yes", ""
