"""What a lot of milk is fit for, from its age, warmth, treatment and marks; and for how long."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal, NamedTuple

from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.milk.acidity import convert
from openpail.craft.milk.kinds import RAW_CLASS, MilkTest, Species, Treatment

Holding = Literal["cold", "cool", "cellar", "warm"]
Verdict = Literal["fit", "fit with a caution", "not for rennet cheese", "not for cheese"]

_ORDER: tuple[Verdict, ...] = (
    "fit",
    "fit with a caution",
    "not for rennet cheese",
    "not for cheese",
)


@dataclass(frozen=True, slots=True)
class Keeping:
    """How a lot was kept and what was marked.

    hours since milking, purchase or thawing; best_before_h, hours left until the end of its
    best-before day (under 0: past it), None without one; in_freezer, not thawed yet.
    """

    treatment: Treatment
    hours: float
    holding: Holding
    off_smell: bool = False
    colostrum_or_sick: bool = False
    withdrawal: bool = False
    best_before_h: float | None = None
    in_freezer: bool = False


@dataclass(frozen=True, slots=True)
class Reason:
    """Why a lot is less than fit, and the verdict that this alone gives.

    `hard` is a stop that no words lift: residues, an animal under withdrawal.
    """

    verdict: Verdict
    words: str
    hard: bool = False


class Turn(NamedTuple):
    """When the age clock turns next: hours from now, and what the milk is then."""

    in_hours: float
    verdict: Verdict


@dataclass(frozen=True, slots=True)
class Fitness:
    """The verdict over all reasons, worst first; `turn` is None when age changes nothing more."""

    verdict: Verdict
    reasons: tuple[Reason, ...]
    turn: Turn | None = None


def judge(
    kept: Keeping, test: MilkTest, species: Species, house: House, added_water: Figure | None = None
) -> Fitness:
    """What this lot is fit for, why, and when that changes.

    Parameters: kept, its history; test, its slip; species; house, the limits in force;
    added_water, % by its freezing point.
    Returns: one of four verdicts with every reason that speaks against it.
    Source: 21 CFR 131.110; Grade "A" PMO; Regulation (EC) 853/2004; house values.
    """
    rules: tuple[Callable[[], Reason | None], ...] = (
        lambda: _residue(kept, test),
        lambda: _marks(kept),
        lambda: _age(kept, house),
        lambda: _ultra(kept),
        lambda: _souring(test, species, house),
        lambda: _acidity(test, species, house),
        lambda: _cells(test, species, house),
        lambda: _plates(kept, test, species, house),
        lambda: _watered(added_water, house),
    )
    reasons = sorted(
        (reason for rule in rules if (reason := rule())),
        key=lambda reason: -_ORDER.index(reason.verdict),
    )
    verdict = reasons[0].verdict if reasons else "fit"
    return Fitness(verdict, tuple(reasons), _turn(kept, verdict, house))


def _residue(kept: Keeping, test: MilkTest) -> Reason | None:
    if not (test.residue_found or kept.withdrawal):
        return None
    what = "The residue test is positive" if test.residue_found else "The animal is on withdrawal"
    words = f"{what}: no cheese, and no animals fed from it without advice."
    return Reason("not for cheese", words, hard=True)


def _marks(kept: Keeping) -> Reason | None:
    if kept.off_smell:
        return Reason("not for cheese", "It smells off: stop, and do not taste on.")
    if kept.colostrum_or_sick:
        return Reason(
            "not for cheese",
            "Within five days after birth, or clots, blood or a salty taste: not for cheese.",
        )
    return None


def _ultra(kept: Keeping) -> Reason | None:
    if kept.treatment != "ultra_heated":
        return None
    return Reason(
        "not for rennet cheese",
        "Ultra-heated milk will not set with rennet and no culture mends it. Acid and heat "
        "work: a fine, soft curd and a lower yield.",
    )


def _souring(test: MilkTest, species: Species, house: House) -> Reason | None:
    limit = house.number(f"fitness.souring_{species}")
    if test.ph is None or test.ph >= limit:
        return None
    return Reason(
        "fit with a caution",
        f"pH {test.ph:g} is under {limit:g}: already souring. Use it at once for a make that "
        "wants acid, or not at all.",
    )


def _acidity(test: MilkTest, species: Species, house: House) -> Reason | None:
    limit = house.number(f"fitness.acidity_{species}")
    if test.acidity_pct is None:
        return None
    dornic = convert(test.acidity_pct, "pct_la", "degD")
    if dornic <= limit:
        return None
    return Reason(
        "fit with a caution",
        f"{dornic:.0f} °D is over the {limit:.0f} °D of fresh milk: already souring. Use it at "
        "once for a make that wants acid, or not at all.",
    )


def _cells(test: MilkTest, species: Species, house: House) -> Reason | None:
    limit = house.number(f"fitness.cells_{species}")
    if test.cells_per_ml is None or test.cells_per_ml <= limit:
        return None
    late = " Late-season goats run high." if species == "goat" else ""
    words = f"{_count(test.cells_per_ml)} cells per mL, over {_count(limit)}.{late}"
    return Reason("fit with a caution", words)


def _plates(kept: Keeping, test: MilkTest, species: Species, house: House) -> Reason | None:
    limit = house.number(f"fitness.plates_{species}")
    found = test.plates_per_ml
    if found is None or found <= limit or (species != "cow" and kept.treatment not in RAW_CLASS):
        return None
    words = f"A plate count of {_count(found)} per mL, over {_count(limit)}: look at the milking."
    return Reason("fit with a caution", words)


def _watered(added: Figure | None, house: House) -> Reason | None:
    if added is None or added.value <= house.number("fitness.added_water"):
        return None
    return Reason(
        "fit with a caution",
        f"About {added.value:.0f} % water was added, by its freezing point. Ask whether the "
        "slip says °C or °H; look at the rinse water.",
    )


def _count(value: float) -> str:
    return f"{value:,.0f}".replace(",", " ")


class _Limits(NamedTuple):
    """Hours from which age asks for a caution and for a stop, and how the milk was kept."""

    caution: float
    stop: float
    where: str


def _limits(kept: Keeping, house: House) -> _Limits | None:
    if kept.treatment == "ultra_heated" or kept.in_freezer:
        return None
    if kept.holding == "warm":
        return _Limits(
            house.number("fitness.warm_caution_h"),
            house.number("fitness.warm_stop_h"),
            "warm, over 15 °C",
        )
    if kept.treatment not in RAW_CLASS:
        if kept.best_before_h is not None:
            ends = kept.hours + kept.best_before_h
            return _Limits(ends - 24, ends, "and at its best-before")
        return _Limits(
            24 * house.number("fitness.heated_caution_d"),
            24 * house.number("fitness.heated_stop_d"),
            "cold",
        )
    stop = house.number("fitness.cellar_stop_h")
    if kept.holding == "cellar":
        return _Limits(stop, stop, "at 8 to 15 °C")
    if kept.holding == "cool":
        same_day = house.number("fitness.cool_same_day_h")
        return _Limits(max(stop, same_day), max(stop, same_day), "at 6 to 8 °C")
    return _Limits(
        house.number("fitness.cold_caution_h"), house.number("fitness.cold_stop_h"), "cold"
    )


def _age(kept: Keeping, house: House) -> Reason | None:
    limits = _limits(kept, house)
    if limits is None:
        return None
    age = f"{kept.hours:.0f} h" if kept.hours < 48 else f"{kept.hours / 24:.0f} days"
    if kept.hours > limits.stop:
        return Reason(
            "not for cheese",
            f"{age} {limits.where}: too old for cheese. Boil it for a fresh acid curd today, or "
            "feed it.",
        )
    if kept.hours > limits.caution:
        return Reason("fit with a caution", f"{age} {limits.where}: use it today.")
    return None


def _turn(kept: Keeping, verdict: Verdict, house: House) -> Turn | None:
    limits = _limits(kept, house)
    if limits is None or verdict == "not for cheese":
        return None
    if kept.hours <= limits.caution < limits.stop and verdict == "fit":
        return Turn(limits.caution - kept.hours, "fit with a caution")
    return Turn(limits.stop - kept.hours, "not for cheese")
