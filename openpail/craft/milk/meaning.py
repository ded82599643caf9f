"""What a number of a slip means for a cheese, what to do about it, and whose limit it is."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.milk.kinds import MilkTest, Species
from openpail.craft.units import so_large

_LAW_CELLS = {
    "cow": "The law’s own: EU 400 000, US 750 000.",
    "goat": "The law’s own: EU none for goats, US 1 500 000.",
    "sheep": "The law’s own: EU none for ewes, US 750 000.",
    "buffalo": "The law’s own: EU none for buffalo, US 750 000.",
}
_LAW_PLATES = {
    "cow": "The law’s own: EU 100 000 for cows.",
    "other": "The law’s own: EU 500 000 for a raw cheese, 1 500 000 for milk that is heated.",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Meaning:
    """A number of a slip beside its line: what it is, as it was read, what it means and what to
    do; whether it lies over its line, and whose line that is."""

    what: str
    read: str
    means: str
    is_over: bool
    whose: str


def meanings(
    test: MilkTest, species: Species, added_water: Figure | None, house: House
) -> tuple[Meaning, ...]:
    """What the cells, plates, pH and freezing point of a slip mean.

    Parameters: test; species; added_water, % by the freezing point, None where none was read;
    house. Returns: one for each that was read. Source: EU 853/2004; Grade "A" PMO; house values.
    """
    found = (*_cells(test, species, house), *_plates(test, species, house))
    return (*found, *_ph(test, species, house), *_water(test, added_water, house))


def _cells(test: MilkTest, species: Species, house: House) -> Iterator[Meaning]:
    if test.cells_per_ml is None:
        return
    starts, limit = house.number(f"cells.from_{species}"), house.number(f"fitness.cells_{species}")
    if test.cells_per_ml <= starts:
        means = "as healthy udders give it"
    elif test.cells_per_ml <= limit:
        means = (
            f"over {so_large(starts)} it sets later and softer, and gives a little less cheese; "
            "the doses know"
        )
    else:
        means = (
            "a slower, softer, wetter curd and less of it, a bitter cheese with age: look for the "
            "sick quarter, and make nothing of it that is to keep long"
        )
    if species == "goat":
        means += "; late in the season goats run high in good health"
    yield Meaning(
        what="Cells",
        read=f"{so_large(test.cells_per_ml)} per mL",
        means=means,
        is_over=test.cells_per_ml > limit,
        whose=f"{so_large(limit)} here. {_LAW_CELLS[species]}",
    )


def _plates(test: MilkTest, species: Species, house: House) -> Iterator[Meaning]:
    if test.plates_per_ml is None:
        return
    limit, most = house.number(f"fitness.plates_{species}"), house.number("fitness.plates_most")
    if test.plates_per_ml <= limit:
        means = "clean milking and quick cooling"
    elif test.plates_per_ml <= most:
        means = "look at teats, clusters, pipes and how soon it is cold; rather a heated cheese"
    else:
        means = "no raw cheese of it: find where it comes from before the next milking"
    law = _LAW_PLATES["cow" if species == "cow" else "other"]
    yield Meaning(
        what="Plates",
        read=f"{so_large(test.plates_per_ml)} per mL",
        means=means,
        is_over=test.plates_per_ml > limit,
        whose=f"{so_large(limit)} here, and {so_large(most)} for a raw cheese at all. {law}",
    )


def _ph(test: MilkTest, species: Species, house: House) -> Iterator[Meaning]:
    if test.ph is None:
        return
    low, high = (house.number(f"fitness.{key}_{species}") for key in ("souring", "sweet"))
    if test.ph < low:
        means = "it is souring: measure a second sample before anything else"
    elif test.ph > high:
        means = "sick or late animals, a cleaning agent, or the meter: look before you dose by it"
    else:
        means = "as fresh milk is; the rennet’s dose and the ripening go by it"
    yield Meaning(
        what="pH",
        read=f"{test.ph:.2f}",
        means=means,
        is_over=not low <= test.ph <= high,
        whose=f"{low:.2f} to {high:.2f} here.",
    )


def _water(test: MilkTest, added: Figure | None, house: House) -> Iterator[Meaning]:
    if test.freezing_point_c is None or added is None:
        return
    most = house.number("fitness.added_water")
    if added.value <= 0:
        means = "no water in it"
    elif added.value <= most:
        means = f"{added.value:.1f} % water or less: within what a herd’s own point moves"
    else:
        means = (
            f"about {added.value:.0f} % water: less cheese, a thinner milk; look at the rinse, and "
            "whether the slip says °C or °H"
        )
    yield Meaning(
        what="Freezing point",
        read=f"{test.freezing_point_c:.3f} °C".replace("-", "−"),
        means=means,
        is_over=added.value > most,
        whose=f"{most:g} % water here; against the herd’s own point, else the animals’ usual.",
    )
