"""A dose as the hands get it: spoons, water, manner, and words for why it is what it is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import log

from openpail.craft.doses import culture, swap
from openpail.craft.doses.asked import Job
from openpail.craft.doses.dose import Dose
from openpail.craft.doses.how_to_add import manner
from openpail.craft.doses.notices import plain
from openpail.craft.doses.spoons import Hand, in_hand
from openpail.craft.figure import Figure, Step, replay
from openpail.craft.milk.kinds import Species
from openpail.craft.sheet.sheet import Line
from openpail.craft.stock.products import KIND_WORDS, LIVE
from openpail.craft.units import HAIR

_SAME = 0.03  # spoon and scale tell no less apart
_NEARLY_ALL, _NEARLY_NONE = 0.9, 0.1
_LARGER_FROM = 1000

_WORTH_SAYING = 0.005


def line_of(job: Job, dose: Dose, batch: Step) -> Line:
    """A dose as one line of the sheet.

    Parameters: job, dose; batch, this milk's kg against the recipe's. Source: derivation.
    """
    figure, bottle, ingredient = dose.figure, dose.bottle, dose.ingredient
    scaled = dose.written.times(batch.label, batch.value, source=batch.source)
    hand = Hand(words="")
    if figure.value > 0:
        hand = in_hand(figure.value, bottle, job.ways, job.house)
    return Line(
        key=ingredient.key,
        kind=ingredient.product.kind,
        name=bottle.name,
        written=dose.written,
        scaled=scaled,
        figure=figure,
        active=dose.active,
        water=_water(job, dose),
        hand=hand,
        in_words=_in_words(dose, batch.value),
        at_vat=ingredient.words,
        bottle=bottle,
        manner=manner(
            bottle,
            job.recipe.family,
            ingredient.basis,
            job.ways.rennet_diluted,
        ),
        notes=_notes(job, dose),
        change=_change(dose, batch.value),
        per_unit=replay(dose.per_unit) if dose.per_unit else 1.0,
    )


_WATER_KEYS = {"rennet": "rennet.dilution", "calcium": "calcium.dilution"}


def _water(job: Job, dose: Dose) -> Figure | None:
    """The cool water a dose is stirred into first, mL; None for what goes in as it is."""
    kind, house = dose.ingredient.product.kind, job.house
    key = _WATER_KEYS.get(kind)
    if key is None or dose.figure.unit != "mL" or dose.figure.value <= 0:
        return None
    if kind == "rennet" and not job.ways.rennet_diluted:
        return None
    times = house.number(key)
    return dose.figure.times(
        "cool, unchlorinated water for each measure", times, source=house.source(key), house_key=key
    )


def _notes(job: Job, dose: Dose) -> tuple[str, ...]:
    """What to expect of this bottle, and what time can do instead of dose."""
    notes: list[str] = []
    bottle, ingredient = dose.bottle, dose.ingredient
    if bottle is not ingredient.product:
        notes += swap.stand_in(ingredient, bottle, job.recipe, job.house).words
    if bottle.kind == "culture":
        notes += _time_instead(job, dose)
    if bottle.form == "one-packet":
        notes += _packet_words(dose)
    if bottle.kind == "colour":
        notes.append(colour_words(job.milk.numbers.casein_shares(), coloured=dose.figure.value > 0))
    return tuple(notes)


def amount(figure: Figure) -> str:
    """An amount in words, large ones in the larger unit. Parameters: figure. Source: derivation."""
    value, unit = figure.value, figure.unit
    if value >= _LARGER_FROM and unit in _LARGER:
        value, unit = value / 1000, _LARGER[unit]
    return f"{plain(value)} {unit}"


_LARGER = {"g": "kg", "mL": "L"}


def _time_instead(job: Job, dose: Dose) -> list[str]:
    """Ripening longer to the same pH instead of a bigger dose, when it would matter."""
    figure = dose.figure
    start, share = "Or scale it by the milk alone, and", 1.0
    if figure.known == "overruled" and figure.because[-1].op == "choose":
        planned = replay(figure.because[:-1])
        if figure.value <= 0 or planned <= 0:
            return ["Without culture no acid: only for a recipe that means it so."]
        start, share = "With your amount", figure.value / planned
    else:
        for step in figure.because:
            if step.op == "times" and step.house_key.startswith("culture."):
                share /= step.value
    minutes = culture.minutes_longer(share, dose.bottle, job.house)
    return [_longer_words(start, minutes)] if abs(minutes) >= 1 else []


def _longer_words(start: str, minutes: float) -> str:
    how = "longer" if minutes > 0 else "shorter"
    return f"{start} ripen about {abs(minutes):.0f} min {how}, to the same pH."


def _packet_words(dose: Dose) -> list[str]:
    rows = dose.figure.running()
    wanted = rows[-2][1] if len(rows) > 1 and rows[-1][0].op == "choose" else rows[-1][1]
    if not wanted or abs(dose.figure.value / wanted - 1) < _SAME:
        return []
    share = dose.figure.value / wanted
    slower = "sooner" if share > 1 else "later"
    return [
        f"Only whole packets: {share:.2g} times the strength here, so the set comes {slower}. "
        "Go by the sign, not by the clock."
    ]


def colour_words(shares: Mapping[Species, float], *, coloured: bool) -> str:
    """What colour of curd to expect of a milk by its casein shares.

    Parameters: shares, by species; coloured, whether colour goes in. Source: usual practice:
    goats, sheep and buffalo pass no carotene into the milk.
    """
    cow = shares.get("cow", 0.0)
    if cow >= _NEARLY_ALL:
        return "A straw to yellow curd, yellower on grass."
    if cow <= _NEARLY_NONE:
        return (
            "This milk is white by itself: the colour shows paler and truer than in cow’s."
            if coloured
            else "This milk is white by itself: so will the cheese be."
        )
    return "Mixed milk: ivory, paler than cow’s alone."


_DRY_FORMS = frozenset({"", "freeze-dried", "powder"})


def _another_kind(dose: Dose) -> bool:
    """Whether a bottle is measured so otherwise that a per cent against the written says nothing:
    a jar in place of a powder, millilitres in place of grams."""
    mine, theirs = dose.bottle, dose.ingredient.product
    forms = {mine.form, theirs.form}
    alike = mine.kind not in LIVE or len(forms) == 1 or forms <= _DRY_FORMS
    return dose.written.unit != dose.figure.unit or not alike


def _change(dose: Dose, batch: float) -> float | None:
    """This amount against the written one for as much milk; None between bottles of different
    kinds."""
    if _another_kind(dose) or not dose.written.value:
        return None
    return dose.figure.value / (dose.written.value * batch) - 1


# What a factor means in plain words: under 1, over 1. By the beginning of its source or house key.
_PLAIN: Sequence[tuple[str, str, str]] = (
    ("the bottle", "this bottle is stronger", "this bottle is weaker"),
    ("learnt here", "its makes taught that it is stronger", "its makes taught that it is weaker"),
    ("rennet.temperature", "the vat is warmer", "the vat is cooler"),
    ("rennet.per_ph", "your milk is sourer", "your milk is sweeter"),
    ("rennet.per_salt", "less salt in the milk", "salt in the milk slows it"),
    ("rennet.species", "your milk sets faster", "your milk sets more slowly"),
    ("rennet.weaker", "", "your milk sets weaker"),
    ("culture.buffer", "your milk buffers less", "your milk buffers more"),
    ("culture.raw", "raw milk brings its own", "heated milk brings none of its own"),
    ("culture.", "", "it is past its date"),
    ("acid.buffer", "your milk is sourer already", "your milk is sweeter"),
    ("lipase.", "your milk has less fat", "your milk has more fat"),
)


# The same of a bottle: no milk has to do with it.
_OF_THE_BOTTLE = frozenset(words for _, *two in _PLAIN[:2] for words in two)


def _lacks(figure: Figure) -> bool:
    """Whether the table gives this milk another calcium than the recipe's."""
    signs = {"plus": 1.0, "minus": -1.0}
    return abs(sum(signs.get(each.op, 0.0) * each.value for each in figure.because)) > HAIR


def _plain(step: Step) -> str:
    if step.of and step.of[0].house_key == "rennet.per_calcium":  # the floor of the rennet's dose
        calcium, kept = step.of[0].value, step.of[1].value
        return (
            "it has less calcium for the rennet to work with"
            if calcium > kept
            else "your milk was heated or kept longer"
        )
    for start, under, over in _PLAIN:
        if step.house_key.startswith(start) or step.source == start:
            return under if step.value < 1 else over
    return ""


def _in_words(dose: Dose, batch: float) -> str:
    figure, written, kind = dose.figure, dose.written, dose.bottle.kind
    if dose.figure.known == "overruled":
        return "The maker’s own."
    if figure.value <= 0:
        last = figure.because[-1]
        if kind == "calcium":
            return "None needed for this milk."
        own = last.op == "choose" and not last.house_key
        return f"None: {last.label}." if own else f"No {KIND_WORDS[kind]} for this milk."
    if not written.value:
        return "The recipe’s own milk needs none; this milk does."
    change = _change(dose, batch)
    steps = [
        step
        for step in figure.because[1:]
        if step.op == "times" and abs(step.value - 1) > _WORTH_SAYING and step.source != "the batch"
    ]
    steps.sort(key=lambda step: -abs(log(step.value)) if step.value > 0 else 0.0)
    if change is not None:  # what pulled the other way explains nothing
        steps = [step for step in steps if (step.value < 1) == (change < 0)] or steps
    reasons = list(dict.fromkeys(filter(None, map(_plain, steps))))
    of_milk = [each for each in reasons if each not in _OF_THE_BOTTLE]
    if kind == "calcium" and _lacks(figure):
        of_milk = ["what this milk lacks against the recipe’s"]
        reasons = [*of_milk, *(each for each in reasons if each in _OF_THE_BOTTLE)]
    if change is None:
        theirs = f"{amount(written)} of {dose.ingredient.product.name}"
        return f"Another kind: {amount(figure)} of {dose.bottle.name} instead of {theirs}."
    if abs(change) < _WORTH_SAYING:
        return "As written, for as much milk."
    less = f"{100 * abs(change):.0f} % {'less' if change < 0 else 'more'}"
    less += " for this milk" if of_milk or not reasons else ""
    return f"{less}: {', '.join(reasons[:3])}." if reasons else f"{less}."


def top_line(lines: Sequence[Line]) -> str:
    """The sheet in one plain sentence: its rennet, or what changed most of what is live or sour.

    Parameters: lines of a sheet. Returns: "" when nothing is worth saying. Source: derivation.
    """
    live = [line for line in lines if line.kind in LIVE]
    telling = [line for line in lines if line.kind in ("rennet", "acid")] or live
    far = [line for line in live if line.figure.known == "overruled" and line.change]
    telling = sorted(
        [*telling, *far], key=lambda line: -abs(log(max(1e-6, 1 + (line.change or 0.0))))
    )
    for line in telling:
        if line in far:
            how = "more" if (line.change or 0.0) > 0 else "less"
            by = 100 * abs(line.change or 0.0)
            return f"{by:.0f} % {how} {KIND_WORDS[line.kind]} than written: the maker’s own."
        if line.in_words[:1].isdigit():
            share, _, why = line.in_words.partition(": ")
            name = {"rennet": "rennet", "acid": "acid"}.get(line.kind, "culture")
            less = share.replace("less", f"less {name}").replace("more", f"more {name}")
            return f"{less}: {why}" if why else ""
    return ""
