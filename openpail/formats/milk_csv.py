"""Milk as CSV: a slip file of any laboratory read by what its columns mean, and the milk book.

Reading has two halves. `understand` looks at the header and says what each column is taken for
and what it must ask (°C or °H, per mL or in thousands). `read` then turns each row into a slip,
or into the reason why not, with its line. Nothing is kept here.
"""

from __future__ import annotations

import csv
import io
import re
import unicodedata
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, fields
from datetime import date, datetime
from typing import Any

from openpail.craft.dates import check_day
from openpail.craft.errors import CraftError, PailError
from openpail.craft.milk.acidity import SCALES, convert
from openpail.craft.milk.kinds import MilkTest
from openpail.craft.milk.slip import check_test, freezing_point
from openpail.craft.units import parse_number

MOST_ROWS = 5000
_LONGEST_TITLE, _MOST_COLUMNS = 120, 200
_MEANINGS: Mapping[str, tuple[str, ...]] = {
    "who": (
        "lot",
        "lotno",
        "lotnumber",
        "sample",
        "sampleid",
        "herd",
        "group",
        "animal",
        "animals",
        "name",
        "bulk",
        "batch",
        "id",
    ),
    "day": ("date", "day", "taken", "sampled", "sampledate", "testdate", "datetaken"),
    "fat_pct": ("fat", "butterfat", "bf", "milkfat", "fatpct"),
    "protein_pct": ("protein", "prot", "proteinpct", "totalprotein"),
    "true_protein": ("trueprotein", "proteintrue"),
    "crude_protein": ("crudeprotein", "proteincrude"),
    "casein_pct": ("casein", "caseinpct"),
    "lactose_pct": ("lactose", "lactosepct", "sugar"),
    "snf_pct": ("snf", "solidsnotfat", "msnf", "nonfatsolids", "nfs", "snfpct"),
    "total_solids_pct": ("totalsolids", "ts", "drymatter", "dm", "solids", "totalsolidspct"),
    "density_g_ml": ("density", "specificgravity", "sg", "densitygml"),
    "density_c": ("densityc", "densityat", "densitytemp", "densitytemperature"),
    "lactometer": ("lactometer", "quevenne", "lr"),
    "lactometer_c": ("lactometerc", "lactometerat", "lactometertemp"),
    "freezing_point_c": ("freezingpoint", "fp", "cryoscopy", "freezing", "freezingpointc"),
    "acidity_pct": ("acidity", "ta", "titratableacidity", "dornic", "acid", "aciditypct"),
    "ph": ("ph",),
    "ph_sample_c": ("phsamplec", "phtemp", "phtemperature", "phat"),
    "cells_per_ml": ("cells", "scc", "somaticcells", "somaticcellcount", "cellcount", "cellsperml"),
    "plates_per_ml": (
        "platecount",
        "tbc",
        "tpc",
        "bacteria",
        "bactoscan",
        "cfu",
        "spc",
        "totalbacterialcount",
        "platesperml",
        "bacterialcount",
    ),
    "residue_found": (
        "residue",
        "antibiotic",
        "antibiotics",
        "inhibitors",
        "residuetest",
        "residuefound",
    ),
    "protein_kind": ("proteinkind",),
}
_BY_NAME = {name: part for part, names in _MEANINGS.items() for name in names}
WORDS: Mapping[str, str] = {
    "who": "whose milk",
    "day": "day",
    "fat_pct": "fat %",
    "protein_pct": "protein %",
    "true_protein": "true protein %",
    "crude_protein": "crude protein %",
    "casein_pct": "casein %",
    "lactose_pct": "lactose %",
    "snf_pct": "solids not fat %",
    "total_solids_pct": "total solids %",
    "density_g_ml": "density",
    "density_c": "density read at °C",
    "lactometer": "lactometer",
    "lactometer_c": "lactometer read at °C",
    "freezing_point_c": "freezing point",
    "acidity_pct": "acidity",
    "ph": "pH",
    "ph_sample_c": "pH sample at °C",
    "cells_per_ml": "cells per mL",
    "plates_per_ml": "plate count per mL",
    "residue_found": "residue test",
    "protein_kind": "kind of protein",
}


@dataclass(frozen=True, slots=True)
class Question:
    """Something the header leaves open: its key, words, and the answers there are."""

    key: str
    words: str
    answers: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class Column:
    """A column: its title, and the part of a slip it is taken for ("" for none)."""

    title: str
    part: str


@dataclass(frozen=True, slots=True)
class Table:
    """A file as understood: columns, rows with their line in the file, and open questions."""

    columns: tuple[Column, ...]
    rows: tuple[tuple[int, tuple[str, ...]], ...]
    questions: tuple[Question, ...]

    @property
    def header(self) -> str:
        """What answers are remembered by: the titles, as they stand."""
        return "|".join(column.title for column in self.columns)


@dataclass(frozen=True, slots=True, kw_only=True)
class Understood:
    """A row that was read: its line, whose milk it says, the day, the slip."""

    line: int
    who: str
    day: date
    test: MilkTest


@dataclass(frozen=True, slots=True)
class RefusedSlip:
    """A row that was not: its line, what it says, and why."""

    line: int
    text: str
    words: str


class NotATable(PailError):
    """A text that has no header we know; `words` say what is missing."""


def understand(text: str) -> Table:
    """Look at a pasted or uploaded file. Raises NotATable."""
    lines = text.lstrip("\ufeff").replace("\r\n", "\n").replace("\r", "\n")
    if "\x00" in lines:
        raise NotATable("This is no text file. Save it as CSV first.")
    try:
        found = list(csv.reader(io.StringIO(lines), delimiter=_delimiter(lines)))
    except csv.Error as error:
        raise NotATable(f"It cannot be read as lines and cells: {error}.") from error
    rows = [(i, tuple(cell.strip() for cell in row)) for i, row in enumerate(found, start=1)]
    rows = [(i, row) for i, row in rows if any(row)]
    if not rows:
        raise NotATable("There is nothing in it.")
    if len(rows) > MOST_ROWS:
        raise NotATable(f"At most {MOST_ROWS} rows at a time; this has {len(rows) - 1}.")
    titles = rows[0][1]
    if len(titles) > _MOST_COLUMNS or any(len(each) > _LONGEST_TITLE for each in titles):
        raise NotATable("The first line is no line of titles: it is too long for that.")
    columns = _columns(titles)
    parts = [column.part for column in columns]
    for need in ("who", "day"):
        if need not in parts:
            raise NotATable(
                f"No column says {WORDS[need]}. The first line must name the columns, like "
                "herd, date, fat, protein."
            )
    if not any(part not in ("", "who", "day") for part in parts):
        raise NotATable("No column holds a figure of a slip: fat, protein, pH and so on.")
    return Table(columns, tuple(rows[1:]), tuple(_questions(columns, rows[1:])))


def _delimiter(text: str) -> str:
    first = text.lstrip("\r\n").split("\n", 1)[0]
    return max("\t;,", key=first.count)


_UNITS = r"\(.*?\)|\[.*?\]|%|(/|per)\s*ml|x\s*1000|x?\s*'?000"


def _columns(titles: Sequence[str]) -> tuple[Column, ...]:
    columns, taken = [], set()
    for title in titles:
        bare = re.sub(_UNITS, " ", title.lower())
        part = _BY_NAME.get(_key(title)) or _BY_NAME.get(_key(bare), "")
        if part in taken:
            part = ""
        taken.add(part)
        columns.append(Column(title, part))
    return tuple(columns)


def _key(title: str) -> str:
    return re.sub(r"[^a-z]", "", title.lower())


def _questions(
    columns: Sequence[Column], rows: Sequence[tuple[int, tuple[str, ...]]]
) -> Iterable[Question]:
    for i, column in enumerate(columns):
        title = column.title.lower()
        if column.part == "protein_pct" and "protein_kind" not in {c.part for c in columns}:
            yield Question(
                "protein",
                f"“{column.title}” is",
                (
                    ("true", "true protein"),
                    ("crude", "crude protein"),
                    ("unknown", "it does not say"),
                ),
            )
        elif column.part == "freezing_point_c" and not _says(title, "°c", "_c", "(c)"):
            yield Question("freezing", f"“{column.title}” is in", (("c", "°C"), ("h", "°H")))
        elif column.part == "cells_per_ml" and not _says(title, "per_ml", "/ml", "000", "per ml"):
            yield Question(
                "cells",
                f"“{column.title}” counts",
                (
                    ("1", "cells per mL"),
                    ("1000", "thousands per mL"),
                ),
            )
        elif column.part == "plates_per_ml" and not _says(title, "per_ml", "/ml", "000", "per ml"):
            yield Question(
                "plates",
                f"“{column.title}” counts",
                (
                    ("1", "per mL"),
                    ("1000", "thousands per mL"),
                ),
            )
        elif column.part == "acidity_pct" and not _says(title, "_pct", "%", "dornic"):
            yield Question(
                "acidity",
                f"“{column.title}” is in",
                tuple((key, words) for key, (words, _) in SCALES.items()),
            )
        elif column.part == "day" and any(_either_way(row[i]) for _, row in rows if i < len(row)):
            yield Question(
                "order",
                "In its dates the first figure is",
                (
                    ("day", "the day, 31/12"),
                    ("month", "the month, 12/31"),
                ),
            )


def _says(title: str, *signs: str) -> bool:
    return any(sign in title for sign in signs)


def _either_way(text: str) -> bool:
    match = re.fullmatch(r"(\d{1,2})[./-](\d{1,2})[./-](\d{4}|\d{2})", text)
    return match is not None and max(int(match[1]), int(match[2])) <= 12 and match[1] != match[2]


def read(table: Table, answers: Mapping[str, str]) -> tuple[list[Understood], list[RefusedSlip]]:
    """Read every row of a table with the answers to its questions.

    Returns: slips, and the rows refused with the reason and the line of each.
    """
    good: list[Understood] = []
    refused: list[RefusedSlip] = []
    for line, row in table.rows:
        try:
            good.append(_row(table.columns, line, row, answers))
        except (CraftError, _Bad) as error:
            refused.append(RefusedSlip(line, ", ".join(row), error.words))
    return good, refused


class _Bad(ValueError):
    def __init__(self, words: str) -> None:
        super().__init__(words)
        self.words = words


def _row(
    columns: Sequence[Column], line: int, row: Sequence[str], answers: Mapping[str, str]
) -> Understood:
    if len(row) > len(columns):
        raise _Bad(f"It has {len(row)} cells under {len(columns)} titles.")
    cells = {c.part: (c.title, text) for c, text in zip(columns, row, strict=False) if c.part}
    who, day = cells.pop("who", ("", ""))[1], cells.pop("day", ("", ""))[1]
    if not who:
        raise _Bad("It does not say whose milk.")
    slip: dict[str, Any] = {}
    for part, (title, text) in cells.items():
        if text:
            slip.update(_cell(part, title, text, answers))
    if not any(part != "protein_kind" for part in slip):
        raise _Bad("There is no figure in it.")
    if "protein_pct" in slip and "protein_kind" not in slip:
        slip["protein_kind"] = answers.get("protein", "unknown")
    test = MilkTest(**slip)
    check_test(test)
    return Understood(line=line, who=unguarded(who), day=_day(day, answers), test=test)


def _cell(part: str, title: str, text: str, answers: Mapping[str, str]) -> dict[str, Any]:
    if part == "protein_kind":
        if text not in ("true", "crude", "unknown"):
            raise _Bad(f"{title}: “{text}” is not true, crude or unknown.")
        return {part: text}
    if part == "residue_found":
        return {part: _yes(title, text)}
    try:
        value = parse_number(text.strip().rstrip("%").strip())
    except CraftError as error:
        raise _Bad(f"{title}: {error.words}") from error
    if part in ("true_protein", "crude_protein"):
        return {"protein_pct": value, "protein_kind": part.split("_", maxsplit=1)[0]}
    if part == "freezing_point_c":
        return {part: freezing_point(value, answers.get("freezing") == "h")}
    if part in ("cells_per_ml", "plates_per_ml"):
        key = "cells" if part == "cells_per_ml" else "plates"
        thousands = "000" in title and "per_ml" not in title
        return {part: value * (1000 if thousands else float(answers.get(key, "1")))}
    if part == "acidity_pct":
        scale = "degD" if "dornic" in title.lower() else answers.get("acidity", "pct_la")
        return {part: convert(value, scale, "pct_la")}
    return {part: value}


def _yes(title: str, text: str) -> bool:
    word = text.lower()
    if word in ("1", "y", "yes", "true", "pos", "positive", "found", "+"):
        return True
    if word in ("0", "n", "no", "false", "neg", "negative", "none", "nd", "-"):
        return False
    raise _Bad(f"{title}: “{text}” is neither positive nor negative.")


def _day(text: str, answers: Mapping[str, str]) -> date:
    match = re.fullmatch(r"(\d{1,2})[./-](\d{1,2})[./-](\d{4}|\d{2})", text)
    if not match:
        try:
            day = datetime.fromisoformat(text).date()
        except ValueError:
            raise _Bad(f"“{text}” is not a day. Write it like 2026-05-04.") from None
        return _meant(day)
    a, b, year = int(match[1]), int(match[2]), int(match[3])
    first_is_month = b > 12 or (answers.get("order") == "month" and a <= 12)
    of_month, month = (b, a) if first_is_month else (a, b)
    try:
        found = date(year if year > 99 else 2000 + year, month, of_month)
    except ValueError:
        raise _Bad(f"“{text}” is not a day there is.") from None
    return _meant(found)


def _meant(day: date) -> date:
    try:
        check_day(day)
    except CraftError as error:
        raise _Bad(error.words) from None
    return day


@dataclass(frozen=True, slots=True, kw_only=True)
class LotLine:
    """A lot in the milk book, as plain values."""

    lot: int
    name: str
    kind: str
    breed: str
    treatment: str
    homogenised: bool
    frozen: bool
    bought: bool
    collected_at: datetime
    volume_l: float
    mass_kg: float
    left_kg: float
    price: str


@dataclass(frozen=True, slots=True, kw_only=True)
class SlipLine:
    """A slip in the milk book: the lot's number (0 for a herd's own slip), whose, and when."""

    lot: int
    name: str
    date: datetime
    source: str
    test: MilkTest


def write_lots(lots: Iterable[LotLine]) -> str:
    """The lots as CSV; `read_lots` reads it back the same."""
    return _write([each.name for each in fields(LotLine)], [asdict(lot) for lot in lots])


def read_lots(text: str) -> list[LotLine]:
    """Read back what `write_lots` wrote. Raises NotATable, ValueError for a changed cell."""
    rows = []
    for row in _read(text, [each.name for each in fields(LotLine)]):
        rows.append(
            LotLine(
                lot=int(row["lot"]),
                name=unguarded(row["name"]),
                kind=row["kind"],
                breed=row["breed"],
                treatment=row["treatment"],
                homogenised=row["homogenised"] == "yes",
                frozen=row["frozen"] == "yes",
                bought=row["bought"] == "yes",
                collected_at=datetime.fromisoformat(row["collected_at"]),
                volume_l=float(row["volume_l"]),
                mass_kg=float(row["mass_kg"]),
                left_kg=float(row["left_kg"]),
                price=row["price"],
            )
        )
    return rows


_TEST_COLUMNS = ["lot", "name", "date", "source", *(each.name for each in fields(MilkTest))]


def write_tests(tests: Iterable[SlipLine]) -> str:
    """The slips as CSV, with column names that `understand` knows."""
    rows = []
    for each in tests:
        row = {"lot": each.lot, "name": each.name, "date": each.date, "source": each.source}
        rows.append({**row, **asdict(each.test)})
    return _write(_TEST_COLUMNS, rows)


def read_tests(text: str) -> list[SlipLine]:
    """Read back what `write_tests` wrote. Raises NotATable, ValueError for a changed cell."""
    rows = []
    for row in _read(text, _TEST_COLUMNS):
        slip: dict[str, Any] = {}
        for each in fields(MilkTest):
            cell = row[each.name]
            if each.name == "residue_found":
                slip[each.name] = cell == "yes"
            elif each.name == "protein_kind":
                slip[each.name] = cell
            else:
                slip[each.name] = float(cell) if cell else None
        rows.append(
            SlipLine(
                lot=int(row["lot"]),
                name=unguarded(row["name"]),
                date=datetime.fromisoformat(row["date"]),
                source=row["source"],
                test=MilkTest(**slip),
            )
        )
    return rows


def _write(columns: Sequence[str], rows: Iterable[Mapping[str, Any]]) -> str:
    out = io.StringIO()
    writer = csv.DictWriter(out, columns, lineterminator="\n")
    writer.writeheader()
    writer.writerows({key: _text(value) for key, value in row.items()} for row in rows)
    return out.getvalue()


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return repr(value)
    if isinstance(value, datetime):
        return value.isoformat()
    return guarded(value) if isinstance(value, str) else str(value)


_FORMULA = ("=", "+", "-", "@", "'")


def _is_formula(text: str) -> bool:
    """Whether a spreadsheet would reckon with it: by its first sign that shows, however wide it is
    written."""
    for sign in unicodedata.normalize("NFKC", text):
        if unicodedata.category(sign)[0] not in "CZ":
            return sign in _FORMULA
    return False


def guarded(text: str) -> str:
    """A text that a spreadsheet would take for a formula, marked so that it does not."""
    return f"'{text}" if _is_formula(text) else text


def unguarded(text: str) -> str:
    """Take the mark of `guarded` off again."""
    return text[1:] if text.startswith("'") and _is_formula(text[1:]) else text


def _read(text: str, columns: Sequence[str]) -> list[dict[str, str]]:
    rows = list(csv.DictReader(io.StringIO(text.lstrip("\ufeff"))))
    if rows and set(rows[0]) != set(columns):
        raise NotATable("This is not a file of the milk book.")
    return rows
