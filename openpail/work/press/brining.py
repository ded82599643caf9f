"""What lies in the tubs: it follows the deeds of its make, and the brine follows it."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import datetime, timedelta

from openpail.craft.errors import CraftError, RecordError
from openpail.craft.make import deeds
from openpail.craft.make.additions import cheese_now
from openpail.craft.make.day import hours_since
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.salting import Brined, BrinePlan, brine_plan, by_its_faces, salt_after
from openpail.craft.make.salting import lying as as_it_lies
from openpail.craft.make.standing import Standing, Tap
from openpail.craft.make.turns import half_way
from openpail.craft.press.moulds import Mould
from openpail.craft.recipe.recipe import Recipe, RecipeStep
from openpail.craft.salt.cover import cover
from openpail.craft.salt.hours import GoesIn, goes_in
from openpail.craft.salt.tub import TubStanding, fold
from openpail.craft.salt.tub_checks import against_rinds
from openpail.records.brine import actions as brine
from openpail.records.brine.models import Brining, Tub
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.work.here import Here
from openpail.work.make.made import given_to, recipe_of, standing_of

WEAK_PCT, _AS_USUAL_PCT, _ALIKE_PCT = 3.0, 18.0, 3.0
_SORTS = {"blue": "a blue", "washed_rind": "a washed rind", "bloomy": "a bloomy"}


def pieces_of(standing: Standing, sheet: Frozen, recipe: Recipe) -> tuple[float, ...]:
    """The pieces of a make before it rests, kg each: as they were weighed out of their moulds, else
    equal parts of what is expected, as many as there are moulds."""
    if standing.out_of_mould is not None:
        return standing.out_of_mould.pieces_kg
    count = count_of(standing, sheet, recipe)
    return (cheese_now(recipe, sheet, standing).value / count,) * count


def count_of(standing: Standing, sheet: Frozen, recipe: Recipe) -> int:
    """How many pieces it makes: moulds that were filled, that it was given, or as many of the
    recipe's own size as it gives."""
    if standing.out_of_mould is not None:
        return len(standing.out_of_mould.pieces_kg)
    if standing.moulded is not None:
        return standing.moulded.count
    if sheet.given.moulds:
        return len(sheet.given.moulds)
    if recipe.wheels is None:
        return 1
    return max(1, round(cheese_now(recipe, sheet, standing).value / recipe.wheels.piece_kg))


def mould_of(here: Here, make: Make, standing: Standing) -> Mould | None:
    """The mould that its cheese is in, or is to go into; None where nobody measured it."""
    key = standing.moulded.mould if standing.moulded else ""
    if not key:
        given = given_to(here, make).moulds
        key = given[0] if given else ""
    sort = key.split("/")[0]
    return next((each.mould for each in here.gear if each.id == sort), None)


def follow(
    here: Here, make: Make, recipe: Recipe, sheet: Frozen, standing: Standing
) -> list[Brined]:
    """The stays in brine of a make become what its deeds come to, and its tubs with them.

    Returns: each stay, with the salt that went in.
    """
    taps = {deed.step: (tap, deed) for tap, deed in standing.of(deeds.InBrine)}
    before = brine.of_make(here.session, make)
    if not taps and not before:
        return []
    wanted = [
        _stay(here, make, recipe, sheet=sheet, standing=standing, tap=tap, deed=deed)
        for tap, deed in taps.values()
    ]
    for tub_id in brine.follow(here.session, make, wanted):
        refold(here, brine.tub(here.session, here.dairy, tub_id, to_change=True))
    here.forget(Here.tubs, Here.in_brine)
    return [Brined(each.salt_kg, each.out_at) for each in wanted]


def refold(here: Here, tub: Tub) -> None:
    """Work out anew where a tub stands."""
    told, batches = brine.told(here.session, tub), brine.batches(here.session, tub)
    brine.keep_standing(here.session, tub, fold(told, batches, here.house))


def _stay(
    here: Here,
    make: Make,
    recipe: Recipe,
    *,
    sheet: Frozen,
    standing: Standing,
    tap: Tap,
    deed: deeds.InBrine,
) -> Brining:
    tub = brine.tub(here.session, here.dairy, uuid.UUID(deed.tub))
    done = standing.done.get(deed.step)
    pieces = pieces_of(standing, sheet, recipe)
    mould = mould_of(here, make, standing)
    until = datetime.fromisoformat(deed.until) if deed.until else None
    keeps = recipe.step(deed.step).kind != "brine"
    ended = done.at if done else standing.weighed.at if standing.weighed else None
    out = ended if ended and ended > tap.at and not keeps else None
    pct = _strength_at(here, tub, tap.at, make)
    hours = hours_since(tap.at, out or until or tap.at + timedelta(hours=1))
    kg = sum(pieces)
    each = kg / len(pieces)
    salt = 0.0
    if pct >= 1 and not keeps:
        piece, known = as_it_lies(
            recipe, sheet, each, mould=mould, brine_pct=pct, celsius=tub.celsius
        )
        by_faces = by_its_faces(recipe, recipe.step(deed.step), sheet, known)
        salt = kg * salt_after(piece, hours, by_faces, sheet.house) / 100
    return Brining(
        dairy_id=make.dairy_id,
        id=uuid.UUID(tap.id),
        make_id=make.id,
        tub_id=tub.id,
        step=deed.step,
        pieces=len(pieces),
        kg=kg,
        floor_cm2=mould.floor_cm2 if mould else None,
        pct_in=pct,
        salt_kg=salt,
        keeps=keeps,
        in_at=tap.at,
        until=until,
        out_at=out,
    )


def _strength_at(here: Here, tub: Tub, at: datetime, make: Make) -> float:
    """How strong a tub was when something went in."""
    told = [each for each in brine.told(here.session, tub) if each.at <= at]
    batches = [each for each in brine.batches(here.session, tub) if each.at <= at]
    pct = fold(told, batches, here.house).pct
    return pct.value if pct else 0.0


def crowded(
    here: Here,
    make: Make,
    recipe: Recipe,
    *,
    pieces: tuple[float, ...],
    mould: Mould | None,
    tub_id: str,
) -> str:
    """What speaks against a tub for these pieces, in words; "" for nothing."""
    tub = brine.tub(here.session, here.dairy, uuid.UUID(tub_id))
    if not brine.standing_of(tub).brine_kg:
        return ""
    there = [pair for pair in here.lying.get(tub.id, []) if pair[1].id != make.id]
    for _, other in there:
        mine, theirs = _SORTS.get(recipe.family), _SORTS.get(recipe_of(other).family)
        if mine != theirs and (mine or theirs):
            return (
                f"{other.name} lies in “{tub.name}”: {theirs or mine} leaves its own growth in a "
                "brine that others share."
            )
    floors = [(each.pieces, each.floor_cm2 or 0.0) for each, _ in there]
    taken = sum(count * floor for count, floor in floors)
    wanted = len(pieces) * mould.floor_cm2 if mould else 0.0
    if wanted and taken + wanted > tub.size.floor_cm2:
        return (
            f"“{tub.name}” has {tub.size.floor_cm2:.0f} cm² of floor, {taken:.0f} are taken, and "
            f"these pieces want {wanted:.0f}: they would lie on each other."
        )
    return ""


def asked_of_tub(here: Here, tub_id: str) -> str:
    """What is asked once of a tub whose brine is not good for a rind: the first time that something
    goes in after it was last told of; "" for nothing."""
    tub = brine.tub(here.session, here.dairy, uuid.UUID(tub_id))
    standing = brine.standing_of(tub)
    told, last = brine.told(here.session, tub, 1), brine.last_in(here.session, tub)
    if not standing.brine_kg or (told and last is not None and last > told[0].at):
        return ""
    words = against_rinds(standing, here.house, tub.soft)
    return f"“{tub.name}”: {' '.join(words)}" if words else ""


def covers(here: Here, tub: Tub, pieces: tuple[float, ...], mould: Mould | None) -> str:
    """Whether the brine of a tub covers so many pieces, in words; "" where nobody measured them."""
    standing = brine.standing_of(tub)
    if mould is None or not standing.litres or not pieces:
        return ""
    high = mould.height_of(sum(pieces) / len(pieces), here.house)
    try:
        found = cover(tub.size, len(pieces), mould.floor_cm2, high, standing.litres)
    except CraftError as error:
        return error.words
    if not found.turn_hours:
        return "The brine covers it. Salt what floats out, on its face."
    return (
        f"The brine reaches {100 * found.share:.0f} % of its height, {found.litres:.1f} L would "
        f"cover it: salt what stands out, and turn it every {found.turn_hours:.0f} h."
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class TubChoice:
    """A tub that a make could lie in: where that stands, how long and with what salt, when it would
    go in and come out; against, what speaks against it; lacks, what its brine lacks for a
    rind; covers, whether the brine does."""

    tub: Tub
    standing: TubStanding
    plan: BrinePlan
    goes: GoesIn
    against: str
    lacks: list[str]
    covers: str


def tub_choices(here: Here, make: Make, standing: Standing, step: RecipeStep) -> list[TubChoice]:
    """The tubs that a make could lie in, the ones that nothing speaks against first.

    Parameters: standing; step, its brine as the recipe has it.
    """
    recipe, sheet = recipe_of(make), makes.sheet_of(make)
    pieces, mould = pieces_of(standing, sheet, recipe), mould_of(here, make, standing)
    quiet = here.dairy.quiet_from, here.dairy.quiet_until
    found = []
    for tub in here.tubs:
        stands = brine.standing_of(tub)
        if stands.ended_at or stands.pct is None or stands.pct.value < WEAK_PCT:
            continue
        plan = plan_in(here, make, standing, step=step, tub=tub, stands=stands)
        found.append(
            TubChoice(
                tub=tub,
                standing=stands,
                plan=plan,
                goes=goes_in(here.local(here.now), plan.hours.value, quiet),
                against=crowded(here, make, recipe, pieces=pieces, mould=mould, tub_id=str(tub.id)),
                lacks=against_rinds(stands, here.house, tub.soft),
                covers=covers(here, tub, pieces, mould),
            )
        )
    wanted = step.brine_pct or _AS_USUAL_PCT

    def turn(choice: TubChoice) -> tuple[bool, bool, bool, float]:
        """Of tubs about as strong as wanted the one that lacks nothing comes first."""
        off = abs(choice.tub.goal_pct - wanted)
        return bool(choice.against), off > _ALIKE_PCT, bool(choice.lacks), off

    return sorted(found, key=turn)


def first_tub(here: Here, make: Make, standing: Standing, step: RecipeStep) -> TubChoice | None:
    """The tub that is offered first, None where there is none."""
    return next(iter(tub_choices(here, make, standing, step)), None)


def plan_in(
    here: Here, make: Make, standing: Standing, *, step: RecipeStep, tub: Tub, stands: TubStanding
) -> BrinePlan:
    """How long one of a make's pieces lies in a tub that stands so."""
    recipe, sheet = recipe_of(make), makes.sheet_of(make)
    pieces, mould = pieces_of(standing, sheet, recipe), mould_of(here, make, standing)
    pct = stands.pct.value if stands.pct else 0.0
    each = sum(pieces) / len(pieces)
    piece = as_it_lies(recipe, sheet, each, mould=mould, brine_pct=pct, celsius=tub.celsius)
    return brine_plan(recipe, step, sheet, piece, by_its_faces(recipe, step, sheet, piece[1]))


@dataclass(frozen=True, slots=True, kw_only=True)
class LiesIn:
    """Pieces in a tub now: which, of which make, since and until when; labels, their numbers;
    turn, when they are turned, None where they were."""

    tub: Tub
    stay: Brining
    make: Make
    labels: str
    turn: datetime | None


def lying(here: Here) -> list[LiesIn]:
    """All that lies in the tubs now, the first to come out first."""
    found = []
    for stay, make, tub in here.in_brine:
        half = half_way(stay.in_at, stay.until) if stay.until else None
        turn = None if standing_of(here, make).turned(stay.step) else half
        found.append(LiesIn(tub=tub, stay=stay, make=make, labels=labels_of(make, stay), turn=turn))
    return found


def labels_of(make: Make, stay: Brining) -> str:
    """The numbers of the pieces of a stay, in few words."""
    first = f"{make.number}-1"
    return first if stay.pieces == 1 else f"{first} to {make.number}-{stay.pieces}"


def check_tub(here: Here, tub_id: str) -> None:
    """Refuse a tub that is not here, or holds no brine. Raises NotHere, RecordError."""
    tub = brine.tub(here.session, here.dairy, uuid.UUID(tub_id))
    standing = brine.standing_of(tub)
    if tub.put_away_at is not None or standing.ended_at is not None or not standing.brine_kg:
        raise RecordError(f"There is no brine in “{tub.name}”: make it first.", "tub")
