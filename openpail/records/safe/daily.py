"""A backup a day while the dairy is served: written, brought in beside it to see that it is whole,
told of, and the old ones thinned."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from datetime import datetime, timedelta
from pathlib import Path

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from openpail.craft.errors import RecordError
from openpail.records.backup import Backups
from openpail.records.safe.models import BackupMade

EVERY = timedelta(hours=23)
TOO_OLD = timedelta(hours=50)
_AGAIN_AFTER = timedelta(hours=1)
_DAYS, _WEEKS, _MONTHS = 7, 5, 12
_NAME = "dairy-%Y%m%d-%H%M%S.backup"
_MOST_TOLD = 400


def last(session: Session, *, good: bool) -> BackupMade | None:
    """The last backup that was tried, or the last good one."""
    query = select(BackupMade).order_by(BackupMade.at.desc()).limit(1)
    return session.scalar(query.where(BackupMade.words == "") if good else query)


def is_due(session: Session, now: datetime) -> bool:
    """Whether it is time for a backup: a day after the last good one, an hour after one that
    failed."""
    good, tried = last(session, good=True), last(session, good=False)
    if good is not None and good.at > now - EVERY:
        return False
    return tried is None or tried.words == "" or tried.at <= now - _AGAIN_AFTER


def make(session: Session, backups: Backups, folder: Path, now: datetime) -> BackupMade:
    """Make a backup, bring it in beside the dairy and count it, and say how it went. A bad one is
    told of, and no old one is thrown away for it."""
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    file = folder / f"{now:{_NAME}}"
    rows, words = 0, ""
    try:
        backups.write(file, now)
        rows = sum(backups.try_out(file).values())
    except (RecordError, OSError) as error:
        words = error.words if isinstance(error, RecordError) else str(error)
        file.unlink(missing_ok=True)
    row = BackupMade(id=uuid.uuid4(), at=now, file=file.name, rows=rows, words=words[:_MOST_TOLD])
    session.add(row)
    session.execute(delete(BackupMade).where(BackupMade.at < now - timedelta(days=400)))
    session.flush()
    if not words:
        for each in to_drop(sorted(folder.glob("dairy-*.backup"))):
            each.unlink()
    return row


def to_drop(files: Sequence[Path]) -> list[Path]:
    """The backups that are not kept: the newest of each of the last seven days, five weeks and
    twelve months are. Parameters: files, the oldest first."""
    kept: set[Path] = set()
    for most, form in ((_DAYS, "%Y-%m-%d"), (_WEEKS, "%G-%V"), (_MONTHS, "%Y-%m")):
        newest = {_moment(each).strftime(form): each for each in files}
        kept |= set(list(newest.values())[-most:])
    return [each for each in files if each not in kept]


def _moment(file: Path) -> datetime:
    return datetime.strptime(file.name, _NAME)
