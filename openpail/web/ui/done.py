"""What was done with the last touch, said on the next page, with the way to take it back."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from datetime import datetime

from flask import session

from openpail.craft.cave.deeds import UNDO_WITHIN
from openpail.web.edge import now

_KEY = "done"


def tell(words: str, ids: Sequence[uuid.UUID]) -> None:
    """Remember on this device what was done, and to what."""
    session[_KEY] = {
        "words": words,
        "ids": ",".join(map(str, ids)),
        "until": (now() + UNDO_WITHIN).isoformat(),
    }


def forget() -> None:
    """It was taken back."""
    session.pop(_KEY, None)


def just_done() -> dict[str, str] | None:
    """Its words and ids, as long as it may be taken back."""
    done: dict[str, str] | None = session.get(_KEY)
    return done if done and datetime.fromisoformat(done["until"]) > now() else None
