"""Salt on the rind: how many grams on which day, and on which faces."""

from __future__ import annotations

from dataclasses import dataclass

from openpail.craft.errors import OutOfRange
from openpail.craft.figure import Figure

_SALT_PCT = (0.1, 8.0)

_FACES = {
    1: ("both faces and the side",),
    2: ("the upper face and half the side", "turned: the other face, the rest of the side"),
    3: ("the upper face", "turned: the other face", "the side, rolled in it"),
}
_MOST_DAYS = 12


@dataclass(frozen=True, slots=True)
class Rub:
    """One salting of a rind: how many days after the first, grams on one piece, which faces."""

    day: int
    grams: Figure
    faces: str


def rubs(cheese_kg: float, pct: float, times: int) -> tuple[Rub, ...]:
    """The saltings of one piece, a day apart.

    Parameters: cheese_kg, as it comes out of its mould, over 0; pct of it, 0.1 to 8; times, 1 to
    12. Raises: OutOfRange. Source: usual practice: of the cheese's own mass, in equal parts.
    """
    if cheese_kg <= 0 or not _SALT_PCT[0] <= pct <= _SALT_PCT[1] or not 1 <= times <= _MOST_DAYS:
        raise OutOfRange("A piece of some weight, 0.1 to 8 % salt, on 1 to 12 days.")
    whole = Figure.start("the cheese as it comes out", 1000 * cheese_kg, "g").times(
        f"{pct:g} % salt on its rind", pct / 100
    )
    one = whole.times(f"one of {times} saltings", 1 / times) if times > 1 else whole
    faces = _FACES.get(times)
    if faces is None:
        faces = tuple(_FACES[2][number % 2] for number in range(times))
    return tuple(Rub(day, one, faces[day]) for day in range(times))
