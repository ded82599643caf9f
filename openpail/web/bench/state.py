"""What the Bench page shows of a vat: milk in it, ratio, targets, suggestions; all from craft."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass, field

from openpail.craft.bench import Narrowing, casein_to_fat, fdm, most_useful, protein_to_fat
from openpail.craft.blend import Blend, Pour, pour
from openpail.craft.errors import CraftError
from openpail.craft.figure import Figure
from openpail.craft.milk import species_of
from openpail.craft.ratio import Check, Measure, check, largest, shares
from openpail.craft.recipe import Recipe
from openpail.craft.rectangle import Rectangle, rectangle
from openpail.craft.standardise import (
    Aim,
    Kind,
    Mix,
    Stream,
    Target,
    suggest,
    usual_casein_to_fat,
)
from openpail.craft.units import parse_amount, parse_number
from openpail.craft.vat import level_cm, most_l
from openpail.formats import recipe_file
from openpail.records.base import Json
from openpail.records.bench import actions as benches
from openpail.records.bench.models import Bench
from openpail.records.dairy.models import Vat
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.models import MilkLot
from openpail.records.recipes import actions as recipes
from openpail.web.edge import dairy, db, house, jars, known
from openpail.web.ui.fields import default_unit

CREAM_WAYS = {"": "leave the cream on", "hand": "skim by hand", "separator": "separator"}
_SIZES = ("mass_kg", "volume_l")
_KINDS: tuple[Kind, ...] = ("fat", "casein_to_fat", "protein_to_fat", "fdm")


@dataclass
class Row:
    """A lot on the shelf and how much of it is in this vat; what was typed, and what is wrong."""

    lot: MilkLot
    left_l: float
    litres: float
    typed: str = ""
    error: str = ""
    cream_l: float = 0.0


@dataclass
class Layer:
    """Milk of one animal in the drawn vat, litres from below."""

    species: str
    words: str
    litres: float


@dataclass
class Wish:
    """The targets as typed, and as understood; what is wrong with one by its name."""

    texts: Mapping[str, str]
    targets: list[Target] = field(default_factory=list)
    errors: dict[str, str] = field(default_factory=dict)


@dataclass
class Suggestion:
    """A mix, told in what the hands do, and the plan that its button sends."""

    mix: Mix
    deeds: list[tuple[str, float, float]]
    plan: list[tuple[str, float]]
    rectangle: Rectangle | None


@dataclass
class Bar:
    """One part of the blend: its figure, and the target if there is one."""

    name: str
    figure: Figure
    target: float | None


@dataclass
class Standing:
    """Everything the page shows."""

    vat: Vat
    bench: Bench | None
    recipe: Recipe | None
    rows: list[Row]
    blend: Blend | None
    parts: list[tuple[Pour, Measure]]
    litres: float
    level: float
    most: float
    layers: list[Layer]
    ratio: Check | None
    batch: list[tuple[MilkLot, float]]
    bars: list[Bar]
    wish: Wish
    usual: float | None
    suggestions: list[Suggestion]
    words: str
    narrow: Narrowing | None

    @property
    def state(self) -> str:
        """planned or poured; planned while nothing stands here."""
        return self.bench.state if self.bench else "planned"

    @property
    def drawn(self) -> list[tuple[str, str, float]]:
        """The layers as the drawing wants them: animal, words, litres."""
        return [(layer.species, layer.words, layer.litres) for layer in self.layers]

    def row(self, lot_id: str) -> Row:
        """The row of a lot."""
        return next(row for row in self.rows if str(row.lot.id) == lot_id)

    @property
    def too_full(self) -> bool:
        """More than the head room allows."""
        return self.litres > self.most + 1e-9


def recipe_of(key: str) -> Recipe | None:
    """The newest version of the recipe of a key, None for no key."""
    return recipe_file.read(recipes.newest_of(db(), dairy(), key).document) if key else None


def stand(vat: Vat, wrong: Mapping[str, tuple[str, str]] | None = None) -> Standing:
    """Work out what stands on the bench of a vat.

    wrong: what was typed for a lot and why it will not do, by lot id.
    """
    bench = benches.peek(db(), dairy(), vat)
    recipe = recipe_of(bench.recipe_key) if bench else None
    parts = bench.pours if bench else []
    there = benches.standing(db(), dairy(), parts, known())
    rows = _rows(parts, there.lots, wrong or {})
    blend = pour(there.pours, house()) if there.pours else None
    litres = sum(each.volume_l for each in there.pours)
    wish = read_wish(bench.targets if bench else {})
    shelf = [row for row in rows if _may_pour(row.lot)]
    ratio, batch = _ratio(recipe, there.pours, shelf, most_l(vat.brim_l, house()))
    suggestions, words = _suggest(bench, blend, shelf, wish, recipe)
    return Standing(
        vat,
        bench,
        recipe,
        rows,
        blend,
        list(zip(there.pours, shares(there.pours), strict=True)),
        litres,
        level_cm(litres, vat.diameter_cm, vat.measured),
        most_l(vat.brim_l, house()),
        _layers(there.pours),
        ratio,
        batch,
        _bars(blend, wish, recipe),
        wish,
        _usual(blend, recipe),
        suggestions,
        words,
        most_useful(there.pours, house()) if there.pours else None,
    )


def _rows(
    parts: list[Json], lots: Mapping[uuid.UUID, MilkLot], wrong: Mapping[str, tuple[str, str]]
) -> list[Row]:
    """Lots in the vat, then on the shelf, the oldest first, then what may not be poured."""
    shelf = {lot.id: lot for lot in milk.waiting(db(), dairy())[::-1]} | dict(lots)
    rows = []
    for lot in shelf.values():
        mine = [part for part in parts if part["lot"] == str(lot.id)]
        litres = sum(part["litres"] for part in mine if part["cream_pct"] is None)
        cream = -sum(part["litres"] for part in mine if part["cream_pct"] is not None)
        typed, error = wrong.get(str(lot.id), ("", ""))
        rows.append(Row(lot, slips.left_l(lot), litres, typed, error, cream))
    return sorted(rows, key=lambda row: (row.litres == 0, not _may_pour(row.lot)))


def _may_pour(lot: MilkLot) -> bool:
    fit = slips.fitness_of(lot, known()).verdict != "not for cheese"
    return fit and not slips.in_freezer(lot)


def _layers(pours: tuple[Pour, ...]) -> list[Layer]:
    layers: dict[str, Layer] = {}
    for each in pours:
        layer = layers.setdefault(each.species, Layer(each.species, each.species, 0.0))
        layer.litres += each.volume_l
    return [layer for layer in layers.values() if layer.litres > 0]


def _ratio(
    recipe: Recipe | None, pours: tuple[Pour, ...], shelf: list[Row], most: float
) -> tuple[Check | None, list[tuple[MilkLot, float]]]:
    """The check of the recipe's rule, and the largest batch that keeps it."""
    if recipe is None or recipe.ratio is None:
        return None, []
    whole = [row for row in shelf if row.lot.kind == "milk"]
    spare = [
        slips.pour_of(row.lot, known(), row.left_l - row.litres)
        for row in whole
        if row.left_l - row.litres > 1e-6
    ]
    found = check(recipe.ratio, pours, spare, house()) if pours else None
    try:
        on_hand = [slips.pour_of(row.lot, known()) for row in whole]
        litres = largest(recipe.ratio, on_hand, most)
    except CraftError:
        return found, []
    return found, [(r.lot, x) for r, x in zip(whole, litres, strict=True) if x > 1e-6]


def _bars(blend: Blend | None, wish: Wish, recipe: Recipe | None) -> list[Bar]:
    if blend is None:
        return []
    wanted = {target.kind: target.value for target in wish.targets}
    bars = [
        Bar("fat", blend.fat, wanted.get("fat")),
        Bar("true protein", blend.protein, None),
        Bar("casein", blend.casein, None),
        Bar("casein : fat", casein_to_fat(blend), wanted.get("casein_to_fat")),
    ]
    if "protein_to_fat" in wanted:
        bars.append(Bar("protein : fat", protein_to_fat(blend), wanted["protein_to_fat"]))
    if recipe and recipe.family != "whey" and "fdm" in wanted:
        bars.append(Bar("FDM", fdm(blend, recipe.family, house()), wanted["fdm"]))
    return bars


def _usual(blend: Blend | None, recipe: Recipe | None) -> float | None:
    """The usual casein to fat of this family, for cow's milk only."""
    if blend is None or recipe is None or any(each.species != "cow" for each in blend.pours):
        return None
    return usual_casein_to_fat(recipe.family, house())


def read_wish(texts: Mapping[str, str]) -> Wish:
    """Understand the targets as typed; an unreadable one is left out and named."""
    wish = Wish(texts)
    near = _number(wish, "near")
    for kind in _KINDS:
        value = _number(wish, kind)
        if value is None:
            continue
        low, high = {"fat": (0.05, 60.0), "fdm": (5.0, 85.0)}.get(kind, (0.1, 5.0))
        if not low <= value <= high:
            wish.errors[kind] = f"{value:g} is outside {low:g} to {high:g}."
            continue
        key = "standard.near_fat" if kind == "fat" else "standard.near_ratio"
        usual = house().number(key) * (100 if kind == "fdm" else 1)
        wish.targets.append(Target(kind, value, near if near else usual))
    size = _size(wish)
    if size:
        wish.targets.append(Target(size[0], size[1], house().number("standard.near_size")))
    return wish


def _number(wish: Wish, name: str) -> float | None:
    text = (wish.texts.get(name) or "").strip()
    if not text:
        return None
    try:
        value = parse_number(text.rstrip("%").strip())
    except CraftError as error:
        wish.errors[name] = error.words
        return None
    if value <= 0:
        wish.errors[name] = "Write a figure over 0."
        return None
    return value


def _size(wish: Wish) -> tuple[Kind, float] | None:
    text = (wish.texts.get("size") or "").strip()
    if not text:
        return None
    system = dairy().volume_system
    try:
        try:
            amount = parse_amount(text, "volume", system, default_unit("volume"), jars())  # type: ignore[arg-type]
        except CraftError as first:
            try:
                amount = parse_amount(text, "mass", system)  # type: ignore[arg-type]
            except CraftError:
                raise first from None
    except CraftError as error:
        wish.errors["size"] = error.words
        return None
    if amount.base <= 0:
        wish.errors["size"] = "Write how much there is to be."
        return None
    return ("volume_l" if amount.unit.dimension == "volume" else "mass_kg"), amount.base


def _suggest(
    bench: Bench | None, blend: Blend | None, shelf: list[Row], wish: Wish, recipe: Recipe | None
) -> tuple[list[Suggestion], str]:
    """Mixes that meet the targets, or the nearest there is, and words when there is neither."""
    if bench is None or blend is None or bench.state != "planned":
        return [], ""
    if not any(target.kind in _KINDS for target in wish.targets):
        return [], ""
    if any(target.kind == "fdm" for target in wish.targets) and recipe is None:
        return [], "Fat in dry matter needs a recipe: choose one above."
    streams = _streams(shelf, wish)
    try:
        sized = any(target.kind in _SIZES for target in wish.targets)
        aims: tuple[Aim, ...] = ("handling", "cost", "oldest") if sized else ("handling", "cost")
        family, ratio = (recipe.family, recipe.ratio) if recipe else ("", None)
        mixes = suggest(streams, wish.targets, family, house(), aims, ratio)
    except CraftError as error:
        return [], error.words
    return [_told(mix, shelf, blend, wish) for mix in mixes], ""


def _streams(shelf: list[Row], wish: Wish) -> list[Stream]:
    """What is poured stands fixed unless a batch size is asked; the shelf and cream are free."""
    sized = any(target.kind in _SIZES for target in wish.targets)
    way = wish.texts.get("cream", "")
    in_vat = {species_of(row.lot.breed) for row in shelf if row.litres}  # type: ignore[arg-type]
    streams = []
    for row in shelf:
        if row.lot.kind == "milk" and species_of(row.lot.breed) not in in_vat:  # type: ignore[arg-type]
            continue  # nobody asked for another animal's milk
        poured = slips.kg_of(row.lot, row.litres)
        left = slips.kg_of(row.lot, row.left_l)
        low, high = (0.0, left) if sized or not poured else (poured, poured)
        streams.append(slips.stream_of(row.lot, known(), low, high, main=poured > 0))
        if way and poured and row.lot.kind == "milk" and not row.lot.homogenised:
            pct = house().number("standard.cream_by_" + way)
            if pct > streams[-1].fat_pct:
                streams.append(slips.cream_off(row.lot, known(), poured, pct))
    return streams


def _told(mix: Mix, shelf: list[Row], blend: Blend, wish: Wish) -> Suggestion:
    """What the hands do for a mix against what stands in the vat: words, litres, kg."""
    rows = {str(row.lot.id): row for row in shelf}
    deeds: list[tuple[str, float, float]] = []
    plan: list[tuple[str, float]] = []
    for stream, kg in mix.amounts:
        litres = kg / stream.kg_per_l
        if stream.key.startswith("cream-off:"):
            more = -litres - rows[stream.key.removeprefix("cream-off:")].cream_l
            if abs(more) > 0.005:
                deed = "take" if more > 0 else "put back"
                deeds.append((f"{deed} {stream.name}", abs(more), abs(more) * stream.kg_per_l))
            plan.append((f"cream:{stream.key.split(':')[1]}:{stream.fat_pct:g}", -litres))
            continue
        plan.append((stream.key, litres))
        change = litres - rows[stream.key].litres
        if change > 0.005:
            deeds.append((f"pour {'more ' if stream.is_main else ''}of {stream.name}", change,
                          change * stream.kg_per_l))  # fmt: skip
        elif change < -0.005:
            deeds.append((f"hold back of {stream.name}", -change, -change * stream.kg_per_l))
    poured = {key for key, _ in plan}
    for key, row in rows.items():
        if row.litres > 0 and key not in poured:
            deeds.append((f"hold back of {row.lot.name}", row.litres,
                          slips.kg_of(row.lot, row.litres)))  # fmt: skip
    return Suggestion(mix, deeds, plan, _rectangle(mix, blend, wish))


def _rectangle(mix: Mix, blend: Blend, wish: Wish) -> Rectangle | None:
    """The rectangle of differences, when one stream beside the vat's milk meets a fat."""
    others = [(stream, kg) for stream, kg in mix.amounts if not stream.is_main]
    if len(others) != 1 or mix.missed or [t.kind for t in wish.targets] != ["fat"]:
        return None
    stream = others[0][0]
    try:
        return rectangle(
            blend.mass.value, blend.fat.value, stream.fat_pct, mix.reached["fat"], stream.name
        )
    except CraftError:
        return None
