"""The herds: their means and their year, slips from a file, the milk book as lines."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta

from openpail.craft.milk.animals import Kappa
from openpail.craft.milk.herd import Month, by_month, running_means
from openpail.craft.milk.slip import Herd as HerdMeans
from openpail.formats.milk_csv import LotLine, SlipLine
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.models import Herd, MilkLot
from openpail.records.milk.slips import HerdSlip
from openpail.work.here import Here

# What a screen makes of a line of a file.
__all__ = ["HerdSlip"]

_YEAR = timedelta(days=430)


@dataclass(frozen=True, slots=True, kw_only=True)
class HerdAt:
    """A herd as it is shown: how many slips it has, the mean of each part, its months."""

    herd: Herd
    tests: int
    means: HerdMeans
    months: Sequence[Month]


def herds(here: Here) -> list[Herd]:
    """The groups of animals that are milked, by name."""
    return slips.herds(here.session, here.dairy)


def put_away_herds(here: Here) -> list[Herd]:
    """Those that are no longer milked."""
    return slips.herds_put_away(here.session, here.dairy)


def all_herds(here: Here) -> list[HerdAt]:
    """Each herd with its means and its year."""
    year = slips.month_means(here.session, here.dairy, since=here.now - _YEAR)
    counts = slips.count_tests(here.session, here.dairy)
    return [
        HerdAt(
            herd=herd,
            tests=counts.get(herd.id, 0),
            means=running_means(herd.breed, here.known.slips(herd.id), here.house),
            months=by_month(herd.breed, year.get(herd.id, []), here.house),
        )
        for herd in herds(here)
    ]


def find(here: Here, herd_id: uuid.UUID) -> Herd:
    """One group of animals. Raises NotHere."""
    return slips.herd(here.session, here.dairy, herd_id)


def add(here: Here, name: str, breed: str, head: int | None, kappa: Kappa = "") -> None:
    """A group of animals comes in. Raises RecordError by field."""
    slips.add_herd(
        here.session, here.dairy, name, breed=breed, now=here.now, head=head, kappa=kappa
    )


def change(here: Here, herd: Herd, name: str, head: int | None, kappa: Kappa) -> None:
    """Another name or number; what is known of its genes. Raises RecordError by field."""
    slips.change_herd(here.session, herd, name, head, kappa)


def change_animal(here: Here, herd: Herd, breed: str, why: str) -> None:
    """It is of another animal after all. Raises RecordError by field."""
    slips.change_animal(here.session, herd, breed, why)
    here.forget()


def put_away(here: Here, herd: Herd, *, back: bool) -> None:
    """No longer milked, or milked again."""
    slips.put_away(herd, None if back else here.now)


# ── the milk book ──


def all_lots(here: Here) -> list[MilkLot]:
    """Every lot, used up or not, the oldest first."""
    return milk.all_lots(here.session, here.dairy)


def keep_slips(here: Here, those: Sequence[HerdSlip], header: str, answers: dict[str, str]) -> int:
    """Keep the slips of a file, and what its columns mean here; how many were new.

    Parameters: header, the file's first line; answers, what was said of it. Raises CraftError.
    """
    kept = slips.keep_slips(
        here.session,
        here.dairy,
        those,
        lots=all_lots(here),
        house=here.house,
        now=here.now,
        person_id=here.person_id,
    )
    slips.remember_layout(here.session, here.dairy, header, answers)
    return kept


def layout_of(here: Here, header: str) -> dict[str, str]:
    """What was said before of a file with these columns."""
    return slips.layout_of(here.session, here.dairy, header)


def lot_lines(here: Here) -> list[LotLine]:
    """All lots, as lines of the milk book."""
    return [
        LotLine(
            lot=lot.number,
            name=lot.name,
            kind=lot.kind,
            breed=lot.breed,
            treatment=lot.treatment,
            homogenised=lot.homogenised,
            frozen=lot.frozen,
            bought=lot.bought,
            collected_at=lot.collected_at,
            volume_l=lot.volume_l,
            mass_kg=lot.mass_kg,
            left_kg=lot.left_kg,
            price="" if lot.price is None else str(lot.price),
        )
        for lot in all_lots(here)
    ]


def slip_lines(here: Here) -> list[SlipLine]:
    """All slips, of lots and of herds, as lines of the milk book."""
    return [
        SlipLine(
            lot=number, name=name, date=row.taken_at, source=row.source, test=slips.test_of(row)
        )
        for row, number, name in slips.all_slips(here.session, here.dairy)
    ]
