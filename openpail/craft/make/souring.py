"""When the acid comes to the next pH that a recipe waits for: by hand, by the probe, by both."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from openpail.craft.make.acid_curve import expected_of, forecast
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.standing import Reading, Standing
from openpail.craft.recipe.recipe import Recipe, RecipeStep, StepKind
from openpail.craft.recipe.steps import PlannedStep

# A probe speaks every five minutes; the curve of an acid wants no more than two values an hour.
_APART = timedelta(minutes=30)
# Steps that end when it is sour enough, where the recipe asks to read it. A stir ends when the curd
# is dry enough, a night's drain and a press in the morning: their pH is judged, and told beside.
_BY_ACID: frozenset[StepKind] = frozenset({"wait", "cheddar"})


@dataclass(frozen=True, slots=True, kw_only=True)
class AcidAhead:
    """The next milestone of the acid: of which step, its pH and band; last, the newest reading;
    at, early and late, when it comes, None while too little was read; passed, when it was read to
    be there."""

    step: str
    ph: float
    low: float
    high: float
    last: Reading | None = None
    at: datetime | None = None
    early: datetime | None = None
    late: datetime | None = None
    passed: datetime | None = None

    @property
    def words(self) -> str:
        """What the readings do not tell yet, "" where they do."""
        if self.last is None or self.at or self.passed:
            return ""
        return f"one more reading tells when {self.ph:.2f} comes"

    def should_be_there(self, now: datetime) -> bool:
        """Whether even the late end of the forecast is over, and nobody read it since.

        Parameters: now. Source: derivation.
        """
        return self.late is not None and self.late < now


def ends_by_acid(step: RecipeStep) -> bool:
    """Whether it is the pH that ends a step, once it was read.

    Parameters: step. Source: usual practice.
    """
    return step.kind in _BY_ACID and step.ph is not None and "ph" in step.asks


def read_so_far(standing: Standing, stream: Sequence[Reading]) -> list[Reading]:
    """Every pH that was read, by hand and by the probe, by time.

    Parameters: standing; stream, the probe's values, by time. Source: derivation.
    """
    by_hand = [each for each in standing.readings if each.ph is not None]
    by_probe: list[Reading] = []
    sour = [each for each in stream if each.ph is not None]
    for each in sour:
        if not by_probe or each.at - by_probe[-1].at >= _APART or each is sour[-1]:
            by_probe.append(each)
    return sorted((*by_hand, *by_probe), key=lambda each: each.at)


def acid_ahead(
    recipe: Recipe,
    sheet: Frozen,
    planned: Sequence[PlannedStep],
    standing: Standing,
    *,
    started: datetime,
    stream: Sequence[Reading] = (),
) -> AcidAhead | None:
    """The next pH that the recipe waits for, and when it comes; None where it waits for none.

    Parameters: recipe and sheet; planned, its steps laid out; standing; started, the make's start;
    stream, what the probe showed, by time. Source: the curve through all that was read.
    """
    coming = next((e for e in recipe.steps if e.ph and e.key not in standing.done), None)
    culture = standing.culture_at
    if coming is None or culture is None or coming.ph is None:
        return None
    band, sour = coming.ph, read_so_far(standing, stream)
    found = AcidAhead(step=coming.key, ph=band.target, low=band.low, high=band.high)
    found = replace(found, last=sour[-1]) if sour else found
    after = [(each.at, each.ph or 0.0) for each in sour if each.at >= culture]
    there = next((at for at, ph in after if ph <= band.target), None)
    if not sour or there is not None:
        return replace(found, passed=there)
    start = next((each.ph for each in sour if each.at <= culture), None)
    start = start or (sheet.milk.ph.value if sheet.milk.ph else None) or sour[0].ph or 0.0
    goes = expected_of(planned, (culture - started).total_seconds() / 60, start)
    hours = tuple(((at - culture).total_seconds() / 3600, ph) for at, ph in after)
    told = forecast(((0.0, start), *hours), goes, band.target) if goes and hours else None
    if told is None:
        return found
    at, early, late = (culture + timedelta(hours=e) for e in (told.hours, told.early, told.late))
    return replace(found, at=at, early=early, late=late)
