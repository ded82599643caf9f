"""What a make's cheeses went through at rest: where they lay and in what air, what was done to
them, what they weighed."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from openpail.craft.cave.care import RIND_SALT
from openpail.craft.cave.course import from_json
from openpail.craft.cave.deeds import Cared, PieceDeed, Seen, WeighedAgain
from openpail.craft.cave.fold import counting
from openpail.craft.recipe.recipe import Recipe
from openpail.records.climate import actions as climate
from openpail.records.climate.actions import AirDay
from openpail.records.pieces import actions as pieces
from openpail.records.pieces.models import Piece
from openpail.work.here import Here


@dataclass(frozen=True, slots=True, kw_only=True)
class LayAt:
    """Pieces that lay at a place from a day to a day (None: still there); the mean of its air, °C
    and %, with its least and most warmth, None where nobody read it; days that were not read."""

    place: str
    begins: date
    ends: date | None
    labels: tuple[str, ...]
    mean_c: float | None
    low_c: float | None
    high_c: float | None
    mean_pct: float | None
    unread_days: int


@dataclass(frozen=True, slots=True, kw_only=True)
class CareTimes:
    """A care: its words, how often the piece had it that had it most, how many pieces had it, when
    it was last done."""

    words: str
    times: int
    pieces: int
    last: datetime


@dataclass(frozen=True, slots=True)
class Rested:
    """All that: stays, cares, and weighings (piece, when, kg)."""

    stays: tuple[LayAt, ...]
    cares: tuple[CareTimes, ...]
    weighed: tuple[tuple[str, datetime, float], ...]


def rested(here: Here, recipe: Recipe, laid: Sequence[Piece]) -> Rested:
    """What the pieces of a make went through."""
    told = pieces.told(here.session, here.dairy.id, [row.id for row in laid])
    deeds = [
        (row, each)
        for row in laid
        for each in counting(pieces.as_told(deed) for deed in told.get(row.id, ()))
    ]
    weighed = [
        (row.label, each.at, each.deed.kg)
        for row, each in deeds
        if isinstance(each.deed, WeighedAgain)
    ]
    return Rested(
        tuple(_stays(here, laid)),
        tuple(_cares(recipe, [(row, each.deed, each.at) for row, each in deeds])),
        tuple(sorted(weighed, key=lambda each: (each[1], each[0]))),
    )


def _stays(here: Here, laid: Sequence[Piece]) -> Iterator[LayAt]:
    found: dict[tuple[str, date, date | None], list[str]] = {}
    for row in laid:
        lain = from_json(row.course).lain
        ends: list[date | None] = [each.begins for each in lain[1:]]
        ends.append(here.day_of(row.ended_at) if row.ended_at else None)
        for each, end in zip(lain, ends, strict=True):
            found.setdefault((each.place, each.begins, end), []).append(row.label)
    if not found:
        return
    air = climate.air_of_days(here.session, here.dairy, min(begins for _, begins, _ in found))
    for (place, begins, left), labels in sorted(found.items(), key=lambda e: (e[0][1], e[0][0])):
        until = left or here.today
        read = [day for day in air.get(place, ()) if begins <= day.day <= until]
        mean_c, low_c, high_c = _mean_c(read)
        yield LayAt(
            place=place,
            begins=begins,
            ends=left,
            labels=tuple(labels),
            mean_c=mean_c,
            low_c=low_c,
            high_c=high_c,
            mean_pct=_share(sum(day.sum_pct for day in read), sum(day.count_pct for day in read)),
            unread_days=max(0, (until - begins) // timedelta(days=1) + 1 - len(read)),
        )


def _mean_c(read: Sequence[AirDay]) -> tuple[float | None, float | None, float | None]:
    warm = [day for day in read if day.count_c]
    return (
        _share(sum(day.sum_c for day in warm), sum(day.count_c for day in warm)),
        min((day.low_c for day in warm if day.low_c is not None), default=None),
        max((day.high_c for day in warm if day.high_c is not None), default=None),
    )


def _share(total: float, count: int) -> float | None:
    return total / count if count else None


def _plain(key: str) -> str:
    return "Salt rubbed on" if key.startswith(RIND_SALT) else key.replace("-", " ").capitalize()


def _cares(
    recipe: Recipe, deeds: Sequence[tuple[Piece, PieceDeed, datetime]]
) -> Iterator[CareTimes]:
    """Each care by its words: one recipe has the same care in several stages."""
    known = {(s.key, care.key): care.words for s in recipe.stages for care in s.cares}
    found: dict[str, dict[str, list[datetime]]] = {}
    for row, deed, at in deeds:
        if isinstance(deed, Cared):
            words = known.get((deed.stage, deed.key)) or _plain(deed.key)
        elif isinstance(deed, Seen):
            words = "Looked at"
        else:
            continue
        found.setdefault(words, {}).setdefault(row.label, []).append(at)
    for words, those in found.items():
        times = max(len(each) for each in those.values())
        yield CareTimes(
            words=words,
            times=times,
            pieces=len(those),
            last=max(max(each) for each in those.values()),
        )
