"""A tub of brine as it lives: what is told of it, and where that leaves it.

A tub is made once, and from then on known by readings or batch by batch: each batch takes salt out
and leaves water in. The same deeds in any order of arrival, with repeats, come to the same tub.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from datetime import datetime, timedelta
from typing import Any, ClassVar, Literal, get_args

from openpail.craft.errors import NotPossible, OutOfRange, Unknown
from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.salt.brine import (
    READ_WORDS,
    SATURATED_PCT,
    ReadBy,
    after_batch,
    density_20,
    strength,
    to_freshen,
)

Floats = Literal["sinks", "just", "high"]
FLOAT_WORDS: Mapping[Floats, str] = {
    "sinks": "it sinks, or hangs in the middle",
    "just": "it just floats",
    "high": "it floats a finger high",
}
LONGEST_WORDS = 300
LEAST_WORD = 4
_AHEAD = timedelta(minutes=2)
_ODD_PCT = 2.0
_LONGEST_STORY = 12
_LAST = 2**31
_BRIM = 1.02  # nobody fills to a hair
_MOST_L = 5_000.0


@dataclass(frozen=True, slots=True)
class Made:
    """Brine is made, or bought, or whey is salted: litres of it in the tub, % salt; whey: it is of
    whey, strained and heated, with its own calcium and acid."""

    litres: float
    pct: float
    whey: bool = False
    kind: ClassVar[str] = "made"


@dataclass(frozen=True, slots=True)
class Read:
    """Its strength is read: value on the scale of an instrument, °C of the brine; pH where it was
    read too; litres that stand in the tub, where somebody looked. word, where it is far from what
    was expected."""

    value: float
    by: ReadBy
    celsius: float = 20.0
    ph: float | None = None
    litres: float | None = None
    word: str = ""
    kind: ClassVar[str] = "read"


@dataclass(frozen=True, slots=True)
class PhRead:
    """Its pH is read, or set with vinegar and read again."""

    ph: float
    kind: ClassVar[str] = "ph"


@dataclass(frozen=True, slots=True)
class Floated:
    """How a cheese lies in it: a sign, not a figure."""

    how: Floats
    kind: ClassVar[str] = "floated"


@dataclass(frozen=True, slots=True)
class SaltIn:
    """Salt goes into it: kg; word, where that is more than it can hold."""

    kg: float
    word: str = ""
    kind: ClassVar[str] = "salt_in"


@dataclass(frozen=True, slots=True)
class WaterIn:
    """Water goes into it: litres."""

    litres: float
    kind: ClassVar[str] = "water_in"


@dataclass(frozen=True, slots=True)
class CalciumIn:
    """Calcium chloride goes into it: g of the dihydrate."""

    grams: float
    kind: ClassVar[str] = "calcium_in"


@dataclass(frozen=True, slots=True)
class Cleaned:
    """It was strained through a cloth, or boiled, skimmed and cooled."""

    how: Literal["strained", "boiled"]
    kind: ClassVar[str] = "cleaned"


@dataclass(frozen=True, slots=True)
class Discarded:
    """It is poured away, and why."""

    word: str
    kind: ClassVar[str] = "discarded"


@dataclass(frozen=True, slots=True)
class TubUndone:
    """A deed did not happen: a slip of the finger."""

    kind: ClassVar[str] = "undo"


TubDeed = (
    Made | Read | PhRead | Floated | SaltIn | WaterIn | CalciumIn | Cleaned | Discarded | TubUndone
)
TUB_DEEDS: Mapping[str, type[TubDeed]] = {each.kind: each for each in get_args(TubDeed)}
_WORDS = frozenset({"by", "how", "word"})
_NUMBERS = frozenset({"litres", "pct", "value", "celsius", "ph", "kg", "grams"})


@dataclass(frozen=True, slots=True)
class TubTold:
    """A deed as it was told: its id, when, of which deed it speaks where it mends one, and the
    count of the deeds before it, which tells two of one moment apart."""

    id: str
    deed: TubDeed
    at: datetime
    amends: str | None = None
    counter: int = 0


@dataclass(frozen=True, slots=True)
class Batch:
    """What a batch of cheese took out of the brine: when it came out, kg of salt, what it was."""

    at: datetime
    salt_kg: float
    words: str = ""


def read_deed(kind: str, payload: Mapping[str, Any]) -> TubDeed:
    """A deed from plain data. Raises: Unknown, OutOfRange by field.

    Parameters: kind, its name; payload, its fields.
    """
    if kind not in TUB_DEEDS:
        raise Unknown(f"“{kind}” is no deed of a brine.", "deed")
    sort = TUB_DEEDS[kind]
    names = {each.name for each in fields(sort)}
    strange = sorted(set(payload) - names)
    if strange:
        raise Unknown(f"“{strange[0]}” does not belong to this deed.", strange[0])
    told: dict[str, Any] = {}
    for key, value in payload.items():
        if value is None:
            continue
        if key in _NUMBERS:
            if isinstance(value, bool) or not isinstance(value, int | float):
                raise OutOfRange("Write a number.", key)
            told[key] = float(value)
        elif key in _WORDS:
            told[key] = str(value)
        else:
            told[key] = bool(value)
    try:
        return sort(**told)
    except TypeError:
        missing = sorted(names - set(told))
        raise OutOfRange(f"“{missing[0]}” is not said.", missing[0]) from None


def to_payload(deed: TubDeed) -> dict[str, Any]:
    """A deed as plain data: what `read_deed` takes. Source: derivation."""
    told = {each.name: getattr(deed, each.name) for each in fields(deed)}
    return {key: value for key, value in told.items() if value not in (None, "", False)}


@dataclass(frozen=True, slots=True)
class TubStanding:
    """Where a tub stands.

    brine_kg in it, None before it is made; pct, its strength, with how it is known; read_at, when
    it was last read by an instrument; batches since then; age from made_at; calcium_g of the
    dihydrate given in all; ph, last read.
    """

    brine_kg: float | None = None
    pct: Figure | None = None
    made_at: datetime | None = None
    is_whey: bool = False
    read_at: datetime | None = None
    batches: int = 0
    batches_ever: int = 0
    ph: float | None = None
    ph_at: datetime | None = None
    calcium_g: float = 0.0
    strained_at: datetime | None = None
    boiled_at: datetime | None = None
    batches_since_boiled: int = 0
    ended_at: datetime | None = None

    @property
    def litres(self) -> float:
        """How much stands in it, L at 20 °C."""
        if self.brine_kg is None or self.pct is None:
            return 0.0
        return self.brine_kg / density_20(min(SATURATED_PCT, self.pct.value))

    @property
    def salt_kg(self) -> float:
        """Salt in it."""
        if self.brine_kg is None or self.pct is None:
            return 0.0
        return self.brine_kg * self.pct.value / 100

    @property
    def calcium_g_per_l(self) -> float:
        """Calcium chloride given, g of the dihydrate in a litre."""
        return self.calcium_g / self.litres if self.litres else 0.0


NEW = TubStanding()


def fold(told: Iterable[TubTold], batches: Iterable[Batch], house: House) -> TubStanding:
    """What the deeds of a tub, and the batches that lay in it, come to.

    Parameters: told, in any order, each as often as it arrived; batches that came out of it; house,
    for the signs. Source: mass balance.
    """
    once = {each.id: each for each in told}
    undone = {each.amends for each in once.values() if isinstance(each.deed, TubUndone)}
    events: list[tuple[datetime, int, str, TubTold | Batch]] = [
        (each.at, each.counter, each.id, each)
        for each in once.values()
        if each.id not in undone and not isinstance(each.deed, TubUndone)
    ]
    events += [(each.at, _LAST, each.words, each) for each in batches]
    tub = NEW
    for _, _, _, event in sorted(events, key=lambda item: item[:3]):
        tub = _batch(tub, event) if isinstance(event, Batch) else _take(tub, event, house)
    return tub


def _batch(tub: TubStanding, batch: Batch) -> TubStanding:
    if tub.brine_kg is None or tub.pct is None:
        return tub
    taken = min(batch.salt_kg, tub.salt_kg)
    left, pct = after_batch(tub.brine_kg, tub.pct.value, taken)
    words = f"{batch.words or 'a batch'} took {1000 * taken:.0f} g of salt and left water"
    return replace(
        tub,
        brine_kg=left,
        pct=_short(tub.pct).then("choose", words, pct, "%", source="Geurts, Walstra & Mulder 1974"),
        batches=tub.batches + 1,
        batches_ever=tub.batches_ever + 1,
        batches_since_boiled=tub.batches_since_boiled + 1,
    )


def _short(pct: Figure) -> Figure:
    """A strength whose story is not longer than a page, however long nobody read it."""
    if len(pct.because) < _LONGEST_STORY:
        return pct
    return Figure.start("as it stood by then", pct.value, "%", sd=pct.sd)


def _take(tub: TubStanding, told: TubTold, house: House) -> TubStanding:
    match told.deed:
        case Made(litres, pct, whey):
            figure = Figure.start("as it was made", pct, "%")
            return TubStanding(
                litres * density_20(pct), figure, told.at, whey, calcium_g=tub.calcium_g
            )
        case Read(value, by, celsius, ph, litres):
            figure = strength(value, by, celsius, house)
            kg = tub.brine_kg
            if litres is not None:
                kg = litres * density_20(figure.value)
            tub = replace(tub, brine_kg=kg, pct=figure, read_at=told.at, batches=0)
            return replace(tub, ph=ph, ph_at=told.at) if ph is not None else tub
        case PhRead(ph):
            return replace(tub, ph=ph, ph_at=told.at)
        case Floated(how):
            return _floated(tub, how, house)
        case SaltIn(kg) if tub.brine_kg is not None and tub.pct is not None:
            total = tub.brine_kg + kg
            pct = min(SATURATED_PCT, 100 * (tub.salt_kg + kg) / total)
            figure = _short(tub.pct).then("choose", f"{kg:.3g} kg of salt in", pct, "%")
            return replace(tub, brine_kg=total, pct=figure)
        case WaterIn(litres) if tub.brine_kg is not None and tub.pct is not None:
            total = tub.brine_kg + litres
            figure = _short(tub.pct).then(
                "choose", f"{litres:.3g} L of water in", 100 * tub.salt_kg / total, "%"
            )
            return replace(tub, brine_kg=total, pct=figure)
        case CalciumIn(grams):
            return replace(tub, calcium_g=tub.calcium_g + grams)
        case Cleaned("boiled"):
            return replace(tub, boiled_at=told.at, strained_at=told.at, batches_since_boiled=0)
        case Cleaned():
            return replace(tub, strained_at=told.at)
        case Discarded():
            return replace(tub, ended_at=told.at)
    return tub


def _floated(tub: TubStanding, how: Floats, house: House) -> TubStanding:
    """A sign: it moves the strength only where that speaks against it, and stays “about”."""
    key = f"brine.float_{how}"
    at = house.number(key)
    if tub.pct is None or tub.brine_kg is None:
        return tub
    near = house.number("brine.float_sd")
    if tub.pct.known == "measured" and tub.batches == 0:
        return tub
    off = tub.pct.value - at
    fits = abs(off) <= near or (how == "high" and off > 0) or (how == "sinks" and off < 0)
    if fits:
        return tub
    figure = Figure.start(
        f"a cheese, laid in: {FLOAT_WORDS[how]}",
        at,
        "%",
        "assumed",
        source=house.source(key),
        house_key=key,
        sd=near,
    )
    return replace(tub, pct=figure)


# ── limits ──


def check(
    told: TubTold, tub: TubStanding, holds_l: float, now: datetime, lying: int, house: House
) -> None:
    """Refuse what cannot be of a tub, in words; ask for a word where it is odd.

    Parameters: told; tub, as it stands before; holds_l, what the tub holds to the brim; now; lying,
    pieces that are in it; house. Raises: OutOfRange or NotPossible, by field.
    Source: house value.
    """
    deed = told.deed
    if told.at > now + _AHEAD:
        raise OutOfRange("That has not happened yet. Look at the time.", "happened")
    if tub.ended_at is not None and not isinstance(deed, TubUndone):
        raise NotPossible("This brine was poured away: make a new one.")
    if len(getattr(deed, "word", "")) > LONGEST_WORDS:
        raise OutOfRange(f"At most {LONGEST_WORDS} letters, please.", "word")
    if tub.made_at is None and not isinstance(deed, Made | TubUndone):
        raise NotPossible("There is no brine in it yet: make it first.")
    _check_deed(deed, tub, holds_l, lying, house)


def _check_deed(deed: TubDeed, tub: TubStanding, holds_l: float, lying: int, house: House) -> None:
    match deed:
        case Made():
            _check_made(deed, tub, holds_l)
        case Read():
            _check_read(deed, tub, holds_l, house)
        case PhRead(ph):
            _check_ph(ph)
        case Floated(how) if how not in FLOAT_WORDS:
            raise Unknown("Say how it lies in the brine.", "how")
        case Cleaned(how) if how not in ("strained", "boiled"):
            raise Unknown("Strained, or boiled?", "how")
        case SaltIn() | WaterIn() | CalciumIn():
            _check_goes_in(deed, tub, holds_l, house)
        case Discarded(word):
            if lying:
                raise NotPossible(f"{lying} pieces lie in it: take them out first.")
            if len(word) < LEAST_WORD:
                raise OutOfRange("Write in a few words why it is poured away.", "word")


def _check_goes_in(
    deed: SaltIn | WaterIn | CalciumIn, tub: TubStanding, holds_l: float, house: House
) -> None:
    there = tub.brine_kg or 0.0
    match deed:
        case SaltIn(kg, word):
            if not 0 < kg <= max(2.0, 0.4 * there):
                raise OutOfRange("Write how much salt went in.", "kg")
            full = 100 * (tub.salt_kg + kg) / (there + kg)
            if full > SATURATED_PCT + 0.3 and len(word) < LEAST_WORD:
                raise OutOfRange(
                    f"That would make {full:.1f} %: a brine holds {SATURATED_PCT:g} %, the rest "
                    "lies on the floor of the tub. Look at the amount; write a word if it is so.",
                    "word",
                )
        case WaterIn(litres):
            if not 0 < litres <= max(holds_l, tub.litres):
                raise OutOfRange("Write how much water went in.", "litres")
            if holds_l and tub.litres + litres > _BRIM * holds_l:
                raise OutOfRange(f"The tub holds {holds_l:.1f} L to the brim.", "litres")
        case CalciumIn(grams):
            per_l = (tub.calcium_g + grams) / max(0.1, tub.litres)
            if grams <= 0 or per_l > house.number("brine.calcium_most"):
                raise OutOfRange(
                    f"That makes {per_l:.1f} g in a litre: "
                    f"{house.number('brine.calcium_least'):g} to 3 g are usual.",
                    "grams",
                )


def _check_made(deed: Made, tub: TubStanding, holds_l: float) -> None:
    if tub.made_at is not None:
        raise NotPossible("There is a brine in it: pour it away first, or freshen it.")
    if not 0 < deed.litres <= _MOST_L:
        raise OutOfRange("Write how much brine there is.", "litres")
    if holds_l and deed.litres > _BRIM * holds_l:
        raise OutOfRange(f"The tub holds {holds_l:.1f} L to the brim.", "litres")
    if not 1 <= deed.pct <= SATURATED_PCT:
        raise OutOfRange(f"A brine has 1 to {SATURATED_PCT:g} % salt: then it is full.", "pct")


def _check_read(deed: Read, tub: TubStanding, holds_l: float, house: House) -> None:
    if deed.by not in READ_WORDS:
        raise Unknown("Say what it was read with.", "by")
    if deed.ph is not None:
        _check_ph(deed.ph)
    if deed.litres is not None and not 0 < deed.litres <= (_BRIM * holds_l or _MOST_L):
        raise OutOfRange("Write how much brine stands in it.", "litres")
    found = strength(deed.value, deed.by, deed.celsius, house).value
    if tub.pct is None or len(deed.word) >= LEAST_WORD:
        return
    if abs(found - tub.pct.value) > max(_ODD_PCT, 2 * (tub.pct.sd or 0.0)):
        raise OutOfRange(
            f"That is {found:.1f} %, where about {tub.pct.value:.1f} % were expected. Stir it well "
            "and read once more; write a word if it is so.",
            "word",
        )


def _check_ph(ph: float) -> None:
    if not 3 <= ph <= 9:
        raise OutOfRange("A pH here lies between 3 and 9.", "ph")


# ── what it wants ──


@dataclass(frozen=True, slots=True)
class Wants:
    """What a tub wants of the hands: words; freshen, salt to go in, kg, None where it needs none;
    shows, the strength to expect after it, %."""

    words: tuple[str, ...]
    freshen: Figure | None = None
    shows_pct: float | None = None


def wants(
    tub: TubStanding, goal_pct: float, now: datetime, house: House, soft: bool = False
) -> Wants:
    """What a tub wants: a reading, salt, calcium and acid, a cloth, boiling.

    Parameters: tub; goal_pct, how strong it is kept, 1 to 26; now; house; soft, of brined white
    cheese. Raises: OutOfRange. Source: house values.
    """
    if tub.pct is None or tub.made_at is None or tub.brine_kg is None:
        return Wants(("There is no brine in it yet.",))
    words: list[str] = []
    after = house.number("brine.read_after_batches")
    if tub.batches >= after:
        words.append(f"{tub.batches} batches since it was last read: read it.")
    freshen = None
    if tub.pct.value < goal_pct - house.number("brine.freshen_under"):
        freshen = to_freshen(tub.brine_kg, tub.pct.value, goal_pct)
    low, high = ph_band(house, soft)
    if not tub.is_whey:
        least = house.number("brine.calcium_least")
        if tub.calcium_g_per_l < least * 0.9:
            short = least * tub.litres - tub.calcium_g
            words.append(
                f"{short:.0f} g of calcium chloride (dihydrate) more, else the rind turns slimy."
            )
        if tub.ph is None:
            words.append(f"Bring it to pH {low:g} to {high:g} with vinegar, the cheese’s own.")
    if tub.ph is not None and not low - 0.1 <= tub.ph <= high + 0.1:
        words.append(f"It stands at pH {tub.ph:.2f}; {low:g} to {high:g} is the cheese’s own.")
    if tub.batches_since_boiled >= house.number("brine.boil_after_batches"):
        words.append(f"{tub.batches_since_boiled} batches: strain it, boil it, skim it, cool it.")
    since = tub.strained_at or tub.made_at
    if tub.batches_ever and (now - since).days >= house.number("brine.strain_after_days"):
        words.append("Strain it through a cloth.")
    return Wants(tuple(words), freshen, goal_pct if freshen else None)


def ph_band(house: House, soft: bool) -> tuple[float, float]:
    """The pH that a brine is brought to, low and high.

    Parameters: house; soft, for white brined cheese. Source: house value.
    """
    sort = "soft" if soft else "hard"
    return house.number(f"brine.ph_{sort}_low"), house.number(f"brine.ph_{sort}_high")


# ── kept ──

_MOMENTS = ("made_at", "read_at", "ph_at", "strained_at", "boiled_at", "ended_at")


def to_json(tub: TubStanding) -> dict[str, Any]:
    """A standing as plain data. Parameters: tub. Source: derivation."""
    told = {each.name: getattr(tub, each.name) for each in fields(tub)}
    for name in _MOMENTS:
        told[name] = told[name].isoformat() if told[name] else None
    return told | {"pct": tub.pct.to_json() if tub.pct else None}


def from_json(data: Mapping[str, Any]) -> TubStanding:
    """Read back what `to_json` wrote; {} is a tub that was never filled. Parameters: data.
    Raises: KeyError for other JSON."""
    if not data:
        return NEW
    told = dict(data)
    for name in _MOMENTS:
        told[name] = datetime.fromisoformat(told[name]) if told[name] else None
    return TubStanding(**told | {"pct": Figure.from_json(told["pct"]) if told["pct"] else None})


def in_order(told: Sequence[TubTold]) -> list[TubTold]:
    """The deeds that stand, the newest first.

    Parameters: told, all of a tub. Source: derivation.
    """
    undone = {each.amends for each in told if isinstance(each.deed, TubUndone)}
    kept = [e for e in told if e.id not in undone and not isinstance(e.deed, TubUndone)]
    return sorted(kept, key=lambda each: (each.at, each.counter, each.id), reverse=True)
