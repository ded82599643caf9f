"""What is made ready before the milk goes in, and how many days before."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, Protocol

from openpail.craft.clock.gear import Outfit
from openpail.craft.doses.notices import plain, short_by
from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.yields import WHEY_KG_PER_L
from openpail.craft.sheet.sheet import Line, Sheet
from openpail.craft.stock.products import KIND_WORDS, Product

OPTIONAL = frozenset({"colour", "herb", "ware", "other", "salt"})
_CLOTHED = frozenset({"drain", "hang", "press", "mould"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Ready:
    """One thing to have ready: kit to set out, a product to get or wake, milk to thaw.

    days_before the make, 0 on its day; litres, where an amount of water or whey belongs to it.
    """

    key: str
    sort: Literal["kit", "product", "thaw"]
    words: str
    days_before: int = 0
    litres: float | None = None


@dataclass(frozen=True, slots=True)
class Missing:
    """An ingredient that is not in the stock, or not enough of it; `left` None for none at all."""

    line: Line
    left: float | None = None

    @property
    def words(self) -> str:
        """What is wanted and what is there."""
        kind, unit = KIND_WORDS[self.line.bottle.kind], self.line.figure.unit
        if self.left is None:
            return f"no {kind} of its sort in the stock"
        wanted = plain(self.line.figure.value)
        return f"too little {kind}: {wanted} {unit} wanted, {plain(self.left)} left"


def missing(
    recipe: Recipe,
    sheet: Sheet,
    bottles: Mapping[str, Product],
    left: Mapping[str, float | None],
) -> tuple[Missing, ...]:
    """What the stock lacks for a sheet; a colour, a herb or a cloth is not missed.

    Parameters: recipe and its sheet; bottles, the lot for each ingredient that has one; left, what
    is left of a lot, in its unit, None unknown. Source: derivation.
    """
    found = []
    for each in recipe.ingredients:
        line = next((line for line in sheet.lines if line.key == each.key), None)
        if line is None or line.figure.value <= 0:
            continue
        bottle = bottles.get(each.key)
        if bottle is None:
            if each.product.kind not in OPTIONAL:
                found.append(Missing(line))
        elif short_by(line.figure.value, left.get(bottle.lot), bottle.unit, bottle.name):
            found.append(Missing(line, left[bottle.lot] or 0.0))
    return tuple(found)


def ready(
    recipe: Recipe,
    sheet: Sheet,
    litres: float,
    *,
    given: Outfit,
    lacking: Sequence[Missing],
    frozen: Mapping[str, str],
    house: House,
    cloths: float | None = None,
) -> tuple[Ready, ...]:
    """All that a make of this size wants ready, the earliest first.

    Parameters: recipe and its sheet; litres in the vat; given, its vat, press and moulds; lacking,
    from `missing`; frozen, names of the lots in the freezer by a key; house; cloths in the stock,
    None where it lists none.
    Source: the recipe's steps; house values for the days before.
    """
    days = round(house.number("milk.thaw_days"))
    found = [
        *(
            Ready(
                key=f"thaw-{key}",
                sort="thaw",
                words=f"{name} out of the freezer, into the fridge",
                days_before=days,
            )
            for key, name in frozen.items()
        ),
        *_products(sheet, lacking, house),
        *kit(recipe, sheet, litres, given, cloths),
    ]
    return tuple(sorted(found, key=lambda each: -each.days_before))


def _products(sheet: Sheet, lacking: Sequence[Missing], house: House) -> list[Ready]:
    days = round(house.number("plan.buy_days"))
    found = [
        Ready(
            key=f"get-{each.line.key}",
            sort="product",
            words=f"Get {each.line.name}: {each.words}",
            days_before=days,
        )
        for each in lacking
    ]
    for line in sheet.in_order():
        if line.bottle.form == "jar":
            found.append(
                Ready(
                    key=f"feed-{line.key}",
                    sort="product",
                    words=f"Feed the {line.name}, so that it is lively",
                    days_before=1,
                )
            )
        elif line.bottle.form == "cubes":
            found.append(
                Ready(
                    key=f"thaw-{line.key}",
                    sort="product",
                    words=f"{line.name} out of the freezer: "
                    f"{plain(line.figure.value)} {line.figure.unit}",
                )
            )
    return found


class Doses(Protocol):
    """What of a sheet says how much water and how many pails are wanted: one worked out now, or one
    that was frozen when its make began."""

    @property
    def whey(self) -> Figure:
        """The whey to expect, kg."""

    @property
    def lines(self) -> Sequence[Thinned]:
        """What goes in."""


class Thinned(Protocol):
    """What goes in, with the water that it is thinned in."""

    @property
    def water(self) -> Figure | None:
        """mL, None where it goes in as it is."""


def kit(
    recipe: Recipe, sheet: Doses, litres: float, given: Outfit, cloths: float | None
) -> list[Ready]:
    """What is set out for a make on its day.

    Parameters: recipe; sheet; litres in the vat; given, its vat, press and moulds; cloths in the
    stock, None where it lists none. Source: the recipe's steps.
    """
    kinds = {step.kind for step in recipe.steps}
    asks = {what for step in recipe.steps for what in step.asks}
    whey_l = sheet.whey.value / WHEY_KG_PER_L
    water_ml = sum(line.water.value for line in sheet.lines if line.water)
    wanted: list[tuple[bool, str, str, float | None]] = [
        (True, "vat", f"The {given.name(given.vat)}, scalded; into it go", litres),
        (bool(given.press), "press", f"The {given.name(given.press)}, clean and free", None),
        (bool(given.moulds), "moulds", f"Scalded: {given.mould_words}", None),
        (bool(kinds & _CLOTHED) and cloths != 0, "cloth", "Cloths, boiled", None),
        (any(step.celsius for step in recipe.steps), "thermometer", "Thermometer", None),
        ("ph" in asks, "ph", "pH meter, set on its buffers", None),
        ("flocks" in asks, "watch", "Clock and a clean blade for the first flocks", None),
        ("cut" in kinds, "knife", "Curd knife", None),
        ("weight" in asks or "salt" in kinds, "scale", "Scale", None),
        (water_ml > 0, "water", "Water, boiled and cooled, to thin the doses", water_ml / 1000),
        ("add water" in kinds, "wash", "Clean water on the heat for the wash", None),
        (whey_l > 0, "whey", "Pails for the whey, about", whey_l),
        ("dry" in kinds, "mat", "Mat and board to dry it on", None),
    ]
    found = [
        Ready(key=key, sort="kit", words=words, days_before=0, litres=amount)
        for is_so, key, words, amount in wanted
        if is_so
    ]
    if kinds & _CLOTHED and cloths == 0:
        found.append(
            Ready(
                key="get-cloth",
                sort="product",
                words="Get cloths: the stock has none left",
                days_before=1,
            )
        )
    if "brine" in kinds:
        found.append(
            Ready(key="brine", sort="product", words="Brine made up and cooled", days_before=1)
        )
    return found
