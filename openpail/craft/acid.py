"""Acid put straight into the milk: how much brings it from one pH to another."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import dataclass

from openpail.craft.blend import VatMilk
from openpail.craft.culture import buffer_index
from openpail.craft.errors import OutOfRange, Unknown
from openpail.craft.figure import Step
from openpail.craft.house import House, along
from openpail.craft.milk import usual_ph


@dataclass(frozen=True, slots=True)
class Constants:
    """An acid's molar mass (g/mol) and pKa values at 25 °C."""

    g_per_mol: float
    pka: tuple[float, ...]


ACIDS: Mapping[str, Constants] = {
    "citric_anhydrous": Constants(192.12, (3.13, 4.76, 6.40)),
    "citric_monohydrate": Constants(210.14, (3.13, 4.76, 6.40)),
    "acetic": Constants(60.05, (4.76,)),
    "lactic": Constants(90.08, (3.86,)),
}


def buffering(start_ph: float, target_ph: float, house: House) -> float:
    """∫ β dpH of cow's milk from the target up to the start, meq per kg.

    Parameters: start_ph over target_ph, both 4.3–6.8.
    Raises: OutOfRange.
    Source: house value, shaped on published titration curves; straight between its points.
    """
    if not 4.3 <= target_ph < start_ph:
        raise OutOfRange(
            f"From pH {start_ph:.2f} to {target_ph:.2f}: acid only takes pH down, to 4.3 at least."
        )
    curve = house.curve("acid.buffer")
    knots = [target_ph, *(x for x, _ in curve if target_ph < x < start_ph), start_ph]
    return sum(
        (along(curve, a) + along(curve, b)) / 2 * (b - a) for a, b in itertools.pairwise(knots)
    )


def need_meq(
    start_ph: float, target_ph: float, casein_pct: float, milk_kg: float, house: House
) -> float:
    """Acid that brings a milk to a pH, meq.

    Parameters: pH as `buffering`; casein_pct 0–10; milk_kg 0 or more; house.
    Raises: OutOfRange. Source: house value.
    """
    per_kg = buffering(start_ph, target_ph, house) * buffer_index(casein_pct, house)
    return per_kg * milk_kg


def equivalents_per_mol(acid: str, ph: float) -> float:
    """Equivalents that one mole of an acid gives at a pH.

    Parameters: acid, a key of ACIDS; ph 3–7. Raises: Unknown.
    Source: pKa values, CRC Handbook; Henderson–Hasselbalch.
    """
    if acid not in ACIDS:
        raise Unknown(f"“{acid}” is not an acid we know.")
    return sum(1 / (1 + 10 ** (pka - ph)) for pka in ACIDS[acid].pka)


def grams(acid: str, meq: float, ph: float) -> float:
    """Grams of the pure acid that give so many meq at a pH.

    Parameters: as `equivalents_per_mol`; meq 0 or more. Source: derivation.
    """
    return meq / 1000 / equivalents_per_mol(acid, ph) * ACIDS[acid].g_per_mol


def ratio_steps(this: VatMilk, recipe: VatMilk, target_ph: float, house: House) -> tuple[Step, ...]:
    """Acid per kg of this milk against the recipe's, as steps.

    Parameters: the two milks; target_ph of the family and acid; house.
    Raises: OutOfRange when the milk is already at the target. Source: house value.
    """
    steps = [Step("start", "the recipe’s amount", 1.0)]
    buffer = buffer_index(this.casein_pct, house) / buffer_index(recipe.casein_pct, house)
    drop = buffering(_start_ph(this, house), target_ph, house) / buffering(
        _start_ph(recipe, house), target_ph, house
    )
    for label, factor, key in (
        (
            f"casein {this.casein_pct:.2f} %, recipe {recipe.casein_pct:.2f}: buffering",
            buffer,
            "culture.buffer_casein",
        ),
        (f"from pH {_start_ph(this, house):.2f} to {target_ph:.2f}", drop, "acid.buffer"),
    ):
        if abs(factor - 1) > 1e-12:
            steps.append(Step("times", label, factor, "", house.source(key), key))
    return tuple(steps)


def _start_ph(milk: VatMilk, house: House) -> float:
    return milk.ph if milk.ph is not None else usual_ph(milk.casein_shares(), house)
