"""An open spreadsheet: read back by its own library, cell by cell; nothing in it is a formula."""

import io
import re
import zipfile
from datetime import UTC, date, datetime

from hypothesis import given
from hypothesis import strategies as st
from odf.opendocument import load
from odf.table import Table, TableCell, TableRow
from odf.teletype import extractText

from openpail.formats.spreadsheet import spreadsheet

texts = st.text(max_size=20)


def cells(data):
    """Each sheet's rows of (type, value or words)."""
    found = {}
    for table in load(io.BytesIO(data)).spreadsheet.getElementsByType(Table):
        found[table.getAttribute("name")] = [
            [
                (
                    c.getAttribute("valuetype"),
                    c.getAttribute("value") or c.getAttribute("datevalue"),
                )
                if c.getAttribute("valuetype") in ("float", "date")
                else (c.getAttribute("valuetype"), extractText(c))
                for c in row.getElementsByType(TableCell)
            ]
            for row in table.getElementsByType(TableRow)
        ]
    return found


def test_words_numbers_days_and_moments_come_back_as_what_they_are():
    rows = [("name", "n", "day"), ("=1+1", 2.5, date(2026, 5, 4)), (None, 3, True)]
    rows.append(("", datetime(2026, 5, 4, 9, 30, tzinfo=UTC), "a\x00b\x0bc"))
    found = cells(spreadsheet({"makes": rows, "tests": []}))
    assert list(found) == ["makes", "tests"] and found["tests"] == []
    assert found["makes"] == [
        [("string", "name"), ("string", "n"), ("string", "day")],
        [("string", "=1+1"), ("float", "2.5"), ("date", "2026-05-04")],
        [(None, ""), ("float", "3"), ("string", "yes")],
        [(None, ""), ("date", "2026-05-04T09:30:00"), ("string", "abc")],
    ]


@given(texts)
def test_whatever_is_written_it_opens_and_holds_no_formula(text):
    data = spreadsheet({"a": [(text, 1.0)]})
    with zipfile.ZipFile(io.BytesIO(data)) as zipped:
        assert zipped.namelist()[0] == "mimetype"
        content = zipped.read("content.xml").decode()
    assert "table:formula" not in content.replace(text, "") or "table:formula" in text
    assert not re.search(r"<[^>]*table:formula=", content)
    kind, words = cells(data)["a"][0][0]
    assert kind == ("string" if text else None)
    assert len(words) <= len(text)
