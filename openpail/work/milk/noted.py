"""What comes out of a lot later: told of it, or taken back; it reaches all that was made of it."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from openpail.craft.errors import NotHere, RecordError
from openpail.records.inherited import FLAGS, NOTED
from openpail.records.log import actions as log
from openpail.records.log.actions import Kept
from openpail.records.milk.keeping import hours_old
from openpail.records.milk.models import MilkLot
from openpail.work.here import Here

LEAST_WORDS, MOST_WORDS = 10, 300
COOLED = "cooled"
WORDS = {
    "withdrawal": "An animal was on withdrawal",
    "colostrum_or_sick": "Within 5 days after birth (goats, ewes 7), or clots, blood, salty",
    "off_smell": "It smelled off",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class NotedOfLot:
    """Something told of a lot after it came in, or taken back: what, whether so, why, when."""

    words: str
    is_so: bool
    why: str
    at: datetime


def noted(here: Here, lot: MilkLot) -> list[NotedOfLot]:
    """What was told of a lot after it came in, in its order."""
    return [
        NotedOfLot(
            words=WORDS[row.payload["fact"]],
            is_so=row.payload["is_so"],
            why=row.payload["why"],
            at=row.at,
        )
        for row in log.rows(here.session, here.dairy.id, lot.id)
        if row.deed == NOTED
    ]


def note(here: Here, lot: MilkLot, fact: str, *, is_so: bool, why: str, deed_id: uuid.UUID) -> None:
    """It comes out that something was so of a lot, or was not after all; it stays in the log.

    Parameters: fact, a key of WORDS; why, ten letters or more where it is taken back.
    Raises: RecordError by field.
    """
    why = why.strip()
    if fact not in FLAGS:
        raise RecordError("Choose what came out.", "fact")
    if getattr(lot, fact) == is_so:
        so = "is told of it already" if is_so else "is not told of it"
        raise RecordError(f"{WORDS[fact]}: that {so}.", "fact")
    _check_why(why, needs=not is_so)
    kept = Kept(
        subject="milk",
        subject_id=lot.id,
        id=deed_id,
        deed=NOTED,
        payload={"fact": fact, "is_so": is_so, "why": why},
        happened=here.now,
        at=here.now,
    )
    if log.add(here.session, here.dairy.id, kept, here.now, here.person_id):
        setattr(lot, fact, is_so)
        here.session.flush()
    here.forget()


def cooled(here: Here, whey: MilkLot, deed_id: uuid.UUID) -> None:
    """Whey that ran off is at 6 °C or under now: it keeps the longer for that.

    Raises: RecordError for what is no warm whey, or was warm for too long.
    """
    if whey.kind != "whey" or whey.holding == "cold":
        raise RecordError("It is no warm whey.")
    most = here.house.number("whey.warm_h")
    if hours_old(whey, here.now) > most:
        raise RecordError(f"It was warm for over {most:g} h: the cold does not mend that.")
    kept = Kept(
        subject="milk",
        subject_id=whey.id,
        id=deed_id,
        deed=COOLED,
        payload={},
        happened=here.now,
        at=here.now,
    )
    if log.add(here.session, here.dairy.id, kept, here.now, here.person_id):
        whey.holding = "cold"
        here.session.flush()
    here.forget()


def _check_why(why: str, *, needs: bool) -> None:
    if needs and len(why) < LEAST_WORDS:
        raise RecordError("Write why it is not so, in a few words; it is kept.", "why")
    if len(why) > MOST_WORDS:
        raise RecordError(f"At most {MOST_WORDS} letters, please.", "why")


def take_slip_back(here: Here, lot: MilkLot, slip_id: uuid.UUID, why: str) -> None:
    """A slip was of other milk, or read wrong: it stays in the record, and nothing reads it.

    Raises: NotHere; RecordError by field.
    """
    row = next((each for each in lot.tests if each.id == slip_id), None)
    if row is None:
        raise NotHere("no such slip")
    if row.taken_back_at is not None:
        return
    _check_why(why.strip(), needs=True)
    row.taken_back_at, row.taken_back_why = here.now, why.strip()
    here.session.flush()
    here.forget()


def said_so(lot: MilkLot) -> Iterator[tuple[str, str]]:
    """What is told of a lot and can be taken back: key and words."""
    yield from ((key, words) for key, words in WORDS.items() if getattr(lot, key))
