"""The dairy's things: what stands in use, and what may be put away."""

from __future__ import annotations

from openpail.craft.errors import RecordError
from openpail.records.dairy.models import Vat
from openpail.work.here import Here


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
