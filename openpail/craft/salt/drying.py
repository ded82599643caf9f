"""Drying a cheese until its rind is touch-dry: by what sign, and about how long in which room."""

from __future__ import annotations

from dataclasses import dataclass

from openpail.craft.errors import OutOfRange
from openpail.craft.figure import Figure
from openpail.craft.house import House, along

_HUMIDITY_PCT = (20.0, 100.0)
_HOTTEST_C = 40.0
_DAMP_PCT = 90.0  # no rind dries in such air


@dataclass(frozen=True, slots=True)
class Drying:
    """days it takes, about; what the room asks for, in words."""

    days: Figure
    words: str


def drying(humidity_pct: float | None, celsius: float | None, house: House) -> Drying:
    """How long a rind takes to be touch-dry in a room.

    Parameters: humidity_pct of the room, 20 to 100, None where nobody read it; celsius, 0 to 40;
    house. Raises: OutOfRange. Source: house value.
    """
    key = "dry.days"
    points = house.curve(key)
    if humidity_pct is None:
        middle = points[len(points) // 2]
        figure = Figure.start(
            f"a room nobody has read, of about {middle[0]:.0f} %",
            middle[1],
            "d",
            "assumed",
            source=house.source(key),
            house_key=key,
        )
        return Drying(figure, "Read the room’s humidity: it decides.")
    if not _HUMIDITY_PCT[0] <= humidity_pct <= _HUMIDITY_PCT[1]:
        raise OutOfRange("A room has 20 to 100 % of humidity.", "humidity")
    if celsius is not None and not 0 <= celsius <= _HOTTEST_C:
        raise OutOfRange("A room has 0 to 40 °C.", "celsius")
    days = along(points, humidity_pct)
    figure = Figure.start(
        f"a room of {humidity_pct:.0f} %", days, "d", source=house.source(key), house_key=key
    )
    words, warm = "", house.number("dry.warm")
    if humidity_pct < points[0][0] + 5:
        words = "So dry a room cracks the rind: lay a cloth over it, turn it twice a day."
    elif humidity_pct > _DAMP_PCT:
        words = "In so damp a room it does not dry: fan, or another room."
    elif celsius is not None and celsius > warm:
        words = f"Over {warm:.0f} °C fat sweats out: a cooler room."
    return Drying(figure, words)
