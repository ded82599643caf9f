"""What goes in, as people write it."""

from __future__ import annotations

import re
from dataclasses import replace

from openpail.craft.doses.spoons import in_its_unit
from openpail.craft.errors import Unknown
from openpail.craft.milk.kinds import Treatment
from openpail.craft.recipe.recipe import (
    Basis,
    ReferencePart,
)
from openpail.craft.stock.products import Product
from openpail.craft.units import System, parse_number
from openpail.formats.line_parts import product_of
from openpail.formats.recipe_words import (
    BREED_WORDS,
    TREATMENT_WORDS,
    kind_of_thing,
)
from openpail.formats.written.amounts import (
    milk_of,
    own_amounts,
    pct_of,
    serves_l,
    without,
)
from openpail.formats.written.asides import asides
from openpail.formats.written.asked import OpenQuestion
from openpail.formats.written.clauses import Clause
from openpail.formats.written.draft import WrittenDraft
from openpail.formats.written.lexicon import SHARES
from openpail.formats.written.quantities import Quantity, quantities

# A milk that was heated before it came: its warmth is no step.
HEATED_BEFORE = re.compile(r"pasteuri[sz]ed|thermi[sz]ed|heat-treated|heated to", re.I)
_HEATED = re.compile(r"\W*(?:and |then )*(?:heated|cooled|pasteuri[sz]ed|thermi[sz]ed)\b", re.I)
_PIECES = r"(?:wheels?|cheeses?|loa(?:f|ves)|pieces?|blocks?|rounds?|truckles?)"
_A_WHEEL = re.compile(_PIECES, re.I)
_PIECES_OF = re.compile(
    rf"\b{_PIECES}\s+(?:(?:of|weighing|at)\s+)?(?:about|around|some|ca\.?)?\s*$", re.I
)
_A_PIECE = re.compile(rf"[\s-]*(?:\w+\s+)?{_PIECES}\b", re.I)
_LEAST_PIECE_KG, _MOST_PIECE_KG = 0.05, 100.0
# What a fruit gives, mL; what a level teaspoon of dried leaves weighs, g.
_POURED_L = 0.03
_JUICE_ML = (("lemon", 45.0), ("lime", 30.0))
_HERB_G_TSP, _TEASPOON_L = 1.0, 0.00493
_STRENGTH_IMCU = 200
_IN_THE_VAT_C = (61.0, 69.0)
_WEIGHED = frozenset({"calcium", "acid", "colour"})
_THOUSAND = re.compile(r"[1-9]\d{0,2},\d{3}(?!\d)")
_PART = r"(?P<n>\d+(?:[.,]\d+)?) ?%?"
_FAT = re.compile(rf"{_PART} fat\b|\bfat:? {_PART.replace('<n>', '<m>')}", re.I)
_PROTEIN = re.compile(rf"{_PART} protein\b|\bprotein:? {_PART.replace('<n>', '<m>')}", re.I)
_STRENGTHLESS = re.compile(r"IMCU|1\s*:\s*\d", re.I)
_SHARE_OF = re.compile(
    rf"(?:(?P<pct>\d{{1,2}}) ?%|\b(?P<part>{'|'.join(SHARES)}))\s+(?:of\s+)?(?:it\s+)?"
    r"(?P<animal>(?:dwarf )?(?:goats?|sheep|ewes?|buffalo\w*|cows?))\b",
    re.I,
)
_HEAT = OpenQuestion(
    key="heat",
    words="Raw milk, or heated?",
    choices=(
        ("raw", "raw"),
        ("thermised", "thermised"),
        ("batch", "pasteurised in the vat"),
        ("flash", "pasteurised, flash"),
    ),
    usual="raw",
)
_STRENGTH = OpenQuestion(
    key="strength",
    words="How strong is its rennet?",
    example=f"{_STRENGTH_IMCU} IMCU or 1:10000",
    usual=f"{_STRENGTH_IMCU} IMCU per mL",
)
_ANIMAL = re.compile(r"\b(?:goats?|sheep|ewes?|buffalo\w*|cows?)\b", re.I)


def piece_kg(text: str, system: System) -> float | None:
    """How heavy one of the cheeses of a text is to be, kg: wheels of 4 kg, a 2 lb wheel.

    Parameters: text; system of who wrote it. Returns: None where it is not told.
    """
    for line in text.splitlines():
        if not _A_WHEEL.search(line):
            continue
        gone = asides(line)
        for each in quantities(line, system):
            if each.what != "mass" or any(a.begins <= each.begins < a.ends for a in gone):
                continue
            of = _PIECES_OF.search(line[: each.begins]) or _A_PIECE.match(line[each.ends :])
            if of and _LEAST_PIECE_KG <= each.value <= _MOST_PIECE_KG:
                return sum(each.values) / len(each.values)
    return None


def _shares(text: str) -> list[tuple[float, str]]:
    """The shares of a mixed milk: two thirds goat and one third sheep; none where they are not
    the whole of it."""
    found = [
        (float(m["pct"]) / 100 if m["pct"] else SHARES[m["part"].lower()], m["animal"])
        for m in _SHARE_OF.finditer(text)
    ]
    whole = sum(share for share, _ in found)
    return found if len(found) > 1 and abs(whole - 1) < 0.02 else []


def milks_of(draft: WrittenDraft, clause: Clause) -> str:
    """Each milk of a clause, by the words behind its litres."""
    amounts = [each for each in clause.every("volume") if each.per is None]
    heats = [
        heat
        for pattern, heat in TREATMENT_WORDS
        if re.search(rf"(?<!not )(?<!no )(?<!never )\b(?:{pattern})\b", clause.text, re.I)
    ]
    usual: Treatment = "flash" if draft.is_raw is False else "raw"
    heat: Treatment = heats[0] if heats else usual
    warm = clause.first("warm")
    if warm and heat == "flash" and _IN_THE_VAT_C[0] <= warm.value <= _IN_THE_VAT_C[1]:
        heat = "batch"
    taken = ""
    if not heats:
        answered = "" if re.search(r"\bwhey\b", clause.text, re.I) else draft.ask(_HEAT)
        heat = answered or usual  # type: ignore[assignment]
        taken = "" if answered else ", as nothing else is said"
    if heats == [] and warm and re.search(r"\bheated to\b", clause.text, re.I):
        heat = "batch" if _IN_THE_VAT_C[0] <= warm.value <= _IN_THE_VAT_C[1] else "flash"
        taken = ""
    if len(amounts) > 2 and milk_of(clause) == sum(amounts[0].values) / len(amounts[0].values):
        amounts = amounts[1:]  # the whole, and what it is made of
    shares = _shares(clause.text) if len(amounts) == 1 else []
    if shares:
        whole = amounts[0]
        amounts = [replace(whole, value=whole.value * share) for share, _ in shares]
    echoes = []
    for number, (here, after) in enumerate(zip(amounts, [*amounts[1:], None], strict=True)):
        ends = after.begins - clause.begins if after else len(clause.text)
        words = clause.text[here.ends - clause.begins : ends] if len(amounts) > 1 else clause.text
        if shares:
            words = shares[number][1]
        animal = words if _ANIMAL.search(words) else f"{draft.head.get('name', '')} cow"
        breed = next(b for p, b in BREED_WORDS if re.search(rf"\b(?:{p})\b", animal, re.I))
        draft.reference.append(
            ReferencePart(
                breed=breed,
                treatment=heat,
                volume_l=round(sum(here.values) / len(here.values), 6),
                stream="whey" if re.search(r"\bwhey\b", words, re.I) else "milk",
                fat_pct=pct_of(_FAT, words),
                protein_pct=pct_of(_PROTEIN, words),
                homogenised=bool(
                    re.search(r"(?<!not )(?<!un)(?<!non-)\bhomogeni[sz]ed", clause.text, re.I)
                ),
            )
        )
        if here.high is not None:
            draft.usual.append("reference")
            draft.granted.append(
                f"{sum(here.values) / 2:.3g} L of milk, the middle of {here.value:.3g} to "
                f"{here.high:.3g}."
            )
        how = f"{heat.replace('_', '-')}{taken}"
        echoes.append(
            f"{sum(here.values) / len(here.values):.3g} L of {breed.replace('_', ' ')} milk, {how}"
        )
    return "; ".join(echoes)


def heated_before(draft: WrittenDraft, clause: Clause) -> str:
    """What a line says of how its milk was heated and cooled before it came; "" for all else.

    Parameters: draft; clause of the line of its milk.
    """
    if draft.steps or draft.milked_on != draft.number or not _HEATED.match(clause.text):
        return ""
    warm = clause.first("warm")
    if warm and warm.value > _IN_THE_VAT_C[0]:
        heat: Treatment = "batch" if warm.value <= _IN_THE_VAT_C[1] else "flash"
        draft.reference[:] = [replace(each, treatment=heat) for each in draft.reference]
        draft.open.pop("heat", None)
        return f"heated before: {heat}"
    return "as it comes"


def is_ingredient(draft: WrittenDraft, clause: Clause) -> bool:
    """Whether a clause is what goes in, with how much."""
    if not clause.things or not (clause.first("volume", "mass", "count", "percent")):
        return False
    if draft.section == "in" or not draft.steps:
        return (
            clause.kind in (None, "add", "salt", "dry", "mould", "wait", "brine")
            or draft.section == "in"
        )
    return False


def add_thing(draft: WrittenDraft, clause: Clause) -> str:
    """An ingredient, as its product and how much of it."""
    kind, sort = clause.things[0]
    draft.added_on[kind] = draft.number
    amount = amount_of(draft, clause)
    words = without(clause, amount)
    if kind == "rennet" and not _STRENGTHLESS.search(words):
        words = f"{words} {_strength(draft)}"
    product = product_of(words, kind, sort)
    if amount and kind == "culture" and amount.what == "volume" and amount.value >= _POURED_L:
        product = replace(product, form="mother", kept="fridge")  # no powder is poured
    serves = serves_l(clause)
    if serves and product.in_pieces:
        product = replace(product, serves_l=serves)
    if amount and amount.what == "mass" and product.unit == "mL" and kind in _WEIGHED:
        product = replace(product, form="powder")
    if amount is not None and amount.per is not None and amount.per.what == "mass":
        percent = 100 * amount.value / amount.per.value
        draft.add(product, round(percent, 2), "%", "percent_of_curd", "")
        return f"{percent:.2g} % of the curd’s weight of {product.name}"
    if amount is None or amount.what == "percent":
        share = amount or clause.first("percent")
        if share is None:
            raise Unknown(f"How much {without(clause, amount)}?")
        basis: Basis = "percent_of_curd"
        if any(step.kind in ("mould", "press") for step in draft.steps):
            basis = "percent_of_cheese"
        if re.search(r"\bof (?:the )?milk", clause.text, re.I):
            basis = "percent_of_milk"
        draft.add(product, share.value, "%", basis, "")
        return f"{share.value:g} % {product.name}"
    written = clause.text[amount.begins - clause.begins : amount.ends - clause.begins]
    if _THOUSAND.match(written):
        parse_number(written.split()[0])  # refuses what could be 1500 or 1.5
    value = weighed(draft, amount, product)
    draft.add(product, value, product.unit, "batch", "")
    unit = f"{product.unit}s" if product.in_pieces and value != 1 else product.unit
    return f"{value:.3g} {unit} of {product.name}"


def weighed(draft: WrittenDraft, amount: Quantity, product: Product) -> float:
    """An amount in the unit that a product is measured in.

    Parameters: draft; amount; product. Raises: Unknown. Source: house value; a fruit and a spoon of
    leaves as they usually are.
    """
    fruit = next((ml for name, ml in _JUICE_ML if name in amount.unit.lower()), None)
    if fruit and product.unit == "mL":
        draft.granted.append(f"A {amount.unit.rstrip('s')} gives about {fruit:g} mL of juice.")
        return round(fruit * sum(amount.values) / len(amount.values), 3)
    said = _said(draft, amount)
    try:
        return in_its_unit(said, product, draft.house, draft.system)
    except Unknown:
        if product.kind != "herb" or amount.what != "volume":
            raise
    draft.granted.append(f"A teaspoon of {product.name} weighs about {_HERB_G_TSP:g} g.")
    return round(sum(amount.values) / len(amount.values) / _TEASPOON_L * _HERB_G_TSP, 3)


def _strength(draft: WrittenDraft) -> str:
    """How strong rennet is that does not say so."""
    given = draft.ask(_STRENGTH)
    number = re.fullmatch(r"\d+(?:[.,]\d+)?", given)
    given = f"{given} IMCU" if number else given
    if given and _STRENGTHLESS.search(given):
        return given
    if given:
        wrong = "Write it like 200 IMCU or 1:10000."
        draft.refuse(_STRENGTH.key, wrong)
    else:
        draft.granted.append(f"Rennet of {_STRENGTH_IMCU} IMCU per mL, as nothing else is said.")
    return f"{_STRENGTH_IMCU} IMCU"


def amount_of(draft: WrittenDraft, clause: Clause) -> Quantity | None:
    """How much of a thing: never the water it is thinned with, nor its strength."""
    own = own_amounts(clause)
    if own:
        return next((each for each in own if each.what != "count"), own[0])
    strong = clause.first("percent")
    if strong and kind_of_thing(clause.text) and clause.things[0][0] in ("salt", "herb", "colour"):
        return strong
    return None


def _said(draft: WrittenDraft, each: Quantity) -> str:
    """An amount as a text of its base unit; of so much for each litre, for all the milk."""
    times = 1.0
    if each.per is not None and each.per.what == "volume" and draft.milk_l:
        times = draft.milk_l / each.per.value
    value = max(each.values) if each.high is None else sum(each.values) / 2
    unit = {"volume": "mL", "mass": "g"}.get(each.what)
    return f"{1000 * value * times:.9f} {unit}" if unit else f"{value * times:.6g}"
