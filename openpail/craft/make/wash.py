"""Whey off and water in: how much, from a heat balance with the water as hot as it really is."""

from __future__ import annotations

from dataclasses import dataclass

from openpail.craft.figure import Figure, Step
from openpail.craft.house import House
from openpail.craft.sheet.washed import CURD_AND_WHEY_KJ, WATER_KJ, hot_water_kg

WATER_KG_PER_L = 0.99


@dataclass(frozen=True, slots=True)
class Wash:
    """The water of a wash: L; what speaks against it, and what to do instead, in words."""

    litres: Figure
    says: tuple[str, ...]

    @property
    def fits(self) -> bool:
        """Whether nothing speaks against it."""
        return not self.says


def wash(
    vat_kg: Figure, from_c: float, to_c: float, *, water_c: float, room_l: float, house: House
) -> Wash:
    """How much water to add.

    Parameters: vat_kg, the mass left in the vat; from_c, as it was last read; to_c; water_c, as hot
    as the water really is; room_l, L that still go into the vat; house.
    Returns: the litres, with what is said when they are too many, too hot, or do not go in.
    Raises: NotPossible for water too cool to warm it. Source: heat balance; house values.
    """
    kg = hot_water_kg(vat_kg.value, from_c, to_c, water_c)
    litres = vat_kg.then(
        "times",
        f"water of {water_c:g} °C that takes it from {from_c:.1f} to {to_c:g} °C, a kg of it",
        kg / vat_kg.value,
        into="kg",
        source="heat balance",
        of=(
            Step("start", "kJ that warm a kg of curd and whey by 1 °C", CURD_AND_WHEY_KJ),
            Step("times", f"from {from_c:.1f} to {to_c:g} °C", max(0.0, to_c - from_c)),
            Step("times", "kJ that a kg of water gives as it cools by 1 °C", 1 / WATER_KJ),
            Step("times", f"from {water_c:g} to {to_c:g} °C", 1 / (water_c - to_c)),
        ),
    ).then("times", "a kg of water", 1 / WATER_KG_PER_L, into="L")
    says = []
    share = kg / vat_kg.value
    if water_c >= house.number("wash.scalds_c"):
        says.append("So hot it seals the curd where it falls: let it cool, pour thin and stir.")
    if share > house.number("wash.most_share"):
        says.append(
            f"That is {100 * share:.0f} % of what is in the vat: the curd would wash bland. Warm "
            "the vat over its flame instead, or take whey off a second time and pour in two goes."
        )
    if litres.value > room_l:
        says.append(
            f"Only {max(0.0, room_l):.1f} L more go in: take more whey off first, or use hotter "
            "water."
        )
    return Wash(litres, tuple(says))
