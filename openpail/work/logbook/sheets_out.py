"""Makes and tests of milk as the rows of a spreadsheet: metric, a make or a test a row."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime

from openpail.craft.table.facts import from_plain
from openpail.formats.spreadsheet import SheetCell
from openpail.records.makes import looks, over_time
from openpail.records.makes.looks import Find
from openpail.work.here import Here
from openpail.work.logbook.book import gravest, look_anew
from openpail.work.table import money

_MOST_ROWS = 20_000
# The facts that any make of any cheese may have, by the craft's own keys.
_FACTS = {
    "animals": "animals",
    "heated": "heated",
    "fat": "fat, %",
    "casein": "casein, %",
    "milk-ph": "pH of the milk",
    "rennet-c": "at the rennet, °C",
    "flocks": "first flocks, min",
    "flocks-share": "flocks of expected, %",
    "cut": "cut after, min",
    "hands": "hands, min",
    "brine-h": "in brine, h",
    "pieces": "pieces",
    "yield": "kg from 100 kg of milk",
    "yield-share": "of expected, %",
}


def makes_rows(here: Here) -> Iterator[Sequence[SheetCell]]:
    """The makes, the newest first, under their titles."""
    while look_anew(here):
        pass
    yield (
        "make",
        "cheese",
        "begun",
        "state",
        "milk, kg",
        "expected, kg",
        "weighed, kg",
        *_FACTS.values(),
        "it ate",
        "faults",
        "marked",
        "cost of a kg",
    )
    rows = looks.find(here.session, here.dairy, Find(), _MOST_ROWS)
    facts = looks.facts_of(here.session, here.dairy, [row.id for row in rows])
    marked = gravest(here, [row.id for row in rows])
    costs = {made.id: cost.per_kg for made, cost in money.of_all(here, None)}
    for row in rows:
        own = {each.key: each for each in from_plain(facts.get(row.id, ()))}
        told = [_told(own[key].value, own[key].words) if key in own else None for key in _FACTS]
        cost = costs.get(row.id)
        yield (
            row.number,
            row.name,
            here.local(row.started_at),
            row.state,
            round(row.milk_kg, 3),
            round(row.expected_kg, 3),
            round(row.real_kg, 3) if row.real_kg else None,
            *told,
            row.outcome,
            ", ".join(row.faults),
            marked[row.id],
            round(cost.value, 2) if cost else None,
        )


def _told(value: float | None, words: str) -> SheetCell:
    return words if value is None else round(value, 3)


def tests_rows(here: Here) -> Iterator[Sequence[SheetCell]]:
    """The tests of milk, the newest first, under their titles."""
    yield ("taken", "herd", "lot", *(title for _, title in over_time.TESTED), "residue found")
    for row in over_time.tests_told(here.session, here.dairy, _MOST_ROWS):
        taken, *rest = row
        assert isinstance(taken, datetime)
        yield (here.local(taken), *rest)
