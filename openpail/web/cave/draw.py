"""Cheeses and shelves drawn: from what the craft says of a look to shapes an SVG can take."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from itertools import pairwise
from math import sqrt

from openpail.craft.cave.care import CarePlan
from openpail.craft.cave.look import CheeseLook
from openpail.craft.cave.loss import LossCurve
from openpail.craft.cave.pierce import holes
from openpail.craft.recipe.recipe import Recipe

_PX_PER_CM = 4.6
_LEAST_PX, _MOST_PX = 34.0, 132.0
_DEPTH = 0.17  # how much of a top is seen, of its width


@dataclass(frozen=True, slots=True, kw_only=True)
class Drawn:
    """A cheese drawn: its box, body and top as paths, classes, marks on its rind (x, y, r), lines
    of its seal."""

    key: str
    width: float
    height: float
    body: str
    top: str
    rind: str
    marks: tuple[tuple[float, float, float], ...]
    seal: str
    seal_lines: str
    holes: tuple[tuple[float, float], ...]


def drawn(look: CheeseLook) -> Drawn:
    """A cheese as it looks today, to the scale of its fellows."""
    scale = _PX_PER_CM
    width = min(_MOST_PX, max(_LEAST_PX, look.across_cm * scale))
    scale = width / look.across_cm
    high = min(_MOST_PX, max(_LEAST_PX * 0.4, look.height_cm * scale))
    body, top, tall = _SHAPES.get(look.shape, _wheel)(width, high)
    if look.is_part:
        body, top, tall = _wedge(width, high)
    name = f"{look.shape}-{look.across_cm:g}-{look.height_cm:g}-{look.rind}-{look.step}"
    name += f"-{look.sealed or 'bare'}-{int(look.is_part)}{int(look.holes)}"
    return Drawn(
        key=name.replace(".", "_"),
        width=round(width, 1),
        height=round(tall, 1),
        body=body,
        top=top,
        rind=f"{look.rind}-{look.step}",
        marks=_marks(look, width, tall),
        seal=look.sealed or "",
        seal_lines=_seal_lines(look.sealed or "", width, tall),
        holes=_needle(look, width) if look.holes else (),
    )


def _path(*parts: str | float) -> str:
    """A path of letters and numbers."""
    return " ".join(part if isinstance(part, str) else f"{part:.1f}" for part in parts)


def _wheel(w: float, h: float) -> tuple[str, str, float]:
    d, e = w * _DEPTH, w - 1
    low = d + h + d * 0.9
    body = _path("M", 1, d, "V", d + h, "C", 1, low, e, low, e, d + h, "V", d, "Z")
    arc = (w / 2 - 1, d - 1, "0 1 1")
    top = _path("M", 1, d, "A", *arc, e, d, "A", *arc, 1, d, "Z")
    return body, top, h + 1.7 * d


def _brick(w: float, h: float) -> tuple[str, str, float]:
    d, e = w * _DEPTH, w - 1
    near = w - 2 * d
    body = _path("M", 1, 2 * d, "H", near, "L", e, d, "V", d + h, "L", near, 2 * d + h, "H", 1, "Z")
    top = _path("M", 1, 2 * d, "L", 2 * d, d, "H", e, "L", near, 2 * d, "Z")
    return body, top, h + 2 * d + 1


def _log(w: float, _: float) -> tuple[str, str, float]:
    r = max(9.0, w * 0.24)
    body = _path("M", r * 0.6, 1, "H", w - r * 0.7, "a", r * 0.6, r, "0 0 1 0", 2 * r, "H", r * 0.6)
    top = _path("M", r * 0.6, 1, "a", r * 0.55, r, "0 1 0 0.1 0 Z")
    return f"{body}Z", top, 2 * r + 2


def _ball(w: float, _: float) -> tuple[str, str, float]:
    r = w / 2 - 1
    half = (r, r * 0.86, "0 1 1")
    body = _path("M", 1, r, "a", *half, 2 * r, 0, "a", *half, -2 * r, 0, "Z")
    shine = _path("M", r * 0.6, r * 0.5, "q", r * 0.4, -r * 0.3, r * 0.8, 0)
    return body, f"{shine}Z", 1.86 * r + 2


def _tub(w: float, _: float) -> tuple[str, str, float]:
    tall, e = max(26.0, w * 0.8), w - 1
    body = _path("M", 1, 8, "H", e, "L", w * 0.88, tall, "H", w * 0.12, "Z")
    top = _path("M", 1, 8, "C", w * 0.2, -1, w * 0.8, -1, e, 8, "Z")
    return body, top, tall + 1


def _pyramid(w: float, h: float) -> tuple[str, str, float]:
    d, e = w * _DEPTH, w - 1
    left, right, low = w * 0.3, w * 0.62, d + h
    body = _path("M", 1, low, "L", left, d, "L", right, d, "L", e - d, low, "Z")
    body += " " + _path("M", right, d, "L", right + d, 1, "L", e, low - d, "L", e - d, low, "Z")
    top = _path("M", left, d, "L", left + d, 1, "H", right + d, "L", right, d, "Z")
    return body, top, low + 1


def _hung(w: float, _: float) -> tuple[str, str, float]:
    """A pear with a neck, on its cord."""
    r, neck = w * 0.46, w * 0.16
    x, cord = w / 2, w * 0.3
    low = cord + neck + 1.9 * r
    side = ("C", x + 0.3 * r, cord + neck, x + r * 1.1, cord + neck + 0.4 * r, x + r, low - r)
    back = ("A", r, r, "0 0 1", x - r, low - r)
    up = ("C", x - r * 1.1, cord + neck + 0.4 * r, x - 0.3 * r, cord + neck, x - neck, cord, "Z")
    body = _path("M", x - neck, cord, "H", x + neck, *side, *back, *up)
    loop = _path("M", x - neck * 0.7, cord, "C", x - neck, -2, x + neck, -2, x + neck * 0.7, cord)
    return body, f"{loop}Z", low + 1


def _in_brine(w: float, h: float) -> tuple[str, str, float]:
    """A block that looks out of the brine in its tub."""
    rim, e = max(10.0, h * 0.4), w - 1
    tall = rim + max(24.0, w * 0.55)
    body = _path("M", 1, rim, "H", e, "L", w * 0.9, tall, "H", w * 0.1, "Z")
    wave = ("q", w * 0.1, -4, w * 0.2, 0, "t", w * 0.2, 0, "t", w * 0.2, 0, "t", w * 0.2, 0)
    block = _path("M", w * 0.26, rim, "V", 2, "H", w * 0.74, "V", rim, "Z")
    return body, f"{block} {_path('M', w * 0.1, rim + 7, *wave)}", tall + 1


def _wedge(w: float, h: float) -> tuple[str, str, float]:
    d, e, tip = w * _DEPTH, w - 1, w * 0.62
    near = ("L", tip, 2.6 * d)
    side = ("V", d + h, "L", tip, 2.6 * d + h, "L", 1, 2 * d + h, "Z")
    body = _path("M", 1, 2 * d, *near, "L", e, d, *side)
    top = _path("M", 1, 2 * d, "L", w * 0.5, 1, "Q", w * 0.8, 1, e, d, *near, "Z")
    return body, top, h + 3 * d


_SHAPES = {
    "wheel": _wheel,
    "brick": _brick,
    "log": _log,
    "ball": _ball,
    "tub": _tub,
    "pyramid": _pyramid,
    "hung": _hung,
    "brine": _in_brine,
}


def _marks(look: CheeseLook, w: float, tall: float) -> tuple[tuple[float, float, float], ...]:
    """Down, spots or veins on the rind: more of them the further it is."""
    if look.rind in ("fresh", "straw") or look.step == 0:
        return ()
    wide, from_y, to_y = (0.72, 0.42, 0.88) if look.shape == "brick" else (0.82, 0.18, 0.86)
    found = []
    for number in range((0, 6, 14, 24)[look.step]):
        x, y = (number * 0.618034) % 1, (number * 0.754878 + 0.3) % 1
        size = 1.4 + 1.6 * ((number * 0.569840) % 1)
        at = (w * (0.09 + wide * x), tall * (from_y + (to_y - from_y) * y))
        found.append((round(at[0], 1), round(at[1], 1), round(size, 1)))
    return tuple(found)


def _needle(look: CheeseLook, w: float) -> tuple[tuple[float, float], ...]:
    """The holes of a pierced cheese as they are seen on its top."""
    scale, d = w / look.across_cm, w * _DEPTH
    spots = holes(max(4.0, look.across_cm), look.side_cm)
    flat = scale * _DEPTH * 1.8
    return tuple((round(w / 2 + x * scale * 0.9, 1), round(d + y * flat, 1)) for x, y in spots)


def _seal_lines(sealed: str, w: float, tall: float) -> str:
    """What a wrapping shows: seams of a bag, folds of paper, creases of foil, weave of cloth."""
    if sealed == "bag":
        seams = _path("M", 0, 1, "H", w, "M", 0, 4, "H", w)
        return f"{seams} {_path('M', 1, 4, 'V', tall - 1, 'M', w - 1, 4, 'V', tall - 1)}"
    if sealed in ("wrap", "foil"):
        knot = (w * 0.5, tall * 0.3)
        folds = _path("M", w * 0.12, tall, "L", *knot, "L", w * 0.88, tall)
        return f"{folds} {_path('M', *knot, 'V', 1)}"
    if sealed == "cloth":
        across = " ".join(_path("M", 0, tall * k / 6, "H", w) for k in range(1, 6))
        return f"{across} {' '.join(_path('M', w * k / 7, 0, 'V', tall) for k in range(1, 7))}"
    return ""


# ── a shelf ──


@dataclass(frozen=True, slots=True, kw_only=True)
class PierceDrawn:
    """The holes of one face, drawn: the box, the outline, each hole; cm of the cheese."""

    size: float
    side: float
    spots: tuple[tuple[float, float], ...]
    is_round: bool
    count: int


def pierce_drawn(recipe: Recipe) -> PierceDrawn | None:
    """Where the needle goes in one face; None for a cheese of unknown measures."""
    wheels = recipe.wheels
    if wheels is None or wheels.across_cm < 4:
        return None
    spots = holes(wheels.across_cm, wheels.side_cm)
    scale = 180 / wheels.across_cm
    side = (wheels.side_cm or wheels.across_cm) * scale
    at = tuple((round(90 + x * scale, 1), round(side / 2 + y * scale, 1)) for x, y in spots)
    return PierceDrawn(
        size=180, side=round(side, 1), spots=at, is_round=wheels.side_cm is None, count=len(spots)
    )


# ── a life ──

LIFE_WIDTH, _LEFT, _RIGHT, _LETTER = 860.0, 6.0, 6.0, 6.6


@dataclass(frozen=True, slots=True, kw_only=True)
class LifeStage:
    """A stage on the line of a life: where it is, what fits of its name, whether it is over."""

    x: float
    width: float
    name: str
    state: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Life:
    """A cheese from milk to eat-by as one line: stages, its window, today, the days at edges."""

    stages: tuple[LifeStage, ...]
    window_x: float
    window_width: float
    today_x: float
    marks: tuple[tuple[float, date, str], ...]


def life(recipe: Recipe, plan: CarePlan, made_on: date, today: date) -> Life:
    """Lay a life out: long waits are drawn shorter than they are, so that every stage is seen."""
    edges = [made_on]
    for run in plan.ran:
        edges.append(max(run.ends, edges[-1]))
    edges.append(max(plan.eat_by, edges[-1]))
    weights = [sqrt(max(0, (b - a).days)) + 1.2 for a, b in pairwise(edges)]
    scale = (LIFE_WIDTH - _LEFT - _RIGHT) / sum(weights)
    xs = [_LEFT]
    for weight in weights:
        xs.append(xs[-1] + weight * scale)

    def x(day: date) -> float:
        for (a, b), (xa, xb) in zip(pairwise(edges), pairwise(xs), strict=True):
            if day <= b:
                share = (day - a).days / max(1, (b - a).days)
                return round(xa + max(0.0, share) * (xb - xa), 1)
        return round(xs[-1], 1)

    stages = []
    for run, (xa, xb) in zip(plan.ran, pairwise(xs), strict=False):
        state = "over" if run.over else "now" if run.begins <= today else "ahead"
        days = (run.ends - run.begins).days
        words = f"{recipe.stages[run.stage].place}, {days} d"
        fits = int((xb - xa - 10) / _LETTER)
        if len(words) > fits:
            words = f"{days} d" if fits < 12 else f"{words[: fits - 1]}…"
        stages.append(
            LifeStage(
                x=round(xa, 1), width=round(xb - xa, 1), name=words if fits > 3 else "", state=state
            )
        )
    begins, ends = x(plan.ready_from), x(max(plan.ready_from, min(plan.ready_until, plan.eat_by)))
    marks = _apart(
        [
            (x(made_on), made_on, "made"),
            (begins, plan.ready_from, "ready from"),
            (x(plan.eat_by), plan.eat_by, "eat by"),
        ]
    )
    return Life(
        stages=tuple(stages),
        window_x=begins,
        window_width=max(3.0, round(ends - begins, 1)),
        today_x=x(today),
        marks=marks,
    )


def _apart(marks: Iterable[tuple[float, date, str]]) -> tuple[tuple[float, date, str], ...]:
    """Marks pushed apart so that their words do not run into each other."""
    found: list[tuple[float, date, str]] = []
    for x, day, words in marks:
        least = found[-1][0] + 130 if found else 0.0
        found.append((min(max(x, least), LIFE_WIDTH - 40), day, words))
    return tuple(found)


# ── the loss ──

LOSS_WIDTH, LOSS_HEIGHT = 420.0, 150.0


@dataclass(frozen=True, slots=True, kw_only=True)
class LossDrawn:
    """The loss curve drawn: its band and middle as paths, the weighings, the ends of its axes."""

    band: str
    middle: str
    weighed: tuple[tuple[float, float], ...]
    days: int
    most_pct: float


def loss_drawn(curve: LossCurve) -> LossDrawn | None:
    """Scale a loss curve into its box; None where nothing is to be lost."""
    last = curve.expected[-1][0]
    most = max([y for _, y in curve.high] + [y for _, y in curve.weighed] + [0.0])
    if last <= 0 or most < 0.2:
        return None
    most *= 1.1

    def at(day: float, pct: float) -> str:
        return f"{LOSS_WIDTH * day / last:.1f},{LOSS_HEIGHT * max(0.0, pct) / most:.1f}"

    band = [at(*p) for p in curve.high] + [at(*p) for p in reversed(curve.low)]
    spots = tuple(
        (round(LOSS_WIDTH * min(1.0, day / last), 1), round(LOSS_HEIGHT * max(0.0, pct) / most, 1))
        for day, pct in curve.weighed
    )
    middle = "M" + " L".join(at(*p) for p in curve.expected)
    return LossDrawn(
        band="M" + " L".join(band) + "Z",
        middle=middle,
        weighed=spots,
        days=round(last),
        most_pct=most,
    )


# ── the air ──

AIR_WIDTH, AIR_HEIGHT, _GAP_H = 860.0, 120.0, 2


@dataclass(frozen=True, slots=True, kw_only=True)
class Air:
    """A course of values drawn: lines with their gaps, the band wanted, lowest and highest."""

    lines: tuple[str, ...]
    band_y: float | None
    band_height: float
    low: float
    high: float
    now: float | None


def air(
    values: Sequence[tuple[float, float | None]],
    hours: float,
    band: tuple[float, float] | None,
    least: float,
) -> Air | None:
    """Lay values out: hours from the beginning, with each value; None where nothing was read.

    Parameters: band, low and high that are wanted; least, the smallest span of the axis.
    """
    known = [(hour, value) for hour, value in values if value is not None]
    if not known:
        return None
    low = min([value for _, value in known] + ([band[0]] if band else []))
    high = max([value for _, value in known] + ([band[1]] if band else []))
    middle, half = (low + high) / 2, max(least, high - low) / 2 * 1.1
    low, high = middle - half, middle + half

    def y(value: float) -> float:
        return round(AIR_HEIGHT * (high - value) / (high - low), 1)

    words, before = [], None
    for hour, value in known:
        goes_on = before is not None and hour - before <= _GAP_H
        words.append(_path("L" if goes_on else "M", AIR_WIDTH * hour / hours, y(value)))
        before = hour
    parts = " ".join(words).split("M")[1:]
    return Air(
        lines=tuple(f"M{part.strip()}" for part in parts),
        band_y=y(band[1]) if band else None,
        band_height=round(y(band[0]) - y(band[1]), 1) if band else 0.0,
        low=low,
        high=high,
        now=known[-1][1],
    )
