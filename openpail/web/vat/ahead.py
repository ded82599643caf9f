"""What a device needs while the network is away: the steps to come, with all that is known of them
now, so that it only has to add minutes to a clock."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field

from markupsafe import Markup

from openpail.craft.make.additions import by_weight
from openpail.craft.make.day import StepState
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.order import EndsBy, ends_by
from openpail.craft.make.set_talk import CutBy, cuts_by_flocks
from openpail.craft.make.standing import Standing
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.yields import NO_RENNET_FAMILIES
from openpail.craft.sheet.moves import titled
from openpail.craft.units import so_long
from openpail.web.ui import show
from openpail.web.ui.named import of_step
from openpail.web.vat.show import Big, amount, cubes, exactly
from openpail.work.press.at_press import AtPress
from openpail.work.vat.at_vat import AtVat

# The scale is not to be had without the network.
_TAPS: Mapping[EndsBy, tuple[str, str, dict[str, str]]] = {
    "weighed": ("", "", {}),
    "flocks": ("flocks", "First flocks", {}),
    "set_looked": ("set_looked", "Clean break", {"look": "clean"}),
}
LATER = "worked out when the network is back"


@dataclass(frozen=True, slots=True, kw_only=True)
class AheadStep:
    """A step to come: its one big figure, words, how long it lasts, and the tap that ends it.

    ends_of: what its end is called; runs: whether it has an end of its own; cut_by: of the set,
    when it is cut by when the flocks were seen; gives_rennet: whether the clock of the set begins
    with it; deed "" where it cannot be ended without the network.
    """

    key: str
    title: str
    ends_of: str
    minutes: float
    big: Big
    words: tuple[str, ...]
    runs: bool
    deed: str = "step_done"
    button: str = "Done"
    parts: Mapping[str, str] = field(default_factory=dict)
    cut_by: tuple[CutBy, ...] = ()
    gives_rennet: bool = False

    @property
    def cut_table(self) -> str:
        """`cut_by` as the device reads it."""
        return json.dumps([[each.flocks_min, each.cut_min, each.asks] for each in self.cut_by])


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
    kinds = {line.kind for line in at.sheet.lines if line.key in step.adds}
    return AheadStep(
        key=step.key,
        title=titled(step.title, at.sheet.moved.of(step.key)),
        ends_of=of_step(at.make.number, step.key, "ends"),
        minutes=state.minutes,
        big=known_ahead(
            at.recipe,
            at.sheet,
            at.standing,
            state,
            make=at.make.number,
            load_kg=AtPress(at).load_kg(step.key),
        ),
        words=tuple(
            each for each in (step.words, f"Look for: {step.sign}" * bool(step.sign)) if each
        ),
        runs=state.runs,
        deed=deed,
        button=button,
        parts=parts,
        cut_by=cuts_by_flocks(at.sheet, at.flocks_due) if ends == "set_looked" else (),
        gives_rennet="rennet" in kinds,
    )


def known_ahead(
    recipe: Recipe,
    sheet: Frozen,
    standing: Standing,
    state: StepState,
    *,
    make: int | None,
    load_kg: float | None = None,
) -> Big:
    """The one big figure of a step, as far as it is known before it begins.

    Parameters: recipe and its sheet; standing; state, of the step; make, its number, None in a dry
    run; load_kg, for this make's own moulds, None for the step's.
    """
    step = state.planned.step
    for line in sheet.lines:
        if line.key not in step.adds:
            continue
        dose = by_weight(line, recipe, sheet, standing)
        bit_by_bit = line.kind == "acid" and recipe.family in NO_RENNET_FAMILIES
        of_curd = {e.key for e in recipe.ingredients if e.basis == "percent_of_curd"}
        told = amount(line, dose, make=make)
        if bit_by_bit or (line.key in of_curd and standing.curd_kg is None):
            under = Markup("about: {}; {}").format(told.under, LATER)
            return Big(value=told.value, unit=told.unit, under=under)
        return told
    if step.cut_mm:
        return cubes(step.cut_mm)
    long = so_long(state.minutes)
    load = load_kg or step.load_kg
    if load:
        value, unit = show.mass(load).split(" ", 1)
        of = of_step(make, step.key, "load")
        return Big(value=value, unit=unit, under=f"on the cheese, for {long}", of=of)
    if step.kind in ("warm", "heat", "cool") and step.celsius:
        value, unit = exactly(step.celsius.target).split()
        return Big(value=value, unit=unit, under=f"over {long}")
    if step.kind in ("add water", "take whey off"):
        return Big(value="", under=f"How much is {LATER}.")
    return Big(value=long, is_length=True)
