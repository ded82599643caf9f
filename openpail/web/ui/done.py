"""What was done with the last touch, said on the next page, with the way to take it back."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from flask import session

from openpail.craft.dates import UNDO_WITHIN
from openpail.web.edge import now

_KEY = "done"


def tell(words: str, back_to: str, **fields: str) -> None:
    """Remember on this device what was done, and where to send which fields to take it back."""
    until = (now() + UNDO_WITHIN).isoformat()
    session[_KEY] = {"words": words, "to": back_to, "fields": fields, "until": until}


def forget() -> None:
    """It was taken back."""
    session.pop(_KEY, None)


def just_done() -> dict[str, Any] | None:
    """What was done, as long as it may be taken back."""
    done: dict[str, Any] | None = session.get(_KEY)
    return done if done and datetime.fromisoformat(done["until"]) > now() else None
