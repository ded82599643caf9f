"""Tables as an OpenDocument spreadsheet, which any office program reads: words as words, numbers as
numbers, days as days. A text is never a formula in it."""

from __future__ import annotations

import io
import re
from collections.abc import Iterable, Mapping, Sequence
from datetime import date, datetime

from odf.opendocument import OpenDocumentSpreadsheet
from odf.style import Style, TableCellProperties, TextProperties
from odf.table import Table, TableCell, TableRow
from odf.text import P

# what no XML may hold
_UNTELLABLE = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")
SheetCell = str | float | int | bool | date | datetime | None


def spreadsheet(sheets: Mapping[str, Iterable[Sequence[SheetCell]]]) -> bytes:
    """An OpenDocument spreadsheet. Parameters: sheets by name, each its rows, the first the titles
    of its columns; a moment is written without its zone, as the dairy's own clock had it."""
    document = OpenDocumentSpreadsheet()
    title = Style(name="title", family="table-cell")
    title.addElement(TextProperties(fontweight="bold"))
    title.addElement(TableCellProperties(borderbottom="0.5pt solid #2b3438"))
    document.automaticstyles.addElement(title)
    for name, rows in sheets.items():
        table = Table(name=name)
        for number, row in enumerate(rows):
            line = TableRow()
            for value in row:
                line.addElement(_cell(value, title if number == 0 else None))
            table.addElement(line)
        document.spreadsheet.addElement(table)
    out = io.BytesIO()
    document.write(out)
    return out.getvalue()


def _cell(value: SheetCell, style: Style | None) -> TableCell:
    more = {"stylename": style} if style is not None else {}
    match value:
        case None | "":
            return TableCell(**more)
        case bool():
            return _worded(TableCell(valuetype="string", **more), "yes" if value else "no")
        case int() | float():
            return TableCell(valuetype="float", value=value, **more)
        case datetime():
            moment = value.replace(tzinfo=None, microsecond=0).isoformat()
            return _worded(TableCell(valuetype="date", datevalue=moment, **more), moment)
        case date():
            day = value.isoformat()
            return _worded(TableCell(valuetype="date", datevalue=day, **more), day)
    return _worded(TableCell(valuetype="string", **more), _UNTELLABLE.sub("", value))


def _worded(cell: TableCell, words: str) -> TableCell:
    cell.addElement(P(text=words))
    return cell
