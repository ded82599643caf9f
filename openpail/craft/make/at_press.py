"""Press & salt: what cannot have happened there is refused, what is odd is asked."""

from __future__ import annotations

from collections.abc import Collection
from datetime import datetime, timedelta

from openpail.craft.deed import moment_of
from openpail.craft.errors import NotPossible, OutOfRange, Unknown
from openpail.craft.make.bounds import Bounds
from openpail.craft.make.deeds import (
    Deed,
    InBrine,
    Loaded,
    Moulded,
    OutOfMould,
    Tightened,
    Trimmed,
    TurnedOver,
    Weighed,
    WheyRan,
    WheyWent,
)
from openpail.craft.make.ends import Odd, question

MOST_PIECES = 500
MOST_LOAD_KG = 5_000.0
LONGEST_BRINE = timedelta(days=14)
_ALL_OF_IT = 1.08


def check_at_press(deed: Deed, at: datetime, bounds: Bounds) -> None:
    """Refuse what no mould, press or tub can have had, and whey that no make of this milk leaves.

    Parameters: deed, any other passes; at, when it happened; bounds of the make.
    Raises: OutOfRange by field, NotPossible or Unknown. Source: house value.
    """
    match deed:
        case Moulded() | Loaded() | TurnedOver() | Tightened() | InBrine():
            _check_step(deed, at, bounds)
        case Trimmed(kg):
            most = bounds.cheese_kg or bounds.milk_kg or 2 * bounds.milk_l
            if not 0 < kg < most:
                raise OutOfRange("Write what was cut off: less than there is.", "kg")
        case WheyRan(litres) | WheyWent(litres):
            most = 2 * bounds.milk_l
            if not 0 < litres <= most:
                raise OutOfRange(f"Write how much whey, up to {most:.0f} L.", "litres")


def _check_step(
    deed: Moulded | Loaded | TurnedOver | Tightened | InBrine, at: datetime, bounds: Bounds
) -> None:
    if not deed.step:
        raise Unknown("Say which step.", "step")
    kind = bounds.recipe.step(deed.step).kind if bounds.recipe else ""
    match deed:
        case Moulded(count=count):
            if kind not in ("mould", ""):
                raise NotPossible("This step fills no moulds.", "step")
            if not 1 <= count <= MOST_PIECES:
                raise OutOfRange(f"Write how many moulds, 1 to {MOST_PIECES}.", "count")
        case Loaded(load_kg=load):
            if kind not in ("press", ""):
                raise NotPossible("Nothing is pressed at this step.", "step")
            if load is not None and not 0 < load <= MOST_LOAD_KG:
                words = f"Write the load on the cheese, up to {MOST_LOAD_KG:.0f} kg."
                raise OutOfRange(words, "load_kg")
        case InBrine(until=until):
            if kind not in ("brine", "dry", ""):
                raise NotPossible("Nothing goes into brine at this step.", "step")
            if kind == "dry" and until:
                raise NotPossible("It is kept in this brine: it does not come out.", "until")
            out = moment_of(until, "until") if until else None
            if out is not None and not at < out <= at + LONGEST_BRINE:
                raise OutOfRange("It comes out after it went in, within two weeks.", "until")


def ask_at_press(
    deed: Loaded | OutOfMould | InBrine | Weighed | WheyRan | WheyWent, bounds: Bounds
) -> None:
    """Ask for a word where it is far from what was expected.

    Parameters: deed, told without one; bounds of the make. Raises: OutOfRange about “word”.
    Source: house value.
    """
    match deed:
        case Weighed(pieces):
            _ask_since_mould(pieces, bounds)
            _ask_crowded(bounds)
        case OutOfMould():
            _ask_yield(bounds)
        case Loaded(step=step, load_kg=load):
            _ask_load(load, step, bounds)
            _ask_crowded(bounds)
        case InBrine():
            _ask_crowded(bounds)
        case WheyRan(litres):
            _ask_whey_ran(litres, bounds)
        case WheyWent(litres):
            _ask_whey_went(litres, bounds)


def _ask_since_mould(pieces: Collection[float], bounds: Bounds) -> None:
    """A cheese that weighs more than it did out of its mould, or in other pieces."""
    out = bounds.day.standing.out_of_mould if bounds.day else None
    if out is None:
        return
    before, now = sum(out.pieces_kg), sum(pieces)
    if len(pieces) != len(out.pieces_kg):
        raise OutOfRange(
            f"Pieces out of the moulds: {len(out.pieces_kg)}, and {len(pieces)} now. Write a word "
            "if it is so.",
            "word",
        )
    if now > before * bounds.house.number("ask.gain"):
        raise OutOfRange(
            f"{now:.2f} kg, and {before:.2f} kg out of the moulds: a cheese only gets lighter from "
            "there, in brine too. Look at the scale; write a word if it is so.",
            "word",
        )


def _ask_yield(bounds: Bounds) -> None:
    told = bounds.weight_says
    if told is None or not told.cannot_be:
        return
    implied = told.moisture_pct.value
    that = f"about {implied:.0f} % water" if implied > 0 else "less than its solids weigh"
    raise OutOfRange(
        f"{told.kg:.2f} kg would be a cheese of {that}, where {told.expected_pct:.0f} % are "
        "expected. Look at the scale and its unit, and whether a piece is missing; write a word if "
        "it is so.",
        "word",
    )


def _ask_load(load: float | None, step: str, bounds: Bounds) -> None:
    wanted = bounds.loads.get(step, 0.0)
    if load is not None and bounds.is_far(load, wanted, "ask.load"):
        raise OutOfRange(
            f"{load:.1f} kg on the cheese, where {wanted:.1f} kg are right for this mould. Look at "
            "what hangs and at the arm; write a word if it is so.",
            "word",
        )


def crowded(bounds: Bounds) -> tuple[Odd, ...]:
    """What speaks against a press, moulds or a tub, as something odd.

    Parameters: bounds. Source: the record; what else is under way.
    """
    words = bounds.crowded
    return (Odd(rule="crowded", planned="free", happened=words, asks=words),) if words else ()


def _ask_crowded(bounds: Bounds) -> None:
    asked = question(crowded(bounds))
    if asked:
        raise OutOfRange(asked, "word")


def _ask_whey_ran(litres: float, bounds: Bounds) -> None:
    low, high = (bounds.house.number(f"ask.whey_{end}") for end in ("least", "most"))
    if bounds.whey_l > 0 and not low <= litres / bounds.whey_l <= high:
        raise OutOfRange(
            f"{litres:.1f} L of whey, where about {bounds.whey_l:.1f} L were expected. Look at the "
            "unit; write a word if it is so.",
            "word",
        )


def _ask_whey_went(litres: float, bounds: Bounds) -> None:
    standing = bounds.day.standing if bounds.day else None
    if standing is None or bounds.whey_l <= 0:
        return
    measured = [deed.litres for _, deed in standing.of(WheyRan)]
    ran = measured[-1] if measured else bounds.whey_l
    gone = sum(deed.litres for _, deed in standing.of(WheyWent))
    gone += sum(each.litres for each in standing.whey)
    if gone + litres > ran * _ALL_OF_IT:
        raise OutOfRange(
            f"That makes {gone + litres:.1f} L in all, and {ran:.1f} L ran. Look at the amounts; "
            "write a word if it is so.",
            "word",
        )
