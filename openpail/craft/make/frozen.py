"""The frozen sheet of a make: everything it was worked out from, and what it said.

It is kept as plain data with a version. Every version that ever was stays readable here, so that an
old sheet prints the same for ever and an old make is judged by the house values of its own day.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, fields
from typing import Any

from openpail.craft.clock.gear import NO_OUTFIT, Outfit
from openpail.craft.doses.asked import Job, Ways, rennet_lot
from openpail.craft.doses.how_to_add import Manner
from openpail.craft.errors import Unknown
from openpail.craft.figure import Figure
from openpail.craft.house import House
from openpail.craft.milk.kinds import animals_of
from openpail.craft.sheet.cautions import Caution
from openpail.craft.sheet.moves import NOTHING_MOVES, Move, Moved, Spoken
from openpail.craft.sheet.sheet import Line, Sheet
from openpail.craft.stock.products import Product, vigour

VERSION = 2
NO_WARMINGS: Mapping[str, Figure] = {}


@dataclass(frozen=True, slots=True, kw_only=True)
class FrozenPour:
    """One milk that went in: its name, breed, treatment and kg; of whey, its animals by share."""

    name: str
    breed: str
    treatment: str
    homogenised: bool
    mass_kg: float
    animals: Mapping[str, float] = field(default_factory=dict)

    @property
    def kg_by_animal(self) -> Mapping[str, float]:
        """Its kg by the animals that its milk is from."""
        shares = self.animals or {animals_of(self.breed): 1.0}
        return {name: share * self.mass_kg for name, share in shares.items()}


@dataclass(frozen=True, slots=True, kw_only=True)
class FrozenMilk:
    """The milk in the vat: kg, % of fat, casein and true protein, pH; raw of the raw class."""

    raw: bool
    mass: Figure
    fat: Figure
    casein: Figure
    protein: Figure
    ph: Figure | None
    pours: tuple[FrozenPour, ...]

    @property
    def animals(self) -> Mapping[str, float]:
        """The kg of its milk by animal."""
        found: dict[str, float] = {}
        for pour in self.pours:
            for name, kg in pour.kg_by_animal.items():
                found[name] = found.get(name, 0.0) + kg
        return found

    @property
    def most(self) -> FrozenPour:
        """The pour that there was most of."""
        return max(self.pours, key=lambda pour: pour.mass_kg)


@dataclass(frozen=True, slots=True, kw_only=True)
class FrozenLine:
    """One dose of the sheet as it was said.

    lot: of the stock that it came from, "" of none. by_spoon: `spoons` are what is filled.
    """

    key: str
    kind: str
    name: str
    written: Figure
    figure: Figure
    active: Figure
    water: Figure | None
    lot: str
    spoons: str
    advice: str
    manner: Manner
    notes: tuple[str, ...]
    in_words: str
    at_vat: str
    by_spoon: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class FrozenSet:
    """The set as it was expected: minutes to the flocks and to the cut, and its multiple."""

    flocculation: Figure
    cut: Figure
    multiplier: Figure
    band: float
    holds: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Frozen:
    """A sheet as it was when its make began.

    recipe, its document; house, all its values then; rennet, the lot it came from and the factor
    that was learnt of it; given, the vat, press and moulds; warm, minutes of its warmings; asks,
    what was to be answered in writing before it began; moved, its steps as this milk moves them;
    acid_learnt, the factor that makes taught of the acid; yield_learnt, of its yield; lively,
    of its cultures, by ingredient.
    """

    recipe: Mapping[str, Any]
    house: House
    ways: Ways
    milk: FrozenMilk
    lines: tuple[FrozenLine, ...]
    set: FrozenSet | None
    cheese: Figure
    whey: Figure
    cautions: tuple[Caution, ...]
    rennet: str = ""
    learnt: float = 1.0
    renneting_c: float | None = None
    renneting_ph: float | None = None
    own: Mapping[str, float] = field(default_factory=dict)
    left_out: tuple[tuple[str, str], ...] = ()
    given: Outfit = NO_OUTFIT
    warm: Mapping[str, Figure] = field(default_factory=dict)
    bottles: Mapping[str, Product] = field(default_factory=dict)
    firm_words: str = ""
    asks: tuple[str, ...] = ()
    moved: Moved = NOTHING_MOVES
    acid_learnt: float = 1.0
    yield_learnt: float = 1.0
    lively: Mapping[str, float] = field(default_factory=dict)

    def line(self, key: str) -> FrozenLine | None:
        """The line of an ingredient, None when the sheet had none."""
        return next((line for line in self.lines if line.key == key), None)

    def given_by(self, adds: tuple[str, ...]) -> tuple[FrozenLine, ...]:
        """What a step gives; with the rennet goes what the milk wants and no step gives.

        Parameters: adds, the ingredients of the step. Source: derivation.
        """
        found = tuple(line for line in self.lines if line.key in adds)
        with_rennet = self.with_rennet() if any(each.kind == "rennet" for each in found) else ()
        return (*found, *(line for line in with_rennet if line not in found))

    def with_rennet(self) -> tuple[FrozenLine, ...]:
        """Calcium chloride that this milk wants and no step of the recipe gives.

        Source: derivation.
        """
        placed = {key for step in self.recipe["recipe"]["steps"] for key in step.get("adds", ())}
        return tuple(
            line for line in self.lines if line.kind == "calcium" and line.key not in placed
        )


def freeze(
    job: Job,
    sheet: Sheet,
    cautions: tuple[Caution, ...],
    *,
    document: Mapping[str, Any],
    given: Outfit = NO_OUTFIT,
    warm: Mapping[str, Figure] = NO_WARMINGS,
    asks: tuple[str, ...] = (),
) -> Frozen:
    """Keep a sheet as it is said now.

    Parameters: job and its sheet; cautions; document, of the recipe; given, its vat, press and
    moulds; warm, minutes of its warmings by this vat's own rate; asks, what must be answered in
    writing. Source: derivation.
    """
    times, milk = sheet.set, job.milk
    return Frozen(
        recipe=document,
        house=job.house,
        ways=job.ways,
        milk=FrozenMilk(
            raw=job.is_raw(),
            mass=milk.mass,
            fat=milk.fat,
            casein=milk.casein,
            protein=milk.protein,
            ph=milk.ph,
            pours=tuple(
                FrozenPour(
                    name=each.name,
                    breed=each.breed,
                    treatment=each.treatment,
                    homogenised=each.homogenised,
                    mass_kg=each.mass.value,
                    animals=dict(each.came_of),
                )
                for each in milk.pours
            ),
        ),
        lines=tuple(_frozen_line(line) for line in sheet.lines),
        set=FrozenSet(
            flocculation=times.flocculation,
            cut=times.cut,
            multiplier=times.multiplier,
            band=times.band,
            holds=times.holds,
        )
        if times
        else None,
        cheese=sheet.cheese,
        whey=sheet.whey,
        cautions=cautions,
        rennet=rennet_lot(job.recipe, job.bottles),
        learnt=job.learnt.factor,
        renneting_c=job.renneting_c,
        renneting_ph=job.renneting_ph,
        own=dict(job.own),
        left_out=tuple(sorted(job.left_out)),
        given=given,
        warm=dict(warm),
        bottles=dict(job.bottles),
        firm_words=sheet.firmness.words if sheet.firmness else "",
        asks=asks,
        moved=sheet.moved,
        acid_learnt=job.acid_learnt.factor,
        yield_learnt=job.yield_learnt.factor,
        lively=_lively(job),
    )


def _lively(job: Job) -> dict[str, float]:
    """How lively each culture of a job was taken to be: as makes taught, else by its age."""
    return {
        each.key: job.lively[bottle.lot].factor
        if bottle.lot in job.lively
        else vigour(bottle, job.house)
        for each in job.recipe.ingredients
        if (bottle := job.bottle(each)).kind == "culture"
    }


def _frozen_line(line: Line) -> FrozenLine:
    return FrozenLine(
        key=line.key,
        kind=line.kind,
        name=line.name,
        written=line.written,
        figure=line.figure,
        active=line.active,
        water=line.water,
        lot=line.bottle.lot,
        spoons=line.hand.words,
        advice=line.hand.advice,
        manner=line.manner,
        notes=line.notes,
        in_words=line.in_words,
        at_vat=line.at_vat,
        by_spoon=line.hand.by_spoon,
    )


# ── as plain data ──


def to_json(frozen: Frozen) -> dict[str, Any]:
    """A frozen sheet as plain data, of the newest version. Source: derivation."""
    milk, times = frozen.milk, frozen.set
    return {
        "recipe": dict(frozen.recipe),
        "house": frozen.house.to_json(),
        "ways": asdict(frozen.ways),
        "milk": {
            "raw": milk.raw,
            **{key: getattr(milk, key).to_json() for key in ("mass", "fat", "casein", "protein")},
            "ph": _json_of(milk.ph),
            "pours": [asdict(pour) for pour in milk.pours],
        },
        "lines": [_line_json(line) for line in frozen.lines],
        "set": times
        and {
            **{key: getattr(times, key).to_json() for key in ("flocculation", "cut", "multiplier")},
            "band": times.band,
            "holds": times.holds,
        },
        "cheese": frozen.cheese.to_json(),
        "whey": frozen.whey.to_json(),
        "cautions": [asdict(caution) for caution in frozen.cautions],
        "rennet": {"bottle": frozen.rennet, "learnt": frozen.learnt},
        "renneting_c": frozen.renneting_c,
        "renneting_ph": frozen.renneting_ph,
        "own": dict(frozen.own),
        "left_out": [list(each) for each in frozen.left_out],
        "given": {
            "vat": frozen.given.vat,
            "press": frozen.given.press,
            "moulds": list(frozen.given.moulds),
            "names": dict(frozen.given.names),
        },
        "warm": {key: figure.to_json() for key, figure in frozen.warm.items()},
        "bottles": {key: asdict(bottle) for key, bottle in frozen.bottles.items()},
        "firm_words": frozen.firm_words,
        "asks": list(frozen.asks),
        "acid_learnt": frozen.acid_learnt,
        "yield_learnt": frozen.yield_learnt,
        "lively": dict(frozen.lively),
        "moved": {
            "moves": [_move_json(each) for each in frozen.moved.moves],
            "words": [asdict(each) for each in frozen.moved.words],
            "wheel_kg": frozen.moved.wheel_kg,
        },
    }


def _move_json(move: Move) -> dict[str, Any]:
    plain = {key: getattr(move, key) for key in ("step", "part", "title", "left")}
    return {**plain, "written": move.written.to_json(), "figure": move.figure.to_json()}


def _line_json(line: FrozenLine) -> dict[str, Any]:
    figures = {key: getattr(line, key).to_json() for key in ("written", "figure", "active")}
    same = ("key", "kind", "name", "lot", "spoons", "by_spoon", "advice", "in_words", "at_vat")
    plain = {key: getattr(line, key) for key in same}
    return {
        **plain,
        **figures,
        "water": _json_of(line.water),
        "notes": list(line.notes),
        "manner": asdict(line.manner),
    }


def _json_of(figure: Figure | None) -> dict[str, Any] | None:
    return figure.to_json() if figure else None


def read(document: Mapping[str, Any], version: int) -> Frozen:
    """A frozen sheet of any version that ever was.

    Parameters: document, as it was kept; version, 1 or 2. Raises: Unknown for another version.
    Source: derivation.
    """
    if version not in (1, VERSION):
        raise Unknown(f"This sheet was frozen by a newer Open Pail (version {version}).")
    data = _of_version_1(document) if version == 1 else document
    milk, times, given = data["milk"], data["set"], data["given"]
    ways = dict(data["ways"])
    return Frozen(
        recipe=data["recipe"],
        house=House.from_json(data["house"]),
        ways=Ways(**{**ways, "spoons": tuple(ways.get("spoons", ()))}),
        milk=FrozenMilk(
            raw=milk["raw"],
            **_figures(milk, ("mass", "fat", "casein", "protein")),
            ph=_figure(milk["ph"]),
            pours=tuple(FrozenPour(**pour) for pour in milk["pours"]),
        ),
        lines=tuple(_read_line(line) for line in data["lines"]),
        set=times
        and FrozenSet(
            **_figures(times, ("flocculation", "cut", "multiplier")),
            band=times["band"],
            holds=times["holds"],
        ),
        cheese=Figure.from_json(data["cheese"]),
        whey=Figure.from_json(data["whey"]),
        cautions=tuple(Caution(**caution) for caution in data["cautions"]),
        rennet=data["rennet"]["bottle"],
        learnt=data["rennet"]["learnt"],
        renneting_c=data["renneting_c"],
        renneting_ph=data["renneting_ph"],
        own=data["own"],
        left_out=tuple((line, key) for line, key in data["left_out"]),
        given=Outfit(
            vat=given["vat"],
            press=given["press"],
            moulds=tuple(given["moulds"]),
            names=given["names"],
        ),
        warm={key: Figure.from_json(figure) for key, figure in data["warm"].items()},
        bottles={key: Product(**bottle) for key, bottle in data["bottles"].items()},
        firm_words=data["firm_words"],
        asks=tuple(data["asks"]),
        moved=_read_moved(data.get("moved")),
        acid_learnt=data.get("acid_learnt", 1.0),
        yield_learnt=data.get("yield_learnt", 1.0),
        lively=data.get("lively", {}),
    )


def _read_moved(data: Mapping[str, Any] | None) -> Moved:
    if data is None:
        return NOTHING_MOVES
    moves = tuple(
        Move(**{**each, **_figures(each, ("written", "figure"))}) for each in data["moves"]
    )
    return Moved(moves, tuple(Spoken(**each) for each in data["words"]), data["wheel_kg"])


def _figure(data: dict[str, Any] | None) -> Figure | None:
    return Figure.from_json(data) if data else None


def _figures(data: Mapping[str, Any], keys: tuple[str, ...]) -> dict[str, Any]:
    return {key: Figure.from_json(data[key]) for key in keys}


def _read_line(data: Mapping[str, Any]) -> FrozenLine:
    figures = _figures(data, ("written", "figure", "active"))
    rest = {key: value for key, value in data.items() if key not in figures}
    rest |= {
        "water": _figure(data["water"]),
        "notes": tuple(data["notes"]),
        "manner": Manner(**data["manner"]),
    }
    return FrozenLine(**rest, **figures)


def _of_version_1(document: Mapping[str, Any]) -> dict[str, Any]:
    """A sheet of the first version as the second has it.

    It froze only the overrides of the house, called press and moulds by their names, and at first
    knew neither the protein of its milk, nor its gear, nor whether its set held.
    """
    house = House(document["house"]["overrides"])
    milk, times = dict(document["milk"]), document["set"]
    if "protein" not in milk:
        most = max(milk["pours"], key=lambda pour: float(pour["mass_kg"]))
        share = house.number(f"milk.{most['breed']}.casein_of_protein")
        casein = Figure.from_json(milk["casein"])
        milk["protein"] = casein.times("true protein by its casein", 1 / share).to_json()
    given = document.get("given", {})
    learnt = document.get("rennet") or {}
    plain: dict[str, Any] = {
        "lot": "",
        "advice": "",
        "notes": [],
        "water": None,
        "manner": {"order": 50, "when": "", "how": ""},
    }
    labels = {each.name for each in fields(Product)}
    return {
        "whey": document["cheese"],
        "renneting_c": None,
        "renneting_ph": None,
        "own": {},
        "left_out": [],
        "asks": [],
        "firm_words": "",
        "cautions": [],
        **document,
        "house": house.to_json(),
        "milk": {"ph": None, **milk},
        "lines": [
            {**plain, **line, "spoons": line.get("spoons") or ""} for line in document["lines"]
        ],
        "bottles": {
            key: {name: told for name, told in bottle.items() if name in labels}
            for key, bottle in document.get("bottles", {}).items()
        },
        "set": times and {"holds": True, "band": 0.0, **times},
        "rennet": {"bottle": learnt.get("bottle", ""), "learnt": learnt.get("learnt", 1.0)},
        "given": {
            "vat": "",
            "press": given.get("press", ""),
            "moulds": given.get("moulds", []),
            "names": {},
        },
        "warm": document.get("warm", {}),
    }
