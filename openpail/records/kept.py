"""What a column takes, whatever door it came by."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from math import isfinite

from openpail.craft.dates import check_day
from openpail.craft.errors import OutOfRange

_LARGEST = 1e9  # litres, grams, minutes: nothing of a farmstead is more
_LARGEST_PRICE = Decimal("1e8")
_NAMES = frozenset({"name", "label", "container", "place", "login", "title", "supplier_lot", "why"})
_LONGEST_NAME, _LONGEST = 300, 20_000


def check_kept(value: object, column: str) -> None:
    """Refuse a day, number or text that nobody means.

    Parameters: value, of a column of any type; column, its name. Raises: OutOfRange about it.
    """
    if isinstance(value, date):
        check_day(value, column)
    elif isinstance(value, Decimal):
        if not value.is_finite() or not 0 <= value < _LARGEST_PRICE:
            raise OutOfRange("Write the price like 12.50.", column)
    elif isinstance(value, int | float):
        if not isfinite(value) or abs(value) > _LARGEST:
            raise OutOfRange(f"{value:.3g} is more than anybody has.", column)
    elif isinstance(value, str):
        longest = _LONGEST_NAME if column in _NAMES else _LONGEST
        if len(value) > longest:
            raise OutOfRange(f"“{value[:20]}…” is too long: {longest} signs at most.", column)
        if "\x00" in value:
            raise OutOfRange("There is a sign in it that cannot be kept.", column)
