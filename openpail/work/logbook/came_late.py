"""What came out of milk after cheese was made of it: the makes, what is here, who has of it."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from openpail.craft.marks import Marks
from openpail.records import inherited, lineage
from openpail.records.drills import actions as drills
from openpail.records.lineage import Reached, TracedPiece
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.work.here import Here
from openpail.work.logbook.trace import Whom, trace
from openpail.work.make import marks

_LOOKED_BACK = timedelta(days=400)
_MOST_TOLD = 40


@dataclass(frozen=True, slots=True, kw_only=True)
class CameLate:
    """A make of which something came out after it was begun: what; the pieces that are here; who
    has of it and was not reached by a recall since; the milk that it is of."""

    make: Make
    marks: Marks
    here: Sequence[TracedPiece]
    whom: tuple[Whom, ...]

    @property
    def wants_hands(self) -> bool:
        """Whether something of it is here, or with somebody who was not told."""
        return self.make.state == "under way" or bool(self.here or self.whom)


def came_late(here: Here) -> list[CameLate]:
    """The makes of which something came out late and which want hands for it, the newest first."""
    since = here.now - _LOOKED_BACK
    lots = inherited.told_late(here.session, here.dairy.id, since, here.house)
    if not lots:
        return []
    reached = lineage.forwards(here.session, here.dairy.id, Reached(lots=frozenset(lots)))
    recalled = drills.real_since(here.session, here.dairy, since)
    marks.of_makes(here, reached.makes)
    found = []
    for key in reached.makes:
        make = makes.make(here.session, here.dairy, key)
        late = marks.late(here, make)
        if late:
            told = max(each.known_at for each in late if each.known_at)
            found.append(_of_make(here, make, late, _reached(recalled, told, {key, *lots})))
    wanted = [each for each in found if each.wants_hands]
    return sorted(wanted, key=lambda each: each.make.started_at, reverse=True)


def _reached(
    recalled: Sequence[drills.Recalled], told: datetime, of: set[uuid.UUID]
) -> frozenset[str]:
    """Who was reached by a real recall since a moment, of one of these."""
    return frozenset(
        name
        for each in recalled
        if each.begun_at >= told and each.subject_id in of
        for name in each.reached
    )


def _of_make(here: Here, make: Make, late: Marks, reached: frozenset[str]) -> CameLate:
    traced = trace(here, "make", make.id, _MOST_TOLD)
    return CameLate(
        make=make,
        marks=late,
        here=traced.here,
        whom=tuple(each for each in traced.whom if each.name not in reached),
    )
