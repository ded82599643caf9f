"""One thing of many that cannot be worked out: said in its place, so that the others stand."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import TypeVar

from openpail.craft.errors import CraftError

FAULTS = (CraftError, ArithmeticError)
T = TypeVar("T")
Other = TypeVar("Other")
_log = logging.getLogger("openpail")


def words_of(fault: Exception) -> str:
    """Why it cannot be, for its maker; what the craft has no words for is ours, and in the log."""
    if isinstance(fault, CraftError):
        return fault.words
    _log.error("cannot be worked out", exc_info=fault)
    return "Something in it cannot be worked out: look at its recipe and at its milk."


class Faults:
    """What of a page cannot be worked out: its words, so that the page stands without it."""

    def __init__(self) -> None:
        self.words: list[str] = []

    def without(self, otherwise: Other, work: Callable[[], T]) -> T | Other:
        """What `work` gives; `otherwise` where it cannot be worked out, and why is kept."""
        try:
            return work()
        except FAULTS as fault:
            said = words_of(fault)
            if said not in self.words:
                self.words.append(said)
            return otherwise
