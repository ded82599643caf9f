"""A logger's file read by what its columns mean: when, how warm, how damp, how sour.

Nothing is kept here: each row is a value, or the reason why it is none, with its line.
"""

from __future__ import annotations

import csv
import io
import re
import unicodedata
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, tzinfo

from openpail.craft.cave.climate import check_reading
from openpail.craft.dates import check_day
from openpail.craft.errors import CraftError, PailError
from openpail.craft.make.checks import check_reading as check_vat
from openpail.craft.make.deeds import ReadingTaken
from openpail.craft.units import parse_number

MOST_ROWS = 120_000
_MEANINGS: Mapping[str, tuple[str, ...]] = {
    "at": ("time", "datetime", "timestamp", "moment", "dateandtime", "when", "timeutc"),
    "date": ("date", "day"),
    "celsius": ("temperature", "temp", "celsius", "t", "degc", "temperaturec", "tempc", "c"),
    "fahrenheit": ("fahrenheit", "degf", "temperaturef", "tempf", "f"),
    "humidity": ("humidity", "rh", "relativehumidity", "humiditypct", "humidityrh", "rhpct", "h"),
    "ph": ("ph",),
}
_DAYS_FIRST = ("%Y-%m-%d", "%d.%m.%Y", "%d/%m/%Y", "%d-%m-%Y", "%Y/%m/%d")
_MONTHS_FIRST = ("%m/%d/%Y",)
_CLOCKS = ("%H:%M:%S", "%H:%M", "%I:%M:%S %p", "%I:%M %p")


class NotAFile(PailError):
    """A text that has no columns we know; `words` say what is missing."""


@dataclass(frozen=True, slots=True, kw_only=True)
class AirRow:
    """A value: when, °C, % of humidity, pH; None for what the row does not say."""

    at: datetime
    celsius: float | None
    humidity: float | None
    ph: float | None = None


def check_air(row: AirRow) -> None:
    """Refuse what no place to ripen has. Parameters: row. Raises: OutOfRange."""
    check_reading(row.celsius, row.humidity)


def check_milk(row: AirRow) -> None:
    """Refuse what no vat shows. Parameters: row. Raises: OutOfRange."""
    check_vat(ReadingTaken(celsius=row.celsius, ph=row.ph))


@dataclass(frozen=True, slots=True)
class RefusedRow:
    """A row that was not read: its line, what it says, and why."""

    line: int
    text: str
    words: str


@dataclass(frozen=True, slots=True)
class AirFile:
    """A file as it was read: values by time, refused rows, stretches without a value."""

    values: tuple[AirRow, ...]
    refused: tuple[RefusedRow, ...]


def read(
    text: str,
    zone: tzinfo,
    *,
    month_first: bool = False,
    check: Callable[[AirRow], None] = check_air,
) -> AirFile:
    """The values of a logger's file.

    Parameters: text, of at most 120 000 rows, its first line the titles; zone, of times that name
    none; month_first, of days like 04/05/2026; check, what refuses a row by its values. A title
    with °F or F in it is believed.
    Raises: NotAFile.
    """
    lines = text.lstrip("\ufeff").splitlines()
    header = next((i for i, line in enumerate(lines[:40]) if _columns(line)), None)
    if header is None:
        raise NotAFile(
            "No line of it names its columns: a time, and temperature or humidity. Like "
            "time,temperature,humidity."
        )
    if len(lines) - header > MOST_ROWS:
        raise NotAFile(f"More than {MOST_ROWS} rows: split the file.")
    columns = _columns(lines[header])
    mark = _mark(lines[header])
    values: list[AirRow] = []
    refused: list[RefusedRow] = []
    rows = csv.reader(io.StringIO("\n".join(lines[header + 1 :])), delimiter=mark)
    for number, row in enumerate(rows, start=header + 2):
        if not any(cell.strip() for cell in row):
            continue
        try:
            found = _row(row, columns, zone, month_first=month_first)
            check(found)
            values.append(found)
        except (CraftError, ValueError) as error:
            words = error.words if isinstance(error, CraftError) else str(error)
            refused.append(RefusedRow(number, mark.join(row)[:80], words))
    return AirFile(tuple(sorted(values, key=lambda each: each.at)), tuple(refused))


def _mark(line: str) -> str:
    return max((";", "\t", ","), key=line.count)


def _plain(title: str) -> str:
    bare = unicodedata.normalize("NFKD", title).lower().replace("°f", "f").replace("°c", "c")
    return re.sub(r"[^a-z]", "", bare)


def _columns(line: str) -> dict[str, int]:
    """The columns of a header by what they mean; {} where it is none."""
    found: dict[str, int] = {}
    for number, title in enumerate(line.split(_mark(line))):
        name = _plain(title)
        part = next((part for part, names in _MEANINGS.items() if name in names), "")
        if not part and ("temp" in name):
            part = "fahrenheit" if name.endswith("f") else "celsius"
        if not part and ("humid" in name or name.startswith("rh")):
            part = "humidity"
        if part:
            found.setdefault(part, number)
    has_time = "at" in found or "date" in found
    has_value = found.keys() & {"celsius", "fahrenheit", "humidity", "ph"}
    return found if has_time and has_value else {}


def _row(
    row: Sequence[str], columns: Mapping[str, int], zone: tzinfo, *, month_first: bool
) -> AirRow:
    def cell(part: str) -> str:
        number = columns.get(part)
        return row[number].strip() if number is not None and number < len(row) else ""

    at = _moment(" ".join(filter(None, (cell("date"), cell("at")))), zone, month_first=month_first)
    celsius = _number(cell("celsius"))
    if celsius is None and cell("fahrenheit"):
        fahrenheit = _number(cell("fahrenheit"))
        celsius = None if fahrenheit is None else (fahrenheit - 32) / 1.8
    humidity = _number(cell("humidity"))
    check_day(at)
    return AirRow(at=at, celsius=celsius, humidity=humidity, ph=_number(cell("ph")))


def _number(text: str) -> float | None:
    bare = re.sub(r"[°%CFcf]+$", "", text.strip()).strip()
    if bare in ("", "-", "--") or bare.lower() == "nan":
        return None
    return parse_number(bare)


def _moment(text: str, zone: tzinfo, *, month_first: bool) -> datetime:
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        found = _written(text, month_first=month_first)
    return (found if found.tzinfo else found.replace(tzinfo=zone)).astimezone(UTC)


def _written(text: str, *, month_first: bool) -> datetime:
    days = (*_MONTHS_FIRST, *_DAYS_FIRST) if month_first else (*_DAYS_FIRST, *_MONTHS_FIRST)
    for day in days:
        for clock in _CLOCKS:
            try:
                return datetime.strptime(text, f"{day} {clock}")
            except ValueError:
                continue
    raise ValueError("its time is not understood: write it like 2026-05-04 06:30")
