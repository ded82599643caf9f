"""What becomes of the milk: how much cheese, how fat, how moist, by family.

The moisture moves with the milk: what a make holds nearly constant is the water in the fat-free
part of its cheese, so a lean milk gives a wetter cheese and a rich one a drier.
"""

from __future__ import annotations

from typing import NamedTuple

from openpail.craft.errors import OutOfRange, Unknown
from openpail.craft.figure import Figure, Step
from openpail.craft.house import House, shipped
from openpail.craft.milk.blend import VatMilk
from openpail.craft.milk.fitness import Verdict
from openpail.craft.recipe.recipe import Recipe

_ALL_PCT = 100.0

CHEDDAR_FORM = frozenset({"cheddared", "stirred_curd"})
ACID_HEAT = frozenset({"acid_heat_soft", "acid_heat_pressed"})
STRETCHED = frozenset({"stretched", "stretched_quick"})
WHEY_KG_PER_L = 1.025
_MOVED = 0.005
_DRIEST, _WETTEST = 0.2, 0.9
_MOST_IN_WHEY_PCT = 5.0
_HUNG_MIN = 60.0
NO_RENNET_FAMILIES = ACID_HEAT | {"whey"}


def takes(family: str, verdict: Verdict) -> bool:
    """Whether milk of a verdict may go into a cheese of a family.

    Parameters: family, in snake case; verdict, what the milk is fit for.
    Source: handbook of milk: what is boiled, what will not set.
    """
    if verdict == "boiled acid-and-heat only":
        return family in ACID_HEAT
    if verdict == "not for rennet cheese":
        return family in NO_RENNET_FAMILIES
    return verdict != "not for cheese"


def check_family(family: str) -> None:
    """Raise Unknown for a family without yield factors. Source: house value."""
    if f"yield.{family}.rf" not in shipped():
        raise Unknown(f"“{family}” is not a family of cheese we know.")


class Usual(NamedTuple):
    """A cheese as it usually comes out: its moisture, a fraction, from a milk of these parts, %."""

    moisture: float
    fat_pct: float
    casein_pct: float
    whey_protein_pct: float = 0.0
    key: str = ""


def moisture(family: str, house: House) -> float:
    """Usual moisture of a family, a fraction. Raises Unknown. Source: house value."""
    if family == "whey":
        return house.number("whey.moisture")
    check_family(family)
    return house.number(f"yield.{family}.moisture")


def usual(family: str, house: House) -> Usual:
    """A family's usual cheese, from its usual milk.

    Parameters: family, but whey; house. Raises: Unknown. Source: house value.
    """
    key = f"standard.cf_{family}"
    ratio = house.number(key if key in shipped() else "yield.usual_cf")
    casein = house.number("firm.casein_reference")
    whey = house.number("yield.usual_whey_protein") if family in ACID_HEAT else 0.0
    water = f"yield.{family}.moisture"
    return Usual(moisture(family, house), casein / ratio, casein, whey, water)


def own_moisture(
    family: str,
    fat_pct: float,
    casein_pct: float,
    *,
    house: House,
    usually: Usual | None = None,
    whey_protein_pct: float = 0.0,
) -> float:
    """Moisture of the cheese that this milk gives, a fraction.

    Parameters: family, but whey; fat_pct, casein_pct and whey_protein_pct of the milk, % w/w;
    house; usually, the cheese it is told from, None for the family's. Raises: Unknown.
    Source: moisture in the fat-free part held, Lawrence & Gilles; Guinee & Fox; power, house value.
    """
    told = usually or usual(family, house)
    f0, s0 = _fat_and_solids(family, told[1], told[2], told[3], house)
    fat, solids = _fat_and_solids(family, fat_pct, casein_pct, whey_protein_pct, house)
    least = house.number("yield.least_fat_part")
    fat_free = told.moisture / (1 - f0 * (1 - told.moisture) / s0)
    moved = max(least, fat / solids) / max(least, f0 / s0)
    fat_free *= float(moved ** house.number("yield.moisture_power"))
    return 1 - solids * (1 - fat_free) / (solids - fat_free * fat)


def _fat_and_solids(
    family: str, fat_pct: float, casein_pct: float, whey_protein_pct: float, house: House
) -> tuple[float, float]:
    """Fat kept and all solids kept, from 100 kg of milk, kg."""
    steps = _solids_steps(family, fat_pct, casein_pct, whey_protein_pct, house)
    total = sum(step.value for step in steps)
    return steps[0].value, total * house.number(f"yield.{family}.rs")


def _solids_steps(
    family: str, fat_pct: float, casein_pct: float, whey_protein_pct: float, house: House
) -> tuple[Step, ...]:
    key = f"yield.{family}"
    fat = Step(
        "start",
        "fat of the milk that stays in the curd",
        house.number(f"{key}.rf") * fat_pct,
        "%",
        house.source(f"{key}.rf"),
        f"{key}.rf",
    )
    if family in CHEDDAR_FORM:
        lost = house.number("yield.casein_lost")
        kept = Step(
            "plus",
            "casein kept",
            casein_pct - lost,
            "%",
            house.source("yield.casein_lost"),
            "yield.casein_lost",
        )
    else:
        kept = Step(
            "plus",
            "casein kept",
            house.number(f"{key}.rc") * casein_pct,
            "%",
            house.source(f"{key}.rc"),
            f"{key}.rc",
        )
    if family not in ACID_HEAT:
        return (fat, kept)
    caught = house.number("yield.whey_protein") * whey_protein_pct
    return (
        fat,
        kept,
        Step(
            "plus",
            "whey protein caught by acid and heat",
            caught,
            "%",
            house.source("yield.whey_protein"),
            "yield.whey_protein",
        ),
    )


def per_100kg(
    family: str,
    fat: Figure,
    casein: Figure,
    *,
    house: House,
    moisture_fraction: float | None = None,
    whey_protein_pct: float = 0.0,
    usually: Usual | None = None,
) -> Figure:
    """Expected cheese from 100 kg of milk, kg.

    Parameters: family; fat and casein of the milk, % w/w; house; moisture_fraction 0.2–0.9 of a
    cheese whose moisture is known, None for what this milk gives; whey_protein_pct of the milk for
    acid-and-heat families, of the whey for whey cheese; usually, as `own_moisture`.
    Returns: the yield with its spread. Raises: OutOfRange, Unknown.
    Source: Van Slyke & Price form; family factors, house value.
    """
    if family == "whey":
        if not (0 <= whey_protein_pct <= _MOST_IN_WHEY_PCT and 0 <= fat.value <= _MOST_IN_WHEY_PCT):
            raise OutOfRange("Whey holds 0 to 5 % protein and 0 to 5 % fat.")
        return _of_whey(whey_protein_pct, fat, house)
    check_family(family)
    told = usually or usual(family, house)
    water = moisture_fraction
    if water is None:
        water = own_moisture(
            family,
            fat.value,
            casein.value,
            house=house,
            usually=told,
            whey_protein_pct=whey_protein_pct,
        )
        water = min(_WETTEST, max(_DRIEST, water))  # of a milk far from any that was tried
    if not _DRIEST <= water <= _WETTEST:
        raise OutOfRange(f"A cheese of {100 * water:.0f} % moisture is not one we know.")
    steps = _solids_steps(family, fat.value, casein.value, whey_protein_pct, house)
    value, key = steps[0].value, f"yield.{family}.rs"
    figure = Figure(
        value, "kg", "worked out", (steps[0],), fat.rests_on_assumed or casein.rests_on_assumed
    )
    for step in steps[1:]:
        figure = figure.plus(
            step.label, step.value, step.unit, source=step.source, house_key=step.house_key
        )
    figure = figure.times(
        "solids that come with them", house.number(key), source=house.source(key), house_key=key
    )
    words = f"the cheese is {100 * water:.0f} % water"
    if moisture_fraction is None and abs(water - told.moisture) > _MOVED:
        words += f", {100 * told.moisture:.0f} % from its usual milk"
    figure = figure.times(
        words,
        1 / (1 - water),
        into="kg",
        source=house.source(told.key) if told.key else "the recipe",
        house_key=told.key,
    )
    return figure.give_or_take(house.number("yield.band") * figure.value)


def fat_in_dry_matter(
    family: str,
    fat_pct: float,
    casein_pct: float,
    house: House,
    whey_protein_pct: float = 0.0,
) -> float:
    """Fat in dry matter of the cheese that a milk gives, a fraction.

    Parameters: family, fat_pct, casein_pct, house and whey_protein_pct as `per_100kg`.
    Raises: Unknown. Source: derivation from the yield form.
    """
    check_family(family)
    steps = _solids_steps(family, fat_pct, casein_pct, whey_protein_pct, house)
    solids = sum(step.value for step in steps)
    return steps[0].value / (solids * house.number(f"yield.{family}.rs"))


def moisture_on_fat_free(moisture_pct: float, fat_pct: float) -> float:
    """MFFB, % water on the fat-free basis: over 67 is soft, for safety always.

    Parameters: moisture_pct and fat_pct of the cheese, 0–100 together.
    Raises: OutOfRange. Source: Codex CXS 283.
    """
    if fat_pct >= _ALL_PCT or moisture_pct < 0 or fat_pct < 0 or moisture_pct + fat_pct > _ALL_PCT:
        raise OutOfRange("Moisture and fat must lie between 0 and 100 % together.")
    return 100 * moisture_pct / (100 - fat_pct)


def family_mffb(
    family: str, fat_pct: float, casein_pct: float, house: House, usually: Usual | None = None
) -> float:
    """MFFB to expect of a family from this milk, %.

    Parameters: family; fat_pct and casein_pct of the milk, % w/w; house; usually, as
    `own_moisture`. Source: derivation.
    """
    water = own_moisture(family, fat_pct, casein_pct, house=house, usually=usually)
    fat = fat_in_dry_matter(family, fat_pct, casein_pct, house) * (1 - water)
    return moisture_on_fat_free(100 * water, 100 * fat)


def _of_whey(whey_protein_pct: float, fat: Figure, house: House) -> Figure:
    water = house.number("whey.moisture")
    figure = Figure.start(
        "protein of the whey", whey_protein_pct, "kg", rests_on_assumed=fat.rests_on_assumed
    )
    key = "yield.whey_protein"
    figure = figure.times(
        "caught by acid and heat", house.number(key), source=house.source(key), house_key=key
    )
    key = "whey.fat_counts"
    figure = figure.plus(
        "fat of the whey that comes with it",
        house.number(key) * fat.value,
        "kg",
        source=house.source(key),
        house_key=key,
    )
    key = "whey.others"
    figure = figure.plus(
        "other solids", house.number(key), "kg", source=house.source(key), house_key=key
    )
    key = "whey.moisture"
    figure = figure.times(
        f"the cheese is {100 * water:.0f} % water",
        1 / (1 - water),
        source=house.source(key),
        house_key=key,
    )
    return figure.give_or_take(house.number("yield.band") * figure.value)


def left_in_whey(
    family: str,
    fat_pct: float,
    casein_pct: float,
    *,
    protein_pct: float,
    milk_kg: float,
    cheese_kg: float,
    house: House,
    water_kg: float = 0.0,
) -> tuple[float, float, float, float]:
    """What a make leaves in its whey: kg of whey, and its fat, protein and casein, % w/w.

    Parameters: family; fat_pct, casein_pct and protein_pct (true) of the milk, % w/w; milk_kg and
    cheese_kg of the make, the cheese lighter than the milk; house; water_kg, that a wash
    brought. Raises: OutOfRange, Unknown. Source: mass balance; fat kept, house value.
    """
    whey_kg = milk_kg + water_kg - cheese_kg
    if whey_kg <= 0:
        raise OutOfRange("There is no whey when the cheese weighs what the milk did.")
    each = milk_kg / whey_kg
    if family == "whey":  # what is left of a whey that was a whey before
        fat = (1 - house.number("whey.fat_counts")) * fat_pct * each
        return whey_kg, fat, (1 - house.number("yield.whey_protein")) * protein_pct * each, 0.0
    check_family(family)
    fat = (1 - house.number(f"yield.{family}.rf")) * fat_pct * each
    casein = house.number("stream.whey.casein") * (whey_kg - water_kg) / whey_kg
    protein = max(0.0, protein_pct - casein_pct) * each
    if family in ACID_HEAT:
        protein *= 1 - house.number("yield.whey_protein")
    return whey_kg, fat, protein + casein, casein


def usual_of(recipe: Recipe, milk: VatMilk, house: House) -> Usual | None:
    """The cheese that a recipe's moisture is told from: its own, of its own milk; None for whey.

    Parameters: recipe; milk, the recipe's own; house.
    Source: the recipe; of stretched cheese eaten fresh, and of acid curd hung an hour, house value.
    """
    family = recipe.family
    if family == "whey":
        return None
    if recipe.moisture_pct is not None:
        whey = max(0.0, milk.protein_pct - milk.casein_pct) if family in ACID_HEAT else 0.0
        return Usual(recipe.moisture_pct / 100, milk.fat_pct, milk.casein_pct, whey)
    told = usual(family, house)
    fresh = recipe.eat_by_days <= house.number("yield.fresh_days")
    hung = any(step.kind == "hang" and step.minutes >= _HUNG_MIN for step in recipe.steps)
    for apart, key in (
        (family in STRETCHED and fresh, "yield.stretched_fresh.moisture"),
        (family == "acid_heat_soft" and hung, "yield.acid_heat_hung.moisture"),
    ):
        if apart:
            return told._replace(moisture=house.number(key), key=key)
    return told


def of_recipe(recipe: Recipe, own: VatMilk, milk: VatMilk, house: House, about: bool) -> Figure:
    """Cheese to expect of a recipe from 100 kg of this milk, kg.

    Parameters: recipe; own, its own milk; milk in the vat; house; about, whether the milk's parts
    are assumed. Returns: the yield with its spread. Raises: OutOfRange, Unknown.
    Source: as `per_100kg`; fresh stretched buffalo cheese, Altiero et al. 1989; many cells, shaped
    on Barbano et al. 1991.
    """
    fat, casein = (
        Figure.start(name, value, "%", rests_on_assumed=about)
        for name, value in (("fat", milk.fat_pct), ("casein", milk.casein_pct))
    )
    whey = max(0.0, milk.protein_pct - milk.casein_pct)
    told = usual_of(recipe, own, house)
    figure = per_100kg(
        recipe.family,
        fat,
        casein,
        house=house,
        moisture_fraction=None,
        whey_protein_pct=whey,
        usually=told,
    )
    buffalo = milk.casein_shares().get("buffalo", 0.0)
    if buffalo and told and told.key == "yield.stretched_fresh.moisture":
        figure = _of_buffalo(figure, milk, buffalo, house)
    lost = milk.by_casein(
        lambda share: (
            house.number("cells.yield") ** share.cells_doubled if share.casein_told else 1.0
        )
    )
    if lost == 1:
        return figure
    key = "cells.yield"
    band = figure.sd
    return figure.times(
        "many cells: lost with the whey", lost, source=house.source(key), house_key=key
    ).give_or_take(band)


def _of_buffalo(figure: Figure, milk: VatMilk, share: float, house: House) -> Figure:
    """Fresh stretched cheese by buffalo's own formula, as far as the milk is buffalo's."""
    non_protein = house.number("milk.buffalo.non_protein")
    own = 3.5 * (milk.protein_pct + non_protein) + 1.23 * milk.fat_pct - 0.88
    moved = share * own / figure.value + 1 - share
    return figure.times(
        f"buffalo’s own formula, {own:.1f} kg from 100", moved, source="Altiero et al. 1989"
    ).give_or_take((figure.sd or 0.0) * moved)
