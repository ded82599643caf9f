"""A recipe: the milk it was written for, what goes in, the steps, and how it ripens.

These dataclasses are the open format too: `formats.recipe_file` reads and writes them as JSON.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from openpail.craft.blend import Share, VatMilk
from openpail.craft.density import mass_of
from openpail.craft.errors import Unknown
from openpail.craft.house import House
from openpail.craft.milk import Breed, MilkTest, Treatment, species_of
from openpail.craft.products import Product
from openpail.craft.slip import composition

Family = Literal[
    "acid_heat_soft", "acid_heat_pressed", "whey", "lactic", "stretched_quick", "stretched",
    "grilling", "white_brined", "bloomy", "blue", "washed_curd", "small_eyed", "stirred_curd",
    "cheddared", "alpine", "hard_grating", "tomme", "washed_rind",
]  # fmt: skip
StepKind = Literal[
    "warm", "add", "wait", "stir", "test", "cut", "heal", "heat", "hold", "take whey off",
    "add water", "settle", "drain", "cheddar", "hang", "mill", "salt", "mould", "press", "turn",
    "cook in whey", "stretch", "cool", "brine", "dry",
]  # fmt: skip
Basis = Literal["batch", "percent_of_curd", "percent_of_milk"]
Clock = Literal["fixed", "flocculation", "cut"]
RatioBy = Literal["volume", "mass", "casein"]
Asks = Literal["temperature", "ph", "flocks", "weight"]


@dataclass(frozen=True, slots=True)
class ReferencePart:
    """One milk the recipe was written for: litres at 20 °C, and its test if it says one."""

    breed: Breed
    treatment: Treatment
    volume_l: float
    homogenised: bool = False
    fat_pct: float | None = None
    protein_pct: float | None = None


@dataclass(frozen=True, slots=True)
class RatioRule:
    """Shares the recipe holds to: species, least and most share (0–1), by what."""

    by: RatioBy
    shares: tuple[tuple[str, float, float], ...]


@dataclass(frozen=True, slots=True)
class Ingredient:
    """What goes in, as written: an amount in a unit for the reference batch, or a per cent."""

    key: str
    product: Product
    amount: float
    unit: str
    basis: Basis = "batch"
    acid: str = ""
    words: str = ""


@dataclass(frozen=True, slots=True)
class Band:
    """A target with its allowed band, in the unit that its place names (°C or pH)."""

    target: float
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class RecipeStep:
    """One step of the make.

    minutes and hands_on_minutes at the reference size; clock tells whether minutes are fixed
    or worked out from the set; may_stretch_minutes, how much longer it may run (0: not at
    all); leave, how long it may be left and what happens then; sign, what to look for.
    """

    key: str
    kind: StepKind
    title: str
    minutes: float
    hands_on_minutes: float
    words: str = ""
    clock: Clock = "fixed"
    celsius: Band | None = None
    ph: Band | None = None
    adds: tuple[str, ...] = ()
    sign: str = ""
    goes_wrong: str = ""
    leave: str = ""
    may_stretch_minutes: float = 0.0
    cut_mm: float | None = None
    load_kg: float | None = None
    asks: tuple[Asks, ...] = ()


@dataclass(frozen=True, slots=True)
class Care:
    """A care during ripening: what, every so many days, from a day of its stage on."""

    key: str
    words: str
    every_days: int
    from_day: int = 0
    matters: Literal["daily", "weekly", "once"] = "daily"


@dataclass(frozen=True, slots=True)
class Stage:
    """A stage of ripening: place, °C and humidity bands, days, cares, and its end sign."""

    key: str
    place: str
    celsius: Band
    days: int
    cares: tuple[Care, ...]
    ends_when: str
    humidity_pct: Band | None = None


@dataclass(frozen=True, slots=True)
class Recipe:
    """A whole recipe, complete enough to make a cheese from and eat it."""

    key: str
    name: str
    family: Family
    words: str
    reference: tuple[ReferencePart, ...]
    ingredients: tuple[Ingredient, ...]
    steps: tuple[RecipeStep, ...]
    stages: tuple[Stage, ...]
    eat_by_days: int
    renneting_c: float | None = None
    ripening_ph_drop: float = 0.0
    cut_multiplier: float | None = None
    acid_target_ph: float | None = None
    ratio: RatioRule | None = None
    ready_words: str = ""
    other_milks: str = ""

    def step(self, key: str) -> RecipeStep:
        """The step of that key. Raises Unknown."""
        for step in self.steps:
            if step.key == key:
                return step
        raise Unknown(f"{self.name} has no step “{key}”.")

    def animals(self) -> tuple[str, ...]:
        """The animals whose milk it was written for, the most first."""
        parts = sorted(self.reference, key=lambda part: -part.volume_l)
        return tuple(dict.fromkeys(species_of(part.breed) for part in parts))

    def steps_to_rennet(self) -> tuple[RecipeStep, ...]:
        """The steps before the rennet goes in; all of them when it takes none."""
        rennet = self.ingredient("rennet")
        before: list[RecipeStep] = []
        for step in self.steps:
            if rennet and rennet.key in step.adds:
                break
            before.append(step)
        return tuple(before)

    def ingredient(self, kind: str) -> Ingredient | None:
        """The first ingredient of a kind, None when the recipe has none."""
        return next((each for each in self.ingredients if each.product.kind == kind), None)


def reference_milk(recipe: Recipe, house: House) -> VatMilk:
    """The milk a recipe was written for, in the numbers the dose rules read.

    Parameters: recipe; house, for what the recipe does not say. Source: species table.
    """
    return VatMilk(tuple(_reference_share(part, house) for part in recipe.reference))


def _reference_share(part: ReferencePart, house: House) -> Share:
    test = MilkTest(part.fat_pct, part.protein_pct, "true" if part.protein_pct else "unknown")
    milk = composition(part.breed, test, house)
    return Share(
        species_of(part.breed),
        part.treatment,
        part.homogenised,
        False,
        0.0,
        mass_of(part.volume_l, 20.0, milk).value,
        milk.fat.value,
        milk.protein.value,
        milk.casein.value,
    )
