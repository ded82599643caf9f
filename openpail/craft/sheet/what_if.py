"""How far a what-if may slide: warmth and pH at renneting, rennet, calcium chloride."""

from __future__ import annotations

from dataclasses import dataclass
from math import floor, log10

from openpail.craft.doses.asked import Job
from openpail.craft.doses.setting import COLDEST_C, HOTTEST_C
from openpail.craft.figure import Figure, replay
from openpail.craft.milk.kinds import usual_ph
from openpail.craft.sheet.sheet import Line, Sheet
from openpail.craft.stock.products import KIND_WORDS

_DOSE_TIMES = 2.0  # a rennet slides up to so many times its plan


@dataclass(frozen=True, slots=True, kw_only=True)
class Range:
    """What may be tried: the plan's own value, least and most, and a step, in the unit."""

    words: str
    unit: str
    low: float
    high: float
    step: float
    plan: float


def ranges(job: Job, sheet: Sheet | None) -> dict[str, Range]:
    """What may be tried of a sheet, by the name of its what-if; empty without rennet.

    Parameters: job; sheet, None while it cannot be worked out.
    Source: the ranges of the flocculation model, house value; the legal ceiling of calcium
    chloride.
    """
    recipe, house, milk = job.recipe, job.house, job.milk
    if recipe.renneting_c is None:
        return {}
    usual = usual_ph(milk.numbers.casein_shares(), house)
    ph = (milk.ph.value if milk.ph else usual) - recipe.ripening_ph_drop
    found = {
        "at": Range(
            words="Rennet at",
            unit="°C",
            low=COLDEST_C,
            high=HOTTEST_C,
            step=0.5,
            plan=recipe.renneting_c,
        ),
        "ph": Range(
            words="pH then",
            unit="pH",
            low=house.number("rennet.ph_low"),
            high=house.number("rennet.ph_high"),
            step=0.01,
            plan=ph,
        ),
    }
    for line in sheet.lines if sheet else ():
        if line.kind in ("rennet", "calcium"):
            found[f"own-{line.key}"] = _dose(job, line)
    return found


def _dose(job: Job, line: Line) -> Range:
    plan = planned(line.figure)
    most = _DOSE_TIMES * plan
    if line.kind == "calcium":
        most = job.house.number("calcium.ceiling") * job.milk.numbers.mass_kg / line.per_unit
    step = 10.0 ** round(log10(max(most, 0.01)) - 2)
    words = KIND_WORDS[line.kind].capitalize()
    return Range(
        words=words,
        unit=line.figure.unit,
        low=0.0,
        high=floor(most / step) * step,
        step=step,
        plan=plan,
    )


def planned(figure: Figure) -> float:
    """What was worked out before the maker gave an amount of their own.

    Parameters: figure of a dose. Source: derivation.
    """
    last = figure.because[-1]
    mine = last.op == "choose" and last.source == "the maker"
    return replay(figure.because[:-1]) if mine else figure.value
