"""A recipe: the milk it was written for, what goes in, the steps, and how it ripens.

These dataclasses are the open format too: `formats.recipe_file` reads and writes them as JSON.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from annotated_types import Ge, Le, MaxLen, MinLen

from openpail.craft.errors import Unknown
from openpail.craft.house import House
from openpail.craft.milk.blend import Pour, VatMilk, pour
from openpail.craft.milk.density import mass_of
from openpail.craft.milk.kinds import Breed, MilkTest, Species, Treatment, species_of
from openpail.craft.milk.slip import composition
from openpail.craft.press.load import round_area_cm2
from openpail.craft.stock.products import Product

Family = Literal[
    "acid_heat_soft",
    "acid_heat_pressed",
    "whey",
    "lactic",
    "stretched_quick",
    "stretched",
    "grilling",
    "white_brined",
    "bloomy",
    "blue",
    "washed_curd",
    "small_eyed",
    "stirred_curd",
    "cheddared",
    "alpine",
    "hard_grating",
    "tomme",
    "washed_rind",
]
StepKind = Literal[
    "warm",
    "add",
    "wait",
    "stir",
    "test",
    "cut",
    "heal",
    "heat",
    "hold",
    "take whey off",
    "add water",
    "settle",
    "drain",
    "cheddar",
    "hang",
    "mill",
    "salt",
    "mould",
    "press",
    "turn",
    "cook in whey",
    "stretch",
    "cool",
    "brine",
    "dry",
]
# An amount for the batch; or % of the curd before the press, of the cheese out of its mould (on the
# rind), of the milk.
Basis = Literal["batch", "percent_of_curd", "percent_of_cheese", "percent_of_milk"]
OF_CHEESE: frozenset[Basis] = frozenset({"percent_of_curd", "percent_of_cheese"})
Clock = Literal["fixed", "flocculation", "cut"]
RatioBy = Literal["volume", "mass", "casein"]
Asks = Literal["temperature", "ph", "flocks", "weight"]
Matters = Literal["daily", "weekly", "once"]
CareKind = Literal[
    "turn",
    "wipe",
    "wash",
    "brush",
    "pierce",
    "wrap",
    "foil",
    "bag",
    "wax",
    "cloth",
    "oil",
    "weigh",
    "look",
    "taste",
    "eat",
]
# From when the minutes are counted that a step may be left: not at all; at any time of it, so long;
# from its beginning; until so long before its end; to its end; so long past its end.
LeftFrom = Literal["not now", "at a time", "beginning", "before end", "end", "past end"]
# What a stage ends by, where it can be seen or felt: a key of the cave’s signs.
EndSign = Literal["bloom", "dry", "smear", "thumb", "round", "blue", "grey"]

# The ranges are what a recipe may say at all, so that no rule ever meets a number it was not made
# for; what is usual is `sense`'s matter.
Key = Annotated[str, MinLen(1)]
Litres = Annotated[float, Ge(0.05), Le(10_000)]
Amount = Annotated[float, Ge(0), Le(100_000)]
Minutes = Annotated[float, Ge(0), Le(20_160)]
Measured = Annotated[float, Ge(-30), Le(120)]
Share01 = Annotated[float, Ge(0), Le(1)]
Days = Annotated[int, Ge(0), Le(5_000)]
Source = Annotated[str, MaxLen(60_000)]


@dataclass(frozen=True, slots=True, kw_only=True)
class ReferencePart:
    """One milk the recipe was written for: litres at 20 °C, and its test if it says one.

    stream: "whey" for what ran off a make.
    """

    breed: Breed
    treatment: Treatment
    volume_l: Litres
    stream: Literal["milk", "whey"] = "milk"
    homogenised: bool = False
    fat_pct: Annotated[float, Ge(0), Le(60)] | None = None
    protein_pct: Annotated[float, Ge(0.5), Le(12)] | None = None


@dataclass(frozen=True, slots=True)
class RatioRule:
    """Shares the recipe holds to: species, least and most share (0–1), by what."""

    by: RatioBy
    shares: tuple[tuple[Species, Share01, Share01], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Ingredient:
    """What goes in, as written: an amount in a unit for the reference batch, or a per cent.

    portions: in how many equal parts a step gives it; days: salt on the rind, on so many days, a
    day apart, the first with its step.
    """

    key: Key
    product: Product
    amount: Amount
    unit: str
    basis: Basis = "batch"
    acid: str = ""
    words: str = ""
    portions: Annotated[int, Ge(1), Le(12)] = 1
    days: Annotated[int, Ge(1), Le(12)] = 1


@dataclass(frozen=True, slots=True)
class Band:
    """A target with its allowed band, in the unit that its place names (°C or pH)."""

    target: Measured
    low: Measured
    high: Measured

    def moved(self, by: float) -> Band:
        """The band so much higher. Parameters: by, in its unit. Source: derivation."""
        return Band(*(round(each + by, 2) for each in (self.target, self.low, self.high)))


@dataclass(frozen=True, slots=True)
class MayLeave:
    """How long a step may be left: from when it is counted, minutes, and what happens then."""

    counted: LeftFrom
    minutes: Minutes = 0.0
    then: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class RecipeStep:
    """One step of the make.

    minutes and hands_on_minutes at the reference size; clock tells whether minutes are fixed
    or worked out from the set; may_stretch_minutes, how much longer it may run (0: not at
    all); leave, how long it may be left, None for as usual; sign, what to look for; most_salt_pct,
    that it may take up in its brine, % of the cheese; share, of
    the milk's litres that is taken off as whey; times, how often it turns the cheese; turns_min,
    after how many minutes of the step each time, () for evenly over it.
    """

    key: Key
    kind: StepKind
    title: str
    minutes: Minutes
    hands_on_minutes: Minutes
    words: str = ""
    clock: Clock = "fixed"
    celsius: Band | None = None
    ph: Band | None = None
    adds: tuple[str, ...] = ()
    sign: str = ""
    goes_wrong: str = ""
    leave: MayLeave | None = None
    may_stretch_minutes: Minutes = 0.0
    cut_mm: Annotated[float, Ge(1), Le(150)] | None = None
    load_kg: Annotated[float, Ge(0), Le(1_000)] | None = None
    brine_pct: Annotated[float, Ge(1), Le(27)] | None = None
    most_salt_pct: Annotated[float, Ge(0.3), Le(8)] | None = None
    asks: tuple[Asks, ...] = ()
    share: Share01 | None = None
    times: Annotated[int, Ge(1), Le(24)] = 1
    turns_min: tuple[Minutes, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Care:
    """A care during ripening: what, every so many days, from a day of its stage on.

    kind: what the hands do, where the recipe says it; brine_pct: of the brine it is washed with;
    times_a_day: how often on each of its days.
    """

    key: Key
    words: str
    every_days: Annotated[int, Ge(1), Le(1_000)]
    from_day: Days = 0
    matters: Matters = "daily"
    kind: CareKind | None = None
    brine_pct: Annotated[float, Ge(0), Le(27)] | None = None
    times_a_day: Annotated[int, Ge(1), Le(4)] = 1


@dataclass(frozen=True, slots=True, kw_only=True)
class Stage:
    """A stage of ripening: place, °C and humidity bands, days, cares, and its end sign.

    brine_pct, brine_per_kg: of the brine it lies in, and kg of it for each kg of cheese; sign: what
    its end is seen or felt by.
    """

    key: Key
    place: str
    celsius: Band
    days: Days
    cares: tuple[Care, ...]
    ends_when: str
    humidity_pct: Band | None = None
    brine_pct: Annotated[float, Ge(1), Le(27)] | None = None
    brine_per_kg: Annotated[float, Ge(0.1), Le(20)] | None = None
    sign: EndSign | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Wheels:
    """What a recipe's press and brine figures are for: its mould, how many pieces, each how heavy.

    across_cm: a round mould's width, a square one's longer side; side_cm: its other side, None for
    a round one. stacked: pieces under one another in the press, not side by side.
    """

    pieces: Annotated[int, Ge(1), Le(500)]
    piece_kg: Annotated[float, Ge(0.02), Le(200)]
    across_cm: Annotated[float, Ge(2), Le(120)]
    height_cm: Annotated[float, Ge(1), Le(60)]
    side_cm: Annotated[float, Ge(2), Le(120)] | None = None
    stacked: bool = False

    @property
    def area_cm2(self) -> float:
        """What a load lies on, of one piece."""
        if self.side_cm is None:
            return round_area_cm2(self.across_cm)
        return self.across_cm * self.side_cm


@dataclass(frozen=True, slots=True, kw_only=True)
class Recipe:
    """A whole recipe, complete enough to make a cheese from and eat it.

    moisture_pct: of its cheese from its own milk, where it is known; wheels: what its press and
    brine figures are for; whose: whose recipe it is, as the maker notes it; source: the text that
    it was read from, as it was written.
    """

    key: Key
    name: Annotated[str, MinLen(1)]
    family: Family
    words: str
    reference: tuple[ReferencePart, ...]
    ingredients: tuple[Ingredient, ...]
    steps: tuple[RecipeStep, ...]
    stages: tuple[Stage, ...]
    eat_by_days: Days
    renneting_c: Annotated[float, Ge(10), Le(45)] | None = None
    ripening_ph_drop: Annotated[float, Ge(0), Le(2.5)] = 0.0
    cut_multiplier: Annotated[float, Ge(1), Le(10)] | None = None
    acid_target_ph: Annotated[float, Ge(4), Le(6.6)] | None = None
    ratio: RatioRule | None = None
    ready_words: str = ""
    other_milks: str = ""
    moisture_pct: Annotated[float, Ge(25), Le(85)] | None = None
    wheels: Wheels | None = None
    whose: str = ""
    source: Source = ""

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

    def ripening(self) -> RecipeStep | None:
        """The step that waits for the culture before the rennet, None when it has none."""
        waits = [step for step in self.steps_to_rennet() if step.kind == "wait"]
        return waits[-1] if waits else None

    def renneting_ph(self) -> Band | None:
        """The pH that the rennet waits for: of its own step, else the last asked for before it."""
        rennet = self.ingredient("rennet")
        if rennet is None:
            return None
        at = [step.ph for step in self.steps if rennet.key in step.adds]
        return at[0] if at and at[0] else self._last_ph()

    def _last_ph(self) -> Band | None:
        return next((step.ph for step in reversed(self.steps_to_rennet()) if step.ph), None)

    def ingredient(self, kind: str) -> Ingredient | None:
        """The first ingredient of a kind, None when the recipe has none."""
        return next((each for each in self.ingredients if each.product.kind == kind), None)


def reference_pours(recipe: Recipe, house: House) -> tuple[Pour, ...]:
    """The milk that a recipe was written for, as if it were poured.

    Parameters: recipe; house. Source: species table.
    """
    return tuple(as_pour(part, house) for part in recipe.reference)


def as_pour(part: ReferencePart, house: House) -> Pour:
    """One part of a reference milk, as if it were poured.

    Parameters: part; house. Source: species table.
    """
    test = MilkTest(
        fat_pct=part.fat_pct,
        protein_pct=part.protein_pct,
        protein_kind="true" if part.protein_pct else "unknown",
    )
    milk = composition(part.breed, test, house, kind=part.stream)
    mass = mass_of(part.volume_l, 20.0, milk)
    return Pour(
        name=part.breed,
        breed=part.breed,
        treatment=part.treatment,
        mass=mass,
        milk=milk,
        homogenised=part.homogenised,
        litres=part.volume_l,
    )


def reference_milk(recipe: Recipe, house: House) -> VatMilk:
    """The milk a recipe was written for, in the numbers the dose rules read.

    Parameters: recipe; house, for what the recipe does not say. Source: species table.
    """
    return pour(reference_pours(recipe, house), house).numbers
