"""Labels of pieces: what each says, and in whose words."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Sequence
from dataclasses import asdict

from openpail.craft.cave.allergens import says
from openpail.craft.cave.keep import is_last_day, most_c
from openpail.craft.cave.label import Dates, Label, Wording, label_of
from openpail.craft.cave.label import to_ask as names_to_ask
from openpail.craft.cave.piece import with_cold
from openpail.craft.errors import RecordError
from openpail.records.makes import actions as makes
from openpail.records.pieces import actions as pieces
from openpail.records.pieces.models import Piece
from openpail.work.cave.piece import check_of, guard_of, planned
from openpail.work.cave.ripening import around
from openpail.work.here import Here
from openpail.work.make.matter import matter_of

__all__ = ["says"]  # what the page offers by name
MOST = 240


def wording(here: Here) -> Wording:
    """The maker's own words on a label."""
    return Wording(**here.dairy.label)


def set_wording(here: Here, words: Wording) -> None:
    """The maker's own words on a label are others. Raises nothing: `Wording` checked them."""
    here.dairy.label = {key: value for key, value in asdict(words).items() if value}
    here.session.flush()


def labels(
    here: Here,
    ids: Sequence[uuid.UUID],
    words: Wording,
    code: Callable[[str, str], str],
    weight: Callable[[float], str],
) -> list[Label]:
    """The labels of pieces, in the order of their numbers. Raises NotHere.

    Parameters: words, the maker's own; code, the address that a number and its check lead to;
    weight, kg in the dairy's own words.
    """
    rows = pieces.some(here.session, here.dairy, ids)
    return [
        _label(here, row, words, code(row.label, check_of(row.id)), weight)
        for row in sorted(rows, key=lambda row: (row.made_on, row.label))
    ]


def _label(
    here: Here, row: Piece, words: Wording, code: str, weight: Callable[[float], str]
) -> Label:
    now, plan = planned(here, row)
    course, house = now.course, here.house
    guard = guard_of(here, row, now)
    make = makes.make(here.session, here.dairy, row.make_id)
    facts = with_cold(now, around(here, row.made_on))
    dates = Dates(
        made=row.made_on,
        ready=plan.ready_from,
        until=plan.eat_by,
        is_last=is_last_day(now.recipe) or guard.is_raw_soft,
        most_c=most_c(now.recipe, course, facts, house),
        sealed=course.sealed,
        sealed_on=course.sealed_on,
        aged_days=guard.aged_days,
    )
    return label_of(
        row.label,
        now.recipe,
        matter_of(here, make, raw=guard.raw, course=course),
        dates=dates,
        marks=guard.marks,
        wording=words,
        weight=weight(row.left_kg) if row.left_kg else "",
        code=code,
    )


def to_ask(here: Here, ids: Sequence[uuid.UUID]) -> tuple[str, ...]:
    """The names of what went into pieces that stand on no list of allergens. Raises NotHere."""
    asked: list[str] = []
    made = {row.make_id: row for row in pieces.some(here.session, here.dairy, ids)}
    for row in made.values():
        make = makes.make(here.session, here.dairy, row.make_id)
        asked += names_to_ask(matter_of(here, make, raw=row.raw))
    return tuple(dict.fromkeys(asked))


def answer(here: Here, name: str, keys: Sequence[str]) -> None:
    """Of a name that stands on no list it is said which allergens are in it: asked once, kept.

    Parameters: name, as it stands on the bottle; keys of allergens, none for none of them.
    Raises: RecordError for an allergen that is none.
    """
    if not name.strip() or any(key not in says() for key in keys):
        raise RecordError("Choose from the list.", "keys")
    here.dairy.allergens = {**here.dairy.allergens, name.casefold(): list(keys)}
    here.session.flush()
