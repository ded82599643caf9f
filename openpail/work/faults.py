"""One thing of many that cannot be worked out: said in its place, so that the others stand."""

from __future__ import annotations

import logging

from openpail.craft.errors import CraftError

FAULTS = (CraftError, ArithmeticError)
_log = logging.getLogger("openpail")


def words_of(fault: Exception) -> str:
    """Why it cannot be, for its maker; what the craft has no words for is ours, and in the log."""
    if isinstance(fault, CraftError):
        return fault.words
    _log.error("cannot be worked out", exc_info=fault)
    return "Something in it cannot be worked out: look at its recipe and at its milk."
