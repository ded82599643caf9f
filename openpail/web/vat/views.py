"""The vat: one step at a time; every tap goes through one door, and the page comes anew."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path

from flask import (
    Blueprint,
    Response,
    abort,
    current_app,
    jsonify,
    make_response,
    redirect,
    render_template,
    request,
    send_file,
    url_for,
)
from jinja2 import pass_context
from jinja2.runtime import Context
from markupsafe import Markup

from openpail.craft.errors import CraftError, PailError, RecordError
from openpail.craft.make import deeds
from openpail.craft.make.deeds import Told
from openpail.craft.make.ends import ready_words
from openpail.craft.make.plain import clock_offset, read, read_told
from openpail.craft.make.signs import LOOKS
from openpail.craft.make.standing import NEWEST_TOLD
from openpail.formats import climate_csv
from openpail.formats.climate_csv import NotAFile
from openpail.instruments.probe.reader import ProbeReading
from openpail.web.edge import Page, form_id, here, needs, public, refuse, zone
from openpail.web.press import show as press_show
from openpail.web.ui import ours
from openpail.web.vat import show
from openpail.web.vat.ahead import steps_ahead
from openpail.web.vat.forms import FIELD_OF, SHOWN, Typed
from openpail.work.faults import Faults
from openpail.work.make import record
from openpail.work.make.day import running
from openpail.work.make.log import Answer, tell
from openpail.work.plan.wall import sound_of, wall
from openpail.work.press.at_press import AtPress, is_there
from openpail.work.vat import at_vat as vat
from openpail.work.vat import photos, stream

blueprint = Blueprint("vat", __name__, template_folder="templates")
_LARGEST_FILE = 8 * 1024 * 1024
_WORKER = Path(__file__).parent / "worker" / "sw.js"


@blueprint.get("/vat")
@needs("dairy.read")
def index() -> Page:
    """The make in the vat, or the choice between several; what is at the press stands apart."""
    under_way = running(here())
    in_vat = [each for each in under_way if each.make.station == "vat"]
    if len(in_vat) == 1:
        return redirect(url_for("vat.page", make_id=in_vat[0].make.id))
    pressed = [each for each in under_way if each not in in_vat]
    return render_template("vat/index.html", makes=in_vat, pressed=pressed)


@blueprint.get("/vat/<uuid:make_id>")
@needs("dairy.read")
def page(make_id: uuid.UUID) -> Page:
    """The step for the hands, as large as the screen allows."""
    answer = make_response(_page(make_id))
    answer.headers["Permissions-Policy"] = "geolocation=(), camera=(self), microphone=(self)"
    return answer


@blueprint.get("/vat/<uuid:make_id>/now")
@needs("dairy.read")
def now(make_id: uuid.UUID) -> Page:
    """The same without its frame, for a page that stands open; nothing while nothing happened."""
    if request.args.get("v") == vat.version(here(), make_id):
        return Response(status=204)
    return _page(make_id, fragment=True)


def _page(
    make_id: uuid.UUID,
    typed: Typed | None = None,
    error: str = "",
    *,
    asked: str = "",
    ways: tuple[str, ...] = (),
    fragment: bool = False,
    said: str = "",
) -> str:
    at = vat.at_vat(here(), make_id)
    if typed and typed.deed == "water":
        at.water_c = typed.payload.get("celsius")
    under_way = running(here())
    step = at.step
    press = AtPress(at) if is_there(at) else None
    faults = Faults()
    without = faults.without
    return render_template(
        "vat/_now.html" if fragment else "vat/page.html",
        at=at,
        make=at.make,
        state=at.day,
        current=step,
        big=without(
            show.Big(value=""), lambda: (press_show.big(press) if press else None) or show.big(at)
        ),
        given=without((), at.additions),
        press=press,
        drawn_press=without(None, lambda: press_show.drawn(press) if press else None),
        press_show=press_show,
        here_things=bool(here().things) if press else False,
        whey_words=deeds.WHEY_WORDS,
        ramp=without(None, lambda: show.ramp(at)),
        show=show,
        vessel=without(None, lambda: show.vessel(at)),
        streamed=show.streamed(at),
        species=show.species(at),
        unwritten=without(
            [], lambda: [show.amount(line, make=at.make.number) for line in at.unwritten()]
        ),
        wash=without(None, lambda: at.wash),
        whey=without(None, lambda: at.whey),
        rungs=without([], lambda: show.rungs(at)),
        looks=LOOKS,
        wall=wall(here(), under_way),
        sound=sound_of(at.make),
        lanes=[each.make for each in under_way if each.make.id != make_id],
        before=_before(at),
        after=record.after_list(here(), at.make) if step is None else None,
        deviations=record.went_otherwise(here(), at.make) if step is None else (),
        version=vat.version_of(at.told),
        typed=typed,
        errors=typed.errors if typed else {},
        error=error,
        asked=asked,
        ways=ways or ready_words(()),
        said=said,
        new_id=uuid.uuid4,
        became=deeds.BECAME_WORDS,
        ahead=without([], lambda: steps_ahead(at)),
        lines=show.log_lines(at),
        told=NEWEST_TOLD,
        shelf=here().shelf if step and step.planned.step.adds else (),
        part_of_page=_parts(faults),
        faults=faults,
    )


def _parts(faults: Faults) -> Callable[[Context, str], Markup]:
    """What a template calls for a piece of the page, so that one that cannot be worked out says why
    in its place and the others stand."""

    @pass_context
    def part(context: Context, name: str) -> Markup:
        template = current_app.jinja_env.get_template(name)
        before = len(faults.words)
        html = faults.without("", lambda: template.render(context.get_all()))
        said = (Markup('<p class="sign is-over">{}</p>').format(e) for e in faults.words[before:])
        return Markup(html) + Markup("").join(said)  # noqa: S704 - a template of ours, rendered

    return part


def _before(at: vat.AtVat) -> record.Listed | None:
    """What is set out, until the first step is done."""
    if at.standing.done or at.standing.ended:
        return None
    return record.before_list(here(), at.make, at.litres)


@blueprint.get("/vat/<uuid:make_id>/readings")
@needs("dairy.read")
def readings(make_id: uuid.UUID) -> Page:
    """All that was read, a page at a time."""
    page = max(0, request.args.get("page", 0, type=int))
    make, found, pages = vat.all_readings(here(), make_id, page)
    return render_template("vat/readings.html", make=make, readings=found, page=page, pages=pages)


@blueprint.get("/vat/<uuid:make_id>/help")
@needs("dairy.read")
def help_page(make_id: uuid.UUID) -> Page:
    """What looks wrong, what to ask, and the causes in the order that this make's record has."""
    answer = request.args.get("answer", type=int)
    at = record.help_at(here(), make_id, request.args.get("sign", ""), answer)
    return render_template("vat/help.html", at=at, make=at.make, answer=answer, new_id=uuid.uuid4)


@blueprint.get("/vat/<uuid:make_id>/another/<key>")
@needs("dairy.read")
def another(make_id: uuid.UUID, key: str) -> Page:
    """How much of another bottle does what the sheet's dose does."""
    try:
        dose, words = vat.from_bottle(here(), make_id, key, request.args.get("lot", ""))
    except CraftError as error:
        answer = jsonify(words=error.words)
        answer.status_code = 422
        return answer
    return jsonify(amount=show.typed_amount(dose), words=ours.ours(words))


# ── telling ──


@blueprint.get("/vat/alarms")
@needs("dairy.read")
def alarms() -> Page:
    """The clocks of all makes for a page that draws none: they ring there too."""
    return render_template("vat/alarms.html", wall=wall(here(), running(here())))


@blueprint.post("/vat/<uuid:make_id>/tell")
@needs("make.write")
def tell_one(make_id: uuid.UUID) -> Page:
    """One tap: `deed` names it, `event` is its id, `amends` what it mends; its parts by name."""
    typed = Typed(vat.at_vat(here(), make_id))
    if typed.deed == "water" and request.form.get("only") == "ask":
        return _page(make_id, typed, fragment=_is_fragment())
    event, amends = form_id("event"), request.form.get("amends")
    answer = Answer(id=str(event), outcome="refused")
    if not typed.errors:
        try:
            deed = read(typed.deed, typed.parts())
            target = str(form_id("amends")) if amends else None
            told = Told(
                id=str(event),
                deed=deed,
                happened=typed.happened,
                amends=target,
                counter=typed.counter,
            )
            answer = vat.say(here(), make_id, told, by_hand=typed.typed_at is not None)
        except CraftError as error:
            answer = Answer(id=str(event), outcome="refused", words=error.words, field=error.about)
    if answer.outcome in ("kept", "repeat"):
        return _anew(make_id)
    if not answer.is_kept:
        refuse()
    return _refused(make_id, typed, answer)


def _refused(make_id: uuid.UUID, typed: Typed, answer: Answer) -> Page:
    """What was not kept, with its words by the field that they speak of."""
    field = FIELD_OF.get(answer.field, answer.field)
    by_field = bool(answer.words) and (field in SHOWN or field.startswith("gave-"))
    if by_field:
        typed.errors[field] = answer.words
    asked = typed.deed if answer.field == "word" else ""
    words = "" if by_field else answer.words
    html_with = partial(
        _page, make_id, typed, asked=asked, ways=answer.ways, fragment=_is_fragment()
    )
    html = html_with(words)
    if typed.errors and 'aria-invalid="true"' not in html:  # its field is not on this page
        words = " ".join(typed.errors.values())
        html = html_with(words)
    return html if answer.is_kept else (html, 422)


def _anew(make_id: uuid.UUID) -> Page:
    """The page after a tap: its piece for a page that stands open, else itself."""
    if _is_fragment():
        return _page(make_id, fragment=True)
    return redirect(url_for("vat.page", make_id=make_id))


def _is_fragment() -> bool:
    return "X-Fragment" in request.headers


@blueprint.post("/vat/<uuid:make_id>/file")
@needs("make.write")
def keep_file(make_id: uuid.UUID) -> Page:
    """A photo or a spoken note at a step: kept with the make, and told by a deed."""
    step = request.form.get("step", "")
    if vat.is_told(here(), form_id("event")):  # a device that did not hear of it sends it again
        return _anew(make_id)
    sent = request.files.get("file")
    try:
        kept = photos.keep(here(), make_id, sent.read() if sent else b"")
    except RecordError as error:
        refuse()
        html = _page(make_id, None, error.words, fragment=_is_fragment())
        return html, 422
    note = request.form.get("note", "").strip()
    deed = read("felt", {"step": step, "note": note, "file": str(kept.id), "file_sort": kept.sort})
    told = Told(
        id=str(form_id("event")), deed=deed, happened=Typed(vat.at_vat(here(), make_id)).happened
    )
    answer = vat.say(here(), make_id, told)
    if not answer.is_kept:
        refuse()
        return _page(make_id, None, answer.words, fragment=_is_fragment()), 422
    return _anew(make_id)


@blueprint.post("/vat/<uuid:make_id>/stream")
@needs("make.write")
def take_stream(make_id: uuid.UUID) -> Page:
    """A file that a probe wrote by itself: kept as its stream would have been."""
    sent = request.files.get("file")
    body = sent.read(_LARGEST_FILE + 1) if sent else b""
    try:
        if not body or len(body) > _LARGEST_FILE:
            raise NotAFile("Choose the file that the probe wrote, of 8 MB at most.")
        text = body.decode("utf-8", "replace")
        read_file = climate_csv.read(text, zone(), check=climate_csv.check_milk)
        values = [ProbeReading(each.at, each.celsius, each.ph) for each in read_file.values]
        taken = stream.take_file(here(), make_id, values)
    except PailError as error:
        refuse()
        return _page(make_id, None, error.words, fragment=_is_fragment()), 422
    missed = f", {len(read_file.refused)} lines not understood" if read_file.refused else ""
    words = f"{taken.new} new values of the probe{missed}; {taken.told} told as readings."
    return _page(make_id, fragment=_is_fragment(), said=words)


@blueprint.get("/vat/<uuid:make_id>/file/<uuid:file_id>")
@needs("dairy.read")
def file(make_id: uuid.UUID, file_id: uuid.UUID) -> Page:
    """A photo or a spoken note."""
    kept = photos.whole(here(), make_id, file_id)
    answer = Response(kept.data, mimetype=kept.media_type)
    answer.headers["Cache-Control"] = "private, max-age=31536000, immutable"
    answer.headers["Content-Disposition"] = "inline"
    return answer


# ── the door for devices ──


@blueprint.get("/sw.js")
@public
def worker() -> Page:
    """What lets a vat's page open again without the network: never kept by a browser, so that a
    newer one is found at once."""
    answer = send_file(_WORKER, mimetype="text/javascript")
    answer.headers["Cache-Control"] = "no-cache"
    return answer


@blueprint.post("/makes/<uuid:make_id>/deeds")
@needs("make.write")
def tell_deeds(make_id: uuid.UUID) -> Page:
    """A batch of deeds as JSON: {"sent", "device", "deeds": [{"id", "deed", "payload", "happened",
    "counter", "amends"}]}. Each gets its answer; what is kept stays kept, whatever the others are.

    `sent` is the device's own clock as it sends: what that is off is taken off each `happened`.
    """
    body = request.get_json(silent=True)
    if not isinstance(body, dict) or not isinstance(body.get("deeds"), list):
        abort(400, "Send {“deeds”: […]} as JSON.")
    try:
        offset = clock_offset(body["sent"], here().now) if "sent" in body else timedelta(0)
    except CraftError as error:
        abort(400, error.words)
    batch: list[Told] = []
    refused: dict[int, Answer] = {}
    for number, each in enumerate(body["deeds"]):
        try:
            batch.append(read_told(each, str(body.get("device", ""))[:80], offset))
        except CraftError as error:
            key = str(each.get("id", ""))[:40] if isinstance(each, dict) else ""
            refused[number] = Answer(
                id=key, outcome="refused", words=error.words, field=error.about
            )
    return _answered(make_id, batch, refused, len(body["deeds"]), {})


@blueprint.post("/makes/<uuid:make_id>/taps")
@needs("make.write")
def tell_taps(make_id: uuid.UUID) -> Page:
    """Taps that waited on a device for the network, as JSON: {"sent", "device", "taps": [{"event",
    "deed", "happened", "counter", and what its form holds}]}. Each is read as the vat's own form
    is, and gets its answer; what is kept stays kept, whatever the others are."""
    body = request.get_json(silent=True)
    if not isinstance(body, dict) or not isinstance(body.get("taps"), list):
        abort(400, "Send {“taps”: […]} as JSON.")
    at = vat.at_vat(here(), make_id)
    every = [_typed(at, each, str(body.get("sent", ""))) for each in body["taps"]]
    # Nothing happens before what the same device told before it, though its clock was put back.
    last = datetime.min.replace(tzinfo=UTC)
    for typed in sorted(every, key=lambda each: each.counter):
        if not typed.typed_at:
            last = typed.happened = max(typed.happened, last)
    batch: list[Told] = []
    refused: dict[int, Answer] = {}
    for number, typed in enumerate(every):
        told = _told(typed, str(body.get("device", ""))[:80])
        if isinstance(told, Answer):
            refused[number] = told
        else:
            batch.append(told)
    return _answered(make_id, batch, refused, len(every), FIELD_OF)


def _typed(at: vat.AtVat, tap: object, sent: str) -> Typed:
    """A tap, read as the vat's own form is."""
    if not isinstance(tap, dict):
        abort(400, "A tap is an object.")
    return Typed(at, {str(name): str(text) for name, text in tap.items()} | {"sent": sent})


def _told(typed: Typed, device: str) -> Told | Answer:
    """What a form of the vat tells, or why it tells nothing."""
    event = typed.text("event")
    if typed.errors:
        field, words = next(iter(typed.errors.items()))
        return Answer(id=event[:40], outcome="refused", words=words, field=field)
    data = {
        "id": event,
        "deed": typed.deed,
        "payload": typed.parts(),
        "happened": typed.happened.isoformat(),
        "counter": typed.counter,
        "amends": typed.text("amends") or None,
    }
    try:
        return read_told(data, device, timedelta(0))
    except CraftError as error:
        return Answer(id=event[:40], outcome="refused", words=error.words, field=error.about)


def _answered(
    make_id: uuid.UUID,
    batch: list[Told],
    refused: dict[int, Answer],
    count: int,
    names: Mapping[str, str],
) -> Response:
    """Tell a batch, and answer for every one of it, the refused ones in their places; names, what
    fields are called where the batch came from."""
    answers = iter(tell(here(), make_id, batch))
    every = [refused.get(number) or next(answers) for number in range(count)]
    return jsonify(
        answers=[
            {
                "id": each.id,
                "outcome": each.outcome,
                "words": ours.ours(each.words),
                "field": names.get(each.field, each.field),
            }
            for each in every
        ]
    )
