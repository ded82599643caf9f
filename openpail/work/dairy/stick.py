"""A dip-stick told in words: how high it is wet, and in which vat."""

from __future__ import annotations

import re
from collections.abc import Sequence

from openpail.craft.bench.vat import litres_at
from openpail.craft.errors import CraftError, OutOfRange, Unknown
from openpail.craft.units import UNITS, Amount, System, parse_amount
from openpail.records.dairy.models import Vat

_TOLD = re.compile(r"(.+?(?:cm|mm|inch(?:es)?|in|″|\"))(?:\s+(?:in\s+)?(?:the\s+)?(.+))?", re.I)


def litres_in(vat: Vat, cm: float) -> float:
    """What stands in a vat whose stick is wet so high, L. Raises OutOfRange where it never was
    measured, or the stick is wet over the brim."""
    litres = litres_at(cm, vat.diameter_cm, vat.measured)
    if litres is None:
        raise OutOfRange(f"{vat.name} was never measured: write litres.", "litres")
    if litres > vat.brim_l:
        raise OutOfRange(
            f"{cm:g} cm is over the brim of {vat.name}: look at the stick again.", "litres"
        )
    return litres


def told_by_stick(text: str, vats: Sequence[Vat], system: System, first: CraftError) -> Amount:
    """So much milk as "12 cm in the stove pot" tells it, L.

    vats are those of the dairy; first is what a reader of litres had to say of the text, raised
    where it is no height either. Raises Unknown when which vat is not plain; OutOfRange.
    """
    told = _TOLD.fullmatch(text.strip())
    if not told:
        raise first
    high, named = told[1].strip(), (told[2] or "").strip().casefold()
    try:
        height = parse_amount(high, "length", system)
    except CraftError:
        raise first from None
    vat = _vat_named(named, high, [each for each in vats if each.measured or each.diameter_cm])
    return Amount(text.strip(), round(litres_in(vat, float(height.base)), 2), UNITS["L"])


def _vat_named(named: str, high: str, vats: Sequence[Vat]) -> Vat:
    if not vats:
        raise Unknown("No vat was measured yet: write litres, or measure one under Dairy.")
    found = [vat for vat in vats if named in vat.name.casefold()]
    found = [vat for vat in found if vat.name.casefold() == named] or found
    if len(found) != 1:
        like = (found or vats)[0].name
        raise Unknown(f"{high} of which vat? Write it so: {high} in the {like}.")
    return found[0]
