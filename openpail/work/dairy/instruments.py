"""The pH meter and the thermometer: tried, and how they read since."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from openpail.craft.make.pasteurise import boils_at
from openpail.records.dairy import checks
from openpail.records.dairy.models import InstrumentCheck
from openpail.work.here import Here


@dataclass(frozen=True, slots=True, kw_only=True)
class Tried:
    """When each instrument was tried and how it read, the newest first.

    least_pct, the least slope of a meter; is_ph_tried, today; is_true, whether the thermometer
    read right when it was tried last; altitude_m and boils_c, None before it was ever tried.
    """

    checks: Sequence[InstrumentCheck]
    least_pct: float
    is_ph_tried: bool
    is_true: bool
    altitude_m: float | None
    boils_c: float | None


def tried(here: Here) -> Tried:
    """How the instruments stand."""
    told = checks.told(here.session, here.dairy)
    last = next((each for each in told if each.kind == "thermometer"), None)
    return Tried(
        checks=told,
        least_pct=here.house.number("ph.slope_least"),
        is_ph_tried=is_ph_set(here),
        is_true=checks.thermometer_true(here.session, here.dairy, here.now),
        altitude_m=last.altitude_m if last else None,
        boils_c=boils_at(last.altitude_m or 0.0) if last else None,
    )


def _ph_set(here: Here) -> InstrumentCheck | None:
    """When the pH meter was set last, asked for once."""
    if "ph set" not in here.worked:
        here.worked["ph set"] = checks.last(here.session, here.dairy, "ph")
    found = here.worked["ph set"]
    assert found is None or isinstance(found, InstrumentCheck)
    return found


def has_meter(here: Here) -> bool:
    """Whether the house has a pH meter: one that was set here once."""
    return _ph_set(here) is not None


def is_ph_set(here: Here) -> bool:
    """Whether the meter was set today."""
    found = _ph_set(here)
    return found is not None and here.day_of(found.at) == here.today


def meter_set(here: Here, slope_pct: float) -> None:
    """The meter was set on two buffers, and shows this slope. Raises RecordError."""
    here.worked.pop("ph set", None)
    checks.ph_checked(
        here.session,
        here.dairy,
        slope_pct,
        least_pct=here.house.number("ph.slope_least"),
        now=here.now,
        person_id=here.person_id,
    )


def thermometer_tried(here: Here, *, ice_c: float, boiling_c: float, altitude_m: float) -> None:
    """What a thermometer showed in melting ice and in boiling water. Raises CraftError."""
    checks.thermometer_checked(
        here.session,
        here.dairy,
        ice_c,
        boiling_c=boiling_c,
        altitude_m=altitude_m,
        now=here.now,
        person_id=here.person_id,
    )
