"""What cannot have happened in a make is refused; what is far from expected is asked.

What may be true is never refused for good: it is kept with a word. Only whoever stands at the vat
is asked; what comes later, of a device that was away, is kept as it is.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import MISSING, fields
from datetime import datetime, timedelta

from openpail.craft.dates import UNDO_WITHIN
from openpail.craft.deed import moment_of
from openpail.craft.errors import NotPossible, OutOfRange, Unknown
from openpail.craft.make.asks import ask
from openpail.craft.make.at_press import MOST_PIECES, check_at_press
from openpail.craft.make.bounds import Bounds
from openpail.craft.make.deeds import (
    AcidGiven,
    Amended,
    Counted,
    CurdWeighed,
    Deed,
    Felt,
    FirstFlocks,
    GivenUp,
    HelpTaken,
    InBrine,
    Loaded,
    Moulded,
    OutOfMould,
    PortionGiven,
    ReadingTaken,
    SetLooked,
    StepAgain,
    StepBegun,
    StepDone,
    StepSkipped,
    Ticked,
    TimerSet,
    TimerStopped,
    Told,
    Undone,
    WaterAdded,
    Weighed,
    WheyKept,
    WheyOff,
    amended,
)
from openpail.craft.make.help import check_help
from openpail.craft.make.order import portions_of, set_step, waits_for
from openpail.craft.make.signs import check_sign

_BOILING_C = 100.0

COLDEST_C, HOTTEST_C = -2.0, 105.0
LEAST_PH, MOST_PH = 3.0, 9.0
MOST_ACID_PCT = 3.0
LONGEST_NOTE, LONGEST_NAME = 500, 80
MOST_TIMERS = 20
LONGEST_TIMER_MIN = 7 * 1440.0
AHEAD = timedelta(minutes=2)
BEFORE_START = timedelta(hours=1)
LEAST_WORD = 4
LIVE = timedelta(minutes=5)


def check(told: Told, bounds: Bounds) -> None:
    """Refuse what cannot have happened in this make, in words; ask for a word where it is odd.

    Parameters: told; bounds. Raises: OutOfRange, NotPossible or Unknown, each naming the field
    that it speaks of; about “word” is a question, answered by the deed's own word.
    Source: house value.
    """
    if isinstance(told.deed, Amended | Undone):
        _check_mending(told, bounds)
        return
    if told.amends is not None:
        raise NotPossible("Only an amendment or an undo speaks of another deed.", "amends")
    check_moment(told.at, bounds)
    late = bounds.rested_at is not None and told.at > bounds.rested_at
    if late and not isinstance(told.deed, Counted):
        raise NotPossible("This make is at rest: what belongs to it can be amended, nothing added.")
    _check_deed(told.deed, told.at, bounds)
    if isinstance(told.deed, Weighed) and bounds.slow and len(told.deed.word) < LEAST_WORD:
        raise OutOfRange(
            f"{bounds.slow} If it goes to rest all the same, write why; the mark stays on it.",
            "word",
        )
    if bounds.by_hand or bounds.now - told.at <= LIVE:
        _check_order(told.deed, bounds)
        if len(getattr(told.deed, "word", "") or getattr(told.deed, "note", "")) < LEAST_WORD:
            ask(told.deed, told.at, bounds)


def check_moment(at: datetime, bounds: Bounds) -> None:
    """Refuse a moment outside the make.

    Parameters: at; bounds of the make. Raises: OutOfRange. Source: house value.
    """
    if at > bounds.now + AHEAD:
        raise OutOfRange("That has not happened yet. Look at the time.", "happened")
    if at < bounds.started - BEFORE_START:
        raise OutOfRange("That was before this make began. Look at the time.", "happened")


def _check_deed(deed: Deed, at: datetime, bounds: Bounds) -> None:
    step = getattr(deed, "step", "")
    if step and step not in bounds.steps:
        raise Unknown(f"This recipe has no step “{step}”.", "step")
    for words in (getattr(deed, "word", ""), getattr(deed, "note", "")):
        if len(words) > LONGEST_NOTE:
            raise OutOfRange(f"At most {LONGEST_NOTE} letters, please.", "note")
    match deed:
        case StepBegun() | StepDone() | StepAgain() | PortionGiven() | StepSkipped():
            _check_step(deed, bounds)
        case ReadingTaken():
            check_reading(deed)
        case Weighed(pieces) | OutOfMould(pieces):
            check_pieces(pieces, bounds)
        case GivenUp():
            _check_given_up(deed, bounds)
        case WheyKept() | WheyOff() | WaterAdded() | AcidGiven() | CurdWeighed():
            _check_amount(deed, bounds)
        case Felt() | HelpTaken():
            _check_seen(deed)
        case TimerSet() | TimerStopped() | Ticked():
            _check_timer_or_tick(deed, bounds)
        case _:
            check_at_press(deed, at, bounds)


def _check_step(
    deed: StepBegun | StepDone | StepAgain | PortionGiven | StepSkipped, bounds: Bounds
) -> None:
    match deed:
        case StepBegun("") | StepDone(step="") | StepAgain("") | PortionGiven("") | StepSkipped(""):
            raise Unknown("Say which step.", "step")
        case StepDone(gave=gave, bottles=bottles):
            _check_given({**dict.fromkeys(bottles, 0.0), **gave}, bounds)
            unsaid = sorted(set(bottles) - set(gave))
            if unsaid:
                raise OutOfRange("Say how much of the other bottle went in.", f"gave-{unsaid[0]}")
        case StepSkipped(_, word) if len(word) < LEAST_WORD:
            raise OutOfRange("Write in a few words why it is left out.", "word")
        case PortionGiven(key) if bounds.recipe and portions_of(bounds.recipe, key) <= 1:
            raise NotPossible("This step gives all at once.", "step")


def _check_amount(
    deed: WheyKept | WheyOff | WaterAdded | AcidGiven | CurdWeighed, bounds: Bounds
) -> None:
    match deed:
        case WheyKept(litres) if not 0 < litres <= 2 * bounds.milk_l:
            most = 2 * bounds.milk_l
            raise OutOfRange(f"Write how much whey there is, up to {most:.0f} L.", "litres")
        case WheyOff(litres) if not 0 < litres <= bounds.milk_l:
            raise OutOfRange(
                f"Write how much whey came off, up to the {bounds.milk_l:.1f} L of the milk.",
                "litres",
            )
        case WaterAdded(litres) if not 0 < litres <= 2 * bounds.milk_l:
            raise OutOfRange("Write how much water went in.", "litres")
        case WaterAdded(_, celsius) if not 0 <= celsius <= _BOILING_C:
            raise OutOfRange("Water is between 0 and 100 °C.", "celsius")
        case AcidGiven(amount) if amount <= 0:
            raise OutOfRange("Write how much acid went in.", "amount")
        case CurdWeighed(kg) if not 0 < kg <= (bounds.milk_kg or 2 * bounds.milk_l):
            raise OutOfRange("Weigh the curd: it is less than the milk was.", "kg")


def _check_given(given: Mapping[str, float], bounds: Bounds) -> None:
    if bounds.recipe is None:
        return
    known = {each.key for each in bounds.recipe.ingredients}
    for key, amount in given.items():
        if key not in known:
            raise Unknown(f"This recipe has nothing called “{key}”.", "gave")
        if amount < 0:
            raise OutOfRange("What is given is not less than nothing.", f"gave-{key}")


def _check_given_up(deed: GivenUp, bounds: Bounds) -> None:
    if bounds.rested_at is not None:
        raise NotPossible("It has gone to rest: its cheeses are ended one by one.", "became")
    if deed.became == "back" and bounds.into_it:
        raise NotPossible(
            f"{bounds.into_it} has gone into this milk: it is no milk for the pail any "
            "more. Give the make up, and say what became of it.",
            "became",
        )
    if deed.became != "back" and len(deed.word) < LEAST_WORD:
        raise OutOfRange("Write in a few words why it is given up.", "word")


def _check_seen(deed: Felt | HelpTaken) -> None:
    if isinstance(deed, HelpTaken):
        check_help(deed.sign, deed.cause)
        return
    if not (deed.sign or deed.note or deed.file):
        raise OutOfRange("Say what was felt or seen.", "sign")
    if bool(deed.sign) != bool(deed.of) or bool(deed.file) != bool(deed.file_sort):
        raise OutOfRange("Say of what this sign is.", "of")
    if deed.of:
        check_sign(deed.of, deed.sign)


def _check_timer_or_tick(deed: TimerSet | TimerStopped | Ticked, bounds: Bounds) -> None:
    match deed:
        case TimerSet(minutes, words):
            if not 0 < minutes <= LONGEST_TIMER_MIN:
                raise OutOfRange("A timer runs from a second to a week.", "minutes")
            if len(words) > LONGEST_NAME:
                raise OutOfRange(f"At most {LONGEST_NAME} letters, please.", "words")
            told = bounds.told.values()
            stopped = {each.deed.timer for each in told if isinstance(each.deed, TimerStopped)}
            set_ = [each for each in told if isinstance(each.deed, TimerSet)]
            if len([each for each in set_ if each.id not in stopped]) >= MOST_TIMERS:
                raise NotPossible(f"{MOST_TIMERS} timers run already: stop one first.", "minutes")
        case TimerStopped(timer):
            set_by = bounds.told.get(timer)
            if set_by is None or not isinstance(set_by.deed, TimerSet):
                raise Unknown("There is no such timer.", "timer")
        case Ticked(key):
            if not 0 < len(key) <= LONGEST_NAME:
                raise Unknown("There is no such thing on the list.", "key")


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


def _check_order(deed: Deed, bounds: Bounds) -> None:
    """No step before what it waits for; none once more when what follows is done."""
    recipe, day = bounds.recipe, bounds.day
    if recipe is None or day is None:
        return
    done = {each.planned.step.key for each in day.steps if each.done_at}
    if isinstance(deed, Loaded | InBrine) and deed.step in done:
        raise NotPossible("This step is done: take it up once more first.", "step")
    match deed:
        case (
            StepBegun(step)
            | StepDone(step=step)
            | PortionGiven(step)
            | Moulded(step=step)
            | Loaded(step=step)
            | InBrine(step=step)
        ) if step not in done:
            open_ones = [each for each in waits_for(recipe, step) if each.key not in done]
            if open_ones:
                raise NotPossible(
                    f"First comes “{open_ones[0].title}”: end it, or leave it out with a word.",
                    "step",
                )
        case StepAgain(step):
            if step not in done:
                raise NotPossible("It is not ended yet: go on with it.", "step")
            keys = [each.key for each in recipe.steps]
            later = keys[keys.index(step) + 1 :]
            ended = [
                key for key in later if key in done and recipe.step(step) in waits_for(recipe, key)
            ]
            if ended:
                title = recipe.step(ended[0]).title
                raise NotPossible(f"“{title}” came after it and is done already.", "step")
        case FirstFlocks() | SetLooked() if bounds.rennet_at is None and recipe.ingredient(
            "rennet"
        ):
            raise NotPossible("There is no rennet in it yet.", "step")
        case SetLooked() if set_step(recipe) in done:
            raise NotPossible("The set is ended already.", "step")


def check_reading(deed: ReadingTaken) -> None:
    """Refuse what no vat shows.

    Parameters: deed, °C and pH. Raises: OutOfRange by field. Source: our own judgement.
    """
    if deed.celsius is None and deed.ph is None and deed.acid_pct is None and not deed.note:
        raise OutOfRange("Write what was read: a temperature, a pH or a note.", "celsius")
    if deed.celsius is not None and not COLDEST_C <= deed.celsius <= HOTTEST_C:
        raise OutOfRange("No vat is that cold or that hot. Look again.", "celsius")
    if deed.ph is not None and not LEAST_PH <= deed.ph <= MOST_PH:
        raise OutOfRange(f"A pH here lies between {LEAST_PH:g} and {MOST_PH:g}.", "ph")
    if deed.acid_pct is not None and not 0 <= deed.acid_pct <= MOST_ACID_PCT:
        raise OutOfRange(f"An acidity here is at most {MOST_ACID_PCT:g} % lactic acid.", "acid_pct")
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
        check_moment(moment_of(change.pop("happened")), bounds)
    allowed = target.deed.may_change
    strange = sorted(set(change) - allowed)
    if strange:
        raise Unknown(f"“{strange[0]}” does not belong to what is mended.", strange[0])
    if not told.deed.change:
        raise OutOfRange("Say what is to be mended.", "change")
    needed = {each.name for each in fields(target.deed) if each.default is MISSING}
    blank = sorted(key for key, value in change.items() if value is None and key in needed)
    if blank:
        raise OutOfRange("Write what it was, or take the whole of it back.", blank[0])
    mended = amended(target, told.deed)
    _check_deed(mended.deed, mended.at, bounds)
    if isinstance(mended.deed, StepDone) and "happened" in told.deed.change:
        _ask_neighbours(mended.deed, mended.at, bounds)


def _ask_neighbours(deed: StepDone, at: datetime, bounds: Bounds) -> None:
    """A step that would end before one that it waits for, or after one that waited for it."""
    day, recipe = bounds.day, bounds.recipe
    if day is None or recipe is None or len(deed.word) >= LEAST_WORD:
        return
    for state in day.steps:
        step, done = state.planned.step, state.done_at
        if done is None or state.skipped or step.key == deed.step:
            continue
        before = step in waits_for(recipe, deed.step) and at < done
        if before or (recipe.step(deed.step) in waits_for(recipe, step.key) and at > done):
            raise OutOfRange(
                f"It would end {_moment(at, bounds)} then, {'before' if before else 'after'} "
                f"“{step.title}”, which ended {_moment(done, bounds)}. Look at the day; write a "
                "word beside it if it is so.",
                "happened",
            )


def _moment(at: datetime, bounds: Bounds) -> str:
    return f"{at.astimezone(bounds.zone):%a %H:%M}"
