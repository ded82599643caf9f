"""What the hands do at the Bench: milk is planned into a vat, mended, poured, and taken back."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping, Sequence

from openpail.craft.errors import CraftError, OutOfRange
from openpail.craft.milk.kinds import DRY
from openpail.records.bench import actions as benches
from openpail.records.bench.models import Bench
from openpail.records.dairy.models import Vat
from openpail.records.milk import actions as milk
from openpail.records.milk.models import MilkLot
from openpail.records.recipes import actions as recipes
from openpail.work.asked import of_dairy, of_row
from openpail.work.bench.standing import volume_or_mass
from openpail.work.here import Here

# A row that a screen has in its hands and tells of by name.
__all__ = ["Bench"]

mixes = of_dairy(benches.mixes)
set_targets = of_row(benches.set_targets)
back_to_plan = of_row(benches.back_to_plan)
accept = of_row(benches.accept)
clear = of_row(benches.clear)


def litres_of(here: Here, lot: MilkLot, text: str) -> float:
    """Litres of a lot as typed; a weight is turned by the lot's own. Raises CraftError."""
    amount = volume_or_mass(here, text)
    if lot.kind in DRY and amount.unit.dimension == "volume":
        raise OutOfRange(f"{lot.name} is weighed: write it like 500 g.")
    weighed = amount.unit.dimension == "mass"
    return amount.base * lot.volume_l / lot.mass_kg if weighed else amount.base


def vat_to_show(here: Here) -> Vat | None:
    """The vat that is being filled, else a middling free one; None in a dairy without."""
    if here.benches:
        return here.vat(here.benches[0].vat_id)
    vats = here.free_vats or here.vats
    return vats[min(1, len(vats) - 1)] if vats else None


def vat_for(here: Here, lot: MilkLot) -> Vat | None:
    """The vat that stands open, else the first free one that takes all of a lot."""
    if here.benches or not here.vats:
        return vat_to_show(here)
    vats = here.free_vats or here.vats
    room = here.house.number("vat.head_room")
    return next((v for v in vats if v.brim_l * room >= here.free_l(lot)), vats[-1])


def do(here: Here, vat: Vat, act: Callable[[Bench], object]) -> None:
    """Do one thing at a vat's bench, begun when there is none. Raises CraftError, RecordError."""
    act(bench_of(here, vat))
    here.forget(Here.benches, Here.poured, Here.free)


def take_all(here: Here, vat: Vat, lot: MilkLot) -> None:
    """All that is free of a lot into a vat. Raises CraftError, RecordError."""
    do(here, vat, lambda bench: benches.set_pour(here.session, bench, lot, here.free_l(lot)))


def pour_one(here: Here, bench: Bench, lot: MilkLot, litres: float, text: str = "") -> None:
    """So many litres of one lot. Raises CraftError, RecordError."""
    benches.set_pour(here.session, bench, lot, litres, text)


def nudge(here: Here, bench: Bench, lot: MilkLot, by: float) -> None:
    """A little more of a lot, or less. Raises CraftError, RecordError."""
    litres = max(0.0, benches.planned_l(bench, lot) + by)
    benches.set_pour(here.session, bench, lot, min(here.free_l(lot, bench), litres))


def plan_whole(
    here: Here,
    bench: Bench,
    litres: Mapping[uuid.UUID, float],
    creams: Sequence[tuple[uuid.UUID, float, float]],
) -> None:
    """A suggestion, or the largest batch: litres by lot, and cream off (lot, %, litres)."""
    lots = milk.lots_by_id(here.session, here.dairy, list(litres))
    benches.plan_all(here.session, bench, lots, litres)
    for lot_id, pct, off in creams:
        benches.set_cream_off(here.session, bench, lots[lot_id], off, pct)


def read_poured(
    here: Here, bench: Bench, texts: Mapping[uuid.UUID, str]
) -> tuple[dict[uuid.UUID, float], dict[str, tuple[str, str]]]:
    """What really went in, as typed by part: litres, and what is wrong by lot."""
    lots = milk.lots_by_id(here.session, here.dairy, [part.lot_id for part in bench.pours])
    real: dict[uuid.UUID, float] = {}
    wrong: dict[str, tuple[str, str]] = {}
    for part in bench.pours:
        text = texts.get(part.id, "").strip()
        try:
            real[part.id] = litres_of(here, lots[part.lot_id], text) if text else 0.0
        except CraftError as error:
            wrong[str(part.lot_id)] = (text, error.words)
    return real, wrong


def pour_really(here: Here, bench: Bench, real: Mapping[uuid.UUID, float]) -> None:
    """Note what really went in. Raises CraftError, RecordError."""
    lots = milk.lots_by_id(here.session, here.dairy, [part.lot_id for part in bench.pours])
    benches.pour_really(here.session, bench, real, lots, here.now)
    here.forget(Here.benches, Here.poured, Here.free)


def bench_of(here: Here, vat: Vat) -> Bench:
    """The open bench of a vat, begun when there is none."""
    return benches.bench_of(here.session, here.dairy, vat, here.now)


def choose_recipe(here: Here, bench: Bench, key: str) -> None:
    """The recipe that a vat is for, and so its ratio; "" for none yet. Raises NotHere."""
    if key:
        recipes.newest_of(here.session, here.dairy, key)
    benches.choose_recipe(here.session, bench, key)


def mend(here: Here, bench: Bench, species: str, litres: float) -> None:
    """One fix of the ratio: so much more of an animal, or (under 0) less. Raises CraftError."""
    benches.mend(here.session, here.dairy, bench, species=species, litres=litres, known=here.known)


def save_mix(here: Here, name: str, bench: Bench) -> None:
    """Keep a blend by name. Raises RecordError."""
    benches.save_mix(here.session, here.dairy, name, bench, here.now)


def take_mix(here: Here, bench: Bench, mix_id: uuid.UUID) -> None:
    """Plan a mix that was kept from today's lots. Raises NotHere, CraftError."""
    benches.take_mix(here.session, here.dairy, bench, mix_id, here.known)
