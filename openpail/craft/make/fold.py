"""Deeds folded into where a make stands.

The same deeds in any order of arrival, with repeats, come to the same standing. A step that two
devices ended is done once, when the earlier of them says; both stay in the record.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime

from openpail.craft.make.deeds import (
    Amended,
    Counted,
    FirstFlocks,
    GivenUp,
    InBrine,
    Loaded,
    Moulded,
    PortionGiven,
    ReadingTaken,
    SetLooked,
    StepAgain,
    StepBegun,
    StepDone,
    StepSkipped,
    Told,
    Undone,
    Weighed,
    WheyKept,
    amended,
)
from openpail.craft.make.order import portions_of, set_step
from openpail.craft.make.standing import Caught, Done, Ended, Reading, Standing, Tap
from openpail.craft.recipe.recipe import Recipe


def standing_deeds(told: Iterable[Told]) -> list[Told]:
    """The deeds as they stand: undone ones left out, amended ones as they are now.

    Parameters: told, in any order, each as often as it arrived. Returns: in order.
    Source: derivation.
    """
    once = {each.id: each for each in told}
    ordered = sorted(once.values(), key=lambda each: each.order)
    undone = {each.amends for each in ordered if isinstance(each.deed, Undone)}
    found = {
        each.id: each
        for each in ordered
        if each.id not in undone and not isinstance(each.deed, Amended | Undone)
    }
    for each in ordered:
        target = found.get(each.amends or "")
        if isinstance(each.deed, Amended) and each.id not in undone and target:
            found[target.id] = amended(target, each.deed)
    return sorted(found.values(), key=lambda each: each.order)


def amended_ids(told: Iterable[Told]) -> frozenset[str]:
    """The deeds that were amended, and the amendment stands.

    Parameters: told, every deed of one make. Source: derivation.
    """
    every = list(told)
    undone = {each.amends for each in every if isinstance(each.deed, Undone)}
    return frozenset(
        each.amends or ""
        for each in every
        if isinstance(each.deed, Amended) and each.id not in undone
    )


def fold(recipe: Recipe, told: Iterable[Told]) -> Standing:
    """What the deeds of a make come to.

    Parameters: recipe, as it was when the make began; told, in any order, with repeats.
    Source: derivation.
    """
    every = list(told)
    standing, mended = standing_deeds(every), amended_ids(every)
    steps = _Steps(recipe)
    for each in standing:
        steps.take(each)
    flocks = [(each, each.deed) for each in standing if isinstance(each.deed, FirstFlocks)]
    weighed = [(each, each.deed) for each in standing if isinstance(each.deed, Weighed)]
    ended = [(each, each.deed) for each in standing if isinstance(each.deed, GivenUp)]
    counts = [deed.counts for _, deed in flocks[:1]]
    counts += [each.deed.counts for each in standing if isinstance(each.deed, Counted)]
    readings = tuple(
        _reading(each, each.deed, mended)
        for each in standing
        if isinstance(each.deed, ReadingTaken) and each.deed != ReadingTaken()
    )
    given = {key: each for key, each in steps.done.items() if key not in steps.skipped}
    return Standing(
        done=steps.done,
        readings=readings,
        count=len(readings),
        culture_at=_given_at(recipe, given, "culture"),
        cultured_at=_given_at(recipe, steps.first, "culture"),
        rennet_at=_given_at(recipe, given, "rennet"),
        flocks=Done(flocks[0][0].id, flocks[0][0].at) if flocks else None,
        weighed=Done(weighed[0][0].id, weighed[0][0].at) if weighed else None,
        pieces_kg=weighed[0][1].pieces_kg if weighed else (),
        whey=tuple(
            Caught(each.id, each.at, each.deed.litres)
            for each in standing
            if isinstance(each.deed, WheyKept)
        ),
        met=tuple(steps.met),
        flocks_count=counts[-1] if counts else None,
        word=weighed[0][1].word if weighed else "",
        about=bool(weighed and weighed[0][1].about),
        ended=Ended(ended[0][0].at, ended[0][1].became, ended[0][1].word) if ended else None,
        skipped=steps.skipped,
        begun=steps.begun,
        again=steps.again,
        taps=tuple(Tap(each.id, each.at, each.deed) for each in standing if _kept_whole(each)),
    )


class _Steps:
    """The steps of a make as its deeds come, one after the other."""

    def __init__(self, recipe: Recipe) -> None:
        self.recipe = recipe
        self.done: dict[str, Done] = {}
        self.first: dict[str, Done] = {}
        self.skipped: dict[str, str] = {}
        self.begun: dict[str, datetime] = {}
        self.again: dict[str, int] = {}
        self.met: list[str] = []
        self._portions: dict[str, int] = {}

    def take(self, each: Told) -> None:
        """One deed more."""
        match each.deed:
            case StepBegun(step) if step not in self.done:
                self.begun[step] = each.at
            case Loaded(step=step) | InBrine(step=step) if step not in self.done:
                self.begun.setdefault(step, each.at)
            case StepAgain(step) if step in self.done:
                del self.done[step]
                self.skipped.pop(step, None)
                self._portions.pop(step, None)
                self.begun[step] = each.at
                self.again[step] = self.again.get(step, 0) + 1
            case StepSkipped(step, word):
                if step not in self.done:
                    self.skipped[step] = word
                self._end(step, each)
            case _:
                for step in self._ended_by(each):
                    self._end(step, each)

    def _end(self, step: str, each: Told) -> None:
        if step in self.done:
            self.met.append(each.id)
        self.done.setdefault(step, Done(each.id, each.at))
        if step not in self.skipped:
            self.first.setdefault(step, Done(each.id, each.at))

    def _ended_by(self, each: Told) -> Sequence[str]:
        """The steps that a deed ends: first flocks the one that waits for them, a clean break the
        set, the last part the step that gives it."""
        match each.deed:
            case StepDone(step=step) | Moulded(step=step):
                return (step,)
            case FirstFlocks():
                return [step.key for step in self.recipe.steps if "flocks" in step.asks][:1]
            case SetLooked("clean" | "over"):
                found = set_step(self.recipe)
                return () if found is None or found in self.done else (found,)
            case PortionGiven(step) if step not in self.done:
                given = self._portions[step] = self._portions.get(step, 0) + 1
                return (step,) if given >= portions_of(self.recipe, step) else ()
        return ()


def _kept_whole(each: Told) -> bool:
    """What the standing keeps as it was told: not what it folds, nor a step done without a word."""
    if isinstance(each.deed, StepDone):
        return bool(each.deed.gave or each.deed.bottles or each.deed.word)
    return not each.deed.is_folded


def _given_at(recipe: Recipe, done: Mapping[str, Done], kind: str) -> datetime | None:
    """When the first product of a kind went in, whatever the recipe calls it."""
    keys = {each.key for each in recipe.ingredients if each.product.kind == kind}
    for step in recipe.steps:
        if keys & set(step.adds) and step.key in done:
            return done[step.key].at
    return None


def _reading(each: Told, deed: ReadingTaken, mended: frozenset[str]) -> Reading:
    return Reading(
        id=each.id,
        at=each.at,
        celsius=deed.celsius,
        ph=deed.ph,
        note=deed.note,
        amended=each.id in mended,
        acid_pct=deed.acid_pct,
    )
