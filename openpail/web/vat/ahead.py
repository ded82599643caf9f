"""What a device needs while the network is away: the steps to come, with all that is known of them
now, so that it only has to add minutes to a clock."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from openpail.craft.make.additions import by_weight
from openpail.craft.make.day import StepState
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.order import EndsBy, ends_by
from openpail.craft.make.standing import Standing
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.yields import NO_RENNET_FAMILIES
from openpail.craft.sheet.moves import titled
from openpail.web.ui import show
from openpail.web.vat.show import Big, amount, cubes
from openpail.work.vat import AtVat
from openpail.work.wall import runs

# The scale is not to be had without the network.
_TAPS: Mapping[EndsBy, tuple[str, str, dict[str, str]]] = {
    "weighed": ("", "", {}),
    "flocks": ("flocks", "First flocks", {}),
    "set_looked": ("set_looked", "Clean break", {"look": "clean"}),
}
LATER = "worked out when the network is back"


@dataclass(frozen=True, slots=True)
class AheadStep:
    """A step to come: its one big figure, words, how long it lasts, and the tap that ends it.

    runs: whether it has an end of its own; of_flocks: how often the first flocks' minutes it ends
    after the rennet, 0 for a step that is not the set; gives_rennet: whether they begin with it;
    deed "" where it cannot be ended without the network.
    """

    key: str
    title: str
    minutes: float
    big: Big
    words: tuple[str, ...]
    runs: bool
    deed: str = "step_done"
    button: str = "Done"
    parts: Mapping[str, str] = field(default_factory=dict)
    of_flocks: float = 0.0
    gives_rennet: bool = False


def steps_ahead(at: AtVat) -> list[AheadStep]:
    """The steps after the one of now, in their order. Parameters: at."""
    if at.step is None:
        return []
    now = at.day.steps.index(at.step)
    return [_ahead(at, each) for each in at.day.steps[now + 1 :] if each.done_at is None]


def _ahead(at: AtVat, state: StepState) -> AheadStep:
    step = state.planned.step
    ends = ends_by(at.recipe, step)
    deed, button, parts = _TAPS.get(ends, ("step_done", "Done", {"step": step.key}))
    set_ = at.sheet.set if ends == "set_looked" else None
    of_flocks = set_.multiplier.value if set_ else 0.0
    kinds = {line.kind for line in at.sheet.lines if line.key in step.adds}
    return AheadStep(
        step.key,
        titled(step.title, at.sheet.moved.of(step.key)),
        state.minutes,
        known_ahead(at.recipe, at.sheet, at.standing, state),
        tuple(each for each in (step.words, f"Look for: {step.sign}" * bool(step.sign)) if each),
        runs(state),
        deed,
        button,
        parts,
        of_flocks,
        "rennet" in kinds,
    )


def known_ahead(recipe: Recipe, sheet: Frozen, standing: Standing, state: StepState) -> Big:
    """The one big figure of a step, as far as it is known before it begins.

    Parameters: recipe and its sheet; standing; state, of the step.
    """
    step = state.planned.step
    for line in sheet.lines:
        if line.key not in step.adds:
            continue
        dose = by_weight(line, recipe, sheet, standing)
        bit_by_bit = line.kind == "acid" and recipe.family in NO_RENNET_FAMILIES
        of_curd = {e.key for e in recipe.ingredients if e.basis == "percent_of_curd"}
        told = amount(line, dose)
        if bit_by_bit or (line.key in of_curd and standing.curd_kg is None):
            return Big(told.value, told.unit, f"about: {told.under}; {LATER}")
        return told
    if step.cut_mm:
        return cubes(step.cut_mm)
    if step.load_kg:
        value, unit = show.mass(step.load_kg).split(" ", 1)
        return Big(value, unit, f"on the mould, for {show.span(state.minutes)}")
    if step.kind in ("warm", "heat", "cool") and step.celsius:
        value, unit = show.degrees(step.celsius.target, 1).split()
        return Big(value, unit, f"over {show.span(state.minutes)}")
    if step.kind in ("add water", "take whey off"):
        return Big("", "", f"How much is {LATER}.")
    return Big(show.span(state.minutes), "", "")
