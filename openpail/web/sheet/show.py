"""How a sheet looks: its chart, and the what-ifs that slide."""

from __future__ import annotations

from dataclasses import dataclass

from flask import request
from flask_wtf import FlaskForm

from openpail.craft.milk.kinds import TREATMENTS
from openpail.craft.sheet.cautions import DEFERRAL
from openpail.craft.sheet.moves import NOTHING_MOVES
from openpail.craft.sheet.what_if import planned, ranges
from openpail.craft.stock.products import KIND_WORDS
from openpail.web.sheet.forms import plan_of, query_of
from openpail.web.ui import draw, show
from openpail.work.sheet.sheet import Asked, SheetWorked


@dataclass(frozen=True, slots=True, kw_only=True)
class Slider:
    """A what-if: its field, words, range ("" where it is only typed), and the plan's own value."""

    name: str
    words: str
    unit: str
    low: str
    high: str
    step: str
    value: str
    plan: str


def sliders(worked: SheetWorked) -> dict[str, Slider]:
    """What may be tried, in the dairy's units."""
    found: dict[str, Slider] = {}
    for name, each in ranges(worked.job, worked.sheet).items():
        low, high = f"{each.low:g}", f"{each.high:.3g}"
        plan, unit = show.number(each.plan), each.unit
        if name == "at":
            low, high, plan = (
                show.degrees(celsius, 1).split()[0] for celsius in (each.low, each.high, each.plan)
            )
            unit = show.degree_sign()
        elif name == "ph":
            plan, unit = f"{each.plan:.2f}", ""
        value = request.values.get(name, "").strip() or plan
        found[name] = Slider(
            name=name,
            words=each.words,
            unit=unit,
            low=low,
            high=high,
            step=f"{each.step:g}",
            value=value,
            plan=plan,
        )
    for line in worked.sheet.lines if worked.sheet else ():
        name = f"own-{line.key}"
        if name not in found:
            plan, value = show.number(planned(line.figure)), request.values.get(name, "").strip()
            words = KIND_WORDS[line.kind].capitalize() if line.kind != "other" else line.name
            found[name] = Slider(
                name=name,
                words=words,
                unit=line.figure.unit,
                low="",
                high="",
                step="",
                value=value,
                plan=plan,
            )
    return found


def shown(asked: Asked, errors: dict[str, str], worked: SheetWorked) -> dict[str, object]:
    """All that the templates of a sheet read."""
    sheet = worked.sheet
    chart = None
    if sheet and sheet.firmness and sheet.set:
        chart = draw.firmness_chart(sheet.firmness, sheet.set)
    return {
        "asked": asked,
        "plan_query": plan_of(asked),
        "query": query_of(asked),
        "errors": errors,
        "worked": worked,
        "sheet": sheet,
        "chart": chart,
        "form": FlaskForm(),
        "deferral": DEFERRAL,
        "volume_l": worked.litres,
        "kind_words": KIND_WORDS,
        "treatments": TREATMENTS,
        "stands_in": worked.stand_ins(),
        "sliders": sliders(worked),
        "nothing_moves": NOTHING_MOVES,
    }
