"""A tub of brine as it lives: what is told of it, and where that leaves it.

A tub is made once, and from then on known by readings or batch by batch: each batch takes salt out
and leaves water in. The same deeds in any order of arrival, with repeats, come to the same tub.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from datetime import datetime
from typing import Any

from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.salt.brine import SATURATED_PCT, after_batch, density_20, strength
from openpail.craft.salt.tub_deeds import (
    FLOAT_WORDS,
    Batch,
    CalciumIn,
    Cleaned,
    Discarded,
    Floated,
    Floats,
    Made,
    PhRead,
    Read,
    SaltIn,
    TubTold,
    TubUndone,
    WaterIn,
)

_LONGEST_STORY = 12
_LAST = 2**31


@dataclass(frozen=True, slots=True, kw_only=True)
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
                brine_kg=litres * density_20(pct), pct=figure, made_at=told.at, is_whey=whey
            )
        case Read(value=value, by=by, celsius=celsius, ph=ph, litres=litres):
            figure = strength(value, by, celsius, house)
            kg = tub.brine_kg
            if litres is not None:
                kg = litres * density_20(figure.value)
            tub = replace(tub, brine_kg=kg, pct=figure, read_at=told.at, batches=0)
            return replace(tub, ph=ph, ph_at=told.at) if ph is not None else tub
        case PhRead(ph):
            return replace(tub, ph=ph, ph_at=told.at)
        case Floated(how):
            return replace(tub, pct=float_says(tub, how, house) or tub.pct)
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


def float_says(tub: TubStanding, how: Floats, house: House) -> Figure | None:
    """The strength that a sign says, % and “about”, where it speaks against what is known; None
    where it fits, and of a brine that was read since.

    Parameters: tub; how a cheese lies in it; house. Source: house values.
    """
    key = f"brine.float_{how}"
    at = house.number(key)
    if tub.pct is None or tub.brine_kg is None:
        return None
    near = house.number("brine.float_sd")
    if tub.pct.known == "measured" and tub.batches == 0:
        return None
    off = tub.pct.value - at
    if abs(off) <= near or (how == "high" and off > 0) or (how == "sinks" and off < 0):
        return None
    return Figure.start(
        f"a cheese, laid in: {FLOAT_WORDS[how]}",
        at,
        "%",
        "assumed",
        source=house.source(key),
        house_key=key,
        sd=near,
    )


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
