"""What can happen in a make: one small dataclass a deed.

A deed is told with the moment it happened, by the clock of whoever saw it. `plain` reads it from
plain data, `checks` says what cannot have happened; no form has a limit of its own.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any, ClassVar, Literal, get_args

from openpail.craft.deed import Id, IdOrNone, MomentOrNone, Note, blank, moment_of, readers

Look = Literal["liquid", "soft", "clean", "over"]
FeltOf = Literal["curd", "squeeze", "whey", "smell", "stretch", "run", "rind", "touch"]
FileSort = Literal["", "photo", "sound"]


class OfMake:
    """A deed of a make: its name; what of it may be amended; whether a standing folds it into what
    it comes to, and does not keep the deed itself."""

    __slots__ = ()
    kind: ClassVar[str]
    may_change: ClassVar[frozenset[str]] = frozenset()
    is_folded: ClassVar[bool] = False


@dataclass(frozen=True, slots=True)
class StepBegun(OfMake):
    """A step is begun now, later than the one before it ended."""

    step: str
    kind: ClassVar[str] = "step_begun"
    is_folded: ClassVar[bool] = True


@dataclass(frozen=True, slots=True, kw_only=True)
class StepDone(OfMake):
    """A step is done, by its key.

    gave: what was really given of an ingredient, in the unit of its dose, where it differs;
    bottles: the lot it really came from; word, where it ends far from what was expected.
    """

    step: str
    gave: Mapping[str, float] = field(default_factory=dict)
    bottles: Mapping[str, Id] = field(default_factory=dict)
    word: Note = ""
    kind: ClassVar[str] = "step_done"
    may_change: ClassVar[frozenset[str]] = frozenset({"gave", "bottles", "word"})


@dataclass(frozen=True, slots=True)
class StepSkipped(OfMake):
    """A step is left out of this make, and why."""

    step: str
    word: Note = ""
    kind: ClassVar[str] = "step_skipped"
    may_change: ClassVar[frozenset[str]] = frozenset({"word"})
    is_folded: ClassVar[bool] = True


@dataclass(frozen=True, slots=True)
class StepAgain(OfMake):
    """A step that was ended is done once more, from now."""

    step: str
    kind: ClassVar[str] = "step_again"
    is_folded: ClassVar[bool] = True


@dataclass(frozen=True, slots=True)
class PortionGiven(OfMake):
    """One of the equal parts of what a step gives is in; the last one ends the step."""

    step: str
    kind: ClassVar[str] = "portion"


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadingTaken(OfMake):
    """Something was read: °C (−2 to 105), pH (3 to 9), acidity in % lactic acid (0 to 3), words;
    None and "" are not read."""

    celsius: float | None = None
    ph: float | None = None
    note: Note = ""
    acid_pct: float | None = None
    kind: ClassVar[str] = "reading"
    may_change: ClassVar[frozenset[str]] = frozenset({"celsius", "ph", "note", "acid_pct"})
    is_folded: ClassVar[bool] = True


@dataclass(frozen=True, slots=True)
class HeatOff(OfMake):
    """The heat is taken away from the vat: what comes after is the warmth left in it."""

    kind: ClassVar[str] = "heat_off"


@dataclass(frozen=True, slots=True)
class FirstFlocks(OfMake):
    """First flocks are seen: the step that waits for them is done with it.

    word, where they come far from when they were expected; counts, whether they teach of the bottle
    and move the cut: None lets how odd they are decide.
    """

    word: Note = ""
    counts: bool | None = None
    kind: ClassVar[str] = "flocks"
    may_change: ClassVar[frozenset[str]] = frozenset({"counts", "word"})
    is_folded: ClassVar[bool] = True


@dataclass(frozen=True, slots=True)
class SetLooked(OfMake):
    """How the set looks when it is tried: liquid, soft, clean, over-firm. The last two end it;
    word, where it breaks far sooner than was expected."""

    look: Look
    word: Note = ""
    kind: ClassVar[str] = "set_looked"
    may_change: ClassVar[frozenset[str]] = frozenset({"look", "word"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Felt(OfMake):
    """A sign at a step, as the hand, eye or nose has it: of what, which word of its ladder; and
    what is kept with it: words, or a file (a photo, a spoken note) by its id."""

    step: str
    of: FeltOf | Literal[""] = ""
    sign: Note = ""
    note: Note = ""
    file: IdOrNone = ""
    file_sort: FileSort = ""
    kind: ClassVar[str] = "felt"
    may_change: ClassVar[frozenset[str]] = frozenset({"sign", "note"})


@dataclass(frozen=True, slots=True)
class WheyOff(OfMake):
    """Whey was taken off: litres, over 0 and no more than stood in the vat. word, of this and the
    next three, where it is far from what was expected."""

    litres: float
    word: Note = ""
    kind: ClassVar[str] = "whey_off"
    may_change: ClassVar[frozenset[str]] = frozenset({"litres"})


@dataclass(frozen=True, slots=True)
class WaterAdded(OfMake):
    """Water went into the curd: litres, and how warm it was (°C)."""

    litres: float
    celsius: float
    word: Note = ""
    kind: ClassVar[str] = "water"
    may_change: ClassVar[frozenset[str]] = frozenset({"litres", "celsius"})


@dataclass(frozen=True, slots=True)
class AcidGiven(OfMake):
    """A part of the acid is in: how much of it, in the unit of its dose."""

    amount: float
    word: Note = ""
    kind: ClassVar[str] = "acid_given"
    may_change: ClassVar[frozenset[str]] = frozenset({"amount"})


@dataclass(frozen=True, slots=True)
class CurdWeighed(OfMake):
    """The curd is weighed before it is salted: kg."""

    kg: float
    word: Note = ""
    kind: ClassVar[str] = "curd_weighed"
    may_change: ClassVar[frozenset[str]] = frozenset({"kg"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Moulded(OfMake):
    """The curd is in its moulds: how many (1 to 500), of which sort by what it is known by; stacked
    in the press, not side by side. The step that fills them is done with it."""

    step: str
    count: int
    mould: str = ""
    stacked: bool = False
    word: Note = ""
    kind: ClassVar[str] = "moulded"
    may_change: ClassVar[frozenset[str]] = frozenset({"count", "mould", "stacked", "word"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Loaded(OfMake):
    """The press is on: kg on the cheese (over 0), None for one that tells none; by what the press
    is known by. The step is begun with it. word, where it is far from the load of this mould, or
    the press is taken."""

    step: str
    load_kg: float | None = None
    press: str = ""
    word: Note = ""
    kind: ClassVar[str] = "loaded"
    may_change: ClassVar[frozenset[str]] = frozenset({"load_kg", "press", "word"})


@dataclass(frozen=True, slots=True)
class TurnedOver(OfMake):
    """The cheese is turned, and in the press redressed."""

    step: str
    kind: ClassVar[str] = "turned"


@dataclass(frozen=True, slots=True)
class Tightened(OfMake):
    """A press without a gauge is screwed down again, as the curd gave."""

    step: str
    kind: ClassVar[str] = "tightened"


@dataclass(frozen=True, slots=True)
class OutOfMould(OfMake):
    """The cheese is out of its moulds: kg of each piece (over 0); together: they were weighed in
    one heap, and each is an equal part. word, where that is far from what was expected."""

    pieces_kg: tuple[float, ...]
    together: bool = False
    word: Note = ""
    kind: ClassVar[str] = "out_of_mould"
    may_change: ClassVar[frozenset[str]] = frozenset({"pieces_kg", "together", "word"})


@dataclass(frozen=True, slots=True, kw_only=True)
class InBrine(OfMake):
    """The cheese goes into a tub of brine, by its id, to lie there until a moment. The step is
    begun with it. word, where the tub is crowded, or holds another sort."""

    step: str
    tub: Id
    until: MomentOrNone = ""
    word: Note = ""
    kind: ClassVar[str] = "in_brine"
    may_change: ClassVar[frozenset[str]] = frozenset({"until", "word"})


@dataclass(frozen=True, slots=True)
class Trimmed(OfMake):
    """What stood out of the cheese is cut off: kg of it."""

    kg: float
    kind: ClassVar[str] = "trimmed"
    may_change: ClassVar[frozenset[str]] = frozenset({"kg"})


WheyTo = Literal["brine", "animals", "land", "kitchen", "thrown"]
WHEY_WORDS: Mapping[WheyTo, str] = {
    "brine": "into a brine",
    "animals": "to the animals",
    "land": "on the land",
    "kitchen": "into the kitchen",
    "thrown": "poured away",
}


@dataclass(frozen=True, slots=True)
class WheyRan(OfMake):
    """All the whey that ran, measured: litres, over 0."""

    litres: float
    word: Note = ""
    kind: ClassVar[str] = "whey_ran"
    may_change: ClassVar[frozenset[str]] = frozenset({"litres", "word"})


@dataclass(frozen=True, slots=True)
class WheyWent(OfMake):
    """Where whey went: litres, over 0, and to what. word, where that is more than ran."""

    litres: float
    to: WheyTo
    word: Note = ""
    kind: ClassVar[str] = "whey_went"
    may_change: ClassVar[frozenset[str]] = frozenset({"litres", "to", "word"})


@dataclass(frozen=True, slots=True)
class TimerSet(OfMake):
    """A timer is set: for what, and minutes (over 0, up to a week).

    slabs: whether stacked slabs were laid or turned with it, so that its end is their next turn.
    """

    minutes: float
    words: Note = ""
    slabs: bool = False
    kind: ClassVar[str] = "timer"


@dataclass(frozen=True, slots=True)
class TimerStopped(OfMake):
    """A timer is heard, or not wanted any more: the id of the deed that set it."""

    timer: Id
    kind: ClassVar[str] = "timer_stopped"


@dataclass(frozen=True, slots=True)
class CalledAway(OfMake):
    """Nobody is at the vat from now on."""

    kind: ClassVar[str] = "away"


@dataclass(frozen=True, slots=True)
class CameBack(OfMake):
    """Somebody is at the vat again."""

    kind: ClassVar[str] = "back"


@dataclass(frozen=True, slots=True)
class Ticked(OfMake):
    """A thing of a list, before the milk goes in or after, is done; off: it is not, after all."""

    key: str
    off: bool = False
    kind: ClassVar[str] = "ticked"


@dataclass(frozen=True, slots=True)
class HelpTaken(OfMake):
    """Help was asked: what was seen, and the cause that was taken for it."""

    sign: Note
    cause: str
    kind: ClassVar[str] = "help"


@dataclass(frozen=True, slots=True)
class Weighed(OfMake):
    """The cheese is weighed: kg of each piece (over 0). It goes to rest.

    word, where it weighs far from what was expected, or its acid was slow; about: nobody weighed
    it, and it is what was expected.
    """

    pieces_kg: tuple[float, ...]
    word: Note = ""
    about: bool = False
    kind: ClassVar[str] = "weighed"
    may_change: ClassVar[frozenset[str]] = frozenset({"pieces_kg", "word", "about"})
    is_folded: ClassVar[bool] = True


@dataclass(frozen=True, slots=True)
class WheyKept(OfMake):
    """Whey was caught: litres, over 0 and no more than twice the milk."""

    litres: float
    kind: ClassVar[str] = "whey_kept"
    is_folded: ClassVar[bool] = True


Became = Literal["back", "fed", "given", "kitchen", "thrown"]
BECAME_WORDS: Mapping[Became, str] = {
    "fed": "fed to the animals",
    "kitchen": "used in the kitchen",
    "given": "given away",
    "thrown": "thrown away",
    "back": "back on the shelf",
}


@dataclass(frozen=True, slots=True)
class GivenUp(OfMake):
    """No cheese comes of it: what became of the milk, and why in a few words.

    back: it was begun by mistake; the milk goes back to where it came from, while nothing has gone
    into it.
    """

    became: Became
    word: Note = ""
    kind: ClassVar[str] = "given_up"
    is_folded: ClassVar[bool] = True


@dataclass(frozen=True, slots=True)
class Counted(OfMake):
    """Whether what this make teaches counts: said at any time, also when it is long at rest.

    counts: None, as its first flocks say.
    """

    counts: bool | None = None
    kind: ClassVar[str] = "counted"
    is_folded: ClassVar[bool] = True


@dataclass(frozen=True, slots=True)
class Amended(OfMake):
    """A deed was other than told: `change` holds what it is now; None takes a value away.

    What may change of each is its `may_change`; of any deed: happened, an ISO moment with its
    offset.
    """

    change: Mapping[str, Any]
    kind: ClassVar[str] = "amend"


@dataclass(frozen=True, slots=True)
class Undone(OfMake):
    """A deed did not happen: a slip of the finger."""

    kind: ClassVar[str] = "undo"


Deed = (
    StepBegun
    | StepDone
    | StepSkipped
    | StepAgain
    | PortionGiven
    | ReadingTaken
    | HeatOff
    | FirstFlocks
    | SetLooked
    | Felt
    | WheyOff
    | WaterAdded
    | AcidGiven
    | CurdWeighed
    | Moulded
    | Loaded
    | TurnedOver
    | Tightened
    | OutOfMould
    | InBrine
    | Trimmed
    | WheyRan
    | WheyWent
    | TimerSet
    | TimerStopped
    | CalledAway
    | CameBack
    | Ticked
    | HelpTaken
    | Weighed
    | WheyKept
    | GivenUp
    | Counted
    | Amended
    | Undone
)
DEEDS: Mapping[str, type[Deed]] = {each.kind: each for each in get_args(Deed)}


@dataclass(frozen=True, slots=True, kw_only=True)
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


def amended(target: Told, mending: Amended) -> Told:
    """A deed as it is after an amendment.

    Parameters: target, the deed; mending, what is said of it, each part one that may change.
    Raises: OutOfRange by part. Source: derivation.
    """
    change = dict(mending.change)
    happened = change.pop("happened", None)
    deed = target.deed
    if change:
        known = readers(type(deed))
        parts = {
            key: blank(type(deed), key) if told is None else known[key](told, key)
            for key, told in change.items()
        }
        deed = replace(deed, **parts)
    if happened is None:
        return replace(target, deed=deed)
    moment = moment_of(happened)
    return replace(target, deed=deed, happened=moment, offset=timedelta(0))
