"""Which can I make? From the milk on the shelf, the vats, the stock and what is left of the day."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from flask import Blueprint, render_template

from openpail.craft.clock import first_from, minute_of, moment_of
from openpail.craft.makeable import Choice, Dairy, OnHand, choose, in_order
from openpail.formats import recipe_file
from openpail.records.dairy import actions as dairies
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.models import MilkLot
from openpail.records.recipes import actions as recipes
from openpail.records.stock import actions as stock
from openpail.web.edge import Page, dairy, db, house, known, local, needs, now, today
from openpail.web.plan.busy import busy

blueprint = Blueprint("which", __name__, template_folder="templates")

_DAYS_AHEAD = 4


@dataclass(frozen=True, slots=True)
class Row:
    """A choice with the lots it takes, and its next good start."""

    choice: Choice
    lots: tuple[tuple[MilkLot, float], ...]
    begins: datetime | None
    hands_min: float

    @property
    def whole(self) -> bool:
        """Whether it takes whole lots, so that a sheet can be made of them at once."""
        return all(abs(litres - slips.left_l(lot)) < 0.05 for lot, litres in self.lots)


@blueprint.get("/which")
@needs("dairy.read")
def page() -> Page:
    """Every recipe: fits, nearly fits, does not, and why; the oldest milk first."""
    lots = [lot for lot in milk.waiting(db(), dairy()) if not slips.in_freezer(lot)]
    on_hand = [
        OnHand(slips.pour_of(lot, known()), lot.kind, slips.hours_old(lot, now()),
               slips.fitness_of(lot, known()).verdict)
        for lot in lots
    ]  # fmt: skip
    shelf = stock.lots(db(), dairy(), now(), today(), house())
    there = _dairy({lot.product.lot: lot.row.left for lot in shelf})
    choices = []
    for version in recipes.newest_versions(db(), dairy()):
        recipe = recipe_file.read(version.document)
        bottles = stock.chosen(recipe, shelf, house(), {})
        choices.append(choose(recipe, on_hand, bottles, there))
    rows = [_row(choice, lots, there) for choice in in_order(choices)]
    by_answer = {answer: [row for row in rows if row.choice.answer == answer]
                 for answer in ("fits", "nearly", "not")}  # fmt: skip
    return render_template("which/page.html", rows=by_answer, lots=lots, left_l=slips.left_l,
                           hours_old=lambda lot: slips.hours_old(lot, now()))  # fmt: skip


def _dairy(left: dict[str, float | None]) -> Dairy:
    midnight = local(now()).replace(hour=0, minute=0, second=0, microsecond=0)
    vats = tuple((vat.name, vat.brim_l) for vat in dairies.vats(db(), dairy()))
    day_ends = minute_of(midnight + timedelta(days=1))
    return Dairy(vats, left, busy(_DAYS_AHEAD).taken(), minute_of(now()), day_ends, house(),
                 dairies.ways_of(dairy()))  # fmt: skip


def _row(choice: Choice, lots: list[MilkLot], there: Dairy) -> Row:
    used = tuple((lot, litres) for lot, litres in zip(lots, choice.litres, strict=False) if litres)
    first = first_from(choice.starts, there.begin)
    hands = sum(step.hands_on_minutes for step in choice.recipe.steps)
    return Row(choice, used, None if first is None else moment_of(first), hands)
