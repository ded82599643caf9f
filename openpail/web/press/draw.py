"""Presses, moulds and tubs drawn to scale, from figures that the craft worked out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from openpail.craft.make.pressing import InMoulds
from openpail.craft.press.presses import Lever, Press
from openpail.craft.press.weights import Pile
from openpail.craft.salt.tub import TubStanding
from openpail.work.press.tubs import Brining, Make, Tub

WIDTH, HEIGHT = 540.0, 330.0
_FLOOR, _MOST_SCALE = 300.0, 9.0
_BOARD_CM, _BEAM_CM, _ROOM_CM = 2.5, 4.0, 6.0
_SHOWN, _GAP_CM = 4, 2.0
_EDGE = 34.0  # room for a pivot at the left, and for what hangs at the right
_PLAIN_CM, _PLAIN_HIGH_CM = 18.0, 12.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Box:
    """A rectangle, with words in it."""

    x: float
    y: float
    width: float
    height: float
    words: str = ""
    kind: str = ""

    @property
    def mid_x(self) -> float:
        """The middle of it."""
        return self.x + self.width / 2

    @property
    def mid_y(self) -> float:
        """The middle of it."""
        return self.y + self.height / 2


@dataclass(frozen=True, slots=True, kw_only=True)
class Beam:
    """A lever: its ends, its pivot, and where it presses, as x; its height, as y."""

    left: float
    right: float
    pivot: float
    presses: float
    y: float


@dataclass(frozen=True, slots=True, kw_only=True)
class PressDrawn:
    """A press as it stands: moulds with curd in them, followers, levers, what hangs or is stacked.

    rods: pairs of x, from y, to y; screw and spring, where they stand (None: no such press).
    """

    moulds: tuple[Box, ...]
    curd: tuple[Box, ...]
    board: Box
    beams: tuple[Beam, ...]
    rods: tuple[tuple[float, float, float], ...]
    things: tuple[Box, ...]
    more: int = 0
    screw: Box | None = None
    spring: Box | None = None
    frame: Box | None = None

    @property
    def top(self) -> float:
        """Where the drawing begins, under the sky."""
        parts = (*self.moulds, *self.things, self.board, self.frame, self.screw, self.spring)
        highest = [each.y for each in parts if each] + [each.y - 10 for each in self.beams]
        return max(0.0, min(highest) - 14)


def press_drawn(
    press: Press | None, at: InMoulds, cheese_cm: float | None, pile: Pile | None
) -> PressDrawn:
    """A press with its moulds, all of one scale.

    Parameters: press, None for none; at, the moulds; cheese_cm, how high the cheese stands; pile,
    what hangs or is stacked.
    """
    wide = at.mould.across_cm if at.mould else _PLAIN_CM
    high = at.mould.height_cm if at.mould else _PLAIN_HIGH_CM
    rows, columns = (at.count, 1) if at.stacked else (1, min(_SHOWN, at.count))
    rows = min(_SHOWN, rows)
    across = columns * wide + (columns - 1) * _GAP_CM
    levers = press.levers if press else ()
    stands = rows * high + _BOARD_CM + _ROOM_CM + (2 + len(levers)) * _BEAM_CM
    pile_cm = pile.height_cm if pile and press and press.sort == "stack" else 0.0
    needs_h = stands + max(pile_cm, 8.0)
    before, after = _reach(levers, across / 2)
    room = WIDTH - 2 * _EDGE
    scale = min(_MOST_SCALE, room / (before + after), (_FLOOR - 20) / needs_h)
    middle = _EDGE + before * scale if levers else WIDTH / 2
    left = middle - across * scale / 2
    filled = min(high, cheese_cm) if cheese_cm else high * 0.8
    moulds, curd = [], []
    for row in range(rows):
        for column in range(columns):
            x = left + column * (wide + _GAP_CM) * scale
            y = _FLOOR - (row + 1) * high * scale
            moulds.append(Box(x=x, y=y, width=wide * scale, height=high * scale))
            curd.append(
                Box(x=x, y=y + (high - filled) * scale, width=wide * scale, height=filled * scale)
            )
    top = _FLOOR - rows * high * scale + (high - filled) * scale
    board = Box(x=left, y=top - _BOARD_CM * scale, width=across * scale, height=_BOARD_CM * scale)
    drawn = PressDrawn(
        moulds=tuple(moulds),
        curd=tuple(curd),
        board=board,
        beams=(),
        rods=(),
        things=(),
        more=at.count - rows * columns,
    )
    if press is None or press.sort == "":
        return drawn
    if press.sort == "lever":
        return _levers(drawn, press, scale, middle, pile)
    if press.sort == "stack":
        return _stacked(drawn, scale, middle, pile)
    frame = Box(x=left - 26, y=16, width=across * scale + 52, height=_FLOOR - 8)
    held = Box(x=middle - 9, y=26, width=18, height=max(20.0, board.y - 26))
    if press.sort == "spring":
        return _with(drawn, frame=frame, spring=held)
    return _with(drawn, frame=frame, screw=held)


def _reach(levers: Sequence[Lever], half_cm: float) -> tuple[float, float]:
    """How far a press reaches to the left and to the right of where it presses, cm."""
    ends = [-1.5 * half_cm, 1.5 * half_cm] if not levers else [-half_cm, half_cm]
    presses = 0.0
    for lever in reversed(levers):
        pivot = presses - lever.follower_cm
        presses = pivot + lever.weight_cm
        ends += [pivot, presses]
    return -min(ends), max(ends)


def _with(drawn: PressDrawn, **parts: object) -> PressDrawn:
    told = {name: getattr(drawn, name) for name in PressDrawn.__dataclass_fields__}
    return PressDrawn(**{**told, **parts})


def _levers(
    drawn: PressDrawn, press: Press, scale: float, middle: float, pile: Pile | None
) -> PressDrawn:
    """The lever on the cheese pivots at the left; the one above it presses on its end."""
    beams, rods = [], []
    presses, y = middle, drawn.board.y - _ROOM_CM * scale
    rods.append((presses, y, drawn.board.y))
    end = presses
    for lever in reversed(press.levers):
        pivot = presses - lever.follower_cm * scale
        end = pivot + lever.weight_cm * scale
        beams.append(Beam(left=pivot, right=end, pivot=pivot, presses=presses, y=y))
        if lever is not press.levers[0]:
            above = y - max(22.0, _BEAM_CM * 1.6 * scale)
            rods.append((end, above, y))
            y = above
        presses = end
    hangs = _hung(end, y, pile, scale)
    return _with(drawn, beams=tuple(beams), rods=tuple(rods), things=hangs)


def _hung(x: float, y: float, pile: Pile | None, scale: float) -> tuple[Box, ...]:
    found = []
    top = y + 16
    for each in pile.laid if pile else ():
        for _ in range(each.count):
            high = max(16.0, each.thing.height_cm * scale * 0.6)
            kind = "jug" if each.thing.holds_l else "stone"
            found.append(
                Box(
                    x=x - 26,
                    y=top,
                    width=52,
                    height=min(high, 60.0),
                    words=_said(each.thing.name),
                    kind=kind,
                )
            )
            top += min(high, 60.0) + 2
    return tuple(found[:5])


def _stacked(drawn: PressDrawn, scale: float, middle: float, pile: Pile | None) -> PressDrawn:
    found = []
    y = drawn.board.y
    laid = sorted(pile.laid if pile else (), key=lambda each: bool(each.thing.holds_l))
    for each in laid:
        for _ in range(each.count):
            high = max(12.0, (each.thing.height_cm or 8.0) * scale)
            y -= high
            kind = "jug" if each.thing.holds_l else "stone"
            wide = min(drawn.board.width * 0.9, 96.0)
            found.append(
                Box(
                    x=middle - wide / 2,
                    y=y,
                    width=wide,
                    height=high - 1,
                    words=_said(each.thing.name),
                    kind=kind,
                )
            )
    return _with(drawn, things=tuple(found))


def _said(name: str) -> str:
    return name if len(name) <= 9 else f"{name[:8]}…"


# ── tubs ──

TUB_WIDTH, TUB_HEIGHT = 460.0, 150.0


@dataclass(frozen=True, slots=True)
class TubDrawn:
    """A tub cut open: its walls, the brine in it to its level, wheels that float in it."""

    wall: Box
    brine: Box | None
    wheels: tuple[Box, ...]


def tub_drawn(tub: Tub, standing: TubStanding, lying: Sequence[tuple[Brining, Make]]) -> TubDrawn:
    """A tub with what lies in it; each wheel with its number."""
    scale = min(TUB_WIDTH / tub.across_cm, (TUB_HEIGHT - 34) / tub.height_cm)
    wide, high = tub.across_cm * scale, tub.height_cm * scale
    wall = Box(x=(TUB_WIDTH - wide) / 2, y=TUB_HEIGHT - high, width=wide, height=high)
    brine = None
    level = wall.y + high
    if standing.litres:
        deep = min(tub.height_cm, 1000 * standing.litres / tub.size.floor_cm2) * scale
        level = TUB_HEIGHT - deep
        brine = Box(x=wall.x, y=level, width=wide, height=deep)
    count = sum(stay.pieces for stay, _ in lying)
    shown = min(count, 8)
    wheels = []
    room = wide / max(1, shown)
    each = min(room - 6, wide * 0.32)
    numbers = [
        f"{make.number}-{number}" for stay, make in lying for number in range(1, stay.pieces + 1)
    ]
    for number in range(shown):
        x = wall.x + (number + 0.5) * room - each / 2
        tall = min(30.0, max(18.0, (TUB_HEIGHT - level) * 0.6))
        more = number == shown - 1 and count > shown
        words = f"+{count - shown + 1}" if more else numbers[number]
        wheels.append(Box(x=x, y=level - tall * 0.25, width=each, height=tall, words=words))
    return TubDrawn(wall, brine, tuple(wheels))
