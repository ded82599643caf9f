"""How long a cheese lies in brine: the makers' rule by weight, and diffusion by its faces."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta
from math import log, pi, sqrt

from openpail.craft.errors import OutOfRange
from openpail.craft.figure import Figure
from openpail.craft.house import House, along, shipped
from openpail.craft.salt.brine import density_20

_SALT_PCT = (0.1, 5.0)
_BRINE_PCT = (1.0, 27.0)  # 26.4 % is all that water holds
_HOTTEST_C = 30.0

_DAY_H = 24.0
_MORE_THAN_SALT = 1.5
_LONGEST_H = 14 * 24.0


def brine_hours(cheese_kg: float, salt_pct: float, brine_pct: float, house: House) -> float:
    """Hours in brine for a wanted salt, by the rule that scales as salt moves.

    Parameters: cheese_kg of one piece, over 0; salt_pct wanted of the cheese, 0.1–5; brine_pct
    1–27; house. Raises: OutOfRange. Source: house value.
    """
    if cheese_kg <= 0 or not (
        _SALT_PCT[0] <= salt_pct <= _SALT_PCT[1] and _BRINE_PCT[0] <= brine_pct <= _BRINE_PCT[1]
    ):
        raise OutOfRange("A piece of some weight, 0.1 to 5 % salt, a brine of 1 to 27 %.")
    salt, brine = house.number("brine.rule_salt"), house.number("brine.rule_brine")
    hours = house.number("brine.rule_hours") * by_mass(cheese_kg, house)
    return hours * by_strength(salt_pct / salt, house) * by_strength(brine / brine_pct, house)


def by_mass(ratio: float, house: House) -> float:
    """How many times longer a piece lies that is so many times as heavy.

    Parameters: ratio, over 0; house. Source: house value.
    """
    return float(ratio ** house.number("brine.rule_mass"))


def by_strength(ratio: float, house: House) -> float:
    """How many times longer it lies for so many times the salt, or in so many times weaker a brine.

    Parameters: ratio, over 0; house. Source: house value.
    """
    return float(ratio ** house.number("brine.rule_strength"))


def brine_salt_pct(hours: float, cheese_kg: float, brine_pct: float, house: House) -> float:
    """Salt that a piece takes up in so many hours, % of the cheese: `brine_hours` the other way.

    Parameters: hours, 0 or more; cheese_kg, brine_pct and house as there. Source: house value.
    """
    salt = house.number("brine.rule_salt")
    share = hours / brine_hours(cheese_kg, salt, brine_pct, house)
    return float(salt * share ** (1 / house.number("brine.rule_strength")))


def diffusion_cm2_per_day(moisture: float, celsius: float, house: House) -> float:
    """How fast salt moves in a cheese, cm²/day.

    Parameters: moisture, a fraction; celsius of the brine, 0 to 30; house. Raises: OutOfRange.
    Source: Guinee & Fox; warmth, house value.
    """
    if not 0 < moisture < 1 or not 0 <= celsius <= _HOTTEST_C:
        raise OutOfRange("A moisture between 0 and 1, a brine of 0 to 30 °C.")
    warm = 1 + house.number("brine.diffusion_per_degree") * (celsius - 12.0)
    return along(house.curve("brine.diffusion"), moisture) * warm


@dataclass(frozen=True, slots=True, kw_only=True)
class Lying:
    """A piece as the brine meets it: kg, its faces in cm², moisture (a fraction); the brine's % and
    °C. moisture_by_volume where it was measured, else it is told from the moisture."""

    cheese_kg: float
    surface_cm2: float
    moisture: float
    brine_pct: float
    celsius: float = 12.0
    moisture_by_volume: float | None = None

    def __post_init__(self) -> None:
        if min(self.cheese_kg, self.surface_cm2) <= 0 or not 0 < self.moisture < 1:
            raise OutOfRange("A piece has a weight, faces and a moisture.")

    def _pull(self, house: House) -> float:
        """Grams that go in over the square root of the days."""
        by_volume = self.moisture_by_volume
        if by_volume is None:
            by_volume = self.moisture * house.number("brine.cheese_density")
        strong = self.brine_pct / 100 * density_20(self.brine_pct) * by_volume
        speed = diffusion_cm2_per_day(self.moisture, self.celsius, house)
        tight = 1 - house.number("brine.rind_per_kg") * log(self.cheese_kg)
        through = min(1.0, max(house.number("brine.rind_least"), tight))
        return through * 2 * self.surface_cm2 * strong * sqrt(speed / pi)

    def hours_for(self, salt_g: float, house: House) -> float:
        """Hours until so much salt is in it.

        Parameters: salt_g, 0 or more; house. Raises: OutOfRange without salt in the brine.
        Source: M = e · 2 A c √(D t / π), Guinee & Fox.
        """
        pull = self._pull(house)
        if pull <= 0 or salt_g < 0:
            raise OutOfRange("A brine without salt gives none.")
        return float((salt_g / pull) ** 2 * _DAY_H)

    def salt_g(self, hours: float, house: House) -> float:
        """Salt that is in it after so many hours, g: `hours_for` the other way.

        Parameters: hours, 0 or more; house. Raises: OutOfRange. Source: as there.
        """
        if hours < 0:
            raise OutOfRange("Nothing lies in brine for less than no time.")
        return self._pull(house) * sqrt(hours / _DAY_H)


@dataclass(frozen=True, slots=True)
class School:
    """One way to tell the hours: h, and the salt, % of the cheese, that the other way expects at
    these hours."""

    hours: Figure
    other_says_pct: float


@dataclass(frozen=True, slots=True)
class TwoSchools:
    """Hours by weight and hours by the faces, for the salt that is wanted, % of the cheese.

    by_faces: None where the faces are not known.
    """

    wanted_pct: float
    by_weight: School
    by_faces: School | None

    @property
    def ratio(self) -> float:
        """How many times longer the one is than the other, 1 or more."""
        if self.by_faces is None:
            return 1.0
        a, b = self.by_weight.hours.value, self.by_faces.hours.value
        return max(a, b) / max(1e-9, min(a, b))

    @property
    def differ(self) -> bool:
        """Whether they are too far apart to be passed over in silence."""
        return self.ratio > _MORE_THAN_SALT


@dataclass(frozen=True, slots=True)
class BrineWritten:
    """What a recipe brines: hours of a piece of so many kg in a brine of so many %."""

    hours: float
    piece_kg: float
    brine_pct: float


def two_schools(
    lying: Lying, wanted_pct: float, house: House, written: BrineWritten | None, known_faces: bool
) -> TwoSchools:
    """The hours in brine by both schools.

    Parameters: lying; wanted_pct, salt of the cheese, 0.1 to 5; house; written, the recipe's own
    hours, which win over the rule, None where it says none; known_faces: whether the faces were
    measured. Raises: OutOfRange. Source: house rule, or the recipe; Guinee & Fox.
    """
    if written:
        start = Figure.start("as written", written.hours, "h", source="the recipe")
        heavier = lying.cheese_kg / written.piece_kg
        by_weight = start.times(
            f"{lying.cheese_kg:.2f} kg, the recipe’s piece {written.piece_kg:.2f} kg",
            by_mass(heavier, house),
            source=house.source("brine.rule_mass"),
            house_key="brine.rule_mass",
        ).times(
            f"brine of {lying.brine_pct:.1f} %, the recipe’s {written.brine_pct:g} %",
            by_strength(written.brine_pct / lying.brine_pct, house),
            source=house.source("brine.rule_strength"),
            house_key="brine.rule_strength",
        )
    else:
        key = "brine.rule_hours"
        by_weight = (
            Figure.start(
                "one kilogram", house.number(key), "h", source=house.source(key), house_key=key
            )
            .times(
                f"{lying.cheese_kg:.2f} kg",
                by_mass(lying.cheese_kg, house),
                source=house.source("brine.rule_mass"),
                house_key="brine.rule_mass",
            )
            .times(
                f"{wanted_pct:.1f} % salt wanted",
                by_strength(wanted_pct / house.number("brine.rule_salt"), house),
                source=house.source("brine.rule_strength"),
                house_key="brine.rule_strength",
            )
            .times(
                f"brine of {lying.brine_pct:.1f} %",
                by_strength(house.number("brine.rule_brine") / lying.brine_pct, house),
                source=house.source("brine.rule_strength"),
                house_key="brine.rule_strength",
            )
        )
    grams = wanted_pct * lying.cheese_kg * 10
    salt = Figure.start(
        f"{wanted_pct:.1f} % of {lying.cheese_kg:.2f} kg: {grams:.0f} g of salt through "
        f"{lying.surface_cm2:.0f} cm² of faces",
        lying.hours_for(grams, house),
        "h",
        source="M = e · 2 A c √(D t / π), Guinee & Fox",
    )
    there = lying.salt_g(by_weight.value, house) / lying.cheese_kg / 10
    other = brine_salt_pct(salt.value, lying.cheese_kg, lying.brine_pct, house)
    faces = School(salt, other) if known_faces else None
    return TwoSchools(wanted_pct, School(by_weight, there), faces)


def wanted_pct(written: BrineWritten | None, family: str, house: House) -> float:
    """How much salt the brine is to give, % of the cheese.

    Parameters: written, the recipe's own brining, None where it says none; family, in snake case;
    house. Returns: what the recipe's own hours give by the rule, within 0.3 to 4; else usual of the
    family. Source: house value.
    """
    if written:
        found = brine_salt_pct(written.hours, written.piece_kg, written.brine_pct, house)
        return min(4.0, max(0.3, found))
    key = f"salt.wanted_{family}"
    return house.number(key if key in shipped() else "salt.wanted")


# ── the hour to go in, so that nobody rises to take it out ──


@dataclass(frozen=True, slots=True, kw_only=True)
class GoesIn:
    """When it goes in and comes out; waits_h, how long it waits before, h; at_night: whether it
    would come out in the quiet hours if it went in at once, and at what time."""

    at: datetime
    out: datetime
    waits_h: float
    at_night: datetime | None

    @property
    def waits_min(self) -> float:
        """How long it waits before, min."""
        return 60 * self.waits_h


def is_quiet(moment: datetime, quiet: tuple[time, time]) -> bool:
    """Whether a moment, on the dairy's own clock, lies in its quiet hours.

    Parameters: moment, with its zone; quiet, from and until. Source: derivation.
    """
    begins, ends = quiet
    at = moment.time()
    if begins == ends:
        return False
    if begins < ends:
        return begins <= at < ends
    return at >= begins or at < ends


def goes_in(now: datetime, hours: float, quiet: tuple[time, time]) -> GoesIn:
    """The soonest hour to go in so that neither it nor the way out lies in the quiet hours.

    Parameters: now, on the dairy's own clock; hours in brine, over 0, up to two weeks; quiet, from
    and until. Returns: now, where no hour of the next day does. Raises: OutOfRange.
    Source: derivation.
    """
    if not 0 < hours <= _LONGEST_H:
        raise OutOfRange("In brine it lies some hours, up to two weeks.")
    zone = now.tzinfo
    lies = timedelta(hours=hours)

    def out_of(moment: datetime) -> datetime:
        return (moment.astimezone(UTC) + lies).astimezone(zone)

    first = out_of(now)
    at_night = first if is_quiet(first, quiet) else None
    if at_night is None:
        return GoesIn(at=now, out=first, waits_h=0.0, at_night=None)
    base = now.astimezone(UTC).replace(second=0, microsecond=0)
    for minute in range(5, 24 * 60 + 1, 5):
        moment = (base + timedelta(minutes=minute)).astimezone(zone)
        out = out_of(moment)
        if not is_quiet(moment, quiet) and not is_quiet(out, quiet):
            return GoesIn(at=moment, out=out, waits_h=minute / 60, at_night=at_night)
    return GoesIn(at=now, out=first, waits_h=0.0, at_night=at_night)
