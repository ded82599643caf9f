"""The Bench: what stands in a vat, its ratio, targets, suggestions; and what the hands do."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from openpail.craft.bench.narrowing import (
    Narrowing,
    casein_to_fat,
    fdm,
    most_useful,
    protein_to_fat,
)
from openpail.craft.bench.ratio import Check, Measure, check, largest, shares
from openpail.craft.bench.rectangle import Rectangle, rectangle
from openpail.craft.bench.standardise import (
    Aim,
    Kind,
    StandardMix,
    Stream,
    Target,
    part_of,
    suggest,
    usual_casein_to_fat,
)
from openpail.craft.bench.vat import level_cm, most_l
from openpail.craft.errors import CraftError, NotPossible
from openpail.craft.figure import Figure
from openpail.craft.milk.blend import Blend, Pour, pour
from openpail.craft.milk.fitness import is_plain
from openpail.craft.milk.kinds import DRY, NO_SET, species_of
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.sheet.fit import fit
from openpail.craft.sheet.target_costs import Costs, costs_of
from openpail.craft.units import Amount, parse_amount, parse_number
from openpail.formats import recipe_file
from openpail.records.bench import actions as benches
from openpail.records.bench.models import Bench
from openpail.records.dairy.models import Vat
from openpail.records.milk import actions as milk
from openpail.records.milk import keeping, slips
from openpail.records.milk.models import MilkLot
from openpail.records.recipes import actions as recipes
from openpail.work.faults import FAULTS, words_of
from openpail.work.here import Here

CREAM_WAYS = {"": "leave the cream on", "hand": "skim by hand", "separator": "separator"}
_SIZES = ("mass_kg", "volume_l")
_KINDS: tuple[Kind, ...] = ("fat", "protein", "casein", "casein_to_fat", "protein_to_fat", "fdm")
_LIMITS: Mapping[str, tuple[float, float]] = {
    "fat": (0.05, 60.0),
    "protein": (0.5, 12.0),
    "casein": (0.3, 10.0),
    "fdm": (5.0, 85.0),
}
_NEAR = {
    "fat": "standard.near_fat",
    "protein": "standard.near_protein",
    "casein": "standard.near_protein",
}


@dataclass(kw_only=True)
class BenchRow:
    """A lot on the shelf and how much of it is in this vat; what was typed, and what is wrong."""

    lot: MilkLot
    left_l: float
    litres: float
    typed: str = ""
    error: str = ""
    cream_l: float = 0.0

    @property
    def dry(self) -> bool:
        """Whether it is weighed, as powders are."""
        return self.lot.kind in DRY

    @property
    def kg(self) -> float:
        """What is in this vat of it, kg."""
        return slips.kg_of(self.lot, self.litres)

    @property
    def left_kg(self) -> float:
        """What is left of it, kg."""
        return slips.kg_of(self.lot, self.left_l)


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

    @property
    def cream(self) -> str:
        """How cream is taken off; "" for left on, and for a way that is none."""
        told = self.texts.get("cream", "")
        return told if told in CREAM_WAYS else ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Pouring:
    """One thing for the hands: words, litres, kg; what is dry is weighed, and wetted first."""

    words: str
    litres: float
    kg: float
    dry: bool = False

    @property
    def grams(self) -> float:
        """What is weighed in, g."""
        return 1000 * self.kg


@dataclass(kw_only=True)
class Suggestion:
    """A mix, told in what the hands do, and the plan that its button sends; becomes, what it makes
    of the batch."""

    mix: StandardMix
    deeds: list[Pouring]
    plan: list[tuple[str, float]]
    rectangle: Rectangle | None
    costs: Costs | None = None
    becomes: str = ""


@dataclass
class Bar:
    """One part of the blend: its figure, and the target if there is one."""

    name: str
    figure: Figure
    target: float | None


@dataclass(kw_only=True)
class AtBench:
    """Everything the page shows."""

    vat: Vat
    bench: Bench | None
    recipe: Recipe | None
    rows: list[BenchRow]
    blend: Blend | None
    parts: list[tuple[Pour, Measure]]
    litres: float
    level: float | None
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

    def row(self, lot_id: uuid.UUID) -> BenchRow:
        """The row of a lot."""
        return next(row for row in self.rows if row.lot.id == lot_id)

    @property
    def too_full(self) -> bool:
        """More than the head room allows."""
        return self.litres > self.most + 1e-9


def recipe_of(here: Here, key: str) -> Recipe | None:
    """The newest version of the recipe of a key, None for no key."""
    if not key:
        return None
    return recipe_file.read_version(recipes.newest_of(here.session, here.dairy, key))


def stand(here: Here, vat: Vat, wrong: Mapping[str, tuple[str, str]] | None = None) -> AtBench:
    """Work out what stands on the bench of a vat.

    wrong: what was typed for a lot and why it will not do, by lot id.
    """
    bench = next((each for each in here.benches if each.vat_id == vat.id), None)
    recipe = recipe_of(here, bench.recipe_key) if bench else None
    parts = bench.pours if bench else []
    lots = {lot.id: lot for lot in here.waiting}
    there = benches.standing(here.session, here.dairy, parts, here.known, lots)
    rows = _rows(here, bench, _with_planned(here, bench, there.lots), wrong or {})
    blend = pour(there.pours, here.house) if there.pours else None
    litres = sum(each.volume_l for each in there.pours)
    wish = read_wish(here, bench.targets if bench else {})
    shelf = [row for row in rows if _may_pour(here, row.lot)]
    ratio, batch = _ratio(here, recipe, there.pours, shelf, most_l(vat.brim_l, here.house))
    suggestions, words = _suggest(here, bench, blend, shelf=shelf, wish=wish, recipe=recipe)
    return AtBench(
        vat=vat,
        bench=bench,
        recipe=recipe,
        rows=rows,
        blend=blend,
        parts=list(zip(there.pours, shares(there.pours), strict=True)),
        litres=litres,
        level=level_cm(litres, vat.diameter_cm, vat.measured),
        most=most_l(vat.brim_l, here.house),
        layers=_layers(there.pours),
        ratio=ratio,
        batch=batch,
        bars=_bars(here, blend, wish, recipe),
        wish=wish,
        usual=_usual(here, blend, recipe),
        suggestions=suggestions,
        words=words,
        narrow=most_useful(there.pours, here.house) if there.pours else None,
    )


def _with_planned(
    here: Here, bench: Bench | None, lots: Mapping[uuid.UUID, MilkLot]
) -> Mapping[uuid.UUID, MilkLot]:
    """The lots poured, and those that were planned and of which nothing went in after all."""
    known = lots.keys() | {lot.id for lot in here.waiting}
    other = {part.lot_id for part in (bench.planned or () if bench else ())} - known
    return {**lots, **milk.lots_by_id(here.session, here.dairy, list(other))} if other else lots


def _rows(
    here: Here,
    bench: Bench | None,
    lots: Mapping[uuid.UUID, MilkLot],
    wrong: Mapping[str, tuple[str, str]],
) -> list[BenchRow]:
    """Lots in the vat, then on the shelf, the oldest first, then what may not be poured."""
    parts = bench.pours if bench else []
    shelf = {lot.id: lot for lot in here.waiting[::-1]} | dict(lots)
    rows = []
    for lot in shelf.values():
        mine = [part for part in parts if part.lot_id == lot.id]
        litres = sum(part.litres for part in mine if not part.is_cream)
        cream = -sum(part.litres for part in mine if part.is_cream)
        typed, error = wrong.get(str(lot.id), ("", ""))
        rows.append(
            BenchRow(
                lot=lot,
                left_l=here.free_l(lot, bench),
                litres=litres,
                typed=typed,
                error=error,
                cream_l=cream,
            )
        )
    return sorted(rows, key=lambda row: (row.litres == 0, not _may_pour(here, row.lot)))


def _may_pour(here: Here, lot: MilkLot) -> bool:
    fit = slips.fitness_of(lot, here.known).verdict != "not for cheese"
    return fit and not keeping.in_freezer(lot)


def _layers(pours: tuple[Pour, ...]) -> list[Layer]:
    layers: dict[str, Layer] = {}
    for each in pours:
        layer = layers.setdefault(each.species, Layer(each.species, each.species, 0.0))
        layer.litres += each.volume_l
    return [layer for layer in layers.values() if layer.litres > 0]


def _ratio(
    here: Here, recipe: Recipe | None, pours: tuple[Pour, ...], shelf: list[BenchRow], most: float
) -> tuple[Check | None, list[tuple[MilkLot, float]]]:
    """The check of the recipe's rule, and the largest batch that keeps it."""
    if recipe is None or recipe.ratio is None:
        return None, []
    whole = [row for row in shelf if row.lot.kind == "milk"]
    spare = [
        slips.pour_of(row.lot, here.known, row.left_l - row.litres)
        for row in whole
        if row.left_l - row.litres > 1e-6
    ]
    found = check(recipe.ratio, pours, spare, here.house) if pours else None
    try:
        on_hand = [slips.pour_of(row.lot, here.known) for row in whole]
        litres = largest(recipe.ratio, on_hand, most)
    except CraftError:
        return found, []
    return found, [(r.lot, x) for r, x in zip(whole, litres, strict=True) if x > 1e-6]


def _bars(here: Here, blend: Blend | None, wish: Wish, recipe: Recipe | None) -> list[Bar]:
    if blend is None:
        return []
    wanted = {target.kind: target.value for target in wish.targets}
    bars = [
        Bar("fat", blend.fat, wanted.get("fat")),
        Bar("true protein", blend.protein, wanted.get("protein")),
        Bar("casein", blend.casein, wanted.get("casein")),
    ]
    ratio = casein_to_fat(blend)
    if ratio:
        bars.append(Bar("casein : fat", ratio, wanted.get("casein_to_fat")))
    if {"protein", "casein"} & wanted.keys():
        bars.append(Bar("lactose", blend.lactose, None))
    ratio = protein_to_fat(blend)
    if ratio and "protein_to_fat" in wanted:
        bars.append(Bar("protein : fat", ratio, wanted["protein_to_fat"]))
    if recipe and recipe.family != "whey" and "fdm" in wanted:
        bars.append(Bar("fat in dry matter", fdm(blend, recipe.family, here.house), wanted["fdm"]))
    return bars


def _usual(here: Here, blend: Blend | None, recipe: Recipe | None) -> float | None:
    """The usual casein to fat of this family, for cow's milk only."""
    if blend is None or recipe is None or any(each.species != "cow" for each in blend.pours):
        return None
    return usual_casein_to_fat(recipe.family, here.house)


def read_wish(here: Here, texts: Mapping[str, str]) -> Wish:
    """Understand the targets as typed; an unreadable one is left out and named."""
    wish = Wish(texts)
    near = _number(wish, "near")
    for kind in _KINDS:
        value = _number(wish, kind)
        if value is None:
            continue
        low, high = _LIMITS.get(kind, (0.1, 5.0))
        if not low <= value <= high:
            wish.errors[kind] = f"{value:g} is outside {low:g} to {high:g}."
            continue
        usual = here.house.number(_NEAR.get(kind, "standard.near_ratio")) * (
            100 if kind == "fdm" else 1
        )
        wish.targets.append(Target(kind, value, near if near else usual))
    size = _size(here, wish)
    if size:
        wish.targets.append(Target(size[0], size[1], here.house.number("standard.near_size")))
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


def _size(here: Here, wish: Wish) -> tuple[Kind, float] | None:
    text = (wish.texts.get("size") or "").strip()
    if not text:
        return None
    try:
        amount = volume_or_mass(here, text)
    except CraftError as error:
        wish.errors["size"] = error.words
        return None
    if amount.base <= 0:
        wish.errors["size"] = "Write how much there is to be."
        return None
    return ("volume_l" if amount.unit.dimension == "volume" else "mass_kg"), amount.base


def volume_or_mass(here: Here, text: str) -> Amount:
    """A volume in the dairy's units, else a weight. Raises CraftError with the volume's words."""
    try:
        return here.amount(text, "volume")
    except CraftError as first:
        try:
            return parse_amount(text, "mass", here.dairy.volume_system)
        except CraftError:
            raise first from None


def _suggest(
    here: Here,
    bench: Bench | None,
    blend: Blend | None,
    *,
    shelf: list[BenchRow],
    wish: Wish,
    recipe: Recipe | None,
) -> tuple[list[Suggestion], str]:
    """Mixes that meet the targets, or the nearest there is, and words when there is neither."""
    if bench is None or blend is None or bench.state != "planned":
        return [], ""
    if not any(target.kind in _KINDS for target in wish.targets):
        return [], ""
    if any(target.kind == "fdm" for target in wish.targets) and recipe is None:
        return [], "Fat in dry matter needs a recipe: choose one above."
    try:
        mixes = _mixes(here, shelf, wish, recipe)
        protein = any(target.kind in ("protein", "casein") for target in wish.targets)
        costs_of = recipe if protein else None
        return [
            _told(here, mix, shelf, blend=blend, wish=wish, recipe=costs_of) for mix in mixes
        ], ""
    except FAULTS as fault:
        return [], words_of(fault)


_LEAST_KEPT = 0.5  # of what is meant to be poured: to hold back more is another batch


def _mixes(
    here: Here, shelf: list[BenchRow], wish: Wish, recipe: Recipe | None
) -> tuple[StandardMix, ...]:
    """The mixes that meet the targets: of the animals that are poured, and all that is poured; only
    where that does not do, with another animal's milk, with some held back, or both."""
    sized = any(target.kind in _SIZES for target in wish.targets)
    aims: tuple[Aim, ...] = ("handling", "cost", "oldest") if sized else ("handling", "cost")
    family, ratio = (recipe.family, recipe.ratio) if recipe else ("", None)
    poured = sum(slips.kg_of(row.lot, row.litres) for row in shelf)
    first: tuple[StandardMix, ...] = ()
    refused: NotPossible | None = None
    for of_others, held in ((False, False), (True, False), (False, True), (True, True)):
        streams = _streams(here, shelf, wish, recipe, of_others=of_others, held=held)
        by = ("keep",) if held and not sized else aims
        try:
            mixes = suggest(streams, wish.targets, family, house=here.house, aims=by, ratio=ratio)
        except NotPossible as error:
            refused = refused or error
            continue
        if not mixes[0].missed and (sized or mixes[0].mass_kg >= _LEAST_KEPT * poured):
            return mixes
        first = first or mixes
    if not first and refused:
        raise refused
    return first


def _may_come_in(here: Here, lot: MilkLot, recipe: Recipe | None) -> bool:
    """Whether another animal's milk may be proposed: this cheese could be made of it alone."""
    if recipe is None:
        return True
    verdict = slips.fitness_of(lot, here.known).verdict
    alone = replace(recipe, ratio=None)
    return fit(alone, [slips.pour_of(lot, here.known)], [verdict], here.house).answer != "not"


def _streams(
    here: Here,
    shelf: list[BenchRow],
    wish: Wish,
    recipe: Recipe | None,
    *,
    of_others: bool,
    held: bool,
) -> list[Stream]:
    """What is poured stands fixed unless a batch size is asked; the shelf and cream are free.

    of_others: another animal's milk may come in, where the recipe could be made of it alone; held:
    some of what is meant to be poured may be held back.
    """
    sized = any(target.kind in _SIZES for target in wish.targets)
    way = wish.cream
    in_vat = {species_of(row.lot.breed) for row in shelf if row.litres}
    streams = []
    for row in shelf:
        is_other = row.lot.kind == "milk" and species_of(row.lot.breed) not in in_vat
        if is_other and not (of_others and _may_come_in(here, row.lot, recipe)):
            continue
        if (
            not row.litres
            and row.lot.kind in ("milk", "cream")
            and not _goes_with(here, row, shelf)
        ):
            continue  # nor for raw milk in pasteurised, for what is odd, or will not set
        poured = slips.kg_of(row.lot, row.litres)
        left = slips.kg_of(row.lot, row.left_l)
        low, high = (0.0, left) if sized or not poured else (0.0 if held else poured, poured)
        streams.append(slips.stream_of(row.lot, here.known, low, high, main=poured > 0))
        if way and poured and row.lot.kind == "milk" and not row.lot.homogenised:
            pct = here.house.number("standard.cream_by_" + way)
            if pct > streams[-1].fat_pct:
                streams.append(slips.cream_off(row.lot, here.known, poured, pct))
    return streams


def _goes_with(here: Here, row: BenchRow, shelf: list[BenchRow]) -> bool:
    """Whether a lot may be proposed beside what stands in the vat."""
    heated = {benches.is_raw(each.lot) for each in shelf if each.litres} == {False}
    plain = is_plain(slips.fitness_of(row.lot, here.known))
    return plain and row.lot.treatment not in NO_SET and not (heated and benches.is_raw(row.lot))


def _told(
    here: Here,
    mix: StandardMix,
    shelf: list[BenchRow],
    *,
    blend: Blend,
    wish: Wish,
    recipe: Recipe | None,
) -> Suggestion:
    """What the hands do for a mix against what stands in the vat: words, litres, kg."""
    rows = {str(row.lot.id): row for row in shelf}
    deeds: list[Pouring] = []
    plan: list[tuple[str, float]] = []
    for stream, kg in mix.amounts:
        litres = kg / stream.kg_per_l
        if stream.key.startswith("cream-off:"):
            more = -litres - rows[stream.key.removeprefix("cream-off:")].cream_l
            if abs(more) > 0.005:
                deed = "take" if more > 0 else "put back"
                mass = abs(more) * stream.kg_per_l
                deeds.append(Pouring(words=f"{deed} {stream.name}", litres=abs(more), kg=mass))
            plan.append((f"cream:{stream.key.split(':')[1]}:{stream.fat_pct:g}", -litres))
            continue
        plan.append((stream.key, litres))
        change = litres - rows[stream.key].litres
        if change > 0.005:
            dry = stream.kind in DRY
            verb = "weigh in" if dry else f"pour {'more ' if stream.is_main else ''}of"
            deeds.append(
                Pouring(
                    words=f"{verb} {stream.name}",
                    litres=change,
                    kg=change * stream.kg_per_l,
                    dry=dry,
                )
            )
        elif change < -0.005:
            words = f"hold back {stream.name}"
            deeds.append(
                Pouring(
                    words=words,
                    litres=-change,
                    kg=-change * stream.kg_per_l,
                    dry=stream.kind in DRY,
                )
            )
    poured = {key for key, _ in plan}
    for key, row in rows.items():
        if row.litres > 0 and key not in poured:
            mass = slips.kg_of(row.lot, row.litres)
            deeds.append(Pouring(words=f"hold back {row.lot.name}", litres=row.litres, kg=mass))
    costs = None
    if recipe and not mix.missed:
        amounts = {stream.key: amount for stream, amount in mix.amounts}
        pours = [
            slips.pour_of(row.lot, here.known, amounts[key] / slips.kg_of(row.lot, 1.0))
            for key, row in rows.items()
            if amounts.get(key, 0.0) > 1e-6
        ]
        costs = costs_of(recipe, blend, pour(pours, here.house), mix, here.house)
    return Suggestion(
        mix=mix,
        deeds=deeds,
        plan=plan,
        rectangle=_rectangle(mix, blend, wish),
        costs=costs,
        becomes=_becomes(mix, blend),
    )


def _becomes(mix: StandardMix, blend: Blend) -> str:
    """What a mix makes of the batch that it was not before, "" for nothing."""
    before = {each.species for each in blend.pours}
    whole = sum(kg * s.casein_pct for s, kg in mix.amounts if kg > 0)
    parts: dict[str, float] = {}
    for stream, kg in mix.amounts:
        if kg > 0 and stream.kind == "milk" and stream.species not in before:
            parts[stream.species] = parts.get(stream.species, 0.0) + kg * stream.casein_pct
    if not parts:
        return ""
    said = " and ".join(f"{100 * part / whole:.0f} % {name}’s" for name, part in parts.items())
    return f"A cheese of mixed milk then: {said}, by casein; its label and its rennet follow."


def _rectangle(mix: StandardMix, blend: Blend, wish: Wish) -> Rectangle | None:
    """The rectangle of differences, when one stream beside the vat's milk meets a fat."""
    others = [(stream, kg) for stream, kg in mix.amounts if not stream.is_main]
    wanted = [target.kind for target in wish.targets]
    if len(others) != 1 or mix.missed or wanted not in (["fat"], ["protein"], ["casein"]):
        return None
    stream, kind = others[0][0], wanted[0]
    now: Figure = getattr(blend, kind)
    try:
        return rectangle(
            blend.mass.value, now.value, part_of(stream, kind), mix.reached[kind], stream.name
        )
    except CraftError:
        return None


# ── what the hands do ──
