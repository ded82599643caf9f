"""A dairy's data out into one file, and back in: whole, or not at all.

The file is a zip of PostgreSQL's own dump and of what it must hold: the dump's checksum, how many
rows each table has. It is brought into a database of its own beside the dairy's and is looked at
there; only when all is as it was do the two change names, in one step. A bare dump, as earlier
versions wrote, is taken too: its rows are not counted, all else is looked at.
"""

from __future__ import annotations

import hashlib
import json
import os
import secrets
import shutil
import subprocess
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from alembic.script import ScriptDirectory
from sqlalchemy import URL, Connection, create_engine, make_url, text
from sqlalchemy.exc import OperationalError

from openpail.craft.errors import RecordError
from openpail.records.schema import alembic_config, create_database, migrate

_DUMP, _ABOUT = "dairy.dump", "about.json"
_KEPT = "_before_"
_ONE_AT_A_TIME = 731_094_211  # of pg_advisory_lock: any number that nothing else uses
_NO_BACKUP = "is no whole backup of ./pail db backup: it is cut off, or something else. "
_NOTHING_CHANGED = "Nothing was changed."
_IN_USE = f"The dairy is in use: stop ./pail serve first. {_NOTHING_CHANGED}"
_BARE_DUMP = b"PGDMP"


@dataclass(frozen=True, slots=True)
class Restored:
    """What a restore did: rows brought in, and the name that the dairy of before is kept under."""

    rows: dict[str, int]
    kept: str | None


class Backups:
    """Backup and restore of one database; `programs` is the folder of PostgreSQL's own."""

    def __init__(self, url: str, programs: Path) -> None:
        self._url = make_url(url)
        self._programs = programs
        self._name = self._url.database or ""

    def write(self, file: Path, now: datetime) -> int:
        """Write the file, readable by its owner alone, whole or not at all; rows written."""
        with tempfile.TemporaryDirectory() as folder, _connected(self._url) as connection:
            connection.execute(text("begin isolation level repeatable read read only"))
            snapshot = connection.scalar(text("select pg_export_snapshot()"))
            dump = Path(folder) / _DUMP
            self._run("pg_dump", self._url, "-Fc", f"--snapshot={snapshot}", "-f", str(dump))
            rows = _rows(connection)
            about = {"written": now.isoformat(), "sha256": _checksum(dump), "rows": rows}
            part = file.with_name(file.name + ".part")
            part.unlink(missing_ok=True)
            with (
                os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as raw,
                zipfile.ZipFile(raw, "w", allowZip64=True) as packed,
            ):
                packed.write(dump, _DUMP)
                packed.writestr(_ABOUT, json.dumps(about, indent=1))
            part.replace(file)
        return sum(rows.values())

    def restore(self, file: Path, now: datetime) -> Restored:
        """Put a backup in the dairy's place. Raises RecordError, with all as it was before."""
        with tempfile.TemporaryDirectory() as folder, self._alone() as server:
            backup = _unpacked(file, Path(folder))
            self._check_free(server)
            new = f"{self._name}_new_{secrets.token_hex(4)}"
            try:
                rows = self._bring_in(backup, new)
                kept = self._swap(server, new, now)
            except BaseException:
                _drop(server, new)
                raise
        return Restored(rows, kept)

    def try_out(self, file: Path) -> dict[str, int]:
        """Bring a backup in beside the dairy, look at it as a restore does, and drop it again; the
        rows it holds. Raises RecordError where it is not whole."""
        new = f"{self._name}_tried_{secrets.token_hex(4)}"
        server = self._url.set(database="postgres")
        with tempfile.TemporaryDirectory() as folder, _connected(server) as connection:
            backup = _unpacked(file, Path(folder))
            try:
                return self._bring_in(backup, new)
            finally:
                _drop(connection, new)

    def kept(self) -> list[str]:
        """The databases that restores have kept, the newest first."""
        with _connected(self._url.set(database="postgres")) as server:
            found = server.scalars(
                text("select datname from pg_database where datname like :name"),
                {"name": self._name.replace("_", r"\_") + _KEPT.replace("_", r"\_") + "%"},
            )
            return sorted(found, reverse=True)

    def bring_back(self, name: str, now: datetime) -> str | None:
        """Put a kept database in the dairy's place; the name the present one is kept under."""
        if name not in self.kept():
            raise RecordError(f"{name} is not among what ./pail db kept lists.")
        with self._alone() as server:
            self._check_free(server)
            return self._swap(server, name, now)

    def _bring_in(self, backup: _Backup, new: str) -> dict[str, int]:
        there = self._url.set(database=new)
        create_database(_told(there))
        whole = ("--no-owner", "--exit-on-error", "--single-transaction")
        self._run("pg_restore", there, *whole, str(backup.dump))
        with _connected(there) as connection:
            rows = _rows(connection)
            if backup.rows is not None and rows != backup.rows:
                raise RecordError(f"The backup lacks rows that it says it has. {_NOTHING_CHANGED}")
            revision = _revision(connection)
            _check_known(self._url, revision)
            _check_rules(connection, self._url, revision)
        migrate(_told(there))
        return rows

    def _swap(self, server: Connection, new: str, now: datetime) -> str | None:
        """Both names change in one transaction: there is always a dairy, and only one."""
        kept = None
        server.execute(text("begin"))
        try:
            if _exists(server, self._name):
                kept = f"{self._name}{_KEPT}{now:%Y%m%d_%H%M%S}_{secrets.token_hex(2)}"
                server.execute(text(f'alter database "{self._name}" rename to "{kept}"'))
            server.execute(text(f'alter database "{new}" rename to "{self._name}"'))
        except OperationalError as error:
            server.execute(text("rollback"))
            raise RecordError(_IN_USE) from error
        server.execute(text("commit"))
        return kept

    def _check_free(self, server: Connection) -> None:
        used = server.scalar(
            text("select count(*) from pg_stat_activity where datname = :name"),
            {"name": self._name},
        )
        if used:
            raise RecordError(_IN_USE)

    @contextmanager
    def _alone(self) -> Iterator[Connection]:
        with _connected(self._url.set(database="postgres")) as server:
            if not server.scalar(text(f"select pg_try_advisory_lock({_ONE_AT_A_TIME})")):
                raise RecordError("Another restore is under way. Wait until it has ended.")
            yield server

    def _run(self, program: str, url: URL, *words: str) -> None:
        where = ["-h", url.host or "", "-p", str(url.port), "-U", url.username or ""]
        ran = subprocess.run(  # noqa: S603 (our own words and PostgreSQL's own programs)
            [self._programs / program, *where, "-d", url.database or "", *words],
            env={**os.environ, "PGPASSWORD": url.password or ""},
            capture_output=True,
            text=True,
            check=False,
        )
        if ran.returncode:
            raise RecordError(f"{program} stopped: {ran.stderr.strip()[:400]} {_NOTHING_CHANGED}")


def _told(url: URL) -> str:
    return url.render_as_string(hide_password=False)


@contextmanager
def _connected(url: URL) -> Iterator[Connection]:
    engine = create_engine(url, isolation_level="AUTOCOMMIT")
    try:
        with engine.connect() as connection:
            yield connection
    finally:
        engine.dispose()


@dataclass(frozen=True, slots=True)
class _Backup:
    """A backup that is whole: its dump, and the rows it must hold (None: it does not say)."""

    dump: Path
    rows: dict[str, int] | None


def _unpacked(file: Path, folder: Path) -> _Backup:
    dump = folder / _DUMP
    try:
        with file.open("rb") as opened:
            if opened.read(len(_BARE_DUMP)) == _BARE_DUMP:
                return _Backup(file, None)
        with zipfile.ZipFile(file) as packed:
            about = json.loads(packed.read(_ABOUT))
            with packed.open(_DUMP) as inside, dump.open("wb") as out:
                shutil.copyfileobj(inside, out)
        rows: dict[str, int] = about["rows"]
        whole = _checksum(dump) == about["sha256"]
    except (OSError, zipfile.BadZipFile, KeyError, TypeError, ValueError) as error:
        raise RecordError(f"{file} {_NO_BACKUP}{_NOTHING_CHANGED}") from error
    if not whole:
        raise RecordError(f"{file} {_NO_BACKUP}{_NOTHING_CHANGED}")
    return _Backup(dump, rows)


def _check_known(url: URL, revision: str) -> None:
    scripts = ScriptDirectory.from_config(alembic_config(_told(url)))
    if revision not in {each.revision for each in scripts.walk_revisions()}:
        raise RecordError(
            f"The backup is of a newer Open Pail (tables {revision}): bring this one up to date "
            f"first. {_NOTHING_CHANGED}"
        )


def _check_rules(restored: Connection, url: URL, revision: str) -> None:
    """Every key, check and index of that revision is there: beside tables made for comparison."""
    plain = url.set(database=f"{url.database}_plain_{secrets.token_hex(4)}")
    create_database(_told(plain))
    try:
        migrate(_told(plain), revision)
        with _connected(plain) as made:
            lacking = _rules(made) - _rules(restored)
    finally:
        with _connected(url.set(database="postgres")) as server:
            _drop(server, plain.database or "")
    if lacking:
        raise RecordError(f"The backup lacks {min(lacking)[1]}. {_NOTHING_CHANGED}")


def _rules(connection: Connection) -> set[tuple[str, str]]:
    found = connection.execute(
        text("""
            select conrelid::regclass::text, conname || ': ' || pg_get_constraintdef(oid)
            from pg_constraint where connamespace = 'public'::regnamespace and convalidated
            union all
            select tablename, indexdef from pg_indexes where schemaname = 'public'
        """)
    )
    return {(row[0], row[1]) for row in found}


def _rows(connection: Connection) -> dict[str, int]:
    tables = connection.scalars(
        text("select tablename from pg_tables where schemaname = 'public' order by 1")
    )
    return {
        table: connection.scalar(text(f'select count(*) from "{table}"')) or 0  # noqa: S608
        for table in tables.all()
    }


def _revision(connection: Connection) -> str:
    return str(connection.scalar(text("select version_num from alembic_version")))


def _exists(server: Connection, name: str) -> bool:
    there = text("select count(*) from pg_database where datname = :name")
    return bool(server.scalar(there, {"name": name}))


def _drop(server: Connection, name: str) -> None:
    server.execute(text(f'drop database if exists "{name}" with (force)'))


def _checksum(file: Path) -> str:
    with file.open("rb") as opened:
        return hashlib.file_digest(opened, "sha256").hexdigest()
