"""How each thing goes into the vat: in what order, in what water, when, and what never to do."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from openpail.craft.recipe.recipe import Basis
from openpail.craft.recipe.yields import NO_RENNET_FAMILIES
from openpail.craft.stock.products import Product


@dataclass(frozen=True, slots=True, kw_only=True)
class Manner:
    """The order of an addition (lower is earlier), when it goes in, how, and what never."""

    order: int
    when: str
    how: str
    never: str = ""


_OF_CHEESE: Mapping[Basis, Manner] = {
    "percent_of_curd": Manner(
        order=90, when="On the drained curd", how="In two or three parts, a few minutes between."
    ),
    "percent_of_cheese": Manner(
        order=92,
        when="On the rind, out of the mould",
        how="Rubbed in all round, the faces in turn; the rest on the days the recipe says.",
    ),
}


def manner(bottle: Product, family: str, basis: Basis = "batch", diluted: bool = True) -> Manner:
    """How a product goes in.

    Parameters: bottle; family of the recipe; basis, what it is given by the weight of;
    diluted, the house way with liquid rennet.
    Source: usual practice; house values for the dilutions.
    """
    if basis in _OF_CHEESE:
        return _OF_CHEESE[basis]
    match bottle.kind:
        case "acid" if family in NO_RENNET_FAMILIES:
            return Manner(
                order=80,
                when="When the milk is hot",
                how="Three quarters in a thin stream round the pot, then "
                "by tenths until the whey runs clear and greenish; hardly stirring.",
                never="No more once it is clear: grainy and sour.",
            )
        case "acid":
            return Manner(
                order=10,
                when="First, into milk at 12 °C or colder",
                how="Diluted in cold water, as much again, with brisk stirring; then warm.",
                never="Never into warm milk: it curdles in spots.",
            )
        case "salt":
            return Manner(order=15, when="Before the culture", how="Stirred until dissolved.")
        case "culture":
            return _culture(bottle)
        case "mould" | "propionic" | "protective":
            return Manner(
                order=25, when="With the culture", how="Sprinkled, wetted 3 min, stirred in."
            )
        case "lipase":
            return Manner(
                order=30,
                when="20 min before the rennet",
                how="Stood in a little cool water, stirred in 1 min.",
            )
        case "colour":
            return Manner(
                order=40,
                when="Before the calcium chloride and well before the rennet",
                how="In ten times its water, stirred till even.",
                never="Its spoon never touches the rennet.",
            )
        case "calcium":
            how = "In ten times its volume of cool water, stirred in 1 min."
            if bottle.unit == "g":
                how = (
                    "Little by little into cold water (it heats; mind the eyes), stirred in 1 min."
                )
            return Manner(
                order=50,
                when="5 min before the rennet",
                how=how,
                never="Never in the same water as the rennet.",
            )
        case "rennet":
            return _rennet(bottle, diluted)
    return Manner(order=95, when="As the recipe says", how="")


def _culture(bottle: Product) -> Manner:
    if bottle.form == "cubes":
        return Manner(
            order=20,
            when="As soon as the milk is warm",
            how="Thawed in a cup of it, whisked smooth, stirred in 3 min.",
        )
    if bottle.form in ("mother", "jar"):
        return Manner(
            order=20,
            when="As soon as the milk is warm",
            how="Stirred smooth with a cup of it, through a sieve, stirred in 3 min.",
            never="Keep back what feeds the next.",
        )
    return Manner(
        order=20,
        when="As soon as the milk is warm",
        how="Sprinkled on the milk, left 3 min to wet, stirred in top to bottom 3 min.",
        never="Not on froth; no wet spoon in the packet.",
    )


def _rennet(bottle: Product, diluted: bool) -> Manner:
    if not diluted and bottle.unit == "mL":
        return Manner(
            order=60,
            when="Last, at the renneting warmth",
            how="Drop by drop all over the vat, undiluted, while "
            "stirring top to bottom 2 min; then the milk is brought to rest.",
            never="Never in one place: it sets there and nowhere else.",
        )
    first = {
        "tablet": "Crushed and dissolved in its cool, unchlorinated water 10 min before",
        "powder": "Dissolved in its cool, unchlorinated water 10 min before",
        "paste": "Rubbed into cool, unchlorinated water and strained, 10 min before",
    }.get(bottle.form, "In twenty times its volume of cool, unchlorinated water, just before")
    return Manner(
        order=60,
        when="Last, at the renneting warmth",
        how=f"{first}; stirred top to bottom 1 min, then the milk is brought to rest.",
        never="Never with calcium chloride or colour in one cup; no stirring after 2 min.",
    )
