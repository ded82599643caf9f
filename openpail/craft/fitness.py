"""What a lot of milk is fit for, from its age, warmth, treatment and marks."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from openpail.craft.house import House
from openpail.craft.milk import RAW_CLASS, MilkTest, Species, Treatment

Holding = Literal["cold", "cellar", "warm"]
Verdict = Literal["fit", "fit with a caution", "not for rennet cheese", "not for cheese"]

_ORDER: tuple[Verdict, ...] = (
    "fit",
    "fit with a caution",
    "not for rennet cheese",
    "not for cheese",
)


@dataclass(frozen=True, slots=True)
class Keeping:
    """How a lot was kept: hours since milking or purchase, where, and what was marked."""

    treatment: Treatment
    hours: float
    holding: Holding
    off_smell: bool = False
    colostrum_or_sick: bool = False
    withdrawal: bool = False


@dataclass(frozen=True, slots=True)
class Reason:
    """Why a lot is less than fit, and the verdict that this alone gives."""

    verdict: Verdict
    words: str


@dataclass(frozen=True, slots=True)
class Fitness:
    """The verdict over all reasons, worst first."""

    verdict: Verdict
    reasons: tuple[Reason, ...]


def judge(kept: Keeping, test: MilkTest, species: Species, house: House) -> Fitness:
    """What this lot is fit for, and why.

    Parameters: kept, its history; test, its slip; species; house, the limits in force.
    Returns: one of four verdicts with every reason that speaks against it.
    Source: 21 CFR 131.110; Grade "A" PMO; Regulation (EC) 853/2004; house values.
    """
    rules: tuple[Callable[[], Reason | None], ...] = (
        lambda: _residue(kept, test),
        lambda: _marks(kept),
        lambda: _age(kept, house),
        lambda: _ultra(kept),
        lambda: _souring(test, species, house),
        lambda: _cells(test, species, house),
    )
    reasons = sorted(
        (reason for rule in rules if (reason := rule())),
        key=lambda reason: -_ORDER.index(reason.verdict),
    )
    return Fitness(reasons[0].verdict if reasons else "fit", tuple(reasons))


def _residue(kept: Keeping, test: MilkTest) -> Reason | None:
    if not (test.residue_found or kept.withdrawal):
        return None
    what = "The residue test is positive" if test.residue_found else "The animal is on withdrawal"
    return Reason(
        "not for cheese", f"{what}: no cheese, and no animals fed from it without advice."
    )


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


def _cells(test: MilkTest, species: Species, house: House) -> Reason | None:
    limit = house.number(f"fitness.cells_{species}")
    if test.cells_per_ml is None or test.cells_per_ml <= limit:
        return None
    late = " Late-season goats run high." if species == "goat" else ""
    return Reason(
        "fit with a caution",
        f"{test.cells_per_ml:,.0f} cells per mL, over {limit:,.0f}.{late}".replace(",", " "),
    )


def _age(kept: Keeping, house: House) -> Reason | None:
    if kept.treatment not in RAW_CLASS:
        return _age_heated(kept, house)
    if kept.holding == "warm":
        return _past(
            kept.hours,
            house.number("fitness.warm_caution_h"),
            house.number("fitness.warm_stop_h"),
            "warm, over 15 °C",
        )
    if kept.holding == "cellar":
        stop = house.number("fitness.cellar_stop_h")
        return _past(kept.hours, stop, stop, "at 8 to 15 °C")
    return _past(
        kept.hours,
        house.number("fitness.cold_caution_h"),
        house.number("fitness.cold_stop_h"),
        "cold",
    )


def _age_heated(kept: Keeping, house: House) -> Reason | None:
    if kept.treatment == "ultra_heated":
        return None
    if kept.holding == "warm":
        return _past(
            kept.hours,
            house.number("fitness.warm_caution_h"),
            house.number("fitness.warm_stop_h"),
            "warm, over 15 °C",
        )
    return _past(
        kept.hours,
        24 * house.number("fitness.heated_caution_d"),
        24 * house.number("fitness.heated_stop_d"),
        "cold",
    )


def _past(hours: float, caution: float, stop: float, where: str) -> Reason | None:
    age = f"{hours:.0f} h" if hours < 48 else f"{hours / 24:.0f} days"
    if hours > stop:
        return Reason(
            "not for cheese",
            f"{age} {where}: too old for cheese. Boil it for a fresh acid curd today, or feed it.",
        )
    if hours > caution:
        return Reason("fit with a caution", f"{age} {where}: use it today.")
    return None
