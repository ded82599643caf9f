"""One lot of milk: what it is made of, how heavy it is, and what it is fit for."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from openpail.craft.errors import OutOfRange, Unknown
from openpail.craft.figure import Figure
from openpail.craft.house import House

Species = Literal["cow", "goat", "sheep", "buffalo"]
Breed = Literal["cow_lowland", "cow_high_solids", "goat", "goat_dwarf", "sheep", "buffalo"]
Treatment = Literal[
    "raw", "thermised", "batch", "flash", "high_heat", "ultra_heated", "high_pressure"
]
ProteinKind = Literal["true", "crude", "unknown"]

BREEDS: Mapping[Breed, tuple[Species, str]] = {
    "cow_lowland": ("cow", "cow, lowland type"),
    "cow_high_solids": ("cow", "cow, high-solids type"),
    "goat": ("goat", "goat"),
    "goat_dwarf": ("goat", "goat, dwarf"),
    "sheep": ("sheep", "sheep"),
    "buffalo": ("buffalo", "buffalo"),
}
TREATMENTS: Mapping[Treatment, str] = {
    "raw": "raw",
    "thermised": "thermised",
    "batch": "batch-pasteurised (63 °C, 30 min)",
    "flash": "flash-pasteurised (72 °C, 15 s)",
    "high_heat": "high-heat (80 °C or over)",
    "ultra_heated": "ultra-heated (long life)",
    "high_pressure": "high-pressure treated",
}
HEATED: frozenset[Treatment] = frozenset(
    {"thermised", "batch", "flash", "high_heat", "high_pressure"}
)
RAW_CLASS: frozenset[Treatment] = frozenset({"raw", "thermised", "high_pressure"})

TABLE = "species table"


@dataclass(frozen=True, slots=True)
class MilkTest:
    """A test slip in % w/w; None is not measured. pH with the temperature of its sample."""

    fat_pct: float | None = None
    protein_pct: float | None = None
    protein_kind: ProteinKind = "unknown"
    casein_pct: float | None = None
    ph: float | None = None
    ph_sample_c: float | None = None
    cells_per_ml: float | None = None
    residue_found: bool = False


@dataclass(frozen=True, slots=True)
class Composition:
    """What a milk is made of, each part a figure in % w/w; `ph` at 25 °C, None unmeasured."""

    fat: Figure
    protein: Figure
    casein: Figure
    solids_not_fat: Figure
    ph: Figure | None


def species_of(breed: Breed) -> Species:
    """The species a breed's cut factors belong to. Raises Unknown. Source: derivation."""
    try:
        return BREEDS[breed][0]
    except KeyError:
        raise Unknown(f"“{breed}” is not an animal we know.") from None


def composition(breed: Breed, test: MilkTest, house: House) -> Composition:
    """What this milk is made of: measured beats worked out beats the species table.

    Parameters: breed; test, its slip; house, the values in force.
    Returns: fat, true protein, casein, solids not fat (% w/w), pH at 25 °C if measured.
    Raises: OutOfRange for parts no milk has.
    Source: casein and non-protein nitrogen by the species table; solids not fat = true
    protein + lactose + ash + 0.2, house value.
    """
    check_test(test)
    fat = _fat(breed, test, house)
    protein = _protein(breed, test, house)
    casein = _casein(breed, test, protein, house)
    return Composition(fat, protein, casein, _snf(breed, protein, house), _ph(test, house))


def check_test(test: MilkTest) -> None:
    """Refuse a slip with parts outside what any milk has. Raises OutOfRange.

    Source: house value, wide of all published surveys.
    """
    for words, value, low, high in (
        ("Fat", test.fat_pct, 0.0, 60.0),
        ("Protein", test.protein_pct, 0.5, 12.0),
        ("Casein", test.casein_pct, 0.3, 10.0),
        ("pH", test.ph, 4.0, 8.0),
    ):
        if value is not None and not low <= value <= high:
            unit = "" if words == "pH" else " %"
            raise OutOfRange(
                f"{words} {value:g}{unit} is outside {low:g} to {high:g}{unit}: look at the slip."
            )
    if test.casein_pct and test.protein_pct and test.casein_pct > test.protein_pct:
        raise OutOfRange(
            f"Casein {test.casein_pct:g} % is more than the protein, {test.protein_pct:g} %."
        )


def _fat(breed: Breed, test: MilkTest, house: House) -> Figure:
    if test.fat_pct is not None:
        sd = house.number("milk.test_fat_sd")
        return Figure.start("fat, tested", test.fat_pct, "%", "measured", sd=sd)
    return _from_table(breed, "fat", house.number(f"milk.{breed}.fat_sd"), house)


def _from_table(breed: Breed, part: str, sd: float, house: House) -> Figure:
    key = f"milk.{breed}.{part}"
    return Figure.start(
        f"{part}, usual for {BREEDS[breed][1]}",
        house.number(key),
        "%",
        "assumed",
        source=house.source(key),
        house_key=key,
        sd=sd,
    )


def _protein(breed: Breed, test: MilkTest, house: House) -> Figure:
    if test.protein_pct is None:
        return _from_table(breed, "protein", house.number(f"milk.{breed}.protein_sd"), house)
    sd = house.number("milk.test_protein_sd")
    if test.protein_kind == "true":
        return Figure.start("true protein, tested", test.protein_pct, "%", "measured", sd=sd)
    key = f"milk.{breed}.non_protein"
    answered = test.protein_kind == "crude"
    slip = "crude protein, tested" if answered else "protein, tested; taken as crude"
    figure = Figure.start(
        slip, test.protein_pct, "%", "measured", rests_on_assumed=not answered
    ).minus(
        "nitrogen that is no protein",
        house.number(key),
        "%",
        source=house.source(key),
        house_key=key,
    )
    return figure.give_or_take(sd if answered else (sd**2 + house.number(key) ** 2) ** 0.5)


def _casein(breed: Breed, test: MilkTest, protein: Figure, house: House) -> Figure:
    key = f"milk.{breed}.casein_of_protein"
    share = house.number(key)
    if test.casein_pct is not None:
        sd = house.number("milk.test_protein_sd")
        return Figure.start("casein, tested", test.casein_pct, "%", "measured", sd=sd)
    if test.protein_pct is None:
        return _from_table(breed, "casein", (protein.sd or 0.0) * share, house)
    figure = protein.times(
        "casein’s share of true protein", share, source=house.source(key), house_key=key
    )
    return figure.give_or_take((protein.sd or 0.0) * share)


def _snf(breed: Breed, protein: Figure, house: House) -> Figure:
    figure = protein
    for part, key in (
        ("lactose", f"milk.{breed}.lactose"),
        ("ash", f"milk.{breed}.ash"),
        ("other solids", "milk.other_solids"),
    ):
        figure = figure.plus(
            part, house.number(key), "%", source=house.source(key), house_key=key, about=True
        )
    return figure.give_or_take(protein.sd)


def _ph(test: MilkTest, house: House) -> Figure | None:
    if test.ph is None:
        return None
    sd = house.number("milk.ph_sd")
    figure = Figure.start("pH as read", test.ph, "pH", "measured", sd=sd)
    if test.ph_sample_c is None or 20 <= test.ph_sample_c <= 25:
        return figure
    key = "milk.ph_per_degree"
    corrected = ph_at_25(test.ph, test.ph_sample_c, house)
    return figure.plus(
        f"sample at {test.ph_sample_c:g} °C, brought to 25 °C",
        corrected - test.ph,
        "pH",
        source=house.source(key),
        house_key=key,
    ).give_or_take(sd)


def ph_at_25(ph: float, sample_c: float, house: House) -> float:
    """A milk's pH at 25 °C from a reading in a sample of another warmth.

    Parameters: ph 4–8; sample_c 0–60 °C. Raises: OutOfRange.
    Source: house value, 0.01 pH per °C.
    """
    if not 0 <= sample_c <= 60:
        raise OutOfRange(f"A sample at {sample_c:g} °C: measure pH between 0 and 60 °C.")
    return ph + house.number("milk.ph_per_degree") * (sample_c - 25)


def density_at_20(fat_pct: float, snf_pct: float) -> float:
    """Density of milk at 20 °C, g/mL.

    Parameters: fat_pct 0–60 % w/w; snf_pct 0–40 % w/w. Raises: OutOfRange.
    Source: Fleischmann, densities of the components.
    """
    water = 100 - fat_pct - snf_pct
    if fat_pct < 0 or snf_pct < 0 or water < 0:
        raise OutOfRange("Fat and solids must lie between 0 and 100 % together.")
    return 100 / (fat_pct / 0.930 + snf_pct / 1.608 + water / 0.998)


def density(fat_pct: float, snf_pct: float, celsius: float) -> float:
    """Density of milk at the warmth at which its volume was read, g/mL.

    Parameters: fat_pct, snf_pct % w/w; celsius 0–60. Raises: OutOfRange.
    Source: Fleischmann; temperature after Short 1955.
    """
    if not 0 <= celsius <= 60:
        raise OutOfRange(
            f"Milk at {celsius:g} °C: a volume is turned into a weight between 0 and 60 °C only. "
            "Weigh it, or measure it cooler."
        )
    return density_at_20(fat_pct, snf_pct) * _short(celsius) / _short(20.0)


def _short(t: float) -> float:
    return 1035.0 - 0.358 * t + 0.0049 * t**2 - 0.00010 * t**3


def mass_of(
    volume_l: float, celsius: float | None, milk: Composition, known: bool = True
) -> Figure:
    """The weight of a volume of milk, kg.

    Parameters: volume_l over 0; celsius at which it was measured, None taken as 20;
    milk, its composition; known False when the volume was a guess.
    Returns: the mass, with its density as a step.
    Raises: OutOfRange below 0 or over 60 °C, or for no volume.
    Source: Fleischmann; Short 1955.
    """
    if volume_l <= 0:
        raise OutOfRange("Write how much milk there is, more than nothing.")
    at = 20.0 if celsius is None else celsius
    rho = density(milk.fat.value, milk.solids_not_fat.value, at)
    warmth = "20 °C taken" if celsius is None else f"{at:g} °C"
    figure = Figure.start("milk by volume", volume_l, "L", "measured" if known else "assumed")
    return figure.times(
        f"density at {warmth}", rho, unit="kg/L", source="Fleischmann; Short 1955", into="kg"
    ).give_or_take(0.005 * volume_l)


def usual_ph(casein_shares: Mapping[Species, float], house: House) -> float:
    """The fresh pH of a milk by its casein shares (which sum to 1). Source: species table."""
    return sum(
        share * house.number(f"milk.{table_breed(species)}.ph")
        for species, share in casein_shares.items()
    )


def table_breed(species: Species) -> Breed:
    """The breed whose table row speaks for a species. Source: derivation."""
    return "cow_lowland" if species == "cow" else species
