"""What can happen in a make: one small dataclass a deed, each with its limits and their words.

A deed is told with the moment it happened, by the clock of whoever saw it. Whoever keeps deeds
checks them here first; no form has a limit of its own.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, fields, replace
from datetime import datetime, timedelta
from typing import Any, ClassVar, Literal
from uuid import UUID

from openpail.craft.dates import UNDO_WITHIN
from openpail.craft.errors import NotPossible, OutOfRange, Unknown

COLDEST_C, HOTTEST_C = -2.0, 105.0
LEAST_PH, MOST_PH = 3.0, 9.0
LONGEST_NOTE = 500
MOST_PIECES = 500
AHEAD = timedelta(minutes=2)
BEFORE_START = timedelta(hours=1)
MOST_OFFSET, LEAST_OFFSET = timedelta(days=400), timedelta(seconds=5)
PAYLOAD_VERSION = 1
_LARGEST = 1e9  # of any unit
_YEARS = (1900, 2200)  # with room for any offset and zone on either side


@dataclass(frozen=True, slots=True)
class StepDone:
    """A step is done, by its key."""

    step: str
    kind: ClassVar[str] = "step_done"


@dataclass(frozen=True, slots=True)
class ReadingTaken:
    """Something was read: °C (−2 to 105), pH (3 to 9), words; None and "" are not read."""

    celsius: float | None = None
    ph: float | None = None
    note: str = ""
    kind: ClassVar[str] = "reading"


@dataclass(frozen=True, slots=True)
class FirstFlocks:
    """First flocks are seen: the step that waits for them is done with it.

    word, where they come far from when they were expected; counts, whether they teach of the bottle
    and move the cut: None lets how odd they are decide.
    """

    word: str = ""
    counts: bool | None = None
    kind: ClassVar[str] = "flocks"


@dataclass(frozen=True, slots=True)
class Weighed:
    """The cheese is weighed: kg of each piece (over 0). It goes to rest.

    word, where it weighs far from what was expected, or its acid was slow.
    """

    pieces_kg: tuple[float, ...]
    word: str = ""
    kind: ClassVar[str] = "weighed"


@dataclass(frozen=True, slots=True)
class WheyKept:
    """Whey was caught: litres, over 0 and no more than twice the milk."""

    litres: float
    kind: ClassVar[str] = "whey_kept"


Became = Literal["back", "fed", "given", "kitchen", "thrown"]
BECAME_WORDS: Mapping[Became, str] = {
    "fed": "fed to the animals",
    "kitchen": "used in the kitchen",
    "given": "given away",
    "thrown": "thrown away",
    "back": "back on the shelf",
}


@dataclass(frozen=True, slots=True)
class GivenUp:
    """No cheese comes of it: what became of the milk, and why in a few words.

    back: it was begun by mistake; the milk goes back to where it came from, while nothing has gone
    into it.
    """

    became: Became
    word: str = ""
    kind: ClassVar[str] = "given_up"


@dataclass(frozen=True, slots=True)
class Amended:
    """A deed was other than told: `change` holds what it is now; None takes a value away.

    Of a reading: celsius, ph, note; of a weighing: pieces_kg; of first flocks: counts; of any
    deed: happened, an ISO moment with its offset.
    """

    change: Mapping[str, Any]
    kind: ClassVar[str] = "amend"


@dataclass(frozen=True, slots=True)
class Undone:
    """A deed did not happen: a slip of the finger."""

    kind: ClassVar[str] = "undo"


Deed = StepDone | ReadingTaken | FirstFlocks | Weighed | WheyKept | GivenUp | Amended | Undone
DEEDS: Mapping[str, type[Deed]] = {
    each.kind: each
    for each in (StepDone, ReadingTaken, FirstFlocks, Weighed, WheyKept, GivenUp, Amended, Undone)
}
_MAY_CHANGE: Mapping[str, frozenset[str]] = {
    "reading": frozenset({"celsius", "ph", "note"}),
    "weighed": frozenset({"pieces_kg", "word"}),
    "flocks": frozenset({"counts", "word"}),
}
LEAST_WORD = 4
LIVE = timedelta(minutes=5)
ODD_FLOCKS = 3.0  # times sooner or later than expected
ODD_WEIGHT = 2.0  # times less or more than expected


@dataclass(frozen=True, slots=True)
class Told:
    """A deed as it was told.

    id, made by whoever saw it, so that a second delivery is harmless; happened, by the device's
    clock; offset, what that clock is behind ours; counter, the device's own count of its deeds;
    amends, the deed that an Amended or Undone speaks of; arrived, when it reached us.
    """

    id: str
    deed: Deed
    happened: datetime
    amends: str | None = None
    offset: timedelta = timedelta(0)
    device: str = ""
    counter: int = 0
    arrived: datetime | None = None

    @property
    def at(self) -> datetime:
        """When it happened, by our own clock."""
        return self.happened + self.offset

    @property
    def order(self) -> tuple[datetime, int, str]:
        """Where it stands among the others, whatever the order in which they arrived."""
        return self.at, self.counter, self.id


@dataclass(frozen=True, slots=True)
class Bounds:
    """What a deed of a make is held against: its steps, when it began, its milk, and the moment.

    rested_at: when it was weighed, None while it is under way; told: the deeds kept so far;
    milk_kg and cheese_kg, what went in and what is expected of it; flocks_min, expected after
    rennet_at; uncut: the curd is not cut yet; slow: the words of a stop for slow acid; into_it:
    what has gone into the milk so far.
    """

    steps: Collection[str]
    started: datetime
    milk_l: float
    now: datetime
    rested_at: datetime | None
    told: Mapping[str, Told]
    milk_kg: float = 0.0
    cheese_kg: float = 0.0
    flocks_min: float = 0.0
    rennet_at: datetime | None = None
    uncut: bool = False
    slow: str = ""
    into_it: str = ""


def read(kind: str, payload: Mapping[str, Any]) -> Deed:
    """A deed from plain data (payload version 1).

    Parameters: kind, its name; payload, its fields. Raises: Unknown for a deed or field that is
    none of ours, OutOfRange for a value of the wrong sort. Source: derivation.
    """
    if kind not in DEEDS:
        raise Unknown(f"“{kind}” is no deed of a make.", "deed")
    sort = DEEDS[kind]
    names = {each.name for each in fields(sort)}
    strange = sorted(set(payload) - names)
    if strange:
        raise Unknown(f"“{strange[0]}” does not belong to this deed.", strange[0])
    told = {key: _plain(key, value) for key, value in payload.items()}
    missing = [
        each
        for each in ("step", "pieces_kg", "litres", "change", "became")
        if each in names and each not in told
    ]
    if missing:
        raise OutOfRange(f"“{missing[0]}” is not said.", missing[0])
    return sort(**told)


def read_told(data: object, device: str, offset: timedelta) -> Told:
    """A deed as another device tells it.

    Parameters: data, an object with id, deed, payload, happened and perhaps counter and amends;
    device, its name; offset, what its clock is behind ours. Raises: OutOfRange or Unknown, naming
    the part that they speak of. Source: derivation.
    """
    if not isinstance(data, Mapping) or not isinstance(data.get("payload", {}), Mapping):
        raise OutOfRange("A deed is an object with id, deed, payload and happened.", "deed")
    counter = data.get("counter", 0)
    if isinstance(counter, bool) or not isinstance(counter, int) or not 0 <= counter < 2**31:
        raise OutOfRange("The counter is a whole number.", "counter")
    amends = data.get("amends")
    return Told(
        _id(data.get("id"), "id"),
        read(str(data.get("deed", "")), data.get("payload", {})),
        _moment(data.get("happened"), "happened"),
        None if amends is None else _id(amends, "amends"),
        offset,
        _words("device", device),
        counter,
    )


def clock_offset(sent: object, now: datetime) -> timedelta:
    """How far a device's clock is behind ours; under five seconds it is only the way here.

    Parameters: sent, its own clock as it sends, ISO 8601; now, ours. Raises: OutOfRange for a
    clock that is more than a year off. Source: house value.
    """
    offset = now - _moment(sent, "sent")
    if abs(offset) > MOST_OFFSET:
        raise OutOfRange("The clock of this device is more than a year off: set it.", "sent")
    return offset if abs(offset) >= LEAST_OFFSET else timedelta(0)


def _id(text: object, field: str) -> str:
    try:
        return str(UUID(str(text)))
    except ValueError:
        raise OutOfRange("This is no id.", field) from None


def _plain(key: str, value: Any) -> Any:
    if key == "became":
        if value not in BECAME_WORDS:
            raise OutOfRange("Say what became of the milk.", key)
        return value
    if key in ("step", "note", "word"):
        return _words(key, value) if key == "step" else _words(key, value).strip()
    if key == "counts":
        if not isinstance(value, bool | None):
            raise OutOfRange("Say whether it counts: yes, no, or nothing.", key)
        return value
    if key == "change":
        if not isinstance(value, Mapping):
            raise OutOfRange("Say what is to be mended.", key)
        return {name: None if told is None else _plain(name, told) for name, told in value.items()}
    if key == "happened":
        return _moment(value).isoformat()
    if key == "pieces_kg":
        if not isinstance(value, list | tuple):
            raise OutOfRange("Write the weight of each piece.", key)
        return tuple(_number(key, each) for each in value)
    if value is None and key in ("celsius", "ph"):
        return None
    return _number(key, value)


def _words(key: str, value: object) -> str:
    """Words, of signs that can be kept: no noughts, no half signs."""
    if not isinstance(value, str):
        raise OutOfRange("Write words here.", key)
    if "\x00" in value or value != value.encode("utf-8", "replace").decode():
        raise OutOfRange("There is a sign in it that cannot be kept.", key)
    return value


def _number(key: str, value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise OutOfRange(f"“{str(value)[:40]}” is not a number.", key)
    if not abs(value) <= _LARGEST:
        raise OutOfRange("This is not a number that anybody reads.", key)
    return float(value)


def _moment(value: object, field: str = "happened") -> datetime:
    try:
        found = datetime.fromisoformat(str(value))
    except ValueError:
        raise OutOfRange("Write the moment as ISO 8601 with its offset.", field) from None
    if found.tzinfo is None:
        raise OutOfRange("This moment does not say of which zone it is.", field)
    if not _YEARS[0] <= found.year <= _YEARS[1]:
        raise OutOfRange("No make was in that year. Look at the time.", field)
    return found


def to_payload(deed: Deed) -> dict[str, Any]:
    """A deed as plain data: what `read` takes. Source: derivation."""
    told = {each.name: getattr(deed, each.name) for each in fields(deed)}
    plain = {key: list(value) if isinstance(value, tuple) else value for key, value in told.items()}
    return {key: value for key, value in plain.items() if value not in (None, "")}


def check(told: Told, bounds: Bounds) -> None:
    """Refuse what cannot have happened in this make, in words.

    Parameters: told; bounds. Raises: OutOfRange, NotPossible or Unknown, each naming the field
    that it speaks of. Source: house value.
    """
    if isinstance(told.deed, Amended | Undone):
        _check_mending(told, bounds)
        return
    if told.amends is not None:
        raise NotPossible("Only an amendment or an undo speaks of another deed.", "amends")
    check_moment(told.at, bounds)
    if bounds.rested_at is not None and told.at > bounds.rested_at:
        raise NotPossible("This make is at rest: what belongs to it can be amended, nothing added.")
    _check_deed(told.deed, bounds)
    if isinstance(told.deed, Weighed) and bounds.slow and len(told.deed.word) < LEAST_WORD:
        raise OutOfRange(
            f"{bounds.slow} If it goes to rest all the same, write why; the mark stays on it.",
            "word",
        )
    if bounds.now - told.at <= LIVE:
        _ask(told.deed, told.at, bounds)


def check_moment(at: datetime, bounds: Bounds) -> None:
    """Refuse a moment outside the make.

    Parameters: at; bounds of the make. Raises: OutOfRange. Source: house value.
    """
    if at > bounds.now + AHEAD:
        raise OutOfRange("That has not happened yet. Look at the time.", "happened")
    if at < bounds.started - BEFORE_START:
        raise OutOfRange("That was before this make began. Look at the time.", "happened")


def _check_deed(deed: Deed, bounds: Bounds) -> None:
    match deed:
        case StepDone(step):
            if step not in bounds.steps:
                raise Unknown(f"This recipe has no step “{step}”.", "step")
        case ReadingTaken():
            check_reading(deed)
        case Weighed(pieces):
            check_pieces(pieces, bounds)
        case GivenUp(became, word):
            if bounds.rested_at is not None:
                raise NotPossible(
                    "It has gone to rest: its cheeses are ended one by one.", "became"
                )
            if became == "back" and bounds.into_it:
                raise NotPossible(
                    f"{bounds.into_it} has gone into this milk: it is no milk for the pail any "
                    "more. Give the make up, and say what became of it.",
                    "became",
                )
            if became != "back" and len(word) < LEAST_WORD:
                raise OutOfRange("Write in a few words why it is given up.", "word")
        case WheyKept(litres):
            if not 0 < litres <= 2 * bounds.milk_l:
                most = 2 * bounds.milk_l
                raise OutOfRange(f"Write how much whey there is, up to {most:.0f} L.", "litres")


def check_pieces(pieces_kg: tuple[float, ...], bounds: Bounds) -> None:
    """Refuse weights that no cheese of this make has.

    Parameters: pieces_kg; bounds, for its milk. Raises: OutOfRange. Source: house value.
    """
    if not pieces_kg or any(kg <= 0 for kg in pieces_kg):
        raise OutOfRange("Weigh the cheese and write its weight.", "weight")
    if len(pieces_kg) > MOST_PIECES:
        raise OutOfRange(f"At most {MOST_PIECES} pieces come of one make.", "weight")
    if sum(pieces_kg) > (bounds.milk_kg or 2 * bounds.milk_l):
        raise OutOfRange("That is more cheese than there was milk. Look again.", "weight")


def odd_flocks(minutes: float, expected_min: float) -> bool:
    """Whether first flocks come too far from what was expected to be believed without a word.

    Parameters: minutes after the rennet; expected_min. Source: house value.
    """
    return not 1 / ODD_FLOCKS <= minutes / expected_min <= ODD_FLOCKS


def _ask(deed: Deed, at: datetime, bounds: Bounds) -> None:
    """What may be so and is far from expected is asked of whoever stands there, and kept with a
    word. What comes later, of a device that was away, is kept as it is: nobody is there to ask."""
    if isinstance(deed, Weighed) and bounds.uncut:
        raise NotPossible("It is not cut yet: there is no cheese to weigh.", "weight")
    if not isinstance(deed, FirstFlocks | Weighed) or len(deed.word) >= LEAST_WORD:
        return
    if isinstance(deed, FirstFlocks):
        if bounds.rennet_at is None or not bounds.flocks_min:
            return
        minutes = (at - bounds.rennet_at).total_seconds() / 60
        if odd_flocks(max(minutes, 0.01), bounds.flocks_min):
            raise OutOfRange(
                f"First flocks after {minutes:.1f} min, where about {bounds.flocks_min:.0f} were "
                "expected: was the time of the rennet noted right, is it the right bottle, is the "
                "milk sour? Write a word if it is so.",
                "word",
            )
        return
    total, expected = sum(deed.pieces_kg), bounds.cheese_kg
    if expected and not 1 / ODD_WEIGHT <= total / expected <= ODD_WEIGHT:
        raise OutOfRange(
            f"{total:.2f} kg, where about {expected:.2f} were expected. Look at the scale and its "
            "unit, and whether a piece is missing; write a word if it is so.",
            "word",
        )


def check_reading(deed: ReadingTaken) -> None:
    """Refuse what no vat shows.

    Parameters: deed, °C and pH. Raises: OutOfRange by field. Source: house value.
    """
    if deed.celsius is None and deed.ph is None and not deed.note:
        raise OutOfRange("Write what was read: a temperature, a pH or a note.", "celsius")
    if deed.celsius is not None and not COLDEST_C <= deed.celsius <= HOTTEST_C:
        raise OutOfRange("No vat is that cold or that hot. Look again.", "celsius")
    if deed.ph is not None and not LEAST_PH <= deed.ph <= MOST_PH:
        raise OutOfRange(f"A pH here lies between {LEAST_PH:g} and {MOST_PH:g}.", "ph")
    if len(deed.note) > LONGEST_NOTE:
        raise OutOfRange(f"At most {LONGEST_NOTE} letters, please.", "note")


def _check_mending(told: Told, bounds: Bounds) -> None:
    target = bounds.told.get(told.amends or "")
    if target is None:
        raise Unknown("What this would mend is not in the record of this make.", "amends")
    if isinstance(told.deed, Undone):
        if isinstance(target.deed, Undone):
            raise NotPossible("That was taken back already.", "amends")
        if target.arrived and bounds.now - target.arrived > UNDO_WITHIN:
            raise NotPossible(
                "That is more than ten minutes ago: amend it instead, with a line of why."
            )
        return
    assert isinstance(told.deed, Amended)
    if isinstance(target.deed, Amended | Undone):
        raise NotPossible("Amend the deed itself, not its mending.", "amends")
    change = dict(told.deed.change)
    if "happened" in change:
        check_moment(_moment(change.pop("happened")), bounds)
    allowed = _MAY_CHANGE.get(target.deed.kind, frozenset[str]())
    strange = sorted(set(change) - allowed)
    if strange:
        raise Unknown(f"“{strange[0]}” does not belong to what is mended.", strange[0])
    if not told.deed.change:
        raise OutOfRange("Say what is to be mended.", "change")
    after = amended(target, told.deed).deed
    if isinstance(after, ReadingTaken):
        check_reading(after)
    elif isinstance(after, Weighed):
        check_pieces(after.pieces_kg, bounds)


_BLANK: Mapping[str, Any] = {
    "celsius": None,
    "ph": None,
    "note": "",
    "word": "",
    "counts": None,
    "pieces_kg": (),
}


def amended(target: Told, mending: Amended) -> Told:
    """A deed as it is after an amendment.

    Parameters: target, the deed; mending, what is said of it. Source: derivation.
    """
    change = dict(mending.change)
    happened = change.pop("happened", None)
    deed = target.deed
    if change:
        plain = {key: change[key] if change[key] is not None else _BLANK[key] for key in change}
        deed = replace(deed, **plain)
    if happened is None:
        return replace(target, deed=deed)
    return replace(target, deed=deed, happened=_moment(happened), offset=timedelta(0))
