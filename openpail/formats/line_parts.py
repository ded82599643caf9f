"""What stands in one line of a plainly written recipe: measures, a product."""

from __future__ import annotations

import re
from typing import Any

from openpail.craft.errors import OutOfRange, Unknown
from openpail.craft.recipe.recipe import Band, Family, Ingredient, RecipeStep, ReferencePart
from openpail.craft.stock.products import Product
from openpail.craft.units import parse_amount, parse_minutes, parse_number, to_celsius
from openpail.formats.recipe_words import SPIRITS, kind_of_thing

MOST_MINUTES = 20_160
OVERNIGHT_MIN = 720.0
_OVERNIGHT = re.compile(r"\b(?:overnight|over night|through the night)\b", re.I)
NUM = r"\d+\s+\d+/\d+|\d+/\d+|\d*[.,]\d+|\d+|[½¼¾⅛⅓⅔]"
_LONG = r"(?:minutes?|mins?|hours?|hrs?|h|days?|d|weeks?|months?)"
_MORE = r"\s*(?:and\s*)?\d+(?:\s*min\w*)?(?![\d./]|\s*[°%a-z])"
_TIME = re.compile(rf"((?:{NUM})\s*{_LONG}\b(?:{_MORE})?)", re.I)
_HANDS = re.compile(rf"((?:{NUM})\s*(?:min\w*)?)\s*(?:of (?:it|them) )?by hand", re.I)
_LONGER = re.compile(rf"may run ((?:{NUM})\s*{_LONG}(?:\s*\d+)?) longer", re.I)
_BAND = rf"(?:\s*\(\s*({NUM})\s*(?:to|–|-)\s*({NUM})[^)]*\))?"
_WARM = re.compile(rf"(?<![\d.,/])({NUM})\s*°?\s*([CF])\b{_BAND}", re.I)
_SOUR = re.compile(rf"\bpH\s*({NUM}){_BAND}", re.I)
_DAMP = re.compile(rf"(?<![\d.,])({NUM})\s*%{_BAND}")
_SIZE = re.compile(rf"({NUM})\s*(mm|cm|inch(?:es)?|in)\b", re.I)
_LOAD = re.compile(rf"(?:{NUM})\s*(?:kg|lbs?)\b", re.I)
PERCENT = re.compile(
    rf"^({NUM})\s*%\s*(?:of (?:the )?(curd|milk|cheese)(?:’s weight)?\s*)?(.*)$", re.I
)
_STRENGTH = re.compile(r"([\d.,]+)\s*IMCU", re.I)
_ONE_TO = re.compile(r"1\s*:\s*([\d ,.]+)")
_MG_L = re.compile(r"(\d[\d.,]*)\s*mg\s*/\s*L\b", re.I)
_SERVES = re.compile(r",? for ([\d.,]+) L a \w+")
_LABEL = re.compile(r"([\d.,]+)\s*%")
_COUNTED = ("packet", "cubes", "units")
_POURED = re.compile(r"\b(?:buttermilk|yogh?urt|kefir|mother|whey starter|clabber\w*)\b", re.I)
_FORMS = ("tablet", "packet", "paste", "liquid", "powder", "cubes", "units", "freeze-dried")
_SIZES = {"mm": 1.0, "cm": 10.0, "inch": 25.4, "inches": 25.4, "in": 25.4}


class Clauses:
    """The measures that stand in a line of a step or a stage; `left` is the rest."""

    def __init__(self, text: str) -> None:
        self.left = text
        hands = self._cut(_HANDS)
        self.hands = parse_minutes(hands[1]) if hands else None
        longer = self._cut(_LONGER)
        self.longer = parse_minutes(longer[1]) if longer else 0.0
        warm = self._cut(_WARM)
        self.celsius = _band(warm, 1.0, warm[2].upper(), (3, 4)) if warm else None
        sour = self._cut(_SOUR)
        self.ph = _band(sour, 0.05, "", (2, 3)) if sour else None
        damp = self._cut(_DAMP)
        self.humidity = _band(damp, 5.0, "", (2, 3)) if damp else None
        size = self._cut(_SIZE)
        self.cut_mm = parse_number(size[1]) * _SIZES[size[2].lower()] if size else None
        load = self._cut(_LOAD)
        self.load_kg = parse_amount(load[0], "mass").base if load else None
        time = self._cut(_TIME)
        self.minutes = parse_minutes(time[1]) if time else None
        if self.minutes is None and self._cut(_OVERNIGHT):
            self.minutes = OVERNIGHT_MIN
        if self.minutes is not None and self.minutes > MOST_MINUTES:
            raise OutOfRange("No step of a make takes longer than two weeks.")

    def _cut(self, pattern: re.Pattern[str]) -> re.Match[str] | None:
        match = pattern.search(self.left)
        if match:
            self.left = f"{self.left[: match.start()].rstrip()} {self.left[match.end() :].lstrip()}"
        return match


def _band(match: re.Match[str], usual: float, unit: str, groups: tuple[int, int]) -> Band:
    def read(text: str) -> float:
        return round(to_celsius(parse_number(text), unit), 2)

    target, low, high = match[1], match[groups[0]], match[groups[1]]
    at = read(target)
    return Band(at, read(low) if low else at - usual, read(high) if high else at + usual)


def _rennet(words: str) -> dict[str, Any]:
    """The strength of a rennet by the words of its line. Raises: Unknown without one."""
    imcu, mg, one_to = _STRENGTH.search(words), _MG_L.search(words), _ONE_TO.search(words)
    digits = re.sub(r"\D", "", one_to[1]) if one_to else ""
    if imcu:
        return {"strength": parse_number(imcu[1])}
    if mg:
        return {"strength": parse_number(mg[1]), "scale": "mg"}
    if digits:
        return {"strength": float(digits), "scale": "soxhlet"}
    raise Unknown("How strong is it? Write it like calf rennet, 200 IMCU or rennet 1:10000.")


def product_of(words: str, kind: Any, sort: str) -> Product:
    """A product by the words of its line."""
    more: dict[str, Any] = {}
    serves = _SERVES.search(words)
    if serves:
        more["serves_l"] = parse_number(serves[1])
        words = _SERVES.sub("", words)
    form = next((form for form in _FORMS if re.search(rf"\b{form}s?\b", words, re.I)), "")
    label = _LABEL.search(words)
    if kind == "rennet":
        more |= _rennet(words)
        more["form"] = form if form in ("tablet", "powder", "paste") else "liquid"
    elif label and kind in ("acid", "calcium"):
        more["strength"] = parse_number(label[1])
    if kind == "calcium" and "anhydrous" in words.lower():
        more["counts"] = "anhydrous"
    if kind == "herb" and re.search(rf"\b(?:{SPIRITS})\b", words, re.I):
        more["form"] = "liquid"
    if kind == "ware":
        more |= {"form": "packet", "kept": "room"}
    if kind in ("culture", "mould", "propionic", "protective"):
        more |= {"kept": "freezer", "form": form if form in _COUNTED else "freeze-dried"}
        if kind == "culture" and _POURED.search(words):
            more |= {"kept": "fridge", "form": "mother"}
    return Product(kind=kind, name=words.strip()[:120], sort=sort, **more)


def among(words: str, ingredients: list[Ingredient]) -> str:
    """The ingredient that some words mean: by its name, else by its kind."""
    words = re.sub(r"^(?:the|in|all|of)\s+", "", words.strip(" ."))
    named = [e.key for e in ingredients if words and words in e.product.name.lower()]
    if named:
        return named[0]
    thing = kind_of_thing(words)
    kinds = [e.key for e in ingredients if thing and e.product.kind == thing[0]]
    return kinds[0] if kinds else ""


def guess_family(
    reference: list[ReferencePart], ingredients: list[Ingredient], steps: list[RecipeStep]
) -> Family:
    """The family that goes by what goes in and what is done; a tomme when nothing tells."""
    kinds = {each.product.kind for each in ingredients}
    sorts = {each.product.sort for each in ingredients}
    done = {step.kind for step in steps}
    guesses: tuple[tuple[bool, Family], ...] = (
        (any(part.stream == "whey" for part in reference), "whey"),
        (
            "acid" in kinds and "rennet" not in kinds,
            "acid_heat_pressed" if "press" in done else "acid_heat_soft",
        ),
        ("stretch" in done, "stretched_quick" if "acid" in kinds else "stretched"),
        ("cook in whey" in done, "grilling"),
        ("propionic" in kinds, "small_eyed"),
        ("blue" in sorts, "blue"),
        ("white" in sorts, "bloomy"),
        ("smear" in sorts, "washed_rind"),
        ("cheddar" in done, "cheddared"),
        ("mill" in done, "stirred_curd"),
        ("add water" in done, "washed_curd"),
        ("hot" in sorts and "press" in done, "alpine"),
        ("press" not in done and "cut" not in done, "lactic"),
        ("brine" in done and "press" not in done, "white_brined"),
    )
    return next((family for fits, family in guesses if fits), "tomme")
