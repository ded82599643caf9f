"""What of a probe's stream is worth a deed: where it leaves a band, comes back into it, or falls
silent."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from openpail.craft.recipe.recipe import Band

Side = Literal["under", "in", "over"]
SILENT = timedelta(minutes=10)
_HOLDS = 3  # values on the other side before it counts: one of them may be noise


@dataclass(frozen=True, slots=True)
class Streamed:
    """A value of a probe: when, and °C or pH."""

    at: datetime
    value: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Crossing:
    """Where a stream came to another side of its band: from which to which, and its value there."""

    at: datetime
    value: float
    before: Side
    after: Side


def side(value: float, band: Band) -> Side:
    """On which side of a band a value lies, its edges within.

    Parameters: value and band in one unit. Source: derivation.
    """
    return "under" if value < band.low else "over" if value > band.high else "in"


def crossings(
    stream: Sequence[Streamed], band: Band, before: Side | None = None
) -> tuple[Crossing, ...]:
    """Where a stream crosses its band, each told once, noise at an edge left out.

    Parameters: stream by time; band in its unit; before, the side it stood on when it was looked at
    last, None where nobody has. Returns: the crossings by time; the first value of a stream that
    nobody has looked at is none. Source: derivation: three values in a row on a side count.
    """
    found: list[Crossing] = []
    stands, run = before, 0
    seen: Side | None = None
    for number, each in enumerate(stream):
        here = side(each.value, band)
        run = run + 1 if here == seen else 1
        seen = here
        if stands is None:
            stands = here
        elif here != stands and run >= _HOLDS:
            first = stream[number - _HOLDS + 1]
            found.append(Crossing(at=first.at, value=first.value, before=stands, after=here))
            stands = here
    return tuple(found)
