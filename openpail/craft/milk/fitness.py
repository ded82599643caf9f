"""What a lot of milk is fit for, from its age, warmth, treatment and marks; and for how long."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal, NamedTuple, get_args

from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.milk.acidity import convert
from openpail.craft.milk.kinds import NO_SET, RAW_CLASS, MilkTest, Species, Treatment

_IN_DAYS_FROM_H = 48

Holding = Literal["cold", "cool", "cellar", "warm"]
Verdict = Literal[
    "fit",
    "fit with a caution",
    "not for rennet cheese",
    "boiled acid-and-heat only",
    "not for cheese",
]

_ORDER: tuple[Verdict, ...] = get_args(Verdict)
DISCARD = (
    "Do not eat it, do not feed it: discard it. Toxins that grow in warm milk outlive boiling."
)
_BOIL = (
    "Cold all along, it may be boiled today for a fresh acid curd; whether it may be fed is your "
    "local kitchen and dairy waste rule."
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Keeping:
    """How a lot was kept and what was marked.

    hours since milking, purchase or thawing; best_before_h, hours left until the end of its
    best-before day (under 0: past it), None without one; in_freezer, not thawed yet;
    frozen_months, how long it was.
    """

    treatment: Treatment
    hours: float
    holding: Holding
    off_smell: bool = False
    colostrum_or_sick: bool = False
    withdrawal: bool = False
    best_before_h: float | None = None
    in_freezer: bool = False
    frozen_months: float = 0.0


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
    Returns: one of five verdicts with every reason that speaks against it.
    Source: 21 CFR 131.110; Grade "A" PMO; Regulation (EC) 853/2004; house values.
    """
    rules: tuple[Callable[[], Reason | None], ...] = (
        lambda: _residue(kept, test),
        lambda: _marks(kept, species),
        lambda: _age(kept, house),
        lambda: _heat(kept),
        lambda: _frozen(kept, house),
        lambda: _souring(kept, test, species, house),
        lambda: _sweet(test, species, house),
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


def _marks(kept: Keeping, species: Species) -> Reason | None:
    if kept.off_smell:
        return Reason("not for cheese", "It smells off: stop, and do not taste on.")
    if kept.colostrum_or_sick:
        days = "seven" if species in ("goat", "sheep") else "five"
        return Reason(
            "not for cheese",
            f"Within {days} days after birth, or clots, blood or a salty taste: not for cheese.",
        )
    return None


def _heat(kept: Keeping) -> Reason | None:
    if kept.treatment in NO_SET:
        what = {
            "boiled": "Boiled",
            "tinned": "Tinned (sterilised; never the sweetened kind)",
        }.get(kept.treatment, "Ultra-heated")
        return Reason(
            "not for rennet cheese",
            f"{what} milk will not set with rennet and no culture mends it. Acid and heat work: a "
            "fine, soft curd and a lower yield.",
        )
    if kept.treatment == "scalded":
        return Reason(
            "fit with a caution",
            "Scalded milk sets late and soft: set a cup of it with rennet first.",
        )
    if kept.treatment == "high_pressure":
        return Reason(
            "fit with a caution",
            "High-pressure treated: set a cup of it first. It counts as raw unless its label "
            "proves otherwise.",
        )
    return None


def _frozen(kept: Keeping, house: House) -> Reason | None:
    months = f"Frozen {kept.frozen_months:.0f} months"
    if kept.frozen_months > house.number("fitness.frozen_stop_months"):
        words = f"{months}: its casein has come apart, it sets badly. Acid and heat work."
        return Reason("not for rennet cheese", words)
    if kept.frozen_months > house.number("fitness.frozen_caution_months"):
        return Reason("fit with a caution", f"{months}: a softer set, and smell it for rancidity.")
    return None


def _souring(kept: Keeping, test: MilkTest, species: Species, house: House) -> Reason | None:
    limit, least = (house.number(f"fitness.{key}_{species}") for key in ("souring", "sour"))
    if test.ph is None or test.ph >= limit:
        return None
    if test.ph < least and kept.treatment in RAW_CLASS:
        words = f"pH {test.ph:g} is under {least:g}: this raw milk has soured. {DISCARD}"
        return Reason("not for cheese", words)
    return Reason(
        "fit with a caution",
        f"pH {test.ph:g} is under {limit:g}: already souring. Use it at once for a make that "
        "wants acid, or not at all.",
    )


def _sweet(test: MilkTest, species: Species, house: House) -> Reason | None:
    most = house.number(f"fitness.sweet_{species}")
    if test.ph is None or test.ph <= most:
        return None
    return Reason(
        "fit with a caution",
        f"pH {test.ph:g} is over {most:g}: mastitis, late milk, a residue or cleaning agent, or a "
        "meter out of true. Look before you dose by it.",
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
    limit, most = house.number(f"fitness.plates_{species}"), house.number("fitness.plates_most")
    found, raw = test.plates_per_ml, kept.treatment in RAW_CLASS
    if found is None or found <= limit or (species != "cow" and not raw):
        return None
    if found > most and raw:
        words = f"A plate count of {_count(found)} per mL, over {_count(most)}: not for raw cheese."
        return Reason("not for cheese", words)
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
    """Hours from which age asks for a caution and for a stop, how the milk was kept, and until
    when milk that was cold all along may still be boiled for an acid curd."""

    caution: float
    stop: float
    where: str
    boil: float = 0.0


def _limits(kept: Keeping, house: House) -> _Limits | None:
    if kept.treatment in ("ultra_heated", "tinned") or kept.in_freezer:
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
            past = 24 * house.number("fitness.boil_past_d") if kept.holding == "cold" else 0.0
            return _Limits(ends - 24, ends, "old, past its best-before", ends + past)
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
        house.number("fitness.cold_caution_h"),
        house.number("fitness.cold_stop_h"),
        "cold",
        house.number("fitness.cold_boil_h"),
    )


def _age(kept: Keeping, house: House) -> Reason | None:
    limits = _limits(kept, house)
    if limits is None:
        return None
    age = f"{kept.hours:.0f} h" if kept.hours < _IN_DAYS_FROM_H else f"{kept.hours / 24:.0f} days"
    if kept.hours > max(limits.stop, limits.boil):
        return Reason("not for cheese", f"{age} {limits.where}: too old for cheese. {DISCARD}")
    if kept.hours > limits.stop:
        sweet = "" if kept.treatment in RAW_CLASS else " If it smells sweet:"
        words = f"{age} {limits.where}: too old for other cheese.{sweet} {_BOIL}"
        return Reason("boiled acid-and-heat only", words)
    if kept.hours > limits.caution:
        last = kept.treatment not in RAW_CLASS and kept.best_before_h is not None
        where = "old, on its last day" if last else limits.where
        return Reason("fit with a caution", f"{age} {where}: use it today.")
    return None


def _turn(kept: Keeping, verdict: Verdict, house: House) -> Turn | None:
    limits = _limits(kept, house)
    if limits is None or verdict == "not for cheese":
        return None
    if kept.hours <= limits.caution < limits.stop and verdict == "fit":
        return Turn(limits.caution - kept.hours, "fit with a caution")
    if kept.hours <= limits.stop < limits.boil:
        return Turn(limits.stop - kept.hours, "boiled acid-and-heat only")
    return Turn(max(limits.stop, limits.boil) - kept.hours, "not for cheese")
