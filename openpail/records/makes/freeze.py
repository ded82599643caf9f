"""A make's frozen copy: recipe, milk, bottles, house values and the sheet, as plain data."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from openpail.craft.figure import Figure
from openpail.craft.gear import NO_OUTFIT, Outfit
from openpail.craft.job import Job
from openpail.craft.safety import Caution
from openpail.craft.sheet import Line, Sheet
from openpail.records.base import Json


def freeze(
    job: Job,
    sheet: Sheet,
    cautions: tuple[Caution, ...],
    document: Json,
    given: Outfit = NO_OUTFIT,
    warm: Mapping[str, Figure] = {},
) -> Json:
    """Everything a sheet was worked out from, and what it said, so that it prints the same.

    given: its press and moulds; warm, minutes of its warmings by this vat's own rate.
    """
    times = sheet.set
    return {
        "recipe": document,
        "house": {"overrides": dict(job.house.overrides)},
        "ways": asdict(job.ways),
        "renneting_c": job.renneting_c,
        "renneting_ph": job.renneting_ph,
        "own": dict(job.own),
        "left_out": sorted(job.left_out),
        "given": {"press": given.press, "moulds": list(given.moulds)},
        "warm": {key: figure.to_json() for key, figure in (warm or {}).items()},
        "rennet": {"bottle": _rennet_lot(job), "learnt": job.learnt.factor},
        "bottles": {key: asdict(bottle) for key, bottle in job.bottles.items()},
        "milk": _milk(job),
        "lines": [_line(line) for line in sheet.lines],
        "set": None
        if times is None
        else {
            "flocculation": times.flocculation.to_json(),
            "cut": times.cut.to_json(),
            "multiplier": times.multiplier.to_json(),
            "band": times.band,
            "holds": times.holds,
        },
        "firm_words": sheet.firmness.words if sheet.firmness else "",
        "cheese": sheet.cheese.to_json(),
        "whey": sheet.whey.to_json(),
        "cautions": [asdict(caution) for caution in cautions],
    }


def _rennet_lot(job: Job) -> str:
    rennet = job.recipe.ingredient("rennet")
    return job.bottle(rennet).lot if rennet else ""


def _milk(job: Job) -> dict[str, Any]:
    milk = job.milk
    return {
        "raw": job.is_raw(),
        "mass": milk.mass.to_json(),
        "fat": milk.fat.to_json(),
        "casein": milk.casein.to_json(),
        "protein": milk.protein.to_json(),
        "ph": milk.ph.to_json() if milk.ph else None,
        "pours": [
            {
                "name": each.name,
                "breed": each.breed,
                "treatment": each.treatment,
                "homogenised": each.homogenised,
                "mass_kg": each.mass.value,
            }
            for each in milk.pours
        ],
    }


def _line(line: Line) -> dict[str, Any]:
    return {
        "key": line.key,
        "kind": line.kind,
        "name": line.name,
        "written": line.written.to_json(),
        "figure": line.figure.to_json(),
        "active": line.active.to_json(),
        "water": line.water.to_json() if line.water else None,
        "lot": line.bottle.lot,
        "spoons": line.hand.words,
        "advice": line.hand.advice,
        "manner": asdict(line.manner),
        "notes": list(line.notes),
        "in_words": line.in_words,
        "at_vat": line.at_vat,
    }
