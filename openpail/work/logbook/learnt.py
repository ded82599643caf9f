"""What the dairy has taught: of its bottles, its animals' milk, its vats and its acids; what that
does to the next sheet; and a make that is left out of it."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from openpail.craft.figure import Figure
from openpail.craft.make.deeds import Counted, Told
from openpail.craft.make.taught import why_nothing
from openpail.craft.milk.kinds import BREEDS
from openpail.craft.stock.learning import Learnt
from openpail.records.makes import actions as makes
from openpail.records.makes import lessons
from openpail.records.makes.lessons import LessonRow, ShareSort
from openpail.records.makes.models import Make
from openpail.work.here import Here
from openpail.work.make.log import Answer, tell
from openpail.work.make.made import recipe_of, standing_of
from openpail.work.vat.warmth import overshoot

_OF_LAST = 30


@dataclass(frozen=True, slots=True)
class OfBottle:
    """What the makes taught of a bottle of rennet: how strong it is against its label."""

    name: str
    learnt: Learnt
    taught: tuple[LessonRow, ...]

    @property
    def next_share(self) -> float:
        """How much of it the next sheet gives, against its label alone."""
        return 1 / self.learnt.factor


@dataclass(frozen=True, slots=True, kw_only=True)
class OfVat:
    """What the makes taught of a vat: kW that reach the milk, and °C that it goes on by."""

    name: str
    power: Figure | None
    over_c: float
    over_n: int
    taught: tuple[LessonRow, ...]
    went_on: tuple[LessonRow, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class OfAcid:
    """What the makes taught of an acid in the hot milk of some animals."""

    name: str
    animals: str
    learnt: Learnt
    taught: tuple[LessonRow, ...]


@dataclass(frozen=True, slots=True)
class OfShare:
    """What was taught of a cheese's yield, a culture's speed or a place's drying: its name, what
    the next one is reckoned with (None while too few told of it), and what taught it."""

    name: str
    learnt: Learnt | None
    taught: tuple[LessonRow, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class AllLearnt:
    """All that was taught, and the makes that are left out of it. herds: by the animals' name, how
    long their milk takes to its first flocks against what is usual; taught_nothing: of the last
    makes those whose flocks taught nothing, each with why."""

    bottles: tuple[OfBottle, ...]
    herds: tuple[tuple[str, Learnt], ...]
    vats: tuple[OfVat, ...]
    acids: tuple[OfAcid, ...]
    yields: tuple[OfShare, ...]
    cultures: tuple[OfShare, ...]
    places: tuple[OfShare, ...]
    left_out: tuple[Make, ...]
    taught_nothing: tuple[tuple[Make, str], ...]

    @property
    def is_empty(self) -> bool:
        """Whether nothing was taught yet."""
        shares = self.yields or self.cultures or self.places
        return not (self.bottles or self.vats or self.acids or shares)


def all_learnt(here: Here) -> AllLearnt:
    """All that the makes have taught."""
    rows = lessons.all_of(here.session, here.dairy)
    known = here.lessons

    def of(sort: str, key: str) -> tuple[LessonRow, ...]:
        return tuple(each for each in rows if each.sort == sort and each.of == key)

    bottles = {row.of: row.name for row in rows if row.sort == "bottle"}
    acids = {(row.of, row.name) for row in rows if row.sort == "acid"}
    vats = [vat for vat in here.vats if of("vat", str(vat.id)) or of("overshoot", str(vat.id))]
    return AllLearnt(
        bottles=tuple(
            OfBottle(name, known.bottles[key], of("bottle", key))
            for key, name in sorted(bottles.items(), key=lambda pair: pair[1])
            if key in known.bottles
        ),
        herds=tuple((_animals(name), learnt) for name, learnt in sorted(known.herds.items())),
        vats=tuple(
            OfVat(
                name=vat.name,
                power=here.power(vat),
                over_c=over_c,
                over_n=over_n,
                taught=of("vat", str(vat.id)),
                went_on=of("overshoot", str(vat.id)),
            )
            for vat in vats
            for over_c, over_n in [overshoot(here, vat, here.house)]
        ),
        acids=tuple(
            OfAcid(
                name=acid,
                animals=_animals(animals),
                learnt=_acid(here, acid, animals),
                taught=_acid_rows(rows, acid, animals),
            )
            for acid, animals in sorted(acids)
        ),
        yields=_shares(rows, "yield", here.yield_learnt),
        cultures=_shares(rows, "vigour", here.lively.get),
        places=_shares(rows, "drying", lambda of: here.drying_learnt(uuid.UUID(of))),
        left_out=tuple(lessons.left_out(here.session, here.dairy)),
        taught_nothing=tuple(_taught_nothing(here)),
    )


def _taught_nothing(here: Here) -> Iterator[tuple[Make, str]]:
    """Of the last makes those whose flocks were told and taught nothing, and why."""
    for make in lessons.taught_no_rennet(here.session, here.dairy, _OF_LAST):
        standing, sheet = standing_of(here, make), makes.sheet_of(make)
        why = why_nothing(recipe_of(make), sheet, standing, make.started_at)
        if why and standing.flocks_count is not False:
            yield make, why


def _shares(
    rows: Sequence[LessonRow], sort: ShareSort, learnt: Callable[[str], Learnt | None]
) -> tuple[OfShare, ...]:
    found: dict[tuple[str, str], list[LessonRow]] = {}
    for row in rows:
        if row.sort == sort:
            found.setdefault((row.name, row.of), []).append(row)
    return tuple(
        OfShare(name, learnt(of), tuple(those)) for (name, of), those in sorted(found.items())
    )


def _animals(breed: str) -> str:
    return next((each.words for name, each in BREEDS.items() if name == breed), breed)


def _acid(here: Here, acid: str, animals: str) -> Learnt:
    return next(here.acid_learnt(acid, breed) for breed in BREEDS if breed == animals)


def _acid_rows(rows: Sequence[LessonRow], acid: str, animals: str) -> tuple[LessonRow, ...]:
    return tuple(e for e in rows if e.sort == "acid" and (e.of, e.name) == (acid, animals))


def count(here: Here, make_id: uuid.UUID, event: uuid.UUID, *, counts: bool) -> Answer:
    """A make is left out of the learning, or counts again. Raises: NotHere."""
    return tell(here, make_id, [Told(id=str(event), deed=Counted(counts), happened=here.now)])[0]
