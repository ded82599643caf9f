"""Geometry of the drawings: from figures that craft worked out to numbers an SVG can take."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from math import ceil, floor, pi
from zoneinfo import ZoneInfo

from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.milk.herd import Month
from openpail.craft.sheet.sheet import Firmness, SetTimes

_PAIL_TOP, _PAIL_BOTTOM = 34.0, 116.0
_FULL_PAIL_L = 24.0


@dataclass(frozen=True, slots=True)
class Fill:
    """The milk in a drawn pail: its top edge and the two slanted sides."""

    y: float
    points: str


def pail_fill(litres: float) -> Fill:
    """How full to draw a pail of about 24 L: never quite empty, never over the rim."""
    share = min(0.94, max(0.06, litres / _FULL_PAIL_L))
    y = _PAIL_BOTTOM - share * (_PAIL_BOTTOM - _PAIL_TOP)
    inset = 14.0 * (y - _PAIL_TOP) / (_PAIL_BOTTOM - _PAIL_TOP)
    left, right = 8.0 + inset, 112.0 - inset
    return Fill(y, f"{left:.1f},{y:.1f} {right:.1f},{y:.1f} 98,116 22,116")


@dataclass(frozen=True, slots=True)
class Upright:
    """A vat or a mould as it stands: how wide and high, where its milk ends, from the top."""

    width: float
    height: float
    milk_y: float


_PX_PER_CM = 3.2
_LARGEST_PX = 260.0


def standing(brim_l: float, diameter_cm: float | None, house: House) -> Upright:
    """A vat to the scale of all others, filled to its head room; one whose width nobody measured
    as wide as high."""
    width = diameter_cm or (4000 * brim_l / pi) ** (1 / 3)
    height = 4000 * brim_l / (pi * width**2)
    scale = min(_PX_PER_CM, _LARGEST_PX / max(width, height))
    empty = 1 - house.number("vat.head_room")
    return Upright(
        round(width * scale, 1), round(height * scale, 1), round(empty * height * scale, 1)
    )


def mould(holds_kg: float, follower: bool) -> Upright | None:
    """A mould by the cheese that it holds, taller where it has a follower; None for a press."""
    if not holds_kg:
        return None
    across = (4000 * holds_kg / (pi * (0.8 if follower else 1.1))) ** (1 / 3)
    scale = 1.6 * _PX_PER_CM
    return Upright(
        round(across * scale, 1), round(across * scale * (0.95 if follower else 1.2), 1), 0
    )


_CHEESES = {
    "acid_heat_soft": "tub",
    "whey": "tub",
    "lactic": "log",
    "stretched_quick": "ball",
    "stretched": "ball",
    "grilling": "brick",
    "acid_heat_pressed": "brick",
    "white_brined": "brick",
    "bloomy": "bloom",
    "blue": "blue",
    "small_eyed": "eyed",
    "washed_rind": "washed",
    "cheddared": "truckle",
}


def cheese_of(family: str) -> str:
    """Which small drawing stands for a family; a wheel for all that have no other."""
    return _CHEESES.get(family, "wheel")


@dataclass(frozen=True, slots=True)
class BottleFill:
    """How far a drawn container is full: its rectangle, and its cubes (x, y, there)."""

    y: float
    height: float
    cubes: tuple[tuple[float, float, bool], ...]


_CONTAINER_TOP, _CONTAINER_BOTTOM = 32.0, 81.0


def bottle_fill(left: float | None, bought: float | None) -> BottleFill:
    """How full to draw a bottle, jar or packet; one of unknown contents is drawn half full."""
    share = 0.5 if left is None else min(1.0, left / bought) if bought else 0.5
    y = _CONTAINER_BOTTOM - max(0.03, share) * (_CONTAINER_BOTTOM - _CONTAINER_TOP)
    cubes = tuple(
        (7.0 + 17 * (i % 3), 64.0 - 16 * (i // 3), i < round(9 * share)) for i in range(9)
    )
    return BottleFill(round(y, 1), round(_CONTAINER_BOTTOM - y, 1), cubes)


@dataclass(frozen=True, slots=True, kw_only=True)
class Chart:
    """The firmness chart: two paths, the cut window, and marks along the time axis."""

    recipe: str
    this: str
    window_x: float
    window_width: float
    flocks_x: float
    marks: tuple[tuple[float, str], ...]
    end_y: float


CHART_WIDTH, CHART_HEIGHT = 300.0, 150.0


def firmness_chart(firm: Firmness, times: SetTimes) -> Chart:
    """Scale the firmness curves into the chart's box."""
    last = firm.this[-1][0]
    top = max(g for _, g in (*firm.recipe, *firm.this)) * 1.05

    def x(minutes: float) -> float:
        return CHART_WIDTH * min(1.0, minutes / last)

    def path(curve: Sequence[tuple[float, float]]) -> str:
        points = (f"{x(t):.1f},{CHART_HEIGHT * (1 - g / top):.1f}" for t, g in curve)
        return "M" + " L".join(points)

    cut, half = times.cut.value, times.band * times.cut.value / 2
    floc = times.flocculation.value
    return Chart(
        recipe=path(firm.recipe),
        this=path(firm.this),
        window_x=x(cut - half),
        window_width=x(cut + half) - x(cut - half),
        flocks_x=x(floc),
        marks=((x(floc), f"{floc:.0f}"), (x(cut), f"{cut:.0f}")),
        end_y=CHART_HEIGHT * (1 - firm.this[-1][1] / top),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Block:
    """A stretch of the day's ribbon: hands on, or waiting."""

    x: float
    width: float
    hands_on: bool
    words: str
    done: bool


_LETTER_WIDTH = 7.4


def fitting(words: str, width: float) -> str:
    """As many of the words as stand within a width, "" when not even the first does."""
    kept: list[str] = []
    for word in words.split(", "):
        if len(", ".join([*kept, word])) * _LETTER_WIDTH > width:
            break
        kept.append(word)
    return ", ".join(kept)


def merged(blocks: Sequence[Block]) -> list[Block]:
    """Neighbouring blocks of one kind as one, with their words joined."""
    joined: list[Block] = []
    for block in blocks:
        last = joined[-1] if joined else None
        if last and (last.done, last.hands_on or last.done) == (
            block.done,
            block.hands_on or block.done,
        ):
            words = last.words if block.words in last.words else f"{last.words}, {block.words}"
            width = block.x + block.width - last.x
            joined[-1] = Block(
                x=last.x, width=width, hands_on=last.hands_on, words=words, done=last.done
            )
        else:
            joined.append(block)
    return joined


RIBBON_WIDTH = 1160.0
RIBBON_FROM_H, RIBBON_HOURS = 5, 24


def ribbon_x(moment: datetime, zone: ZoneInfo, day: datetime) -> float:
    """Where a moment stands on the ribbon of a local day (05:00 to 05:00)."""
    begins = day.astimezone(zone).replace(hour=RIBBON_FROM_H, minute=0, second=0, microsecond=0)
    hours = (moment - begins) / timedelta(hours=1)
    return RIBBON_WIDTH * min(1.0, max(0.0, hours / RIBBON_HOURS))


def hour_marks() -> list[tuple[float, str]]:
    """The hours along the ribbon."""
    return [
        (RIBBON_WIDTH * i / RIBBON_HOURS, f"{(RIBBON_FROM_H + i) % 24}")
        for i in range(1, RIBBON_HOURS)
    ]


@dataclass(frozen=True, slots=True, kw_only=True)
class Ramp:
    """A temperature over time: the target band, the readings, and their scale."""

    band: str
    target: str
    readings: str
    dots: tuple[tuple[float, float], ...]
    low: float
    high: float
    minutes: float


RAMP_WIDTH, RAMP_HEIGHT = 480.0, 220.0


def ramp(
    from_c: float,
    to_c: float,
    minutes: float,
    readings: Sequence[tuple[float, float]],
    half_band: float = 1.5,
) -> Ramp:
    """Scale a ramp and its readings (minutes since the step began, °C) into the chart's box."""
    last = max([minutes, *(t for t, _ in readings)]) or 1.0
    temps = [from_c, to_c, *(c for _, c in readings)]
    low, high = min(temps) - 2 * half_band, max(temps) + 2 * half_band

    def point(t: float, c: float) -> tuple[float, float]:
        return (
            RAMP_WIDTH * max(0.0, min(1.0, t / last)),
            RAMP_HEIGHT * (1 - (c - low) / (high - low)),
        )

    def path(points: Sequence[tuple[float, float]]) -> str:
        return "M" + " L".join(f"{x:.1f},{y:.1f}" for x, y in points)

    upper = [point(0, from_c + half_band), point(minutes, to_c + half_band)]
    lower = [point(minutes, to_c - half_band), point(0, from_c - half_band)]
    dots = [point(t, c) for t, c in readings]
    return Ramp(
        band=path([*upper, *lower]) + " Z",
        target=path([point(0, from_c), point(minutes, to_c)]),
        readings=path(dots) if len(dots) > 1 else "",
        dots=tuple(dots),
        low=low,
        high=high,
        minutes=last,
    )


@dataclass(frozen=True, slots=True)
class Section:
    """A vat cut open: the milk's surface, the head-room line, and the step's share of time."""

    level_y: float
    head_room_y: float
    milk_height: float


SECTION_HEIGHT = 200.0


def vat_section(milk_l: float, brim_l: float, head_room: float) -> Section:
    """Scale a vat and its milk into the drawing (a straight-sided vat, 200 high)."""
    level = SECTION_HEIGHT * min(1.0, milk_l / brim_l)
    return Section(SECTION_HEIGHT - level, SECTION_HEIGHT * (1 - head_room), level)


@dataclass(frozen=True, slots=True, kw_only=True)
class Balance:
    """Expected against weighed on one rail, and what it says."""

    band_x: float
    band_width: float
    expected_x: float
    real_x: float
    words: str


def balance(expected: Figure, real_kg: float) -> Balance:
    """Place the weighed cheese against the expected one and its spread."""
    spread = 2 * (expected.sd or 0.0)
    top = 1.25 * max(expected.value + spread, real_kg)

    def x(kg: float) -> float:
        return round(min(560.0, max(60.0, 620 * kg / top)), 1)

    share = real_kg / expected.value - 1
    if abs(share) < 0.005:
        words = "As expected."
    elif abs(real_kg - expected.value) <= spread:
        side = "over" if share > 0 else "under"
        words = f"{100 * abs(share):.0f} % {side} what was expected: within its range."
    else:
        side = "more" if share > 0 else "less"
        look = (
            "Look at the moisture: it may be wet still."
            if share > 0
            else "Look at the whey: milky whey carries fat and curd away."
        )
        words = f"{100 * abs(share):.0f} % {side} than expected, outside its range. {look}"
    low, high = x(expected.value - spread), x(expected.value + spread)
    return Balance(
        band_x=low,
        band_width=high - low,
        expected_x=x(expected.value),
        real_x=x(real_kg),
        words=words,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Season:
    """A herd's year: a path and dots for each part, marks below, and the scale at the left."""

    lines: tuple[tuple[str, str, tuple[tuple[float, float], ...]], ...]
    months: tuple[tuple[float, str], ...]
    scale: tuple[tuple[float, str], ...]
    ratio: tuple[tuple[float, str], ...]


SEASON_WIDTH, SEASON_HEIGHT = 520.0, 150.0


def season(months: Sequence[Month]) -> Season:
    """Scale a herd's months into the chart's box; casein to fat is written under each month."""
    values = [v for m in months for v in (m.fat_pct, m.protein_pct) if v is not None]
    low, high = floor(min(values, default=0.0)), ceil(max(values, default=1.0) + 0.01)
    first = months[0].first
    spans = [(m.first.year - first.year) * 12 + m.first.month - first.month for m in months]
    last = max(spans[-1], 1)

    def point(i: int, value: float) -> tuple[float, float]:
        return (
            round(SEASON_WIDTH * spans[i] / last, 1),
            round(SEASON_HEIGHT * (1 - (value - low) / (high - low)), 1),
        )

    lines = []
    for name, words in (("fat_pct", "fat"), ("protein_pct", "true protein")):
        there = [i for i, m in enumerate(months) if getattr(m, name) is not None]
        dots = tuple(point(i, getattr(months[i], name)) for i in there)
        if dots:  # a dry season leaves a gap
            gaps = [n == 0 or spans[i] - spans[there[n - 1]] > 1 for n, i in enumerate(there)]
            path = " ".join(
                f"{'M' if gap else 'L'}{x},{y}" for gap, (x, y) in zip(gaps, dots, strict=True)
            )
            lines.append((words, path, dots))
    return Season(
        lines=tuple(lines),
        months=tuple((point(i, low)[0], f"{m.first:%b}") for i, m in enumerate(months)),
        scale=tuple((point(0, value)[1], f"{value:g}") for value in range(int(low), int(high) + 1)),
        ratio=tuple(
            (point(i, low)[0], f"{m.casein_to_fat:.2f}")
            for i, m in enumerate(months)
            if m.casein_to_fat
        ),
    )


@dataclass(frozen=True, slots=True)
class BenchVat:
    """The vat on the bench, cut open: layers from below, the level, the head-room line."""

    layers: tuple[tuple[float, float, str, str], ...]
    level_y: float
    head_room_y: float


BENCH_HEIGHT = 300.0


def bench_vat(layers: Sequence[tuple[str, str, float]], brim_l: float, most_l: float) -> BenchVat:
    """Scale layers (animal, words, litres) into a vat 300 high; what is over the brim is cut."""
    drawn, below = [], 0.0
    for species, words, litres in layers:
        height = BENCH_HEIGHT * min(litres, max(0.0, brim_l - below)) / brim_l
        y = BENCH_HEIGHT * (1 - min(1.0, below / brim_l)) - height
        drawn.append((round(y, 1), round(height, 1), species, words))
        below += litres
    return BenchVat(
        tuple(drawn),
        round(BENCH_HEIGHT * (1 - min(1.0, below / brim_l)), 1),
        round(BENCH_HEIGHT * (1 - most_l / brim_l), 1),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class PartBar:
    """A part of the blend on a rail: how far it goes, its spread, and the target's place."""

    width: float
    spread_x: float
    spread_width: float
    target_x: float | None


BAR_WIDTH = 300.0


def part_bar(figure: Figure, target: float | None) -> PartBar:
    """Scale a part with its spread (two standard deviations) and its target onto a rail."""
    spread = 2 * (figure.sd or 0.0)
    top = 1.15 * max(figure.value + spread, target or 0.0, 1e-9)

    def x(value: float) -> float:
        return round(BAR_WIDTH * min(1.0, max(0.0, value / top)), 1)

    low, high = x(figure.value - spread), x(figure.value + spread)
    return PartBar(
        width=x(figure.value),
        spread_x=low,
        spread_width=round(high - low, 1),
        target_x=None if target is None else x(target),
    )
