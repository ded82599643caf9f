"""The dairy: its name and units, its vats, presses, moulds and rooms, its ways and house values."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import time

from openpail.craft.errors import RecordError
from openpail.records.dairy import actions
from openpail.records.dairy import gear as gears
from openpail.records.dairy.models import Dairy, HouseOverride, Vat
from openpail.work.asked import of_dairy, of_row
from openpail.work.here import Here

# Rows that a screen has in its hands and tells of by name.
__all__ = ["Dairy", "HouseOverride", "Vat"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Own:
    """What a dairy says of itself: its name and place, its units, its quiet hours, the day of its
    house tasks (0: Monday), and where its analyser, logger and scale answer ("": none)."""

    name: str
    zone: str
    volume_system: str
    mass_system: str
    degrees: str
    pints: str
    currency: str
    quiet_from: time
    quiet_until: time
    house_day: int
    analyser: str
    logger: str
    scale: str


def change(here: Here, own: Own) -> None:
    """All that a dairy says of itself. Raises RecordError by field."""
    session, dairy = here.session, here.dairy
    actions.set_quiet(dairy, own.quiet_from, own.quiet_until)
    actions.set_analyser(session, dairy, own.analyser)
    actions.set_logger(session, dairy, own.logger)
    actions.set_scale(session, dairy, own.scale)
    actions.set_house_day(dairy, own.house_day)
    units = {
        "volume_system": own.volume_system,
        "mass_system": own.mass_system,
        "degrees": own.degrees,
        "pints": own.pints,
        "currency": own.currency,
    }
    actions.change(session, dairy, own.name, own.zone, **units)


# ── vats ──

vats_put_away = of_dairy(actions.vats_put_away)
add_vat = of_dairy(actions.add_vat)
change_vat = of_row(actions.change_vat)
measure_fills = of_row(actions.measure_fills)
set_heater = of_row(gears.set_heater)
set_probe = of_row(actions.set_probe)


def put_away(here: Here, vat: Vat) -> None:
    """A vat is out of use; its makes keep it.

    Raises: RecordError while milk is poured into it, a make stands in it or one is planned there.
    """
    poured = {bench.vat_id for pours in here.poured.values() for bench, _ in pours}
    if vat.id in poured:
        raise RecordError(f"Milk is poured for the {vat.name} at the Bench: take it back first.")
    if any(make.vat_id == vat.id for make in here.under_way):
        raise RecordError(f"A make stands in the {vat.name}.")
    if any(plan.vat.id == vat.id for plan in here.planned):
        raise RecordError(f"A make is planned in the {vat.name}: move it to another first.")
    vat.put_away_at = here.now


def take_out(vat: Vat) -> None:
    """A vat is in use again."""
    vat.put_away_at = None


# ── presses, moulds, weights, rooms, jars ──

one_gear = of_dairy(gears.one_gear)
add_gear = of_dairy(gears.add_gear)
measure_gear = of_dairy(gears.measure)
drop_gear = of_dairy(gears.drop_gear)
add_weight = of_dairy(gears.add_weight)
drop_weight = of_dairy(gears.drop_weight)
rooms = of_dairy(gears.rooms_of)
set_room = of_dairy(gears.set_room)
add_jar = of_dairy(actions.add_measure)
drop_jar = of_dairy(actions.drop_measure)


# ── ways, house values ──

ways = actions.ways_of
set_ways = of_dairy(actions.set_ways)
own_values = of_dairy(actions.own_values)


def overrule(here: Here, key: str, value: float, why: str) -> None:
    """A house value is another one here, with why. Raises CraftError, RecordError."""
    actions.overrule(
        here.session,
        here.dairy,
        key,
        value=value,
        now=here.now,
        person_id=here.person_id,
        why=why,
    )


def end_override(here: Here, key: str) -> None:
    """The shipped value is in force again."""
    actions.end_override(here.session, here.dairy, key, here.now)


# ── its calendar ──

by_calendar_key = actions.by_calendar_key
set_calendar_key = of_dairy(actions.set_calendar_key)
