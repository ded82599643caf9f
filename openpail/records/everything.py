"""The whole dairy as one open file, and back in: a zip of CSV and pictures with its description.

Every table of the dairy is a CSV of its own, in the order of its key; `about.json` says what each
column is, how many rows there are, and the checksum of each file. What may not leave is left out:
passwords and signed-in devices. What is only worked out from the rest is worked out anew.
"""

from __future__ import annotations

import csv
import hashlib
import io
import json
import uuid
import zipfile
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from datetime import UTC, date, datetime, time
from functools import partial
from typing import IO, Any, BinaryIO, cast

from alembic.script import ScriptDirectory
from sqlalchemy import Column, LargeBinary, Table, select
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Session

from openpail.craft.errors import RecordError
from openpail.records.dairy.models import Dairy
from openpail.records.people.actions import unknown_password
from openpail.records.people.models import Membership, Person
from openpail.records.schema import METADATA, alembic_config

FORMAT, VERSION = "open-pail-dairy", 1
ABOUT = "about.json"
# Of the browser and of signing in; and what is worked out anew when somebody looks.
LEFT_OUT: Mapping[str, str] = {
    "setup_token": "how a first person signs in",
    "sign_in_try": "tries to sign in",
    "signed_in": "devices that are signed in",
    "backup_made": "when this machine made its backups",
    "answered": "forms that were answered",
    "make_look": "what makes are found by: worked out anew from the rest",
}
_NOT_TOLD: Mapping[str, frozenset[str]] = {
    "person": frozenset({"password_hash", "session_key"}),
    "dairy": frozenset({"calendar_key"}),
}
_NULL = "\\N"
_MARKED = ("=", "+", "-", "@", "\t", "\r", "'", _NULL)
_AT_ONCE = 2_000
_PACKED = zipfile.ZIP_DEFLATED
_MOST_BYTES = 8 * 1024**3
_README = "README.txt"
_BESIDE = "in a file of its own"
_NO_SUCH_FILE = "This is no whole file of a dairy that Open Pail wrote."
Tell = Callable[[str, int], None]


def _tables() -> list[Table]:
    return [each for each in METADATA.sorted_tables if each.name not in LEFT_OUT]


def _columns(table: Table) -> list[Column[Any]]:
    return [each for each in table.columns if each.name not in _NOT_TOLD.get(table.name, ())]


def revision() -> str:
    """The newest shape of the tables."""
    return str(ScriptDirectory.from_config(alembic_config("")).get_current_head())


# ── out ──


def write(session: Session, dairy: Dairy, file: IO[bytes], now: datetime, tell: Tell) -> int:
    """Write a dairy whole. Parameters: tell, after each table: its name, its rows. Returns: all
    rows that were written."""
    rows: dict[str, int] = {}
    for name, count in steps(session, dairy, file, now):
        if name not in rows and rows:
            tell(*list(rows.items())[-1])
        rows[name] = count
    tell(*list(rows.items())[-1])
    return sum(rows.values())


def steps(
    session: Session, dairy: Dairy, file: IO[bytes] | io.RawIOBase, now: datetime
) -> Iterator[tuple[str, int]]:
    """Write a dairy whole, some rows at a time, so that it can be sent while it is written.

    Yields: each table's name and how many of its rows are written so far. The file may be one that
    is only ever written to.
    """
    about: dict[str, Any] = {
        "format": FORMAT,
        "version": VERSION,
        "tables_as_of": revision(),
        "written_at": now.isoformat(),
        "dairy": dairy.name,
        "left_out": dict(LEFT_OUT),
        "tables": {},
    }
    with zipfile.ZipFile(cast("IO[bytes]", file), "w", _PACKED, compresslevel=4) as out:
        for table in _tables():
            columns, digest, rows = _columns(table), hashlib.sha256(), 0
            writers = [_writer(each) for each in columns]
            with out.open(f"{table.name}.csv", "w", force_zip64=True) as raw:
                told = csv.writer(_Digesting(raw, digest), lineterminator="\n")
                told.writerow([each.name for each in columns])
                for row in _rows_of(session, dairy, table, columns):
                    told.writerow(
                        [
                            _NULL if value is None else write(value)
                            for write, value in zip(writers, row, strict=True)
                        ]
                    )
                    rows += 1
                    if rows % _AT_ONCE == 0:
                        yield table.name, rows
            for name, data in _pictures(session, dairy, table):
                out.writestr(name, data, zipfile.ZIP_STORED)
                yield table.name, rows
            about["tables"][table.name] = {
                "rows": rows,
                "sha256": digest.hexdigest(),
                "columns": {each.name: str(each.type) for each in columns},
            }
            yield table.name, rows
        out.writestr(ABOUT, json.dumps(about, indent=1))
        out.writestr(_README, _readme(about))


def table_count() -> int:
    """How many tables there are in the file."""
    return len(_tables())


class _Digesting(io.TextIOBase):
    """Text into a file of bytes, with the checksum of them all."""

    def __init__(self, raw: Any, digest: Any) -> None:
        self._raw, self._digest = raw, digest

    def write(self, text: str) -> int:
        data = text.encode("utf-8", "surrogatepass")
        self._digest.update(data)
        self._raw.write(data)
        return len(text)


def _rows_of(
    session: Session, dairy: Dairy, table: Table, columns: Sequence[Column[Any]]
) -> Iterator[Sequence[Any]]:
    wanted = [each for each in columns if not isinstance(each.type, LargeBinary)]
    query = select(*wanted).order_by(*table.primary_key.columns)
    if table.name == "dairy":
        query = query.where(table.c.id == dairy.id)
    elif table.name == "person":
        members = select(Membership.person_id).where(Membership.dairy_id == dairy.id)
        query = query.where(table.c.id.in_(members))
    else:
        query = query.where(table.c.dairy_id == dairy.id)
    found = session.execute(query, execution_options={"yield_per": _AT_ONCE})
    if len(wanted) == len(columns):
        yield from found
        return
    for row in found:
        told = iter(row)
        yield [_BESIDE if isinstance(each.type, LargeBinary) else next(told) for each in columns]


def _binary(table: Table) -> Column[Any] | None:
    return next((each for each in table.columns if isinstance(each.type, LargeBinary)), None)


def _pictures(session: Session, dairy: Dairy, table: Table) -> Iterator[tuple[str, bytes]]:
    """What is no text is a file of its own beside the CSV, called by the row's id."""
    column = _binary(table)
    if column is None:
        return
    ids = select(table.c.id).where(table.c.dairy_id == dairy.id).order_by(table.c.id)
    for key in list(session.scalars(ids)):
        where = (table.c.dairy_id == dairy.id, table.c.id == key)
        yield f"{table.name}/{key}", session.scalars(select(column).where(*where)).one()


def _writer(column: Column[Any]) -> Callable[[Any], str]:
    """What writes a value of a column."""
    if isinstance(column.type, LargeBinary):
        return str  # it is said already where it lies
    if isinstance(column.type, JSONB):
        return partial(json.dumps, sort_keys=True)
    kind = column.type.python_type
    if kind is str:
        return _plain
    if kind is bool:
        return lambda value: "yes" if value else "no"
    if kind is datetime:
        return lambda value: value.astimezone(UTC).isoformat()
    return (lambda value: value.isoformat()) if kind in (date, time) else str


def _plain(value: str) -> str:
    return f"'{value}" if value.startswith(_MARKED) else value


def _value(column: Column[Any], text: str) -> Any:
    """Read back what its writer wrote."""
    if text == _NULL:
        return None
    if isinstance(column.type, JSONB):
        return json.loads(text)
    kind = column.type.python_type
    match kind:
        case _ if kind is str:
            return text[1:] if text.startswith("'") else text
        case _ if kind is bool:
            return {"yes": True, "no": False}[text]
        case _ if kind in (datetime, date, time):
            return kind.fromisoformat(text)
    return kind(text)


def _readme(about: Mapping[str, Any]) -> str:
    lines = [
        f"{about['dairy']}, written {about['written_at']} by Open Pail.",
        "",
        "Every table is a CSV in UTF-8, in the order of its key; about.json says what each",
        f"column is, and the SHA-256 of each file. {_NULL} is no value; a text that a spreadsheet",
        "would take for a formula, or that begins with an apostrophe, has an apostrophe before it.",
        "Moments are in UTC, masses in kg, volumes in L, warmth in °C. Photos and sounds lie in",
        "make_file/, called by the id of their row.",
        "",
        "Left out:",
        *(f"  {name}: {why}" for name, why in LEFT_OUT.items()),
        *(f"  {name}: {', '.join(sorted(columns))}" for name, columns in _NOT_TOLD.items()),
        "",
        *(f"  {name}.csv: {table['rows']} rows" for name, table in about["tables"].items()),
    ]
    return "\n".join(lines) + "\n"


# ── in ──


def read(session: Session, file: BinaryIO, tell: Tell) -> Dairy:
    """Bring a dairy in, whole or not at all: the caller commits. Parameters: tell, after each
    table: its name, its rows. Returns: the dairy.

    Raises: RecordError for what is no such file, is not whole, is of other tables than ours, or is
    of a dairy that is here already. Passwords are not in it: everybody gets a new one.
    """
    try:
        with zipfile.ZipFile(file) as zipped:
            return _read(session, zipped, tell)
    except RecordError:
        raise
    except (zipfile.BadZipFile, KeyError, ValueError, UnicodeError, csv.Error) as wrong:
        raise RecordError(f"{_NO_SUCH_FILE} ({type(wrong).__name__})") from wrong


def _read(session: Session, zipped: zipfile.ZipFile, tell: Tell) -> Dairy:
    if sum(each.file_size for each in zipped.infolist()) > _MOST_BYTES:
        raise RecordError("This file unpacks to more than any dairy has.")
    about = json.loads(zipped.read(ABOUT))
    if about.get("format") != FORMAT or about.get("version") != VERSION:
        raise RecordError(_NO_SUCH_FILE)
    if about["tables_as_of"] != revision():
        raise RecordError(
            f"This file is of the tables {about['tables_as_of']}, and these are {revision()}. "
            "Bring it in with the Open Pail that wrote it, then bring that up to date."
        )
    found: Dairy | None = None
    for table in _tables():
        rows = list(_lines(zipped, table, about["tables"][table.name]))
        if table.name == "dairy":
            _check_new(session, rows)
        _insert(session, table, rows)
        tell(table.name, len(rows))
        if table.name == "dairy":
            found = session.get(Dairy, rows[0]["id"])
    if found is None:
        raise RecordError(_NO_SUCH_FILE)
    return found


def _check_new(session: Session, rows: Sequence[Mapping[str, Any]]) -> None:
    if len(rows) != 1:
        raise RecordError(_NO_SUCH_FILE)
    if session.get(Dairy, rows[0]["id"]) is not None:
        raise RecordError(f"{rows[0]['name']} is here already: nothing was changed.")


def _lines(
    zipped: zipfile.ZipFile, table: Table, told: Mapping[str, Any]
) -> Iterator[dict[str, Any]]:
    """The rows of one table, once its file is seen to be whole."""
    data = zipped.read(f"{table.name}.csv")
    if hashlib.sha256(data).hexdigest() != told["sha256"]:
        raise RecordError(f"{table.name}.csv is not as it was written: the file is broken.")
    lines = csv.reader(io.StringIO(data.decode("utf-8"), newline=""))
    columns = _columns(table)
    if next(lines) != [each.name for each in columns]:
        raise RecordError(f"{table.name}.csv has other columns than ours.")
    beside = _binary(table)
    for line in lines:
        row = {
            each.name: _value(each, text)
            for each, text in zip(columns, line, strict=True)
            if each is not beside
        }
        if beside is not None:
            row[beside.name] = zipped.read(f"{table.name}/{row['id']}")
        if table.name == "person":  # nobody signs in with it: a new password is set at home
            row |= {"password_hash": unknown_password(), "session_key": uuid.uuid4()}
        yield row


def _insert(session: Session, table: Table, rows: Sequence[dict[str, Any]]) -> None:
    """Rows that others of their table hang on come before those."""
    if table.name == "person":
        known = set(session.scalars(select(Person.id)))
        rows = [row for row in rows if row["id"] not in known]
    for wave in _waves(table, rows):
        for at in range(0, len(wave), _AT_ONCE):
            session.execute(table.insert(), wave[at : at + _AT_ONCE])


def _waves(table: Table, rows: Sequence[dict[str, Any]]) -> Iterable[Sequence[dict[str, Any]]]:
    own = [
        each.parent.name
        for each in table.foreign_keys
        if each.column.table is table and each.parent.name != "dairy_id"
    ]
    if not own:
        return [rows] if rows else []
    waves: list[Sequence[dict[str, Any]]] = []
    left, there = list(rows), {None}
    while left:
        ready = [row for row in left if all(row[name] in there for name in own)]
        if not ready:
            raise RecordError(f"{table.name}.csv speaks of rows that are not in it.")
        there |= {row["id"] for row in ready}
        known = {row["id"] for row in ready}
        left = [row for row in left if row["id"] not in known]
        waves.append(ready)
    return waves
