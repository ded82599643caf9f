"""What the records refuse, in words for the screen."""

from __future__ import annotations


class RecordError(ValueError):
    """Something the records do not do; `field` names the input it belongs to, if any."""

    def __init__(self, words: str, field: str = "") -> None:
        super().__init__(words)
        self.words = words
        self.field = field


class NotHere(LookupError):
    """No such row in this dairy."""
