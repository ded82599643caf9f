"""What the end of every step is looked at for: one table of rules for every kind of step.

The same rules ask at the vat before a step is taken for done, and say afterwards what went
otherwise; so that nothing is asked that the record would not tell, and nothing is told with
another moral than it was asked with.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Literal

from openpail.craft.house import House
from openpail.craft.make.day import MakeDay, StepState
from openpail.craft.make.deeds import Felt, FeltOf, SetLooked, StepDone, WaterAdded, WheyOff
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.order import portions_of, set_step
from openpail.craft.make.signs import LADDERS, words_of
from openpail.craft.make.standing import Reading, Standing
from openpail.craft.recipe.recipe import Band, Recipe, RecipeStep, StepKind
from openpail.craft.units import so_long, so_much

Rule = Literal[
    "cold",
    "hot",
    "unread",
    "sweet",
    "sour",
    "no pH",
    "short",
    "long",
    "little",
    "much",
    "no water",
    "no whey",
    "less whey",
    "more whey",
    "soft",
    "turns",
    "parts",
    "sign",
    "cold curd",
    "crowded",
]
_MIN = timedelta(minutes=1)
_SHORT_MIN = 10.0  # a step as short as this is done when it is done
_SAME_MIN, _SAME_SHARE = 5.0, 0.25
_WHEY_SAME = 0.25


@dataclass(frozen=True, slots=True, kw_only=True)
class Odd:
    """What is odd at the end of a step: the rule, what was planned, what happened, what it may
    mean; asks, the question before it is taken, "" for what is only said."""

    rule: Rule
    planned: str
    happened: str
    means: str = ""
    asks: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class StepEnd:
    """The end of a step as it is looked at: the step on its clock, when it ends, what was given at
    it otherwise than the sheet says; broke, whether a clean break ends it; milk_l, L that went in;
    has_meter, whether the house reads pH."""

    state: StepState
    at: datetime
    recipe: Recipe
    sheet: Frozen
    day: MakeDay
    milk_l: float
    gave: Mapping[str, float] = field(default_factory=dict)
    broke: bool = False
    has_meter: bool = True

    @property
    def step(self) -> RecipeStep:
        """The step, as this milk moves it."""
        return self.state.planned.step

    @property
    def standing(self) -> Standing:
        """What the deeds come to."""
        return self.day.standing

    @property
    def house(self) -> House:
        """The house values of the make."""
        return self.sheet.house

    @property
    def lasted_min(self) -> float:
        """How long it took, min."""
        return max(0.0, (self.at - self.state.begins) / _MIN)

    def read(self, since: datetime) -> list[Reading]:
        """What was read from a moment till its end."""
        return [each for each in self.standing.readings if since <= each.at <= self.at]

    @property
    def warm(self) -> Reading | None:
        """The last warmth that was read while it ran."""
        return _last(self.read(self.state.begins), "celsius")

    @property
    def sour(self) -> Reading | None:
        """The last pH that was read while it ran."""
        return _last(self.read(self.state.begins), "ph")


Look = Callable[[StepEnd], Iterator[Odd]]


def odd_at_end(end: StepEnd) -> tuple[Odd, ...]:
    """All that is odd at the end of a step, by the table of its kind.

    Parameters: end. Source: handbook of the make day; house values for how far is far.
    """
    return tuple(odd for look in (_doses, *LOOKS_AT[end.step.kind]) for odd in look(end))


def question(odd: tuple[Odd, ...]) -> str:
    """The one question that holds all that is to be asked, "" for nothing.

    Parameters: odd. Source: our own judgement.
    """
    asked = " ".join(each.asks for each in odd if each.asks)
    return f"{asked} Write a word if it is so." if asked else ""


_NOT_READ: frozenset[Rule] = frozenset({"unread", "no pH"})
_NOT_TOLD: frozenset[Rule] = frozenset({"turns", "parts", "no water", "no whey"})


def ready_words(odd: tuple[Odd, ...]) -> tuple[str, ...]:
    """The answers that fit the question, for a hand that does not write.

    Parameters: odd, what is asked about. Source: our own judgement.
    """
    rules = {each.rule for each in odd if each.asks}
    ways = {"not read": rules & _NOT_READ, "done, not told": rules & _NOT_TOLD}
    return ("it is so", *(words for words, asked in ways.items() if asked))


def _last(readings: list[Reading], what: Literal["celsius", "ph"]) -> Reading | None:
    return next((e for e in reversed(readings) if getattr(e, what) is not None), None)


def _warm_band(band: Band) -> str:
    return f"{round(band.low, 1):g} to {round(band.high, 1):g} °C"


def _ph_band(band: Band) -> str:
    return f"{band.low:.2f} to {band.high:.2f}"


# ── warmth ──

_COLD: Mapping[StepKind, str] = {
    "stretch": "it tears",
    **dict.fromkeys(("warm", "add", "test"), "a slow culture, a late and soft set"),
    **dict.fromkeys(("heat", "add water", "stir", "hold"), "a wetter, softer curd"),
    **dict.fromkeys(("wait", "cheddar"), "slower acid"),
    **dict.fromkeys(("drain", "hang", "turn"), "it drains and sours slower"),
    "brine": "salt goes in slower",
}
_HOT: Mapping[StepKind, str] = {
    "stretch": "fat comes out",
    **dict.fromkeys(("warm", "add", "test"), "a hurt culture, an early and tight set"),
    **dict.fromkeys(("heat", "add water", "stir", "hold"), "a drier curd, a slower culture"),
    **dict.fromkeys(("wait", "cheddar"), "faster acid"),
    **dict.fromkeys(("drain", "hang", "turn"), "it drains and sours faster, germs too"),
    "cool": "it is not cold enough to keep",
    "brine": "salt goes in faster, and the brine spoils sooner",
}
_HOT_C = 60.0
_HOT_STEP = ("it scorches, fat comes out", "too cool to do what it is for")
# The acid of such milk or curd depends on the warmth; it is told, and the pH has the last word.
_ONLY_SAID: frozenset[StepKind] = frozenset({"wait", "cheddar", "drain", "hang", "turn", "brine"})


def _off(end: StepEnd, celsius: float) -> Iterator[Odd]:
    band, slack = end.step.celsius, end.house.number("ask.band_c")
    if band is None or band.low - slack <= celsius <= band.high + slack:
        return
    is_cold, kind = celsius < band.low, end.step.kind
    wanted = _warm_band(band)
    asks = f"It was last read at {celsius:.1f} °C, and {wanted} is wanted: read it once more."
    yield Odd(
        rule="cold" if is_cold else "hot",
        planned=wanted,
        happened=f"{celsius:.1f} °C",
        means=_HOT_STEP[is_cold] if _is_hot(end) else (_COLD if is_cold else _HOT).get(kind, ""),
        asks="" if kind in _ONLY_SAID else asks,
    )


def _is_hot(end: StepEnd) -> bool:
    """Whether it is so hot that no culture lives and no curd dries as it does in the vat."""
    band = end.step.celsius
    return band is not None and band.target >= _HOT_C and end.step.kind != "stretch"


def _warmth(end: StepEnd) -> Iterator[Odd]:
    """The last warmth that was read while it ran, in its band both ways; the warmest of all."""
    if end.warm is None or end.warm.celsius is None:
        return
    found = list(_off(end, end.warm.celsius))
    yield from found or _was_hot(end)


def _was_hot(end: StepEnd) -> Iterator[Odd]:
    """It was too hot for a while, and is not any more."""
    warmest = max(e.celsius for e in end.read(end.state.begins) if e.celsius is not None)
    for odd in _off(end, warmest):
        if odd.rule == "hot":
            yield replace(odd, happened=f"{odd.happened} for a while", asks="")


def _brought_to(end: StepEnd) -> Iterator[Odd]:
    """A warmth that it was brought to: read at its end."""
    read = end.warm
    fresh = timedelta(minutes=end.house.number("ask.fresh_min"))
    is_fresh = read is not None and end.at - read.at <= fresh
    if is_fresh or "temperature" not in end.step.asks or end.step.celsius is None:
        yield from _warmth(end)
        return
    wanted = _warm_band(end.step.celsius)
    last = f", last {read.celsius:.1f} °C at {_ago(end, read)}" if read and read.celsius else ""
    yield Odd(
        rule="unread",
        planned=f"read, {wanted}",
        happened="not read at its end",
        means="nobody knows how warm it was",
        asks=f"Nobody read how warm it is now{last}: {wanted} is wanted.",
    )


def _ago(end: StepEnd, read: Reading) -> str:
    return f"{so_long((end.at - read.at) / _MIN)} before"


def _goes_into(end: StepEnd) -> Iterator[Odd]:
    """What something is stirred into, as it was last read; rennet goes into nothing unread."""
    if end.step.celsius is None:
        return
    since = end.at - timedelta(minutes=end.house.number("ask.into_min"))
    read = _last(end.read(since), "celsius")
    if read is not None and read.celsius is not None:
        if not _was_answered(end, read):
            yield from _off(end, read.celsius)
        return
    rennet = end.recipe.ingredient("rennet")
    if rennet is not None and rennet.key in end.step.adds:
        wanted = _warm_band(end.step.celsius)
        yield Odd(
            rule="unread",
            planned=f"read, {wanted}",
            happened="not read for an hour",
            means="its flocks and its cut are reckoned for a warmth that nobody saw",
            asks=f"Nobody read the milk for an hour: rennet wants {wanted}.",
        )
    elif "temperature" in end.step.asks:
        yield from _brought_to(end)


def _was_answered(end: StepEnd, read: Reading) -> bool:
    """Whether the warmth of a reading was asked about at a step before, and answered."""
    for tap, deed in end.standing.of(StepDone):
        if not deed.word or deed.step == end.step.key or not read.at <= tap.at <= end.at:
            continue
        state = end.day.state(deed.step)
        if state.planned.step.celsius is not None and state.begins <= read.at:
            return True
    return False


def _cold_curd(end: StepEnd) -> Iterator[Odd]:
    """Curd that is moulded warm knits; cold, it does not."""
    low = end.house.number("help.cool_curd")
    read = _last(end.read(end.at - timedelta(minutes=end.house.number("ask.into_min"))), "celsius")
    if not _is_pressed(end.recipe) or read is None or read.celsius is None or read.celsius >= low:
        return
    yield Odd(
        rule="cold curd",
        planned=f"{low:g} °C or warmer",
        happened=f"{read.celsius:.1f} °C",
        means="it knits badly: cracks, and holes that are none of its own",
        asks=(
            f"The curd was read at {read.celsius:.1f} °C: under {low:g} °C it does not knit. Dip "
            "it in warm whey first."
        ),
    )


def _is_pressed(recipe: Recipe) -> bool:
    return any(step.kind == "press" for step in recipe.steps)


# ── acid ──

_SWEET: Mapping[StepKind, str] = {
    **dict.fromkeys(("press", "hold", "drain"), "a wetter, blander cheese that may sour later"),
    **dict.fromkeys(("stir", "cheddar", "mill"), "a sweet curd that knits late and keeps whey"),
    "wait": "too little acid: it will not do what it should",
}
_SOUR = "more acid than its recipe has: a shorter, drier paste"


def _acid(end: StepEnd) -> Iterator[Odd]:
    """The last pH that was read while it ran, in its band; read where the recipe wants it."""
    band, read, slack = end.step.ph, end.sour, end.house.number("ask.band_ph")
    if read is not None and read.ph is not None and band is not None:
        if band.low - slack <= read.ph <= band.high + slack:
            return
        is_sweet, wanted = read.ph > band.high, _ph_band(band)
        do = "wait, keep it warm" if is_sweet else "go on at once, and shorten what follows"
        yield Odd(
            rule="sweet" if is_sweet else "sour",
            planned=f"pH {wanted}",
            happened=f"pH {read.ph:.2f}",
            means=_SWEET.get(end.step.kind, _SWEET["wait"]) if is_sweet else _SOUR,
            asks=f"pH {read.ph:.2f} was read last, and {wanted} is wanted: {do}.",
        )
    elif read is None and "ph" in end.step.asks and end.has_meter and not _felt(end):
        yield Odd(
            rule="no pH",
            planned=f"pH {_ph_band(band)}" if band else "a pH",
            happened="not read",
            means="nobody knows how far its acid was",
            asks=f"No pH was read{f', and {_ph_band(band)} is wanted' if band else ''}.",
        )


def _felt(end: StepEnd) -> list[Felt]:
    """The signs that were told of it, the last one last."""
    told = end.standing.of(Felt)
    return [deed for tap, deed in told if deed.step == end.step.key and tap.at <= end.at]


# ── time ──

_LONGER: Mapping[StepKind, str] = {
    "warm": "it ripens on its way",
    "wait": "more acid than the recipe has",
    "stir": "a drier curd",
    "heal": "a firmer skin",
    "heat": "a gentler cooking",
    "press": "a closer rind",
    "drain": "a drier, sourer curd",
    "hang": "a drier curd",
    "hold": "it goes on souring and drying",
    "cheddar": "more acid, drier slabs",
    "brine": "a saltier rind, a drier cheese",
    "turn": "a drier, sourer curd",
    "settle": "it mats",
}
_SHORTER: Mapping[StepKind, str] = {
    "wait": "less acid than the recipe has",
    "stir": "a wetter curd",
    "heal": "dust in the whey, a lighter cheese",
    "heat": "a skin on the curd that keeps whey in",
    "press": "an open rind",
    "drain": "a wetter, sweeter curd",
    "hang": "a softer curd",
    "hold": "a sweeter, wetter cheese",
    "cheddar": "less acid, wetter slabs",
    "brine": "a blander cheese, a weaker rind",
    "turn": "a wetter curd",
    "settle": "fines go with the whey",
}


def _time(end: StepEnd) -> Iterator[Odd]:
    """How long it took: asked under half of its time, said where it is far off."""
    planned, lasted = end.state.planned.minutes, end.lasted_min
    if "weight" in end.step.asks or end.step.clock != "fixed" or planned <= 0:
        return
    off = lasted - planned
    if _is_there(end) and (off < 0 or end.step.kind in _BY_ACID):
        return
    if end.step.kind == "warm" and off < 0:  # as fast as the vat can: its warmth tells
        return
    if abs(off) <= max(_SAME_MIN, _SAME_SHARE * planned):
        return
    is_short = planned > _SHORT_MIN and lasted < planned * end.house.number("ask.under_time")
    yield Odd(
        rule="short" if off < 0 else "long",
        planned=so_long(planned),
        happened=so_long(lasted),
        means="" if _is_hot(end) else (_SHORTER if off < 0 else _LONGER).get(end.step.kind, ""),
        asks=(
            f"“{end.step.title}” lasts about {so_long(planned)}, and it is done after "
            f"{so_long(lasted)}?"
            if is_short
            else ""
        ),
    )


# Their acid ends them, however long it takes.
_BY_ACID: frozenset[StepKind] = frozenset({"wait", "cheddar"})


def _is_there(end: StepEnd) -> bool:
    """Whether what was read says that it is where it is to be, or is not: the clock has no say."""
    acid, warm = end.step.ph, end.step.celsius
    if acid is not None and end.sour is not None:
        return True
    to_come = end.step.kind in ("heat", "warm", "add water") and warm is not None
    return to_come and end.warm is not None and any(True for _ in _warmth(end))


# ── set ──


def _set(end: StepEnd) -> Iterator[Odd]:
    """A set is ended by a clean break, and no sooner than half way to it."""
    if end.step.key != _ends_the_set(end.recipe):
        return
    looks = [deed.look for tap, deed in end.standing.of(SetLooked) if tap.at <= end.at]
    if looks and looks[-1] in ("soft", "liquid") and not end.broke:
        yield Odd(
            rule="soft",
            planned="a clean break",
            happened=f"{looks[-1]}, looked at {_times(len(looks))}",
            means="it shatters: dust in the whey, a lighter cheese",
            asks=(
                f"It was {looks[-1]} when it was looked at last: wait for the clean break, and cut "
                "larger than the sheet says."
            ),
        )
        return
    since = end.standing.rennet_at
    if since is None or end.sheet.set is None:
        return
    cut_min = end.day.cut_min or end.sheet.set.cut.value
    share = (end.at - since) / _MIN / cut_min
    if share < end.house.number("ask.under_time"):
        yield Odd(
            rule="short",
            planned=so_long(cut_min),
            happened=so_long((end.at - since) / _MIN),
            means="a soft set: dust in the whey, a lighter cheese",
            asks=(
                f"The cut is about {so_long(cut_min)} after the rennet, and it is "
                f"{so_long((end.at - since) / _MIN)} now?"
            ),
        )


def _ends_the_set(recipe: Recipe) -> str | None:
    """The step that waits for the set, or the knife that comes without one."""
    return set_step(recipe) or next((e.key for e in recipe.steps if e.kind == "cut"), None)


def _times(count: int) -> str:
    return {1: "once", 2: "twice"}.get(count, f"{count} times")


# ── amounts ──


def _doses(end: StepEnd) -> Iterator[Odd]:
    """What was given otherwise than the sheet says."""
    most = end.house.number("ask.dose")
    for key, amount in end.gave.items():
        line = end.sheet.line(key)
        if line is None or amount == line.figure.value:
            continue
        wanted, unit = line.figure.value, line.figure.unit
        told, planned = so_much(amount, unit), so_much(wanted, unit)
        is_far = wanted > 0 and not 1 / most <= amount / wanted <= most
        yield Odd(
            rule="little" if amount < wanted else "much",
            planned=f"{planned} of {line.name}",
            happened=told,
            asks=(
                f"{told} of {line.name} went in, where the sheet says {planned}: look at the unit."
                if is_far
                else ""
            ),
        )


def _water(end: StepEnd) -> Iterator[Odd]:
    if not end.standing.litres_told(WaterAdded, end.state.begins, end.at):
        yield Odd(
            rule="no water",
            planned="so much hot water",
            happened="not told",
            means="nobody knows how far it was washed",
            asks="No water was told: write how much went in, and how hot.",
        )


def _whey(end: StepEnd) -> Iterator[Odd]:
    if not end.step.share:
        return
    wanted = end.step.share * end.milk_l
    told = end.standing.litres_told(WheyOff, end.state.begins, end.at)
    if not told:
        yield Odd(
            rule="no whey",
            planned=f"{wanted:.1f} L",
            happened="not told",
            asks=f"No whey was told: about {wanted:.1f} L were to come off.",
        )
    elif abs(sum(told) / wanted - 1) > _WHEY_SAME:
        is_less = sum(told) < wanted
        yield Odd(
            rule="less whey" if is_less else "more whey",
            planned=f"{wanted:.1f} L",
            happened=f"{sum(told):.1f} L",
            means="a wash that does less" if is_less else "a wash that does more: a blander curd",
            asks=f"{sum(told):.1f} L of whey came off, where {wanted:.1f} L were to.",
        )


def _turns(end: StepEnd) -> Iterator[Odd]:
    told = sum(at <= end.at for at in end.standing.turned(end.step.key))
    means = "it lies heavy on one face: uneven, wet below"
    yield from _fewer("turns", "turns", told, end.step.times, means)


def _parts(end: StepEnd) -> Iterator[Odd]:
    told = sum(at <= end.at for at in end.standing.portions(end.step.key))
    wanted = portions_of(end.recipe, end.step.key)
    means = "salt in spots, and a curd that does not knit there"
    yield from _fewer("parts", "parts of the salt", told, wanted, means)


def _fewer(rule: Rule, what: str, told: int, wanted: int, means: str) -> Iterator[Odd]:
    """Fewer times than it is wanted, where that is more than once."""
    if wanted > 1 and told < wanted:
        yield Odd(
            rule=rule,
            planned=f"{wanted} {what}",
            happened=f"{told} of {wanted} told",
            means=means,
            asks=f"{told} of {wanted} {what} were told.",
        )


# ── signs ──


@dataclass(frozen=True, slots=True)
class _Wrong:
    """A sign that says not yet, or wrong: what it may mean, what to do."""

    means: str
    do: str


_WRONG: Mapping[tuple[FeltOf, str], _Wrong] = {
    ("whey", "milky"): _Wrong(
        "curd goes off with the whey: a lighter cheese", "let it heal longer, stir slower"
    ),
    ("squeeze", "apart"): _Wrong("a wet curd that does not hold", "go on a while, then squeeze"),
    ("stretch", "tears"): _Wrong("too sweet or too cold to stretch", "not yet: back to souring"),
    ("stretch", "fat"): _Wrong("too hot, or pulled too long", "stop: mould it now"),
    ("run", "milky"): _Wrong("pressed too hard, too soon", "take half of the load off"),
    ("rind", "open"): _Wrong("moulds and whey get in", "redress it, press it warm and harder"),
    ("rind", "breaks"): _Wrong(
        "it does not hold yet", "press the bits back, wait till it holds, turn it in its cloth"
    ),
    ("rind", "torn"): _Wrong("an open rind", "a wet cloth, and press it once more"),
    ("touch", "wet"): _Wrong("a rind that will not close", "dry it on"),
    ("touch", "greasy"): _Wrong("fat comes out: it is too warm", "somewhere cooler, at once"),
    ("smell", "foul"): _Wrong("germs that are none of yours", "look under help before you go on"),
}


# What looks odd and is not, or wants no more than a cloth.
_NO_FAULT: Mapping[tuple[FeltOf, str], str] = {
    ("rind", "weave"): "As it should be: the weave fades, lint comes off with a dry brush.",
    ("rind", "stain"): "Look again tomorrow: whey lay on it. Wipe it off, turn it more often.",
    ("stretch", "dull"): "A little sweet, or a little cool: hotter water, and pull it once more.",
}


def sign_says(of: FeltOf, sign: str) -> str:
    """What is answered to a sign where it is told; "" to one that is as it should be.

    Parameters: of, its ladder; sign, the rung. Source: makers’ practice.
    """
    found = _WRONG.get((of, sign))
    if found is None:
        return _NO_FAULT.get((of, sign), "")
    return f"{found.means[0].upper()}{found.means[1:]}: {found.do}."


def _sign(end: StepEnd) -> Iterator[Odd]:
    last: dict[str, Felt] = {each.of: each for each in _felt(end) if each.of}
    for told in last.values():
        found = _WRONG.get((told.of, told.sign)) if told.of else None
        if found is None or not told.of:
            continue
        words = words_of(told.of, told.sign)
        yield Odd(
            rule="sign",
            planned="as it should be",
            happened=words,
            means=found.means,
            asks=f"{LADDERS[told.of].title}: {words}. {found.do[0].upper()}{found.do[1:]}.",
        )


# ── the table ──

LOOKS_AT: Mapping[StepKind, tuple[Look, ...]] = {
    "warm": (_brought_to, _time),
    "heat": (_brought_to, _time, _sign),
    "add": (_goes_into, _acid),
    "wait": (_warmth, _acid, _time, _set, _sign),
    "test": (_warmth,),
    "stir": (_warmth, _acid, _time, _sign),
    "cut": (_set, _sign),
    "heal": (_time, _sign),
    "hold": (_warmth, _acid, _time, _sign),
    "take whey off": (_whey, _sign),
    "add water": (_water, _brought_to, _sign),
    "settle": (_time, _sign),
    "drain": (_warmth, _acid, _time, _sign),
    "cheddar": (_warmth, _acid, _time, _sign),
    "hang": (_warmth, _acid, _time, _sign),
    "mill": (_acid, _sign),
    "salt": (_parts,),
    "mould": (_cold_curd, _sign),
    "press": (_warmth, _acid, _time, _turns, _sign),
    "turn": (_warmth, _acid, _time, _turns, _sign),
    "cook in whey": (_warmth, _time),
    "stretch": (_warmth, _acid, _sign),
    "cool": (_warmth,),
    "brine": (_warmth, _time),
    "dry": (_time, _sign),
}
