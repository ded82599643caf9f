"""What a make teaches: of its bottle by the flocks, of its vat by the warmings and by what it goes
on by after the heat is off, of an acid by how much of it was wanted, of its cheese by the scale, of
its culture by the pH.

It is worked out anew from the standing whenever that changes, so that a correction reaches it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import pairwise

from openpail.craft.doses.acid import acid_in
from openpail.craft.doses.culture import minutes_longer
from openpail.craft.house import House
from openpail.craft.make.additions import (
    expected_flocks,
    is_another,
    is_another_rennet,
    read_at_rennet,
)
from openpail.craft.make.by_sheet import planned_by
from openpail.craft.make.deeds import AcidGiven, HeatOff
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.standing import Standing
from openpail.craft.milk.kinds import BREEDS, Breed
from openpail.craft.recipe.recipe import Recipe


@dataclass(frozen=True, slots=True, kw_only=True)
class FlocksTaught:
    """Flocks with the bottle they speak of: minutes seen, and those of its label alone."""

    bottle: str
    animals: Breed
    observed_min: float
    expected_min: float
    at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class WarmingTaught:
    """One warming as it was read: kg, °C at its first and last reading, minutes between them."""

    mass_kg: float
    from_c: float
    to_c: float
    minutes: float
    at: datetime


def by_flocks(recipe: Recipe, sheet: Frozen, standing: Standing) -> FlocksTaught | None:
    """What the first flocks teach of the bottle; None where nothing can be learnt.

    The milk must have been read just before the rennet, the model must hold there, the bottle be
    one of the stock, and the flocks near what was expected, or the maker's word that they count.
    What was expected is reckoned at the warmth and the pH that were read, and of what was given: a
    cold milk does not teach that the bottle is weak.
    Parameters: recipe, sheet and standing of the make. Source: house value.
    """
    due = expected_flocks(recipe, sheet, standing)
    seen = standing.taught_min(due or None, sheet.house)
    if seen is None or standing.flocks is None or _flocks_lack(recipe, sheet, standing):
        return None
    breed: Breed | None = next((each for each in BREEDS if each == sheet.milk.most.breed), None)
    expected = due * sheet.learnt * _as_now(sheet)
    if breed is None or expected <= 0:
        return None
    return FlocksTaught(
        bottle=sheet.rennet,
        animals=breed,
        observed_min=seen,
        expected_min=expected,
        at=standing.flocks.at,
    )


_MODEL_BEFORE_MIN, _SOXHLET_BEFORE = 13.0, 100.0


def _as_now(sheet: Frozen) -> float:
    """A sheet that was frozen with the shorter minutes of before teaches against those of now."""
    house, now = sheet.house, House()
    of_soxhlet = any(each.scale == "soxhlet" for each in sheet.bottles.values())
    share = 1.0
    if _as_shipped(house, "rennet.minutes", _MODEL_BEFORE_MIN):
        share *= now.number("rennet.minutes") / _MODEL_BEFORE_MIN
    if of_soxhlet and _as_shipped(house, "rennet.imcu_per_soxhlet", _SOXHLET_BEFORE):
        share *= _SOXHLET_BEFORE / now.number("rennet.imcu_per_soxhlet")
    return share


def _as_shipped(house: House, key: str, before: float) -> bool:
    """Whether a value is what was shipped before, and no choice of the dairy."""
    return key not in house.overrides and house.number(key) == before


def _flocks_lack(recipe: Recipe, sheet: Frozen, standing: Standing) -> str:
    """Why flocks that were seen teach nothing of the bottle, "" where they do."""
    within = sheet.house.number("rennet.learn_fresh_min")
    if read_at_rennet(standing, "celsius", within) is None:
        return f"nobody read the milk in the {within:.0f} min before the rennet"
    if not sheet.rennet or is_another_rennet(recipe, standing):
        return "the rennet was of no bottle that the sheet knows"
    if sheet.set is None or not sheet.set.holds:
        return "no rule of the set holds for this milk"
    return ""


def why_nothing(recipe: Recipe, sheet: Frozen, standing: Standing, started: datetime) -> str:
    """Why a make teaches nothing of its rennet, in words; "" where it does, or may yet.

    Parameters: recipe, sheet and standing; started, the make's start. Source: house values.
    """
    if standing.flocks_min is None:
        return ""
    if standing.flocks_count is False:
        return "it was left out of the learning"
    if left_aside := _aside(recipe, sheet, standing, started):
        return left_aside
    due = expected_flocks(recipe, sheet, standing)
    if standing.taught_min(due or None, sheet.house) is None:
        return "its flocks came too far from what was expected"
    return _flocks_lack(recipe, sheet, standing)


def _aside(recipe: Recipe, sheet: Frozen, standing: Standing, started: datetime) -> str:
    """Why nothing at all is learnt of a make: it was given up, or told quicker than hands are."""
    if standing.ended is not None:
        return "it was given up"
    done = [each for each in recipe.steps if each.key in standing.done]
    done = [each for each in done if each.key not in standing.skipped]
    if standing.flocks is None or not done or standing.flocks_count:  # or somebody says: it counts
        return ""
    before = [each for each in done if standing.done[each.key].at <= standing.flocks.at]
    needs = sum(each.hands_on_minutes for each in before)
    took = (standing.flocks.at - started).total_seconds() / 60
    if took < sheet.house.number("rennet.learn_hands") * needs:
        return "it was told quicker than hands are"
    return ""


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
        if len(read) <= 1:
            continue
        (first_at, first), (last_at, last) = read[0], read[-1]
        minutes = (last_at - first_at).total_seconds() / 60
        mass = sum(pour.mass_kg for pour in sheet.milk.pours)
        found[step.key] = WarmingTaught(
            mass_kg=mass, from_c=first, to_c=last, minutes=minutes, at=done.at
        )
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
    Parameters: standing. Source: our own judgement.
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


@dataclass(frozen=True, slots=True, kw_only=True)
class AcidTaught:
    """How much of an acid a hot milk really wanted, against what was expected."""

    acid: str
    animals: Breed
    used: float
    expected: float
    at: datetime


def by_acid(recipe: Recipe, sheet: Frozen, standing: Standing) -> AcidTaught | None:
    """What an acid-and-heat make teaches of its acid in this milk; None before the step is done.

    Parameters: recipe, sheet and standing of the make. Source: our own judgement.
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
    return AcidTaught(acid=acid_in(bottle), animals=breed, used=used, expected=expected, at=done.at)


@dataclass(frozen=True, slots=True, kw_only=True)
class ShareTaught:
    """How much of what was expected came of something: of the cheese of a recipe (its key), of the
    speed of a culture (its lot)."""

    of: str
    seen: float
    expected: float
    at: datetime


def by_yield(recipe: Recipe, sheet: Frozen, standing: Standing) -> ShareTaught | None:
    """What the weight of its cheese teaches of a recipe's yield; None before it was weighed, or
    where the weight is a guess.

    Parameters: recipe, sheet and standing of the make. Source: the record.
    """
    kg = sum(standing.pieces_kg)
    expected = sheet.cheese.value / (sheet.yield_learnt or 1.0)
    if standing.weighed is None or standing.about or kg <= 0 or expected <= 0:
        return None
    return ShareTaught(of=recipe.key, seen=kg, expected=expected, at=standing.weighed.at)


_MOST_BETWEEN = timedelta(hours=4)
_SLOWEST, _FASTEST = 0.25, 4.0
_METER_PH, _OF_DOUBLING = 0.05, 0.5


def by_souring(recipe: Recipe, sheet: Frozen, standing: Standing) -> tuple[ShareTaught, ...]:
    """How lively the culture of a make was, by when its pH passed what a step waits for.

    A step later than planned by one doubling time is half as much live culture. It teaches with a
    reading on either side of that pH, no more than four hours apart and falling so fast that a
    meter's own error moves the moment by little; where more cultures went in than one, nothing is
    told of either.
    Parameters: recipe, sheet and standing of the make. Source: doubling times, house values.
    """
    cultures = [line for line in sheet.lines if line.kind == "culture" and line.lot]
    begun = standing.culture_at
    if len(cultures) != 1 or begun is None:
        return ()
    line = cultures[0]
    bottle, planned = sheet.bottles.get(line.key), planned_by(recipe, sheet)
    gives = next((each for each in planned if line.key in each.step.adds), None)
    if bottle is None or gives is None or is_another(recipe, standing, line.key):
        return ()
    read = [(each.at, each.ph) for each in standing.readings if each.ph and each.at >= begun]
    doubling = minutes_longer(0.5, bottle, sheet.house)
    logs = []
    for each in planned:
        wanted = each.step.ph
        if wanted is None or each.start_min < gives.end_min or each.step.key not in standing.done:
            continue
        passed = _passed(read, wanted.target, _METER_PH / (_OF_DOUBLING * doubling))
        if passed is not None:
            late = (passed - begun).total_seconds() / 60 - (each.end_min - gives.end_min)
            logs.append(-late / doubling)
    if not logs:
        return ()
    gave = standing.gave(gives.step.key).get(line.key, line.figure.value)
    if gave <= 0 or line.figure.value <= 0:
        return ()
    was = (sheet.lively.get(line.key) or 1.0) * line.figure.value / gave
    seen = min(_FASTEST, max(_SLOWEST, was * 2 ** (sum(logs) / len(logs))))
    return (ShareTaught(of=line.lot, seen=seen, expected=1.0, at=read[-1][0]),)


def _passed(
    read: Sequence[tuple[datetime, float]], ph: float, least_per_min: float
) -> datetime | None:
    """When a pH was passed, straight between the readings about it, where it fell fast enough."""
    for (one, before), (two, after) in pairwise(read):
        if before > ph >= after and two - one <= _MOST_BETWEEN:
            fell = (before - after) / max(1.0, (two - one).total_seconds() / 60)
            if fell < least_per_min:
                return None
            return one + (two - one) * (before - ph) / (before - after)
    return None


@dataclass(frozen=True, slots=True, kw_only=True)
class MakeTaught:
    """All that a make teaches as it stands now; nothing, why it teaches nothing of its rennet."""

    flocks: FlocksTaught | None
    warmings: Mapping[str, WarmingTaught]
    overshoots: tuple[OvershootTaught, ...]
    acid: AcidTaught | None
    yielded: ShareTaught | None = None
    soured: tuple[ShareTaught, ...] = ()
    nothing: str = ""


def lessons(recipe: Recipe, sheet: Frozen, standing: Standing, started: datetime) -> MakeTaught:
    """What a make teaches; nothing when the maker leaves it out of the learning, when it was given
    up, or told quicker than hands are.

    Parameters: recipe, sheet and standing; started, the make's start. Source: derivation.
    """
    aside = _aside(recipe, sheet, standing, started)
    counts = standing.flocks_count is not False and not aside
    return MakeTaught(
        flocks=by_flocks(recipe, sheet, standing) if not aside else None,
        warmings=by_warmings(recipe, sheet, standing, started) if counts else {},
        overshoots=by_heat_off(standing) if counts else (),
        acid=by_acid(recipe, sheet, standing) if counts else None,
        yielded=by_yield(recipe, sheet, standing) if counts else None,
        soured=by_souring(recipe, sheet, standing) if counts else (),
        nothing=why_nothing(recipe, sheet, standing, started),
    )
