"""The Bench: pour, look, mend while it can be mended, note what really went in."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping

from flask import Blueprint, abort, redirect, render_template, request, url_for

from openpail.craft.bench.standardise import AIMS, TARGETS
from openpail.craft.errors import CraftError, NotHere, PailError, RecordError
from openpail.craft.units import UNITS
from openpail.web.edge import Page, dairy, here, needs, refuse
from openpail.web.ui.fields import finite
from openpail.work.bench import pouring
from openpail.work.bench import standing as at_bench
from openpail.work.bench.pouring import Bench
from openpail.work.dairy import recipes
from openpail.work.dairy.own import Vat
from openpail.work.milk import lots as at_milk
from openpail.work.milk.lots import MilkLot

# What one press pours more or less, in words and L.
_NUDGES = {
    "metric": ("A litre", 1.0),
    "us": ("A quart", UNITS["us_qt"].in_base),
    "imperial": ("A quart", UNITS["imp_qt"].in_base),
}

_WAY_WORDS = {
    "cream off": "take cream off",
    "cream in": "pour cream in",
    "skim in": "pour skim in",
    "powder": "powder",
    "concentrate": "protein concentrate",
    "retentate": "filtered milk",
}

blueprint = Blueprint("bench", __name__, template_folder="templates")
_NOT_WHOLE = "This page was not sent whole. Go back, load it again, and send once more."


@blueprint.get("/bench")
@needs("dairy.read")
def page() -> Page:
    """The vat that is being filled, else a middling one that is free."""
    found = pouring.vat_to_show(here())
    if found is None:
        return render_template("bench/no_vat.html")
    return redirect(url_for("bench.vat", vat_id=found.id))


@blueprint.get("/bench/<uuid:vat_id>")
@needs("dairy.read")
def vat(vat_id: uuid.UUID) -> Page:
    """One vat on the bench."""
    return _page(here().vat(vat_id))


def _page(vat: Vat, error: str = "", wrong: Mapping[str, tuple[str, str]] | None = None) -> Page:
    whole = "X-Fragment" not in request.headers
    return render_template(
        "bench/page.html" if whole else "bench/_bench.html",
        at=at_bench.stand(here(), vat, wrong),
        error=error,
        vats=here().vats,
        nudge=_NUDGES[dairy().volume_system],
        recipes=recipes.in_use(here()),
        mixes=pouring.mixes(here()),
        ways=at_bench.CREAM_WAYS,
        aims=AIMS,
        kinds=TARGETS,
        way_words=_WAY_WORDS,
        fitness=lambda lot: at_milk.pail(here(), lot).fitness,
        hours_old=lambda lot: at_milk.pail(here(), lot).age_h,
        in_freezer=at_milk.in_freezer,
        busy={make.vat_id for make in here().under_way},
    )


def _then(vat: Vat) -> Page:
    """After a change: the fragment for the page's own script, else the page anew."""
    if "X-Fragment" in request.headers:
        return _page(vat)
    return redirect(url_for("bench.vat", vat_id=vat.id))


def _do(vat_id: uuid.UUID, act: Callable[[Bench], object]) -> Page:
    """Do one thing at a vat's bench; what the craft or the records refuse is said in words."""
    vat = here().vat(vat_id)
    try:
        pouring.do(here(), vat, act)
    except PailError as error:
        refuse()
        return _page(vat, error.words)
    except ValueError:
        abort(400, _NOT_WHOLE)
    return _then(vat)


@blueprint.post("/bench/lot/<uuid:lot_id>")
@needs("make.write")
def take(lot_id: uuid.UUID) -> Page:
    """All of a pail onto the bench: into the vat that stands open, else one that takes it."""
    lot = at_milk.find(here(), lot_id)
    vat = pouring.vat_for(here(), lot)
    if vat is None:
        return render_template("bench/no_vat.html")
    try:
        pouring.take_all(here(), vat, lot)
    except PailError as error:
        refuse()
        return _page(vat, error.words)
    return redirect(url_for("bench.vat", vat_id=vat.id))


@blueprint.post("/bench/<uuid:vat_id>/pour")
@needs("make.write")
def pour(vat_id: uuid.UUID) -> Page:
    """So much of one lot: typed, or nudged."""
    lot = _lot(request.form.get("lot", ""))
    text = request.form.get("amount", "").strip()
    if request.form.get("all"):
        return _do(vat_id, lambda bench: pouring.nudge(here(), bench, lot, lot.volume_l))
    if request.form.get("nudge"):
        by = request.form["nudge"]
        return _do(vat_id, lambda bench: pouring.nudge(here(), bench, lot, finite(by)))
    try:
        litres = pouring.litres_of(here(), lot, text) if text else 0.0
    except CraftError as error:
        refuse()
        return _page(here().vat(vat_id), wrong={str(lot.id): (text, error.words)})
    return _pour(vat_id, lot, litres, text)


def _pour(vat_id: uuid.UUID, lot: MilkLot, litres: float, text: str) -> Page:
    """Pour what was typed; a lot that holds less is marked where it was typed."""
    vat = here().vat(vat_id)
    try:
        pouring.do(here(), vat, lambda bench: pouring.pour_one(here(), bench, lot, litres, text))
    except CraftError as error:
        refuse()
        return _page(vat, wrong={str(lot.id): (text, error.words)})
    except RecordError as error:
        refuse()
        return _page(vat, error.words)
    return _then(vat)


def _lot(text: str) -> MilkLot:
    try:
        return at_milk.find(here(), uuid.UUID(text))
    except ValueError:
        abort(400, _NOT_WHOLE)


@blueprint.post("/bench/<uuid:vat_id>/recipe")
@needs("make.write")
def recipe(vat_id: uuid.UUID) -> Page:
    """The recipe this vat is for, and so its ratio."""
    key = request.form.get("recipe", "")
    return _do(vat_id, lambda bench: pouring.choose_recipe(here(), bench, key))


@blueprint.post("/bench/<uuid:vat_id>/targets")
@needs("make.write")
def targets(vat_id: uuid.UUID) -> Page:
    """What to standardise to, kept as typed."""
    names = (*TARGETS, "size", "near", "cream")
    texts = {name: request.form.get(name, "").strip()[:40] for name in names}
    typed = {name: text for name, text in texts.items() if text}
    return _do(vat_id, lambda bench: pouring.set_targets(here(), bench, typed))


@blueprint.post("/bench/<uuid:vat_id>/plan")
@needs("make.write")
def plan(vat_id: uuid.UUID) -> Page:
    """A whole plan at once: a suggestion, or the largest batch. Fields are lot ids with litres."""
    return _do(vat_id, _plan)


def _plan(bench: Bench) -> None:
    litres: dict[uuid.UUID, float] = {}
    creams: list[tuple[uuid.UUID, float, float]] = []
    for name, text in request.form.items():
        if name.startswith("cream:"):
            _, key, percent = name.split(":")
            creams.append((uuid.UUID(key), finite(percent), finite(text)))
        elif name.startswith("lot:"):
            litres[uuid.UUID(name.removeprefix("lot:"))] = finite(text)
    try:
        pouring.plan_whole(here(), bench, litres, creams)
    except KeyError:
        raise NotHere("no such milk") from None


@blueprint.post("/bench/<uuid:vat_id>/mend")
@needs("make.write")
def mend(vat_id: uuid.UUID) -> Page:
    """One fix of the ratio: more of an animal, or less."""
    species, litres = request.form.get("species", ""), request.form.get("litres", "")
    return _do(vat_id, lambda bench: pouring.mend(here(), bench, species, finite(litres)))


@blueprint.post("/bench/<uuid:vat_id>/poured")
@needs("make.write")
def poured(vat_id: uuid.UUID) -> Page:
    """What really went in, compared with the plan before anything else may be added."""
    vat = here().vat(vat_id)
    bench = pouring.bench_of(here(), vat)
    texts = {
        part.id: request.form.get(f"real:{'cream:' if part.is_cream else ''}{part.lot_id}", "")
        for part in bench.pours
    }
    real, wrong = pouring.read_poured(here(), bench, texts)
    if wrong:
        refuse()
        return _page(vat, "Look at the amounts marked below.", wrong)
    return _do(vat_id, lambda bench: pouring.pour_really(here(), bench, real))


@blueprint.post("/bench/<uuid:vat_id>/back")
@needs("make.write")
def back(vat_id: uuid.UUID) -> Page:
    """Back to the plan, to mend what was poured."""
    return _do(vat_id, lambda bench: pouring.back_to_plan(here(), bench))


@blueprint.post("/bench/<uuid:vat_id>/accept")
@needs("make.write")
def accept(vat_id: uuid.UUID) -> Page:
    """A ratio that is off stands, in writing."""
    return _do(vat_id, lambda bench: pouring.accept(here(), bench, request.form.get("why", "")))


@blueprint.post("/bench/<uuid:vat_id>/clear")
@needs("make.write")
def clear(vat_id: uuid.UUID) -> Page:
    """Take all of it off the bench again."""
    return _do(vat_id, lambda bench: pouring.clear(here(), bench))


@blueprint.post("/bench/<uuid:vat_id>/mixes")
@needs("make.write")
def save_mix(vat_id: uuid.UUID) -> Page:
    """Keep this blend by name."""
    name = request.form.get("name", "")
    return _do(vat_id, lambda bench: pouring.save_mix(here(), name, bench))


@blueprint.post("/bench/<uuid:vat_id>/mixes/<uuid:mix_id>")
@needs("make.write")
def take_mix(vat_id: uuid.UUID, mix_id: uuid.UUID) -> Page:
    """Plan a saved mix from today's lots."""
    return _do(vat_id, lambda bench: pouring.take_mix(here(), bench, mix_id))
