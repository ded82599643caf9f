"""Milks poured together: one balance by mass, and the shares that each rule asks for."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from openpail.craft.errors import OutOfRange
from openpail.craft.figure import Figure, Step
from openpail.craft.house import House
from openpail.craft.milk.animals import Kappa, cells_doubled
from openpail.craft.milk.density import density_at_20
from openpail.craft.milk.kinds import (
    DRY,
    NO_SET,
    RAW_CLASS,
    Breed,
    Composition,
    MilkKind,
    Species,
    Treatment,
    species_of,
    table_breed,
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Pour:
    """One lot, or part of one, as it goes into the vat; parts in % w/w, pH at 25 °C. heat_record,
    what the log of its pasteurising says, "" without one; came_of, of whey: the animals of the milk
    that it ran off, by their share."""

    name: str
    breed: Breed
    treatment: Treatment
    mass: Figure
    milk: Composition
    homogenised: bool = False
    frozen: bool = False
    hours_cold: float = 0.0
    litres: float | None = None
    stage: str = ""
    kind: MilkKind = "milk"
    cells_per_ml: float | None = None
    kappa: Kappa = ""
    rested: bool = False
    herd_taught: bool = False
    heat_record: str = ""
    came_of: Mapping[str, float] = field(default_factory=dict)

    @property
    def animals(self) -> Mapping[str, float]:
        """The animals that its milk is from, by their share: of whey, those of its make's milk."""
        return self.came_of or {self.species: 1.0}

    @property
    def species(self) -> Species:
        """The animal this lot is from."""
        return species_of(self.breed)

    @property
    def volume_l(self) -> float:
        """What was poured, L: as measured, else its weight at 20 °C."""
        if self.litres is not None:
            return self.litres
        return self.mass.value / density_at_20(self.milk.fat.value, self.milk.solids_not_fat.value)


@dataclass(frozen=True, slots=True, kw_only=True)
class Share:
    """A lot's numbers as the dose rules read them: kg, % w/w, hours held cold.

    cells_doubled: how often over what leaves milk as it is; casein_told: by a slip; rested: half
    an hour at 32 °C after the cold; herd_taught: its makes taught how it sets.
    """

    species: Species
    treatment: Treatment
    homogenised: bool
    frozen: bool
    hours_cold: float
    mass_kg: float
    fat_pct: float
    protein_pct: float
    casein_pct: float
    kind: MilkKind = "milk"
    late: bool = False
    cells_doubled: float = 0.0
    kappa: Kappa = ""
    casein_told: bool = False
    rested: bool = False
    herd_taught: bool = False


@dataclass(frozen=True, slots=True)
class VatMilk:
    """What is in the vat, in numbers only: a rule's input, cheap to vary a little.

    `ph` is the milk's at 25 °C, None when nobody measured; `salt_pct` is salt in the milk.
    """

    shares: tuple[Share, ...]
    ph: float | None = None
    salt_pct: float = 0.0

    @property
    def mass_kg(self) -> float:
        """All that was poured, kg."""
        return sum(share.mass_kg for share in self.shares)

    @property
    def fat_pct(self) -> float:
        """Fat of the blend, % w/w."""
        return self.mass_share(lambda share: share.fat_pct)

    @property
    def protein_pct(self) -> float:
        """True protein of the blend, % w/w."""
        return self.mass_share(lambda share: share.protein_pct)

    @property
    def casein_pct(self) -> float:
        """Casein of the blend, % w/w."""
        return self.mass_share(lambda share: share.casein_pct)

    @property
    def is_raw(self) -> bool:
        """Raw for every safety rule: any share that is not fully pasteurised."""
        return any(share.treatment in RAW_CLASS for share in self.shares)

    def unsettable(self) -> float:
        """The share of the casein that rennet does not set: ultra-heated, boiled, tinned."""
        return self._casein_share(lambda share: share.treatment in NO_SET)

    def by_heat(self, of: Callable[[Share], float]) -> float:
        """Mean of a property of the lots that rennet can set: by mass, by casein with a powder."""
        shares = [share for share in self.shares if share.treatment not in NO_SET]
        if len(shares) <= 1:
            return float(of((shares or self.shares)[0]))
        dry = any(share.kind in DRY for share in shares)
        return mean(
            (share.mass_kg * (share.casein_pct if dry else 1.0), of(share)) for share in shares
        )

    def by_casein(self, of: Callable[[Share], float]) -> float:
        """Mean of a property of each lot by its casein."""
        return self._casein_share(of)

    def _casein_share(self, of: Callable[[Share], float]) -> float:
        if len(self.shares) == 1:
            return float(of(self.shares[0]))
        return mean((share.mass_kg * share.casein_pct, of(share)) for share in self.shares)

    def casein_shares(self) -> dict[Species, float]:
        """Each species' share of all casein; sums to 1."""
        if len(self.shares) == 1:
            return {self.shares[0].species: 1.0}
        total = sum(share.mass_kg * share.casein_pct for share in self.shares)
        shares: dict[Species, float] = {}
        for share in self.shares:
            part = share.mass_kg * share.casein_pct / total
            shares[share.species] = shares.get(share.species, 0.0) + part
        return shares

    def mass_share(self, of: Callable[[Share], float]) -> float:
        """Mass mean of a property of each lot; of a 0/1 mark, its share of the mass."""
        if len(self.shares) == 1:
            return float(of(self.shares[0]))
        return mean((share.mass_kg, of(share)) for share in self.shares)

    def as_if(self, fat_pct: float, casein_pct: float) -> VatMilk:
        """The same milk with so much fat and casein, each share moved alike."""
        fat, casein = fat_pct / self.fat_pct, casein_pct / self.casein_pct
        shares = tuple(
            replace(
                share,
                fat_pct=share.fat_pct * fat,
                casein_pct=share.casein_pct * casein,
                protein_pct=share.protein_pct * casein,
            )
            for share in self.shares
        )
        return replace(self, shares=shares)

    def shifted(self, part: str, by: float) -> VatMilk:
        """The same milk with fat, protein, casein or pH moved by so much (uncertainty)."""
        if part == "ph":
            return replace(self, ph=None if self.ph is None else self.ph + by)
        field = f"{part}_pct"
        shares = tuple(
            replace(share, **{field: max(0.01, getattr(share, field) + by)})
            for share in self.shares
        )
        return replace(self, shares=shares)


@dataclass(frozen=True, slots=True, kw_only=True)
class Blend:
    """The milk in the vat, with figures that explain themselves."""

    pours: tuple[Pour, ...]
    mass: Figure
    fat: Figure
    protein: Figure
    casein: Figure
    lactose: Figure
    ph: Figure | None
    numbers: VatMilk


def mean(parts: Iterable[tuple[float, float]]) -> float:
    """Mass balance of one component: Σ mᵢ xᵢ / Σ mᵢ.

    Parameters: parts, pairs of mass (kg, over 0 in all) and content (any unit).
    Raises: OutOfRange when there is no mass. Source: derivation.
    """
    pairs = list(parts)
    total = sum(mass for mass, _ in pairs)
    if total <= 0:
        raise OutOfRange("There is no milk in the vat yet.")
    return sum(mass * content for mass, content in pairs) / total


def pour(pours: Sequence[Pour], house: House) -> Blend:
    """What these lots make when poured together.

    Parameters: pours, at least one; house, for the usual pH of a lot without one when
    another lot's was measured.
    Returns: the blend; a figure of a single lot is that lot's own.
    Raises: OutOfRange for nothing poured. Source: mass balance.
    """
    if not pours:
        raise OutOfRange("Choose the milk that goes into the vat.")
    masses = [each.mass.value for each in pours]
    fat, protein, casein, lactose = (
        _balance(name, [getattr(each.milk, name) for each in pours], masses)
        for name in ("fat", "protein", "casein", "lactose")
    )
    ph = _ph(pours, masses, house)
    shares = tuple(_share(each, house) for each in pours)
    return Blend(
        pours=tuple(pours),
        mass=_total([each.mass for each in pours]),
        fat=fat,
        protein=protein,
        casein=casein,
        lactose=lactose,
        ph=ph,
        numbers=VatMilk(shares, ph.value if ph else None),
    )


def _share(each: Pour, house: House) -> Share:
    return Share(
        species=each.species,
        treatment=each.treatment,
        homogenised=each.homogenised,
        frozen=each.frozen,
        hours_cold=each.hours_cold,
        mass_kg=each.mass.value,
        fat_pct=each.milk.fat.value,
        protein_pct=each.milk.protein.value,
        casein_pct=each.milk.casein.value,
        kind=each.kind,
        late=each.stage == "late",
        cells_doubled=cells_doubled(each.cells_per_ml, each.species, house),
        kappa=each.kappa,
        casein_told=each.milk.casein.known == "measured",
        rested=each.rested,
        herd_taught=each.herd_taught,
    )


def _total(masses: list[Figure]) -> Figure:
    figure = masses[0]
    for other in masses[1:]:
        figure = figure.plus(
            "and", other.value, "kg", of=other.because, about=other.rests_on_assumed
        )
    return figure.give_or_take(sum((mass.sd or 0.0) ** 2 for mass in masses) ** 0.5)


def _balance(name: str, parts: list[Figure], masses: list[float]) -> Figure:
    if len(parts) == 1:
        return parts[0]
    total = sum(masses)
    unit = parts[0].unit
    figure = Figure.start(f"{name}, by mass", 0.0, unit)
    variance = 0.0
    for part, mass in zip(parts, masses, strict=True):
        steps = (*part.because, Step("times", "share of the mass", mass / total))
        figure = figure.plus(
            part.because[0].label,
            part.value * mass / total,
            unit,
            of=steps,
            about=part.rests_on_assumed,
        )
        variance += ((part.sd or 0.0) * mass / total) ** 2
    return figure.give_or_take(variance**0.5)


def _ph(pours: Sequence[Pour], masses: list[float], house: House) -> Figure | None:
    if all(each.milk.ph is None for each in pours):
        return None
    return _balance("pH", [each.milk.ph or _usual_ph(each, house) for each in pours], masses)


def _usual_ph(each: Pour, house: House) -> Figure:
    key = f"milk.{table_breed(each.species)}.ph"
    usual = Figure.start(
        f"usual pH, {each.name}",
        house.number(key),
        "pH",
        "assumed",
        source=house.source(key),
        house_key=key,
        sd=0.05,
    )
    if each.stage != "late":
        return usual
    key = "late.ph"
    more = house.number(key)
    return usual.plus("late milk", more, "pH", source=house.source(key), house_key=key)
