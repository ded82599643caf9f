"""A planned make worked out: its sheet, how long its steps are, what it wants ready."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from flask import g

from openpail.craft.adapt import adapt
from openpail.craft.before import Ready, missing, ready
from openpail.craft.blend import pour
from openpail.craft.errors import CraftError
from openpail.craft.figure import Figure
from openpail.craft.gear import Gear
from openpail.craft.heat import Heater, power_of
from openpail.craft.job import Job, rennet_lot
from openpail.craft.learning import NOTHING_LEARNT, Learnt
from openpail.craft.lengths import InVat, steps_in, warmings
from openpail.craft.plan import PlannedStep, forwards
from openpail.craft.recipe import Recipe
from openpail.craft.rooms import Stay, stays
from openpail.craft.sheet import Sheet
from openpail.formats import recipe_file
from openpail.records.dairy import actions as dairies
from openpail.records.dairy import gear as gears
from openpail.records.dairy.models import Vat
from openpail.records.makes import actions as makes
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.models import MilkLot
from openpail.records.pieces import actions as pieces
from openpail.records.plans.actions import Planned
from openpail.records.stock import actions as stock
from openpail.records.stock.actions import Lot
from openpail.web.edge import dairy, db, house, known, local, now, today
from openpail.web.ui.show import lot_amount, volume
from openpail.web.vat.state import given_to, recipe_of

_NEAR_L = 0.05


@dataclass(frozen=True, slots=True)
class Worked:
    """A planned make as its milk and its vat have it; no sheet when the milk is gone or unfit."""

    recipe: Recipe
    steps: tuple[PlannedStep, ...]
    lots: tuple[tuple[MilkLot, float], ...]
    sheet: Sheet | None
    ready: tuple[Ready, ...]
    raw: bool
    warm: Mapping[str, Figure]

    @property
    def cheese_kg(self) -> float:
        """What cheese to expect, kg; 0 unknown."""
        return self.sheet.cheese.value if self.sheet else 0.0


def worked(each: Planned) -> Worked:
    """Work a planned make out, once a request."""
    if "planned" not in g:
        g.planned = {}
    key = (each.row.id, each.row.vat_id)
    if key not in g.planned:
        g.planned[key] = _worked(each)
    found: Worked = g.planned[key]
    return found


def _worked(each: Planned) -> Worked:
    recipe = recipe_file.read_version(each.version)
    lots = tuple(_lots(each))
    pours = [slips.pour_of(lot, known(), litres) for lot, litres in lots if litres > 0]
    if not pours:
        return Worked(recipe, forwards(recipe), lots, None, (), False, {})
    bottles = stock.chosen(recipe, shelf(), house(), {})
    blend = pour(pours, house())
    learnt = taught().get(rennet_lot(recipe, bottles), NOTHING_LEARNT)
    job = Job(recipe, blend, house(), bottles, dairies.ways_of(dairy()), learnt=learnt)
    try:
        sheet = adapt(job, roughly=True)
    except CraftError:  # the recipe's own page says why; the plan keeps the recipe's lengths
        return Worked(recipe, forwards(recipe), lots, None, (), False, {})
    litres = sum(part for _, part in lots)
    milk_c = sum(slips.celsius_of(lot, house()) * part for lot, part in lots) / litres
    warm = warmings(recipe, InVat(blend.mass, milk_c, power(each.vat)))
    left = {lot.product.lot: lot.row.left for lot in shelf()}
    frozen = {str(lot.id): lot.name for lot, _ in lots if slips.in_freezer(lot)}
    lacking = missing(recipe, sheet, bottles, left)
    return Worked(recipe, steps_in(recipe, sheet.set, warm), lots, sheet,
                  ready(recipe, sheet, litres, each.given, lacking, frozen, house()),
                  job.is_raw(), warm)  # fmt: skip


def _lots(each: Planned) -> Iterable[tuple[MilkLot, float]]:
    """The lots that are still there, with the litres that are wanted and left."""
    for lot in milk.waiting(db(), dairy()):
        if str(lot.id) in each.row.lots:
            wanted, left = each.row.lots[str(lot.id)], slips.left_l(lot)
            yield lot, left if wanted is None else min(wanted, left)


def shelf() -> list[Lot]:
    """The stock as it stands, read once a request."""
    if "stock" not in g:
        g.stock = stock.lots(db(), dairy(), now(), today(), house())
    found: list[Lot] = g.stock
    return found


def power(vat: Vat) -> Figure | None:
    """What goes into the milk of a vat, kW, None while neither it nor its heater says."""
    if "warmings" not in g:
        g.warmings = makes.warmings(db(), dairy())
    return power_of(g.warmings.get(vat.id, ()), Heater(vat.heater, vat.power_kw), house())


def taught() -> Mapping[str, Learnt]:
    """What the makes taught of each bottle of rennet, read once a request."""
    if "taught" not in g:
        g.taught = stock.lessons(db(), dairy(), house()).bottles
    found: Mapping[str, Learnt] = g.taught
    return found


def gear() -> tuple[Gear, ...]:
    """The presses and moulds, read once a request."""
    if "gear" not in g:
        g.gear = gears.gear_of(db(), dairy())
    found: tuple[Gear, ...] = g.gear
    return found


@dataclass(frozen=True, slots=True)
class Due:
    """What a planned make wants ready, the day it is due, and whether it is ready."""

    plan: Planned
    what: Ready
    day: date
    done: bool

    @property
    def words(self) -> str:
        """What it is, with how much of it."""
        litres = self.what.litres
        if litres is None:
            return self.what.words
        amount = volume(litres) if litres >= 1 else lot_amount(1000 * litres, "mL")
        return f"{self.what.words} {amount}"

    @property
    def lot_id(self) -> str:
        """The lot that is to be thawed, "" when it is something else."""
        return self.what.key.removeprefix("thaw-") if self.what.sort == "thaw" else ""

    @property
    def late(self) -> bool:
        """Past its day and not ready."""
        return not self.done and self.day < today()


def promised_twice(each: Planned, planned: Sequence[Planned]) -> list[tuple[MilkLot, str]]:
    """Lots of which this planned make and another want more than there is, and the other's name."""
    found = []
    for other in planned:
        theirs = {lot.id: litres for lot, litres in worked(other).lots}
        for lot, litres in worked(each).lots if other.row.id != each.row.id else ():
            if lot.id in theirs and theirs[lot.id] + litres > slips.left_l(lot) + _NEAR_L:
                found.append((lot, other.name))
    return found


def due(planned: Sequence[Planned]) -> list[Due]:
    """All that the planned makes want ready, the earliest first."""
    found = [
        Due(each, what, each.row.day - timedelta(days=what.days_before),
            what.key in each.row.ready)
        for each in planned
        for what in worked(each).ready
    ]  # fmt: skip
    return sorted(found, key=lambda each: each.day)


def all_stays(planned: Sequence[Planned]) -> tuple[Stay, ...]:
    """Where all that rests, is under way and is planned lies on which days."""
    found: list[Stay] = []
    for made_on, raw, version, count in pieces.resting_by_recipe(db(), dairy()):
        recipe = recipe_file.read_version(version)
        found += stays(recipe, made_on, house(), raw, count)
    for make in makes.under_way(db(), dairy()):
        raw, day = bool(make.frozen["milk"]["raw"]), local(make.started_at).date()
        found += stays(recipe_of(make), day, house(), raw, given_to(make).pieces)
    for each in planned:
        made = worked(each)
        found += stays(made.recipe, each.row.day, house(), made.raw, each.given.pieces)
    return tuple(found)
