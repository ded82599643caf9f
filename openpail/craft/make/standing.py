"""What the deeds of a make come to, whatever the moment; and as it is kept beside the make."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from itertools import pairwise
from typing import Any, TypeVar

from openpail.craft.deed import to_payload
from openpail.craft.house import House
from openpail.craft.make.deeds import (
    AcidGiven,
    Became,
    CalledAway,
    CameBack,
    CurdWeighed,
    Deed,
    HelpTaken,
    InBrine,
    Loaded,
    Moulded,
    OutOfMould,
    PortionGiven,
    SetLooked,
    StepDone,
    Ticked,
    Tightened,
    Trimmed,
    TurnedOver,
    WaterAdded,
    WheyOff,
    WheyRan,
    WheyWent,
)
from openpail.craft.make.plain import read
from openpail.craft.recipe.recipe import Recipe

_SLIPS_TOLD = 7

MOST_TAPS = 200
MOST_DRAWN = 96
NEWEST_TOLD = 24
_HOURS_KEPT = 96


def odd_flocks(minutes: float, expected_min: float, house: House) -> bool:
    """Whether first flocks come too far from what was expected to be believed without a word.

    Parameters: minutes after the rennet; expected_min; house. Source: house value.
    """
    most = house.number("ask.flocks")
    return not 1 / most <= minutes / expected_min <= most


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """A reading as it stands: °C, pH, words, % lactic acid; None and "" are not read."""

    id: str
    at: datetime
    celsius: float | None = None
    ph: float | None = None
    note: str = ""
    amended: bool = False
    acid_pct: float | None = None


@dataclass(frozen=True, slots=True)
class Done:
    """By which deed, and when."""

    id: str
    at: datetime


@dataclass(frozen=True, slots=True)
class Caught:
    """Whey that was caught: by which deed, when, litres."""

    id: str
    at: datetime
    litres: float


@dataclass(frozen=True, slots=True)
class Ended:
    """No cheese came of it: when, what became of the milk, why."""

    at: datetime
    became: Became
    word: str


@dataclass(frozen=True, slots=True)
class Tap:
    """A deed that the standing keeps whole: by its id, when it happened."""

    id: str
    at: datetime
    deed: Deed


_COUNT_FOR_EVER = (
    *(StepDone, PortionGiven, SetLooked, WheyOff, WaterAdded, AcidGiven, CurdWeighed),
    *(HelpTaken, Moulded, Loaded, OutOfMould, InBrine, Trimmed, WheyRan, WheyWent),
)
D = TypeVar("D", bound=Deed)


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """What the deeds of a make come to, whatever the moment.

    done: by step, the ones that were left out among them, and skipped says why; begun: when a step
    was begun, where somebody said so; again: how often a step was taken up once more; readings, and
    the count of all there were; met: of steps that were ended more than once, the deeds that were
    not the first; culture_at, when the culture went in that works now, and cultured_at the very
    first: a packet given once more begins no hours anew; flocks_count, what the maker said of
    whether it teaches, its flocks first of all; word, that came with the weight; about: nobody
    weighed it; ended, when it was given up; taps, what else was told, whole.
    """

    done: Mapping[str, Done]
    readings: tuple[Reading, ...] = ()
    count: int = 0
    culture_at: datetime | None = None
    cultured_at: datetime | None = None
    rennet_at: datetime | None = None
    flocks: Done | None = None
    weighed: Done | None = None
    pieces_kg: tuple[float, ...] = ()
    whey: tuple[Caught, ...] = ()
    met: tuple[str, ...] = ()
    flocks_count: bool | None = None
    word: str = ""
    about: bool = False
    ended: Ended | None = None
    skipped: Mapping[str, str] = field(default_factory=dict)
    begun: Mapping[str, datetime] = field(default_factory=dict)
    again: Mapping[str, int] = field(default_factory=dict)
    taps: tuple[Tap, ...] = ()

    @property
    def flocks_min(self) -> float | None:
        """Minutes from the rennet to the first flocks, None before both are known."""
        if self.flocks is None or self.rennet_at is None or self.flocks.at <= self.rennet_at:
            return None
        return (self.flocks.at - self.rennet_at).total_seconds() / 60

    def taught_min(self, expected_min: float | None, house: House) -> float | None:
        """`flocks_min`, where it teaches of the bottle: not when it is too far from what was
        expected, unless the maker says that it counts; never when they say not. The cut follows
        what was seen, whatever it teaches."""
        seen = self.flocks_min
        if seen is None or self.flocks_count is False:
            return None
        odd = bool(expected_min) and odd_flocks(seen, expected_min or 0.0, house)
        return None if odd and not self.flocks_count else seen

    def of(self, sort: type[D]) -> list[tuple[Tap, D]]:
        """What was told of one sort, in order."""
        return [(each, each.deed) for each in self.taps if isinstance(each.deed, sort)]

    def litres_told(
        self, sort: type[WheyOff] | type[WaterAdded], since: datetime, till: datetime
    ) -> list[float]:
        """Whey that was told off, or water in, from a moment till another, L."""
        return [deed.litres for tap, deed in self.of(sort) if since <= tap.at <= till]

    def gave(self, step: str) -> Mapping[str, float]:
        """What a step really gave, by ingredient, where that was said."""
        said = [deed.gave for _, deed in self.of(StepDone) if deed.step == step]
        return said[-1] if said else {}

    def bottles(self, step: str) -> Mapping[str, str]:
        """The lots that a step's ingredients really came from, where that was said."""
        said = [deed.bottles for _, deed in self.of(StepDone) if deed.step == step]
        return said[-1] if said else {}

    def portions(self, step: str) -> list[datetime]:
        """When the parts of what a step gives went in, since it was last taken up."""
        taken_up = self._since_taken_up(PortionGiven, step)
        return [tap.at for tap, deed in taken_up if deed.step == step]

    @property
    def away_since(self) -> datetime | None:
        """Since when nobody is at the vat, None while somebody is."""
        told = [each for each in self.taps if isinstance(each.deed, CalledAway | CameBack)]
        return told[-1].at if told and isinstance(told[-1].deed, CalledAway) else None

    @property
    def last_away(self) -> tuple[datetime, datetime] | None:
        """From when to when nobody was at the vat the last time, None while it lasts or never."""
        told = [each for each in self.taps if isinstance(each.deed, CalledAway | CameBack)]
        if len(told) <= 1 or not isinstance(told[-1].deed, CameBack):
            return None
        before = told[-2]
        return (before.at, told[-1].at) if isinstance(before.deed, CalledAway) else None

    @property
    def curd_kg(self) -> float | None:
        """What the curd weighed before it was salted, kg; None while it is not weighed."""
        weighed = [deed.kg for _, deed in self.of(CurdWeighed)]
        return weighed[-1] if weighed else None

    @property
    def moulded(self) -> Moulded | None:
        """The moulds it is in, None while nobody said."""
        told = self.of(Moulded)
        return told[-1][1] if told else None

    @property
    def out_of_mould(self) -> OutOfMould | None:
        """What it weighed out of its moulds, None while it is not weighed."""
        told = self.of(OutOfMould)
        return told[-1][1] if told else None

    def loaded(self, step: str) -> Loaded | None:
        """What presses at a step since it was last taken up, None while nothing does."""
        told = [deed for tap, deed in self._since_taken_up(Loaded, step) if deed.step == step]
        return told[-1] if told else None

    def in_brine(self, step: str) -> InBrine | None:
        """The tub that it lies in at a step, or lay in, None while it was in none."""
        told = [deed for _, deed in self._since_taken_up(InBrine, step) if deed.step == step]
        return told[-1] if told else None

    def turned(self, step: str) -> list[datetime]:
        """When it was turned at a step, since that was last taken up."""
        return [tap.at for tap, deed in self._since_taken_up(TurnedOver, step) if deed.step == step]

    def tightened(self, step: str) -> list[datetime]:
        """When its press was screwed down again."""
        return [tap.at for tap, deed in self._since_taken_up(Tightened, step) if deed.step == step]

    def _since_taken_up(self, sort: type[D], step: str) -> list[tuple[Tap, D]]:
        since = self.begun.get(step) if step in self.again else None
        return [each for each in self.of(sort) if since is None or each[0].at >= since]

    @property
    def ticked(self) -> frozenset[str]:
        """What of the lists is done."""
        found: set[str] = set()
        for _, deed in self.of(Ticked):
            (found.discard if deed.off else found.add)(deed.key)
        return frozenset(found)


NOTHING_DONE = Standing(done={})


def whey_off_l(recipe: Recipe, standing: Standing, milk_l: float) -> float:
    """Whey that was taken off so far, L: as it was told, else what the recipe takes off.

    Parameters: recipe; standing; milk_l, that went in. Source: derivation.
    """
    told = sum(deed.litres for _, deed in standing.of(WheyOff))
    if told:
        return told
    return sum(
        (step.share or 0.0) * milk_l
        for step in recipe.steps
        if step.key in standing.done and step.key not in standing.skipped
    )


def newest(readings: Sequence[Reading], count: int = NEWEST_TOLD) -> tuple[Reading, ...]:
    """The last so many readings. Parameters: readings in order; count. Source: derivation."""
    return tuple(readings[-count:])


def thinned(readings: Sequence[Reading], most: int = MOST_DRAWN) -> tuple[Reading, ...]:
    """Readings few enough to draw: the first, the last, and one of each stretch between them.

    Of a stretch it is the one farthest off the line from the one drawn before to the middle of
    the next stretch, so that no peak is lost.
    Parameters: readings with a temperature, by time; most, 3 or more. Source: derivation.
    """
    if len(readings) <= most:
        return tuple(readings)
    points = [(each.at.timestamp(), each.celsius or 0.0) for each in readings]
    ends = [1 + number * (len(readings) - 2) // (most - 2) for number in range(most - 1)]
    stretches = [*pairwise(ends), (len(readings) - 1, len(readings))]
    found = [0]
    for (begin, end), (after, last) in pairwise(stretches):
        x, y = points[found[-1]]
        to_x = sum(point[0] for point in points[after:last]) / (last - after)
        to_y = sum(point[1] for point in points[after:last]) / (last - after)
        slope = (to_y - y) / (to_x - x) if to_x > x else 0.0
        off = [abs(points[n][1] - y - slope * (points[n][0] - x)) for n in range(begin, end)]
        found.append(begin + off.index(max(off)))
    return tuple(readings[number] for number in (*found, len(readings) - 1))


# ── kept ──


def drawn(standing: Standing) -> Standing:
    """The standing with as many readings as are told and drawn, however many there were.

    The newest, the last of pH, and the temperatures thinned. Source: derivation.
    """
    sour = [each for each in standing.readings if each.ph is not None]
    warm = thinned([each for each in standing.readings if each.celsius is not None])
    told = (*warm, *newest(sour), *_sweetest_of_hours(sour), *newest(standing.readings))
    kept = {each.id: each for each in told}
    readings = tuple(sorted(kept.values(), key=lambda each: (each.at, each.id)))
    return replace(standing, readings=readings, taps=_few(standing.taps))


def _few(taps: Sequence[Tap]) -> tuple[Tap, ...]:
    """The taps that something hangs on, and the newest of all others: of ticks and of help the last
    word of each, of signs and clocks no more than a page would ever tell."""
    last = {_same(tap): tap.id for tap in taps}
    standing = [tap for tap in taps if last[_same(tap)] == tap.id]
    others = [tap.id for tap in standing if not isinstance(tap.deed, _COUNT_FOR_EVER)]
    newest_of_others = set(others[-MOST_TAPS:])
    return tuple(
        tap
        for tap in standing
        if isinstance(tap.deed, _COUNT_FOR_EVER) or tap.id in newest_of_others
    )


def _same(tap: Tap) -> tuple[str, ...]:
    """What two taps have in common when the later one takes the place of the other."""
    match tap.deed:
        case Ticked(key):
            return tap.deed.kind, key
        case HelpTaken(sign, cause):
            return tap.deed.kind, sign, cause
        case Moulded(step=step) | Loaded(step=step) | InBrine(step=step):
            return tap.deed.kind, step
        case OutOfMould() | WheyRan():
            return (tap.deed.kind,)
    return tap.deed.kind, tap.id


def _sweetest_of_hours(sour: Sequence[Reading]) -> list[Reading]:
    """The sweetest pH of each hour: a stop for slow acid is judged by it for ever."""
    sweetest: dict[datetime, Reading] = {}
    for each in sour:
        hour = each.at.replace(minute=0, second=0, microsecond=0)
        if hour not in sweetest or (each.ph or 0.0) > (sweetest[hour].ph or 0.0):
            sweetest[hour] = each
    return list(sweetest.values())[:_HOURS_KEPT]


def to_json(standing: Standing) -> dict[str, Any]:
    """A standing as plain data. Source: derivation."""
    return {
        "done": {key: _done_json(each) for key, each in standing.done.items()},
        "readings": [
            [
                each.id,
                each.at.isoformat(),
                each.celsius,
                each.ph,
                each.note,
                each.amended,
                each.acid_pct,
            ]
            for each in standing.readings
        ],
        "count": standing.count,
        "culture_at": standing.culture_at.isoformat() if standing.culture_at else None,
        "cultured_at": standing.cultured_at.isoformat() if standing.cultured_at else None,
        "rennet_at": standing.rennet_at.isoformat() if standing.rennet_at else None,
        "flocks": _done_json(standing.flocks) if standing.flocks else None,
        "weighed": _done_json(standing.weighed) if standing.weighed else None,
        "pieces_kg": list(standing.pieces_kg),
        "whey": [[each.id, each.at.isoformat(), each.litres] for each in standing.whey],
        "met": list(standing.met),
        "flocks_count": standing.flocks_count,
        "word": standing.word,
        "about": standing.about,
        "skipped": dict(standing.skipped),
        "begun": {key: at.isoformat() for key, at in standing.begun.items()},
        "again": dict(standing.again),
        "taps": [
            [each.id, each.at.isoformat(), each.deed.kind, to_payload(each.deed)]
            for each in standing.taps
        ],
        "ended": standing.ended
        and [standing.ended.at.isoformat(), standing.ended.became, standing.ended.word],
    }


def lacks_its_first_culture(data: Mapping[str, Any]) -> bool:
    """Whether plain data were kept before the first culture was kept beside the last, of a make in
    which a step was taken up once more: its deeds know, and its standing does not.

    Parameters: data, as `to_json` wrote it once. Source: derivation.
    """
    return bool(data) and "cultured_at" not in data and bool(data.get("again"))


def _done_json(each: Done) -> list[str]:
    return [each.id, each.at.isoformat()]


def from_json(data: Mapping[str, Any]) -> Standing:
    """Read back what `to_json` wrote.

    Parameters: data; {} is a make of which nothing was told yet. Raises: KeyError for other JSON.
    """
    if not data:
        return NOTHING_DONE
    return Standing(
        done={key: _done_from(each) for key, each in data["done"].items()},
        readings=tuple(
            Reading(
                id=key,
                at=datetime.fromisoformat(at),
                celsius=celsius,
                ph=ph,
                note=note,
                amended=amended,
                acid_pct=acid_pct,
            )
            for key, at, celsius, ph, note, amended, acid_pct in map(_seven, data["readings"])
        ),
        count=data["count"],
        culture_at=_moment_from(data["culture_at"]),
        cultured_at=_moment_from(data.get("cultured_at", data["culture_at"])),
        rennet_at=_moment_from(data["rennet_at"]),
        flocks=_done_from(data["flocks"]) if data["flocks"] else None,
        weighed=_done_from(data["weighed"]) if data["weighed"] else None,
        pieces_kg=tuple(data["pieces_kg"]),
        whey=tuple(
            Caught(key, datetime.fromisoformat(at), litres) for key, at, litres in data["whey"]
        ),
        met=tuple(data["met"]),
        flocks_count=data.get("flocks_count"),
        word=data.get("word", ""),
        about=data.get("about", False),
        ended=_ended_from(data.get("ended")),
        skipped=data.get("skipped", {}),
        begun={key: datetime.fromisoformat(at) for key, at in data.get("begun", {}).items()},
        again=data.get("again", {}),
        taps=tuple(
            Tap(key, datetime.fromisoformat(at), read(kind, payload))
            for key, at, kind, payload in data.get("taps", ())
        ),
    )


def _seven(kept: Sequence[Any]) -> Sequence[Any]:
    """A reading as it was kept before an acidity could be told, made whole."""
    return (*kept, None) if len(kept) < _SLIPS_TOLD else kept


def _ended_from(data: Sequence[Any] | None) -> Ended | None:
    return Ended(datetime.fromisoformat(data[0]), data[1], data[2]) if data else None


def _done_from(data: Sequence[str]) -> Done:
    return Done(data[0], datetime.fromisoformat(data[1]))


def _moment_from(text: str | None) -> datetime | None:
    return datetime.fromisoformat(text) if text else None
