"""The table of backups that were made by themselves."""

from __future__ import annotations

import uuid
from datetime import datetime

from sqlalchemy import Index
from sqlalchemy.orm import Mapped, mapped_column

from openpail.records.base import Base


class BackupMade(Base):
    """A backup that was made by itself: when, its file, the rows it was seen to hold; words, what
    went wrong, "" where it is good."""

    __tablename__ = "backup_made"
    __table_args__ = (Index("ix_backup_made_at", "at"),)

    id: Mapped[uuid.UUID] = mapped_column(primary_key=True, default=uuid.uuid4)
    at: Mapped[datetime]
    file: Mapped[str]
    rows: Mapped[int]
    words: Mapped[str] = mapped_column(default="")
