"""What a make teaches: of its bottle by the flocks, of its vat by the warmings and by what it goes
on by after the heat is off, of an acid by how much of it was wanted.

It is worked out anew from the standing whenever that changes, so that a correction reaches it.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from openpail.craft.doses.acid import acid_in
from openpail.craft.make.additions import expected_flocks, is_another_rennet
from openpail.craft.make.deeds import AcidGiven, HeatOff
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.standing import Standing
from openpail.craft.milk.kinds import BREEDS, Breed
from openpail.craft.recipe.recipe import Recipe


@dataclass(frozen=True, slots=True)
class FlocksTaught:
    """Flocks with the bottle they speak of: minutes seen, and those of its label alone."""

    bottle: str
    animals: Breed
    observed_min: float
    expected_min: float
    at: datetime


@dataclass(frozen=True, slots=True)
class WarmingTaught:
    """One warming as it was read: kg, °C at its first and last reading, minutes between them."""

    mass_kg: float
    from_c: float
    to_c: float
    minutes: float
    at: datetime


def by_flocks(recipe: Recipe, sheet: Frozen, standing: Standing) -> FlocksTaught | None:
    """What the first flocks teach of the bottle; None where nothing can be learnt.

    A temperature must have been read, the model must hold there, the bottle be one of the stock,
    and the flocks near what was expected, or the maker's word that they count.
    Parameters: recipe, sheet and standing of the make. Source: house value.
    """
    times = sheet.set
    due = expected_flocks(recipe, sheet, standing)
    seen = standing.believed_min(due or None)
    read = any(each.celsius is not None for each in standing.readings)
    if not seen or standing.flocks is None or not read or times is None or not times.holds:
        return None
    breed: Breed | None = next((each for each in BREEDS if each == sheet.milk.most.breed), None)
    expected = due * sheet.learnt
    if not sheet.rennet or is_another_rennet(recipe, standing) or breed is None or expected <= 0:
        return None
    return FlocksTaught(sheet.rennet, breed, seen, expected, standing.flocks.at)


def by_warmings(
    recipe: Recipe, sheet: Frozen, standing: Standing, started: datetime
) -> Mapping[str, WarmingTaught]:
    """What each warming of milk shows of the vat, by step.

    A warming runs from the deed before it to its own end; it teaches with two readings of the
    temperature or more in it. Parameters: recipe, sheet and standing; started, the make's start.
    Source: heat balance.
    """
    ends = sorted({each.at for each in standing.done.values()})
    found: dict[str, WarmingTaught] = {}
    for step in recipe.steps:
        done = standing.done.get(step.key)
        if step.kind != "warm" or done is None:
            continue
        since = max((at for at in ends if at < done.at), default=started)
        read = [
            (each.at, each.celsius)
            for each in standing.readings
            if each.celsius is not None and since <= each.at <= done.at
        ]
        if len(read) < 2:
            continue
        (first_at, first), (last_at, last) = read[0], read[-1]
        minutes = (last_at - first_at).total_seconds() / 60
        mass = sum(pour.mass_kg for pour in sheet.milk.pours)
        found[step.key] = WarmingTaught(mass, first, last, minutes, done.at)
    return found


@dataclass(frozen=True, slots=True)
class OvershootTaught:
    """What a vat went on by after the heat was off: °C, and when."""

    over_c: float
    at: datetime


_JUST_BEFORE, _SOON_AFTER = timedelta(minutes=4), timedelta(minutes=25)
_LEAST_AFTER = timedelta(minutes=2)
_MOST_OVER_C = 12.0


def by_heat_off(standing: Standing) -> tuple[OvershootTaught, ...]:
    """What each heat-off shows of the vat.

    It teaches with a reading in the four minutes before it and one 2 to 25 min after.
    Parameters: standing. Source: house value.
    """
    found = []
    for tap, _ in standing.of(HeatOff):
        read = [each for each in standing.readings if each.celsius is not None]
        before = [each for each in read if tap.at - _JUST_BEFORE <= each.at <= tap.at]
        after = [each for each in read if tap.at + _LEAST_AFTER <= each.at <= tap.at + _SOON_AFTER]
        if not before or not after:
            continue
        over = max(each.celsius or 0.0 for each in after) - (before[-1].celsius or 0.0)
        if -1.0 <= over <= _MOST_OVER_C:
            found.append(OvershootTaught(max(0.0, over), tap.at))
    return tuple(found)


@dataclass(frozen=True, slots=True)
class AcidTaught:
    """How much of an acid a hot milk really wanted, against what was expected."""

    acid: str
    animals: Breed
    used: float
    expected: float
    at: datetime


def by_acid(recipe: Recipe, sheet: Frozen, standing: Standing) -> AcidTaught | None:
    """What an acid-and-heat make teaches of its acid in this milk; None before the step is done.

    Parameters: recipe, sheet and standing of the make. Source: house value.
    """
    acid = recipe.ingredient("acid")
    line = sheet.line(acid.key) if acid else None
    given = standing.of(AcidGiven)
    if acid is None or line is None or not given or line.figure.value <= 0:
        return None
    step = next((each for each in recipe.steps if acid.key in each.adds), None)
    done = standing.done.get(step.key) if step else None
    breed: Breed | None = next((each for each in BREEDS if each == sheet.milk.most.breed), None)
    if done is None or breed is None:
        return None
    bottle = sheet.bottles.get(acid.key, acid.product)
    used = sum(deed.amount for _, deed in given)
    expected = line.figure.value / (sheet.acid_learnt or 1.0)
    return AcidTaught(acid_in(bottle), breed, used, expected, done.at)


@dataclass(frozen=True, slots=True)
class MakeTaught:
    """All that a make teaches as it stands now."""

    flocks: FlocksTaught | None
    warmings: Mapping[str, WarmingTaught]
    overshoots: tuple[OvershootTaught, ...]
    acid: AcidTaught | None


def lessons(recipe: Recipe, sheet: Frozen, standing: Standing, started: datetime) -> MakeTaught:
    """What a make teaches; nothing of its vat when the maker leaves it out of the learning.

    Parameters: recipe, sheet and standing; started, the make's start. Source: derivation.
    """
    counts = standing.flocks_count is not False
    return MakeTaught(
        by_flocks(recipe, sheet, standing),
        by_warmings(recipe, sheet, standing, started) if counts else {},
        by_heat_off(standing) if counts else (),
        by_acid(recipe, sheet, standing),
    )
