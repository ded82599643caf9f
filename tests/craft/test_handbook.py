"""The shipped house values against the published figures, typed here a second time by hand."""

import pytest

from openpail.craft.doses.acid import ACIDS
from openpail.craft.house import House, shipped
from openpail.craft.milk.kinds import BREEDS
from openpail.craft.stock.products import ANHYDROUS_FRACTION
from openpail.craft.units import UNITS, convert

HOUSE = House()

# fat ± sd, true protein ± sd, casein, lactose, ash, pH, casein of true protein, non-protein
ANIMALS = {
    "cow_lowland": (4.0, 0.5, 3.3, 0.25, 2.7, 4.7, 0.72, 6.65, 0.82, 0.19),
    "cow_high_solids": (5.0, 0.6, 3.8, 0.3, 3.1, 4.8, 0.75, 6.65, 0.82, 0.19),
    "goat": (3.8, 0.6, 3.1, 0.3, 2.5, 4.4, 0.80, 6.60, 0.80, 0.27),
    "goat_dwarf": (6.2, 0.8, 4.3, 0.4, 3.4, 4.5, 0.80, 6.60, 0.80, 0.27),
    "sheep": (7.0, 0.9, 5.5, 0.5, 4.45, 4.8, 0.92, 6.60, 0.81, 0.28),
    "buffalo": (7.6, 0.9, 4.4, 0.35, 3.65, 4.9, 0.80, 6.70, 0.83, 0.20),
}
PARTS = (
    "fat",
    "fat_sd",
    "protein",
    "protein_sd",
    "casein",
    "lactose",
    "ash",
    "ph",
    "casein_of_protein",
    "non_protein",
)
NUMBERS = {
    "milk.other_solids": 0.2,
    "milk.ph_per_degree": 0.01,
    "vat.head_room": 0.85,
    "heat.plate": 0.65,
    "heat.gas": 0.40,
    "heat.immersed": 0.80,
    # when a milk is too old, too warm, too full of cells
    "fitness.cold_caution_h": 48,
    "fitness.cold_caution_soft_h": 24,
    "fitness.cold_stop_h": 96,
    "fitness.cellar_stop_h": 12,
    "fitness.warm_caution_h": 4,
    "fitness.warm_stop_h": 6,
    "fitness.heated_caution_d": 4,
    "fitness.heated_stop_d": 7,
    "fitness.cells_cow": 400_000,
    "fitness.cells_buffalo": 400_000,
    "fitness.cells_sheep": 1_000_000,
    "fitness.cells_goat": 1_500_000,
    "fitness.plates_cow": 100_000,
    "fitness.plates_goat": 500_000,
    "fitness.plates_sheep": 500_000,
    "fitness.plates_buffalo": 500_000,
    "fitness.souring_cow": 6.5,
    "fitness.souring_goat": 6.4,
    "fitness.souring_sheep": 6.4,
    "fitness.souring_buffalo": 6.55,
    "fitness.added_water": 3,
    "fitness.acidity_cow": 18,
    "fitness.acidity_goat": 17,
    "fitness.acidity_sheep": 25,
    "fitness.acidity_buffalo": 19,
    "milk.freezing_cow": 0.522,
    "milk.freezing_buffalo": 0.522,
    "milk.freezing_goat": 0.550,
    "milk.freezing_sheep": 0.570,
    "milk.herd_least": 5,
    # calcium chloride, g anhydrous per kg
    "calcium.raw": 0,
    "calcium.raw_chilled": 0.04,
    "calcium.thermised": 0.04,
    "calcium.batch": 0.10,
    "calcium.flash": 0.10,
    "calcium.high_heat": 0.15,
    "calcium.high_pressure": 0.05,
    "calcium.homogenised": 0.03,
    "calcium.frozen": 0.04,
    "calcium.low_casein": 0.03,
    "calcium.low_casein_from": 2.6,
    "calcium.low_casein_span": 0.4,
    "calcium.heated_goat": 0.05,
    "calcium.sheep_buffalo": 0.6,
    "calcium.ceiling": 0.20,
    "calcium.stretched_quick_most": 0.05,
    "calcium.always_raw": 0.05,
    "calcium.dilution": 10,
    # rennet
    "rennet.minutes": 19,
    "rennet.reference_imcu": 35,
    "rennet.per_ph": 0.75,
    "rennet.ph_high": 6.9,
    "rennet.ph_low": 5.9,
    "rennet.per_calcium": 1.3,
    "rennet.species_cow": 1.0,
    "rennet.species_goat": 0.80,
    "rennet.species_sheep": 0.65,
    "rennet.species_buffalo": 0.80,
    "rennet.heat_raw": 1.0,
    "rennet.heat_thermised": 1.0,
    "rennet.heat_batch": 1.08,
    "rennet.heat_flash": 1.05,
    "rennet.heat_high_heat": 1.25,
    "rennet.heat_high_pressure": 1.10,
    "rennet.homogenised": 0.92,
    "rennet.frozen": 1.05,
    "rennet.per_cold_day": 0.05,
    "rennet.cold_most": 1.15,
    "rennet.per_salt": 0.18,
    "rennet.band_untested": 0.30,
    "rennet.band_lactation": 0.05,
    "rennet.band_learnt": 0.10,
    "rennet.band_tested": 0.20,
    "rennet.weaker": 1.10,
    "rennet.warn_low": 15,
    "rennet.warn_high": 80,
    "rennet.lactic_low": 2,
    "rennet.lactic_high": 10,
    "rennet.loss_fridge": 0.015,
    "rennet.loss_room": 0.06,
    "rennet.dilution": 20,
    # the cut and the firmness
    "cut.species_cow": 1.0,
    "cut.species_goat": 1.0,
    "cut.species_sheep": 0.80,
    "cut.species_buffalo": 0.85,
    "cut.homogenised": 1.15,
    "cut.high_heat": 1.25,
    "firm.species_cow": 1.0,
    "firm.species_goat": 0.65,
    "firm.species_sheep": 1.10,
    "firm.species_buffalo": 1.10,
    "firm.homogenised": 0.70,
    "firm.frozen": 0.85,
    "firm.high_heat": 0.75,
    "firm.casein_power": 1.5,
    "firm.per_calcium": 0.75,
    "firm.pace_cow": 1.6,
    "firm.pace_goat": 1.5,
    "firm.pace_sheep": 1.1,
    "firm.pace_buffalo": 1.2,
    # culture
    "culture.buffer_base": 0.25,
    "culture.buffer_casein": 0.75,
    "culture.buffer_least": 0.8,
    "culture.buffer_most": 1.6,
    "culture.raw": 0.75,
    "culture.thermised": 0.90,
    "culture.freezer_month": 0.97,
    "culture.fridge_month": 0.90,
    "culture.least_vigour": 0.5,
    # spoons
    "measure.culture": 2.0,
    "measure.fine_salt": 6.0,
    "measure.calcium_flake": 4.0,
    "measure.drop": 0.05,
    "measure.worst": 0.10,
    # standardising, cow's milk
    "standard.cream_by_hand": 25,
    "standard.cf_cheddared": 0.70,
    "standard.cf_washed_curd": 0.82,
    "standard.cf_alpine": 0.87,
    "standard.cf_bloomy": 0.85,
    "standard.cf_blue": 0.65,
    "standard.cf_white_brined": 0.72,
    "yield.casein_lost": 0.1,
    "yield.whey_protein": 0.85,
    "yield.curd_before_press": 1.12,
}
# fat kept, casein kept, solids carried, moisture
FAMILIES = {
    "washed_curd": (0.91, 0.96, 1.10, 0.42),
    "tomme": (0.90, 0.96, 1.10, 0.44),
    "washed_rind": (0.90, 0.96, 1.10, 0.44),
    "alpine": (0.88, 0.96, 1.10, 0.38),
    "small_eyed": (0.88, 0.96, 1.10, 0.38),
    "hard_grating": (0.88, 0.96, 1.09, 0.33),
    "stretched": (0.87, 0.96, 1.13, 0.48),
    "grilling": (0.88, 0.96, 1.12, 0.45),
    "white_brined": (0.90, 0.95, 1.12, 0.55),
    "bloomy": (0.90, 0.95, 1.10, 0.52),
    "blue": (0.88, 0.95, 1.12, 0.45),
    "lactic": (0.95, 0.93, 1.06, 0.65),
    "acid_heat_soft": (0.97, 0.98, 1.05, 0.70),
    "acid_heat_pressed": (0.97, 0.98, 1.05, 0.55),
}
CURVES = {
    "rennet.temperature": (
        (20, 4.2),
        (22, 3.1),
        (25, 2.1),
        (28, 1.45),
        (30, 1.18),
        (32, 1.0),
        (34, 0.87),
        (36, 0.77),
        (38, 0.71),
        (40, 0.67),
        (42, 0.66),
        (45, 0.80),
    ),
    "acid.buffer": (
        (4.3, 25),
        (4.6, 30),
        (4.8, 34),
        (5.1, 37),
        (5.4, 33),
        (5.8, 25),
        (6.2, 18.5),
        (6.6, 14.5),
        (6.8, 13),
    ),
    "acid.lactic_density": ((0, 1), (80, 1.19), (88, 1.21)),
}
# pH that should be passed, hours after the culture
SLOW = {
    **dict.fromkeys(("cheddared", "stirred_curd", "stretched", "white_brined"), (5.8, 8)),
    **dict.fromkeys(
        ("washed_curd", "tomme", "washed_rind", "small_eyed", "alpine", "hard_grating"), (5.9, 10)
    ),
    **dict.fromkeys(("blue", "bloomy", "lactic"), (5.3, 24)),
}


def test_every_animal_of_the_table_is_as_published():
    assert ANIMALS.keys() == BREEDS.keys()
    for breed, figures in ANIMALS.items():
        for part, figure in zip(PARTS, figures, strict=True):
            assert HOUSE.number(f"milk.{breed}.{part}") == figure, (breed, part)


@pytest.mark.parametrize("key", sorted(NUMBERS))
def test_a_house_value_is_as_it_is_told(key):
    assert HOUSE.number(key) == pytest.approx(NUMBERS[key], abs=1e-12)


def test_yield_factors_slow_acid_and_curves_are_as_told():
    for family, figures in FAMILIES.items():
        for part, figure in zip(("rf", "rc", "rs", "moisture"), figures, strict=True):
            assert HOUSE.number(f"yield.{family}.{part}") == figure, (family, part)
    for family in ("cheddared", "stirred_curd"):
        assert HOUSE.number(f"yield.{family}.rf") == 0.93
        assert HOUSE.number(f"yield.{family}.rs") == 1.09
        assert HOUSE.number(f"yield.{family}.moisture") == 0.37
    for family, (ph, hours) in SLOW.items():
        assert HOUSE.number(f"slow_acid.{family}.ph") == ph
        assert HOUSE.number(f"slow_acid.{family}.hours") == hours
    for key, points in CURVES.items():
        assert HOUSE.curve(key) == tuple((float(x), float(y)) for x, y in points)


def test_no_value_is_used_that_is_not_shipped_and_every_override_keeps_its_range():
    for key, value in shipped().items():
        if isinstance(value.value, float):
            for edge in (value.low, value.high):
                assert House({key: edge}).number(key) == edge
            assert House({key: value.low}).source(key) == "the dairy’s own value"


def test_exact_units_and_constants_of_chemistry():
    for amount, here, expected, there in (
        (1, "us_gal", 3.785411784, "L"),
        (1, "imp_gal", 4.54609, "L"),
        (1, "us_gal", 16, "us_cup"),
        (1, "us_gal", 4, "us_qt"),
        (1, "us_gal", 8, "us_pt"),
        (1, "imp_gal", 8, "imp_pt"),
        (1, "imp_pt", 0.56826125, "L"),
        (1, "us_tbsp", 3, "us_tsp"),
        (1, "us_tsp", 4.92892159375, "mL"),
        (1, "metric_tsp", 5, "mL"),
        (1, "metric_cup", 250, "mL"),
        (20, "drop", 1, "mL"),
        (1, "lb", 0.45359237, "kg"),
        (16, "oz", 1, "lb"),
    ):
        assert convert(amount, here, there) == pytest.approx(expected, rel=1e-12), (here, there)
    assert len(UNITS) == len({unit.sign for unit in UNITS.values()})
    assert ANHYDROUS_FRACTION["dihydrate"] == pytest.approx(0.755, abs=5e-4)
    assert ANHYDROUS_FRACTION["hexahydrate"] == pytest.approx(0.507, abs=5e-4)
    assert ACIDS["citric_anhydrous"].pka == (3.13, 4.76, 6.40)
    assert [ACIDS[name].g_per_mol for name in sorted(ACIDS)] == [60.05, 192.12, 210.14, 90.08]
