"""The strength of a rennet as its label says it, in whatever words."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from openpail.craft.errors import OutOfRange
from openpail.craft.house import House
from openpail.craft.stock.products import Product, Scale
from openpail.craft.units import System, parse_amount, parse_number

SCALE_WORDS: Mapping[Scale, str] = {
    "imcu": "IMCU for each mL, g or tablet",
    "soxhlet": "the N of “1 : N”",
    "mg": "mg of chymosin in a litre",
    "dose": "litres of milk that one mL, g or tablet is for",
    "unknown": "nothing: it does not say",
}
_ONE_TO = re.compile(r"^1\s*[:/]\s*(?P<n>\d[\d\s.,’']*)$")
_MG = re.compile(r"^(?P<n>\d[\d.,]*)\s*mg\b", re.I)
_IMCU = re.compile(r"^(?P<n>\d[\d.,]*)\s*IMCU\b", re.I)
_FOR = re.compile(r"^(?P<dose>.+?)\s+(?:for|per|sets?|to)\s+(?P<milk>.+)$", re.I)
_PIECES = re.compile(r"^(?P<n>[\d.,/½¼⅛ ]+)\s*(?:tablets?|pieces?|sachets?|packets?)\b", re.I)
_MASS = re.compile(r"(?:\d|\s)(?:g|grams?|oz)$", re.I)


@dataclass(frozen=True, slots=True)
class LabelRead:
    """What a label says: its figure, on which scale, None where the words do not say which."""

    strength: float
    scale: Scale | None


def read_label(text: str, system: System = "metric") -> LabelRead:
    """Read the strength of a rennet as its label says it: "200", "200 IMCU/mL", "1 : 10 000",
    "520 mg/L", "30 mL for 100 L", "4 drops for 2 gal", "1 tablet for 50 L".

    Parameters: text; system, of the dairy, for bare gallons and spoons.
    Raises: Unknown, OutOfRange, Ambiguous as `parse_amount`. Source: makers’ labels.
    """
    shown = text.strip()
    one_to = _ONE_TO.match(shown)
    if one_to:
        return LabelRead(float(re.sub(r"\D", "", one_to["n"])), "soxhlet")
    told = _FOR.match(shown)
    if told:
        return LabelRead(_litres_of_one(told["dose"], told["milk"], system), "dose")
    for pattern, scale in ((_MG, "mg"), (_IMCU, "imcu")):
        found = pattern.match(shown)
        if found:
            return LabelRead(parse_number(found["n"]), scale)  # type: ignore[arg-type]
    return LabelRead(parse_number(shown), None)


def _litres_of_one(dose: str, milk: str, system: System) -> float:
    litres = parse_amount(milk, "volume", system).base
    pieces = _PIECES.match(dose)
    if pieces:
        given = parse_number(pieces["n"].strip())
    elif _MASS.search(dose.strip()):
        given = 1000 * parse_amount(dose, "mass", system).base
    else:
        given = 1000 * parse_amount(dose, "volume", system).base
    if given <= 0 or litres <= 0:
        raise OutOfRange("So much of it for so many litres of milk: both are more than nothing.")
    return litres / given


def asked_of_label(product: Product, house: House) -> str:
    """What is asked of a label that is hard to believe, "" of any other.

    Parameters: product; house. Source: house value: 520 is more often mg in a litre.
    """
    most = house.number("rennet.liquid_ask")
    is_liquid = product.kind == "rennet" and product.unit == "mL"
    if not is_liquid or product.scale != "imcu" or (product.strength or 0) <= most:
        return ""
    return (
        f"{product.strength:g} IMCU/mL is strong for a liquid: over {most:g} it is more often mg "
        "of chymosin in a litre. Look at the label; 600 to 750 IMCU exist."
    )


def lacks(product: Product) -> str:
    """What the label of a rennet lacks to be dosed from, in words; "" for nothing.

    Parameters: product of rennet. Source: our own judgement.
    """
    if product.scale == "unknown":
        asked = "Write for how much milk it is, like 1 tablet for 50 L."
        return "" if product.unit == "mL" else asked
    if (product.strength or 0) > 0:
        return ""
    return "Write the strength on its label; or choose below that it does not say."
