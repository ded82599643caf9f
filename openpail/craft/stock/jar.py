"""A jar of culture that is fed: whether it is fit, when it wants feeding, and how it recovers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from openpail.craft.house import House
from openpail.craft.stock.products import Kept
from openpail.craft.units import so_many

Smell = Literal["clean", "sharp", "yeasty", "off"]
SMELLS: dict[Smell, str] = {
    "clean": "clean, milky-sour",
    "sharp": "sharp, of vinegar",
    "yeasty": "of yeast or bread",
    "off": "foul, or mould on it",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Feeding:
    """A feeding and what became of it: hours until it set (None: not seen), smell, pH or None."""

    at: datetime
    set_hours: float | None
    smell: Smell
    ph: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Health:
    """How a jar is: `unfit` says why it must not be used, "" when it may; `feed_by`, its next
    feeding; `resting`, that it was left long and recovers; `words`, in one line.
    """

    unfit: str
    words: str
    feed_by: datetime
    resting: bool = False

    @property
    def fit(self) -> bool:
        """Whether it may be used."""
        return not self.unfit


def was_good(feeding: Feeding, house: House) -> str:
    """Why a feeding was not a good one, "" when it was: set in time, smells clean, sour enough.

    Parameters: feeding; house. Source: house value.
    """
    most, sour = house.number("culture.jar_set_within"), house.number("culture.jar_ph")
    if feeding.smell != "clean":
        return f"it smelt {SMELLS[feeding.smell]}."
    if feeding.set_hours is None:
        return "it has not been seen to set since it was fed."
    if feeding.set_hours > most:
        return f"it took {feeding.set_hours:.0f} h to set; a lively one needs at most {most:.0f}."
    if feeding.ph is not None and feeding.ph > sour:
        return f"it came only to pH {feeding.ph:.2f}; it should be at {sour:.1f} or under."
    return ""


def health(
    feedings: Sequence[Feeding], kept: Kept, since: datetime, now: datetime, house: House
) -> Health:
    """How a fed jar is today.

    Parameters: feedings, the oldest first; kept, where it stands between them; since, when it
    came; now; house.
    Returns: fit only after the last feeding was a good one, and, when it was left over twice its
    time, after so many good ones in a row. Source: house value.
    """
    key = "culture.jar_room_every" if kept == "room" else "culture.jar_every"
    every = timedelta(days=house.number(key))
    if not feedings:
        return Health(
            unfit="it has not been fed here yet.", words="Feed it, and see it set.", feed_by=since
        )
    last = feedings[-1]
    due = last.at + every
    wrong = was_good(last, house)
    waits = timedelta(hours=house.number("culture.jar_set_within"))
    if last.set_hours is None and last.smell == "clean" and now - last.at <= waits:
        return Health(
            unfit=wrong,
            words="Fed: write how long it took to set, and how it smells.",
            feed_by=last.at + waits,
        )
    if wrong:
        return Health(
            unfit=wrong,
            words=f"Not for use: {wrong} Feed it again, warm, with a little more milk "
            "than jar; three poor ones in a row: begin anew.",
            feed_by=now,
        )
    if now - last.at > 2 * every:
        days = (now - last.at).days
        words = f"it has rested {so_many(days, 'day')} unfed."
        return Health(
            unfit=words,
            words=f"Resting: {words} Feed it twice before use.",
            feed_by=now,
            resting=True,
        )
    need = int(house.number("culture.jar_recover"))
    good = _good_in_a_row(feedings, every, house)
    if good is not None and good < need:
        words = f"it is coming back: {good} good feeding{'s'[: good - 1]}, {need} wanted."
        return Health(
            unfit=words,
            words=words.capitalize(),
            feed_by=last.at + min(every, timedelta(days=1)),
            resting=True,
        )
    hungry = "Hungry: feed it today." if now >= due else "Lively."
    return Health(
        unfit="", words=f"{hungry} Set in {last.set_hours:.0f} h, smells clean.", feed_by=due
    )


def _good_in_a_row(feedings: Sequence[Feeding], every: timedelta, house: House) -> int | None:
    """Good feedings since the last rest or poor one; None when there was neither."""
    for count, i in enumerate(range(len(feedings) - 1, -1, -1)):
        if was_good(feedings[i], house):
            return count
        if i and feedings[i].at - feedings[i - 1].at > 2 * every:
            return count + 1
    return None
