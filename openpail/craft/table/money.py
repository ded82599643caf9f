"""What a kg of a cheese cost, where prices are known: its milk, what was given to it, the time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.milk.kinds import SPECIES, animals_of

PER_HOUR = "money.hour"


@dataclass(frozen=True, slots=True, kw_only=True)
class PaidMilk:
    """Milk that went in: its name and breed, L, and what was paid for that much of it (None: it was
    not bought, or nobody said)."""

    name: str
    breed: str
    litres: float
    paid: float | None = None


@dataclass(frozen=True, slots=True)
class PaidStock:
    """What was given of a bottle: its name, and what that much of it cost; None where its price or
    the size it was bought in is not known."""

    name: str
    paid: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Cost:
    """What a make cost: of milk, of stock and of time, each in the dairy's money, None where
    nothing of it is known; all of them, and a kg of its cheese; what is not in it, in words."""

    milk: Figure | None
    stock: Figure | None
    time: Figure | None
    whole: Figure | None
    per_kg: Figure | None
    lacks: tuple[str, ...]


def cost_of(
    milk: Sequence[PaidMilk],
    stock: Sequence[PaidStock],
    hands_min: float,
    kg: float | None,
    house: House,
) -> Cost:
    """What a make cost, as far as prices are known.

    Parameters: milk and stock that went in; hands_min, minutes of work, 0 or more; kg that its
    pieces weighed, None not known; house, for the price of own milk and of an hour, 0 not known.
    Returns: a cost per kg only where the milk has its price: all else is little beside it.
    Source: sums.
    """
    lacks: list[str] = []
    of_milk = _milk(milk, house, lacks)
    of_stock = _sum([(each.name, each.paid) for each in stock], lacks)
    of_time = _time(hands_min, house, lacks)
    whole = None
    for words, part in (("milk", of_milk), ("stock", of_stock), ("time", of_time)):
        if part is not None:
            start = Figure.start(words, part.value, "", rests_on_assumed=part.rests_on_assumed)
            whole = start if whole is None else whole.plus(words, part.value, "")
    per_kg = None
    if of_milk is not None and whole is not None and kg:
        per_kg = whole.then("times", f"in {kg:.2f} kg of cheese", 1 / kg, into="a kg")
    return Cost(
        milk=of_milk,
        stock=of_stock,
        time=of_time,
        whole=whole,
        per_kg=per_kg,
        lacks=tuple(dict.fromkeys(lacks)),
    )


def _milk(milk: Sequence[PaidMilk], house: House, lacks: list[str]) -> Figure | None:
    known: list[tuple[str, float | None]] = []
    for each in milk:
        species = animals_of(each.breed)
        price = house.number(f"money.{species}_milk") if species in SPECIES else 0.0
        paid = each.paid if each.paid is not None else price * each.litres or None
        known.append((each.name, paid))
    # a part of the milk without its price would make the cheese look cheap
    if not known or any(paid is None for _, paid in known):
        lacks.extend(f"the milk of {name}" for name, paid in known if paid is None)
        return None
    return _sum(known, lacks)


def _sum(parts: Sequence[tuple[str, float | None]], lacks: list[str]) -> Figure | None:
    found: Figure | None = None
    for name, paid in parts:
        if paid is None:
            lacks.append(name)
        elif found is None:
            found = Figure.start(name, paid, "", "measured")
        else:
            found = found.plus(name, paid, "")
    return found


def _time(hands_min: float, house: House, lacks: list[str]) -> Figure | None:
    hourly = house.number(PER_HOUR)
    if not hourly:
        lacks.append("the time")
        return None
    hour = Figure.start("an hour of work", hourly, "", house_key=PER_HOUR)
    return hour.then("times", "hours that the make wants your hands", hands_min / 60)
