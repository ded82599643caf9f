"""The table: makes weighed and to weigh, and what their cheese came to."""

from __future__ import annotations

import uuid
from dataclasses import dataclass

from openpail.craft.cave.care import DueCare
from openpail.craft.figure import Figure
from openpail.craft.make.additions import cheese_now
from openpail.craft.make.day import MakeDay
from openpail.craft.make.deeds import Amended, Told, Trimmed, Weighed
from openpail.craft.make.frozen import Frozen
from openpail.craft.salt.brine import weight_after
from openpail.instruments.scale import reader as scale
from openpail.instruments.wire import NoReading
from openpail.records.brine import actions as brine
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.pieces import actions as pieces
from openpail.records.pieces.models import Piece
from openpail.work.cave.ripening import next_care
from openpail.work.here import Here
from openpail.work.make.day import day_of
from openpail.work.make.log import Answer, tell
from openpail.work.make.made import recipe_of, standing_of
from openpail.work.press.brining import pieces_of

ON_PAGE = 20


@dataclass(frozen=True, slots=True, kw_only=True)
class AtTable:
    """One make at the table: its pieces with their next care, its sheet, where it stands; cheese,
    what it is thought to give, by the last scale that it lay on."""

    make: Make
    sheet: Frozen
    pieces: list[tuple[Piece, DueCare | None]]
    day: MakeDay
    cheese: Figure

    @property
    def real_kg(self) -> float:
        """What its pieces weighed together."""
        return sum(piece.mass_kg for piece, _ in self.pieces)


def last_makes(here: Here, page: int = 0) -> tuple[list[tuple[Make, float | None]], bool]:
    """A page of the makes, the newest first, with what they weighed (None: not weighed), and
    whether there are older ones."""
    found = makes.all_makes(here.session, here.dairy, ON_PAGE + 1, page * ON_PAGE)
    older, found = len(found) > ON_PAGE, found[:ON_PAGE]
    weighed = pieces.weighed_kg(here.session, here.dairy, [make.id for make in found])
    return [(make, weighed.get(make.id)) for make in found], older


def at_table(here: Here, make_id: uuid.UUID) -> AtTable:
    """One make at the table. Raises NotHere."""
    make = makes.make(here.session, here.dairy, make_id)
    laid = pieces.of_make(here.session, make)
    recipe = recipe_of(make)
    rows = [(piece, None if piece.ended_at else next_care(here, piece, recipe)) for piece in laid]
    sheet, day = makes.sheet_of(make), day_of(here, make)
    return AtTable(
        make=make, sheet=sheet, pieces=rows, day=day, cheese=cheese_now(recipe, sheet, day.standing)
    )


def expected_pieces(here: Here, make_id: uuid.UUID) -> tuple[float, ...]:
    """The pieces of a make as they are thought to weigh, kg: as they came out of their moulds, less
    what brine took, else equal parts of what is expected. Raises NotHere."""
    make = makes.make(here.session, here.dairy, make_id)
    sheet, standing = makes.sheet_of(make), standing_of(here, make)
    found = pieces_of(standing, sheet, recipe_of(make))
    salt = sum(each.salt_kg for each in brine.of_make(here.session, make) if each.out_at)
    trimmed = sum(deed.kg for _, deed in standing.of(Trimmed))
    left = weight_after(sum(found), salt) - trimmed
    return tuple(round(kg * left / sum(found), 3) for kg in found)


def weigh(
    here: Here,
    make_id: uuid.UUID,
    pieces_kg: tuple[float, ...],
    deed_id: uuid.UUID,
    word: str = "",
    *,
    about: bool = False,
) -> Answer:
    """The cheese is weighed: its pieces get their care plans and go to rest; weighed before, the
    weights are mended. Raises NotHere.

    word: where they are far from expected, or the acid was slow; about: nobody weighed it.
    """
    make = makes.make(here.session, here.dairy, make_id)
    before = standing_of(here, make).weighed
    if before is None:
        return tell(
            here,
            make_id,
            [Told(id=str(deed_id), deed=Weighed(pieces_kg, word, about), happened=here.now)],
        )[0]
    change = {"pieces_kg": list(pieces_kg), "word": word, "about": about}
    return tell(
        here,
        make_id,
        [Told(id=str(deed_id), deed=Amended(change), happened=here.now, amends=before.id)],
    )[0]


def on_the_scale(here: Here) -> float:
    """What lies on the dairy's scale, kg, once it is still. Raises: NoReading with words."""
    kg = scale.weigh(here.dairy.scale)
    if kg <= 0:
        raise NoReading(
            "Nothing lies on the scale, or it was set to nothing with the cheese on it."
        )
    return kg
