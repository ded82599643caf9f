"""Trace: a lot forwards to its pieces and to whom they went, a piece backwards to its milkings;
and a recall of it, tried out or real, by the clock."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Literal

from openpail.craft.errors import NotHere
from openpail.craft.marks import Marks
from openpail.records import lineage
from openpail.records.brine import actions as brine
from openpail.records.drills import actions as drills
from openpail.records.drills.models import Drill
from openpail.records.lineage import Ids, Reached, Rows, TracedPiece, Weights, WentTo
from openpail.records.makes import actions as makes
from openpail.records.milk import actions as milk
from openpail.records.pieces import actions as pieces
from openpail.records.stock import actions as stock
from openpail.work.here import Here
from openpail.work.make import marks

TraceSort = Literal["lot", "bottle", "tub", "make", "piece"]
SORTS: dict[TraceSort, str] = {
    "lot": "milk",
    "bottle": "a bottle of the stock",
    "tub": "a brine",
    "make": "a make",
    "piece": "a piece",
}
NOBODY = "nobody wrote to whom"
# A recall that takes longer than this to be told is too slow: usual of official drills.
LONGEST_RECALL = timedelta(hours=4)


@dataclass(frozen=True, slots=True, kw_only=True)
class Whom:
    """Who has cheese of it: kg, pieces, since when the first and the last of it."""

    name: str
    kg: float
    labels: tuple[str, ...]
    first: datetime
    last: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class Traced:
    """What hangs together with something. came: what it was made of; of_it: what came of it, with
    its pieces; reached and behind, all of both by their ids, however few rows of them were read;
    whom: who has cheese of it, by how much; weights, which add up: kg that were laid down, that are
    here, that went by where, and that dried off or were trimmed; marks, what stays said of each
    make."""

    sort: TraceSort
    id: uuid.UUID
    words: str
    came: Rows
    of_it: Rows
    reached: Reached
    behind: Reached
    whom: tuple[Whom, ...]
    weights: Weights
    went_kg: dict[str, float]
    marks: Mapping[uuid.UUID, Marks]

    @property
    def dried_kg(self) -> float:
        """What is neither here nor went anywhere: dried off, or cut away."""
        weights = self.weights
        return max(0.0, weights.laid_kg - weights.here_kg - sum(self.went_kg.values()))

    @property
    def here(self) -> list[TracedPiece]:
        """The pieces that are here."""
        return [each for each in self.of_it.pieces if each.ended_at is None]

    @property
    def more_milk(self) -> Ids:
        """The milk, cream and whey that came of it and are not among what it came of."""
        return self.reached.lots - self.behind.lots - {self.id}


def trace(here: Here, sort: TraceSort, key: uuid.UUID, most: int | None = None) -> Traced:
    """All that hangs together with something. Raises NotHere.

    Of a piece, what came of it are the pieces of its make: itself, its parts and its sisters.
    most: rows of each sort that are read, None for all.
    """
    session, dairy_id = here.session, here.dairy.id
    words, start = _start(here, sort, key)
    ahead = start if sort == "piece" else lineage.forwards(session, dairy_id, start)
    behind = lineage.backwards(session, dairy_id, ahead.makes)
    shown = ahead if most is None else replace(ahead, lots=ahead.lots - behind.lots - {key})
    gone = lineage.gone(session, dairy_id, ahead.makes)
    went: dict[str, float] = {}
    for each in gone:
        went[each.kind] = went.get(each.kind, 0.0) + each.kg
    return Traced(
        sort=sort,
        id=key,
        words=words,
        came=lineage.rows(session, dairy_id, behind, lineage.NONE, most),
        of_it=lineage.rows(session, dairy_id, shown, ahead.makes, most),
        reached=ahead,
        behind=behind,
        whom=_whom(gone),
        weights=lineage.weights(session, dairy_id, ahead.makes),
        went_kg=went,
        marks=marks.of_makes(here, ahead.makes),
    )


def _start(here: Here, sort: TraceSort, key: uuid.UUID) -> tuple[str, Reached]:
    session, dairy = here.session, here.dairy
    one = frozenset({key})
    match sort:
        case "lot":
            lot = milk.lot(session, dairy, key)
            return f"{lot.name}, {here.day_of(lot.collected_at):%-d %b %Y}", Reached(lots=one)
        case "bottle":
            return stock.bottle(session, dairy, key).name, Reached(bottles=one)
        case "tub":
            return brine.tub(session, dairy, key).name, Reached(tubs=one)
        case "make":
            make = makes.make(session, dairy, key)
            return f"{make.name}, make {make.number}", Reached(makes=one)
    row = pieces.piece(session, dairy, key)
    return f"{row.label}, {row.name}", Reached(makes=frozenset({row.make_id}))


def _whom(gone: Sequence[WentTo]) -> tuple[Whom, ...]:
    found: dict[str, list[WentTo]] = {}
    for each in gone:
        if each.kind in ("sold", "given"):
            found.setdefault(each.to or NOBODY, []).append(each)
    whom = [
        Whom(
            name=name,
            kg=sum(each.kg for each in those),
            labels=tuple(dict.fromkeys(label for each in those for label in each.labels)),
            first=min(each.first for each in those),
            last=max(each.last for each in those),
        )
        for name, those in found.items()
    ]
    return tuple(sorted(whom, key=lambda each: (-each.kg, each.name)))


def as_rows(traced: Traced) -> list[tuple[str, ...]]:
    """What was traced as plain lines, for a file: way, what, number, name, when, kg, to whom."""
    found: list[tuple[str, ...]] = []
    for way, rows in (("came of", traced.came), ("came to", traced.of_it)):
        found += [
            (
                way,
                "milk",
                str(lot.number),
                lot.name,
                lot.collected_at.isoformat(),
                f"{lot.mass_kg:.3f}",
                lot.herd,
            )
            for lot in rows.lots
        ]
        found += [
            (way, each.kind, each.supplier_lot or "", each.name, "", "", "")
            for each in rows.bottles
        ]
        found += [(way, "brine", "", each.name, "", "", "") for each in rows.tubs]
        found += [
            (
                way,
                "make",
                str(each.number),
                each.name,
                each.started_at.isoformat(),
                f"{each.milk_kg:.3f}",
                "",
            )
            for each in rows.makes
        ]
        found += [
            (
                way,
                "mark",
                str(make.number),
                mark.sort.title,
                mark.known_at.isoformat() if mark.known_at else "",
                "",
                mark.said,
            )
            for make in rows.makes
            for mark in traced.marks.get(make.id, ())
        ]
        found += [
            (
                way,
                "piece",
                each.label,
                each.name,
                each.laid_at.isoformat(),
                f"{each.left_kg:.3f}",
                "",
            )
            for each in rows.pieces
        ]
        found += [
            (
                way,
                out.kind or "left",
                out.label,
                out.name,
                out.at.isoformat(),
                f"{out.mass_kg:.3f}",
                out.to,
            )
            for out in rows.outs
        ]
    return found


# ── recalls ──


@dataclass(frozen=True, slots=True)
class Recall:
    """A recall of something: its row, how long it takes or took, who is still to be reached."""

    row: Drill
    minutes: float
    open_names: tuple[str, ...]

    @property
    def is_slow(self) -> bool:
        """Whether it takes longer than a recall may."""
        return self.minutes > LONGEST_RECALL.total_seconds() / 60


def recalls(here: Here, traced: Traced) -> list[Recall]:
    """The recalls of something, the newest first."""
    return [
        _recall(here, row, traced.whom)
        for row in drills.of_subject(here.session, here.dairy, traced.id)
    ]


def _recall(here: Here, row: Drill, whom: Sequence[Whom]) -> Recall:
    until = row.ended_at or here.now
    minutes = (until - row.begun_at).total_seconds() / 60
    return Recall(row, minutes, tuple(each.name for each in whom if each.name not in row.reached))


def begin(here: Here, sort: TraceSort, key: uuid.UUID, *, real: bool) -> Drill:
    """Begin a recall. Raises: NotHere; RecordError while one is under way."""
    words, _ = _start(here, sort, key)
    return drills.begin(
        here.session,
        here.dairy,
        sort,
        subject_id=key,
        words=words,
        now=here.now,
        person_id=here.person_id,
        real=real,
    )


def reach(here: Here, drill_id: uuid.UUID, whom: str) -> Drill:
    """Somebody who has cheese of it was reached. Raises: NotHere, of a recall, or of a name that
    has none; RecordError once it is ended."""
    row = drills.drill(here.session, here.dairy, drill_id)
    traced = trace(here, _sort(row.sort), row.subject_id)
    if whom not in {each.name for each in traced.whom}:
        raise NotHere("nobody of that name")
    drills.reach(row, whom, here.now)
    return row


def end(here: Here, drill_id: uuid.UUID) -> Drill:
    """A recall is at its end. Raises: NotHere; RecordError."""
    row = drills.drill(here.session, here.dairy, drill_id)
    drills.end(row, here.now)
    return row


def _sort(text: str) -> TraceSort:
    return next(each for each in SORTS if each == text)
