"""A maker who plays a dry run by the book: reads, warms, looks, waits; by_clock: never looks at
the set, and goes on when the sheet says so."""

from datetime import UTC, datetime

from openpail.craft.practice.run import AtMinute, begun
from openpail.craft.practice.world import LEAVES_THE_VAT

STARTED = datetime(2026, 5, 4, 7, tzinfo=UTC)
_LOOK_EVERY, _MOST_DEEDS = 1.0, 4000
_AHEAD_C, _LAGS = 0.7, 0.12


def goes(world, by_clock=False, leaves_heat_on=False):
    """The run from its first deed to its last."""
    run, minute = begun(world), 0.0
    for _ in range(_MOST_DEEDS):
        at = AtMinute(world, run, STARTED, minute)
        if at.step is None:
            return at
        run = at.does("go") if at.away else _hands(at, by_clock, leaves_heat_on)
        did = len(run.told) > len(at.run.told) or run.state.heat != at.run.state.heat
        minute = max(at.minute + (0 if did else _LOOK_EVERY), run.state.minute)
    raise AssertionError("it never came to its end")


def _hands(at, by_clock, leaves_heat_on):
    state, step = at.step, at.step.planned.step
    share = _heat(at, step, leaves_heat_on)
    if share != at.state.heat and at.in_vat:
        return at.does("heat", share)
    over = at.now >= state.ends
    if at.ends_by not in {"step_done", "weighed"} and not by_clock:
        return at.does(_looks(at, over))
    if at.turns_left and at.now - state.begins >= (state.ends - state.begins) / 2:
        return at.does("turned")
    if not _is_there(at, step, over):
        return at.does("wait")
    since = [each for each in at.standing.readings if each.at >= state.begins]
    unread = "temperature" in step.asks and at.in_vat and not any(e.celsius for e in since)
    unread |= "ph" in step.asks and not any(each.ph for each in since)
    return at.does("read" if unread else "done")


def _looks(at, over):
    """The blade for the first flocks, after its reading; the set once its time is there."""
    if at.ends_by == "set_looked":
        return "set" if over else "wait"
    read = any(each.at >= at.step.begins for each in at.standing.readings)
    return "blade" if read or "temperature" not in at.step.planned.step.asks else "read"


def _is_there(at, step, over):
    """Whether a step has come to its mark."""
    vat, band = at.state.vat, step.celsius
    if not at.in_vat or step.kind in LEAVES_THE_VAT:
        return over
    if step.key in at.world.fair_ph:
        return vat.ph <= step.ph.target
    if band and step.kind == "cool":
        return vat.celsius <= band.high
    warm = band is None or vat.celsius >= band.target - 0.4
    if step.kind == "warm":
        return warm
    return over and (warm or step.kind != "heat")


def _heat(at, step, leaves_on):
    """How much heat it wants now: none before it is left alone."""
    if step.kind in LEAVES_THE_VAT or (at.called_in and leaves_on):
        return at.state.heat
    if step.celsius is None or step.kind == "add water" or at.called_in:
        return 0.0
    vat, target = at.state.vat, step.celsius.target
    if step.kind == "cool":
        return -1.0 if vat.celsius > target else 0.0
    if step.kind == "heat":  # along its ramp, a little before it
        begins = (at.step.begins - at.started).total_seconds() / 60
        start = next((e.celsius for e in at.trace if e.minute >= begins), vat.celsius)
        share = min(1.0, (at.minute - begins) / max(1.0, at.step.planned.minutes))
        target = start + share * (target - start) + _AHEAD_C
    gap = target - vat.celsius
    if gap < -1.5:
        return -1.0
    if gap <= 0.2 or (vat.jacket_c - vat.celsius) * _LAGS > gap:
        return 0.0
    return 1.0 if gap > 3 else 1 / 3
