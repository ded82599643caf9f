"""The Bench: pour, check the ratio, standardise, note what was really poured, go on."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping

from flask import Blueprint, abort, redirect, render_template, request, url_for

from openpail.craft.errors import CraftError
from openpail.craft.standardise import AIMS, TARGETS
from openpail.craft.units import parse_amount
from openpail.records.bench import actions as benches
from openpail.records.bench.models import Bench
from openpail.records.dairy import actions as dairies
from openpail.records.dairy.models import Vat
from openpail.records.errors import RecordError
from openpail.records.makes import actions as makes
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.models import MilkLot
from openpail.records.recipes import actions as recipes
from openpail.web.bench.state import CREAM_WAYS, stand
from openpail.web.edge import Page, dairy, db, house, jars, known, needs, now, refuse
from openpail.web.ui.fields import default_unit

blueprint = Blueprint("bench", __name__, template_folder="templates")


@blueprint.get("/bench")
@needs("dairy.read")
def page() -> Page:
    """The vat that is being filled, else the smallest that is free."""
    vats = dairies.vats(db(), dairy())
    if not vats:
        return render_template("bench/no_vat.html")
    standing = benches.open_benches(db(), dairy())
    if standing:
        return redirect(url_for("bench.vat", vat_id=standing[0].vat_id))
    busy = {make.vat_id for make in makes.under_way(db(), dairy())}
    free = [vat for vat in vats if vat.id not in busy]
    return redirect(url_for("bench.vat", vat_id=(free or vats)[min(1, len(free or vats) - 1)].id))


@blueprint.get("/bench/<uuid:vat_id>")
@needs("dairy.read")
def vat(vat_id: uuid.UUID) -> Page:
    """One vat on the bench."""
    return _page(dairies.vat(db(), dairy(), vat_id))


def _page(vat: Vat, error: str = "", wrong: Mapping[str, tuple[str, str]] | None = None) -> Page:
    whole = "X-Fragment" not in request.headers
    return render_template(
        "bench/page.html" if whole else "bench/_bench.html",
        at=stand(vat, wrong),
        error=error,
        vats=dairies.vats(db(), dairy()),
        recipes=recipes.in_use(db(), dairy()),
        mixes=benches.mixes(db(), dairy()),
        ways=CREAM_WAYS,
        aims=AIMS,
        kinds=TARGETS,
        fitness=lambda lot: slips.fitness_of(lot, known()),
        hours_old=lambda lot: slips.hours_old(lot, now()),
        in_freezer=slips.in_freezer,
        busy={make.vat_id for make in makes.under_way(db(), dairy())},
    )


def _here(vat_id: uuid.UUID) -> tuple[Vat, Bench]:
    found = dairies.vat(db(), dairy(), vat_id)
    return found, benches.bench_of(db(), dairy(), found, now())


def _then(vat: Vat) -> Page:
    """After a change: the fragment for the page's own script, else the page anew."""
    if "X-Fragment" in request.headers:
        return _page(vat)
    return redirect(url_for("bench.vat", vat_id=vat.id))


def _refused(vat: Vat, error: CraftError | RecordError) -> Page:
    refuse()
    return _page(vat, error.words)


def _do(vat_id: uuid.UUID, act: Callable[[Bench], object]) -> Page:
    """Do one thing at a vat's bench; what the craft or the records refuse is said in words."""
    vat, bench = _here(vat_id)
    try:
        act(bench)
    except (CraftError, RecordError) as error:
        return _refused(vat, error)
    except ValueError:
        abort(400, _NOT_WHOLE)
    return _then(vat)


_NOT_WHOLE = "This page was not sent whole. Go back, load it again, and send once more."


def _litres(text: str) -> float:
    """A volume as typed, in the dairy's unit or jars; a weight is turned by the lot's own."""
    system = dairy().volume_system
    return parse_amount(text, "volume", system, default_unit("volume"), jars()).base  # type: ignore[arg-type]


def _litres_of(lot: MilkLot, text: str) -> float:
    try:
        return _litres(text)
    except CraftError as error:
        try:
            weighed = parse_amount(text, "mass", dairy().volume_system).base  # type: ignore[arg-type]
        except CraftError:
            raise error from None
        return weighed * lot.volume_l / lot.mass_kg


@blueprint.post("/bench/lot/<uuid:lot_id>")
@needs("make.write")
def take(lot_id: uuid.UUID) -> Page:
    """All of a pail onto the bench: into the vat that stands open, else one that takes it."""
    lot = milk.lot(db(), dairy(), lot_id)
    standing = benches.open_benches(db(), dairy())
    vats = dairies.vats(db(), dairy())
    if standing:
        vat = dairies.vat(db(), dairy(), standing[0].vat_id)
    elif vats:
        busy = {make.vat_id for make in makes.under_way(db(), dairy())}
        free = [each for each in vats if each.id not in busy] or vats
        room = house().number("vat.head_room")
        vat = next((v for v in free if v.brim_l * room >= slips.left_l(lot)), free[-1])
    else:
        return render_template("bench/no_vat.html")
    bench = benches.bench_of(db(), dairy(), vat, now())
    try:
        benches.set_pour(db(), bench, lot, slips.left_l(lot))
    except (CraftError, RecordError) as error:
        return _refused(vat, error)
    return redirect(url_for("bench.vat", vat_id=vat.id))


@blueprint.post("/bench/<uuid:vat_id>/pour")
@needs("make.write")
def pour(vat_id: uuid.UUID) -> Page:
    """So much of one lot: typed, or nudged by a litre."""
    vat, bench = _here(vat_id)
    lot = _lot(request.form.get("lot", ""))
    text = request.form.get("amount", "").strip()
    try:
        if request.form.get("all"):
            litres = slips.left_l(lot)
        elif request.form.get("nudge"):
            there = benches.planned_l(bench, lot)
            litres = min(slips.left_l(lot), max(0.0, there + float(request.form["nudge"])))
        else:
            litres = _litres_of(lot, text) if text else 0.0
        benches.set_pour(db(), bench, lot, litres, text)
    except RecordError as error:
        return _refused(vat, error)
    except CraftError as error:
        refuse()
        return _page(vat, wrong={str(lot.id): (text, error.words)})
    except ValueError:
        abort(400, _NOT_WHOLE)
    return _then(vat)


def _lot(text: str) -> MilkLot:
    try:
        return milk.lot(db(), dairy(), uuid.UUID(text))
    except ValueError:
        abort(400, _NOT_WHOLE)


@blueprint.post("/bench/<uuid:vat_id>/recipe")
@needs("make.write")
def recipe(vat_id: uuid.UUID) -> Page:
    """The recipe this vat is for, and so its ratio."""
    key = request.form.get("recipe", "")
    if key:
        recipes.newest_of(db(), dairy(), key)
    return _do(vat_id, lambda bench: benches.choose_recipe(db(), bench, key))


@blueprint.post("/bench/<uuid:vat_id>/targets")
@needs("make.write")
def targets(vat_id: uuid.UUID) -> Page:
    """What to standardise to, kept as typed."""
    names = (*TARGETS, "size", "near", "cream")
    texts = {name: request.form.get(name, "").strip()[:40] for name in names}
    typed = {name: text for name, text in texts.items() if text}
    return _do(vat_id, lambda bench: benches.set_targets(db(), bench, typed))


@blueprint.post("/bench/<uuid:vat_id>/plan")
@needs("make.write")
def plan(vat_id: uuid.UUID) -> Page:
    """A whole plan at once: a suggestion, or the largest batch. Fields are lot ids with litres."""
    return _do(vat_id, _plan)


def _plan(bench: Bench) -> None:
    litres: dict[str, float] = {}
    creams: list[tuple[uuid.UUID, float, float]] = []
    for name, text in request.form.items():
        if name.startswith("cream:"):
            _, key, percent = name.split(":")
            creams.append((uuid.UUID(key), float(percent), float(text)))
        elif name.startswith("lot:"):
            litres[str(uuid.UUID(name.removeprefix("lot:")))] = float(text)
    lots = milk.lots_by_id(db(), dairy(), [uuid.UUID(key) for key in litres])
    benches.plan_all(db(), bench, lots, litres)
    for lot_id, pct, off in creams:
        benches.set_cream_off(db(), bench, lots[lot_id], off, pct)


@blueprint.post("/bench/<uuid:vat_id>/mend")
@needs("make.write")
def mend(vat_id: uuid.UUID) -> Page:
    """One fix of the ratio: more of an animal, or less."""
    species, litres = request.form.get("species", ""), request.form.get("litres", "")
    return _do(
        vat_id, lambda bench: benches.mend(db(), dairy(), bench, species, float(litres), known())
    )


@blueprint.post("/bench/<uuid:vat_id>/poured")
@needs("make.write")
def poured(vat_id: uuid.UUID) -> Page:
    """What really went in, compared with the plan before anything else may be added."""
    vat, bench = _here(vat_id)
    real, wrong = {}, {}
    lots = milk.lots_by_id(db(), dairy(), [uuid.UUID(part["lot"]) for part in bench.pours])
    for part in bench.pours:
        lot = lots[uuid.UUID(part["lot"])]
        key = part["lot"] if part["cream_pct"] is None else f"cream:{part['lot']}"
        text = request.form.get(f"real:{key}", "").strip()
        try:
            real[key] = _litres_of(lot, text) if text else 0.0
        except CraftError as error:
            wrong[part["lot"]] = (text, error.words)
    if wrong:
        refuse()
        return _page(vat, "Look at the amounts marked below.", wrong)
    try:
        benches.pour_really(db(), bench, real, lots, now())
    except (CraftError, RecordError) as error:
        return _refused(vat, error)
    return _then(vat)


@blueprint.post("/bench/<uuid:vat_id>/back")
@needs("make.write")
def back(vat_id: uuid.UUID) -> Page:
    """Back to the plan, to mend what was poured."""
    return _do(vat_id, lambda bench: benches.back_to_plan(db(), bench))


@blueprint.post("/bench/<uuid:vat_id>/accept")
@needs("make.write")
def accept(vat_id: uuid.UUID) -> Page:
    """A ratio that is off stands, in writing."""
    return _do(vat_id, lambda bench: benches.accept(db(), bench, request.form.get("why", "")))


@blueprint.post("/bench/<uuid:vat_id>/clear")
@needs("make.write")
def clear(vat_id: uuid.UUID) -> Page:
    """Take all of it off the bench again."""
    return _do(vat_id, lambda bench: benches.clear(db(), bench))


@blueprint.post("/bench/<uuid:vat_id>/mixes")
@needs("make.write")
def save_mix(vat_id: uuid.UUID) -> Page:
    """Keep this blend by name."""
    name = request.form.get("name", "")
    return _do(vat_id, lambda bench: benches.save_mix(db(), dairy(), name, bench, now()))


@blueprint.post("/bench/<uuid:vat_id>/mixes/<uuid:mix_id>")
@needs("make.write")
def take_mix(vat_id: uuid.UUID, mix_id: uuid.UUID) -> Page:
    """Plan a saved mix from today's lots."""
    return _do(vat_id, lambda bench: benches.take_mix(db(), dairy(), bench, mix_id, known()))
