"""What a sheet is asked for, read from the address, and the job that craft gets from it."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, replace
from typing import Any

from flask import request

from openpail.craft.adapt import adapt
from openpail.craft.blend import Pour, pour
from openpail.craft.errors import CraftError
from openpail.craft.job import Job
from openpail.craft.recipe import Recipe
from openpail.craft.safety import Caution, for_sheet
from openpail.craft.sheet import Sheet
from openpail.craft.units import parse_amount
from openpail.craft.vat import check_room
from openpail.formats import recipe_file
from openpail.records.dairy import actions as dairies
from openpail.records.dairy.models import Vat
from openpail.records.milk import actions as milk
from openpail.records.milk.models import MilkLot
from openpail.records.recipes import actions as recipes
from openpail.records.recipes.models import RecipeVersion
from openpail.records.stock import actions as stock
from openpail.web.edge import dairy, db, house, now, today
from openpail.web.ui.fields import default_unit


@dataclass(frozen=True)
class Asked:
    """The choices of a sheet: lots, recipe, vat, and the what-ifs."""

    lots: tuple[MilkLot, ...]
    version: RecipeVersion | None
    vat: Vat | None
    school: str
    renneting_c: float | None
    errors: dict[str, str]

    @property
    def ready(self) -> bool:
        """True when there is milk, a recipe and a vat."""
        return bool(self.lots and self.version and self.vat)

    def query(self) -> dict[str, Any]:
        """The choices as they go into an address."""
        return {
            "lot": [str(lot.id) for lot in self.lots],
            "recipe": self.version.document["recipe"]["key"] if self.version else None,
            "vat": str(self.vat.id) if self.vat else None,
            "school": self.school,
            "at": request.values.get("at") or None,
        }


def read() -> Asked:
    """The choices in this request. Raises NotHere for ids of nothing."""
    values = request.values
    errors: dict[str, str] = {}
    lots = tuple(milk.lot(db(), dairy(), uuid.UUID(text)) for text in values.getlist("lot"))
    key, vat_id = values.get("recipe"), values.get("vat")
    vats = dairies.vats(db(), dairy())
    vat = dairies.vat(db(), dairy(), uuid.UUID(vat_id)) if vat_id else (vats[-1] if vats else None)
    return Asked(
        lots,
        recipes.newest_of(db(), dairy(), key) if key else None,
        vat,
        values.get("school") or dairies.ways_of(dairy()).rennet,
        _renneting(values.get("at", ""), errors),
        errors,
    )


def _renneting(text: str, errors: dict[str, str]) -> float | None:
    if not text.strip():
        return None
    try:
        unit = default_unit("temperature")
        return parse_amount(text, "temperature", dairy().volume_system, unit).base  # type: ignore[arg-type]
    except CraftError as error:
        errors["at"] = error.words
        return None


@dataclass(frozen=True)
class Worked:
    """A sheet worked out, or the words why it cannot be."""

    recipe: Recipe
    pours: tuple[Pour, ...]
    job: Job
    sheet: Sheet | None
    cautions: tuple[Caution, ...]
    refusal: str = ""

    @property
    def stops(self) -> tuple[Caution, ...]:
        """Cautions that block the start."""
        return tuple(caution for caution in self.cautions if caution.level == "stop")


def work_out(asked: Asked) -> Worked:
    """Work the sheet out for these choices (which are ready)."""
    assert asked.version
    moment = now()
    recipe = recipe_file.read(asked.version.document)
    pours = tuple(milk.pour_of(lot, moment, house()) for lot in asked.lots)
    blend = pour(pours, house())
    bottles = stock.in_use(db(), dairy(), today())
    ways = replace(dairies.ways_of(dairy()), rennet=asked.school)  # type: ignore[arg-type]
    job = Job(recipe, blend, house(), bottles, ways, asked.renneting_c)
    used = [bottles.get(each.product.kind, each.product) for each in recipe.ingredients]
    fitness = [
        (lot.name, milk.fitness_of(lot, moment, house()), not lot.bought) for lot in asked.lots
    ]
    cautions = for_sheet(recipe, blend, fitness, used, today(), house())
    try:
        sheet = adapt(job)
    except CraftError as error:
        return Worked(recipe, pours, job, None, cautions, error.words)
    return Worked(recipe, pours, job, sheet, cautions, _room(asked))


def _room(asked: Asked) -> str:
    litres = sum(milk.left_l(lot) for lot in asked.lots)
    try:
        if asked.vat:
            check_room(litres, asked.vat.brim_l, asked.vat.name, house())
    except CraftError as error:
        return error.words
    return ""
