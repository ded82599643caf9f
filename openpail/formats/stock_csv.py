"""The stock as CSV: one lot a line, written and read with the same columns.

Reading keeps nothing: each line becomes a lot, or the reason why not, with its number.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import Any, get_args

from openpail.craft.dates import read_day
from openpail.craft.errors import CraftError, Unknown
from openpail.craft.house import House
from openpail.craft.stock.labels import asked_of_label
from openpail.craft.stock.products import (
    FORMS,
    KINDS,
    LABEL,
    SORTS,
    Kept,
    Per,
    Product,
    Salt,
    Scale,
)
from openpail.craft.units import parse_number
from openpail.formats.milk_csv import guarded, unguarded

COLUMNS = (
    *LABEL,
    "place",
    "supplier_lot",
    "price",
    "bought",
    "left",
    "bought_on",
    "opened_on",
    "best_before",
)
_NUMBERS = ("strength", "g_per_tsp", "drops_per_ml", "serves_l", "size_ml", "bought", "left")
_DATES = ("bought_on", "opened_on", "best_before")
_WORDS: Mapping[str, tuple[str, ...]] = {
    "scale": get_args(Scale),
    "counts": get_args(Salt),
    "per": get_args(Per),
    "kept": get_args(Kept),
    "raw": ("yes", "no"),
    "stands_salt": ("yes", "no"),
}
_TICKS = ("raw", "stands_salt")
MOST_ROWS = 2000
_LARGEST_PRICE = Decimal("1e8")


@dataclass(frozen=True, slots=True)
class LotOfFile:
    """A lot as a file says it: its label, and the rest by the columns' names."""

    line: int
    product: Product
    rest: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class RefusedLot:
    """A line that is no lot: its number, what it says, and why not."""

    line: int
    text: str
    words: str


def write(rows: Iterable[Mapping[str, Any]]) -> str:
    """Lots as CSV, each a mapping by COLUMNS; what is ticked is "yes"."""
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, lineterminator="\r\n", extrasaction="ignore")
    writer.writeheader()
    for row in rows:
        told = {key: guarded(each) if isinstance(each, str) else each for key, each in row.items()}
        writer.writerow({**told, **{key: "yes" if row[key] else "no" for key in _TICKS}})
    return out.getvalue()


def read(text: str) -> tuple[list[LotOfFile], list[RefusedLot]]:
    """The lots in a file, and the lines that are none.

    Parameters: text, with a first line that names columns of COLUMNS, any order, `kind` and
    `name` at least. Raises: Unknown for a file without them.
    """
    rows = csv.reader(io.StringIO(text.lstrip("\ufeff").replace("\r\n", "\n").replace("\r", "\n")))
    try:
        table = list(rows)
    except csv.Error as wrong:
        raise Unknown(f"This is no table of lines and columns: {wrong}.") from wrong
    header = [title.strip().lower().replace(" ", "_") for title in table[0]] if table else []
    if not {"kind", "name"} <= set(header):
        raise Unknown("The first line names the columns: kind and name at least.")
    if len(table) > MOST_ROWS:
        raise Unknown(f"More than {MOST_ROWS} lines: send it in parts.")
    good: list[LotOfFile] = []
    refused: list[RefusedLot] = []
    for number, cells in enumerate(table[1:], 2):
        if not any(cell.strip() for cell in cells):
            continue
        told = {
            key: unguarded(cell.strip())
            for key, cell in zip(header, cells, strict=False)
            if cell.strip()
        }
        try:
            good.append(_line(number, told))
        except CraftError as error:
            refused.append(RefusedLot(number, ", ".join(cells)[:120], error.words))
    return good, refused


def _line(number: int, told: Mapping[str, str]) -> LotOfFile:
    kind = told.get("kind", "").lower()
    if kind not in KINDS:
        raise Unknown(f"“{told.get('kind', '')}” is no kind: {', '.join(KINDS)}.")
    parts: dict[str, Any] = {}
    for key, words in _WORDS.items():
        if key in told:
            if told[key].lower() not in words:
                raise Unknown(f"{key}: “{told[key]}” is none of {', '.join(words)}.")
            parts[key] = told[key].lower()
    parts |= {key: parts[key] == "yes" for key in _TICKS if key in parts}
    for key, known in (("sort", SORTS.get(kind, {})), ("form", FORMS[kind])):
        if key in told:
            if told[key] not in known:
                raise Unknown(f"{key}: “{told[key]}” is none of {', '.join(known)}.")
            parts[key] = told[key]
    for key in _NUMBERS:
        if key in told:
            parts[key] = parse_number(told[key])
    rest: dict[str, Any] = {key: _day(key, told[key]) for key in _DATES if key in told}
    rest |= {key: told[key] for key in ("place", "supplier_lot") if key in told}
    rest |= {key: parts.pop(key) for key in ("bought", "left") if key in parts}
    if "price" in told:
        rest["price"] = _price(told["price"])
    product = Product(kind=kind, name=told.get("name", ""), **parts)
    asked = "" if "scale" in told else asked_of_label(product, House())
    if asked:
        raise Unknown(f"{asked} Write imcu, mg or what it is in the column scale.")
    return LotOfFile(number, product, rest)


def _day(key: str, text: str) -> date:
    try:
        return read_day(text)
    except CraftError as error:
        raise Unknown(f"{key}: {error.words}") from None


def _price(text: str) -> Decimal:
    try:
        price = Decimal(text.replace(",", ".")).quantize(Decimal("0.01"))
    except InvalidOperation:
        price = Decimal("nan")
    if not price.is_finite() or not 0 <= price < _LARGEST_PRICE:
        raise Unknown(f"price: “{text[:40]}” is no amount of money.")
    return price
