"""A dose as the hands get it: spoons, water, what to do when spoons are too rough, and words."""

from __future__ import annotations

from openpail.craft.doses import Dose
from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.job import Job
from openpail.craft.measures import Spoons, by_spoon
from openpail.craft.products import Product
from openpail.craft.sheet import Line
from openpail.craft.units import TEASPOON_ML


def line_of(job: Job, dose: Dose) -> Line:
    """A dose as one line of the sheet. Parameters: job, dose. Source: derivation."""
    figure, product = dose.figure, dose.ingredient.product
    spoons = None
    if figure.value > 0:
        liquid = figure.unit == "mL"
        ml = figure.value if liquid else _powder_ml(figure.value, dose.bottle, job.house)
        spoons = by_spoon(ml, job.house, drops=liquid) if ml else None
    return Line(
        dose.ingredient.key,
        product.kind,
        dose.bottle.name,
        dose.written,
        figure,
        dose.active,
        _water(dose, job.house),
        spoons,
        _advice(spoons, dose, job.house),
        _in_words(product.kind, figure, dose.written),
        dose.ingredient.words,
    )


_WATER_KEYS = {"rennet": "rennet.dilution", "calcium": "calcium.dilution"}


def _water(dose: Dose, house: House) -> Figure | None:
    """The cool water a dose is stirred into first, mL; None for what goes in as it is."""
    key = _WATER_KEYS.get(dose.ingredient.product.kind)
    if key is None or dose.figure.unit != "mL" or dose.figure.value <= 0:
        return None
    times = house.number(key)
    return dose.figure.times(
        "cool, unchlorinated water for each measure", times, source=house.source(key), house_key=key
    )


def _advice(spoons: Spoons | None, dose: Dose, house: House) -> str:
    """What to do instead when the spoons are too far off."""
    if spoons is None or abs(spoons.error) <= house.number("measure.worst"):
        return ""
    off = f"{100 * abs(spoons.error):.0f} % {'short' if spoons.error < 0 else 'over'}"
    amount = f"{dose.figure.value:.2g} {dose.figure.unit}"
    if dose.figure.unit == "g":
        part = 100 * dose.figure.value
        return f"{off}: better weigh {amount}, or dissolve 1 g in 100 mL and give {part:.0f} mL"
    return f"{off}: better mix 1 mL into 9 of cool water and give {10 * dose.figure.value:.2g} mL"


_DENSITY_KEYS = {"culture": "measure.culture", "salt": "measure.fine_salt",
                 "calcium": "measure.calcium_flake"}  # fmt: skip


def _powder_ml(grams: float, bottle: Product, house: House) -> float | None:
    key = _DENSITY_KEYS.get(bottle.kind)
    if bottle.g_per_tsp is None and key is None:
        return None
    per_tsp = bottle.g_per_tsp or house.number(str(key))
    return grams / per_tsp * TEASPOON_ML


def _in_words(kind: str, figure: Figure, written: Figure) -> str:
    if figure.value <= 0:
        return f"No {kind} for this milk."
    if not written.value:
        return "The recipe’s own milk needs none; this milk does."
    change = figure.value / written.value - 1
    if abs(change) < 0.005:
        return "As written."
    less = f"{100 * abs(change):.0f} % {'less' if change < 0 else 'more'} than written: "
    labels = [
        step.label.split(":")[0]
        for step in figure.because[1:]
        if step.op == "times" and not step.unit and abs(step.value - 1) > 0.005
    ]
    if kind == "calcium":
        labels = ["what this milk lacks against the recipe’s", "the batch’s size"]
    return less + "; ".join(labels[:3]) + "."
