"""Tubs of brine: what is told of them goes through one door, checked by the craft."""

from __future__ import annotations

import uuid
from datetime import datetime

from openpail.craft.dates import check_undo
from openpail.craft.deed import to_payload
from openpail.craft.errors import Unknown
from openpail.craft.salt import tub as craft
from openpail.craft.salt import tub_checks
from openpail.craft.salt.brine import density_20, salt_for
from openpail.craft.salt.tub import TubStanding
from openpail.craft.salt.tub_checks import Wants
from openpail.craft.salt.tub_deeds import Made, TubDeed, TubTold, TubUndone
from openpail.records.brine import actions as brine
from openpail.records.brine.models import Brining, Tub
from openpail.records.log import actions as log
from openpail.records.log.actions import Kept
from openpail.records.makes.models import Make
from openpail.work.asked import of_dairy, of_row
from openpail.work.here import Here
from openpail.work.press.brining import refold

TOLD = 24

# Rows that a screen has in its hands and tells of by name.
__all__ = ["Brining", "Make", "Tub"]

tub = of_dairy(brine.tub)
add = of_dairy(brine.add_tub)
change = of_row(brine.change_tub)


def put_away(here: Here, tub_id: uuid.UUID) -> None:
    """A tub is out of use. Raises NotHere; RecordError while something lies in it."""
    brine.put_away(here.session, tub(here, tub_id), here.now)


def tell(
    here: Here,
    tub_id: uuid.UUID,
    deed: TubDeed,
    *,
    deed_id: uuid.UUID,
    amends: uuid.UUID | None = None,
    at: datetime | None = None,
) -> None:
    """Tell one deed of a tub; told before, it is harmless. Raises NotHere; CraftError by field.

    Parameters: at, when it happened, None for now; amends, the deed that is taken back.
    """
    row = brine.tub(here.session, here.dairy, tub_id, to_change=True)
    if deed_id in log.there(here.session, here.dairy.id, [deed_id]):
        return
    moment = at or here.now
    known = brine.told(here.session, row)
    mends = str(amends) if amends else None
    told = TubTold(id=str(deed_id), deed=deed, at=moment, amends=mends, counter=len(known))
    if isinstance(deed, TubUndone):
        _check_undone(here, row, known, told)
    lying = sum(each.pieces for each, _ in here.lying.get(row.id, ()))
    tub_checks.check(
        told, brine.standing_of(row), row.size.volume_l, now=here.now, lying=lying, house=here.house
    )
    payload, counter = to_payload(deed), told.counter
    kept = Kept(
        subject="brine",
        subject_id=row.id,
        id=deed_id,
        deed=deed.kind,
        payload=payload,
        happened=moment,
        at=moment,
        counter=counter,
        amends=amends,
    )
    log.add(here.session, here.dairy.id, kept, here.now, here.person_id)
    refold(here, row)
    here.forget(Here.tubs)


def _check_undone(here: Here, row: Tub, known: list[TubTold], told: TubTold) -> None:
    target = next((each for each in known if each.id == told.amends), None)
    if target is None or isinstance(target.deed, TubUndone):
        raise Unknown("What this would take back is not in the record of this tub.", "amends")
    arrived = {str(each.id): each.arrived for each in log.rows(here.session, row.dairy_id, row.id)}
    check_undo(arrived[target.id], here.now)


def make_brine(
    here: Here,
    tub_id: uuid.UUID,
    water_l: float,
    pct: float,
    deed_id: uuid.UUID,
    *,
    whey: bool = False,
) -> float:
    """A brine is made of so much water or whey. Returns: kg of salt that go into it.

    Raises: NotHere; CraftError by field.
    """
    salt = salt_for(water_l, pct).value
    litres = (water_l + salt) / density_20(pct)
    tell(here, tub_id, Made(litres, pct, whey), deed_id=deed_id)
    return salt


def wants(here: Here, row: Tub, standing: TubStanding) -> Wants:
    """What a tub wants of the hands."""
    return tub_checks.wants(standing, row.goal_pct, here.now, here.house, row.soft)


def last_told(here: Here, row: Tub) -> list[TubTold]:
    """What was told of a tub last, the newest first."""
    return craft.in_order(brine.told(here.session, row, 2 * TOLD))[:TOLD]
