"""Where a make stands, folded from its record, and what fills the screen for its step."""

from __future__ import annotations

from dataclasses import dataclass

from openpail.craft.figure import Figure
from openpail.craft.gear import Outfit
from openpail.craft.plan import MakeDay, PlannedStep, StepState, fold, forwards, hours_since
from openpail.craft.recipe import Recipe
from openpail.craft.safety import AcidReading, Caution, slow_acid
from openpail.craft.vat import level_cm
from openpail.craft.yields import WHEY_KG_PER_L, left_in_whey
from openpail.formats import recipe_file
from openpail.records.dairy import actions as dairies
from openpail.records.dairy.models import Vat
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk_actions
from openpail.records.milk.models import MilkLot
from openpail.records.recipes import actions as recipes
from openpail.web.edge import dairy, db, house, now
from openpail.web.ui import draw, show


def recipe_of(make: Make) -> Recipe:
    """The recipe as it was when the make started."""
    return recipe_file.read(make.frozen["recipe"])


def planned_of(make: Make) -> tuple[PlannedStep, ...]:
    """The make's steps with their lengths, as its sheet worked them out."""
    times = make.frozen["set"]
    floc, cut = (times[key]["value"] for key in ("flocculation", "cut")) if times else (None, None)
    warm = {key: told["value"] for key, told in make.frozen.get("warm", {}).items()}
    return forwards(recipe_of(make), floc, cut, warm)


def given_to(make: Make) -> Outfit:
    """Its vat, and the press and moulds that it was given when it started."""
    given = make.frozen.get("given", {})
    vat = dairies.vat(db(), dairy(), make.vat_id).name
    return Outfit(vat, given.get("press", ""), tuple(given.get("moulds", ())))


def state_of(make: Make) -> MakeDay:
    """The make's steps on the clock, from now."""
    times = make.frozen["set"]
    multiplier = times["multiplier"]["value"] if times else None
    events = makes.events(db(), make)
    return fold(planned_of(make), make.started_at, events, now(), multiplier)


@dataclass(frozen=True, slots=True)
class Big:
    """The one big figure: a value, its unit, and a line under it; a countdown has `ends`."""

    value: str
    unit: str
    under: str
    countdown: bool = False


def big(make: Make, state: MakeDay, step: StepState) -> Big:
    """What fills the screen for a step: an amount, a temperature, a size, or a countdown."""
    what = step.planned.step
    for line in make.frozen["lines"]:
        if line["key"] in what.adds:
            return _amount(line)
    if what.cut_mm:
        return Big(f"{what.cut_mm:g}", "mm", "cubes")
    if what.kind in ("warm", "heat") and what.celsius:
        target = show.degrees(what.celsius.target).split()
        read = [reading.celsius for reading in state.readings if reading.celsius is not None]
        last = f"last read {show.degrees(read[-1], 1)}" if read else "not read yet"
        return Big(target[0], target[1], f"by {show.clock(step.ends)} · {last}")
    if "weight" in what.asks:
        expected = Figure.from_json(make.frozen["cheese"])
        value, unit = show.mass(expected.value).split(" ", 1)
        return Big(value, unit, "expected; weigh it")
    left = (step.ends - now()).total_seconds() / 60
    ends = f"{'at' if left >= 0 else 'was due at'} {show.clock(step.ends)}"
    return Big(f"{abs(left):.0f}", "min" if left >= 0 else "min over", ends, True)


def _amount(line: dict[str, object]) -> Big:
    figure = Figure.from_json(line["figure"])  # type: ignore[arg-type]
    if figure.value <= 0:
        return Big("none", "", f"{line['in_words']} Tick it off.")
    value, unit = show.parts(figure)
    spoons = f"{line['spoons']} · " if line["spoons"] else ""
    water = ""
    if line.get("water"):
        cool = show.parts(Figure.from_json(line["water"]))  # type: ignore[arg-type]
        water = f" · in {' '.join(cool)} of cool water"
    return Big(value, unit, f"{spoons}{line['name']}{water}")


def unwritten(make: Make, step: StepState) -> list[Big]:
    """Doses that this milk wants and no step of the recipe gives, due before the rennet."""
    if "rennet" not in step.planned.step.adds:
        return []
    placed = {key for each in recipe_of(make).steps for key in each.adds}
    return [_amount(line) for line in make.frozen["lines"] if line["key"] not in placed
            and line["kind"] == "calcium"]  # fmt: skip


@dataclass(frozen=True, slots=True)
class Vessel:
    """The vat of a make, cut open, with what is in it in words."""

    section: draw.Section
    species: str
    level: str
    inside: str
    words: str


def vessel(make: Make, vat: Vat) -> Vessel:
    """Draw the vat with the milk that went in."""
    litres = sum(part.volume_l for part in makes.milk_of(db(), make))
    pours = make.frozen["milk"]["pours"]
    most = max(pours, key=lambda each: each["mass_kg"])
    level = f"{show.number(level_cm(litres, vat.diameter_cm, vat.measured), 1)} cm"
    inside = f"{show.volume(litres)} in the {vat.name}"
    section = draw.vat_section(litres, vat.brim_l, house().number("vat.head_room"))
    species = most["breed"].split("_")[0]
    return Vessel(section, species, level, inside, f"{inside}, {level} deep")


_WHEY_RUNS = frozenset({"take whey off", "drain", "hang", "mould", "press"})


@dataclass(frozen=True, slots=True)
class Whey:
    """The whey of a make: how much to expect, what is in it (% by part), and where it was put."""

    litres: float
    made_of: dict[str, float]
    kept: MilkLot | None
    recipes: tuple[str, ...]


def _protein(make: Make, casein_pct: float) -> float:
    """True protein of the milk in a make, %; by its casein in the makes that did not keep it."""
    milk = make.frozen["milk"]
    if "protein" in milk:
        return Figure.from_json(milk["protein"]).value
    most = max(milk["pours"], key=lambda each: each["mass_kg"])
    return casein_pct / house().number(f"milk.{most['breed']}.casein_of_protein")


def whey(make: Make, state: MakeDay) -> Whey | None:
    """What there is of whey once it runs, None before, and of a whey cheese."""
    recipe = recipe_of(make)
    reached = [each.planned.step.kind for each in state.steps if each.done_at]
    if state.current:
        reached.append(state.current.planned.step.kind)
    if recipe.family == "whey" or not _WHEY_RUNS & set(reached):
        return None
    milk, cheese = make.frozen["milk"], Figure.from_json(make.frozen["cheese"])
    fat, casein, mass = (Figure.from_json(milk[each]).value for each in ("fat", "casein", "mass"))
    kg, *left = left_in_whey(recipe.family, fat, casein, _protein(make, casein), mass,
                             cheese.value, house())  # fmt: skip
    made_of = dict(zip(("fat", "protein", "casein"), left, strict=True))
    offered = [
        version.document["recipe"]["key"]
        for version in recipes.newest_versions(db(), dairy())
        if version.document["recipe"]["family"] == "whey"
    ]
    return Whey(kg / WHEY_KG_PER_L, made_of, milk_actions.whey_of(db(), dairy(), make),
                tuple(offered))  # fmt: skip


def ramp(state: MakeDay, step: StepState) -> draw.Ramp | None:
    """The ramp of a warming step with the readings on it, None for other steps."""
    what = step.planned.step
    if what.kind not in ("warm", "heat") or not what.celsius:
        return None
    since = [
        ((reading.at - step.begins).total_seconds() / 60, reading.celsius)
        for reading in state.readings
        if reading.celsius is not None and reading.at >= step.begins
    ]
    start = since[0][1] if since else _before(state, step, what.celsius.target)
    return draw.ramp(start, what.celsius.target, step.planned.minutes, since)


def _before(state: MakeDay, step: StepState, target: float) -> float:
    earlier = [r.celsius for r in state.readings if r.celsius is not None and r.at < step.begins]
    return earlier[-1] if earlier else min(target, 20.0)


def acid_warning(make: Make, state: MakeDay) -> Caution | None:
    """Stop and look, when the pH readings say that acid is slow."""
    if state.culture_at is None:
        return None
    readings = [
        AcidReading(reading.ph, hours_since(state.culture_at, reading.at))
        for reading in state.readings
        if reading.ph is not None and reading.at > state.culture_at
    ]
    return slow_acid(recipe_of(make).family, readings, house())
