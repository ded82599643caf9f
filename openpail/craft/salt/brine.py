"""Brine: its strength by whatever instrument there is, made, freshened, after a batch, at rest."""

from __future__ import annotations

from typing import Literal

from openpail.craft.errors import OutOfRange
from openpail.craft.figure import Figure
from openpail.craft.house import House, along
from openpail.craft.units import HAIR

_HOTTEST_C = 30.0  # the source’s densities end here
_ENDS_PCT = (1.0, 20.0)
_FULL_SCALE = 100.5  # a salometer reads 100 in a brine that is full

SATURATED_PCT = 26.4
_WATER_20 = 0.9982
_WATER_OUT = 2.0  # kg of water that leave the cheese for a kg of salt that goes in
_DENSITY = (
    (0.0, 0.9982),
    (5.0, 1.0340),
    (10.0, 1.0707),
    (15.0, 1.1085),
    (18.0, 1.1319),
    (20.0, 1.1478),
    (22.0, 1.1640),
    (24.0, 1.1804),
    (26.0, 1.1972),
    (SATURATED_PCT, 1.20056),
)
_PCT = tuple((density, pct) for pct, density in _DENSITY)
ReadBy = Literal["pct", "density", "sg", "baume", "salometer"]
READ_WORDS: dict[ReadBy, str] = {
    "density": "density, g/mL",
    "sg": "specific gravity",
    "baume": "°Baumé",
    "salometer": "salometer °",
    "pct": "% salt",
}
_LEAST_C, _MOST_C = 0.0, 60.0


def density_20(pct: float) -> float:
    """Density of a brine at 20 °C, g/mL.

    Parameters: pct, salt in the brine, % w/w, 0 to 26.4. Raises: OutOfRange.
    Source: CRC Handbook of Chemistry and Physics, straight between its values.
    """
    if not 0 <= pct <= SATURATED_PCT:
        raise OutOfRange(f"A brine has 0 to {SATURATED_PCT:g} % salt: then it is full.", "pct")
    return along(_DENSITY, pct)


def pct_of_density(g_per_ml: float) -> float:
    """Salt of a brine by its density at 20 °C, % w/w: `density_20` the other way.

    Parameters: g_per_ml, 0.998 to 1.2006. Raises: OutOfRange. Source: as there.
    """
    if not _DENSITY[0][1] - 0.0005 <= g_per_ml <= _DENSITY[-1][1] + 0.0005:
        raise OutOfRange(
            "No brine is as light or as heavy as that: 0.998 is water, 1.201 a full brine.",
            "strength",
        )
    return along(_PCT, g_per_ml)


def strength(value: float, by: ReadBy, celsius: float, house: House) -> Figure:
    """The strength of a brine as an instrument reads it, % w/w, with its because.

    Parameters: value on the instrument's scale; by, which one; celsius of the brine, 0 to 60;
    house. Raises: OutOfRange. Source: definitions of the scales; warmth, house value.
    """
    if not _LEAST_C <= celsius <= _MOST_C:
        raise OutOfRange("A brine is read between 0 and 60 °C.", "celsius")
    if by == "pct":
        density_20(value)
        return Figure.start("as read", value, "%", "measured")
    if by == "salometer":
        if not 0 <= value <= _FULL_SCALE:
            raise OutOfRange("A salometer goes from 0 to 100 °.", "strength")
        scale = Figure.start("as read", value, "°", "measured")
        told = scale.times(
            "100 ° is a full brine", SATURATED_PCT / 100, into="%", source="the scale"
        )
        read = along(_DENSITY, min(told.value, SATURATED_PCT))
    else:
        read = _density_read(value, by)
    key = "brine.per_degree"
    warmer = house.number(key) * (celsius - 20.0)
    pct = pct_of_density(read + warmer)
    words = {"density": "g/mL", "sg": "specific gravity", "baume": "°Bé", "salometer": "°"}[by]
    figure = Figure.start(f"read: {value:g} {words}", read, "g/mL", "measured")
    if abs(warmer) > HAIR:
        figure = figure.plus(
            f"read at {celsius:.0f} °C, the table is for 20",
            warmer,
            "g/mL",
            source=house.source(key),
            house_key=key,
        )
    return figure.then(
        "choose", "that density in the table", pct, into="%", source="CRC Handbook"
    )._replace(known="measured")


def _density_read(value: float, by: ReadBy) -> float:
    match by:
        case "density":
            return value
        case "sg":
            return value * _WATER_20
        case _:
            if not 0 <= value <= _HOTTEST_C:
                raise OutOfRange("A brine has 0 to 25 °Baumé.", "strength")
            return 145 / (145 - value) * _WATER_20


def scales(pct: float) -> dict[ReadBy, float]:
    """What each instrument shows in a brine of 20 °C.

    Parameters: pct, 0 to 26.4. Raises: OutOfRange. Source: definitions of the scales.
    """
    density = density_20(pct)
    gravity = density / _WATER_20
    return {
        "pct": pct,
        "density": density,
        "sg": gravity,
        "baume": 145 - 145 / gravity,
        "salometer": 100 * pct / SATURATED_PCT,
    }


def salt_for(water_kg: float, pct: float) -> Figure:
    """Salt that makes a brine of so much water, kg.

    Parameters: water_kg, 0 or more; pct wanted, 0 to 26.4 % w/w. Raises: OutOfRange.
    Source: mass balance.
    """
    density_20(pct)
    if water_kg < 0:
        raise OutOfRange("Write how much water.", "litres")
    water = Figure.start("water", water_kg, "kg", "measured")
    return water.times(f"{pct:g} parts to {100 - pct:g} of water", pct / (100 - pct))


def to_freshen(brine_kg: float, from_pct: float, to_pct: float) -> Figure:
    """Salt that brings a brine up to a strength, kg; under 0 it is too strong already.

    Parameters: brine_kg, 0 or more; from_pct and to_pct, 0 to 26.4 % w/w. Raises: OutOfRange.
    Source: mass balance.
    """
    density_20(from_pct)
    density_20(to_pct)
    brine = Figure.start("brine in the tub", brine_kg, "kg")
    share = (to_pct - from_pct) / (100 - to_pct)
    return brine.then("times", f"from {from_pct:.1f} to {to_pct:g} %", share)


def to_dilute(brine_kg: float, from_pct: float, to_pct: float) -> Figure:
    """Water that brings a brine down to a strength, kg; under 0 it is too weak already.

    Parameters: brine_kg, 0 or more; from_pct, and to_pct over 0, to 26.4 % w/w. Raises: OutOfRange.
    Source: mass balance.
    """
    density_20(from_pct)
    density_20(to_pct)
    if to_pct <= 0:
        raise OutOfRange("No water makes a brine of no salt.", "pct")
    brine = Figure.start("brine in the tub", brine_kg, "kg")
    return brine.then("times", f"from {from_pct:.1f} to {to_pct:g} %", from_pct / to_pct - 1)


def after_batch(brine_kg: float, pct: float, salt_kg: float) -> tuple[float, float]:
    """A brine after a batch took so much salt out of it: kg of brine, % w/w.

    Parameters: brine_kg, over 0; pct before; salt_kg taken up, no more than is in it.
    Raises: OutOfRange. Source: about twice as much water comes out, Geurts, Walstra & Mulder 1974.
    """
    salt = brine_kg * pct / 100
    if brine_kg <= 0 or not 0 <= salt_kg <= salt:
        raise OutOfRange("A batch takes no more salt than there is.")
    left = brine_kg - salt_kg + _WATER_OUT * salt_kg
    return left, 100 * (salt - salt_kg) / left


def weight_after(cheese_kg: float, salt_kg: float) -> float:
    """What a cheese weighs after the brine, kg: it gets lighter.

    Parameters: cheese_kg before; salt_kg it took up. Source: as `after_batch`.
    """
    return cheese_kg + salt_kg - _WATER_OUT * salt_kg


def keeping_pct(
    cheese_kg: float, moisture: float, salt_pct: float, brine_kg: float, brine_pct: float
) -> float:
    """Where cheese and its keeping brine come to rest, % salt in all the water of both.

    Parameters: cheese_kg, its moisture (a fraction) and salt_pct of it; brine_kg over it, of
    brine_pct. Raises: OutOfRange without water. Source: mass balance.
    """
    water = cheese_kg * moisture + brine_kg * (1 - brine_pct / 100)
    if water <= 0:
        raise OutOfRange("Neither the cheese nor the brine holds water.")
    salt = (cheese_kg * salt_pct + brine_kg * brine_pct) / 100
    return 100 * salt / (salt + water)


def keeping_brine(
    cheese_kg: float, moisture: float, salt_pct: float, brine_kg: float, ends_pct: float
) -> float:
    """How strong a keeping brine is made so that both come to rest at a strength, % w/w.

    Parameters: cheese_kg, moisture, salt_pct and brine_kg (over 0) as `keeping_pct`; ends_pct
    wanted, 1 to 20. Returns: 0 where the
    cheese brings enough; may be over 26.4, which no brine is. Raises: OutOfRange.
    Source: mass balance.
    """
    if brine_kg <= 0 or not _ENDS_PCT[0] <= ends_pct <= _ENDS_PCT[1]:
        raise OutOfRange("Some brine, and 1 to 20 % at rest.")
    share = ends_pct / (100 - ends_pct)  # salt for each kg of water
    salt = cheese_kg * salt_pct / 100
    brine_salt = (share * (cheese_kg * moisture + brine_kg) - salt) / (1 + share)
    return max(0.0, 100 * brine_salt / brine_kg)
