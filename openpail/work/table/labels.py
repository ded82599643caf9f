"""Labels of pieces: what each says, and in whose words."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Sequence
from dataclasses import asdict

from openpail.craft.cave.label import Dates, Label, MilkSaid, Wording, label_of
from openpail.records.makes import actions as makes
from openpail.records.pieces import actions as pieces
from openpail.records.pieces.models import Piece
from openpail.work.cave.piece import check_of, guard_of, planned
from openpail.work.here import Here

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
    course = now.course
    sheet = makes.sheet_of(makes.make(here.session, here.dairy, row.make_id))
    guard = guard_of(here, row, now)
    declared = any(each.key == "declared" for each in sheet.cautions)
    milk = MilkSaid(
        animals=now.of.animals, raw=guard.raw, heated=row.raw and not guard.raw, declared=declared
    )
    dates = Dates(
        made=row.made_on,
        ready=plan.ready_from,
        until=plan.eat_by,
        sealed=course.sealed,
        sealed_on=course.sealed_on,
        aged_days=guard.aged_days,
    )
    kg = weight(row.left_kg) if row.left_kg else ""
    return label_of(
        row.label,
        now.recipe,
        milk,
        dates=dates,
        marks=guard.marks,
        wording=words,
        weight=kg,
        code=code,
    )
