"""What a sheet is asked for, read from the address, and the job that craft gets from it."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from flask import request

from openpail.craft.adapt import adapt
from openpail.craft.blend import Pour, pour
from openpail.craft.errors import CraftError
from openpail.craft.job import Job, rennet_lot
from openpail.craft.learning import NOTHING_LEARNT
from openpail.craft.milk import TREATMENTS
from openpail.craft.ratio import check
from openpail.craft.recipe import Recipe
from openpail.craft.safety import Caution, for_sheet
from openpail.craft.sheet import Sheet
from openpail.craft.shelf import Notice, short_by
from openpail.craft.units import parse_amount, parse_number
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
from openpail.records.plans import actions as plans
from openpail.records.plans.actions import Planned
from openpail.records.recipes import actions as recipes
from openpail.records.recipes.models import RecipeVersion
from openpail.records.stock import actions as stock
from openpail.records.stock.actions import Lot
from openpail.web.edge import dairy, db, house, known, now, today
from openpail.web.plan.worked import taught
from openpail.web.ui.fields import default_unit


@dataclass(frozen=True)
class WhatIf:
    """What the maker tries against the plan.

    celsius and ph at renneting; treatment of all the milk; use: lots by ingredient ("" for the
    recipe's own); own: amounts by ingredient; left_out: factors; kept: the note with which it
    became the maker's own plan.
    """

    celsius: float | None = None
    ph: float | None = None
    treatment: str = ""
    use: Mapping[str, str] = field(default_factory=dict)
    own: Mapping[str, float] = field(default_factory=dict)
    left_out: frozenset[tuple[str, str]] = frozenset()
    kept: str = ""

    @property
    def overrules(self) -> bool:
        """Whether it goes against what was worked out; another bottle alone does not."""
        return bool(
            self.celsius is not None or self.ph is not None or self.treatment or self.own
            or self.left_out
        )  # fmt: skip


@dataclass(frozen=True)
class Asked:
    """The choices of a sheet: lots, recipe, vat, the what-ifs, and the plan it comes from."""

    lots: tuple[MilkLot, ...]
    bench: Bench | None
    version: RecipeVersion | None
    vat: Vat | None
    school: str
    what_if: WhatIf
    errors: dict[str, str]
    plan_id: str = ""

    @property
    def ready(self) -> bool:
        """True when there is milk, a recipe and a vat."""
        return bool(self.lots and self.version and self.vat)

    def plan(self) -> dict[str, Any]:
        """The choices without the what-ifs, as they go into an address."""
        return {
            "bench": str(self.bench.id) if self.bench else None,
            "lot": [] if self.bench else [str(lot.id) for lot in self.lots],
            "recipe": self.version.document["recipe"]["key"] if self.version else None,
            "vat": str(self.vat.id) if self.vat else None,
            "plan": self.plan_id or None,
        }

    def query(self) -> dict[str, Any]:
        """All the choices, as they go into an address."""
        typed = {
            key: value
            for key, value in request.values.items()
            if key.startswith("use-") or (key.startswith("own-") and value)
        }
        return {
            **self.plan(),
            "school": self.school,
            **{key: request.values.get(key) or None for key in ("at", "ph", "treat", "kept")},
            "out": request.values.getlist("out"),
            **typed,
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
    vat = dairies.vat(db(), dairy(), uuid.UUID(vat_id)) if vat_id else _largest_vat()
    return Asked(
        lots,
        bench,
        recipes.newest_of(db(), dairy(), key) if key else None,
        vat,
        values.get("school") or dairies.ways_of(dairy()).rennet,
        _what_if(errors),
        errors,
        values.get("plan", ""),
    )


def own_plan(asked: Asked) -> Planned | None:
    """The plan it was asked for from, else the one of its recipe and milk; none once begun."""
    if asked.plan_id:
        found = plans.planned(db(), dairy())
        return next((each for each in found if str(each.row.id) == asked.plan_id), None)
    return plans.meant(db(), dairy(), asked.version, asked.lots) if asked.version else None


def _largest_vat() -> Vat | None:
    vats = dairies.vats(db(), dairy())
    return vats[-1] if vats else None


def _lots(bench: Bench | None) -> tuple[MilkLot, ...]:
    if bench is None:
        ids = request.values.getlist("lot")
        return tuple(milk.lot(db(), dairy(), uuid.UUID(text)) for text in ids)
    once = dict.fromkeys(part["lot"] for part in bench.pours)
    return tuple(milk.lot(db(), dairy(), uuid.UUID(text)) for text in once)


def _what_if(errors: dict[str, str]) -> WhatIf:
    values = request.values
    treatment = values.get("treat", "")
    own: dict[str, float] = {}
    for name in values:
        if name.startswith("own-"):
            amount = _number(name, errors)
            if amount is not None:
                own[name.removeprefix("own-")] = amount
    use = {name.removeprefix("use-"): values[name] for name in values if name.startswith("use-")}
    pairs = (text.partition(":") for text in values.getlist("out"))
    return WhatIf(
        _celsius(values.get("at", ""), errors),
        _number("ph", errors),
        treatment if treatment in TREATMENTS else "",
        use,
        own,
        frozenset((key, house_key) for key, _, house_key in pairs),
        values.get("kept", "").strip()[:300],
    )


def _celsius(text: str, errors: dict[str, str]) -> float | None:
    if not text.strip():
        return None
    try:
        unit = default_unit("temperature")
        return parse_amount(text, "temperature", dairy().volume_system, unit).base  # type: ignore[arg-type]
    except CraftError as error:
        errors["at"] = error.words
        return None


def _number(name: str, errors: dict[str, str]) -> float | None:
    text = request.values.get(name, "").strip()
    if not text:
        return None
    try:
        value = parse_number(text)
    except CraftError as error:
        errors[name] = error.words
        return None
    if name == "ph" and not 4 <= value <= 8:
        errors[name] = "A pH at renneting lies between 5.9 and 6.9, or near it."
        return None
    return value


@dataclass(frozen=True)
class Worked:
    """A sheet worked out, or the words why it cannot be.

    refusal: it cannot be made so; about: the ingredient that the refusal speaks of; hold: it may
    be looked at, and not started yet.
    """

    recipe: Recipe
    pours: tuple[Pour, ...]
    draws: tuple[Draw, ...]
    job: Job
    stock: tuple[Lot, ...]
    sheet: Sheet | None
    cautions: tuple[Caution, ...]
    notices: tuple[Notice, ...] = ()
    refusal: str = ""
    about: str = ""
    hold: str = ""

    @property
    def stops(self) -> tuple[Caution, ...]:
        """Cautions that block the start."""
        return tuple(caution for caution in self.cautions if caution.level == "stop")

    @property
    def asks(self) -> tuple[str, ...]:
        """What must be answered in writing before it starts, beside the stops."""
        asked = self.sheet.asks if self.sheet else ()
        return asked + tuple(each.words for each in self.notices if each.grave == "stop")


def work_out(asked: Asked) -> Worked:
    """Work the sheet out for these choices (which are ready)."""
    assert asked.version
    recipe = recipe_file.read_version(asked.version)
    what_if = asked.what_if
    pours, draws = _poured(asked)
    if what_if.treatment:
        pours = tuple(replace(each, treatment=what_if.treatment) for each in pours)  # type: ignore[arg-type]
    blend = pour(pours, house())
    kinds = {each.product.kind for each in recipe.ingredients} | {"calcium"}
    lots = tuple(stock.lots(db(), dairy(), now(), today(), house(), kinds))
    bottles = stock.chosen(recipe, lots, house(), what_if.use)
    ways = replace(dairies.ways_of(dairy()), rennet=asked.school)  # type: ignore[arg-type]
    learnt = taught().get(rennet_lot(recipe, bottles), NOTHING_LEARNT)
    job = Job(recipe, blend, house(), bottles, ways, what_if.celsius, learnt, what_if.ph,
              what_if.own, what_if.left_out)  # fmt: skip
    used = [job.bottle(each) for each in recipe.ingredients]
    fitness = [(lot.name, slips.fitness_of(lot, known()), not lot.bought) for lot in asked.lots]
    cautions = for_sheet(recipe, blend, fitness, used, today(), house())
    hold = _hold(asked, recipe, pours)
    try:
        sheet = adapt(job)
    except CraftError as error:
        return Worked(recipe, pours, draws, job, lots, None, cautions, (), error.words,
                      error.about, hold)  # fmt: skip
    notices = _notices(lots, sheet)
    return Worked(recipe, pours, draws, job, lots, sheet, cautions, notices, _room(asked, draws),
                  "", hold)  # fmt: skip


def _notices(lots: tuple[Lot, ...], sheet: Sheet) -> tuple[Notice, ...]:
    """What to know of the lots that this sheet uses, said before it hurts."""
    lines = {line.bottle.lot: line for line in sheet.lines if line.bottle.lot}
    found: list[Notice] = []
    for lot in lots:
        line = lines.get(lot.product.lot)
        if line is None:
            continue
        short = short_by(line.figure.value, lot.row.left, line.figure.unit, line.name)
        if short:
            found.append(Notice("stop", short, of_age=False))
        for each in stock.notices_of(lot, today(), house()):
            if each.of_age and each.grave == "stop":
                continue  # the sheet's own warnings say it already
            if each.of_age or not short:
                found.append(Notice("caution", f"{line.name}: {each.words}", each.of_age))
    return tuple(found)


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
    what_if = asked.what_if
    if what_if.treatment:
        return "This is a what-if. Heat the milk first, and write at Milk how it was heated."
    if what_if.overrules and not what_if.kept:
        return "This is a what-if. Keep it with a line of why, or go back to the plan; then start."
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
