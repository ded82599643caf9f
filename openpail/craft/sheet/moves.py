"""Steps that follow the milk: what of a recipe's steps another milk, or another size, moves.

A step was written for the recipe's own milk and pieces. It moves by what differs from those, and
by nothing when nothing does. Each move is a figure with its because, and can be left as written.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any, Literal

from openpail.craft.doses.asked import Job
from openpail.craft.doses.rennet import raw_against_heated
from openpail.craft.figure import Figure
from openpail.craft.milk.blend import VatMilk
from openpail.craft.milk.kinds import usual_ph
from openpail.craft.prose import Written, turned
from openpail.craft.recipe.recipe import Band, Recipe, RecipeStep
from openpail.craft.salt.hours import by_mass
from openpail.craft.sheet.renneted import acid_shift
from openpail.craft.units import HAIR

_SEEN = 0.1  # of a mm, a °C, a minute or a kg: less is no move
_TOLD_PH = 0.01

Part = Literal["cut_mm", "minutes", "celsius", "load_kg", "ph"]
_LEAST: Mapping[str, float] = {"cut_mm": 0.5, "celsius": 0.2, "ph": 0.02}
_LEAST_SHARE = 0.03
_LEAST_FAT_PCT = 0.1
_MOST_COOKED_C = 60.0
_MOST_RIPENING = 5.0
_IN_VAT = frozenset({"heat", "stir", "hold", "add water", "settle"})
_OUT_OF_VAT = frozenset({"drain", "mould", "press", "hang"})
_LIMITS = {"mild": "sense.mild_most_c", "both": "sense.both_most_c", "hot": "sense.hot_most_c"}


@dataclass(frozen=True, slots=True, kw_only=True)
class Move:
    """One thing of a step that this milk moves: as written, and for this milk.

    left: the maker leaves it as written.
    """

    step: str
    part: Part
    title: str
    written: Figure
    figure: Figure
    left: bool = False

    @property
    def value(self) -> float:
        """What stands."""
        return self.written.value if self.left else self.figure.value


@dataclass(frozen=True, slots=True)
class Spoken:
    """Words for a step, where no figure moves."""

    step: str
    words: str


@dataclass(frozen=True, slots=True)
class Moved:
    """What of the steps moves, and what is said of them beside.

    wheel_kg: the recipe does not say what its press and brine are for; it made so much cheese.
    """

    moves: tuple[Move, ...] = ()
    words: tuple[Spoken, ...] = ()
    wheel_kg: float | None = None

    def of(self, step: str) -> tuple[Move, ...]:
        """The moves of a step that are not left as written."""
        return tuple(each for each in self.moves if each.step == step and not each.left)

    def said(self, step: str) -> tuple[str, ...]:
        """What is said of a step beside its own words."""
        return tuple(each.words for each in self.words if each.step == step)


NOTHING_MOVES = Moved()


def moved(recipe: Recipe, moves: Iterable[Move]) -> Recipe:
    """The recipe with its steps as this milk moves them.

    Parameters: recipe as written; moves, those left as written change nothing. Source: derivation.
    """
    by_step: dict[str, dict[str, Any]] = {}
    for each in moves:
        if not each.left:
            by_step.setdefault(each.step, {})[each.part] = each.figure.value
    if not by_step:
        return recipe
    return replace(
        recipe, steps=tuple(_moved(step, by_step.get(step.key)) for step in recipe.steps)
    )


def _moved(step: RecipeStep, parts: Mapping[str, float] | None) -> RecipeStep:
    if not parts:
        return step
    change: dict[str, Any] = dict(parts)
    if "celsius" in change and step.celsius:
        change["celsius"] = step.celsius.moved(change["celsius"] - step.celsius.target)
    if "ph" in change and step.ph:
        change["ph"] = step.ph.moved(change["ph"] - step.ph.target)
    if "minutes" in change:
        change["hands_on_minutes"] = min(step.hands_on_minutes, change["minutes"])
    return replace(step, **change)


@dataclass(frozen=True, slots=True, kw_only=True)
class TwoMilks:
    """What the moves are told from: the two milks, the two cheeses (kg), how firm at the cut."""

    own: VatMilk
    milk: VatMilk
    own_cheese_kg: float
    cheese_kg: float
    firm: float | None


def moves(job: Job, against: TwoMilks) -> Moved:
    """How this milk and this size move the recipe's steps.

    Parameters: job; against, this milk and the recipe's. Returns: nothing when they are the same.
    Source: house values, shaped on Fox; Park; Guinee & Fox; makers' practice; press and brine by
    area and mass.
    """
    told = _Telling(job, against)
    for step in job.recipe.steps:
        told.look(step)
    sized = any(step.load_kg or step.kind == "brine" for step in job.recipe.steps)
    whose = against.own_cheese_kg if sized and job.recipe.wheels is None else None
    return Moved(tuple(told.found()), tuple(told.words), whose)


def titled(title: str, moves: Iterable[Move]) -> str:
    """A step's title with its figures as this milk moves them: “Cut to 16 mm”, where 13 is written.

    Parameters: title, as written; moves of its step. Source: derivation.
    """
    units = {"cut_mm": ("mm",), "celsius": ("C",)}
    for move in moves:
        if move.left or move.part not in units:
            continue
        sign, digits = ("mm", 0) if move.part == "cut_mm" else ("°C", 1)

        def say(
            figure: Written, move: Move = move, sign: str = sign, digits: int = digits
        ) -> str | None:
            moved_by = abs(figure.values[0] - move.written.value)
            same = figure.unit in units[move.part] and moved_by < _SEEN
            return (
                f"{move.figure.value:.{digits}f}".removesuffix(".0") + f" {sign}" if same else None
            )

        title = turned(title, say)
    return title


class _Telling:
    """The moves of one job, gathered step by step."""

    def __init__(self, job: Job, against: TwoMilks) -> None:
        self.job, self.house, self.recipe = job, job.house, job.recipe
        self.own, self.milk, self.firm = against.own, against.milk, against.firm
        self.cheese = against.cheese_kg, against.own_cheese_kg
        self.words: list[Spoken] = []
        self._figures: dict[tuple[str, Part], tuple[RecipeStep, Figure]] = {}
        self._cut = self._stirred = self._pressed = self._out = False
        self._weak = self.firm is not None and self.firm < self.house.number("move.weak_under")
        self._acid_by = acid_shift(job)
        self._raw = raw_against_heated(self.milk, self.own)

    def look(self, step: RecipeStep) -> None:
        """See what of a step moves."""
        in_vat = self._cut and not self._out and step.kind in _IN_VAT
        if step.cut_mm:
            self._sized(step)
        if step.ph and self._acid_by and any(self._is_acid(each) for each in step.adds):
            self._acidified(step, step.ph)
        if step.kind == "heal":
            self._healed(step)
        if in_vat and step.kind in ("stir", "heat") and not self._stirred:
            self._stirred = True
            if self._weak:
                words = "Gently for the first 10 min, with the flat of the spoon: the curd is soft."
                self.words.append(Spoken(step.key, words))
        if in_vat and self._is_cooked(step):
            self._cooked(step)
        if in_vat and step.kind in ("stir", "hold"):
            self._held(step)
        if step.kind == "hang" or (step.kind == "drain" and self.recipe.family == "lactic"):
            self._drained(step)
        if step.kind == "press" and step.load_kg:
            self._loaded(step)
        if step.kind == "brine":
            self._brined(step)
        if step is self.recipe.ripening():
            self._ripened(step)
        self._cut = self._cut or step.kind == "cut"
        self._out = self._out or (self._cut and step.kind in _OUT_OF_VAT)

    def found(self) -> Iterator[Move]:
        """Every move that is worth telling."""
        for (key, part), (step, figure) in self._figures.items():
            written = figure.running()[0][1]
            least = _LEAST.get(part, max(_LEAST_SHARE * written, 1.0 if part == "minutes" else 0.0))
            if abs(figure.value - written) < least - HAIR:
                continue
            start = Figure.start("as written", written, figure.unit, source="the recipe")
            left = (key, part) in self.job.as_written or not self.job.ways.move_steps
            if (key, part) in self.job.moved:
                left = False
            yield Move(
                step=key, part=part, title=step.title, written=start, figure=figure, left=left
            )

    # ── figures ──

    def _start(self, step: RecipeStep, part: Part, value: float, unit: str) -> Figure:
        if (step.key, part) in self._figures:
            return self._figures[step.key, part][1]
        return Figure.start("as written", value, unit, source="the recipe")

    def _keep(self, step: RecipeStep, part: Part, figure: Figure) -> None:
        self._figures[step.key, part] = (step, figure)

    def _species(self, name: str) -> float:
        """By how much more casein here is of an animal than in the recipe's milk."""
        mine, theirs = self.milk.casein_shares(), self.own.casein_shares()
        return mine.get(name, 0.0) - theirs.get(name, 0.0)  # type: ignore[call-overload,no-any-return]

    def _mark(self, mark: str) -> float:
        """By how much more of the milk here was homogenised, or heated so, than the recipe's."""

        def share(milk: VatMilk) -> float:
            if mark == "homogenised":
                return milk.by_heat(lambda each: each.homogenised)
            return milk.by_heat(lambda each: each.treatment == mark)

        return share(self.milk) - share(self.own)

    def _scaled(
        self,
        figure: Figure,
        rows: Iterable[tuple[str, str, float]],
        least: str = "",
        most: str = "",
    ) -> Figure:
        """A figure times house values, each to the power of a difference of shares; within bounds
        of the recipe's own."""
        start = figure.value
        for words, key, power in rows:
            factor = self.house.number(key) ** power
            if abs(factor - 1) > HAIR:
                source = self.house.source(key)
                figure = figure.times(words, factor, source=source, house_key=key)
        if least:
            figure = self._held_within(figure, start, least, most)
        return figure

    def _held_within(self, figure: Figure, start: float, least: str, most: str) -> Figure:
        low, high = start * self.house.number(least), start * self.house.number(most)
        if figure.value < low:
            return figure.then("at_least", "no smaller than this", low, figure.unit)
        if figure.value > high:
            return figure.then("at_most", "no larger than this", high, figure.unit)
        return figure

    # ── the rules ──

    def _sized(self, step: RecipeStep) -> None:
        rows = [
            (f"{name}’s milk: its set", f"move.cut_{name}", self._species(name))
            for name in ("goat", "sheep", "buffalo")
        ]
        rows += [
            (words, f"move.cut_{mark}", self._mark(mark))
            for mark, words in (
                ("homogenised", "homogenised: a weak set"),
                ("high_heat", "high-heat: a weak set"),
                ("scalded", "scalded: a weak set"),
            )
        ]
        start = self._start(step, "cut_mm", step.cut_mm or 0.0, "mm")
        figure = self._scaled(start, rows, "move.cut_least", "move.cut_most")
        self._keep(step, "cut_mm", figure)

    def _is_acid(self, key: str) -> bool:
        acid = self.recipe.ingredient("acid")
        return acid is not None and acid.key == key

    def _acidified(self, step: RecipeStep, band: Band) -> None:
        start = self._start(step, "ph", band.target, "pH")
        more = {"unit": "pH", "source": "house value"}
        words = "this acid wants another: citrate binds calcium, the others do not"
        figure = (
            start.plus(words, self._acid_by, **more)
            if self._acid_by > 0
            else start.minus(words, -self._acid_by, **more)
        )
        self._keep(step, "ph", figure)

    def _healed(self, step: RecipeStep) -> None:
        figure = self._start(step, "minutes", step.minutes, "min")
        weak = sum(self._mark(each) for each in ("homogenised", "high_heat", "scalded"))
        for words, by in (
            ("goat’s milk: the skin comes later", self._species("goat")),
            ("homogenised or strongly heated: the skin comes later", max(-1.0, min(1.0, weak))),
        ):
            if by:
                key = "move.heal"
                more = self.house.number(key) * by
                figure = figure.plus(
                    words, more, "min", source=self.house.source(key), house_key=key
                )
        if figure.value < 0:
            figure = figure.then("at_least", "not under nothing", 0.0, "min")
        self._keep(step, "minutes", figure)

    def _is_cooked(self, step: RecipeStep) -> bool:
        warm = step.celsius and step.celsius.target
        return bool(warm and (self.recipe.renneting_c or 0.0) + 1 < warm <= _MOST_COOKED_C)

    def _cooked(self, step: RecipeStep) -> None:
        assert step.celsius
        house, written = self.house, step.celsius.target
        figure = self._start(step, "celsius", written, "°C")
        # a milk without fat has no such ratio: it is held against as much as the house moves by
        mine, theirs = (
            milk.casein_pct / max(milk.fat_pct, _LEAST_FAT_PCT) for milk in (self.milk, self.own)
        )
        key = "move.cook_per_tenth"
        by = house.number(key) * (theirs - mine) / 0.1
        most = house.number("move.cook_by_fat_most")
        by = max(-most, min(most, by))
        if abs(by) > HAIR:
            words = f"casein to fat {mine:.2f}, the recipe’s {theirs:.2f}: fat holds whey back"
            figure = figure.plus(words, by, "°C", source=house.source(key), house_key=key)
        for words, key, share in (
            ("buffalo curd keeps its whey", "move.cook_buffalo", self._species("buffalo")),
            ("goat’s curd loses its whey", "move.cook_goat", self._species("goat")),
        ):
            if share:
                figure = figure.plus(
                    words,
                    house.number(key) * share,
                    "°C",
                    source=house.source(key),
                    house_key=key,
                )
        self._keep(step, "celsius", self._kept_alive(figure, written))

    def _kept_alive(self, figure: Figure, written: float) -> Figure:
        """No further than two degrees, and no warmer than its culture stands."""
        most = self.house.number("move.cook_most")
        if figure.value > written + most:
            figure = figure.then("at_most", "no further from the recipe", written + most, "°C")
        if figure.value < written - most:
            figure = figure.then("at_least", "no further from the recipe", written - most, "°C")
        sorts = [
            self.job.bottle(each).sort
            for each in self.recipe.ingredients
            if each.product.kind == "culture"
        ]
        stands = [self.house.number(_LIMITS[sort]) for sort in sorts if sort in _LIMITS]
        if stands and figure.value > max(*stands, written):
            words = "its culture stands no more"
            figure = figure.then("at_most", words, max(*stands, written), "°C")
        return figure

    def _held(self, step: RecipeStep) -> None:
        rows = (
            ("homogenised: whey leaves slowly", "move.hold_homogenised", self._mark("homogenised")),
            ("buffalo curd: whey leaves slowly", "move.hold_buffalo", self._species("buffalo")),
        )
        start = self._start(step, "minutes", step.minutes, "min")
        self._keep(step, "minutes", self._scaled(start, rows))
        if self._raw and step.sign:
            words = "Raw milk, where the recipe’s was heated: look for the sign 10 min sooner."
            self.words.append(Spoken(step.key, words))

    def _drained(self, step: RecipeStep) -> None:
        lean = self.house.number("move.lean_under")
        thin = float(self.milk.fat_pct < lean) - float(self.own.fat_pct < lean)
        by = max(-1.0, min(1.0, self._mark("homogenised") + thin))
        rows = (("homogenised or lean: fine curd clogs the cloth", "move.drain_fine", by),)
        start = self._start(step, "minutes", step.minutes, "min")
        self._keep(step, "minutes", self._scaled(start, rows))

    def _pieces(self) -> tuple[int, float, float] | None:
        """How many pieces this cheese makes, how much heavier each is, and its larger area."""
        wheels, (mine, theirs) = self.recipe.wheels, self.cheese
        if wheels is None or mine <= 0 or theirs <= 0:
            return None
        each = theirs / wheels.pieces
        count = max(1, round(mine / each))
        heavier = mine / count / each
        near = self.house.number("move.same_mould")
        area = 1.0 if 1 / near <= heavier <= near else heavier ** (2 / 3)
        return count, heavier, area

    def _loaded(self, step: RecipeStep) -> None:
        figure = self._start(step, "load_kg", step.load_kg or 0.0, "kg")
        pieces, wheels = self._pieces(), self.recipe.wheels
        if pieces and wheels:
            count, _, area = pieces
            beside = 1.0 if wheels.stacked else count / wheels.pieces
            by = area * beside
            if abs(by - 1) > HAIR:
                one = "a piece" if count == 1 else f"{count} pieces"
                words = f"{one} of {self.cheese[0] / count:.2f} kg: by the area it lies on"
                figure = figure.times(words, by, source="p = m g / A")
        if self._weak and not self._pressed:
            key = "move.first_press"
            words = "a soft curd: hard pressing closes its face too soon"
            figure = figure.times(
                words, self.house.number(key), source=self.house.source(key), house_key=key
            )
        self._pressed = True
        self._keep(step, "load_kg", figure)

    def _brined(self, step: RecipeStep) -> None:
        pieces = self._pieces()
        if pieces is None:
            return
        figure = self._start(step, "minutes", step.minutes, "min")
        count, heavier, _ = pieces
        if abs(heavier - 1) > HAIR:
            words = f"pieces of {self.cheese[0] / count:.2f} kg: salt goes in by mass"
            figure = figure.times(
                words,
                by_mass(heavier, self.house),
                source=self.house.source("brine.rule_mass"),
                house_key="brine.rule_mass",
            )
        self._keep(step, "minutes", figure)

    def _ripened(self, step: RecipeStep) -> None:
        goal, ph = self.recipe.renneting_ph(), self.milk.ph
        if goal is None or ph is None or self.job.ways.ripen != "to_ph":
            return
        theirs = usual_ph(self.own.casein_shares(), self.house) - goal.target
        if theirs <= _TOLD_PH or abs(ph - goal.target - theirs) < HAIR:
            return
        figure = self._start(step, "minutes", step.minutes, "min").times(
            f"from pH {ph:.2f} to {goal.target:.2f}; the recipe’s milk falls by {theirs:.2f}",
            (ph - goal.target) / theirs,
            source="house value",
        )
        if figure.value < 0:
            figure = figure.then("at_least", "rennet as soon as it is warm", 0.0, "min")
        most = _MOST_RIPENING * step.minutes
        if figure.value > most:
            figure = figure.then(
                "at_most", "then look at the culture, not at the clock", most, "min"
            )
        key = "move.ripening_sd"
        self._keep(step, "minutes", figure.give_or_take(self.house.number(key) * figure.value))
