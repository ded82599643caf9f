"""The coach of a warming: how far it is on its way, in one sentence, with what to do about it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from openpail.craft.house import House

Way = Literal["unread", "on", "fast", "slow", "off", "over", "there"]
_LOOKS = 6  # times that a warming is looked at, where it is neither short nor long


@dataclass(frozen=True, slots=True, kw_only=True)
class WarmingNow:
    """A warming under way.

    start_c and target_c; minutes it is to take; now_min since it began; read, minutes and °C;
    heat_off_min, when the heat was taken away, None while it is on; overshoot_c, what this vat goes
    on by after that; curd: it is curd that is cooked, not milk that is warmed.
    """

    start_c: float
    target_c: float
    minutes: float
    now_min: float
    read: Sequence[tuple[float, float]]
    heat_off_min: float | None = None
    overshoot_c: float = 0.0
    curd: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Coach:
    """What is said of a warming: how it goes, the words, minutes ahead (behind under 0), minutes
    until it is there at this rate (None unknown), and when to look again."""

    way: Way
    words: str
    ahead_min: float = 0.0
    there_min: float | None = None
    look_min: float = 0.0


def half_band(rise_c: float, house: House) -> float:
    """How far a reading may lie off the ramp, °C.

    Parameters: rise_c, of the whole warming; house. Source: house value, a share of the rise, and
    never less than so much.
    """
    share = house.number("ramp.band_share") * abs(rise_c)
    return float(max(house.number("ramp.band_least"), share))


def coach(warming: WarmingNow, house: House) -> Coach:
    """What to say of a warming now.

    Parameters: warming; house. Returns: its way, and one sentence with one thing to do.
    Source: house values; makers’ practice.
    """
    soon, late = house.number("ramp.look_least"), house.number("ramp.look_most")
    if not warming.read:
        return Coach(
            way="unread",
            words="Read it once as you begin: then it can be told how it goes.",
            look_min=late,
        )
    at, celsius = warming.read[-1]
    rise = warming.target_c - warming.start_c
    ahead = _ahead(warming, at, celsius)
    there = _there_in(warming)
    over = celsius - warming.target_c
    look = min(late, max(soon, warming.minutes / _LOOKS))
    if over > half_band(0.0, house):
        return Coach(
            way="over",
            words=_too_hot(warming, over),
            ahead_min=ahead,
            there_min=0.0,
            look_min=soon,
        )
    if over >= -house.number("ramp.on_spot"):
        words = "It is there. Heat off; stir, and hold it."
        if warming.curd and ahead > house.number("ramp.early"):
            words = f"It is there {ahead:.0f} min early. Heat off. {rescue(ahead, house)}"
        return Coach(way="there", words=words, ahead_min=ahead, there_min=0.0, look_min=look)
    if warming.heat_off_min is None and over >= -warming.overshoot_c:
        return Coach(
            way="off",
            words=(
                f"Take the heat away now: this vat goes on by about {warming.overshoot_c:.1f} "
                f"°C more."
            ),
            ahead_min=ahead,
            there_min=there,
            look_min=soon,
        )
    target_now = _on_ramp(warming, at)
    if rise > 0 and celsius > target_now + half_band(rise, house):
        return Coach(
            way="fast",
            words=_too_fast(warming, ahead, look),
            ahead_min=ahead,
            there_min=there,
            look_min=look,
        )
    if rise > 0 and celsius < target_now - half_band(rise, house):
        return Coach(
            way="slow",
            words=_too_slow(warming, -ahead, there),
            ahead_min=ahead,
            there_min=there,
            look_min=look,
        )
    return Coach(
        way="on",
        words=f"On its way. Look again in {look:.0f} min.",
        ahead_min=ahead,
        there_min=there,
        look_min=look,
    )


def rescue(early_min: float, house: House) -> str:
    """What to do for a curd that came to its warmth too soon.

    Parameters: early_min, minutes before its time; house. Source: makers’ practice.
    """
    most = house.number("ramp.stir_longer_most")
    longer = min(early_min, most)
    return (
        f"Hold it at this warmth, stirring, for the {longer:.0f} min that were gained before it "
        "goes on: the whey gets out in its own time, if the skin lets it."
    )


def _on_ramp(warming: WarmingNow, at_min: float) -> float:
    share = min(1.0, max(0.0, at_min / warming.minutes)) if warming.minutes > 0 else 1.0
    return warming.start_c + share * (warming.target_c - warming.start_c)


def _ahead(warming: WarmingNow, at_min: float, celsius: float) -> float:
    """Minutes by which a reading is before the ramp, under 0 behind it."""
    rise = warming.target_c - warming.start_c
    if rise <= 0 or warming.minutes <= 0:
        return 0.0
    share = min(1.0, (celsius - warming.start_c) / rise)  # under 0: colder than it began
    return share * warming.minutes - at_min


def _there_in(warming: WarmingNow) -> float | None:
    """Minutes until the target, at the rate of the last readings."""
    if len(warming.read) <= 1:
        return None
    (first_at, first), (last_at, last) = warming.read[-min(3, len(warming.read))], warming.read[-1]
    if last_at <= first_at or last <= first:
        return None
    rate = (last - first) / (last_at - first_at)
    return max(0.0, (warming.target_c - last) / rate - (warming.now_min - last_at))


def _too_hot(warming: WarmingNow, over: float) -> str:
    if warming.curd:
        return (
            f"Over by {over:.1f} °C. Heat off; stir in cold water a cup at a time, or set "
            "the vat in a cool bath, until it is back; then stir a little less long, as it dries "
            "faster."
        )
    return (
        f"Over by {over:.1f} °C. Set the vat in cold water and stir until it is back: culture "
        "and rennet wait so long."
    )


def _too_fast(warming: WarmingNow, ahead: float, look: float) -> str:
    head = f"{ahead:.0f} min ahead: heat off, stir, look again in {look:.0f} min."
    if not warming.curd:
        return f"{head} Milk that is warmed so fast catches at the wall."
    return f"{head} Cooked too fast, the curd gets a skin that keeps its whey in."


def _too_slow(warming: WarmingNow, behind: float, there: float | None) -> str:
    head = f"{behind:.0f} min behind: a little more heat."
    if there is None:
        return head
    return f"{head} At this rate it is there in {there:.0f} min."
