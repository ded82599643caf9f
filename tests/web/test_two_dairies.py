"""Several dairies on one server, each blind to the others: every address that names a thing by its
number answers 404 to a maker of another dairy, and changes no row of it."""

import io
import json
import re
import uuid
import zipfile

import pytest
from sqlalchemy import select, text

from openpail.demo import load as demo
from openpail.formats import recipe_file
from openpail.records import everything
from openpail.records.bench import actions as benches
from openpail.records.dairy import actions as dairies
from openpail.records.dairy.models import Dairy
from openpail.records.drills import actions as drills
from openpail.records.people import actions as people
from openpail.records.recipes import actions as recipes
from openpail.records.session import sessions
from openpail.records.trials import actions as trials
from openpail.work.here import Here
from openpail.work.milk import heating
from openpail.work.vat import photos
from tests.conftest import NOW
from tests.support.makes import send
from tests.web.test_tasting_pages import PNG

PASSWORD = "a long password of theirs"
TABLES = {
    "vat_id": ("vat",),
    "make_id": ("make",),
    "lot_id": ("milk_lot", "bottle"),
    "piece_id": ("piece",),
    "tub_id": ("tub",),
    "run_id": ("dry_run",),
    "room_id": ("room",),
    "plan_id": ("planned_make",),
    "heating_id": ("heating",),
    "person": ("person",),
    "file_id": ("make_file", "kept_file"),
    "key": ("milk_lot", "bottle", "tub", "make", "piece"),
    "draft_id": ("recipe_draft",),
    "herd_id": ("herd",),
    "trial_id": ("trial",),
    "drill_id": ("drill",),
    "gear_id": ("gear",),
    "device_id": ("signed_in",),
    "mix_id": ("mix",),
    "look_id": ("kept_look",),
}
SORTS = ("lot", "bottle", "tub", "make", "piece")


@pytest.fixture
def theirs(app, client, post):
    """A dairy that has one of everything; its ids by table, and how its tables stand."""
    url = app.extensions["config"].database_url
    assert send(client, "/practice", {"recipe": "larder-block"}, "/practice").status_code == 302
    with sessions(url).begin() as session:
        dairy = session.scalars(select(Dairy)).one()
        here = Here(session, dairy, NOW)
        version = recipes.newest_of(session, dairy, "larder-block")
        trials.plan(
            session,
            dairy,
            version.recipe_id,
            words="cut later",
            fact="cut",
            step="",
            each=3,
            now=NOW,
            person_id=None,
        )
        trials.keep_look(session, dairy, "goats", "words=goat", NOW)
        recipes.begin_draft(session, dairy, {"name": ["A draft"]}, now=NOW)
        recipes.keep_file(
            session, dairy, "a recipe", document={}, checksum="abc", why="for later", now=NOW
        )
        benches.save_mix(session, dairy, "ours", benches.open_benches(session, dairy)[0], NOW)
        make = here.under_way[0]
        drills.begin(
            session,
            dairy,
            "make",
            subject_id=make.id,
            words="make",
            now=NOW,
            person_id=None,
            real=False,
        )
        photos.keep(here, make.id, PNG)
        lot = next(lot for lot in here.free if lot.treatment == "raw" and lot.left_kg < 12)
        vat = next(vat for vat in here.free_vats if vat.brim_l < 20)
        heating.begin(here, [lot.id], vat.id, "C")
    with sessions(url)() as session:
        ids = {
            name: session.scalar(text(f"select id from {name} limit 1"))
            for names in TABLES.values()
            for name in names
        }
    assert all(ids.values()), [name for name, found in ids.items() if found is None]
    return ids


@pytest.fixture
def stranger(app, theirs):
    """The maker of another dairy, tokens switched off so that nothing else stands in the way."""
    url = app.extensions["config"].database_url
    with sessions(url).begin() as session:
        dairy = dairies.found(session, "Far Steading", "Europe/Dublin", NOW)
        library = [(r, d, recipe_file.checksum(d)) for r, d in recipe_file.library()]
        recipes.keep_library(session, dairy, library, NOW)
        people.add_person(
            session, dairy, "far", name="far", password=PASSWORD, role="maker", now=NOW
        )
        dairies.add_vat(session, dairy, "their pot", 20.0, 30.0)
    app.config["WTF_CSRF_ENABLED"] = False
    client = app.test_client()
    assert client.post("/sign-in", data={"login": "far", "password": PASSWORD}).location == "/"
    return client


def standing(app):
    """The checksums of all tables of the first dairy."""
    with sessions(app.extensions["config"].database_url)() as session:
        dairy = session.scalars(select(Dairy).where(Dairy.name == demo.NAME)).one()
        file = io.BytesIO()
        everything.write(session, dairy, file, NOW, lambda name, rows: None)
    with zipfile.ZipFile(file) as zipped:
        told = json.loads(zipped.read("about.json"))["tables"]
    return {name: each["sha256"] for name, each in told.items()}


def sealed(ids):
    """What a form of ours carries, whatever else is typed into it."""
    names = ("event", "deed", "make", "stay", "tasting", "taster", "once", "amends", "mends")
    words = {"minute": "1", "what": "wait", "do": "wait", "back": "not so", "word": "so it is"}
    lot = str(ids["milk_lot"])
    return {**dict.fromkeys(names, str(uuid.uuid4())), **words, "lot": lot, "litres": "1", "l": "1"}


def addresses(app, ids):
    """Every address of the server with the other dairy's numbers in it: its rule, it, and how."""
    for rule in app.url_map.iter_rules():
        named = re.findall(r"<uuid:(\w+)>", rule.rule)
        if not named:
            continue
        sorts = SORTS if "<sort>" in rule.rule else ("",)
        for turn, sort in enumerate(sorts):
            for table in TABLES[named[-1]] if not sort else TABLES["key"][turn : turn + 1]:
                address = rule.rule.replace("<sort>", sort).replace("<what>", "care")
                address = address.replace("<key>", "rennet")
                for name in named:
                    of = table if name == named[-1] else TABLES[name][0]
                    address = address.replace(f"<uuid:{name}>", str(ids[of]))
                for method in rule.methods & {"GET", "POST"}:
                    yield rule, address, method


def test_another_dairys_numbers_are_nobodys_and_change_nothing(app, theirs, stranger):
    before, tried, odd = standing(app), 0, []
    for rule, address, method in addresses(app, theirs):
        as_json = rule.endpoint.endswith(("tell_deeds", "tell_taps"))
        body = {"json": {"deeds": [], "taps": []}} if as_json else {"data": sealed(theirs)}
        answer = stranger.open(address, method=method, **(body if method == "POST" else {}))
        tried += 1
        if answer.status_code != 404:
            odd.append((method, rule.rule, answer.status_code))
    assert odd == [], "\n".join(map(str, odd))
    assert tried > 120
    assert standing(app) == before


def test_nothing_of_one_dairy_is_told_to_the_other(app, theirs, stranger):
    for address in ("/", "/milk", "/cave", "/stock", "/logbook", "/logbook/charts", "/table"):
        page = stranger.get(address, follow_redirects=True).text
        for secret in ("House cows", "Larder Block, make", "the brown bottle", "Mill Inn"):
            assert secret not in page, (address, secret)
    assert "Wrenfold" not in stranger.get("/dairy").text.replace("This is the demo: Wrenfold", "")
