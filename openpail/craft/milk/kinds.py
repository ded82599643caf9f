"""Milk: the animals, the treatments, a test slip, and what a milk is made of."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, NamedTuple, get_args

from openpail.craft.errors import Unknown
from openpail.craft.figure import Figure
from openpail.craft.house import House

Species = Literal["cow", "goat", "sheep", "buffalo"]
SPECIES: tuple[Species, ...] = get_args(Species)
Breed = Literal["cow_lowland", "cow_high_solids", "goat", "goat_dwarf", "sheep", "buffalo"]
Treatment = Literal[
    "raw",
    "thermised",
    "batch",
    "flash",
    "high_heat",
    "scalded",
    "boiled",
    "ultra_heated",
    "tinned",
    "high_pressure",
]
ProteinKind = Literal["true", "crude", "unknown"]
MilkKind = Literal[
    "milk", "cream", "skim", "powder", "concentrate", "casein", "retentate", "evaporated", "whey"
]


class Animals(NamedTuple):
    """Animals of a breed: their species, what they are called, and what many of them are called."""

    species: Species
    words: str
    herd: str


# With house values, a pattern that reads its name and a migration, an animal is told here alone.
BREEDS: Mapping[Breed, Animals] = {
    "cow_lowland": Animals("cow", "cow, lowland type", "Cows"),
    "cow_high_solids": Animals("cow", "cow, high-solids type", "High-solids cows"),
    "goat": Animals("goat", "goat", "Goats"),
    "goat_dwarf": Animals("goat", "goat, dwarf", "Dwarf goats"),
    "sheep": Animals("sheep", "sheep", "Ewes"),
    "buffalo": Animals("buffalo", "buffalo", "Buffalo"),
}
TREATMENTS: Mapping[Treatment, str] = {
    "raw": "raw",
    "thermised": "thermised",
    "batch": "batch-pasteurised (63 °C, 30 min)",
    "flash": "flash-pasteurised (72 °C, 15 s)",
    "high_heat": "high-heat (80 °C for seconds, or a pot that passed 75 °C)",
    "scalded": "scalded (over 80 °C for a minute or more)",
    "boiled": "boiled (or 85 °C for 5 min)",
    "ultra_heated": "ultra-heated (long life)",
    "tinned": "tinned (sterilised)",
    "high_pressure": "high-pressure treated",
}
HEATED: frozenset[Treatment] = frozenset(
    {"thermised", "batch", "flash", "high_heat", "scalded", "high_pressure"}
)
PASTEURISED: frozenset[Treatment] = frozenset({"batch", "flash", "high_heat", "scalded"})
# Rennet never sets it: whey proteins lie on its casein, and no culture mends that.
NO_SET: frozenset[Treatment] = frozenset({"boiled", "ultra_heated", "tinned"})
# Raw for every safety rule, label and day count; the others are pasteurised.
RAW_CLASS: frozenset[Treatment] = frozenset({"raw", "thermised", "high_pressure"})
# Given by weight only, and of a milk that has them every share is told by casein.
DRY: frozenset[MilkKind] = frozenset({"powder", "concentrate", "casein"})


@dataclass(frozen=True, slots=True, kw_only=True)
class MilkTest:
    """A test slip, as read; None is not measured.

    Parts in % w/w; pH with the temperature of its sample, density in g/mL and the lactometer
    with theirs; freezing_point_c under 0 °C; acidity in % lactic acid w/v; counts per mL.
    """

    fat_pct: float | None = None
    protein_pct: float | None = None
    protein_kind: ProteinKind = "unknown"
    casein_pct: float | None = None
    ph: float | None = None
    ph_sample_c: float | None = None
    cells_per_ml: float | None = None
    residue_found: bool = False
    lactose_pct: float | None = None
    snf_pct: float | None = None
    total_solids_pct: float | None = None
    density_g_ml: float | None = None
    density_c: float | None = None
    lactometer: float | None = None
    lactometer_c: float | None = None
    freezing_point_c: float | None = None
    acidity_pct: float | None = None
    plates_per_ml: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Composition:
    """What a milk is made of, each part a figure in % w/w.

    `ph` at 25 °C and `density` (g/mL at 20 °C) are None when unmeasured; `added_water` (% of
    the milk) when no freezing point was.
    """

    fat: Figure
    protein: Figure
    casein: Figure
    solids_not_fat: Figure
    ph: Figure | None
    lactose: Figure
    total_solids: Figure
    density: Figure | None = None
    added_water: Figure | None = None

    @property
    def protein_untold(self) -> bool:
        """Whether a slip names a protein, and does not say which one it is."""
        return self.protein.known != "assumed" and self.protein.rests_on_assumed


def animals_of(breed: str) -> str:
    """The animals of a breed as an old record names it; a breed that is not known any more names
    itself.

    Parameters: breed. Source: the species table.
    """
    return next((known.species for name, known in BREEDS.items() if name == breed), breed)


def species_of(breed: Breed) -> Species:
    """The species a breed's cut factors belong to. Raises Unknown. Source: derivation."""
    try:
        return BREEDS[breed].species
    except KeyError:
        raise Unknown(f"“{breed}” is not an animal we know.") from None


def usual_ph(casein_shares: Mapping[Species, float], house: House) -> float:
    """The fresh pH of a milk by its casein shares.

    Parameters: casein_shares, which sum to 1; house. Source: species table.
    """
    return sum(
        share * house.number(f"milk.{table_breed(species)}.ph")
        for species, share in casein_shares.items()
    )


def table_breed(species: Species) -> Breed:
    """The breed whose table row speaks for a species. Source: derivation."""
    return "cow_lowland" if species == "cow" else species
