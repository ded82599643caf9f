"""What stands in the fridge and on the shelf: every product by its label, and what it holds today.

A product's `form` says how it is measured: a powder by the gram, tablets and packets whole, a
liquid by the millilitre. What one unit of it does is `strength` (rennet, acid, calcium chloride)
or `serves_l` (cultures, moulds, lipase, colour: litres of milk that one unit is meant for).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Literal, get_args

from annotated_types import Ge, Gt, Le

from openpail.craft.errors import NotPossible, OutOfRange
from openpail.craft.figure import Step
from openpail.craft.house import House, along

Kind = Literal[
    "rennet",
    "calcium",
    "culture",
    "mould",
    "propionic",
    "protective",
    "lipase",
    "colour",
    "acid",
    "salt",
    "herb",
    "ware",
    "other",
]
Form = Literal[
    "",
    "liquid",
    "powder",
    "tablet",
    "paste",
    "freeze-dried",
    "units",
    "packet",
    "mother",
    "cubes",
    "jar",
    "one-packet",
]
Salt = Literal["anhydrous", "dihydrate", "hexahydrate"]
Per = Literal["w/v", "w/w", "dry"]
Kept = Literal["fridge", "freezer", "room"]
Scale = Literal["imcu", "soxhlet", "mg", "dose", "unknown"]
Strength = Annotated[float, Gt(0), Le(1_000_000)]
Size = Annotated[float, Gt(0), Le(100_000)]
Months = Annotated[float, Ge(0), Le(600)]

KINDS: tuple[Kind, ...] = get_args(Kind)
KIND_WORDS: Mapping[str, str] = {
    "rennet": "rennet",
    "calcium": "calcium chloride",
    "culture": "culture",
    "mould": "mould or yeast",
    "propionic": "propionic culture",
    "protective": "protective culture",
    "lipase": "lipase",
    "colour": "colour",
    "acid": "acid",
    "salt": "salt",
    "herb": "herb or spirit",
    "ware": "cloth, bag or wax",
    "other": "other",
}
LIVE: frozenset[str] = frozenset({"culture", "mould", "propionic", "protective"})
FORMS: Mapping[str, tuple[Form, ...]] = {
    "rennet": ("liquid", "powder", "tablet", "paste"),
    "culture": ("freeze-dried", "units", "packet", "mother", "cubes", "jar", "one-packet"),
    "mould": ("freeze-dried", "packet", "liquid"),
    "propionic": ("freeze-dried", "packet"),
    "protective": ("freeze-dried", "packet", "units"),
    "lipase": ("powder", "paste"),
    "colour": ("liquid", "powder"),
    "calcium": ("liquid", "powder"),
    "acid": ("liquid", "powder"),
    "salt": ("powder",),
    "herb": ("powder", "liquid"),
    "ware": ("packet",),
    "other": ("powder", "liquid", "packet"),
}
SORTS: Mapping[str, Mapping[str, str]] = {
    "rennet": {
        "calf": "calf",
        "kid": "kid or lamb",
        "adult_bovine": "grown cattle",
        "pepsin": "pepsin, or mostly",
        "animal": "other animal",
        "fermented": "fermentation-made",
        "camel": "fermentation-made, camel’s",
        "microbial": "vegetarian, does not say which",
        "miehei": "microbial, R. miehei",
        "parasitica": "microbial, C. parasitica",
        "plant": "plant",
    },
    "culture": {
        "mild": "mild warmth, 20 to 38 °C",
        "hot": "heat-loving, 35 to 50 °C",
        "both": "both together",
    },
    "mould": {
        "white": "white mould",
        "blue": "blue mould",
        "yeast": "yeast",
        "smear": "smear for washed rinds",
    },
    "lipase": {"calf": "mild, calf", "kid": "piquant, kid", "lamb": "sharp, lamb"},
    "acid": {
        "acetic": "vinegar",
        "citric_anhydrous": "citric acid, dry",
        "citric_monohydrate": "citric acid, monohydrate",
        "lemon_fresh": "fresh lemon juice",
        "lemon_bottled": "bottled lemon juice",
        "lactic": "lactic acid",
    },
    "salt": {
        "fine": "fine or table",
        "pickling": "pickling",
        "coarse": "coarse crystal",
        "flaked": "flaked",
        "iodised": "with iodine",
    },
}
ANHYDROUS_FRACTION: dict[Salt, float] = {
    "anhydrous": 1.0,
    "dihydrate": 110.98 / 147.01,
    "hexahydrate": 110.98 / 219.08,
}
_SOLUTION_DENSITY = (
    (0.0, 0.998),
    (10.0, 1.083),
    (20.0, 1.178),
    (30.0, 1.282),
    (33.0, 1.316),
    (35.0, 1.337),
    (40.0, 1.396),
)
_PIECES: Mapping[str, str] = {
    "tablet": "tablet",
    "units": "unit",
    "packet": "packet",
    "cubes": "cube",
    "one-packet": "packet",
}
_LIQUID_KINDS = frozenset({"rennet", "acid", "colour"})


# What a label says of it, by the fields below, in the order of a file's columns.
LABEL = (
    "kind",
    "name",
    "sort",
    "form",
    "strength",
    "scale",
    "counts",
    "per",
    "g_per_tsp",
    "drops_per_ml",
    "serves_l",
    "size_ml",
    "raw",
    "stands_salt",
    "kept",
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Product:
    """A product by its label, and what time has done to it.

    sort: origin, culture type, acid, grain, a key of SORTS. form: how it is measured, "" for the
    usual one of its kind. strength: rennet per mL, g or tablet, by `scale` (IMCU; the N of a "1 :
    N" label; mg of chymosin in a litre; litres of milk that one of it is for; None where the label
    says nothing); calcium chloride and acid per cent. serves_l: litres of milk one unit is for
    (culture and the like). size_ml: of a frozen cube. counts, per: what a calcium chloride label
    counts, and in what ("dry": by the gram). g_per_tsp: a level teaspoon, None when the house value
    of its kind speaks; drops_per_ml: of its own dropper, None until it was counted. months_open,
    months_shut: since it was opened, and from buying to opening; months_past: past its date (0
    within it). unfit: why a jar must not be used, "" when it may. raw: a culture grown in raw milk.
    lot: the one in the stock, "" for a recipe's own. stands_salt: a culture that works in salted
    milk.
    """

    kind: Kind
    name: str
    strength: Strength | None = None
    counts: Salt = "dihydrate"
    per: Per = "w/v"
    g_per_tsp: Size | None = None
    kept: Kept = "fridge"
    months_open: Months = 0.0
    months_past: Months = 0.0
    bought: bool = True
    sort: str = ""
    form: Form = ""
    scale: Scale = "imcu"
    serves_l: Size | None = None
    size_ml: Size | None = None
    months_shut: Months = 0.0
    unfit: str = ""
    raw: bool = False
    drops_per_ml: Size | None = None
    lot: str = ""
    stands_salt: bool = False

    @property
    def unit(self) -> str:
        """What a dose of it is measured in: mL, g, or whole pieces."""
        if self.form in _PIECES:
            return "piece" if self.kind == "ware" else _PIECES[self.form]
        if self.form == "liquid" or (not self.form and self._usually_liquid):
            return "mL"
        return "g"

    @property
    def in_pieces(self) -> bool:
        """Whether it comes in pieces that are counted."""
        return self.form in _PIECES

    @property
    def _usually_liquid(self) -> bool:
        if self.kind == "calcium":
            return self.per != "dry"
        if self.kind == "acid":
            return self.per != "dry" and not self.sort.startswith("citric")
        return self.kind in _LIQUID_KINDS


_DRY_ANHYDROUS = (70.0, 97.0)


def counted(bottle: Product) -> Salt:
    """What the per cent of a calcium chloride label counts.

    Dry flakes and prills of 70 to 97 % count anhydrous already, whatever they are called: a pure
    dihydrate is 75.5 %. Over that, or of a solution, it is as the label says.
    Parameters: bottle of calcium chloride. Source: molar masses; the trade's labels.
    """
    low, high = _DRY_ANHYDROUS
    if bottle.per == "dry" and bottle.strength and low <= bottle.strength <= high:
        return "anhydrous"
    return bottle.counts


def calcium_solution_ml(g_anhydrous: float, counts: Salt, percent: float, per: Per) -> float:
    """How much of a calcium chloride bottle holds so much anhydrous salt, mL.

    Parameters: g_anhydrous 0 or more; counts, what the label counts; percent over 0 to 60
    (100 when dry); per "w/v" (g in 100 mL), "w/w" or "dry" (the answer is then g).
    Raises: OutOfRange.
    Source: molar masses 110.98, 147.01, 219.08 g/mol; solution densities, CRC Handbook.
    """
    if not 0 < percent <= (100 if per == "dry" else 60):
        raise OutOfRange(f"A calcium chloride label of {percent:g} % is not one we know.")
    fraction = ANHYDROUS_FRACTION[counts]
    if per == "w/w":
        rho = along(_SOLUTION_DENSITY, fraction * percent)
        return g_anhydrous / (fraction * percent / 100 * rho)
    return g_anhydrous / fraction / (percent / 100)


def strength_left(loss_per_month: float, months: float) -> float:
    """Share of a rennet's strength left after a store of so many months.

    Parameters: loss_per_month 0–1; months 0 or more. Raises: OutOfRange.
    Source: house value, remaining = (1 − loss)^months.
    """
    if months < 0 or not 0 <= loss_per_month < 1:
        raise OutOfRange("A bottle cannot have been open for less than no time.")
    return float((1 - loss_per_month) ** months)


def rennet_strength(bottle: Product, house: House) -> tuple[Step, ...]:
    """What a rennet holds today, IMCU per mL (g, tablet), as steps from its label.

    Parameters: bottle, with its strength and its months; house, the losses in force.
    Raises: OutOfRange without a strength. Source: house value.
    """
    steps = list(rennet_label(bottle, house))
    for months, key, when in _in_store(bottle):
        left = strength_left(house.number(key), months)
        if left < 1:
            words = f"{months:.0f} months {when} in the {bottle.kept}"
            steps.append(Step("times", words, left, "", house.source(key), key))
    return tuple(steps)


def rennet_label(bottle: Product, house: House) -> tuple[Step, ...]:
    """What the label of a rennet says in IMCU per mL (g, tablet), as steps.

    Parameters: bottle, with what its label says on its scale; house, what other scales are worth.
    Raises: OutOfRange without a figure. Source: the label; house values for all but IMCU.
    """
    per, words = f"IMCU/{bottle.unit}", f"{bottle.name}, by its label"
    if bottle.scale == "unknown":
        key = "rennet.unknown_imcu"
        if bottle.unit != "mL":
            raise OutOfRange(
                f"{bottle.name}: the label of a {bottle.form or 'powder'} says for how much milk: "
                "write that, like “1 for 50 L”."
            )
        words = f"{bottle.name}: its label says nothing, a guess"
        return (Step("start", words, house.number(key), per, house.source(key), key),)
    if not bottle.strength or bottle.strength <= 0:
        raise OutOfRange(f"{bottle.name}: write its strength in {per}.")
    if bottle.scale == "imcu":
        return (Step("start", words, bottle.strength, per, "the label"),)
    key, each, of = _SCALE_WORTH[bottle.scale]
    worth = house.number(key) / each
    told = f"{of.format(bottle.strength)} is about {house.number(key):g} for each {each:,g}"
    return (
        Step("start", words, bottle.strength, "", "the label"),
        Step("times", told, worth, per, house.source(key), key),
    )


# The house value that a scale is worth, for how much of it, and how a label says it.
_SCALE_WORTH: Mapping[str, tuple[str, float, str]] = {
    "soxhlet": ("rennet.imcu_per_soxhlet", 10_000, "1 : {:,.0f}"),
    "mg": ("rennet.imcu_per_mg", 1, "{:g} mg of chymosin in a litre"),
    "dose": ("rennet.per_label_litre", 1, "for {:g} L of milk"),
}


def _in_store(bottle: Product) -> tuple[tuple[float, str, str], ...]:
    """Months and the loss that belongs to them: (months, house key, words)."""
    if bottle.form in ("powder", "tablet"):
        return ((bottle.months_shut + bottle.months_open, "rennet.loss_dry", "dry"),)
    if bottle.kept == "room":
        return ((bottle.months_shut + bottle.months_open, "rennet.loss_room", "kept"),)
    return (
        (bottle.months_shut, "rennet.loss_shut", "unopened"),
        (bottle.months_open, "rennet.loss_fridge", "open"),
    )


def vigour(bottle: Product, house: House) -> float:
    """How much of its vigour a culture, mould or the like has kept, 0–1.

    Parameters: bottle, with the months past its date and where it was kept.
    Source: house value, 0.97 a month in the freezer, 0.90 in the fridge, propionic 0.85.
    """
    if bottle.months_past <= 0:
        return 1.0
    return float(house.number(vigour_key(bottle)) ** bottle.months_past)


def vigour_key(bottle: Product) -> str:
    """The house value by which a culture loses vigour past its date.

    Parameters: bottle of a culture. Source: house value.
    """
    if bottle.kind == "propionic":
        return "culture.propionic_month"
    return "culture.freezer_month" if bottle.kept == "freezer" else "culture.fridge_month"


_SERVES: Mapping[str, str] = {
    "freeze-dried": "culture.serves_gram",
    "": "culture.serves_gram",
    "units": "culture.serves_unit",
    "mother": "culture.serves_mother",
    "jar": "culture.serves_jar",
}


def serves(bottle: Product, house: House) -> Step:
    """Litres of milk that one unit of a culture is meant for, by its label or as usual.

    Parameters: bottle of a live kind; house. Raises: NotPossible when only its label can say
    (packets, moulds) and it was not written down. Source: the label; house value.
    """
    unit = bottle.unit
    if bottle.serves_l and bottle.serves_l > 0:
        return Step("start", f"{bottle.name}: a {unit} is for", bottle.serves_l, "L", "the label")
    if bottle.kind == "culture" and bottle.form == "cubes" and bottle.size_ml:
        key = "culture.serves_mother"
        litres = house.number(key) * bottle.size_ml
        words = f"a cube of {bottle.size_ml:g} mL of mother culture is for"
        return Step("start", words, litres, "L", house.source(key), key)
    if bottle.kind == "culture" and bottle.form in _SERVES:
        key = _SERVES[bottle.form]
        return Step(
            "start", f"a {unit} is usually for", house.number(key), "L", house.source(key), key
        )
    raise NotPossible(f"{bottle.name}: write in the stock how many litres one {unit} is for.")


_TSP_KEYS: Mapping[str, str] = {
    "culture": "measure.culture",
    "mould": "measure.mould",
    "propionic": "measure.culture",
    "protective": "measure.culture",
    "lipase": "measure.lipase",
    "acid": "measure.citric",
    "salt": "measure.fine_salt",
    "calcium": "measure.calcium_flake",
}


def drop_ml(bottle: Product, house: House) -> float:
    """A drop of a bottle, mL: of its own dropper where it was counted, else as usual.

    Parameters: bottle; house. Source: the maker's own count; house value.
    """
    return 1 / bottle.drops_per_ml if bottle.drops_per_ml else house.number("measure.drop")


def g_per_tsp(bottle: Product, house: House) -> float | None:
    """Grams in a level teaspoon, weighed by the maker or as usual; None when nothing is known.

    Parameters: bottle; house. Source: house value; the maker's own weighing of ten spoons.
    """
    if bottle.g_per_tsp:
        return bottle.g_per_tsp
    if bottle.kind == "culture" and bottle.form in ("mother", "jar"):
        return house.number("measure.mother")
    if bottle.kind == "salt" and bottle.sort:
        return house.number(f"measure.{bottle.sort}_salt")
    key = _TSP_KEYS.get(bottle.kind)
    return house.number(key) if key else None
