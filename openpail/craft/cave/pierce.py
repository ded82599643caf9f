"""Where a needle goes: holes in rings, so far from each other and from the edge."""

from __future__ import annotations

from math import cos, pi, sin

from openpail.craft.errors import OutOfRange

_LEAST_CM, _MOST_CM = 4.0, 60.0  # a side that needles are set out on

SPACED_CM, FROM_EDGE_CM = 2.0, 1.5
WORDS = (
    "A clean needle of 2 to 3 mm, boiled or in 70 % alcohol between cheeses; all the way through. "
    "Then lay it on its side or lift it: blue wants air at every hole."
)


def holes(across_cm: float, side_cm: float | None = None) -> list[tuple[float, float]]:
    """Where the holes go in one face, cm from its middle.

    Parameters: across_cm, 4 to 60, of a round one or the longer side; side_cm, the other side, None
    for a round one. Raises: OutOfRange. Source: usual practice: 2 cm apart.
    """
    sides = (across_cm,) if side_cm is None else (across_cm, side_cm)
    if not all(_LEAST_CM <= each <= _MOST_CM for each in sides):
        raise OutOfRange("A cheese to pierce is 4 to 60 cm wide.", "across")
    if side_cm is not None:
        columns = int((across_cm - 2 * FROM_EDGE_CM) // SPACED_CM)
        rows = int((side_cm - 2 * FROM_EDGE_CM) // SPACED_CM)
        return [
            ((i - columns / 2) * SPACED_CM, (j - rows / 2) * SPACED_CM)
            for i in range(columns + 1)
            for j in range(rows + 1)
        ]
    found = [(0.0, 0.0)]
    rings = int((across_cm / 2 - FROM_EDGE_CM) // SPACED_CM)
    for ring in range(1, rings + 1):
        radius = ring * SPACED_CM
        count = int(2 * pi * radius // SPACED_CM)
        found += [
            (round(radius * cos(2 * pi * i / count), 2), round(radius * sin(2 * pi * i / count), 2))
            for i in range(count)
        ]
    return found
