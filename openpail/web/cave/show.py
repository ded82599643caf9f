"""Words of the cave: a care in short, how late it is, what a deed says, a piece with reasons."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from openpail.craft.cave.care import DueCare
from openpail.craft.cave.climate import dew_point_c
from openpail.craft.cave.deeds import (
    OUTS,
    RIPE,
    SEALS,
    By,
    Cared,
    CutUp,
    EarlyTaste,
    MovedTo,
    Named,
    Opened,
    Out,
    PieceDeed,
    Sealed,
    Seen,
    Tasted,
    TastingBegun,
    TastingClosed,
    WeighedAgain,
)
from openpail.craft.cave.look import look_of
from openpail.craft.cave.pierce import WORDS as PIERCE_WORDS
from openpail.craft.cave.seal import OIL, OIL_MOST_C, WAX, WAX_MOST_C, planned_seals
from openpail.craft.cave.signs import SIGNS, RipeSign
from openpail.craft.recipe.ripening import LATER, RAW_DAYS, SOONER
from openpail.craft.salt.brine import salt_for
from openpail.craft.units import so_many
from openpail.web.cave.draw import (
    Drawn,
    Life,
    LossDrawn,
    PierceDrawn,
    drawn,
    life,
    loss_drawn,
    pierce_drawn,
)
from openpail.web.cave.forms import CutForm, MoveForm, PieceForm, SealForm
from openpail.web.edge import local, today
from openpail.web.ui.show import day, degrees, lot_amount, mass, volume
from openpail.work.cave import piece
from openpail.work.cave.piece import OnePiece, Said
from openpail.work.cave.ripening import CareGroup, LivePiece, late
from openpail.work.cave.shelves import Place
from openpail.work.here import Here

SHORT: Mapping[str, str] = {
    "turn": "turn",
    "wipe": "wipe",
    "wash": "wash",
    "brush": "brush",
    "pierce": "pierce",
    "wrap": "wrap",
    "foil": "into foil",
    "bag": "into its bag",
    "wax": "wax",
    "cloth": "dress",
    "oil": "into oil",
    "weigh": "weigh",
    "look": "look",
    "taste": "taste",
    "eat": "eat up",
    "salt": "salt",
    "move": "move on",
    "sign": "look: ready?",
    "recheck": "look at its bag",
    "plug": "plug its hole",
}
# What is told on the page of its piece, with a picture or a place; no ring does for it.
BY_ITSELF = frozenset({"move", "sign", "recheck", "weigh", "eat", "bag", "wax", "cloth", "oil"})
BY_WORDS: Mapping[By, str] = {
    "typed": "its number was typed",
    "shelf": "picked on its shelf",
    "label": "its label was read",
}


def short(care: DueCare) -> str:
    """A care in one or two words."""
    return SHORT.get(care.kind, care.kind)


def late_words(care: DueCare, of: LivePiece, today: date) -> str:
    """How late a care is, in words; "" where it is not."""
    found = late(care, of, today)
    return f"{so_many(found.days, 'day')} late: {found.level}" if found.days else ""


def days_late(care: DueCare, of: LivePiece, today: date) -> str:
    """How late a care of a group is for one of its pieces, in short; "" where it is not."""
    mine = next((each for each in of.plan.cares if each.name == care.name), care)
    days = (today - mine.due).days
    return f"{so_many(days, 'day')} late" if days > 0 else ""


def looks(here: Here, places: Iterable[Place]) -> tuple[dict[uuid.UUID, Drawn], dict[str, Drawn]]:
    """How each piece on its shelf is drawn, by its id, and each different drawing once."""
    return looks_of(
        here, [each.piece for place in places for _, those in place.shelves for each in those]
    )


def looks_of(
    here: Here, these: Iterable[LivePiece]
) -> tuple[dict[uuid.UUID, Drawn], dict[str, Drawn]]:
    """The same of pieces wherever they lie."""
    found: dict[uuid.UUID, Drawn] = {}
    symbols: dict[str, Drawn] = {}
    for of in these:
        look = drawn(look_of(of.now, of.plan, of.row.left_kg, here.today, here.house))
        symbols.setdefault(look.key, look)
        found[of.row.id] = look
    return found, symbols


def fellows(here: Here, told: Mapping[str, Any] | None) -> list[tuple[str, str]]:
    """The pieces of the last tap, so that one of many can be taken back: id and number."""
    fields = (told or {}).get("fields", {})
    if "batch" not in fields:
        return []
    ids = [each for each in fields.get("ids", "").split(",") if each]
    return piece.numbers(here, [uuid.UUID(each) for each in ids]) if len(ids) > 1 else []


# ── a care with its amounts ──


def wash_words(here: Here, group: CareGroup) -> str:
    """How much brine a wash of these pieces wants, and what it is made of; "" for other cares."""
    pct = group.care.brine_pct
    if group.care.kind != "wash" or pct is None:
        return ""
    area = sum(piece.surface_m2(each, here.house) for each in group.pieces)
    litres = max(0.05, area * here.house.number("cave.wash_l_m2"))
    grams = 1000 * salt_for(litres, pct).value
    return (
        f"{volume(litres)} of water and {lot_amount(grams, 'g')} of salt make the {pct:g} % brine"
    )


# ── a deed in words ──


def deed_words(deed: PieceDeed, label: str) -> str:
    """What was done to a piece, in words."""
    match deed:
        case MovedTo(place=place, stage=stage):
            return f"{label} is in {place} now" + (", in its next stage" if stage else "")
        case Sealed(how=how):
            return f"{label} is sealed {SEALS[how]}"
        case Opened():
            return f"{label} is unwrapped"
        case CutUp(kgs=kgs):
            return f"{label} is cut into {len(kgs)}"
        case Seen(sign, step) if sign in SIGNS and step < len(SIGNS[sign].steps):
            return f"{label}: {SIGNS[sign].steps[step]}"
        case WeighedAgain(kg):
            return f"{label} weighs {mass(kg)}"
        case EarlyTaste(ripe):
            return f"{label} tasted {RIPE[ripe]}"
        case TastingBegun() | Tasted() | TastingClosed():
            return _tasting_words(deed, label)
        case Out(where=where, kg=kg):
            return f"{mass(kg) + ' of ' if kg else ''}{label} {OUTS.get(where, 'left')}"
        case Cared(key=key):
            return f"{label}: {key.replace('-', ' ')}"
    return label


def _tasting_words(deed: TastingBegun | Tasted | TastingClosed, label: str) -> str:
    """What was done at a tasting: never what a taster said, others may not have tasted yet."""
    match deed:
        case TastingBegun(tasters=tasters):
            return f"{label} is set out for {', '.join(tasters)}"
        case Tasted(taster=taster):
            return f"{label} is tasted by {taster}"
    return f"The tasting of {label} is open to all"


@dataclass(frozen=True, slots=True, kw_only=True)
class ToldRow:
    """A deed as it is listed: its id, when, in words, its word, how the number was told, and
    whether it was taken back."""

    id: str
    at: datetime
    words: str
    word: str
    by: str
    undone: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class PieceShown:
    """A piece with all that its page says: drawing, life, cares, signs, loss, reasons; barred,
    whether nobody is to eat it, so that its plan holds no more."""

    look: Drawn
    words: str
    life: Life
    due: list[DueCare]
    asked: list[DueCare]
    next: list[DueCare]
    signs: list[RipeSign]
    loss: LossDrawn | None
    loss_words: str
    said: Said
    told: list[ToldRow]
    pierce: PierceDrawn | None
    cautions: list[tuple[str, str]]
    barred: bool
    sisters: int


def piece_shown(here: Here, one: OnePiece) -> PieceShown:
    """All that the page of a piece shows."""
    said = piece.said_of(here, one)
    look = look_of(one.now, one.plan, one.row.left_kg or one.row.mass_kg, here.today, here.house)
    wanted = [care for care in one.plan.cares if care.due <= here.today]
    due = [care for care in wanted if care.kind not in BY_ITSELF]
    coming = [care for care in one.plan.cares if care.due > here.today][:6]
    curve = said.loss
    near = any(care.kind == "pierce" for care in (*wanted, *coming[:3]))
    return PieceShown(
        look=drawn(look),
        words=look.words,
        life=life(one.recipe, one.plan, one.row.made_on, here.today),
        due=due,
        asked=[care for care in wanted if care.kind in BY_ITSELF and care.kind != "move"],
        next=coming,
        signs=_signs(one),
        loss=loss_drawn(curve) if curve else None,
        loss_words=curve.words if curve else "",
        said=said,
        told=_told(one),
        pierce=pierce_drawn(one.recipe) if near else None,
        cautions=list(_cautions(here, one, said)),
        barred=any(mark.sort.is_bar for mark in said.guard.marks),
        sisters=len(piece.sisters(here, one.row.id)),
    )


def _signs(one: OnePiece) -> list[RipeSign]:
    """The signs that can be looked at now: what ends its stage, its bag, thumb, what is strange."""
    stages = one.recipe.stages
    found: list[str] = []
    if stages:
        own = stages[one.now.course.stage].sign
        found = [own] if own else []
    if one.now.course.sealed == "bag":
        found.append("bag")
    if one.now.facts.brine_rests_pct is not None:
        found.append("faces")
    return [SIGNS[key] for key in dict.fromkeys([*found, "thumb", "strange"])]


def _cautions(here: Here, one: OnePiece, said: Said) -> Iterable[tuple[str, str]]:
    """What is to be said of a piece before anything is done to it: level and words."""
    for mark in said.guard.marks:
        thrown = " It is thrown away." if mark.sort.is_bar else ""
        yield "stop", f"{mark.sort.title}. {mark.said}{thrown}"
    course = one.now.course
    for key in ("bag", "faces", "strange"):
        step, on = course.seen.get(key, (0, date.min))
        over = SIGNS[key].over
        if over is not None and step >= over:
            yield "caution", f"{day(on)}: {SIGNS[key].steps[step]}. {SIGNS[key].over_words}"
    if said.guard.raw and said.aged_days < RAW_DAYS:
        yield (
            "caution",
            f"Raw milk, on day {said.aged_days} of {RAW_DAYS} of ageing. Some germs outlive them.",
        )
    for each in said.lain:
        if each.air and each.air.grave:
            high, low = degrees(each.air.high_c, 1), degrees(each.air.low_c, 1)
            yield (
                "caution",
                f"In {each.place} it lay far out of its band for over a day, from "
                f"{day(here.day_of(each.air.grave))}: {low} to {high}.",
            )
    if course.sealed == "oil":
        yield "caution", f"{OIL} {degrees(OIL_MOST_C)} or colder."
    if one.plan.eat_by < here.today and one.row.ended_at is None:
        yield "stop", "Its time is over: it is not eaten, sold or given any more without a look."


def _told(one: OnePiece) -> list[ToldRow]:
    undone = {str(row.amends) for row in one.told if row.deed == "undo"}
    counting = {each.id: each for each in one.standing.told}
    found = []
    for row in one.told:
        if row.deed in ("undo", "amend"):
            continue
        told = counting.get(str(row.id)) or piece.as_told(row)
        deed = told.deed
        by = BY_WORDS[deed.by] if isinstance(deed, Named) and deed.label else ""
        said = () if isinstance(deed, Tasted) else ("word", "why", "words")  # others may be blind
        word = next((w for w in (getattr(deed, n, "") for n in said) if w), "")
        found.append(
            ToldRow(
                id=str(row.id),
                at=told.at,
                words=_care_words(one, deed),
                word=word,
                by=by,
                undone=str(row.id) in undone,
            )
        )
    return list(reversed(found))


def _care_words(one: OnePiece, deed: PieceDeed) -> str:
    if isinstance(deed, Cared):
        for stage in one.recipe.stages:
            for care in stage.cares:
                if (stage.key, care.key) == (deed.stage, deed.key):
                    return care.words
    return deed_words(deed, one.row.label)


# ── forms of a piece ──


def fill(here: Here, one: OnePiece, form: PieceForm, by: By, *, fresh: bool) -> None:
    """What the form of a piece offers, and what is known before anything is typed."""
    if fresh:
        form.by.data = by
        form.label.data = one.row.label if by in ("shelf", "label") else ""
    if isinstance(form, MoveForm):
        _fill_move(one, form, fresh=fresh)
    if isinstance(form, SealForm) and fresh:
        planned = planned_seals(one.recipe, one.now.course.stage)
        form.seal.data = next(iter(sorted(planned)), "wrap")
    if isinstance(form, CutForm) and fresh:
        half = mass(one.row.left_kg / 2)
        place = one.now.course.now.place
        form.parts.data = f"{half} {place}\n{half} {place}"


def _fill_move(one: OnePiece, form: MoveForm, *, fresh: bool) -> None:
    stages, course = one.recipe.stages, one.now.course
    names = [room.name for room in one.around.rooms]
    names += [one.around.place(stage.place) for stage in stages] + [course.now.place]
    form.place.choices = [(name, name) for name in dict.fromkeys(names)]
    onward = [
        (stage.key, f"its next stage begins: {stage.place}")
        for number, stage in enumerate(stages)
        if number > course.stage
    ]
    form.stage.choices = [*onward[:1], ("", "the same stage goes on there"), *onward[1:]]
    if fresh:
        following = stages[course.stage + 1] if course.stage + 1 < len(stages) else None
        form.stage.data = following.key if following else ""
        form.place.data = one.around.place(following.place) if following else course.now.place


def plan_says(one: OnePiece) -> str:
    """What the plan of a piece expects, before anything is done to it."""
    stages, course = one.recipe.stages, one.now.course
    if not stages:
        return "Its recipe says nothing of ripening."
    run = one.plan.ran[course.stage]
    if course.stage + 1 == len(stages):
        ready = day(one.plan.ready_from)
        return f"Its plan keeps it in {course.now.place} until it is eaten; ready from {ready}."
    onward = stages[course.stage + 1].place
    sign = stages[course.stage].ends_when
    if moves_on(one):
        return f"It is time for it to go on to: {onward}{f' ({sign})' if sign else ''}."
    ends = f", when {sign}" if sign else ""
    return f"Its plan: in {course.now.place} until {day(run.ends)}{ends}; then {onward}."


def moves_on(one: OnePiece) -> bool:
    """Whether it is time for it to go on to its next stage."""
    course = one.now.course
    has_next = course.stage + 1 < len(one.recipe.stages)
    return has_next and one.plan.ran[course.stage].ends <= today()


def seal_cautions(form: SealForm) -> str:
    """What is to be known before a cheese is waxed or laid in oil."""
    hot, cold = degrees(WAX_MOST_C), degrees(OIL_MOST_C)
    return f"{WAX} Not over {hot}. {OIL} {cold} or colder."


def dew(celsius: float | None, humidity: float | None) -> str:
    """The dew point of a place, in words; "" where it was not read."""
    if celsius is None or humidity is None:
        return ""
    return f"dew under {degrees(dew_point_c(celsius, humidity), 1)}"


PIERCE = PIERCE_WORDS
WINDOW = (
    f"The window is that, {SOONER:g} to {LATER:g} times. It moves with the thumb and the tongue."
)


def hours_out(count: int) -> str:
    """A count of hours as people say it."""
    return f"{count} h" if count < 72 else so_many(round(count / 24), "day")


def local_stamp(moment: datetime) -> str:
    """A moment as it may be typed back."""
    return f"{local(moment):%Y-%m-%d %H:%M}"
