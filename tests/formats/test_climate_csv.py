"""A logger's file, in the ways that loggers write them."""

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.formats.climate_csv import NotAFile, read

ZONE = ZoneInfo("Europe/Dublin")
AT = datetime(2026, 5, 4, 5, 30, tzinfo=UTC)


@pytest.mark.parametrize(
    ("text", "celsius", "humidity"),
    [
        ("time,temperature,humidity\n2026-05-04 06:30,12.4,86\n", 12.4, 86),
        ("time,temperature,humidity\n2026-05-04T05:30:00Z,12.4,86\n", 12.4, 86),
        ("Date;Time;Temp (°C);RH %\n04.05.2026;06:30;12,4;86,5\n", 12.4, 86.5),
        ("timestamp\tTemp °F\n05/04/2026 6:30 AM\t54.32\n", 12.4, None),
        (
            "Serial 12\nExported today\n\nWhen,Relative Humidity\n2026/05/04 06:30:00,91%\n",
            None,
            91,
        ),
        ("\ufeffDateTime,Celsius\n2026-05-04 06:30,12.4 °C\n", 12.4, None),
    ],
)
def test_files_of_many_habits_are_read_by_what_their_columns_mean(text, celsius, humidity):
    found = read(text, ZONE, month_first="AM" in text)
    (row,) = found.values
    assert row.at == AT and found.refused == ()
    assert row.celsius == (celsius if celsius is None else pytest.approx(celsius))
    assert row.humidity == humidity


def test_a_row_that_is_none_is_told_with_its_line_and_the_others_are_kept():
    text = (
        "time,temperature,humidity\n2026-05-04 06:30,12.4,86\nyesterday,12,86\n"
        "2026-05-04 06:50,99,86\n2026-05-04 07:00,,\n\n2026-05-04 06:40,12.5,\n"
        "1811-05-04 06:40,12,80\n2026-05-04 07:10,warm,80\n"
    )
    found = read(text, ZONE)
    assert [each.celsius for each in found.values] == [12.4, 12.5]
    assert [each.line for each in found.refused] == [3, 4, 5, 8, 9]
    words = " ".join(each.words for each in found.refused)
    assert "2026-05-04 06:30" in words and "that cold or that hot" in words and "1811" in words


@pytest.mark.parametrize("text", ["", "12.4,86\n", "name,colour\nx,y\n", "time,name\n1,2\n"])
def test_a_text_that_is_no_such_file_says_what_is_missing(text):
    with pytest.raises(NotAFile, match="names its columns"):
        read(text, ZONE)


@given(st.text(max_size=300))
def test_no_text_breaks_the_reader(text):
    for whole in (text, f"time,temperature\n{text}"):
        try:
            found = read(whole, ZONE)
        except NotAFile:
            continue
        assert all(each.celsius is not None or each.humidity is not None for each in found.values)
