"""A place and its air: typed, from a logger's file, off the logger."""

from __future__ import annotations

import uuid
from datetime import datetime, timedelta

from flask import abort, redirect, render_template, request, url_for
from flask_wtf import FlaskForm
from wtforms import BooleanField, FileField, StringField
from wtforms.validators import Length

from openpail.craft.errors import PailError
from openpail.craft.units import so_many
from openpail.formats import climate_csv
from openpail.formats.climate_csv import AirFile, NotAFile
from openpail.instruments.wire import NoReading
from openpail.web.cave import draw
from openpail.web.cave.views import blueprint
from openpail.web.edge import Page, form_id, here, needs, refuse, zone
from openpail.web.ui import done
from openpail.web.ui.fields import (
    IN_A_ROOM_C,
    AmountField,
    MomentField,
    NumberField,
    blame,
    kept,
)
from openpail.web.ui.show import degrees
from openpail.work.cave import places
from openpail.work.cave.places import OnePlace, Taken, Value

_LARGEST_FILE = 8_000_000
_LEAST_C, _LEAST_PCT = 4.0, 12.0


class AirForm(FlaskForm):
    """What somebody read in a place."""

    celsius = AmountField("Warmth", "temperature", required=False, likely_c=IN_A_ROOM_C)
    humidity = NumberField("Humidity, %", required=False)
    happened = MomentField("At; blank for now")
    word = StringField("If it is so, a word: why", [Length(max=300)])


class FileForm(FlaskForm):
    """A logger's file."""

    file = FileField("A file with time, temperature, humidity")
    month_first = BooleanField("days in it begin with the month, 05/04/2026")


@blueprint.get("/cave/places/<uuid:room_id>")
@needs("dairy.read")
def place(room_id: uuid.UUID) -> Page:
    """A place, its air of two weeks, and what lies there."""
    return _place(room_id)


def _place(
    room_id: uuid.UUID,
    form: AirForm | None = None,
    file: FileForm | None = None,
    *,
    taken: Taken | None = None,
    read: AirFile | None = None,
    wrong: str = "",
) -> Page:
    at = places.one(here(), room_id)
    return render_template(
        "cave/place.html",
        at=at,
        row=at.row,
        form=form or AirForm(formdata=None),
        file=file or FileForm(formdata=None),
        taken=taken,
        read=read,
        wrong=wrong,
        taken_words=taken_words,
        degrees_1=lambda value: degrees(value, 1),
        percent_0=lambda value: f"{value:.0f} %",
        new_id=uuid.uuid4,
        done=done.just_done(),
        **_drawn(at),
    )


def _drawn(place: OnePlace) -> dict[str, object]:
    hours = places.DAYS * 24
    warm = [
        ((each.begins - place.since) / timedelta(hours=1), each.celsius) for each in place.hours
    ]
    damp = [
        ((each.begins - place.since) / timedelta(hours=1), each.humidity) for each in place.hours
    ]
    band_c = _common([(w.celsius.low, w.celsius.high) for w in place.wants])
    bands = [w.humidity for w in place.wants if w.humidity]
    band_h = _common([(band.low, band.high) for band in bands])
    days = [
        (
            round(draw.AIR_WIDTH * (24 * number) / hours, 1),
            (place.since + timedelta(days=number)).date(),
        )
        for number in range(0, places.DAYS, 2)
    ]
    return {
        "warm": draw.air(warm, hours, band_c, _LEAST_C),
        "damp": draw.air(damp, hours, band_h, _LEAST_PCT),
        "days": days,
        "air_width": draw.AIR_WIDTH,
        "air_height": draw.AIR_HEIGHT,
    }


def _common(bands: list[tuple[float, float]]) -> tuple[float, float] | None:
    """The band that all can bear; None where there is none."""
    if not bands:
        return None
    low, high = max(low for low, _ in bands), min(high for _, high in bands)
    return (low, high) if low < high else None


@blueprint.post("/cave/places/<uuid:room_id>")
@needs("care.write")
def read_place(room_id: uuid.UUID) -> Page:
    """Somebody read a place."""
    form = AirForm()
    event = form_id("event")

    def act() -> None:
        places.read_by_hand(
            here(),
            room_id,
            form.celsius.base,
            humidity=form.humidity.number,
            deed_id=event,
            at=form.happened.moment,
            word=form.word.data or "",
        )

    if kept(form, act, "celsius"):
        at = (form.happened.moment or here().now).isoformat()
        done.tell("The air is kept", url_for("cave.not_read", room_id=room_id), at=at)
        return redirect(url_for("cave.place", room_id=room_id))
    return _place(room_id, form)


@blueprint.post("/cave/places/<uuid:room_id>/not-read")
@needs("care.write")
def not_read(room_id: uuid.UUID) -> Page:
    """A typed value was a slip."""
    try:
        at = datetime.fromisoformat(request.form.get("at", ""))
    except ValueError:
        abort(404)
    places.not_read(here(), room_id, at, uuid.uuid4())
    done.forget()
    return redirect(url_for("cave.place", room_id=room_id))


@blueprint.post("/cave/places/<uuid:room_id>/file")
@needs("care.write")
def take_file(room_id: uuid.UUID) -> Page:
    """A logger's file is kept, but for the lines that are not understood."""
    form = FileForm()
    body = request.files["file"].read(_LARGEST_FILE + 1) if "file" in request.files else b""
    try:
        if not body:
            raise NotAFile("Choose the file that the logger wrote.")
        if len(body) > _LARGEST_FILE:
            raise NotAFile("A file has 8 MB at most: split it.")
        read = climate_csv.read(
            body.decode("utf-8", "replace"), zone(), month_first=bool(form.month_first.data)
        )
        values = [Value(*each) for each in _as_values(read)]
        taken = places.take_file(here(), room_id, values)
        return _place(room_id, taken=taken, read=read)
    except PailError as error:
        refuse()
        blame(form.file, error.words)
        return _place(room_id, file=form)


def _as_values(read: AirFile) -> list[tuple[datetime, float | None, float | None]]:
    return [(each.at, each.celsius, each.humidity) for each in read.values]


@blueprint.post("/cave/places/<uuid:room_id>/logger")
@needs("care.write")
def read_logger(room_id: uuid.UUID) -> Page:
    """The logger is asked for what it kept since last time."""
    try:
        return _place(room_id, taken=places.read_logger(here(), room_id))
    except NoReading as error:
        refuse()
        return _place(room_id, wrong=error.words)


def taken_words(taken: Taken) -> str:
    """What came of a file or a logger, in words."""
    words = f"{so_many(taken.came, 'value')} came, {taken.new} of them new."
    if taken.broken:
        words += f" Left out, for they could not be trusted: {so_many(taken.broken, 'line')}."
    return words
