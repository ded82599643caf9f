"""Probes at the vats: what they showed is kept as it came; where it crosses a band of the step of
now, a deed tells of it."""

from __future__ import annotations

import uuid
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from openpail.craft.errors import OutOfRange
from openpail.craft.make.deeds import ReadingTaken, Told
from openpail.craft.make.stream import SILENT, Crossing, Streamed, crossings
from openpail.craft.recipe.recipe import Band
from openpail.instruments.probe import reader
from openpail.instruments.probe.reader import ProbeReading
from openpail.instruments.wire import NoReading
from openpail.records.dairy.models import Vat
from openpail.records.log import samples
from openpail.records.log.samples import Sampled
from openpail.records.makes import actions as makes
from openpail.records.makes.models import Make
from openpail.work.here import Here
from openpail.work.make.day import day_of
from openpail.work.make.log import tell

DEVICE = samples.PROBE
_FIRST = timedelta(hours=12)  # how far back a probe is asked that nobody asked before
_LOOKED_AT = 400
_WHERE = {"under": "under its band", "over": "over its band", "in": "back in its band"}


@dataclass(frozen=True, slots=True)
class ProbeNow:
    """What a vat's probe showed last; whether it has been silent too long since."""

    last: Sampled
    is_silent: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Collected:
    """What came of asking one probe: of which make, how many values were new, what was told of
    them; words, why it gave nothing."""

    make: Make
    new: int = 0
    told: int = 0
    words: str = ""


def collect(here: Here) -> list[Collected]:
    """Ask every probe that stands in the milk of a make under way."""
    found = []
    for make in here.under_way:
        vat = here.vat(make.vat_id)
        if vat.probe and make.station == "vat":
            found.append(_asked(here, make, vat))
    return found


def _asked(here: Here, make: Make, vat: Vat) -> Collected:
    last = samples.newest(here.session, make.dairy_id, make.id, DEVICE)
    after = last[-1].at if last else max(make.started_at, here.now - _FIRST)
    try:
        log = reader.since(vat.probe, after)
    except NoReading as silent:
        return Collected(make=make, words=silent.words)
    return take(here, make, log.values)


def take(here: Here, make: Make, readings: Sequence[ProbeReading]) -> Collected:
    """Keep what a probe showed in the milk of a make, and tell where it crossed a band.

    Parameters: make; readings, by the probe or out of its file: those that came before are
    harmless. Raises: OutOfRange for what no milk shows.
    """
    came = [
        Sampled(each.at, each.celsius, each.ph)
        for each in readings
        if each.celsius is not None and make.started_at <= each.at <= here.now
    ]
    new = sum(
        samples.take(here.session, make, DEVICE, came[at : at + samples.MOST_AT_ONCE])
        for at in range(0, len(came), samples.MOST_AT_ONCE)
    )
    if not new:
        return Collected(make=make)
    here.forget(Here.streams)
    answers = tell(here, make.id, list(_told(here, make)))
    return Collected(make=make, new=new, told=sum(each.outcome == "kept" for each in answers))


def take_file(here: Here, make_id: uuid.UUID, readings: Sequence[ProbeReading]) -> Collected:
    """The same of a file that a probe wrote by itself. Raises: NotHere; OutOfRange where none of
    it is of this make."""
    make = makes.make(here.session, here.dairy, make_id)
    theirs = [each for each in readings if make.started_at <= each.at <= here.now]
    if not theirs:
        raise OutOfRange(
            "None of its values is of the time of this make: look at its clock and zone.", "file"
        )
    return take(here, make, theirs)


def _told(here: Here, make: Make) -> Iterator[Told]:
    """Where the stream crossed a band of the step of now: the same crossing is the same deed."""
    step = day_of(here, make).current
    if step is None:
        return
    values = samples.newest(here.session, make.dairy_id, make.id, DEVICE, _LOOKED_AT)
    since = [each for each in values if each.at >= step.begins]
    what = step.planned.step
    for name, band in (("celsius", what.celsius), ("ph", what.ph)):
        if band is None:
            continue
        found = [(each.at, getattr(each, name)) for each in since]
        stream = [Streamed(at, value) for at, value in found if value is not None]
        for each in crossings(stream, band):
            if name == "celsius" or each.after != "over":  # milk that is not sour yet is no news
                yield _deed(make, name, each, band)


def _deed(make: Make, name: str, crossing: Crossing, band: Band) -> Told:
    value = round(crossing.value, 2)
    note = f"the probe: {_WHERE[crossing.after]}, {band.low:g} to {band.high:g}"
    deed = ReadingTaken(**{name: value, "note": note})  # type: ignore[arg-type]
    key = uuid.uuid5(make.id, f"{DEVICE} {name} {crossing.at.isoformat()}")
    return Told(id=str(key), deed=deed, happened=crossing.at, device=DEVICE)


def shown(last: Sampled, now: datetime) -> ProbeNow:
    """What a probe showed last, as it is now."""
    return ProbeNow(last, now - last.at > SILENT)
