"""What may start: a hard stop never, another stop or question only with a written word."""

from __future__ import annotations

from openpail.craft.errors import NotPossible
from openpail.craft.make.frozen import Frozen

LEAST_WORDS = 10


def check_start(frozen: Frozen, note: str) -> None:
    """Refuse a make that must not start, by whatever door it comes.

    Parameters: frozen, its sheet; note, what the maker wrote, 10 letters or more where a stop or a
    question wants an answer. Raises: NotPossible. Source: our own judgement.
    """
    stops = [each for each in frozen.cautions if each.level == "stop"]
    for stop in stops:
        if stop.hard:
            raise NotPossible(f"{stop.title} {stop.words}", "stop")
    if (stops or frozen.asks) and len(note.strip()) < LEAST_WORDS:
        raise NotPossible(
            "Write why you go on all the same, in a few words; it is kept with the make.", "why"
        )
