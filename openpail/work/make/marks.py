"""What stays said of a make and of its pieces, worked out of the facts each time it is asked."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Iterable, Iterator, Mapping

from openpail.craft.make.care import raw_heat
from openpail.craft.marks import NO_MARKS, RAW_SOFT, Mark, Marks, as_key
from openpail.craft.sheet.cautions import Caution
from openpail.records import inherited
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.work.here import Here
from openpail.work.make.made import recipe_of, standing_of, stops_of


def own(here: Here, make: Make) -> Iterator[Mark]:
    """What its sheet and its deeds left on a make; what its milk brought, the milk itself says."""
    sheet, standing, of = makes.sheet_of(make), standing_of(here, make), f"make {make.number}"
    for each in sheet.cautions:
        if each.key == RAW_SOFT:
            yield Mark(key=RAW_SOFT, words=each.title, of=of)
    unheated = raw_heat(recipe_of(make), sheet.milk.raw, standing)
    if unheated:
        yield Mark(key=RAW_SOFT, words=f"{unheated.title} {unheated.words}", of=of)
    for stop in stops_of(here, make, standing):
        key = as_key(stop.key)
        if key:
            yield Mark(key=key, words=stop.words, of=of, word=standing.word)


def of_makes(here: Here, make_ids: Collection[uuid.UUID]) -> Mapping[uuid.UUID, Marks]:
    """What stays on makes and all their pieces, by the makes' ids: of their milk and what it came
    of, of their sheets, of their deeds."""
    asked = {key for key in make_ids if ("marks", key) not in here.worked}
    found, lacking = _of_makes(here, asked)
    if lacking:
        keep(here, makes.with_sheets(here.session, here.dairy, lacking))
        found, _ = _of_makes(here, asked)
    here.worked |= {("marks", key): found.get(key, NO_MARKS) for key in asked}
    return {key: _marks(here.worked["marks", key]) for key in make_ids}


def keep(here: Here, those: Iterable[Make]) -> None:
    """What makes left on themselves is kept with what their deeds come to."""
    found = [(make, tuple(own(here, make))) for make in those]
    for make, left in found:
        inherited.keep(make, left)
    here.session.flush()


def _of_makes(here: Here, ids: Collection[uuid.UUID]) -> inherited.OfMakes:
    session, house = here.session, here.house
    return inherited.of_makes(session, here.dairy.id, ids, house=house, zone=here.zone)


def _marks(kept: object) -> Marks:
    assert isinstance(kept, tuple)
    return kept


def of_make(here: Here, make_id: uuid.UUID) -> Marks:
    """What stays on a make and all its pieces."""
    return of_makes(here, [make_id])[make_id]


def brought(here: Here, make: Make) -> Marks:
    """What a make has of its milk, and not of what was done to it."""
    itself = f"make {make.number}"
    # what milk brought has its moment, so that no lot that is called like a make is taken for it
    return tuple(e for e in of_make(here, make.id) if e.known_at is not None or e.of != itself)


def as_caution(mark: Mark) -> Caution:
    """A mark, said where cautions of a make are said."""
    return Caution(key=mark.key, level="stop", title=f"{mark.sort.title}.", words=mark.said)


def late(here: Here, make: Make) -> Marks:
    """What of the marks of a make came out after it was begun."""
    return tuple(
        each for each in brought(here, make) if each.known_at and each.known_at > make.started_at
    )
