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
from openpail.craft.learning import NOTHING_LEARNT
from openpail.craft.ratio import check
from openpail.craft.recipe import Recipe
from openpail.craft.safety import Caution, for_sheet
from openpail.craft.sheet import Sheet
from openpail.craft.units import parse_amount
from openpail.craft.vat import check_room
from openpail.formats import recipe_file
from openpail.records.bench import actions as benches
from openpail.records.bench.models import Bench
from openpail.records.dairy import actions as dairies
from openpail.records.dairy.models import Vat
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.actions import Draw
from openpail.records.milk.models import MilkLot
from openpail.records.recipes import actions as recipes
from openpail.records.recipes.models import RecipeVersion
from openpail.records.stock import actions as stock
from openpail.web.edge import dairy, db, house, known, today
from openpail.web.ui.fields import default_unit


@dataclass(frozen=True)
class Asked:
    """The choices of a sheet: lots, recipe, vat, and the what-ifs."""

    lots: tuple[MilkLot, ...]
    bench: Bench | None
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
            "bench": str(self.bench.id) if self.bench else None,
            "lot": [] if self.bench else [str(lot.id) for lot in self.lots],
            "recipe": self.version.document["recipe"]["key"] if self.version else None,
            "vat": str(self.vat.id) if self.vat else None,
            "school": self.school,
            "at": request.values.get("at") or None,
        }


def read() -> Asked:
    """The choices in this request. Raises NotHere for ids of nothing, ValueError for no id."""
    values = request.values
    errors: dict[str, str] = {}
    bench = None
    if values.get("bench"):
        bench = benches.bench(db(), dairy(), uuid.UUID(values["bench"]))
    lots = _lots(bench)
    key, vat_id = values.get("recipe") or (bench.recipe_key if bench else ""), values.get("vat")
    if bench:
        vat_id = str(bench.vat_id)
    vats = dairies.vats(db(), dairy())
    vat = dairies.vat(db(), dairy(), uuid.UUID(vat_id)) if vat_id else (vats[-1] if vats else None)
    return Asked(
        lots,
        bench,
        recipes.newest_of(db(), dairy(), key) if key else None,
        vat,
        values.get("school") or dairies.ways_of(dairy()).rennet,
        _renneting(values.get("at", ""), errors),
        errors,
    )


def _lots(bench: Bench | None) -> tuple[MilkLot, ...]:
    if bench is None:
        ids = request.values.getlist("lot")
        return tuple(milk.lot(db(), dairy(), uuid.UUID(text)) for text in ids)
    once = dict.fromkeys(part["lot"] for part in bench.pours)
    return tuple(milk.lot(db(), dairy(), uuid.UUID(text)) for text in once)


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
    """A sheet worked out, or the words why it cannot be.

    refusal: it cannot be made so; hold: it may be looked at, and not started yet.
    """

    recipe: Recipe
    pours: tuple[Pour, ...]
    draws: tuple[Draw, ...]
    job: Job
    sheet: Sheet | None
    cautions: tuple[Caution, ...]
    refusal: str = ""
    hold: str = ""

    @property
    def stops(self) -> tuple[Caution, ...]:
        """Cautions that block the start."""
        return tuple(caution for caution in self.cautions if caution.level == "stop")


def work_out(asked: Asked) -> Worked:
    """Work the sheet out for these choices (which are ready)."""
    assert asked.version
    recipe = recipe_file.read(asked.version.document)
    pours, draws = _poured(asked)
    blend = pour(pours, house())
    bottles = stock.in_use(db(), dairy(), today())
    ways = replace(dairies.ways_of(dairy()), rennet=asked.school)  # type: ignore[arg-type]
    bottle = stock.rennet_id(db(), dairy())
    learnt = stock.lessons(db(), dairy(), house()).bottles.get(bottle, NOTHING_LEARNT)
    job = Job(recipe, blend, house(), bottles, ways, asked.renneting_c, bottle, learnt)
    used = [bottles.get(each.product.kind, each.product) for each in recipe.ingredients]
    fitness = [(lot.name, slips.fitness_of(lot, known()), not lot.bought) for lot in asked.lots]
    cautions = for_sheet(recipe, blend, fitness, used, today(), house())
    hold = _hold(asked, recipe, pours)
    try:
        sheet = adapt(job)
    except CraftError as error:
        return Worked(recipe, pours, draws, job, None, cautions, error.words, hold)
    return Worked(recipe, pours, draws, job, sheet, cautions, _room(asked, draws), hold)


def _poured(asked: Asked) -> tuple[tuple[Pour, ...], tuple[Draw, ...]]:
    if asked.bench:
        there = benches.standing(db(), dairy(), asked.bench.pours, known())
        return there.pours, there.draws
    return (
        tuple(slips.pour_of(lot, known()) for lot in asked.lots),
        tuple(milk.all_of(lot) for lot in asked.lots),
    )


def _hold(asked: Asked, recipe: Recipe, pours: tuple[Pour, ...]) -> str:
    """Words why this make may not start yet, "" when it may."""
    frozen = [lot.name for lot in asked.lots if slips.in_freezer(lot)]
    if frozen:
        return f"{frozen[0]} is in the freezer: thaw it in the fridge first."
    if asked.bench and asked.bench.state in ("used", "cleared"):
        return "This bench is cleared: its milk went into a make, or back."
    if asked.bench and asked.bench.state != "poured":
        return "This is the plan. Pour, and note at the Bench what really went in; then start."
    if recipe.ratio is None or (asked.bench and asked.bench.accepted):
        return ""
    found = check(recipe.ratio, pours, (), house())
    if found.ok:
        return ""
    return (
        f"{recipe.name} holds to a ratio of milks, and this vat is off it. Mend it at the "
        "Bench, or write there why it may stand."
    )


def _room(asked: Asked, draws: tuple[Draw, ...]) -> str:
    litres = sum(draw.litres - draw.cream_l for draw in draws)
    try:
        if asked.vat:
            check_room(litres, asked.vat.brim_l, asked.vat.name, house())
    except CraftError as error:
        return error.words
    return ""
