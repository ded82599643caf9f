"""How Press & salt reads: the one big figure of a step, what hangs in words, a tub in a line."""

from __future__ import annotations

from datetime import datetime

from flask import g
from markupsafe import Markup

from openpail.craft.make.day import StepState
from openpail.craft.make.pressing import Pressing
from openpail.craft.press.presses import on_cheese_kg
from openpail.craft.press.weights import Pile
from openpail.craft.salt.brine import READ_WORDS
from openpail.craft.salt.tub import TubStanding
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
    WaterIn,
)
from openpail.craft.units import so_long
from openpail.web.edge import here
from openpail.web.press.draw import PressDrawn, TubDrawn, press_drawn, tub_drawn
from openpail.web.ui import show
from openpail.web.ui.named import named, of_step
from openpail.web.vat.show import Big, ends_at
from openpail.work.press.at_press import AtPress, InTub
from openpail.work.press.brining import TubChoice


def big(at: AtPress) -> Big | None:
    """What fills the screen at the press; None where the vat's own figure says it."""
    step = at.step
    if step is None or at.at.step is None:
        return None
    if step.kind == "mould":
        return _moulds(at)
    if at.pressing is not None:
        return _press(at, at.at.step, at.pressing)
    if step.kind == "brine":
        return _brine(at, at.at.step)
    return _rind(at) if at.rubs else None


def _rind(at: AtPress) -> Big:
    """The salt of a rind today: the whole, and what each piece gets of it."""
    rub, count = at.rubs[0], len(at.pieces_kg)
    of = of_step(at.make.number, at.step.key if at.step else "", "rind-salt")
    today = f" today, the first of {len(at.rubs)} days" if len(at.rubs) > 1 else ""
    if count == 1:
        under = f"of salt{today}, on {rub.faces}"
        return Big(value=f"{rub.grams.value:.0f}", unit="g", under=under, of=of)
    each = show.mass(rub.grams.value / 1000)
    under = f"of salt{today}: {each} on each of {count} pieces, on {rub.faces}"
    return Big(value=f"{rub.grams.value * count:.0f}", unit="g", under=under, of=of)


def _moulds(at: AtPress) -> Big:
    filled = at.mould_choices[0].filling.count if at.mould_choices else 0
    count = filled or at.moulds.count
    each, unit = show.mass(at.curd_kg / count).split(" ", 1)
    name = at.mould_choices[0].gear.name if at.mould_choices else "mould"
    if count == 1:
        return Big(value=each, unit=unit, under=f"about, of curd, into the {name}")
    under = f"of curd, by weight, into {count} of the {name}"
    return Big(value=f"{count} × {each}", unit=unit, under=under)


def _press(at: AtPress, state: StepState, now: Pressing) -> Big:
    ends = Markup("till {}").format(ends_at(at.make.number, state))
    of = of_step(at.make.number, state.planned.step.key, "load")
    if now.load is None or now.hang is None:
        if now.mark_mm is not None and now.load is not None:
            value, unit = show.small_length(now.mark_mm).split(" ", 1)
            load = named(of, show.mass(now.load.value))
            return Big(
                value=value,
                unit=unit,
                under=Markup("on the spring: {} on the cheese, {}").format(load, ends),
            )
        if at.press and at.press.press and at.press.press.sort == "screw":
            left = (state.ends - here().now).total_seconds() / 60
            under = Markup("screwed down, {}").format(ends)
            if left >= show.LONG_MIN:
                return Big(value=so_long(left), under=under)
            return Big(value=f"{max(0.0, left):.0f}", unit="min", under=under, countdown=left > 0)
        if now.load is None:
            return Big(value=so_long(state.minutes), under=ends)
        value, unit = show.mass(now.load.value).split(" ", 1)
        return Big(value=value, unit=unit, under=Markup("on the cheese, {}").format(ends), of=of)
    value, unit = show.mass(now.hang.value).split(" ", 1)
    sort = at.press.press.sort if at.press and at.press.press else ""
    way = "to hang" if sort == "lever" else "to stack"
    load = named(of, show.mass(now.load.value))
    under = Markup("{}, for {} on the cheese, {}").format(way, load, ends)
    return Big(value=value, unit=unit, under=under)


def _brine(at: AtPress, state: StepState) -> Big | None:
    ends = ends_at(at.make.number, state)
    if at.in_tub:
        if at.in_tub.stay.until is None:
            return None
        left = (state.ends - here().now).total_seconds() / 60
        over = "over" if left < 0 else "left"
        where = Markup("{}, in {}: out at {}").format(over, at.in_tub.tub.name, ends)
        return Big(value=so_long(abs(left)), under=where)
    if not at.tub_choices:
        return None
    first = at.tub_choices[0]
    pct = first.standing.pct.value if first.standing.pct else 0.0
    under = Markup("in {}, {} % salt: in now, out at {}")
    under = under.format(first.tub.name, show.number(pct, 1), ends)
    if first.lacks:
        under += Markup("; its brine wants care first")
    return Big(value=so_long(first.plan.hours.value * 60), under=under)


def hours(value: float) -> str:
    """So many hours as a clock tells them: 5 h 34."""
    return so_long(60 * value)


def pressure(now: Pressing) -> str:
    """How hard it presses, both ways, and the school's word; "" where no number is claimed."""
    if now.kpa is None or now.psi is None:
        return ""
    both = [f"{show.number(now.kpa, 1)} kPa", f"{show.number(now.psi, 2)} psi"]
    ours_first = both if g.dairy.mass_system == "metric" else both[::-1]
    return f"{', '.join(ours_first)}: {now.word}"


def pile(laid: Pile) -> str:
    """What is hung or stacked, in words."""
    told = []
    for each in laid.laid:
        count = f"{each.count} × " if each.count > 1 else ""
        water = ""
        if each.thing.holds_l:
            water = f" with {show.volume(each.litres)} of water" if each.litres else ", empty"
        told.append(f"{count}{each.thing.name}{water}")
    return " + ".join(told) or "nothing"


def on_cheese(at: AtPress, now: Pressing) -> str:
    """What lies on the cheese with what is in the house, as it may be typed; "" for no number."""
    press = at.press.press if at.press else None
    if now.load is None:
        return ""
    if press is None or now.pile is None or press.sort not in ("lever", "stack"):
        return show.mass(now.load.value) if press is None or press.sort != "screw" else ""
    return show.mass(on_cheese_kg(now.pile.kg, press))


def drawn(at: AtPress) -> PressDrawn | None:
    """The press of now with its moulds; None where neither is in use."""
    step = at.step
    if step is None or step.kind not in ("mould", "press", "turn", "drain", "hold", "wait"):
        return None
    press = at.press.press if at.press and step.kind in ("press", "turn") else None
    now = at.pressing
    mould = at.moulds.mould
    high = None
    if mould:
        each = sum(at.pieces_kg) / len(at.pieces_kg)
        high = mould.height_of(each, at.sheet.house)
        if step.kind == "mould":
            high = at.mould_choices[0].filling.fill_cm if at.mould_choices else high
    return press_drawn(press, at.moulds, high, now.pile if now else None)


# ── tubs ──


def tub(lies: InTub) -> TubDrawn:
    """The tub that a make lies in, with all that lies in it."""
    return tub_drawn(lies.tub, lies.standing, here().lying.get(lies.tub.id, ()))


def shelf_tub(at: AtPress, choice: TubChoice) -> TubDrawn:
    """A tub that a make could lie in, with what lies in it now."""
    return tub_drawn(choice.tub, choice.standing, at.here.lying.get(choice.tub.id, ()))


def strength(standing: TubStanding) -> str:
    """How strong a brine is, and how that is known."""
    if standing.pct is None:
        return "empty"
    value = f"{show.number(standing.pct.value, 1)} %"
    if standing.pct.known == "measured":
        return f"{value}, read {_day(standing.read_at)}" if standing.read_at else value
    if standing.batches:
        after = f"{standing.batches} batch{'es' if standing.batches > 1 else ''}"
        return f"about {value}, after {after}"
    if standing.pct.rests_on_assumed:
        return f"about {value}"
    if standing.read_at:
        return f"about {value}, reckoned since it was read {_day(standing.read_at)}"
    return f"{value}, as it was made" if len(standing.pct.because) == 1 else f"about {value}"


def _day(moment: datetime) -> str:
    return show.day(here().day_of(moment))


def age(standing: TubStanding) -> str:
    """How old a brine is, and what was done to it."""
    if standing.made_at is None:
        return ""
    told = [f"made {_day(standing.made_at)}"]
    for name, at in (("strained", standing.strained_at), ("boiled", standing.boiled_at)):
        if at:
            told.append(f"{name} {_day(at)}")
    batches = f"{standing.batches_ever} batch{'' if standing.batches_ever == 1 else 'es'}"
    return ", ".join((*told, f"{batches} in it so far"))


def deed(told: TubDeed) -> str:
    """A deed of a tub in words of the dairy."""
    match told:
        case Made(litres, pct, whey):
            what = "whey brine" if whey else "brine"
            return f"{show.volume(litres)} of {what} made, {show.number(pct, 1)} %"
        case Read():
            return _reading(told)
        case PhRead(ph):
            return f"pH {ph:.2f}"
        case Floated(how):
            return f"A cheese, laid in: {FLOAT_WORDS[how]}"
        case SaltIn(kg):
            return f"{show.mass(kg)} of salt in"
        case WaterIn(litres):
            return f"{show.volume(litres)} of water in"
        case CalciumIn(grams):
            return f"{grams:.0f} g of calcium chloride in"
        case Cleaned(how):
            return "Strained" if how == "strained" else "Boiled, skimmed, cooled"
        case Discarded(word):
            return f"Poured away: {word}"
    return ""


def _reading(told: Read) -> str:
    parts = [f"Read: {told.value:g} {'%' if told.by == 'pct' else READ_WORDS[told.by]}"]
    if told.by != "pct":
        parts.append(f"at {show.degrees(told.celsius)}")
    if told.ph is not None:
        parts.append(f"pH {told.ph:.2f}")
    if told.litres is not None:
        parts.append(f"{show.volume(told.litres)} in it")
    return ", ".join(parts) + (f" ({told.word})" if told.word else "")
