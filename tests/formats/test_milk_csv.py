"""Slips from any laboratory's file, and the milk book that reads back the same."""

from datetime import UTC, date, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openpail.craft.milk.kinds import MilkTest
from openpail.formats.milk_csv import (
    LotLine,
    NotATable,
    SlipLine,
    guarded,
    read,
    read_lots,
    read_tests,
    understand,
    unguarded,
    write_lots,
    write_tests,
)

names = st.text(st.characters(codec="utf-8", exclude_characters="\r\x00"), max_size=20)
moments = st.datetimes(datetime(2000, 1, 1), datetime(2100, 1, 1), timezones=st.just(UTC))
sizes = st.floats(0, 1e6)
maybe = st.none() | st.floats(-1e3, 1e7, allow_nan=False)
lot_lines = st.builds(
    LotLine,
    lot=st.integers(1, 10**6),
    name=names,
    kind=st.just("milk"),
    breed=st.just("goat"),
    treatment=st.just("raw"),
    homogenised=st.booleans(),
    frozen=st.booleans(),
    bought=st.booleans(),
    collected_at=moments,
    volume_l=sizes,
    mass_kg=sizes,
    left_kg=sizes,
    price=st.sampled_from(["", "4.80", "1200.00"]),
)
slip_lines = st.builds(
    SlipLine,
    lot=st.integers(0, 10**6),
    name=names,
    date=moments,
    source=st.sampled_from(["hand", "file"]),
    test=st.builds(
        MilkTest,
        fat_pct=maybe,
        protein_pct=maybe,
        ph=maybe,
        cells_per_ml=maybe,
        protein_kind=st.sampled_from(["true", "crude", "unknown"]),
        residue_found=st.booleans(),
        freezing_point_c=maybe,
    ),
)


@given(st.lists(lot_lines, max_size=6))
def test_the_lots_of_the_milk_book_read_back_the_same(lots):
    assert read_lots(write_lots(lots)) == lots


@given(st.lists(slip_lines, max_size=6))
def test_the_slips_of_the_milk_book_read_back_the_same(slips):
    assert read_tests(write_tests(slips)) == slips


@given(names)
def test_a_text_is_never_a_formula_and_comes_back(text):
    assert not guarded(text).startswith(("=", "+", "-", "@"))
    assert unguarded(guarded(text)) == text
    assert write_lots([]) == write_lots([]).lstrip("=+-@")


def test_a_changed_book_is_refused():
    with pytest.raises(NotATable, match="not a file of the milk book"):
        read_lots("a,b\n1,2\n")


LAB = """Herd;Sample date;Fat (%);Protein %;SCC;Freezing point;Remarks
Goats;04/05/2026;3,91;3,30;1200;-0,551;
Goats;05/05/2026;39,1;3,30;1100;-0,550;comma lost
Ewes;06/05/2026;6,9;5,5;abc;;
"""


def test_columns_are_taken_for_what_they_mean_and_the_rest_is_asked():
    table = understand(LAB)
    assert [column.part for column in table.columns] == [
        "who",
        "day",
        "fat_pct",
        "protein_pct",
        "cells_per_ml",
        "freezing_point_c",
        "",
    ]
    assert {question.key for question in table.questions} == {
        "protein",
        "cells",
        "freezing",
        "order",
    }


def test_rows_are_read_with_the_answers_and_the_bad_ones_named_by_line():
    answers = {"protein": "crude", "cells": "1000", "freezing": "c", "order": "day"}
    good, refused = read(understand(LAB), answers)
    assert [(row.line, row.who, row.day) for row in good] == [
        (2, "Goats", date(2026, 5, 4)),
        (3, "Goats", date(2026, 5, 5)),
    ]
    slip = good[0].test
    assert (slip.fat_pct, slip.protein_kind, slip.cells_per_ml) == (3.91, "crude", 1_200_000)
    assert slip.freezing_point_c == -0.551
    assert good[1].test.fat_pct == 39.1  # cream may be so: whose it is, the records decide
    assert [(row.line, row.words) for row in refused] == [
        (4, "SCC: “abc” is not a number. Write it like 21.5 or 1 1/2.")
    ]
    american, _ = read(understand(LAB), {**answers, "order": "month"})
    assert american[0].day == date(2026, 4, 5)


@pytest.mark.parametrize(
    ("row", "words"),
    [
        ("Goats,2026-05-04,88,3.3", "Fat 88 % is outside"),
        ("Goats,31/31/2026,4,3.3", "not a day there is"),
        ("Goats,soon,4,3.3", "not a day"),
        (",2026-05-04,4,3.3", "whose milk"),
        ("Goats,2026-05-04,,", "no figure"),
        ("Goats,2026-05-04,4,3.3,9", "5 cells under 4 titles"),
        ('Goats,2026-05-04,"1,500",3.3', "could be 1500 or 1.500"),
    ],
)
def test_a_row_that_cannot_be_kept_says_why(row, words):
    good, refused = read(understand("who,date,fat,protein\n".replace("who", "herd") + row), {})
    assert good == [] and words in refused[0].words


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "nothing in it"),
        ("fat,protein\n4,3", "No column says whose milk"),
        ("herd,fat\nGoats,4", "No column says day"),
        ("herd,date\nGoats,2026-05-04", "No column holds a figure"),
        ("\x00\x01", "no text file"),
        ("herd,date,fat\n" + "Goats,2026-05-04,4\n" * 5001, "At most 5000"),
    ],
)
def test_a_file_that_is_no_table_of_slips_says_what_is_missing(text, words):
    with pytest.raises(NotATable) as refused:
        understand(text)
    assert words in refused.value.words


@given(st.text(max_size=300), st.sampled_from(["herd,date,fat\n", "lot;day;fp;scc\n", ""]))
def test_nonsense_never_breaks_it(text, header):
    try:
        table = understand(header + text)
    except NotATable:
        return
    good, refused = read(table, {})
    assert len(good) + len(refused) == len(table.rows)


def test_units_said_in_the_title_are_not_asked_again():
    table = understand(
        "lot,date,FP (°C),SCC x1000/mL,True protein,acidity_pct,TBC '000/mL,antibiotics\n"
        "7,2026-05-04,0.552,310,3.2,0.15,20,neg\n"
    )
    assert table.questions == ()
    (row,), _ = read(table, {})
    assert row.test == MilkTest(
        protein_pct=3.2,
        protein_kind="true",
        freezing_point_c=-0.552,
        cells_per_ml=310_000,
        acidity_pct=0.15,
        plates_per_ml=20_000,
    )
    hortvet, _ = read(understand("lot,date,fp\n7,2026-05-04,-0.540\n"), {"freezing": "h"})
    assert hortvet[0].test.freezing_point_c == pytest.approx(-0.522, abs=1e-3)
    dornic, _ = read(understand("lot,date,Dornic\n7,2026-05-04,16\n"), {})
    assert dornic[0].test.acidity_pct == pytest.approx(0.16)
    assert read(understand("lot,date,residue\n7,2026-05-04,POS\n"), {})[0][0].test.residue_found
    maybe = read(understand("lot,date,residue\n7,2026-05-04,maybe\n"), {})[1]
    assert "neither positive nor negative" in maybe[0].words
