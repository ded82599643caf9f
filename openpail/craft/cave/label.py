"""What a label says of a cheese, line by line: a draft, for the law of the place."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date

from openpail.craft.cave.allergens import found_in, says
from openpail.craft.cave.deeds import SEALS, Seal
from openpail.craft.errors import OutOfRange
from openpail.craft.marks import RAW_SOFT, Marks
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.ripening import LISTERIA, RAW_DAYS
from openpail.craft.units import from_celsius

LONGEST = 90
DRAFT = "Draft: local law and the dairy’s own inspector come first."
_RENNETS = {
    "calf": "animal rennet",
    "animal": "animal rennet",
    "kid": "animal rennet",
    "lamb": "animal rennet",
    "microbial": "microbial rennet",
    "fermented": "rennet made by fermentation",
    "fermentation": "rennet made by fermentation",
    "plant": "plant rennet",
}
_STRONG = ("spirit", "spirits", "brandy", "whisky", "whiskey", "bourbon", "gin", "rum", "vodka")
_OF_FRUIT = ("grappa", "marc", "calvados", "schnapps", "liqueur", "vermouth", "sherry", "port")
_BREWED = ("wine", "cider", "cyder", "perry", "mead", "beer", "ale", "stout", "porter", "lager")
_SPIRITS = frozenset({*_STRONG, *_OF_FRUIT, *_BREWED})
_NAMED = {
    "calcium": "calcium chloride",
    "culture": "cultures",
    "mould": "ripening moulds",
    "propionic": "cultures",
    "protective": "cultures",
    "salt": "salt",
}
_ASKED_OF = frozenset({"herb", "other"})


@dataclass(frozen=True, slots=True)
class Wording:
    """The maker's own words, where they are theirs to choose: who makes it, a line about it, how it
    is kept."""

    maker: str = ""
    line: str = ""
    keep: str = ""

    def __post_init__(self) -> None:
        for name in ("maker", "line", "keep"):
            if len(getattr(self, name)) > LONGEST:
                raise OutOfRange(f"At most {LONGEST} letters fit on a label.", name)


@dataclass(frozen=True, slots=True, kw_only=True)
class MilkSaid:
    """The milk of a cheese: share by species, that of its whey's milk too; whether it is of the raw
    class, thermised all of it, heated in the making only, or declared pasteurised and not logged.
    """

    animals: Mapping[str, float]
    raw: bool
    thermised: bool = False
    heated: bool = False
    declared: bool = False


@dataclass(frozen=True, slots=True)
class GivenTo:
    """What really went in: the kind and sort of its product, its name, and what is said of it."""

    kind: str
    sort: str
    name: str
    words: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Matter:
    """What a cheese is made of: its milk; what went into it; what was done to its rind, in words;
    what was answered of names that stand on no list, as keys of allergens."""

    milk: MilkSaid
    given: Sequence[GivenTo] = ()
    done: Sequence[str] = ()
    answers: Mapping[str, Sequence[str]] = field(default_factory=dict)

    @property
    def texts(self) -> list[str]:
        """All names and words in which an allergen may be spoken of."""
        return [*(f"{each.name} {each.words}" for each in self.given), *self.done]


@dataclass(frozen=True, slots=True, kw_only=True)
class Label:
    """A label: number, name, lines in their order, what must stand out, where its code leads; own:
    what the dairy is told beside it, and nobody else."""

    number: str
    name: str
    lines: tuple[str, ...]
    cautions: tuple[str, ...]
    code: str
    own: tuple[str, ...] = ()


def milk_words(milk: MilkSaid) -> str:
    """The milk as a label names it, the most first: raw goat’s and cow’s milk.

    Parameters: milk. Source: handbook of safety: raw, thermised, pasteurised.
    """
    names = sorted(milk.animals, key=lambda name: -milk.animals[name])
    animals = " and ".join(f"{name}’s" for name in names) or "cow’s"
    if milk.raw:
        return f"{'thermised' if milk.thermised else 'raw'} {animals} milk"
    if milk.heated:
        return f"{animals} milk, heated in the making"
    return f"pasteurised {animals} milk"


def allergens(matter: Matter) -> str:
    """What a label must name: milk always, by its animals, and what else went in or on.

    Parameters: matter. Source: handbook of safety; Regulation (EU) 1169/2011.
    """
    said = says()
    keys = [key for text in matter.texts for key in found_in(text).keys]
    keys += [key for each in matter.given for key in matter.answers.get(each.name.casefold(), ())]
    names = ", ".join(sorted(matter.milk.animals)) or "cow"
    return ", ".join(dict.fromkeys([f"milk ({names})", *(said[key] for key in keys)]))


def to_ask(matter: Matter) -> tuple[str, ...]:
    """Names of what went in of which no word list tells whether an allergen is in it, and nobody
    has answered yet.

    Parameters: matter. Source: handbook of safety: what is not on the list is asked.
    """
    return tuple(
        dict.fromkeys(
            each.name
            for each in matter.given
            if each.kind in _ASKED_OF
            and found_in(each.name).unknown
            and each.name.casefold() not in matter.answers
        )
    )


def rennet_words(given: Iterable[GivenTo]) -> str:
    """Where its rennet is from, as it was really poured, "" for a cheese without.

    Parameters: given, what went in. Source: handbook of safety.
    """
    sorts = [_RENNETS.get(each.sort, "rennet") for each in given if each.kind == "rennet"]
    return " and ".join(dict.fromkeys(sorts))


def ingredients(matter: Matter) -> str:
    """All that went in, the milk first. Parameters: matter. Source: handbook of keeping."""
    found = [milk_words(matter.milk)]
    for each in matter.given:
        if each.kind == "rennet":
            found.append(rennet_words(matter.given))
        elif each.kind == "lipase":
            found.append(f"lipase ({each.sort})" if each.sort else "lipase")
        elif each.kind != "ware":
            found.append(_NAMED.get(each.kind, each.name[:1].lower() + each.name[1:]))
    return ", ".join(dict.fromkeys(found))


def has_spirit(matter: Matter) -> bool:
    """Whether alcohol stays in it. Parameters: matter. Source: what went in, and on its rind."""
    words = " ".join(matter.texts).casefold().replace(",", " ").replace("-", " ").split()
    return any(word.strip(".;:()") in _SPIRITS for word in words)


@dataclass(frozen=True, slots=True, kw_only=True)
class Dates:
    """The days of a label: made, ready from, to be eaten by, and whether that is a last day (of
    what is fresh, soft, of whey, raw and soft) or the best one; at most how warm it is kept, °C;
    sealed in what, since when; how many days it aged."""

    made: date
    ready: date
    until: date
    is_last: bool = False
    most_c: float = 8.0
    sealed: Seal | None = None
    sealed_on: date | None = None
    aged_days: int = 0


def label_of(
    number: str,
    recipe: Recipe,
    matter: Matter,
    *,
    dates: Dates,
    marks: Marks,
    wording: Wording,
    weight: str,
    code: str,
) -> Label:
    """What a label says: all of it of what was really poured and done.

    Parameters: number of the piece; recipe; matter; dates; marks, what stays said of it; wording,
    the maker's own; weight, in words, "" for none; code, where its QR code leads.
    Source: handbook of keeping and of safety.
    """
    lines = [
        ingredients(matter).capitalize(),
        f"Contains: {allergens(matter)}",
        f"Made {_day(dates.made)}",
    ]
    if dates.sealed and dates.sealed_on:
        lines.append(f"Sealed {SEALS[dates.sealed]} {_day(dates.sealed_on)}")
    last = "Use by" if dates.is_last else "Best before"
    lines += [f"Ready from {_day(dates.ready)}", f"{last} {_day(dates.until)}", _keep(dates)]
    lines += [each for each in (wording.keep, weight, wording.line, wording.maker) if each]
    own: tuple[str, ...] = ()
    if matter.milk.declared and not matter.milk.raw:
        own = ("Its milk was declared pasteurised, and no log of that is kept here.",)
    return Label(
        number=number,
        name=recipe.name,
        lines=tuple(lines),
        cautions=tuple(_cautions(recipe, matter, dates, marks)),
        code=code,
        own=own,
    )


def _keep(dates: Dates) -> str:
    most = dates.most_c
    words = f"Keep at {most:g} °C ({from_celsius(most, 'F'):.0f} °F) or colder"
    return f"{words}; not at room temperature" if dates.sealed == "oil" else words


def _cautions(recipe: Recipe, matter: Matter, dates: Dates, marks: Marks) -> list[str]:
    raw = matter.milk.raw
    found = list(dict.fromkeys(each.sort.label for each in marks if each.sort.leaves))
    if raw:
        found.append("RAW MILK: may carry germs; not for the pregnant, very young, old or ill")
    elif recipe.family in LISTERIA:
        found.append("LISTERIA grows in such cheese: not for the pregnant, very young, old or ill")
    soft = next((each.sort.label for each in marks if each.key == RAW_SOFT), "")
    if soft:
        found.append(soft)
    elif raw and dates.aged_days < RAW_DAYS:
        found.append(f"Raw, aged {dates.aged_days} of {RAW_DAYS} days")
    if has_spirit(matter):
        found.append("Contains alcohol")
    return found


def _day(day: date) -> str:
    return f"{day.day} {day:%b %Y}"
