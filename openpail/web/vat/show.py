"""How the vat looks: the one big figure, the vat cut open, the ramp, the rungs of a ladder."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

from markupsafe import Markup

from openpail.craft.figure import Figure
from openpail.craft.make import deeds
from openpail.craft.make.day import StepState
from openpail.craft.make.deeds import Deed, FeltOf
from openpail.craft.make.ends import sign_says
from openpail.craft.make.frozen import FrozenLine
from openpail.craft.make.signs import LOOKS, words_of
from openpail.craft.make.standing import NEWEST_TOLD, Reading
from openpail.craft.units import so_long
from openpail.web.edge import here, now
from openpail.web.ui import draw, show
from openpail.web.ui.curves import CurvePoint, Curves, curves
from openpail.web.ui.named import named, named_at, of_step
from openpail.work.vat.at_vat import Addition, AtVat


@dataclass(frozen=True, slots=True, kw_only=True)
class Big:
    """The one big figure: a value, its unit, and a line under it; a countdown
    runs to the end of the step, a stopwatch since a moment.

    of: what the value is called, "" for one that is told nowhere else; is_length: whether the value
    is how long the step lasts, and runs down once it has begun.
    """

    value: str
    unit: str = ""
    under: str = ""
    countdown: bool = False
    since: datetime | None = None
    of: str = ""
    is_length: bool = False


def big(at: AtVat) -> Big | None:
    """What fills the screen: an amount, a temperature, a size, or a countdown; None at the end."""
    step = at.step
    if step is None:
        return None
    what = step.planned.step
    given = at.additions()
    if given:
        return of_addition(given[0], at.make.number)
    if "flocks" in what.asks and at.standing.rennet_at:
        since = (here().now - at.standing.rennet_at).total_seconds() / 60
        expected = at.flocks_due or step.planned.minutes
        under = Markup("since the rennet; about {:.0f} expected, at {}")
        under = under.format(expected, ends_at(at.make.number, step))
        return Big(value=f"{since:.0f}", unit="min", under=under, since=at.standing.rennet_at)
    if what.cut_mm:
        return cubes(what.cut_mm)
    if what.load_kg:
        value, unit = show.mass(what.load_kg).split(" ", 1)
        under = Markup("on the curd, until {}").format(ends_at(at.make.number, step))
        return Big(value=value, unit=unit, under=under)
    if what.kind in ("warm", "heat") and what.celsius:
        return _warm(at, step, what.celsius.target)
    if "weight" in what.asks:
        value, unit = show.mass(at.cheese.value).split(" ", 1)
        told_by = "out of the moulds" if at.standing.out_of_mould else "expected"
        of = of_step(at.make.number, "cheese", "expected")
        return Big(value=value, unit=unit, under=f"{told_by}; weigh it", of=of)
    return _water(at) or _clock(at.make.number, step)


def ends_at(make: int, step: StepState) -> Markup:
    """When a step ends, by its name. Parameters: make, its number; step."""
    return named_at(of_step(make, step.planned.step.key, "ends"), step.ends)


def cubes(mm: float) -> Big:
    """How large the curd is cut."""
    size, _, unit = show.small_length(mm).partition(" ")
    return Big(value=size, unit=unit, under="cubes")


def _warm(at: AtVat, step: StepState, target_c: float) -> Big:
    """What it was last read at, on its way to the target; the target while nothing was read."""
    goal, by = exactly(target_c), ends_at(at.make.number, step)
    if at.warmth is None or not at.warmth.read:
        value, unit = goal.split()
        return Big(value=value, unit=unit, under=Markup("by {} · not read yet").format(by))
    value, unit = show.degrees(at.warmth.read[-1][1], 1).split()
    return Big(value=value, unit=unit, under=Markup("to {}, by {}").format(goal, by))


def exactly(celsius: float) -> str:
    """A target in the dairy's degrees, with a decimal only where it has one."""
    return show.degrees(celsius, 1).replace(".0 ", " ")


def _water(at: AtVat) -> Big | None:
    """Whey to take off, or water to pour in."""
    if at.whey_off_l is not None and at.told_here_l:
        value, unit = show.volume(at.told_here_l).split(" ", 1)
        return Big(value=value, unit=unit, under=f"came off, of {show.volume(at.whey_off_l)}")
    if at.whey_off_l is not None:
        value, unit = show.volume(at.whey_off_l).split(" ", 1)
        level = at.level_at(max(0.0, at.litres - at.whey_off_l))
        down = f", down to {show.length(level, 0)} deep" if level else ""
        return Big(value=value, unit=unit, under=f"of whey off{down}")
    wash = at.wash
    if wash is not None and at.told_here_l:
        value, unit = show.volume(at.told_here_l).split(" ", 1)
        under = f"of water went in; read it: {exactly(wash.to_c)} is wanted"
        return Big(value=value, unit=unit, under=under)
    if wash is None or wash.wash is None:
        return None
    value, unit = show.volume(wash.wash.litres.value).split(" ", 1)
    to = exactly(wash.to_c)
    return Big(value=value, unit=unit, under=f"of water of {exactly(wash.water_c)}, to {to}")


def _clock(make: int, step: StepState) -> Big:
    """A countdown to the end of a step; a length of time, where minutes would say nothing."""
    left = (step.ends - here().now).total_seconds() / 60
    ends = ends_at(make, step)
    under = Markup("{} {}").format("at" if left >= 0 else "was due at", ends)
    if not step.runs and left < 0:
        about = Markup("about; {}").format(under)
        return Big(value=so_long(step.minutes), under=about)
    if abs(left) >= show.LONG_MIN:
        till = Markup("{} {}").format("till" if left > 0 else "over; was due at", ends)
        return Big(value=so_long(abs(left)), under=_by(make, step, till))
    unit = "min" if left >= 0 else "min over"
    return Big(value=f"{abs(left):.0f}", unit=unit, under=_by(make, step, under), countdown=True)


def _by(make: int, step: StepState, under: Markup) -> Markup:
    """With what a step ends by, where that is not its own clock: the acid, and its band."""
    if step.decides != "acid":
        return under
    told = Markup("{}, by the acid").format(under)
    if step.early and step.late:
        names = [of_step(make, step.planned.step.key, each) for each in ("early", "late")]
        early, late = named_at(names[0], step.early), named_at(names[1], step.late)
        told += Markup(", between {} and {}").format(early, late)
    key = of_step(make, step.planned.step.key, "by-clock")
    return told + Markup("; {} as written").format(named_at(key, step.by_clock))


def of_addition(given: Addition, make: int) -> Big:
    """What goes in now: the dose, one part of it, or the next of the acid."""
    if given.acid is None:
        return amount(given.line, given.dose, given.part, given.parts, make=make)
    value, unit = show.parts(given.acid.next)
    whole, its = show.parts(given.acid.whole)
    so_far, _ = show.parts(given.acid.whole._replace(value=given.acid.given))
    if given.acid.begun:
        under = f"more of {given.line.name} · {so_far} of about {whole} {its} are in"
    else:
        under = f"of {given.line.name} at first, of about {whole} {its} in all"
    return Big(value=value, unit=unit, under=under)


def amount(
    line: FrozenLine,
    dose: Figure | None = None,
    part: Figure | None = None,
    parts: int = 1,
    *,
    make: int | None,
) -> Big:
    """A dose as the big figure, with spoons and water under it; in parts, one part of it."""
    dose = dose or line.figure
    if dose.value <= 0:
        return Big(value="none", under=f"{line.in_words} Tick it off.")
    value, unit = show.parts(dose)
    of = of_step(make, line.key, "dose" if dose is line.figure else "dose-as-weighed")
    if parts > 1 and part is not None:
        each, unit = show.parts(part)
        whole = named(of, f"{value} {unit}")
        under = Markup("{} of {} in all").format(whole, line.name)
        return Big(value=f"{parts} × {each}", unit=unit, under=under)
    water = f" · in {' '.join(show.parts(line.water))} of cool water" if line.water else ""
    if line.by_spoon and dose is line.figure:
        whole = named(of, f"{value} {unit}")
        under = Markup("{}, {}{}").format(line.name, whole, water)
        return Big(value=line.spoons, under=under)
    spoons = f"{line.spoons} · " if line.spoons and dose is line.figure else ""
    return Big(value=value, unit=unit, under=f"{spoons}{line.name}{water}", of=of)


def typed_amount(figure: Figure) -> str:
    """A dose as it may be typed back: 5.2 mL."""
    return " ".join(show.parts(figure)).strip()


@dataclass(frozen=True, slots=True, kw_only=True)
class VatDrawn:
    """The vat of a make, cut open, with what is in it in words."""

    section: draw.Section
    species: str
    level: str
    inside: str
    words: str
    curd: bool


_CURD = frozenset({"heal", "heat", "stir", "settle", "take whey off", "add water"})


def vessel(at: AtVat) -> VatDrawn:
    """Draw the vat with the milk that went in, or the curd."""
    level = f"{show.length(at.level_cm, 0)} deep" if at.level_cm is not None else ""
    inside = f"{show.volume(at.stands_l)} in the {at.vat.name}"
    section = draw.vat_section(at.stands_l, at.vat.brim_l, here().house.number("vat.head_room"))
    step = at.step.planned.step if at.step else None
    curd = step is not None and (bool(step.cut_mm) or step.kind in _CURD)
    words = f"{inside}, {level}" if level else inside
    return VatDrawn(
        section=section, species=species(at), level=level, inside=inside, words=words, curd=curd
    )


def streamed(at: AtVat) -> Curves | None:
    """What the probe showed since the make began, with what was read by hand; None without one."""
    if not at.in_vat or not at.streamed:
        return None
    line = [CurvePoint(*each) for each in at.streamed]
    read = [CurvePoint(e.at, e.celsius, e.ph) for e in at.standing.readings if not e.note]
    return curves(line, read, at.day.steps, since=at.make.started_at, until=at.here.now)


def slabs(at: AtVat) -> list[tuple[int, int]]:
    """Where each drawn slab lies, x and y: side by side at first, higher with every turn."""
    high = min(4, 1 + at.turned)
    columns = (40, 210) if high < 3 else (125,)
    return [(x, 140 - 38 * row) for x in columns for row in range(high)]


def species(at: AtVat) -> str:
    """Whose milk it mostly is, as its pattern is called."""
    return at.sheet.milk.most.breed.split("_")[0]


def ramp(at: AtVat) -> draw.Ramp | None:
    """The ramp of a warming step with the readings on it, None for other steps."""
    step = at.step
    if step is None or at.warmth is None or step.planned.step.celsius is None:
        return None
    target, minutes = step.planned.step.celsius.target, step.planned.minutes
    return draw.ramp(at.warmth.start_c, target, minutes, list(at.warmth.read), at.warmth.half_band)


def moments_ago(within_min: float) -> list[tuple[str, str]]:
    """Moments that a step may have been done at, for one tap: in words, and on the clock."""
    return [
        (f"{so_long(ago)} ago", show.clock(now() - timedelta(minutes=ago)))
        for ago in (10, 30, 60)
        if ago <= within_min
    ]


@dataclass(frozen=True, slots=True, kw_only=True)
class Rung:
    """One word of a ladder: its key and words, whether it was told last, and whether it is where
    the recipe wants it."""

    key: str
    words: str
    told: bool
    wanted: bool


def rungs(at: AtVat) -> list[tuple[FeltOf, str, list[Rung], str]]:
    """The ladders of this step: of what, its title, its rungs, what is answered to the last."""
    if at.step is None:
        return []
    key = at.step.planned.step.key
    told = {deed.of: deed.sign for _, deed in at.standing.of(deeds.Felt) if deed.step == key}
    return [
        (
            ladder.of,
            ladder.title,
            [
                Rung(key=rung, words=words, told=told.get(ladder.of) == rung, wanted=wanted == rung)
                for rung, words in ladder.rungs
            ],
            sign_says(ladder.of, told.get(ladder.of, "")),
        )
        for ladder, wanted in at.ladders
    ]


# ── the log ──


@dataclass(frozen=True, slots=True, kw_only=True)
class LogLine:
    """A line of the log: a reading, a step that was done, or a tap in words; when, by which deed;
    undo, where it is the last tap and may be taken back; a file that belongs to it; mends, what of
    it may be mended: part, field, and how it stands."""

    at: datetime
    deed: str
    reading: Reading | None = None
    step: StepState | None = None
    undo: bool = False
    words: str = ""
    file: str = ""
    file_sort: str = ""
    mends: tuple[tuple[str, str, str], ...] = ()
    ends_step: bool = False


_SILENT = (deeds.Ticked, deeds.TimerStopped)


def log_lines(at: AtVat) -> list[LogLine]:
    """What was read, done and told, in one order of time, the newest first."""
    told = [
        (LogLine(at=each.at, deed=each.id, reading=each), -1)
        for each in at.standing.readings[-NEWEST_TOLD:]
    ]
    without_word = {
        tap.id
        for tap in at.standing.taps
        if isinstance(tap.deed, deeds.SetLooked | deeds.PortionGiven | deeds.Moulded)
    }
    for number, step in enumerate(at.day.steps):  # of one moment the later step is the newer one
        if step.done_at:
            by = step.done_by or ""
            worded = by not in without_word
            told.append(
                (
                    LogLine(at=step.done_at, deed=by, reading=None, step=step, ends_step=worded),
                    number,
                )
            )
    told += [
        (
            LogLine(
                at=tap.at,
                deed=tap.id,
                words=told_in_words(at, tap.deed),
                file=getattr(tap.deed, "file", ""),
                file_sort=getattr(tap.deed, "file_sort", ""),
                mends=_mends(tap.deed),
            ),
            -1,
        )
        for tap in at.standing.taps[-NEWEST_TOLD:]
        if not isinstance(tap.deed, (*_SILENT, deeds.StepDone))
    ]
    told.sort(key=lambda pair: (pair[0].at, pair[1]), reverse=True)
    shown = {line.deed for line, _ in told}
    last = next((deed for deed in at.recent if deed in shown), None)
    return [replace(line, undo=line.deed == last) for line, _ in told]


def told_in_words(at: AtVat, deed: Deed) -> str:
    """A tap in words of the dairy."""
    match deed:
        case deeds.Felt(of=of, sign=sign, note=note):
            said = f"{words_of(of, sign)}" if of and sign else ""
            return ": ".join(each for each in (said, note) if each) or "kept"
        case deeds.SetLooked(look):
            return f"The set: {LOOKS[look]}"
        case deeds.WheyOff(litres):
            return f"{show.volume(litres)} of whey off"
        case deeds.WaterAdded(litres, celsius):
            return f"{show.volume(litres)} of water of {show.degrees(celsius)} in"
        case deeds.CurdWeighed(kg):
            return f"{show.mass(kg)} of curd"
        case deeds.TimerSet(minutes, words):
            return f"Timer: {words or 'set'}, {so_long(minutes)}"
        case deeds.HelpTaken(sign, cause):
            return f"Help: {sign.replace('_', ' ')}, taken for {cause.replace('_', ' ')}"
        case deeds.AcidGiven(amount):
            line = next((e for e in at.sheet.lines if e.kind == "acid"), None)
            if line is None:
                return "acid in"
            return f"{' '.join(show.parts(line.figure._replace(value=amount)))} of {line.name} in"
        case _:
            return _at_press(at, deed) or _PLAIN.get(deed.kind, deed.kind)


def _at_press(at: AtVat, deed: Deed) -> str:
    """A tap at Press & salt in words, "" for any other."""
    match deed:
        case deeds.Moulded(count=count, mould=key):
            sort = next((e.name for e in at.here.gear if e.id == key.split("/")[0]), "mould")
            return f"In {count} × {sort}"
        case deeds.Loaded(load_kg=load, press=press):
            on = f"{show.mass(load)} on the cheese" if load else "The press is on"
            return f"{on}, {at.here.names[press]}" if press in at.here.names else on
        case deeds.OutOfMould(pieces, together):
            told = " + ".join(show.mass(kg) for kg in pieces)
            whole = f"{len(pieces)} pieces, {show.mass(sum(pieces))} in one heap"
            return f"Out of the moulds: {whole if together else told}"
        case deeds.InBrine(tub=tub, until=until):
            name = next((e.name for e in at.here.tubs if str(e.id) == tub), "a tub")
            out = f", out {show.clock(datetime.fromisoformat(until))}" if until else ""
            return f"Into {name}{out}"
        case deeds.Trimmed(kg):
            return f"{show.mass(kg)} trimmed off"
        case deeds.WheyRan(litres):
            return f"{show.volume(litres)} of whey ran"
        case deeds.WheyWent(litres, to):
            return f"{show.volume(litres)} of whey {deeds.WHEY_WORDS[to]}"
    return ""


def _mends(deed: Deed) -> tuple[tuple[str, str, str], ...]:
    match deed:
        case deeds.WheyOff(litres):
            return (("litres", "litres", show.volume(litres)),)
        case deeds.WaterAdded(litres, celsius):
            warm = ("celsius", "celsius", show.degrees(celsius))
            return (("litres", "litres", show.volume(litres)), warm)
        case deeds.CurdWeighed(kg) | deeds.Trimmed(kg):
            return (("kg", "kg", show.mass(kg)),)
        case deeds.WheyRan(litres) | deeds.WheyWent(litres):
            return (("litres", "litres", show.volume(litres)),)
        case deeds.Moulded(count=count):
            return (("count", "count", str(count)),)
        case deeds.Loaded(load_kg=float(load)):
            return (("load_kg", "load", show.mass(load)),)
        case deeds.OutOfMould(pieces):
            told = "; ".join(show.mass(kg) for kg in pieces)
            return (("pieces_kg together", "weights", told),)
        case deeds.Felt():
            return (("note", "note", deed.note),)
    return ()


_PLAIN = {
    "portion": "A part is in",
    "heat_off": "Heat off",
    "turned": "Turned",
    "tightened": "Screwed down again",
    "away": "Called away",
    "back": "Back",
}


def gave_otherwise(at: AtVat, step: str) -> str:
    """What a step gave other than the sheet says, in words; "" for as it says."""
    gave = at.standing.gave(step)
    lines = [(at.sheet.line(key), amount) for key, amount in gave.items()]
    return ", ".join(
        f"{' '.join(show.parts(line.figure._replace(value=amount)))} of {line.name} given"
        for line, amount in lines
        if line is not None
    )


def word_of(at: AtVat, step: str) -> str:
    """The maker's word at a step's end, "" for none."""
    said = [deed.word for _, deed in at.standing.of(deeds.StepDone) if deed.step == step]
    return said[-1] if said else ""


def bottles_for(line: FrozenLine, shelf: Sequence[Any]) -> list[tuple[str, str]]:
    """The lots of the stock that a line could come from instead: id and name."""
    return [
        (str(lot.row.id), lot.row.name)
        for lot in shelf
        if lot.product.kind == line.kind and str(lot.row.id) != line.lot
    ]
