"""What cannot be of a tub is refused, what is odd is asked; and what a tub wants of the hands."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from openpail.craft.errors import NotPossible, OutOfRange, Unknown
from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.salt.brine import READ_WORDS, SATURATED_PCT, strength, to_freshen
from openpail.craft.salt.tub import TubStanding, float_says
from openpail.craft.salt.tub_deeds import (
    FLOAT_WORDS,
    CalciumIn,
    Cleaned,
    Discarded,
    Floated,
    Made,
    PhRead,
    Read,
    SaltIn,
    TubDeed,
    TubTold,
    TubUndone,
    WaterIn,
)

_PH = (3.0, 9.0)

LONGEST_WORDS = 300
LEAST_WORD = 4
_AHEAD = timedelta(minutes=2)
_ODD_PCT = 2.0
_BRIM = 1.02  # nobody fills to a hair
_MOST_L = 5_000.0


def check(
    told: TubTold, tub: TubStanding, holds_l: float, *, now: datetime, lying: int, house: House
) -> None:
    """Refuse what cannot be of a tub, in words; ask for a word where it is odd.

    Parameters: told; tub, as it stands before; holds_l, what the tub holds to the brim; now; lying,
    pieces that are in it; house. Raises: OutOfRange or NotPossible, by field.
    Source: house value.
    """
    deed = told.deed
    if told.at > now + _AHEAD:
        raise OutOfRange("That has not happened yet. Look at the time.", "happened")
    if tub.ended_at is not None and not isinstance(deed, Made | TubUndone):
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
        case Floated():
            _check_floated(deed, tub, house)
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
    if tub.made_at is not None and tub.ended_at is None:
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


def _check_floated(deed: Floated, tub: TubStanding, house: House) -> None:
    """A sign that speaks against what is reckoned is looked at twice."""
    if deed.how not in FLOAT_WORDS:
        raise Unknown("Say how it lies in the brine.", "how")
    found = float_says(tub, deed.how, house)
    if found is not None and tub.pct is not None and len(deed.word) < LEAST_WORD:
        raise OutOfRange(
            f"That says about {found.value:.1f} %, and by what went in and came out it is about "
            f"{tub.pct.value:.1f} %: then hours are reckoned with the sign. Better read it with an "
            "instrument; else say that it is so.",
            "word",
        )


def _check_ph(ph: float) -> None:
    if not _PH[0] <= ph <= _PH[1]:
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
    words += against_rinds(tub, house, soft)
    if not tub.is_whey and tub.ph is None:
        words.append(f"Bring it to pH {low:g} to {high:g} with vinegar, the cheese’s own.")
    if tub.batches_since_boiled >= house.number("brine.boil_after_batches"):
        words.append(f"{tub.batches_since_boiled} batches: strain it, boil it, skim it, cool it.")
    since = tub.strained_at or tub.made_at
    if tub.batches_ever and (now - since).days >= house.number("brine.strain_after_days"):
        words.append("Strain it through a cloth.")
    return Wants(tuple(words), freshen, goal_pct if freshen else None)


def against_rinds(tub: TubStanding, house: House, soft: bool) -> list[str]:
    """What is wrong with a brine for the rind of whatever goes into it: its calcium, its acid.

    Parameters: tub; house; soft, of brined white cheese. Source: house values.
    """
    words, least = [], house.number("brine.calcium_least")
    if not tub.is_whey and tub.calcium_g_per_l < least * 0.9:
        short = least * tub.litres - tub.calcium_g
        words.append(
            f"{short:.0f} g of calcium chloride (dihydrate) more, else the rind turns slimy."
        )
    low, high = ph_band(house, soft)
    if tub.ph is not None and not low - 0.1 <= tub.ph <= high + 0.1:
        words.append(f"It stands at pH {tub.ph:.2f}; {low:g} to {high:g} is the cheese’s own.")
    return words


def ph_band(house: House, soft: bool) -> tuple[float, float]:
    """The pH that a brine is brought to, low and high.

    Parameters: house; soft, for white brined cheese. Source: house value.
    """
    sort = "soft" if soft else "hard"
    return house.number(f"brine.ph_{sort}_low"), house.number(f"brine.ph_{sort}_high")
