"""Every row of every file of golden cases, through the core."""

import csv
import json
from collections.abc import Callable
from math import isclose

from openpail.craft.bench import rectangle
from openpail.craft.cave.loss import loss_pct
from openpail.craft.clock.heat import heating_minutes
from openpail.craft.doses import acid, calcium, rennet
from openpail.craft.doses.setting import Setting, cut_multiplier, flocculation_minutes
from openpail.craft.figure import Figure, replay
from openpail.craft.house import House
from openpail.craft.make import drain, pasteurise
from openpail.craft.milk import acidity
from openpail.craft.milk.acidity import ph_at_25
from openpail.craft.milk.blend import Pour, Share, VatMilk, pour
from openpail.craft.milk.density import density, lactometer
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.milk.slip import added_water_pct, composition
from openpail.craft.press import load
from openpail.craft.recipe import yields
from openpail.craft.recipe.recipe import RecipeStep
from openpail.craft.salt import brine, hours
from openpail.craft.sheet import washed
from openpail.craft.stock import soxhlet
from openpail.craft.stock.products import (
    Product,
    calcium_solution_ml,
    rennet_label,
    rennet_strength,
)
from openpail.craft.units import convert

HOUSE = House()
DROP_ML = convert(1, "drop", "mL")
TABLE = {"casein_pct": 2.7, "fat_pct": 4.0, "protein_pct": 3.3}


class Row(dict):
    """A row whose cells are numbers where they look like it; an empty cell is None."""

    def __getitem__(self, key):
        text = super().__getitem__(key)
        if text == "":
            return None
        try:
            return float(text)
        except ValueError:
            return text


def one_milk(share: float, species: str, row: Row, prefix: str = "") -> Share:
    return Share(
        species=species,
        treatment=row[f"{prefix}treatment"],
        homogenised=bool(row.get(f"{prefix}homogenised") == "1"),
        frozen=bool(row.get(f"{prefix}frozen_thawed") == "1"),
        hours_cold=24 * float(row.get(f"{prefix}days_cold") or 0),
        mass_kg=share,
        fat_pct=TABLE["fat_pct"],
        protein_pct=TABLE["protein_pct"],
        casein_pct=TABLE["casein_pct"],
    )


# What a cell calls an enzyme, by a part of its name, and what it is here.
ENZYMES = {
    **{"kid": "kid", "lamb": "kid", "pepsin": "pepsin", "adult": "adult_bovine"},
    **{"camel": "camel", "miehei": "miehei", "parasitica": "parasitica", "plant": "plant"},
    **{"microbial": "microbial", "vegetarian": "microbial", "animal": "animal"},
    **{"ferment": "fermented", "chymosin": "fermented", "calf": "calf", "unknown": ""},
}


def enzyme(told: str) -> str:
    return next(sort for part, sort in ENZYMES.items() if part in told) if told else ""


def setting(row: Row, prefix: str = "") -> Setting:
    shares = json.loads(dict.__getitem__(row, f"{prefix}casein_shares"))
    milk = VatMilk(
        tuple(one_milk(part, name, row, prefix) for name, part in shares.items()),
        salt_pct=row[f"{prefix}salt_pct"],
    )
    return Setting(
        milk=milk,
        celsius=row[f"{prefix}temp_c"],
        ph=row[f"{prefix}ph"],
        calcium_g_per_kg=row[f"{prefix}cacl2_g_per_kg"],
        rennet=enzyme(row.get(f"{prefix}rennet") or ""),
    )


def cut(row: Row) -> float:
    own, this = (
        VatMilk(
            tuple(
                one_milk(part, name, row, prefix)
                for name, part in json.loads(
                    dict.__getitem__(row, f"{prefix}casein_shares")
                ).items()
            )
        )
        for prefix in ("recipe_", "this_")
    )
    return cut_multiplier(this, row["recipe_multiplier"], HOUSE, own=own).value


def label(row: Row) -> float:
    scale, told = row["label"].partition("_")[0], row["value"]
    if scale == "dose":
        told = row["for_litres"] / (told * (DROP_ML if "drop" in row["label"] else 1))
    scale = "mg" if scale == "chymosin" else scale
    bottle = Product(kind="rennet", name="Rennet", strength=told, scale=scale)
    return replay(rennet_label(bottle, HOUSE))


def calcium_milk(row: Row, who: str) -> VatMilk:
    chilled = row[f"{who}_treatment"] == "raw_chilled"
    shares = {"goat": row[f"{who}_goat_share"], "sheep": row[f"{who}_sheep_buffalo_share"]}
    shares["cow"] = 1 - sum(shares.values())
    return VatMilk(
        tuple(
            Share(
                species=species,
                treatment="raw" if chilled else row[f"{who}_treatment"],
                homogenised=row[f"{who}_homogenised"] == 1,
                frozen=row[f"{who}_frozen_thawed"] == 1,
                hours_cold=30 if chilled else 0,
                mass_kg=part,
                fat_pct=4.0,
                protein_pct=3.3,
                casein_pct=row[f"{who}_casein_pct"],
            )
            for species, part in shares.items()
            if part > 0
        )
    )


def blend(row: Row) -> dict[str, float]:
    """Lots of which a slip told fat and casein, poured together."""
    lots = json.loads(dict.__getitem__(row, "lots"))
    made = pour(
        [
            Pour(
                name=str(number),
                breed="cow_lowland",
                treatment="raw",
                mass=Figure.start("milk", lot["mass_kg"], "kg"),
                milk=composition(
                    "cow_lowland",
                    MilkTest(fat_pct=lot["fat_pct"], casein_pct=lot["casein_pct"]),
                    HOUSE,
                ),
            )
            for number, lot in enumerate(lots)
        ],
        HOUSE,
    )
    return {
        "mass_kg": made.mass.value,
        "fat_pct": made.fat.value,
        "casein_pct": made.casein.value,
    }


def calcium_dose(row: Row) -> float:
    written = Figure.start("the recipe’s own", row["recipe_g_per_kg"], "g/kg")
    this, recipe = calcium_milk(row, "this"), calcium_milk(row, "recipe")
    return calcium.g_per_kg(written, this, recipe, house=HOUSE).value


def direct_acid(row: Row) -> dict[str, float]:
    meq = acid.need_meq(row["start_ph"], row["target_ph"], row["casein_pct"], row["milk_kg"], HOUSE)
    return {
        "meq": meq,
        "equivalents_per_mol": acid.equivalents_per_mol(row["acid"], row["target_ph"]),
        "grams": acid.grams(row["acid"], meq, row["target_ph"]),
    }


def cheese(row: Row) -> dict[str, float]:
    fat, casein = (Figure.start(k, row[f"{k}_pct"], "%") for k in ("fat", "casein"))
    family = row["family"]
    made = yields.per_100kg(
        family, fat, casein, house=HOUSE, moisture_fraction=row["moisture_fraction"]
    )
    fdm = yields.fat_in_dry_matter(family, row["fat_pct"], row["casein_pct"], HOUSE)
    return {"kg_per_100kg": made.value, "fdm_fraction": fdm}


def own_cheese(row: Row) -> dict[str, float]:
    fat, casein = (Figure.start(k, row[f"{k}_pct"], "%") for k in ("fat", "casein"))
    family, whey = row["family"], row.get("whey_protein_pct") or 0.0
    made = yields.per_100kg(
        family, fat, casein, house=HOUSE, moisture_fraction=None, whey_protein_pct=float(whey)
    )
    water = yields.own_moisture(
        family, fat.value, casein.value, house=HOUSE, usually=None, whey_protein_pct=float(whey)
    )
    return {"kg_per_100kg": made.value, "moisture_fraction": water}


def rennet_ml(row: Row) -> float:
    """By the label of a bottle that stood open in the fridge."""
    house = House({"rennet.loss_fridge": row["loss_per_month"]})
    bottle = Product(
        kind="rennet", name="Rennet", strength=row["label_imcu_per_ml"], months_open=row["months"]
    )
    return row["imcu_needed"] / replay(rennet_strength(bottle, house))


def drained(row: Row) -> float:
    """A bag hung in another room than the one that its hours are told for."""
    bag = RecipeStep(key="hang", kind="hang", title="Hang it", minutes=60.0, hands_on_minutes=0.0)
    return row["hours_at_21"] * drain.room_factor("lactic", bag, row["room_c"], HOUSE)


def whey_cheese(row: Row) -> float:
    fat, none = Figure.start("fat", row["whey_fat_pct"], "%"), Figure.start("casein", 0.0, "%")
    whey = row["whey_protein_pct"]
    return yields.per_100kg("whey", fat, none, house=HOUSE, whey_protein_pct=whey).value


def read_lactometer(row: Row) -> dict:
    read = lactometer(row["reading"], row["temp_c"], row["fat_pct"])
    return {
        "clr": read.corrected,
        "total_solids_pct": read.total_solids_pct,
        "snf_pct": read.snf_pct,
    }


def home_test(row: Row) -> dict:
    found = soxhlet.strength(row["milk_ml"], row["rennet_ml"], row["seconds"])
    dose = soxhlet.dose_ml(
        found, row["dose_milk_ml"], row["dose_seconds"], row["dose_temp_c"], HOUSE
    )
    return {"strength": found, "dose_ml": dose.value}


def two_streams(row: Row) -> float:
    way = {"add": rectangle.add, "take_off": rectangle.take_off}[row["action"]]
    return way(row["milk_kg"], row["milk_fat_pct"], row["stream_fat_pct"], row["target_fat_pct"])


def record_meets(row: Row) -> float:
    readings = json.loads(dict.__getitem__(row, "readings"))
    milk = pasteurise.Milk(fat_pct=row["fat_pct"], total_solids_pct=row["total_solids_pct"])
    told = [pasteurise.HeatReading(at, value) for at, value in readings]
    return pasteurise.hold(
        told, milk, row["unit"], is_checked=bool(row["thermometer_checked"])
    ).meets


def pressed(row: Row) -> dict[str, float]:
    kpa = load.pressure_kpa(row["load_kg"], load.round_area_cm2(row["mould_diameter_cm"]))
    return {"kpa": kpa, "psi": kpa * load.PSI_PER_KPA}


def in_brine(row: Row) -> float:
    lying = hours.Lying(
        cheese_kg=row["cheese_kg"],
        surface_cm2=row["surface_cm2"],
        moisture=row["moisture_fraction"],
        brine_pct=row["brine_pct"],
        celsius=row["temp_c"],
        moisture_by_volume=row["moisture_volume_fraction"],
    )
    return lying.hours_for(row["salt_uptake_g"], HOUSE)


CALCULATIONS: dict[str, Callable[[Row], float | dict[str, float]]] = {
    "units": lambda r: convert(r["value"], r["unit_from"], r["unit_to"]),
    "milk_density": lambda r: density(r["fat_pct"], r["snf_pct"], r["temp_c"]),
    "ph_at_25": lambda r: ph_at_25(r["ph"], r["temp_c"], HOUSE),
    "blend": blend,
    "yield": cheese,
    "yield_own_moisture": own_cheese,
    "mffb": lambda r: yields.moisture_on_fat_free(r["moisture_pct"], r["fat_pct"]),
    "calcium_dose": calcium_dose,
    "calcium_solution": lambda r: calcium_solution_ml(
        r["g_anhydrous"], r["label_counts"], r["percent"], r["per"]
    ),
    "flocculation": lambda r: flocculation_minutes(r["imcu_per_kg"], setting(r), HOUSE),
    "rennet_dose_ratio": lambda r: rennet.ratio(setting(r, "this_"), setting(r, "recipe_"), HOUSE),
    "rennet_volume": rennet_ml,
    "rennet_label": label,
    "cut_multiplier": cut,
    "direct_acid": direct_acid,
    "soxhlet": home_test,
    "acidity": lambda r: acidity.convert(r["value"], r["scale_from"], r["scale_to"]),
    "added_water": lambda r: added_water_pct(r["freezing_point_c"], r["base_c"]),
    "lactometer": read_lactometer,
    "standardise_two_streams": two_streams,
    "heating_minutes": lambda r: heating_minutes(
        r["mass_kg"], r["rise_c"], r["power_kw"], r["efficiency"]
    ),
    "hot_water": lambda r: washed.hot_water_kg(r["vat_kg"], r["from_c"], r["to_c"], r["water_c"]),
    "drain_hours": drained,
    "pasteurisation": record_meets,
    "press": pressed,
    "brine_hours_rule": lambda r: hours.brine_hours(
        r["cheese_kg"], r["salt_pct"], r["brine_pct"], HOUSE
    ),
    "brine_equilibrium": lambda r: brine.keeping_pct(
        r["cheese_kg"],
        r["cheese_moisture_fraction"],
        r["cheese_salt_pct"],
        r["brine_kg"],
        r["brine_pct"],
    ),
    "weight_loss": lambda r: loss_pct(r["days"], r["rh_pct"], r["surface_m2_per_kg"], HOUSE).value,
    "brine_density": lambda r: brine.density_20(r["percent_w_w"]),
    "brine_make": lambda r: brine.salt_for(r["water_kg"], r["percent_w_w"]).value,
    "brine_freshen": lambda r: brine.to_freshen(r["brine_kg"], r["from_pct"], r["to_pct"]).value,
    "brine_after_batch": lambda r: brine.after_batch(
        r["brine_kg"], r["brine_pct"], r["salt_taken_up_kg"]
    )[1],
    "brine_hours": in_brine,
    "whey_cheese_yield": whey_cheese,
}


def test_every_golden_row_agrees_with_its_source(golden_file):
    calculate = CALCULATIONS[golden_file.stem]  # an unknown file name fails here
    with golden_file.open(newline="") as lines:
        rows = [Row(row) for row in csv.DictReader(lines)]
    assert rows
    for row in rows:
        found = calculate(row)
        expected = {key: row[key] for key in row if key.startswith("expect")}
        if not isinstance(found, dict):
            assert len(expected) == 1
            found = {next(iter(expected)): found}
        else:
            found = {f"expect_{key}": value for key, value in found.items()}
        for key, value in expected.items():
            rel, absolute = float(row.get("rel_tol") or 0), float(row.get("abs_tol") or 0)
            if value in ("True", "False"):
                assert str(found[key]) == value, (key, dict(row))
            else:
                assert isclose(found[key], value, rel_tol=rel, abs_tol=absolute), (key, dict(row))
