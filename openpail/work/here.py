"""Where something is asked or done: one dairy, one moment, one pair of hands.

What many ask for is read once and kept for as long as a `Here` lives, which is one request or one
command. Whoever changes it says so with `forget`.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from datetime import date, datetime, timedelta
from functools import cached_property
from typing import Any, cast
from zoneinfo import ZoneInfo

from sqlalchemy.orm import Session

from openpail.craft.clock.gear import Gear, Outfit
from openpail.craft.clock.heat import Heater, Warming, power_of
from openpail.craft.errors import NotHere
from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.milk.kinds import Breed
from openpail.craft.press.weights import Thing
from openpail.craft.stock.learning import Learnt, Lessons, learn, share_learnt, speed_learnt
from openpail.craft.units import Amount, Dimension, parse_amount
from openpail.records.bench import actions as benches
from openpail.records.bench.models import Bench
from openpail.records.brine import actions as brine
from openpail.records.brine.models import Brining, Tub
from openpail.records.dairy import actions as dairies
from openpail.records.dairy import gear as gears
from openpail.records.dairy.models import Dairy, RoomRow, Vat
from openpail.records.log import samples
from openpail.records.log.samples import Sampled
from openpail.records.makes import actions as makes
from openpail.records.makes import lessons
from openpail.records.makes.models import Make
from openpail.records.milk import actions as milk
from openpail.records.milk import slips
from openpail.records.milk.models import MilkLot
from openpail.records.milk.slips import Known
from openpail.records.plans import actions as plans
from openpail.records.plans.actions import Planned, vat_key
from openpail.records.stock import actions as stock
from openpail.records.stock.actions import Lot

LEAST_L = 0.2


class Here:
    """A session, a dairy, the moment, and who it is (None: a machine).

    overrides: the dairy's own house values, where they were read with it.
    """

    def __init__(
        self,
        session: Session,
        dairy: Dairy,
        now: datetime,
        person_id: uuid.UUID | None = None,
        overrides: Mapping[str, float] | None = None,
    ) -> None:
        self.session = session
        self.dairy = dairy
        self.now = now
        self.person_id = person_id
        self.overrides = overrides
        self.worked: dict[object, object] = {}

    def forget(self, *parts: Callable[[Here], Any]) -> None:
        """Read these anew when they are next asked for, named as what they are (`Here.tubs`);
        without one, all that was kept."""
        kept = ("session", "dairy", "now", "person_id", "overrides", "worked")
        every = [name for name in self.__dict__ if name not in kept]
        # what the checker sees as a property of an instance is, of the class, the property itself
        named = [cast("cached_property[Any]", part).attrname or "" for part in parts]
        for name in named or every:
            self.__dict__.pop(name, None)
        self.worked.clear()

    # ── the clock ──

    @cached_property
    def zone(self) -> ZoneInfo:
        """The dairy's time zone."""
        return ZoneInfo(self.dairy.zone)

    @cached_property
    def today(self) -> date:
        """The date at the dairy."""
        return self.local(self.now).date()

    def local(self, moment: datetime) -> datetime:
        """A moment on the dairy's own clock."""
        return moment.astimezone(self.zone)

    def day_of(self, moment: datetime) -> date:
        """The day of a moment at the dairy."""
        return self.local(moment).date()

    # ── the house ──

    @cached_property
    def house(self) -> House:
        """The house values in force."""
        if self.overrides is not None:
            return dairies.house_with(self.overrides)
        return dairies.house_of(self.session, self.dairy)

    @cached_property
    def _vats(self) -> tuple[list[Vat], dict[uuid.UUID, list[Warming]]]:
        return makes.vats_and_warmings(self.session, self.dairy)

    @property
    def vats(self) -> list[Vat]:
        """The vats in use, the smallest first."""
        return [each for each in self._vats[0] if each.put_away_at is None]

    @property
    def free_vats(self) -> list[Vat]:
        """The vats in which no make is under way, the smallest first."""
        taken = {make.vat_id for make in self.under_way if makes.holds_vat(make)}
        return [vat for vat in self.vats if vat.id not in taken]

    def vat(self, vat_id: uuid.UUID) -> Vat:
        """One vat, in use or not. Raises NotHere."""
        found = next((each for each in self._vats[0] if each.id == vat_id), None)
        if found is None:
            raise NotHere("no such vat")
        return found

    @cached_property
    def gear(self) -> tuple[Gear, ...]:
        """The presses and moulds."""
        return gears.gear_of(self.session, self.dairy)

    @cached_property
    def things(self) -> tuple[Thing, ...]:
        """The weights of the house, and the jugs that are hung as weights."""
        return gears.weights_of(self.session, self.dairy)

    @cached_property
    def room_rows(self) -> list[RoomRow]:
        """The places to ripen in, by name."""
        return gears.room_rows(self.session, self.dairy)

    @cached_property
    def tubs(self) -> list[Tub]:
        """The tubs of brine in use."""
        return brine.tubs(self.session, self.dairy)

    @cached_property
    def in_brine(self) -> list[tuple[Brining, Make, Tub]]:
        """What lies in the tubs now, the first to come out first."""
        return brine.lying(self.session, self.dairy)

    @property
    def lying(self) -> dict[uuid.UUID, list[tuple[Brining, Make]]]:
        """What lies in each tub now."""
        found: dict[uuid.UUID, list[tuple[Brining, Make]]] = {}
        for stay, make, tub in self.in_brine:
            found.setdefault(tub.id, []).append((stay, make))
        return found

    @cached_property
    def names(self) -> dict[str, str]:
        """What people call each vat, press and mould, by what the clock knows it by."""
        called = {key: name for each in self.gear for key, name in each.names().items()}
        return called | {vat_key(vat.id): vat.name for vat in self.vats}

    def key_of(self, vat: Vat) -> str:
        """What the clock knows a vat by."""
        return vat_key(vat.id)

    def outfit(self, vat: Vat, press: str = "", moulds: tuple[str, ...] = ()) -> Outfit:
        """A vat, press and moulds by what the clock knows them by; what is not there left out."""
        there = tuple(each for each in moulds if each in self.names)
        return Outfit(
            vat=vat_key(vat.id),
            press=press if press in self.names else "",
            moulds=there,
            names=self.names,
        )

    def unit(self, dimension: Dimension) -> str:
        """The unit that a bare number means in this dairy."""
        if dimension == "temperature":
            return self.dairy.degrees
        if dimension == "mass":
            return "kg" if self.dairy.mass_system == "metric" else "lb"
        if dimension == "length":
            return "cm" if self.dairy.volume_system == "metric" else "in"
        return {"metric": "L", "us": "us_gal", "imperial": "imp_gal"}[self.dairy.volume_system]

    def amount(self, text: str, dimension: Dimension) -> Amount:
        """An amount as people here write it. Raises CraftError."""
        system = self.dairy.volume_system
        return parse_amount(text, dimension, system, self.unit(dimension), self.jars)

    @cached_property
    def jars(self) -> dict[str, float]:
        """The dairy's own jars and buckets, L by name."""
        return dairies.own_measures(self.session, self.dairy)

    # ── the milk ──

    @cached_property
    def known(self) -> Known:
        """What is needed to look at lots of milk now."""
        return slips.known(self.session, self.dairy, self.now, self.house)

    def known_at(self, moment: datetime) -> Known:
        """What is needed to look at lots of milk as they will be at another moment."""
        return replace(self.known, now=moment)

    @cached_property
    def waiting(self) -> list[MilkLot]:
        """Milk not used yet, the newest first."""
        return milk.waiting(self.session, self.dairy)

    @cached_property
    def benches(self) -> list[Bench]:
        """The benches with milk on them, the newest first."""
        return benches.open_benches(self.session, self.dairy)

    @cached_property
    def poured(self) -> dict[uuid.UUID, list[tuple[Bench, float]]]:
        """Litres of each lot that stand poured in a vat at the Bench."""
        found: dict[uuid.UUID, list[tuple[Bench, float]]] = {}
        for bench in self.benches:
            for part in bench.pours if bench.state == "poured" else ():
                if part.litres > 0:
                    found.setdefault(part.lot_id, []).append((bench, part.litres))
        return found

    def poured_l(self, lot: MilkLot) -> float:
        """Litres of a lot that stand poured at the Bench."""
        return sum(litres for _, litres in self.poured.get(lot.id, ()))

    def promised(self, lot: MilkLot) -> list[tuple[str, datetime]]:
        """The planned makes that a lot is promised to: name, and when."""
        return [(each.name, each.begins) for each in self.planned if lot.id in each.row.lots]

    def free_l(self, lot: MilkLot, but: Bench | None = None) -> float:
        """Litres of a lot that are left and not poured at the Bench, or only on one of them."""
        there = sum(
            litres
            for bench, litres in self.poured.get(lot.id, ())
            if but is None or bench.id != but.id
        )
        return max(0.0, slips.left_l(lot) - there)

    @cached_property
    def free(self) -> list[MilkLot]:
        """Milk that waits and is not all poured at the Bench, the newest first."""
        return [lot for lot in self.waiting if not self.poured_l(lot) or self.free_l(lot) > LEAST_L]

    # ── the stock, and what is learnt ──

    @cached_property
    def shelf(self) -> list[Lot]:
        """The stock as it stands."""
        return stock.lots(self.session, self.dairy, self.now, today=self.today, house=self.house)

    @cached_property
    def lessons(self) -> Lessons:
        """What the makes taught of the bottles and of the animals' milk."""
        return learn(makes.flocks_seen(self.session, self.dairy), self.house)

    @cached_property
    def _shares(self) -> dict[tuple[str, str], list[float]]:
        return lessons.shares(self.session, self.dairy)

    def yield_learnt(self, recipe_key: str) -> Learnt:
        """What the makes of a cheese taught of how much of it comes."""
        return share_learnt(self._shares.get(("yield", recipe_key), ()), self.house)

    @property
    def yields_learnt(self) -> dict[str, Learnt]:
        """What the makes taught of the yield of each cheese, by its recipe's key."""
        return {of: self.yield_learnt(of) for sort, of in self._shares if sort == "yield"}

    @cached_property
    def lively(self) -> dict[str, Learnt]:
        """What makes taught of how fast cultures sour, by lot, where enough makes told of one."""
        found = {
            of: speed_learnt(shares, self.house)
            for (sort, of), shares in self._shares.items()
            if sort == "vigour"
        }
        return {of: each for of, each in found.items() if each is not None}

    def drying_learnt(self, room_id: uuid.UUID) -> Learnt:
        """What weighings taught of how much a place dries."""
        return share_learnt(self._shares.get(("drying", str(room_id)), ()), self.house)

    def acid_learnt(self, acid: str, animals: Breed) -> Learnt:
        """What the makes taught of how much of an acid the hot milk of these animals wants."""
        return share_learnt(makes.acid_shares(self.session, self.dairy, acid, animals), self.house)

    def power(self, vat: Vat) -> Figure | None:
        """What goes into the milk of a vat, kW, None while neither it nor its heater says."""
        heater = Heater(vat.heater, vat.power_kw)
        return power_of(self._vats[1].get(vat.id, ()), heater, self.house)

    # ── the makes ──

    @cached_property
    def under_way(self) -> list[Make]:
        """The makes under way, the newest first."""
        return makes.under_way(self.session, self.dairy)

    @cached_property
    def streams(self) -> dict[uuid.UUID, list[Sampled]]:
        """What probes and their files showed of the acid in the makes under way, by make."""
        return samples.sour(self.session, self.dairy, [make.id for make in self.under_way])

    def stream_of(self, make: Make) -> Sequence[Sampled]:
        """What the probe of a make showed of its acid, under way or not."""
        if make in self.under_way:
            return self.streams.get(make.id, ())
        found = samples.sour(self.session, self.dairy, [make.id])
        return found.get(make.id, ())

    @cached_property
    def planned(self) -> list[Planned]:
        """All that is planned and not begun, the first first."""
        return plans.planned(self.session, self.dairy)

    def plan(self, plan_id: uuid.UUID) -> Planned:
        """One planned make. Raises NotHere."""
        found = next((each for each in self.planned if each.row.id == plan_id), None)
        if found is None:
            raise NotHere("no such plan")
        return found

    def ahead(self, days: int) -> date:
        """The date so many days from today."""
        return self.today + timedelta(days=days)
