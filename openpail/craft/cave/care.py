"""The plan of one piece: its cares by day, when it is ready, until when to eat it.

Nothing of it is stored. It follows from the recipe's stages and from what happened to this piece,
so that a move, a sign or a taste moves all that comes after, of this piece and of no other.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta

from openpail.craft.cave.course import PieceCourse
from openpail.craft.cave.keep import SOFT, eat_by
from openpail.craft.cave.piece import Around, PieceNow, with_cold
from openpail.craft.cave.ready import Ran, Window, window
from openpail.craft.cave.run import moved_on_time, stages_run
from openpail.craft.cave.signs import SIGNS
from openpail.craft.figure import Figure
from openpail.craft.recipe.cares import kind_of
from openpail.craft.recipe.recipe import Care, Stage
from openpail.craft.recipe.rubbed import rind_rubs

MOVE, SEAL_STAGE, LAST_STAGE, EAT = "move", "seal", "last", "eat-up"
RECHECKS = ((1, "recheck-day"), (7, "recheck-week"))
RIND_SALT = "rind-salt-"
TASTE_STAGE, PLUG, PLUG_LOOK, WRAP_NOW = "taste", "plug", "plug-look", "wrap-now"
_PLUG_HOLDS = timedelta(days=3)
_FROM_THE_CENTRE, _ONLY_DOWN = 3, 1  # of the thumb, of the bloom
_NEEDLESS_SEALED = frozenset({"wash", "brush", "wipe", "pierce", "salt"})
_LOOK_SHARE, _LOOK_MOST, _ASK_AGAIN = 0.15, 5, 2
_BY_WINDOW = frozenset({"bloomy", "washed_rind"})
_WEEK, _WEEKLY_FROM = 7, 5
_PAST_USE = "Its time is over: it is not eaten any more, throw it away"
_PAST_BEST = "Its time is over: cut it, look and taste, or let it go"
_EAT_AHEAD, _EAT_AHEAD_FIRM = 2, 14


@dataclass(frozen=True, slots=True, kw_only=True)
class DueCare:
    """One care on one local date, and where the cheese lies then.

    kind: one of the recipe's kinds of care, or salt, move, sign, recheck, plug; sign: the one that
    is looked at; brine_pct: of a wash; times: how often on that day.
    """

    stage: str
    key: str
    kind: str
    words: str
    place: str
    due: date
    matters: str
    sign: str = ""
    brine_pct: float | None = None
    times: int = 1

    @property
    def name(self) -> str:
        """What the log knows it by, on its piece."""
        return f"{self.stage}/{self.key}"


@dataclass(frozen=True, slots=True, kw_only=True)
class CarePlan:
    """All cares of a piece until a day, its stages as they run, its ready window, its eat-by and
    why; when it would be ready had each move been told in time."""

    cares: tuple[DueCare, ...]
    ran: tuple[Ran, ...]
    ready: Window
    eat_by: date
    why_eat_by: Figure
    ready_on_time: date

    @property
    def ready_from(self) -> date:
        """The first day of its window."""
        return self.ready.sooner

    @property
    def ready_until(self) -> date:
        """The last day of its window."""
        return self.ready.later


def care_plan(piece: PieceNow, around: Around, until: date | None = None) -> CarePlan:
    """The plan of a piece.

    Parameters: piece; around; until, the last day for which cares are worked out, None for all up
    to the day by which it is to be eaten.
    Returns: cares by date; of one that is late the day on which it fell due.
    Source: the recipe's stages; what happened to the piece; house values.
    """
    ran = stages_run(piece, around)
    at = window(ran, piece.made_on, piece.course)
    facts = with_cold(piece, around)
    # A move that nobody told makes it ready later; it does not keep the longer for that.
    on_time = window(moved_on_time(ran), piece.made_on, piece.course)
    last, why = eat_by(
        piece.recipe,
        piece.made_on,
        on_time.later,
        course=piece.course,
        facts=facts,
        house=around.house,
    )
    cares: list[DueCare] = []
    over = max(last, around.today)  # nothing is cared for that is not eaten any more
    end = over if until is None else min(until, over)
    if facts.freezer is None:
        cares += _rind(piece)
        cares += _rechecks(piece)
        cares += _plugged(piece)
        cares += _wrapped_now(piece)
        for each in ran[piece.course.stage :]:
            cares += _of_stage(piece, around, each, ran, end)
    cares += _eat(piece, at, last, around.today)
    cares = [care for care in cares if care.due <= end]
    cares.sort(key=lambda care: (care.due, care.stage, care.key))
    return CarePlan(
        cares=tuple(cares),
        ran=ran,
        ready=at,
        eat_by=last,
        why_eat_by=why,
        ready_on_time=on_time.sooner,
    )


def _of_stage(
    piece: PieceNow, around: Around, of: Ran, ran: tuple[Ran, ...], end: date
) -> Iterator[DueCare]:
    """The cares of one stage until a day, its sign, and the move that ends it."""
    stage = piece.recipe.stages[of.stage]
    is_now, is_last = of.stage == piece.course.stage, of.stage == len(ran) - 1
    place = piece.course.now.place if is_now else around.place(stage.place)
    stops = of.ends
    if is_last:
        stops = end + timedelta(days=1)
    elif of.ends < around.today:  # it goes on until it is moved
        stops = around.today + timedelta(days=1)
    for care in stage.cares:
        kind = kind_of(care)
        if kind == "eat" or (piece.course.sealed in ("bag", "wax") and kind in _NEEDLESS_SEALED):
            continue
        until = min(stops, _gives_way(stage, care, of))
        for due in _days(piece, around, of, stage=stage, care=care, stops=until, end=end):
            if not is_now and due <= around.today:
                continue  # it is not there yet
            yield DueCare(
                stage=stage.key,
                key=care.key,
                kind=kind,
                words=care.words,
                place=place,
                due=due,
                matters=care.matters,
                brine_pct=care.brine_pct,
                times=care.times_a_day,
            )
    if stage.sign:
        yield from _sign(piece, of, stage, place)
    if not is_last:
        onward = piece.recipe.stages[of.stage + 1].place
        words = f"Move it on: {onward}"
        yield DueCare(
            stage=stage.key,
            key=MOVE,
            kind=MOVE,
            words=words,
            place=place,
            due=of.ends,
            matters="once",
            sign=stage.sign or "",
        )


def _gives_way(stage: Stage, care: Care, of: Ran) -> date:
    """When a care is done otherwise: a later one of its kind in the same place takes its turn, as
    turning daily does to turning twice a week. What is done once takes nobody's."""
    later = [
        each.from_day
        for each in stage.cares
        if kind_of(each) == kind_of(care)
        and each.from_day > care.from_day
        and "once" not in (each.matters, care.matters)
    ]
    return of.begins + timedelta(days=min(later)) if later else date.max


def _days(
    piece: PieceNow, around: Around, of: Ran, *, stage: Stage, care: Care, stops: date, end: date
) -> Iterator[date]:
    """The days of one care in one stage: what is due next, then every so often from there."""
    last, times = _last_done(piece.course, f"{stage.key}/{care.key}", kind_of(care), of.begins)
    day = of.begins + timedelta(days=min(care.from_day, of.days))
    if care.matters == "once":
        if last is None:
            yield day
        return
    every = timedelta(days=care.every_days)
    if last is not None:
        day = last if times < care.times_a_day and last == around.today else last + every
    bundled = around.house_day and care.matters == "weekly" and care.every_days >= _WEEKLY_FROM
    floor = of.begins if last is None else last + timedelta(days=1)
    while True:
        if bundled:
            day = _on_weekday(day, around.house_day, floor)
        if day > end or day >= stops:
            return
        yield day
        floor = max(day, around.today) + timedelta(days=1)
        day = max(day, around.today) + every


def _last_done(course: PieceCourse, name: str, kind: str, since: date) -> tuple[date | None, int]:
    """When a care was done last, and how often on that day: it was told so, or what it asks for
    was done: weighed, tasted, sealed in it."""
    last, times = course.done.get(name, (None, 0))
    done = {"weigh": course.weighed_on, "taste": course.ripe_on}.get(kind)
    if kind == course.sealed:
        done = course.sealed_on
    if done is not None and done >= since and (last is None or done > last):
        return done, 1
    return last, times


def _on_weekday(day: date, weekday: int, floor: date) -> date:
    """The house day that is nearest to a day, and not before another."""
    ahead = (weekday - day.isoweekday()) % _WEEK
    nearest = day + timedelta(days=ahead if ahead <= _WEEK // 2 else ahead - _WEEK)
    while nearest < floor:
        nearest += timedelta(days=_WEEK)
    return nearest


def _sign(piece: PieceNow, of: Ran, stage: Stage, place: str) -> Iterator[DueCare]:
    """The sign that ends a stage is looked for when its end is near, and until it is there."""
    sign = SIGNS[stage.sign or ""]
    lead = min(_LOOK_MOST, max(1, round(of.days * _LOOK_SHARE)))
    due = max(of.begins, of.ends - timedelta(days=lead))
    step, day = piece.course.seen.get(sign.key, (0, date.min))
    if day >= of.begins and of.stage == piece.course.stage:
        if step >= sign.ends:
            return
        due = max(due, day + timedelta(days=_ASK_AGAIN))
    words = f"Look: {stage.ends_when or sign.asks}"
    yield DueCare(
        stage=stage.key,
        key=f"look-{sign.key}",
        kind="sign",
        words=words,
        place=place,
        due=due,
        matters="once",
        sign=sign.key,
    )


def rind_words(grams: float, faces: str) -> str:
    """What a salting of the rind says. Parameters: grams; faces. Source: derivation."""
    return f"Salt it, {grams:.0f} g: {faces}"


def _rind(piece: PieceNow) -> Iterator[DueCare]:
    """The saltings of a rind that come after the day it was made, each with its grams.

    Each is a care of its own: one that is forgotten is not over with the next.
    """
    stages = piece.recipe.stages
    stage = stages[0].key if stages else "salting"
    for rub in rind_rubs(piece.recipe, piece.kg)[1:] if piece.kg else ():
        key = f"{RIND_SALT}{rub.day}"
        if f"{stage}/{key}" not in piece.course.done:
            words = rind_words(rub.grams.value, rub.faces)
            due = piece.course.lain[0].begins + timedelta(days=rub.day)
            yield DueCare(
                stage=stage,
                key=key,
                kind="salt",
                words=words,
                place=piece.course.now.place,
                due=due,
                matters="daily",
            )


def _rechecks(piece: PieceNow) -> Iterator[DueCare]:
    """A new bag is looked at after a day and after a week."""
    course = piece.course
    if course.sealed != "bag" or course.sealed_on is None:
        return
    looked = course.seen.get("bag", (0, date.min))[1]
    for days, key in RECHECKS:
        due = course.sealed_on + timedelta(days=days)
        done = course.done.get(f"{SEAL_STAGE}/{key}", (date.min, 0))[0]
        if max(done, looked) < due:
            words = "Look at the bag: tight, no air in it?"
            place = course.now.place
            yield DueCare(
                stage=SEAL_STAGE,
                key=key,
                kind="recheck",
                words=words,
                place=place,
                due=due,
                matters="once",
                sign="bag",
            )


def _plugged(piece: PieceNow) -> Iterator[DueCare]:
    """A firm cheese that was tasted has a hole: plug, smear over, seal again, and look at it."""
    course = piece.course
    if course.ripe_on is None or piece.recipe.family in SOFT or piece.facts.brine_rests_pct:
        return
    done = course.done.get(f"{TASTE_STAGE}/{PLUG}", (date.min, 0))[0]
    again = f", and into {'its' if course.sealed == 'cloth' else 'a new'} {course.sealed} again"
    words = (
        "Put the plug back, smear cheese or fat over it"
        f"{again if course.sealed else ''}: air in the hole moulds"
    )
    key, kind, due = PLUG, "plug", course.ripe_on
    if done >= course.ripe_on:
        looked = course.done.get(f"{TASTE_STAGE}/{PLUG_LOOK}", (date.min, 0))[0]
        if looked >= done:
            return
        words, key, kind, due = "Look at the plug: dry, and nothing in it?", PLUG_LOOK, "look", done
        due += _PLUG_HOLDS
    yield DueCare(
        stage=TASTE_STAGE,
        key=key,
        kind=kind,
        words=words,
        place=course.now.place,
        due=due,
        matters="once",
    )


def _wrapped_now(piece: PieceNow) -> Iterator[DueCare]:
    """Soft to its centre under a bare coat, a bloomy one runs out before its bloom is there."""
    course = piece.course
    thumb, felt_on = course.seen.get("thumb", (0, date.min))
    coat = "smear" if piece.recipe.family == "washed_rind" else "bloom"
    bare = course.seen.get(coat, (0, date.min))[0] <= _ONLY_DOWN
    if piece.recipe.family not in _BY_WINDOW or thumb < _FROM_THE_CENTRE or not bare:
        return
    if course.done.get(f"{TASTE_STAGE}/{WRAP_NOW}", (date.min, 0))[0] >= felt_on:
        return
    yield DueCare(
        stage=TASTE_STAGE,
        key=WRAP_NOW,
        kind="wrap",
        words="Soft inside and its coat bare: wrap it, into the cold today, and eat it first",
        place=course.now.place,
        due=felt_on,
        matters="once",
    )


def _eat(piece: PieceNow, ready: Window, last: date, today: date) -> Iterator[DueCare]:
    """It asks to be eaten before its time is over: a soft one before its window closes; once it is
    over no recipe’s words send it to a table any more."""
    if f"{LAST_STAGE}/{EAT}" in piece.course.done:
        return
    soft = piece.recipe.family in SOFT
    closes = max(ready.later, ready.sooner) if piece.recipe.family in _BY_WINDOW else last
    closes = min(closes, last)
    ahead = timedelta(days=_EAT_AHEAD if soft else _EAT_AHEAD_FIRM)
    own = [c.words for stage in piece.recipe.stages for c in stage.cares if kind_of(c) == "eat"]
    words = own[0] if own else "Eat it up, or give it to somebody who does"
    if today > last:
        words = _PAST_USE if soft else _PAST_BEST
    else:
        words += f", by {closes.day} {closes:%b}"
    due = max(closes - ahead, piece.course.lain[0].begins)
    place = piece.course.now.place
    yield DueCare(
        stage=LAST_STAGE, key=EAT, kind="eat", words=words, place=place, due=due, matters="once"
    )
