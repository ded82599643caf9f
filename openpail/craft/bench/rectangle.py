"""The rectangle of differences: one milk, one other stream, one fat."""

from __future__ import annotations

from dataclasses import dataclass

from openpail.craft.errors import NotPossible
from openpail.craft.figure import Figure


def add(milk_kg: float, milk_pct: float, stream_pct: float, target_pct: float) -> float:
    """How much of a second stream brings a milk to a fat, kg.

    Parameters: milk_kg over 0; milk_pct, stream_pct and target_pct, fats in % w/w, the target
    between the other two.
    Raises: NotPossible when the stream does not lie beyond the target.
    Source: rectangle of differences, a = M (t − m)/(s − t).
    """
    if milk_pct == target_pct:
        return 0.0
    if not (milk_pct < target_pct < stream_pct or stream_pct < target_pct < milk_pct):
        raise NotPossible(
            f"{stream_pct:g} % fat added to {milk_pct:g} % never makes {target_pct:g} %."
        )
    return milk_kg * (target_pct - milk_pct) / (stream_pct - target_pct)


def take_off(milk_kg: float, milk_pct: float, cream_pct: float, target_pct: float) -> float:
    """How much cream to take off a milk to leave a fat, kg.

    Parameters: milk_kg over 0; milk_pct, cream_pct and target_pct, fats in % w/w, cream over milk
    over target or equal to it.
    Raises: NotPossible when there is nothing to take off.
    Source: rectangle of differences, r = M (m − t)/(c − t).
    """
    if not target_pct <= milk_pct < cream_pct:
        raise NotPossible(
            f"Taking {cream_pct:g} % cream off {milk_pct:g} % milk does not leave {target_pct:g} %."
        )
    return milk_kg * (milk_pct - target_pct) / (cream_pct - target_pct)


@dataclass(frozen=True, slots=True, kw_only=True)
class Rectangle:
    """The rectangle of differences as it is taught: two fats, the target, and the parts."""

    milk_pct: float
    stream_pct: float
    target_pct: float
    parts_milk: float
    parts_stream: float
    stream: Figure


def rectangle(
    milk_kg: float, milk_pct: float, stream_pct: float, target_pct: float, name: str
) -> Rectangle:
    """The rectangle for adding one stream to a milk; under 0 % parts for cream taken off.

    Parameters: milk_kg, milk_pct, stream_pct and target_pct as `add`; name of the stream. A
    target under the milk with a richer stream means taking it off.
    Raises: NotPossible. Source: rectangle of differences (Pearson).
    """
    off = stream_pct > milk_pct > target_pct
    if off:
        take_off(milk_kg, milk_pct, stream_pct, target_pct)
        parts_milk, parts_stream = stream_pct - target_pct, target_pct - milk_pct
    else:
        add(milk_kg, milk_pct, stream_pct, target_pct)
        parts_milk, parts_stream = abs(stream_pct - target_pct), abs(target_pct - milk_pct)
    figure = Figure.start("the milk", milk_kg, "kg").times(
        f"{abs(parts_stream):.2f} parts {name} for {parts_milk:.2f} of milk",
        abs(parts_stream) / parts_milk,
        source="rectangle of differences",
    )
    return Rectangle(
        milk_pct=milk_pct,
        stream_pct=stream_pct,
        target_pct=target_pct,
        parts_milk=parts_milk,
        parts_stream=parts_stream,
        stream=figure,
    )
