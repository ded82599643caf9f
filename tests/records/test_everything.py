"""Everything out, everything in: the same dairy to the last row, by its checksums; what is broken,
foreign or here already is refused and changes nothing."""

import csv
import io
import json
import zipfile

import pytest
from click.testing import CliRunner
from sqlalchemy import func, select, text, update

from openpail.cli.__main__ import main
from openpail.craft.errors import RecordError
from openpail.records import everything
from openpail.records.dairy.models import Dairy
from openpail.records.log.models import DeedRow
from openpail.records.makes.models import Make, MakeFile
from openpail.records.people.models import Person
from openpail.records.session import sessions
from openpail.web.app import create_app
from openpail.web.config import Config
from openpail.work.vat import photos
from tests.conftest import NOW, SECRET
from tests.web.test_tasting_pages import PNG

NASTY = [
    "=1+1",
    "'=1",
    "\\N",
    "-7",
    "+49",
    "@x",
    "it's",
    "a\nb\r\nc",
    '"quoted", and "so"',
    "ü€𝄞",
    "",
]


def quiet(name, rows):
    """Nobody listens."""


def written(session):
    dairy = session.scalars(select(Dairy)).one()
    file = io.BytesIO()
    rows = everything.write(session, dairy, file, NOW, quiet)
    return file, rows


def tables_of(file):
    with zipfile.ZipFile(file) as zipped:
        told = json.loads(zipped.read("about.json"))["tables"]
        return {name: (each["rows"], each["sha256"]) for name, each in told.items()}


@pytest.fixture
def lived(farm):
    """The demo farm with a photo, and words that no file format likes."""
    here = farm()
    session = here.session
    makes = session.scalars(select(Make)).all()
    for make, words in zip(makes, NASTY, strict=False):
        make.note = words
    photos.keep(here, makes[0].id, PNG)
    session.flush()
    return session


def test_out_and_into_an_empty_database_is_the_same_dairy_by_every_checksum(lived, database_url):
    file, rows = written(lived)
    before = tables_of(file)
    assert rows == sum(count for count, _ in before.values()) > 1_000
    with sessions(database_url)() as other:
        found = everything.read(other, file, quiet)
        other.commit()
        assert found.name == "Wrenfold Steading"
        again, _ = written(other)
        after = tables_of(again)
        assert {n: after[n] for n in after if n != "person"} == {
            n: before[n] for n in before if n != "person"
        }
        assert after["person"] == before["person"]
        notes = other.scalars(select(Make.note).order_by(Make.id)).all()
        assert notes == lived.scalars(select(Make.note).order_by(Make.id)).all()
        assert set(NASTY) <= set(notes)
        photo = select(MakeFile.data)
        assert other.scalars(photo).all() == lived.scalars(photo).all()


def test_the_dairy_that_came_in_is_whole_it_serves_its_pages_and_nobody_signs_in_with_it(
    lived, database_url
):
    file, _ = written(lived)
    with sessions(database_url).begin() as other:
        everything.read(other, file, quiet)
        hashes = other.scalars(select(Person.password_hash)).all()
    assert not set(hashes) & set(lived.scalars(select(Person.password_hash)))
    app = create_app(Config(database_url=database_url, secret=SECRET, mode="demo", frozen_now=NOW))
    client = app.test_client()
    page = client.get("/sign-in").text
    token = page.split('name="csrf_token" value="')[1].split('"')[0]
    form = {"login": "maker", "password": "!", "csrf_token": token}
    assert "do not go together" in client.post("/sign-in", data=form).text
    client.post("/demo", data={"csrf_token": token})
    for address in ("/", "/vat", "/cave", "/logbook", "/stock", "/recipes", "/table", "/days"):
        assert client.get(address, follow_redirects=True).status_code == 200, address


def test_no_secret_and_nothing_that_a_spreadsheet_would_run_is_in_it(lived):
    file, _ = written(lived)
    secrets = [
        *lived.scalars(select(Person.password_hash)),
        *map(str, lived.scalars(select(Person.session_key))),
    ]
    with zipfile.ZipFile(file) as zipped:
        names = zipped.namelist()
        every = b"".join(zipped.read(name) for name in names)
        assert not any(each.encode() in every for each in secrets)
        assert not {"setup_token.csv", "sign_in_try.csv", "answered.csv"} & set(names)
        for name in names:
            if name.endswith(".csv"):
                for line in csv.reader(io.StringIO(zipped.read(name).decode(), newline="")):
                    assert not any(cell.startswith(("=", "+", "@")) for cell in line), (name, line)
        told = json.loads(zipped.read("about.json"))
        assert set(told["left_out"]) == set(everything.LEFT_OUT)
        assert b"apostrophe" in zipped.read("README.txt")


def broken(file, **changes):
    """The same file with some of its parts put otherwise."""
    out = io.BytesIO()
    with zipfile.ZipFile(file) as source, zipfile.ZipFile(out, "w") as target:
        for name in source.namelist():
            data = source.read(name)
            change = changes.get(name.split(".")[0])
            if change is not None:
                data = change(data)
            if data is not None:
                target.writestr(name, data)
    return out


def about(**parts):
    return lambda data: json.dumps({**json.loads(data), **parts})


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"milk_lot": lambda data: data.replace(b"cow", b"yak", 1)}, "not as it was written"),
        ({"deed": lambda data: data[: len(data) // 2]}, "not as it was written"),
        ({"piece": lambda data: None}, "no whole file"),
        ({"about": lambda data: None}, "no whole file"),
        ({"about": lambda data: b"{"}, "no whole file"),
        ({"about": about(format="something else")}, "no whole file"),
        ({"about": about(tables_as_of="0001")}, "of the tables 0001"),
    ],
)
def test_what_is_broken_or_foreign_is_refused_and_nothing_of_it_stays(
    lived, database_url, changes, words
):
    file, _ = written(lived)
    with sessions(database_url)() as other:
        with pytest.raises(RecordError, match=words):
            everything.read(other, broken(file, **changes), quiet)
        other.rollback()
        assert other.scalar(select(func.count()).select_from(Dairy)) == 0
        with pytest.raises(RecordError, match="no whole file"):
            everything.read(other, io.BytesIO(b"no zip at all"), quiet)


def test_a_dairy_that_is_here_already_is_not_brought_in_over_itself(lived):
    file, _ = written(lived)
    deeds = lived.scalar(select(func.count()).select_from(DeedRow))
    with pytest.raises(RecordError, match="is here already: nothing was changed"):
        everything.read(lived, file, quiet)
    assert lived.scalar(select(func.count()).select_from(DeedRow)) == deeds


def test_the_command_writes_a_file_of_its_owners_alone_and_brings_it_in(
    demo_url, database_url, tmp_path, monkeypatch
):
    file = tmp_path / "dairy.zip"
    monkeypatch.setenv("OPENPAIL_DATABASE_URL", demo_url)
    out = CliRunner().invoke(main, ["everything", "out", str(file)])
    assert out.exit_code == 0 and "written" in out.output and "· milk_lot: " in out.output
    assert file.stat().st_mode & 0o777 == 0o600 and list(tmp_path.iterdir()) == [file]
    again = CliRunner().invoke(main, ["everything", "in", str(file)])
    assert again.exit_code == 1 and "is here already" in again.output
    monkeypatch.setenv("OPENPAIL_DATABASE_URL", database_url)
    done = CliRunner().invoke(main, ["everything", "in", str(file)])
    assert done.exit_code == 0 and "Give everybody a password" in done.output
    lost = CliRunner().invoke(main, ["everything", "out", str(tmp_path / "no" / "x.zip")])
    assert lost.exit_code != 0


def test_what_is_newer_than_a_table_it_hangs_on_still_comes_in_whole(lived, database_url):
    """A deed mends a later one, by its id: a file's order is no order of what hangs on what."""
    rows = lived.scalars(select(DeedRow).order_by(DeedRow.id).limit(2)).all()
    lived.execute(update(DeedRow).where(DeedRow.id == rows[0].id).values(amends=rows[1].id))
    file, _ = written(lived)
    with sessions(database_url).begin() as other:
        everything.read(other, file, quiet)
        kept = other.execute(text("select amends from deed order by id limit 1")).scalar()
        assert kept == rows[1].id


def test_the_maker_takes_it_out_in_the_browser_and_a_reader_does_not(client, post, app):
    page = client.get("/dairy").text
    assert "/dairy/everything.zip" in page
    answer = client.get("/dairy/everything.zip")
    assert (
        answer.mimetype == "application/zip"
        and "attachment" in answer.headers["Content-Disposition"]
    )
    counts = tables_of(io.BytesIO(answer.data))
    assert counts["make"][0] > 10 and counts["dairy"][0] == 1
    with sessions(app.extensions["config"].database_url).begin() as session:
        session.execute(text("update membership set role = 'reader'"))
    assert client.get("/dairy/everything.zip").status_code == 403
    assert "everything.zip" not in client.get("/dairy").text
