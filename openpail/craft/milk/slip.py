"""From a test slip to what the milk is made of.

For each part the best word at hand speaks: measured, else worked out from what was measured,
else the herd's own mean, else the species table. Every figure says which it was.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache
from math import hypot
from typing import NamedTuple

from openpail.craft.errors import Contradictory, OutOfRange
from openpail.craft.figure import Figure, Step, replay
from openpail.craft.house import House, along
from openpail.craft.milk.acidity import ph_at_25
from openpail.craft.milk.animals import casein_lost, cells_doubled
from openpail.craft.milk.density import brought_to_20, lactometer, solids_not_fat
from openpail.craft.milk.kinds import (
    BREEDS,
    DRY,
    Breed,
    Composition,
    MilkTest,
    species_of,
)

_OFF_PCT = 0.5  # solids and their parts agree within a rounding of each
_DENSITY_C = 20.0
_PH_C = (20.0, 25.0)  # a pH of a sample as warm is taken as it is


class HerdMean(NamedTuple):
    """A herd's own running mean of one part, its spread, and of how many tests.

    Of whey it is what its make left in it: a mean of no tests.
    """

    value: float
    sd: float
    tests: int


Herd = Mapping[str, HerdMean]
NO_HERD: Herd = {}

_MOST_WATER = 50.0
_MOST_DRY = 97.0
_LIMITS = (
    ("Fat", "fat_pct", 0.0, 60.0, " %"),
    ("Protein", "protein_pct", 0.5, 12.0, " %"),
    ("Casein", "casein_pct", 0.3, 10.0, " %"),
    ("Lactose", "lactose_pct", 0.0, 7.0, " %"),
    ("Solids not fat", "snf_pct", 4.0, 20.0, " %"),
    ("Total solids", "total_solids_pct", 5.0, 70.0, " %"),
    ("Density", "density_g_ml", 0.9, 1.08, " g/mL"),
    ("pH", "ph", 4.0, 8.0, ""),
    ("Freezing point", "freezing_point_c", -0.8, -0.2, " °C"),
    ("Acidity", "acidity_pct", 0.02, 1.5, " % lactic acid"),
    ("Cells per mL", "cells_per_ml", 0.0, 5e7, ""),
    ("Plate count per mL", "plates_per_ml", 0.0, 1e10, ""),
)


def check_test(test: MilkTest, kind: str = "milk") -> None:
    """Refuse a slip with parts outside what any milk has, or that contradict each other.

    Parameters: test; kind, "milk" or one of `STREAMS`, whose parts only lie within 0–100 %.

    Raises: OutOfRange, Contradictory. Source: our own judgement, wide of all published surveys.
    """
    for words, part, least, most, unit in _LIMITS:
        value = getattr(test, part)
        low, high = (0.0, 100.0) if kind in STREAMS and unit == " %" else (least, most)
        if value is not None and not low <= value <= high:
            raise OutOfRange(
                f"{words} {value:g}{unit} is outside {low:g} to {high:g}{unit}: look at the slip.",
                part,
            )
    if test.lactometer is not None and test.lactometer_c is None:
        raise OutOfRange("Write at how many degrees the lactometer was read.", "lactometer_c")
    _check_sums(test)


def _check_sums(test: MilkTest) -> None:
    casein, protein = test.casein_pct, test.protein_pct
    if casein and protein and casein > protein:
        raise Contradictory(
            f"Casein {casein:g} % is more than the protein, {protein:g} %.", "casein_pct"
        )
    fat, snf, total = test.fat_pct, test.snf_pct, test.total_solids_pct
    if fat is not None and snf and total and abs(fat + snf - total) > _OFF_PCT:
        raise Contradictory(
            f"Fat {fat:g} % and {snf:g} % other solids make {fat + snf:.2f} %, not the "
            f"{total:g} % total solids: look at the slip.",
            "total_solids_pct",
        )
    if total and fat is not None and fat >= total:
        raise Contradictory(f"Fat {fat:g} % leaves nothing of {total:g} % solids.", "fat_pct")
    if snf and protein and protein >= snf:
        raise Contradictory(
            f"Protein {protein:g} % is more than all solids not fat, {snf:g} %.", "snf_pct"
        )


_LABEL_G_PER_ML = 1.03


def of_label(test: MilkTest) -> MilkTest:
    """A label’s figures, g in 100 mL, as those of a slip, % by weight; its protein is crude.

    Parameters: test, with the figures as the label has them. Source: milk of 1.03 g/mL; labels
    count protein by its nitrogen.
    """

    def by_weight(value: float | None) -> float | None:
        return None if value is None else value / _LABEL_G_PER_ML

    return replace(
        test,
        fat_pct=by_weight(test.fat_pct),
        protein_pct=by_weight(test.protein_pct),
        protein_kind="crude" if test.protein_pct is not None else test.protein_kind,
        lactose_pct=by_weight(test.lactose_pct),
    )


STREAMS: Mapping[str, str] = {
    "cream": "cream",
    "skim": "skim milk",
    "powder": "skim-milk powder",
    "concentrate": "milk protein concentrate",
    "casein": "micellar casein powder",
    "retentate": "ultrafiltered retentate",
    "evaporated": "evaporated milk",
    "whey": "whey",
}


MOST_CREAM = 0.3  # of a milk, that a hand takes off


class Skimmed(NamedTuple):
    """Cream taken off by hand: what share of the milk it was, 0 where nobody measured; whether the
    fat was tested before that."""

    share: float
    tested_before: bool = False


class _Of(NamedTuple):
    """Whose slip it is, and where to look for what the slip does not say."""

    breed: Breed
    house: House
    herd: Herd
    kind: str
    stage: str = ""
    pure: float = 1.0  # the milk in a watered milk
    skimmed: Skimmed | None = None

    @property
    def table(self) -> str:
        return f"stream.{self.kind}" if self.kind in STREAMS else f"milk.{self.breed}"

    @property
    def words(self) -> str:
        return STREAMS.get(self.kind) or BREEDS[self.breed].words


def composition(
    breed: Breed,
    test: MilkTest,
    house: House,
    *,
    herd: Herd = NO_HERD,
    kind: str = "milk",
    stage: str = "",
    skimmed: Skimmed | None = None,
) -> Composition:
    """What this milk is made of: measured beats worked out beats the herd beats the table.

    Parameters: breed; test, its slip; house, the values in force; herd, its own means; kind,
    "milk" or one of `STREAMS`; stage of the lactation, "late" or another; skimmed, by hand.
    Returns: fat, true protein, casein, solids (% w/w), pH at 25 °C, density if measured.
    Raises: OutOfRange, Contradictory for parts no milk has.
    Source: casein and non-protein nitrogen by the species table; solids by the lactometer,
    Richmond; by density, Fleischmann; else true protein + lactose + ash + 0.2, house value.
    """
    return _composition(
        breed,
        test,
        house,
        herd=tuple(herd.items()),
        kind=kind,
        stage=stage,
        skimmed=skimmed,
    )


# A page looks at the same slips many times; a composition never changes once made.
@lru_cache(maxsize=4096)
def _composition(
    breed: Breed,
    test: MilkTest,
    house: House,
    *,
    herd: tuple[tuple[str, HerdMean], ...],
    kind: str,
    stage: str,
    skimmed: Skimmed | None,
) -> Composition:
    check_test(test, kind)
    told = dict(herd) if kind in ("milk", "whey") or _is_of_its_own(herd) else NO_HERD
    of = _Of(breed, house, told, kind, stage, skimmed=skimmed)
    water = _added_water(of, test)
    if water and kind == "milk":
        of = of._replace(pure=1 - min(water.value, _MOST_WATER) / 100)
    fat = _fat(of, test)
    protein = _protein(of, test)
    casein = _casein(of, test, protein)
    lactose = _lactose(of, test)
    snf = _snf(of, test, fat, protein, lactose)
    total = fat.plus(
        "solids not fat", snf.value, "%", of=snf.because, about=snf.rests_on_assumed
    ).give_or_take(_both(fat, snf))
    if test.total_solids_pct is not None:
        total = _read("total solids, tested", test.total_solids_pct, "milk.test_protein_sd", house)
    return Composition(
        fat=fat,
        protein=protein,
        casein=casein,
        solids_not_fat=snf,
        ph=_ph(test, house),
        lactose=lactose,
        total_solids=total,
        density=_density(test),
        added_water=water,
    )


def _is_of_its_own(herd: tuple[tuple[str, HerdMean], ...]) -> bool:
    """Whether these are no means of tests, but what a lot was left with when it was parted."""
    return any(not mean.tests for _, mean in herd)


def _read(label: str, value: float, sd_key: str, house: House, unit: str = "%") -> Figure:
    return Figure.start(label, value, unit, "measured", sd=house.number(sd_key))


def _both(a: Figure, b: Figure) -> float:
    return hypot(a.sd or 0.0, b.sd or 0.0)


def _usual(of: _Of, part: str, sd: float) -> Figure:
    """The herd's own mean, or the species table; of a watered milk the milk in it."""
    usual = _untested(of, part, sd)
    if of.pure == 1:
        return usual
    less = (usual.sd or 0.0) * of.pure
    return usual.times("water was added to it", of.pure, source="derivation").give_or_take(less)


def _untested(of: _Of, part: str, sd: float) -> Figure:
    mean, house = of.herd.get(part), of.house
    if mean and not mean.tests:
        how = ", as cream by hand is" if of.kind == "cream" else " that its make left in it"
        label = f"{part}{how}"
        return Figure.start(label, mean.value, "%", "worked out", sd=mean.sd, rests_on_assumed=True)
    if mean:
        label = f"{part}, the herd’s mean of {mean.tests} tests"
        return Figure.start(label, mean.value, "%", "assumed", source="the herd", sd=mean.sd)
    key = f"{of.table}.{part}"
    return Figure.start(
        f"{part}, usual for {of.words}",
        house.number(key),
        "%",
        "assumed",
        source=house.source(key),
        house_key=key,
        sd=sd,
    )


def _fat(of: _Of, test: MilkTest) -> Figure:
    """Fat, %; of a milk whose cream was taken off by hand, what is left unless it was tested."""
    whole, skimmed = _whole_fat(of, test), of.skimmed
    if skimmed is None or (whole.known != "assumed" and not skimmed.tested_before):
        return whole
    return skimmed_fat(whole, skimmed.share, of.house)


def skimmed_fat(whole: Figure, share: float, house: House) -> Figure:
    """Fat left in a milk whose cream was taken off by hand, %.

    Parameters: whole, fat of the milk before, %; share of it that was taken off, 0 where nobody
    measured, to under 0.5; house. Source: mass balance; house values for the cream's fat.
    """
    if share <= 0:
        half = house.number("skim.left")
        sd = half * whole.value * house.number("skim.left_spread") / 2
        return whole.times(
            "skimmed by hand, nobody measured how far",
            half,
            source=house.source("skim.left"),
            house_key="skim.left",
            about=True,
        ).give_or_take(sd)
    cream = house.number("skim.cream_fat")
    words = f"{100 * share:.0f} % of it taken off as cream of {cream:g} % fat"
    left = whole.minus(
        words,
        share * cream,
        "%",
        source=house.source("skim.cream_fat"),
        house_key="skim.cream_fat",
        about=True,
    ).times("in what is left", 1 / (1 - share), source="mass balance")
    least = house.number("skim.least_fat")
    if left.value < least:
        left = left.then("at_least", "no hand skims further", least, "%")
    return left.give_or_take(hypot(whole.sd or 0.0, share * cream / 10))


def cream_by_hand(made_of: Composition, house: House) -> Mapping[str, float]:
    """What cream that was taken off by hand is made of, % by part.

    Parameters: made_of, the milk before; house. Source: the milk's serum is the cream's.
    """
    fat = house.number("skim.cream_fat")
    serum = (100 - fat) / (100 - made_of.fat.value)
    return {
        "fat": fat,
        "protein": made_of.protein.value * serum,
        "casein": made_of.casein.value * serum,
    }


def _whole_fat(of: _Of, test: MilkTest) -> Figure:
    house = of.house
    if test.fat_pct is not None:
        return _read("fat, tested", test.fat_pct, "milk.test_fat_sd", house)
    total, sd = test.total_solids_pct, house.number("milk.test_fat_sd")
    if total is not None and test.snf_pct is not None:
        figure = _read("total solids, tested", total, "milk.test_fat_sd", house)
        return figure.minus("solids not fat, tested", test.snf_pct, "%").give_or_take(1.4 * sd)
    if total is not None and test.lactometer is not None and test.lactometer_c is not None:
        read = lactometer(test.lactometer, test.lactometer_c, 0.0)
        words = f"by the lactometer, {read.corrected:.1f} at 15.5 °C"
        figure = _read("total solids, tested", total, "milk.test_fat_sd", house)
        return (
            figure.minus(words, read.total_solids_pct, "%", source="Richmond")
            .times("fat’s part in it", 1 / 1.2, source="Richmond")
            .give_or_take(house.number("milk.lactometer_sd"))
        )
    return _usual(of, "fat", house.number(f"{of.table}.fat_sd"))


def _protein(of: _Of, test: MilkTest) -> Figure:
    house = of.house
    sd = house.number("milk.test_protein_sd")
    if test.protein_pct is None and test.casein_pct is not None:
        key = f"milk.{of.breed}.casein_of_protein"
        figure = _read("casein, tested", test.casein_pct, "milk.test_protein_sd", house)
        return figure.times(
            "for casein’s share of true protein",
            1 / house.number(key),
            source=house.source(key),
            house_key=key,
        ).give_or_take(2 * sd)
    if test.protein_pct is None:
        return _usual(of, "protein", house.number(f"{of.table}.protein_sd"))
    if test.protein_kind == "true":
        return _read("true protein, tested", test.protein_pct, "milk.test_protein_sd", house)
    key = f"milk.{of.breed}.non_protein"
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


def _casein(of: _Of, test: MilkTest, protein: Figure) -> Figure:
    house = of.house
    key = f"milk.{of.breed}.casein_of_protein"
    share = Step(
        "start", "casein’s share of true protein", house.number(key), "", house.source(key), key
    )
    if test.casein_pct is not None:
        return _read("casein, tested", test.casein_pct, "milk.test_protein_sd", house)
    doubled = cells_doubled(test.cells_per_ml, species_of(of.breed), house)
    lost = casein_lost(of.stage, doubled, house) if of.kind == "milk" else ()
    left = replay((share, *lost))
    if test.protein_pct is None:
        usual = _usual(of, "casein", (protein.sd or 0.0) * left)
        if not lost:
            return usual
        words = "less of the protein is casein"
        return usual.times(words, left / share.value, of=(share, *lost)).give_or_take(usual.sd)
    figure = protein.times(
        share.label,
        left,
        source=share.source,
        house_key="" if lost else key,
        of=(share, *lost) if lost else (),
    )
    return figure.give_or_take((protein.sd or 0.0) * left)


def _lactose(of: _Of, test: MilkTest) -> Figure:
    house = of.house
    if test.lactose_pct is not None:
        return _read("lactose, tested", test.lactose_pct, "milk.test_protein_sd", house)
    if of.kind == "concentrate" and test.protein_pct is not None:
        key = "stream.concentrate.lactose_by_protein"
        usual = along(house.curve(key), test.protein_pct)
        words = f"lactose, usual with {test.protein_pct:g} % protein"
        return Figure.start(
            words, usual, "%", "assumed", source=house.source(key), house_key=key, sd=2.0
        )
    return _usual(of, "lactose", house.number("milk.lactose_sd"))


def _snf(of: _Of, test: MilkTest, fat: Figure, protein: Figure, lactose: Figure) -> Figure:
    house = of.house
    if test.snf_pct is not None:
        return _read("solids not fat, tested", test.snf_pct, "milk.test_protein_sd", house)
    if test.fat_pct is not None:
        for worked in (_snf_of_total, _snf_of_lactometer, _snf_of_density):
            found = worked(of, test, fat)
            if found:
                return found
    figure = protein.plus(
        "lactose", lactose.value, "%", of=lactose.because, about=lactose.rests_on_assumed
    )
    for part, key in (("ash", f"{of.table}.ash"), ("other solids", "milk.other_solids")):
        value = house.number(key) * of.pure
        figure = figure.plus(part, value, "%", source=house.source(key), house_key=key, about=True)
    most = _MOST_DRY - fat.value
    if of.kind in DRY and figure.value > most:
        figure = figure.then("at_most", "a powder holds some water too", most, "%")
    return figure.give_or_take(_both(protein, lactose))


def _snf_of_total(of: _Of, test: MilkTest, fat: Figure) -> Figure | None:
    house = of.house
    if test.total_solids_pct is None:
        return None
    figure = _read("total solids, tested", test.total_solids_pct, "milk.test_protein_sd", house)
    return figure.minus("fat, tested", fat.value, "%").give_or_take(fat.sd)


def _snf_of_lactometer(of: _Of, test: MilkTest, fat: Figure) -> Figure | None:
    house = of.house
    if test.lactometer is None or test.lactometer_c is None:
        return None
    read = lactometer(test.lactometer, test.lactometer_c, fat.value)
    cow = species_of(of.breed) == "cow"
    label = "lactometer at 15.5 °C" if cow else "lactometer at 15.5 °C; an estimate but for cows"
    return (
        Figure.start(label, read.corrected, "°Q", "measured", rests_on_assumed=not cow)
        .times("solids in it", 0.25, source="Richmond", into="%")
        .plus("the fat’s part", 0.2 * fat.value + 0.14, "%", source="Richmond")
        .give_or_take(house.number("milk.lactometer_sd") * (1 if cow else 2))
    )


def _snf_of_density(of: _Of, test: MilkTest, fat: Figure) -> Figure | None:
    house = of.house
    density = _density(test)
    if density is None:
        return None
    found = solids_not_fat(fat.value, density.value)
    return density.times(
        f"solids not fat with {fat.value:.2f} % fat, for each g/mL",
        found / density.value,
        source="Fleischmann",
        into="%",
    ).give_or_take(house.number("milk.lactometer_sd"))


def _density(test: MilkTest) -> Figure | None:
    if test.density_g_ml is None:
        return None
    figure = Figure.start("density, measured", test.density_g_ml, "g/mL", "measured", sd=0.0005)
    if test.density_c is None or test.density_c == _DENSITY_C:
        return figure
    at_20 = brought_to_20(test.density_g_ml, test.density_c)
    return figure.times(
        f"from {test.density_c:g} °C to 20 °C", at_20 / test.density_g_ml, source="Short 1955"
    ).give_or_take(0.0005)


def _ph(test: MilkTest, house: House) -> Figure | None:
    if test.ph is None:
        return None
    sd = house.number("milk.ph_sd")
    figure = Figure.start("pH as read", test.ph, "pH", "measured", sd=sd)
    if test.ph_sample_c is None or _PH_C[0] <= test.ph_sample_c <= _PH_C[1]:
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


def added_water_pct(freezing_point_c: float, base_c: float) -> float:
    """Water added to a milk, % of it, from its freezing point; under 0 when none was.

    Parameters: freezing_point_c, °C under 0; base_c, how far under 0 the pure milk freezes.
    Source: freezing-point depression is in proportion to what is dissolved; derivation.
    """
    return 100 * (base_c - abs(freezing_point_c)) / base_c


def _added_water(of: _Of, test: MilkTest) -> Figure | None:
    house = of.house
    if test.freezing_point_c is None:
        return None
    own, key = of.herd.get("freezing_point"), f"milk.freezing_{species_of(of.breed)}"
    base = -own.value if own else house.number(key)
    found = added_water_pct(test.freezing_point_c, base)
    whose = f"the herd’s own {base:.3f}" if own else f"the usual {base:.3f}"
    depression = abs(test.freezing_point_c)
    return (
        Figure.start("freezes under 0 °C by", depression, "°C", "measured")
        .times(
            f"against {whose}, %",
            100 / base,
            into="%",
            source="the herd" if own else house.source(key),
            house_key="" if own else key,
        )
        .minus("all of it", 100.0, "%")
        .times("what is missing", -1.0)
        .then("at_least", "none was added", 0.0, "%")
        .give_or_take(100 * 0.004 / base)
        if found > 0
        else Figure.start("freezes as pure milk does: none", 0.0, "%", "measured")
    )


# On °H (Hortvet) slips: °C = 0.96231 °H − 0.00240
_HORTVET_SLOPE, _HORTVET_SHIFT = 0.96231, 0.00240


def from_hortvet(degrees_h: float) -> float:
    """A freezing point in °H, in °C.

    Parameters: degrees_h, as the slip gives it. Source: IDF 108, °C = 0.96231 °H − 0.00240.
    """
    return _HORTVET_SLOPE * degrees_h - _HORTVET_SHIFT


def freezing_point(read: float, in_hortvet: bool) -> float:
    """A freezing point as a slip gives it, in °C under 0.

    Parameters: read, with or without its minus; in_hortvet, °H instead of °C.
    Source: derivation; IDF 108.
    """
    below = -abs(read)
    return from_hortvet(below) if in_hortvet else below
