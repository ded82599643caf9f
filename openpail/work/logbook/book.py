"""The logbook: a make on one page, makes found, makes laid beside each other."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from openpail.craft.cave.tasting import OUTCOMES, Outcome, Tasting
from openpail.craft.errors import NotPossible
from openpail.craft.make.deeds import Amended, StepDone, Told, Undone
from openpail.craft.make.ending import Deviation, odd_by_step
from openpail.craft.make.fold import standing_deeds
from openpail.craft.make.taught import MakeTaught, lessons
from openpail.craft.make.yielded import yielded
from openpail.craft.marks import gravest as worst
from openpail.craft.recipe.recipe import Recipe, ReferencePart
from openpail.craft.table.compare import ComparedRow, Different, compared, different
from openpail.craft.table.facts import (
    BrineStay,
    MadeFact,
    facts_of_make,
    from_plain,
    soured_by,
    to_plain,
)
from openpail.craft.table.like_this import Otherwise, how_it_ate, otherwise, recipe_like
from openpail.craft.table.money import Cost
from openpail.records.base import Json
from openpail.records.brine import actions as brine
from openpail.records.log import actions as log
from openpail.records.makes import actions as makes
from openpail.records.makes import looks
from openpail.records.makes.looks import Find, FoundMake
from openpail.records.makes.models import Make, MakeMilk
from openpail.records.milk import actions as milk
from openpail.records.milk.models import MilkLot
from openpail.records.people import actions as people
from openpail.records.pieces import actions as pieces
from openpail.records.pieces.models import Piece, PieceOut
from openpail.records.recipes import actions as recipes
from openpail.records.recipes.models import RecipeVersion
from openpail.records.trials import actions as trials
from openpail.work.asked import of_dairy
from openpail.work.here import Here
from openpail.work.logbook.kept_year import Rested, rested
from openpail.work.make import marks
from openpail.work.make.day import day_of
from openpail.work.make.made import milk_into, recipe_of, standing_of
from openpail.work.make.record import record_of, went_otherwise
from openpail.work.table import money, tasting
from openpail.work.vat.at_vat import AtVat

# What makes are found by, as a screen asks for it.
__all__ = ["Find"]

ON_PAGE = 40
_LOOKED_AT_ONCE = 150
_MOST_BESIDE = 200


# ── what makes are found by ──


kept_looks = of_dairy(trials.looks)
let_go = of_dairy(trials.let_go)


def keep_look(here: Here, name: str, query: str) -> None:
    """What is looked for is kept under a name. Raises RecordError."""
    trials.keep_look(here.session, here.dairy, name, query, here.now)


def look_anew(here: Here, most: int = _LOOKED_AT_ONCE) -> int:
    """Work out what makes are found by, where something was told since. Returns: how many are
    still to do."""
    these, count = looks.missing(here.session, here.dairy, most)
    if not these:
        return 0
    written = looks.written(here.session, these)
    looks.keep(here.session, [_look(here, make, written[make.id]) for make in these])
    return count - len(these)


def _look(here: Here, make: Make, written: Sequence[str]) -> Json:
    sheet, standing = makes.sheet_of(make), standing_of(here, make)
    facts = _facts(here, make)
    laid = pieces.of_make(here.session, make)
    tastes = [each for those in _tastings(here, laid).values() for each in those]
    given = {lot for _, deed in standing.of(StepDone) for lot in deed.bottles.values()}
    bottles = sorted(given | {line.lot for line in sheet.lines if line.lot})
    faults = sorted({fault for each in tastes for fault, _ in each.faults})
    names = [bottle.name for bottle in sheet.bottles.values()]
    animals = next(each.words for each in facts if each.key == "animals")
    said = [each.words + " " + each.next_time for those in tastes for each in those.tastes]
    text = " ".join((*written, *names, *faults, *said, animals, f"make {make.number}"))
    return {
        "dairy_id": make.dairy_id,
        "id": make.id,
        "words": text.casefold(),
        "animals": sorted({word for word in animals.replace(",", " ").split() if word.isalpha()}),
        "bottles": bottles,
        "outcome": outcome_of(tastes) or "",
        "faults": faults,
        "real_kg": sum(each.mass_kg for each in laid) or None,
        "facts": to_plain(facts),
        "figures": {each.key: each.value for each in facts if each.value is not None},
        "culture": soured_by(facts),
    }


def outcome_of(tastes: Sequence[Tasting]) -> Outcome | None:
    """How a make ate: by the worst word of its last tasting, None where nobody said."""
    told = [each.outcome for each in sorted(tastes, key=lambda each: each.at) if each.outcome]
    return told[-1] if told else None


def _facts(here: Here, make: Make) -> tuple[MadeFact, ...]:
    standing = standing_of(here, make)
    brined = tuple(
        BrineStay(each.pct_in, (each.out_at - each.in_at).total_seconds() / 3600)
        for each in brine.of_make(here.session, make)
        if each.out_at
    )
    day = day_of(here, make, standing)
    return facts_of_make(recipe_of(make), makes.sheet_of(make), standing, day, brined)


def _tastings(here: Here, laid: Sequence[Piece]) -> Mapping[uuid.UUID, tuple[Tasting, ...]]:
    return tasting.of_pieces(here, [each.id for each in laid])


# ── found ──


@dataclass(frozen=True, slots=True)
class MakesFound:
    """Makes that were found, a page of them; whether there are more; how many older makes are
    still to be looked at before all can be found; marked, the gravest of what stays said of each,
    "" for nothing that may make ill."""

    rows: tuple[FoundMake, ...]
    more: bool
    to_look: int
    marked: Mapping[uuid.UUID, str]


def found(here: Here, wanted: Find, page: int = 0) -> MakesFound:
    """The makes that are looked for, the newest first."""
    left = look_anew(here)
    rows = looks.find(here.session, here.dairy, wanted, ON_PAGE + 1, page * ON_PAGE)
    shown = tuple(rows[:ON_PAGE])
    return MakesFound(shown, len(rows) > ON_PAGE, left, gravest(here, [each.id for each in shown]))


def gravest(here: Here, make_ids: Sequence[uuid.UUID]) -> dict[uuid.UUID, str]:
    """The gravest of what stays said of makes, "" for nothing that may make ill."""
    found = {key: worst(said) for key, said in marks.of_makes(here, make_ids).items()}
    return {key: mark.sort.title if mark else "" for key, mark in found.items()}


# ── beside each other ──


@dataclass(frozen=True, slots=True)
class Beside:
    """Makes laid beside each other, by their facts."""

    makes: tuple[Make, ...]
    rows: tuple[ComparedRow, ...]


def beside(here: Here, ids: Sequence[uuid.UUID]) -> Beside:
    """Two to four makes by their facts. Raises NotHere."""
    those = tuple(makes.make(here.session, here.dairy, each) for each in ids)
    kept = looks.facts_of(here.session, here.dairy, ids)
    facts = [from_plain(kept[make.id]) if make.id in kept else _facts(here, make) for make in those]
    return Beside(those, compared(facts))


@dataclass(frozen=True, slots=True)
class BestOf:
    """What the makes of a cheese that ate well had otherwise: how many ate well, and how many were
    tasted and did not; nothing while there are too few."""

    good: int
    others: int
    rows: tuple[Different, ...]


def best_of(here: Here, recipe_key: str) -> BestOf:
    """What was different in the good makes of a cheese."""
    rows = looks.find(here.session, here.dairy, Find(recipe=recipe_key), _MOST_BESIDE)
    good = [each.id for each in rows if each.outcome == "good"]
    others = [each.id for each in rows if each.outcome in ("mixed", "poor")]
    kept = looks.facts_of(here.session, here.dairy, [*good, *others])
    sides = [[from_plain(kept[key]) for key in side if key in kept] for side in (good, others)]
    return BestOf(len(good), len(others), different(*sides))


# ── one page ──


@dataclass(frozen=True, slots=True)
class Mended:
    """A deed that was told otherwise, or taken back, later: as it was first told and as it stands
    (None: taken back), when that was said, and by whom."""

    first: Told
    now: Told | None
    by: Told


@dataclass(frozen=True, slots=True)
class OfMilk:
    """A lot that went into a make, and how much of it; animals, of whey: those of its milk."""

    part: MakeMilk
    lot: MilkLot
    animals: tuple[str, ...] = ()


class LogPage:
    """A make on one page: at the vat and after; the rest is worked out when it is asked."""

    def __init__(self, here: Here, make: Make) -> None:
        self.here, self.make = here, make
        self.at = AtVat(here, make)

    @cached_property
    def milk(self) -> tuple[OfMilk, ...]:
        """What went in."""
        parts = milk_into(self.here, self.make)
        ids = [each.lot_id for each in parts]
        lots = milk.lots_by_id(self.here.session, self.here.dairy, ids)
        return tuple(
            OfMilk(each, lots[each.lot_id], self._animals(lots[each.lot_id])) for each in parts
        )

    def _animals(self, lot: MilkLot) -> tuple[str, ...]:
        return tuple(sorted(self.here.known.animals(lot.make_id))) if lot.make_id else ()

    @cached_property
    def deviations(self) -> tuple[Deviation, ...]:
        """What went otherwise than planned."""
        return went_otherwise(self.here, self.make)

    @cached_property
    def deeds(self) -> list[Told]:
        """All that was told, in order."""
        return log.of_make(self.here.session, self.make.dairy_id, self.make.id)

    @cached_property
    def mended(self) -> tuple[Mended, ...]:
        """What was mended or taken back: both stand in the book."""
        stand = {each.id: each for each in standing_deeds(self.deeds)}
        first = {each.id: each for each in self.deeds}
        return tuple(
            Mended(first[each.amends], stand.get(each.amends), each)
            for each in self.deeds
            if isinstance(each.deed, Amended | Undone) and each.amends in first
        )

    @cached_property
    def who(self) -> Mapping[str, str]:
        """Who told each deed, by its id."""
        rows = log.rows(self.here.session, self.make.dairy_id, self.make.id)
        names = people.names(self.here.session, self.here.dairy)
        return {str(row.id): names[row.person_id] for row in rows if row.person_id in names}

    @property
    def people(self) -> tuple[str, ...]:
        """Whose hands it went through."""
        return tuple(sorted(set(self.who.values())))

    @cached_property
    def pieces(self) -> list[Piece]:
        """Its pieces as they were laid down."""
        return pieces.of_make(self.here.session, self.make)

    @cached_property
    def rested(self) -> Rested:
        """What its pieces went through at rest."""
        return rested(self.here, self.at.recipe, self.pieces)

    @cached_property
    def went(self) -> list[tuple[Piece, PieceOut]]:
        """What became of its pieces and of their parts, the first first."""
        return pieces.outs_of(self.here.session, self.make.dairy_id, [self.make.id])

    @cached_property
    def tastings(self) -> Mapping[uuid.UUID, tuple[Tasting, ...]]:
        """How its pieces ate, by piece."""
        return _tastings(self.here, self.pieces)

    @cached_property
    def cost(self) -> Cost:
        """What it cost, where prices are known."""
        return money.of_make(self.here, self.make)

    @property
    def outcome(self) -> str:
        """How it ate, in words; "" where nobody said."""
        told = outcome_of([each for those in self.tastings.values() for each in those])
        return OUTCOMES[told] if told else ""

    @cached_property
    def taught(self) -> MakeTaught:
        """What it taught."""
        at = self.at
        return lessons(at.recipe, at.sheet, at.standing, self.make.started_at)


def page_of(here: Here, make_id: uuid.UUID) -> LogPage:
    """A make on one page. Raises NotHere."""
    return LogPage(here, makes.make(here.session, here.dairy, make_id))


# ── make it like this one ──


@dataclass(frozen=True, slots=True)
class LikeThis:
    """A make as a recipe: over which version, and why it is kept."""

    recipe: Recipe
    version: RecipeVersion
    why: str


def done_otherwise(here: Here, make_id: uuid.UUID) -> tuple[Otherwise, ...]:
    """What a finished make did otherwise than its recipe: each may be meant, or an accident.

    Raises: NotHere; NotPossible while it is under way.
    """
    page = _finished(here, make_id)
    at = page.at
    return otherwise(
        at.recipe,
        at.sheet,
        at.standing,
        day=at.day,
        milk_l=at.litres,
        odd=odd_by_step(record_of(here, page.make)),
    )


def _finished(here: Here, make_id: uuid.UUID) -> LogPage:
    page = page_of(here, make_id)
    if page.at.day.current is not None and page.make.state == "under way":
        raise NotPossible("It is under way still: it can be made like this once it is done.")
    return page


def like_this(here: Here, make_id: uuid.UUID, meant: Collection[str]) -> LikeThis:
    """A finished make as the next version of its recipe.

    Parameters: meant, the keys of what was done otherwise on purpose.
    Raises: NotHere; NotPossible while it is under way.
    """
    page = _finished(here, make_id)
    at, make = page.at, page.make
    fat, protein = at.sheet.milk.fat.value, at.sheet.milk.protein.value
    milk = [
        ReferencePart(
            breed=each.lot.breed,
            treatment=each.lot.treatment,
            volume_l=round(each.part.volume_l, 2),
            stream="whey" if each.lot.kind == "whey" else "milk",
            homogenised=each.lot.homogenised,
            fat_pct=round(fat, 2),
            protein_pct=round(protein, 2),
        )
        for each in page.milk
    ]
    kg = sum(at.standing.pieces_kg)
    weighed = kg > 0 and not at.standing.about
    moisture = yielded(at.recipe, at.sheet, kg).moisture_pct.value if weighed else None
    found = recipe_like(
        at.recipe,
        at.sheet,
        at.standing,
        day=at.day,
        milk=milk,
        moisture_pct=moisture,
        meant=meant,
    )
    why = how_it_ate(_facts(here, make), page.outcome, make.number)
    row = recipes.newest_of(here.session, here.dairy, at.recipe.key)
    return LikeThis(found, row, why)
