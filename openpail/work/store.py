"""What stands under the middle floor: the database, the whole dairy as a file, its backups, and the
forms that were answered."""

from __future__ import annotations

import io
import uuid
from collections.abc import Iterator
from datetime import datetime
from typing import Any, NamedTuple

from openpail.records import everything
from openpail.records.answered import actions as answered
from openpail.records.dairy.models import Dairy
from openpail.records.line import counts
from openpail.records.safe import daily
from openpail.records.session import sessions
from openpail.work.asked import of_dairy
from openpail.work.here import Here

__all__ = ["sessions"]

table_count = everything.table_count
on_the_line = of_dairy(counts)
answer_ended = of_dairy(answered.end)


def answer_begun(here: Here, form: uuid.UUID) -> str | None:
    """Take a form in hand: where its first sending led to, None when this is the first."""
    return answered.begin(here.session, here.dairy, form, here.now)


class _Sent(io.RawIOBase):
    """What is written is taken from here bit by bit."""

    def __init__(self) -> None:
        self._data = bytearray()

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        self._data += data
        return len(data)

    def taken(self) -> bytes:
        """What was written since the last time."""
        data, self._data = bytes(self._data), bytearray()
        return data


def whole_dairy(url: str, dairy_id: uuid.UUID, moment: datetime) -> Iterator[bytes]:
    """A dairy as one open file, bit by bit, as it was at one moment, whoever goes on in it."""
    with sessions(url)() as session:
        session.connection(execution_options={"isolation_level": "REPEATABLE READ"})
        whole = session.get_one(Dairy, dairy_id)
        sent = _Sent()
        for _ in everything.steps(session, whole, sent, moment):
            yield sent.taken()
        yield sent.taken()


class BackupsSoFar(NamedTuple):
    """How the backups of this machine stand: when the last good one was made (None: never) and how
    many rows it has, whether that is too long ago, and what the last try said against itself."""

    good_at: datetime | None
    rows: int
    is_old: bool
    failed: str


def backups(here: Here) -> BackupsSoFar:
    """How the backups stand that are made by themselves."""
    good, tried = daily.last(here.session, good=True), daily.last(here.session, good=False)
    return BackupsSoFar(
        good_at=good.at if good else None,
        rows=(good.rows or 0) if good else 0,
        is_old=good is not None and here.now - good.at > daily.TOO_OLD,
        failed=tried.words if tried and tried.words else "",
    )
