"""What a label says of a cheese, line by line: a draft, for the law of the place."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from openpail.craft.cave.deeds import SEALS, Seal
from openpail.craft.errors import OutOfRange
from openpail.craft.marks import RAW_SOFT, Marks
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.ripening import RAW_DAYS

LONGEST = 90
DRAFT = "Draft: local law and the dairy’s own inspector come first."
_ALLERGEN_WORDS: tuple[tuple[str, str], ...] = (
    ("lysozyme", "egg (lysozyme)"),
    ("beer", "cereals (beer)"),
    ("ale", "cereals (beer)"),
    ("bread", "cereals (mould grown on bread)"),
    ("wine", "sulphites (wine)"),
    ("mustard", "mustard"),
    ("celery", "celery"),
    ("walnut", "nuts"),
    ("hazelnut", "nuts"),
    ("almond", "nuts"),
    ("nut", "nuts"),
)
_RENNETS = {
    "calf": "animal rennet",
    "kid": "animal rennet",
    "lamb": "animal rennet",
    "microbial": "microbial rennet",
    "fermentation": "rennet made by fermentation",
    "plant": "plant rennet",
}
_SPIRITS = ("spirit", "brandy", "whisk", "wine", "cider")


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
    """The milk of a cheese: share by species; whether it is of the raw class, was heated in the
    making only, or was declared pasteurised and not logged."""

    animals: Mapping[str, float]
    raw: bool
    heated: bool = False
    declared: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Label:
    """A label: number, name, lines in their order, what must stand out, where its code leads."""

    number: str
    name: str
    lines: tuple[str, ...]
    cautions: tuple[str, ...]
    code: str


def milk_words(milk: MilkSaid) -> str:
    """The milk as a label names it, the most first: raw goat’s and cow’s milk.

    Parameters: milk. Source: handbook of safety: raw, pasteurised, declared or logged.
    """
    names = sorted(milk.animals, key=lambda name: -milk.animals[name])
    animals = " and ".join(f"{name}’s" for name in names) or "cow’s"
    if milk.raw:
        return f"raw {animals} milk"
    if milk.heated:
        return f"{animals} milk, heated in the making"
    if milk.declared:
        return f"{animals} milk, declared pasteurised, not logged"
    return f"pasteurised {animals} milk"


def allergens(recipe: Recipe, milk: MilkSaid) -> str:
    """What a label must name: milk always, and what else its recipe brings.

    Parameters: recipe; milk. Source: handbook of safety.
    """
    found = []
    for each in recipe.ingredients:
        words = f"{each.product.name} {each.words}".lower().replace("-", " ").split()
        for spoken, allergen in _ALLERGEN_WORDS:
            if any(word.strip(".,;") in (spoken, f"{spoken}s") for word in words):
                found.append(allergen)
    names = ", ".join(sorted(milk.animals)) or "cow"
    return ", ".join(dict.fromkeys([f"milk ({names})", *found]))


def rennet_words(recipe: Recipe) -> str:
    """Where its rennet is from, "" for a cheese without. Parameters: recipe. Source: the recipe."""
    rennet = recipe.ingredient("rennet")
    if rennet is None:
        return ""
    return _RENNETS.get(rennet.product.sort, "set with rennet")


def has_spirit(recipe: Recipe) -> bool:
    """Whether alcohol stays in it. Parameters: recipe. Source: the recipe."""
    names = " ".join(each.product.name.lower() for each in recipe.ingredients)
    words = names.replace(",", " ").split()
    return any(word.startswith(spirit) for word in words for spirit in _SPIRITS)


@dataclass(frozen=True, slots=True, kw_only=True)
class Dates:
    """The days of a label: made, ready from, keep until; sealed in what, since when; how many days
    it aged."""

    made: date
    ready: date
    until: date
    sealed: Seal | None = None
    sealed_on: date | None = None
    aged_days: int = 0


def label_of(
    number: str,
    recipe: Recipe,
    milk: MilkSaid,
    *,
    dates: Dates,
    marks: Marks,
    wording: Wording,
    weight: str,
    code: str,
) -> Label:
    """What a label says.

    Parameters: number of the piece; recipe; milk; dates; marks, what stays said of it; wording, the
    maker's own; weight, in words, "" for none; code, where its QR code leads.
    Source: handbook of keeping and of safety.
    """
    lines = [
        milk_words(milk).capitalize(),
        f"Contains: {allergens(recipe, milk)}",
        f"Made {_day(dates.made)}",
    ]
    if dates.sealed and dates.sealed_on:
        lines.append(f"Sealed {SEALS[dates.sealed]} {_day(dates.sealed_on)}")
    lines += [f"Ready from {_day(dates.ready)}", f"Keep until {_day(dates.until)}"]
    lines.append(wording.keep or _keep(dates))
    rennet = rennet_words(recipe)
    if rennet:
        lines.append(rennet.capitalize())
    lines += [each for each in (weight, wording.line, wording.maker) if each]
    return Label(
        number=number,
        name=recipe.name,
        lines=tuple(lines),
        cautions=tuple(_cautions(recipe, milk, dates, marks)),
        code=code,
    )


def _keep(dates: Dates) -> str:
    if dates.sealed == "oil":
        return "Keep at 4 °C (40 °F) or colder; not at room temperature"
    return "Keep cold"


def _cautions(recipe: Recipe, milk: MilkSaid, dates: Dates, marks: Marks) -> list[str]:
    found = list(dict.fromkeys(each.sort.label for each in marks if each.sort.leaves))
    if milk.raw:
        found.append("RAW MILK: may carry germs; not for the pregnant, very young, old or ill")
    soft = next((each.sort.label for each in marks if each.key == RAW_SOFT), "")
    if soft:
        found.append(soft)
    elif milk.raw and dates.aged_days < RAW_DAYS:
        found.append(f"Raw, aged {dates.aged_days} of {RAW_DAYS} days")
    if has_spirit(recipe):
        found.append("Contains alcohol")
    return found


def _day(day: date) -> str:
    return f"{day.day} {day:%b %Y}"
