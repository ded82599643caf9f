"""What is refused of a deed of a piece, and what is asked before it is kept with a word."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta

from openpail.craft.cave.care import MOVE, CarePlan
from openpail.craft.cave.deeds import (
    OUTS,
    SEALS,
    Cared,
    CutUp,
    EarlyTaste,
    MovedTo,
    Named,
    Opened,
    Out,
    PieceAmended,
    PieceDeed,
    PieceUndone,
    Seal,
    Sealed,
    Seen,
    Tasted,
    TastingBegun,
    TastingClosed,
    WeighedAgain,
)
from openpail.craft.cave.fold import NOTHING_KG, PieceStanding
from openpail.craft.cave.keep import freezes_well
from openpail.craft.cave.piece import Around, PieceNow, with_cold
from openpail.craft.cave.seal import gate
from openpail.craft.cave.signs import SIGNS, STRANGE, check_step, sign_of, spots_stop
from openpail.craft.cave.tasting import check_tasting
from openpail.craft.dates import UNDO_WITHIN
from openpail.craft.errors import NotPossible, OutOfRange, WantsWord
from openpail.craft.marks import MARK_SORTS, NO_MARKS, RAW_SOFT, Mark, Marks, bars, gravest
from openpail.craft.recipe.cares import kind_of
from openpail.craft.recipe.ripening import RAW_DAYS

LONGEST_WORDS = 300
LEAST_WORDS = 10
_AHEAD = timedelta(minutes=2)
_TO_PEOPLE = frozenset({"eaten", "sold", "given"})
_TOLERANCE, _LEAST_TOLERANCE = 0.1, 1
_HEAVIER, _CRUMBS, _LOST_AT_ONCE = 1.01, 0.05, 0.25
_ONCE_EARLY = 2
_MOST_PARTS = 60


@dataclass(frozen=True, slots=True)
class Guarded:
    """What of a piece speaks against its leaving: raw, days that it aged, what stays said of it."""

    raw: bool
    aged_days: int
    marks: Marks = NO_MARKS

    @property
    def hazard(self) -> Mark | None:
        """The gravest that may make ill, or None."""
        return gravest(self.marks)

    @property
    def is_raw_soft(self) -> bool:
        """Whether it is raw and soft: no age clears that."""
        return any(each.key == RAW_SOFT for each in self.marks)

    def bar(self, where: str) -> str:
        """Why it does not leave so whatever is written, "" when nothing bars it.

        Parameters: where, a key of OUTS. Source: handbook of safety: a bar is lifted by no word.
        """
        barred = bars(self.marks) if where in _TO_PEOPLE else ()
        return barred[0].sort.leaves if barred else ""

    def words(self, where: str) -> str:
        """Why it does not leave so today without the maker's word, "" when nothing speaks against.

        Parameters: where, a key of OUTS. Source: 21 CFR 133, 60 days; our own judgement.
        """
        if where not in _TO_PEOPLE:
            return ""
        if self.hazard:
            return self.hazard.sort.leaves
        if self.is_raw_soft:
            return (
                "Soft, of raw milk: no age clears it."
                if where == "eaten"
                else "Soft, of raw milk: no age clears it. It leaves by a law that allows it."
            )
        if self.raw and self.aged_days < RAW_DAYS:
            return f"Of raw milk, on day {self.aged_days} of {RAW_DAYS}."
        return ""

    def on_the_tongue(self) -> str:
        """Why it is not tasted either without the maker's word, "" when nothing speaks against; a
        young cheese of raw milk may be tried by who made it.

        Source: as `words`.
        """
        return self.words("eaten") if self.marks else ""


@dataclass(frozen=True, kw_only=True)
class PieceBounds:
    """What a deed of a piece is held against.

    label and name, its own; piece and plan, as they are before the deed; standing; now, by the
    dairy's clock, and when it was laid down; guard; whose: the name of the piece that another
    number belongs to, "" for none; left: how many more of this cheese a place holds, None where
    nobody measured it; expects_kg: what it should weigh now, None where nothing is known; told_at:
    when each deed was told; heavy: kg in the words of the dairy's own unit.
    """

    label: str
    name: str
    piece: PieceNow
    plan: CarePlan
    standing: PieceStanding
    around: Around
    now: datetime
    laid_at: datetime
    guard: Guarded
    whose: Callable[[str], str] = lambda label: ""
    left: Callable[[str], int | None] = lambda place: None
    expects_kg: float | None = None
    told_at: Mapping[str, datetime] = field(default_factory=dict)
    heavy: Callable[[float], str] = lambda kg: f"{kg:.2f} kg"


def check(deed: PieceDeed, at: datetime, amends: str | None, bounds: PieceBounds) -> None:
    """Refuse what cannot happen to a piece, and ask where it is far from its plan.

    Parameters: deed; at, when it happened; amends, of which deed it speaks; bounds.
    Raises: OutOfRange by field; NotPossible once it is gone. What is asked is kept once the deed
    has a word for it. Source: the plan of the piece; house values.
    """
    if at > bounds.now + _AHEAD:
        raise OutOfRange("That has not happened yet. Look at the time.", "happened")
    if at < bounds.laid_at - _AHEAD:
        raise OutOfRange("It was not laid down yet by then. Look at the time.", "happened")
    if isinstance(deed, PieceUndone | PieceAmended):
        _check_mends(deed, amends, bounds)
        return
    tasted = isinstance(deed, TastingBegun | Tasted | TastingClosed)
    if bounds.standing.ended_at is not None and not tasted:  # what was eaten up may be told after
        raise NotPossible("This piece is gone already: nothing more can be done to it.")
    _check_text(deed)
    _check_number(deed, bounds)
    _check_itself(deed, bounds)
    if isinstance(deed, Out | EarlyTaste | TastingBegun):
        bar = bounds.guard.bar(deed.where if isinstance(deed, Out) else "eaten")
        if bar and at > bounds.now - _AHEAD:  # what left before it was known is told as it was
            raise NotPossible(f"{bar} It is thrown away. If it has left already, tell when.")
    if isinstance(deed, Out):
        guard = bounds.guard.words(deed.where)
        asked = " ".join(filter(None, (guard, *_young(deed, at, bounds))))
        if asked and len(deed.why.strip()) < LEAST_WORDS:
            raise OutOfRange(f"{asked} Write why it leaves all the same; it is kept.", "why")
        return
    asked = " ".join(_asked(deed, at, bounds))  # all of it: one word must not get around another
    word = getattr(deed, "word", "")
    if asked and len(word.strip()) < LEAST_WORDS:
        raise WantsWord(asked)


def _check_mends(deed: PieceUndone | PieceAmended, amends: str | None, bounds: PieceBounds) -> None:
    target = next((each for each in bounds.standing.told if each.id == amends), None)
    if target is None:
        raise NotPossible("What this would mend is not in the record of this piece.", "amends")
    slip = bounds.now - bounds.told_at.get(target.id, target.at) <= UNDO_WITHIN
    if isinstance(deed, PieceUndone):
        if not slip and len(deed.why.strip()) < LEAST_WORDS:
            raise OutOfRange(
                "That is more than ten minutes ago. Write why it did not happen, in a few words.",
                "back",
            )
        return
    ended = bounds.standing.ended_at
    if ended is not None and target.at < ended:
        raise NotPossible("This piece is gone already: nothing more can be done to it.")
    at = deed.change.get("at")
    moment = datetime.fromisoformat(at) if isinstance(at, str) else target.at
    if not bounds.laid_at - _AHEAD <= moment <= bounds.now + _AHEAD:
        raise OutOfRange("It lay here then? Look at the time.", "happened")


def _check_text(deed: PieceDeed) -> None:
    for name in ("to", "why", "word", "words", "place", "next_time", "taster"):
        if len(str(getattr(deed, name, ""))) > LONGEST_WORDS:
            raise OutOfRange(f"At most {LONGEST_WORDS} letters, please.", name)


def _check_number(deed: PieceDeed, bounds: PieceBounds) -> None:
    """No cheese on another's calendar: the number that was told is this one's."""
    if not isinstance(deed, Named):
        return
    told = deed.label.strip().lower().replace(" ", "")
    if not told:
        raise OutOfRange("Read the number off the cheese, and write it here.", "label")
    if told != bounds.label.lower():
        other = bounds.whose(told)
        which = f"{told} is {other}" if other else f"No cheese is called {told[:20]}"
        raise OutOfRange(
            f"{which}; this is {bounds.label}, {bounds.name}. Look which one is in your hands.",
            "label",
        )


def _check_itself(deed: PieceDeed, bounds: PieceBounds) -> None:
    left = bounds.standing.left_kg
    match deed:
        case Cared(stage, key):
            _check_care(stage, key, bounds)
        case Seen(sign, step):
            check_step(sign, step)
        case WeighedAgain(kg) if not 0 < kg <= 10 * left:
            raise OutOfRange(f"Write what is there of it, like {bounds.heavy(2.35)}.", "kg")
        case MovedTo(place=place, shelf=shelf, stage=stage):
            _check_move(place, shelf, stage, bounds)
        case Sealed(how=how, rind=rind):
            check_step("dry", rind or 0)
            _gate(how, rind, bounds)
        case Opened() if bounds.standing.course.sealed is None:
            raise OutOfRange("It is not sealed in anything.", "how")
        case CutUp(kgs=kgs, places=places):
            _check_cut(kgs, places, bounds)
        case Out(where=where, kg=kg):
            _check_out(where, kg, bounds)
        case TastingBegun() | Tasted() | TastingClosed():
            check_tasting(deed, bounds.standing.told)


def _check_out(where: str, kg: float | None, bounds: PieceBounds) -> None:
    left = bounds.standing.left_kg
    if where not in OUTS:
        raise OutOfRange("Choose what became of it.", "where")
    if kg is not None and not 0 < kg <= left + NOTHING_KG:
        raise OutOfRange(f"Write how much of it, up to {bounds.heavy(left)}; blank is all.", "kg")


def _check_care(stage: str, key: str, bounds: PieceBounds) -> None:
    if not _is_care(stage, key, bounds):
        raise OutOfRange("That is no care of this piece.", "care")
    own = [c for s in bounds.piece.recipe.stages if s.key == stage for c in s.cares]
    kind = next((kind_of(care) for care in own if care.key == key), "look")
    if kind in SEALS:
        raise OutOfRange("Say what it is sealed in, on its own page.", "care")


def _is_care(stage: str, key: str, bounds: PieceBounds) -> bool:
    recipe = bounds.piece.recipe
    known = {(s.key, care.key) for s in recipe.stages for care in s.cares}
    return (stage, key) in known or any(
        care.stage == stage and care.key == key and care.kind != MOVE for care in bounds.plan.cares
    )


def _check_move(place: str, shelf: int, stage: str, bounds: PieceBounds) -> None:
    course, around = bounds.standing.course, bounds.around
    if not place.strip():
        raise OutOfRange("Say where it goes.", "place")
    room = next((room for room in around.rooms if room.name == place), None)
    if room and not 0 <= shelf <= room.shelves:
        raise OutOfRange(f"The {room.name} has {room.shelves} shelves; 0 is any.", "shelf")
    keys = [each.key for each in bounds.piece.recipe.stages]
    if stage and stage not in keys:
        raise OutOfRange("That is no stage of this cheese.", "stage")
    if stage and keys.index(stage) <= course.stage:
        raise OutOfRange("It was in that stage already, or is in it now.", "stage")
    if not stage and (place, shelf) == (course.now.place, course.now.shelf):
        raise OutOfRange("It lies there already.", "place")


def _check_cut(kgs: tuple[float, ...], places: tuple[str, ...], bounds: PieceBounds) -> None:
    left, heavy = bounds.standing.left_kg, bounds.heavy
    if not 1 < len(kgs) <= _MOST_PARTS or len(places) != len(kgs):
        raise OutOfRange("Write each part with its weight and its place, two or more.", "parts")
    if any(kg <= 0 for kg in kgs) or any(not place.strip() for place in places):
        raise OutOfRange("Each part has a weight and a place.", "parts")
    if sum(kgs) > left + NOTHING_KG + 0.01 * left:
        raise OutOfRange(
            f"Together they weigh {heavy(sum(kgs))}, and there are {heavy(left)} of it.", "parts"
        )


def _gate(how: Seal, rind: int | None, bounds: PieceBounds) -> tuple[str, ...]:
    course = bounds.standing.course
    alive = any(course.seen.get(each, (0,))[0] > 0 for each in ("bloom", "smear"))
    alive = alive or bounds.piece.recipe.family in ("bloomy", "washed_rind", "blue")
    facts = with_cold(bounds.piece, bounds.around)
    return gate(how, rind, bounds.piece.recipe, stage=course.stage, facts=facts, has_bloom=alive)


# ── what is far from the plan is asked ──


def _asked(deed: PieceDeed, at: datetime, bounds: PieceBounds) -> Iterator[str]:
    day = at.astimezone(bounds.now.tzinfo).date()
    match deed:
        case TastingBegun() | EarlyTaste():
            yield from filter(None, [bounds.guard.on_the_tongue()])
        case Cared(stage, key):
            yield from _asked_care(stage, key, bounds)
        case Seen(sign, step):
            over = sign_of(sign).over
            if sign == STRANGE and step and spots_stop(bounds.piece.recipe):
                yield MARK_SORTS["spots"].leaves
            elif over is not None and step >= over and sign in ("bag", "faces", STRANGE):
                yield sign_of(sign).over_words
        case WeighedAgain(kg):
            yield from _asked_weight(kg, bounds)
        case MovedTo(place=place, stage=stage):
            yield from _asked_move(place, stage, day, bounds)
        case Sealed(how=how, rind=rind):
            yield from _gate(how, rind, bounds)
            yield from _sealed_early(how, day, bounds)
        case CutUp(kgs=kgs):
            lost = 1 - sum(kgs) / bounds.standing.left_kg
            if lost > _CRUMBS:
                yield f"{100 * lost:.0f} % of it is in none of the parts."


def _sealed_early(how: Seal, day: date, bounds: PieceBounds) -> Iterator[str]:
    """Where its plan seals it so, and not yet."""
    planned = [care.due for care in bounds.plan.cares if care.kind == how]
    made = bounds.piece.made_on
    if not planned:
        return
    may_be = max(_LEAST_TOLERANCE, round((min(planned) - made).days * _TOLERANCE))
    if day < min(planned) - timedelta(days=may_be):
        yield f"Its plan has it {SEALS[how]} from {_day(min(planned))}."


def _young(deed: Out, at: datetime, bounds: PieceBounds) -> Iterator[str]:
    """What of its plan is not over as it goes to people: its days, its salt."""
    if deed.where not in _TO_PEOPLE:
        return
    day, plan = at.astimezone(bounds.now.tzinfo).date(), bounds.plan
    aged, whole = (
        (day - bounds.piece.made_on).days,
        (plan.ready_on_time - bounds.piece.made_on).days,
    )
    if aged < whole - max(_LEAST_TOLERANCE, round(whole * _TOLERANCE)):
        yield f"It is on day {aged}; its plan has it ready from {_day(plan.ready_on_time)}."
    if any(care.kind == "salt" for care in plan.cares):
        yield "Not all of its salt is on it by its plan."


def _asked_care(stage: str, key: str, bounds: PieceBounds) -> Iterator[str]:
    mine = [care for care in bounds.plan.cares if (care.stage, care.key) == (stage, key)]
    if not mine:
        number = bounds.standing.course.stage
        now = bounds.piece.recipe.stages[number] if bounds.piece.recipe.stages else None
        routine = {c.key for c in now.cares if c.matters != "once"} if now else set()
        if now is None or stage != now.key or key not in routine:
            yield "Its plan has nothing of this left to do."
        return
    care, today = mine[0], bounds.around.today
    ahead = (care.due - today).days
    if care.kind == "pierce" and bounds.standing.course.seen.get("blue", (1,))[0] == 0:
        yield "No blue was seen on it yet: pierced before, it lets in what should not grow."
    elif care.matters == "once" and ahead > _ONCE_EARLY:
        yield f"Its plan has that on {_day(care.due)}, in {_days(ahead)}."


def _asked_weight(kg: float, bounds: PieceBounds) -> Iterator[str]:
    left, should = bounds.standing.left_kg, bounds.expects_kg
    if kg > left * _HEAVIER:
        yield f"It was {bounds.heavy(left)} before, and a cheese does not grow heavier."
    elif kg < left * (1 - _LOST_AT_ONCE):
        yield f"It was {bounds.heavy(left)} before: that is {100 * (1 - kg / left):.0f} % less."
    elif should is not None and kg < should * (1 - _LOST_AT_ONCE):
        yield f"About {bounds.heavy(should)} was to be expected today."


def _asked_move(place: str, stage: str, day: date, bounds: PieceBounds) -> Iterator[str]:
    plan, piece, around = bounds.plan, bounds.piece, bounds.around
    course, stages = bounds.standing.course, bounds.piece.recipe.stages
    now = plan.ran[course.stage] if plan.ran else None
    is_cold = around.is_freezer(place)
    if is_cold and not freezes_well(piece.recipe):
        yield "It comes out of the freezer crumbling: this family does not freeze well."
    number = next((i for i, each in enumerate(stages) if each.key == stage), course.stage)
    if stage and now is not None:
        if number > course.stage + 1:
            left_out = stages[course.stage + 1]
            yield f"Its plan has {left_out.place} before that, for {_days(left_out.days)}."
        yield from _asked_early(day, now.ends, now.days, course.stage, bounds)
    wanted = around.place(stages[number].place) if stages else place
    if place != wanted and not is_cold:
        until = f" until {_day(now.ends)}" if now is not None and not stage else ""
        yield f"Its plan has it in {wanted}{until}, not in {place}."
    left = bounds.left(place)
    if left is not None and left < 1 and place != course.now.place:
        yield f"There is no room left in {place}."


def _asked_early(
    day: date, ends: date, days: int, stage: int, bounds: PieceBounds
) -> Iterator[str]:
    course = bounds.standing.course
    sign = bounds.piece.recipe.stages[stage].sign
    seen, seen_on = course.seen.get(sign or "", (0, date.min))
    since = course.begins(stage)
    there = sign is not None and seen_on >= since and seen >= SIGNS[sign].ends
    may_be = timedelta(days=max(_LEAST_TOLERANCE, round(days * _TOLERANCE)))
    if day < ends - may_be and not there:
        early = (ends - day).days
        yield f"That is {_days(early)} early: its plan keeps it there until {_day(ends)}."
    elif day > ends + may_be:
        late = (day - ends).days
        yield f"That is {_days(late)} late: its plan had it there until {_day(ends)}."
    elif sign is not None and seen_on >= since and seen < SIGNS[sign].ends:
        told, at = SIGNS[sign].steps, SIGNS[sign].ends
        yield f"It was “{told[seen]}” when last looked at, and goes on at “{told[at]}”."


def _day(day: date) -> str:
    return f"{day:%a} {day.day} {day:%b}"


def _days(count: int) -> str:
    return f"{count} day{'' if count == 1 else 's'}"
