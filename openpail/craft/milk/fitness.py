"""What a lot of milk is fit for, from its age, warmth, treatment and marks; and for how long."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from typing import Literal, NamedTuple, get_args

from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.marks import Mark, MarkKey
from openpail.craft.milk.acidity import convert
from openpail.craft.milk.kinds import NO_SET, RAW_CLASS, MilkKind, MilkTest, Species, Treatment
from openpail.craft.units import so_large

_IN_DAYS_FROM_H = 48
_TOO_YOUNG_TO_SOUR_H = 3.0
_AS_COLD_C = 1.0  # a freezer of -17 counts as one of -18

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
_FEED = "Whether it may be fed is your local kitchen and dairy waste rule."
_BOIL = f"Cold all along, it may be boiled today for a fresh acid curd. {_FEED}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Keeping:
    """How a lot was kept and what was marked.

    hours since milking, purchase or thawing; best_before_h, hours left until the end of its
    best-before day (under 0: past it), None without one; in_freezer, not thawed yet;
    frozen_months, how long it was, and how cold, °C, None where nobody knows; raw_hours, of those
    hours the ones before it was heated here, None for milk that was not; kind: whey is judged as
    whey, its hours since it ran off.
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
    freezer_c: float | None = None
    raw_hours: float | None = None
    kind: MilkKind = "milk"


@dataclass(frozen=True, slots=True)
class Reason:
    """Why a lot is less than fit, and the verdict that this alone gives.

    hard: a bar, that no words lift: residue, withdrawal, colostrum, what is to be discarded;
    heat_ends: it is of living germs in milk that was kept cold, and a pasteurising ends it; mark:
    what stays of it on all that is made of such milk all the same, None for nothing; is_odd: no
    milk is as it comes that way, so that nobody pours it unasked to other milk.
    """

    verdict: Verdict
    words: str
    hard: bool = False
    heat_ends: bool = False
    mark: MarkKey | None = None
    is_odd: bool = False


class Turn(NamedTuple):
    """When the age clock turns next: hours from now, and what the milk is then."""

    in_hours: float
    verdict: Verdict


@dataclass(frozen=True, slots=True)
class Fitness:
    """The verdict over all reasons, worst first; `turn` is None when age changes nothing more; how
    many hours more its age lets it into a cheese, or into a boiled acid curd, None for no end."""

    verdict: Verdict
    reasons: tuple[Reason, ...]
    turn: Turn | None = None
    lasts_h: float | None = None
    boils_h: float | None = None


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
        lambda: _residue(test),
        lambda: _withdrawal(kept),
        lambda: _smell(kept),
        lambda: _colostrum(kept, species),
        lambda: _heat(kept),
        lambda: _frozen(kept, house),
        lambda: _souring(kept, test, species, house),
        lambda: _sweet(kept, test, species, house),
        lambda: _acidity(kept, test, species, house),
        lambda: _cells(test, species, house),
        lambda: _plates(kept, test, species, house),
        lambda: _watered(added_water, house),
    )
    found = [reason for rule in rules if (reason := rule())]
    reasons = sorted(
        (*_ages(kept, house), *found),
        key=lambda reason: -_ORDER.index(reason.verdict),
    )
    verdict = reasons[0].verdict if reasons else "fit"
    limits = _limits(_since_its_heat(kept), house)
    hours = _since_its_heat(kept).hours
    lasts = max(0.0, limits.stop - hours) if limits else None
    boils = max(0.0, max(limits.stop, limits.boil) - hours) if limits else None
    return Fitness(verdict, tuple(reasons), _turn(kept, verdict, house), lasts, boils)


def is_plain(fitness: Fitness) -> bool:
    """Whether milk may be poured to other milk without anybody's asking: fit, and nothing odd.

    Parameters: fitness. Source: our own judgement.
    """
    fit = fitness.verdict in ("fit", "fit with a caution")
    return fit and not any(reason.is_odd for reason in fitness.reasons)


def inheriting(fitness: Fitness, marks: Iterable[Mark]) -> Fitness:
    """What a lot is fit for that was part of other milk, or ran off a make: what stays of those
    stays on it.

    Parameters: fitness, by what is known of itself; marks, of what it came of.
    Source: handbook of milk: a verdict follows the milk, not its name.
    """
    own = {reason.mark for reason in fitness.reasons}
    more = tuple(
        Reason("not for cheese", each.said, hard=each.sort.is_bar, mark=each.key)
        for each in marks
        if each.key not in (*own, "raw-soft")
    )
    if not more:
        return fitness
    return Fitness("not for cheese", (*more, *fitness.reasons))


def _residue(test: MilkTest) -> Reason | None:
    if not test.residue_found:
        return None
    words = "The residue test is positive: no cheese, and no animals fed from it without advice."
    return Reason("not for cheese", words, hard=True, mark="residue")


def _withdrawal(kept: Keeping) -> Reason | None:
    if not kept.withdrawal:
        return None
    words = "The animal is on withdrawal: no cheese, and no animals fed from it without advice."
    return Reason("not for cheese", words, hard=True, mark="withdrawal")


def _smell(kept: Keeping) -> Reason | None:
    if not kept.off_smell:
        return None
    words = "It smells off: stop, and do not taste on."
    return Reason("not for cheese", words, mark="off-smell")


def _colostrum(kept: Keeping, species: Species) -> Reason | None:
    if not kept.colostrum_or_sick:
        return None
    days = "seven" if species in ("goat", "sheep") else "five"
    return Reason(
        "not for cheese",
        f"Within {days} days after birth, or clots, blood or a salty taste: not for cheese.",
        hard=True,
        mark="colostrum",
    )


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
    if not kept.frozen_months:
        return None
    caution, stop, how = _freezes(kept.freezer_c, house)
    months = f"Frozen {max(1, round(kept.frozen_months))} months{how}"
    if kept.frozen_months > stop:
        words = f"{months}: its casein has come apart, it sets badly. Acid and heat work."
        return Reason("not for rennet cheese", words)
    if kept.frozen_months > caution:
        words = f"{months}: a softer set. Try a litre first, and smell it for rancidity."
        return Reason("fit with a caution", words)
    return None


def _freezes(celsius: float | None, house: House) -> tuple[float, float, str]:
    """Months in a freezer from which on milk wants a look, and is no rennet cheese any more; how
    cold that was, in words, where it moves them. Slow, warm freezing breaks casein."""
    cold, deep = house.number("fitness.freezer_c"), house.number("fitness.freezer_deep_c")
    if celsius is not None and celsius <= deep:
        caution, stop = (
            house.number(f"fitness.frozen_deep_{k}_months") for k in ("caution", "stop")
        )
        return caution, stop, ""
    if celsius is not None and celsius <= cold + _AS_COLD_C:
        caution = house.number("fitness.frozen_caution_months")
        return caution, house.number("fitness.frozen_stop_months"), ""
    how = "warmer than −18 °C" if celsius is not None else "nobody knows how cold"
    return 0.0, house.number("fitness.frozen_box_months"), f", {how}"


def _sour_whey(test: MilkTest, house: House) -> Reason | None:
    """Whey is as sour as its cheese made it."""
    sweet, least = house.number("whey.sweet_ph"), house.number("whey.least_ph")
    if test.ph is None or test.ph >= sweet:
        return None
    if test.ph < least:
        words = f"pH {test.ph:g} is under {least:g}: sandy, and little of it. Not for whey cheese."
        return Reason("not for cheese", words)
    words = f"pH {test.ph:g} is under {sweet:g}: less curd comes, and a grittier one."
    return Reason("fit with a caution", words)


def _souring(kept: Keeping, test: MilkTest, species: Species, house: House) -> Reason | None:
    if kept.kind == "whey":
        return _sour_whey(test, house)
    limit, least = (house.number(f"fitness.{key}_{species}") for key in ("souring", "sour"))
    if test.ph is None or test.ph >= limit:
        return None
    if test.ph < least:
        return _discarded(f"pH {test.ph:g} is under {least:g}: this milk has soured.")
    under = f"pH {test.ph:g} is under {limit:g}"
    if kept.treatment not in RAW_CLASS:
        words = f"{under}: already souring. Use it at once for a make that wants acid."
        return Reason("fit with a caution", words, is_odd=True)
    again = "Measure a second sample, with fresh buffers, at 20 to 25 °C."
    if (kept.hours if kept.raw_hours is None else kept.raw_hours) < _TOO_YOUNG_TO_SOUR_H:
        again += " Milk so young and so sour means the meter, colostrum or the pail."
    if kept.holding in ("cold", "cool"):
        words = "If it stands: no raw cheese and no fresh or soft one; boiled, an acid curd today."
        said = f"{under}: it soured by itself. {again} {words}"
        return Reason("boiled acid-and-heat only", said, mark="soured")
    words = f"{under}: it soured by itself, and was not cold. {again} If it stands: no cheese."
    return Reason("not for cheese", words, mark="soured")


def _discarded(why: str) -> Reason:
    """What is to be thrown away: the words and the bar come together."""
    return Reason("not for cheese", f"{why} {DISCARD}", hard=True, mark="discard")


def _sweet(kept: Keeping, test: MilkTest, species: Species, house: House) -> Reason | None:
    most = house.number(f"fitness.sweet_{species}")
    if test.ph is None or test.ph <= most or kept.kind == "whey":
        return None
    return Reason(
        "fit with a caution",
        f"pH {test.ph:g} is over {most:g}: mastitis, late milk, a residue or cleaning agent, or a "
        "meter out of true. Look before you dose by it.",
        is_odd=True,
    )


def _acidity(kept: Keeping, test: MilkTest, species: Species, house: House) -> Reason | None:
    limit = house.number(f"fitness.acidity_{species}")
    if test.acidity_pct is None or kept.kind == "whey":
        return None
    dornic = convert(test.acidity_pct, "pct_la", "degD")
    if dornic <= limit:
        return None
    return Reason(
        "fit with a caution",
        f"{dornic:.0f} °D is over the {limit:.0f} °D of fresh milk: already souring. Use it at "
        "once for a make that wants acid, or not at all.",
        is_odd=True,
    )


def _cells(test: MilkTest, species: Species, house: House) -> Reason | None:
    limit = house.number(f"fitness.cells_{species}")
    if test.cells_per_ml is None or test.cells_per_ml <= limit:
        return None
    late = " Late-season goats run high." if species == "goat" else ""
    words = (
        f"{so_large(test.cells_per_ml)} cells per mL, over {so_large(limit)}: inflamed udders."
        f"{late} Less curd, a bitter cheese, and more germs: none for a soft raw cheese."
    )
    return Reason("fit with a caution", words)


def _plates(kept: Keeping, test: MilkTest, species: Species, house: House) -> Reason | None:
    limit, most = house.number(f"fitness.plates_{species}"), house.number("fitness.plates_most")
    of_heated = "cow" if species == "cow" else "other"
    to_be_heated = house.number(f"fitness.plates_heated_{of_heated}")
    found, raw = test.plates_per_ml, kept.treatment in RAW_CLASS
    if found is None or found <= (limit if raw else to_be_heated):
        return None
    ends = found <= to_be_heated
    if found > most:
        why = "not for raw cheese" if raw else "heat kills the germs, and not what they left"
        words = f"A plate count of {so_large(found)} per mL, over {so_large(most)}: {why}."
        return Reason("not for cheese", words, heat_ends=ends, mark="plates")
    words = (
        f"A plate count of {so_large(found)} per mL, over {so_large(limit)}: look at the milking."
    )
    return Reason("fit with a caution", words, heat_ends=ends)


def _watered(added: Figure | None, house: House) -> Reason | None:
    if added is None or added.value <= house.number("fitness.added_water"):
        return None
    return Reason(
        "fit with a caution",
        f"About {added.value:.0f} % water was added, by its freezing point. Ask whether the "
        "slip says °C or °H; look at the rinse water.",
        is_odd=True,
    )


class _Limits(NamedTuple):
    """Hours from which age asks for a caution and for a stop, how the milk was kept, until when
    milk that was cold all along may still be boiled for an acid curd, and until when milk that is
    past its stop is only not for a raw cheese."""

    caution: float
    stop: float
    where: str
    boil: float = 0.0
    heated: float = 0.0


def _limits(kept: Keeping, house: House) -> _Limits | None:
    if kept.treatment in ("ultra_heated", "tinned") or kept.in_freezer:
        return None
    if kept.kind == "whey":
        is_cold = kept.holding == "cold"
        stop = house.number("whey.cold_h" if is_cold else "whey.warm_h")
        return _Limits(stop, stop, "cold" if is_cold else "warm, since it ran off")
    if kept.holding == "warm":
        return _Limits(
            house.number("fitness.warm_caution_h"),
            house.number("fitness.warm_stop_h"),
            "warm, over 15 °C",
        )
    most = house.number("fitness.cellar_most_h")
    if kept.treatment not in RAW_CLASS and kept.holding == "cellar":
        return _Limits(most, most, "at 8 to 15 °C")
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
        return _Limits(stop, stop, "at 8 to 15 °C", heated=most)
    if kept.holding == "cool":
        same_day = house.number("fitness.cool_same_day_h")
        stop = max(stop, same_day)
        return _Limits(stop, stop, "at 6 to 8 °C", heated=house.number("fitness.cold_stop_h"))
    return _Limits(
        house.number("fitness.cold_caution_h"),
        house.number("fitness.cold_stop_h"),
        "cold",
        house.number("fitness.cold_boil_h"),
    )


def _ages(kept: Keeping, house: House) -> Iterator[Reason]:
    """What its age says; of milk that was heated here also what its hours before that say, as far
    as heat does not end it."""
    if kept.raw_hours is None:
        found = _age(kept, house)
        if found:
            yield found
        return
    raw = replace(kept, hours=kept.raw_hours, treatment="raw", best_before_h=None, raw_hours=None)
    before, since = _age(raw, house), _age(_since_its_heat(kept), house)
    if before and not before.heat_ends:
        yield before
    if since:
        yield since


def _since_its_heat(kept: Keeping) -> Keeping:
    """Milk that was heated here begins its age anew; it stands cold from then on."""
    if kept.raw_hours is None:
        return kept
    return replace(kept, hours=kept.hours - kept.raw_hours, holding="cold", raw_hours=None)


def _age(kept: Keeping, house: House) -> Reason | None:
    limits = _limits(kept, house)
    if limits is None:
        return None
    age = f"{kept.hours:.0f} h" if kept.hours < _IN_DAYS_FROM_H else f"{kept.hours / 24:.0f} days"
    if kept.hours > limits.stop and kept.kind == "whey":
        if kept.holding != "cold" and kept.hours > house.number("fitness.warm_stop_h"):
            return _discarded(f"{age} {limits.where}: too old for whey cheese.")
        words = f"{age} {limits.where}: too old for whey cheese. {_FEED}"
        return Reason("not for cheese", words, mark="old")
    if kept.hours > max(limits.stop, limits.boil, limits.heated):
        if kept.holding in ("warm", "cellar"):
            return _discarded(f"{age} {limits.where}: too old for cheese.")
        words = f"{age} {limits.where}: too old for cheese. {_FEED}"
        return Reason("not for cheese", words, mark="old")
    if kept.hours > limits.stop and limits.heated:
        words = f"{age} {limits.where}: too old for a raw cheese. Pasteurised at once it may do."
        return Reason("not for cheese", words, heat_ends=True, mark="old")
    if kept.hours > limits.stop:
        sweet = "" if kept.treatment in RAW_CLASS else " If it smells sweet:"
        words = f"{age} {limits.where}: too old for other cheese.{sweet} {_BOIL}"
        return Reason("boiled acid-and-heat only", words, mark="old")
    if kept.hours > limits.caution:
        last = kept.treatment not in RAW_CLASS and kept.best_before_h is not None
        where = "old, on its last day" if last else limits.where
        is_cold = kept.holding != "warm"
        return Reason("fit with a caution", f"{age} {where}: use it today.", heat_ends=is_cold)
    return None


def _turn(kept: Keeping, verdict: Verdict, house: House) -> Turn | None:
    kept = _since_its_heat(kept)
    limits = _limits(kept, house)
    if limits is None or verdict == "not for cheese":
        return None
    if kept.hours <= limits.caution < limits.stop and verdict == "fit":
        return Turn(limits.caution - kept.hours, "fit with a caution")
    if kept.hours <= limits.stop < limits.boil:
        return Turn(limits.stop - kept.hours, "boiled acid-and-heat only")
    return Turn(max(limits.stop, limits.boil) - kept.hours, "not for cheese")
