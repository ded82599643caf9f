"""How the vat looks: the one big figure, the vat cut open, the ramp."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime

from openpail.craft.make.fold import NEWEST_TOLD, Reading, StepState
from openpail.craft.make.frozen import FrozenLine
from openpail.web.edge import here
from openpail.web.ui import draw, show
from openpail.work.vat import AtVat


@dataclass(frozen=True, slots=True)
class Big:
    """The one big figure: a value, its unit, and a line under it; a countdown has `ends`."""

    value: str
    unit: str
    under: str
    countdown: bool = False


def big(at: AtVat) -> Big | None:
    """What fills the screen: an amount, a temperature, a size, or a countdown; None at the end."""
    step = at.step
    if step is None:
        return None
    what = step.planned.step
    for line in at.sheet.lines:
        if line.key in what.adds:
            return amount(line, at.portions(line.key))
    if what.cut_mm:
        size, _, unit = show.small_length(what.cut_mm).partition(" ")
        return Big(size, unit, "cubes")
    if what.load_kg:
        value, unit = show.mass(what.load_kg).split(" ", 1)
        return Big(value, unit, f"on the mould, until {show.clock(step.ends)}")
    if what.kind in ("warm", "heat") and what.celsius:
        target = show.degrees(what.celsius.target).split()
        read = [each.celsius for each in at.day.standing.readings if each.celsius is not None]
        last = f"last read {show.degrees(read[-1], 1)}" if read else "not read yet"
        return Big(target[0], target[1], f"by {show.clock(step.ends)} · {last}")
    if "weight" in what.asks:
        value, unit = show.mass(at.sheet.cheese.value).split(" ", 1)
        return Big(value, unit, "expected; weigh it")
    left = (step.ends - here().now).total_seconds() / 60
    if left > show.LONG_MIN:
        return Big(show.span(left), "", f"till {show.clock(step.ends)}")
    ends = f"{'at' if left >= 0 else 'was due at'} {show.clock(step.ends)}"
    return Big(f"{abs(left):.0f}", "min" if left >= 0 else "min over", ends, True)


def amount(line: FrozenLine, portions: int = 1) -> Big:
    """A dose as the big figure, with spoons and water under it; in parts, one part of it."""
    if line.figure.value <= 0:
        return Big("none", "", f"{line.in_words} Tick it off.")
    value, unit = show.parts(line.figure)
    if portions > 1:
        each, unit = show.parts(line.figure.times("one part", 1 / portions))
        return Big(f"{portions} × {each}", unit, f"{value} {unit} of {line.name} in all")
    water = f" · in {' '.join(show.parts(line.water))} of cool water" if line.water else ""
    if line.by_spoon:
        return Big(line.spoons, "", f"{line.name}, {value} {unit}{water}")
    spoons = f"{line.spoons} · " if line.spoons else ""
    return Big(value, unit, f"{spoons}{line.name}{water}")


@dataclass(frozen=True, slots=True)
class VatDrawn:
    """The vat of a make, cut open, with what is in it in words."""

    section: draw.Section
    species: str
    level: str
    inside: str
    words: str
    curd: bool


@dataclass(frozen=True, slots=True)
class LogLine:
    """A line of the log: a reading or a step that was done, when, and by which deed; undo, where it
    is the last tap and may be taken back."""

    at: datetime
    deed: str
    reading: Reading | None = None
    step: StepState | None = None
    undo: bool = False


def log_lines(at: AtVat) -> list[LogLine]:
    """What was read and done, in one order of time, the newest first."""
    told = [
        (LogLine(each.at, each.id, each), -1) for each in at.day.standing.readings[-NEWEST_TOLD:]
    ]
    for number, step in enumerate(at.day.steps):  # of one moment the later step is the newer one
        if step.done_at:
            told.append((LogLine(step.done_at, step.done_by or "", None, step), number))
    told.sort(key=lambda pair: (pair[0].at, pair[1]), reverse=True)
    shown = {line.deed for line, _ in told}
    last = next((deed for deed in at.recent if deed in shown), None)
    return [replace(line, undo=line.deed == last) for line, _ in told]


_CURD = frozenset({"heal", "heat", "stir"})


def vessel(at: AtVat) -> VatDrawn:
    """Draw the vat with the milk that went in, or the curd."""
    level = f"{show.length(at.level_cm, 0)} deep" if at.level_cm is not None else ""
    inside = f"{show.volume(at.litres)} in the {at.vat.name}"
    section = draw.vat_section(at.litres, at.vat.brim_l, here().house.number("vat.head_room"))
    species = at.sheet.milk.most.breed.split("_")[0]
    step = at.step.planned.step if at.step else None
    curd = step is not None and bool(step.cut_mm or step.kind in _CURD)
    return VatDrawn(
        section, species, level, inside, f"{inside}, {level}" if level else inside, curd
    )


def ramp(at: AtVat) -> draw.Ramp | None:
    """The ramp of a warming step with the readings on it, None for other steps."""
    step = at.step
    if step is None or at.warmth is None or step.planned.step.celsius is None:
        return None
    target, minutes = step.planned.step.celsius.target, step.planned.minutes
    return draw.ramp(at.warmth.start_c, target, minutes, list(at.warmth.read))
