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
from openpail.craft.units import parse_number
from openpail.formats.line_parts import product_of
from openpail.formats.recipe_words import (
    BREED_WORDS,
    TREATMENT_WORDS,
    kind_of_thing,
)
from openpail.formats.written.amounts import (
    own_amounts,
    pct_of,
    without,
)
from openpail.formats.written.asked import OpenQuestion
from openpail.formats.written.clauses import Clause
from openpail.formats.written.draft import WrittenDraft
from openpail.formats.written.lexicon import SHARES
from openpail.formats.written.quantities import Quantity

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
    heat: Treatment = heats[0] if heats else "raw"
    warm = clause.first("warm")
    if warm and heat == "flash" and _IN_THE_VAT_C[0] <= warm.value <= _IN_THE_VAT_C[1]:
        heat = "batch"
    taken = ""
    if not heats:
        answered = "" if re.search(r"\bwhey\b", clause.text, re.I) else draft.ask(_HEAT)
        heat = answered or "raw"  # type: ignore[assignment]
        taken = "" if answered else ", as nothing else is said"
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
                volume_l=here.value,
                stream="whey" if re.search(r"\bwhey\b", words, re.I) else "milk",
                fat_pct=pct_of(_FAT, words),
                protein_pct=pct_of(_PROTEIN, words),
                homogenised=bool(
                    re.search(r"(?<!not )(?<!un)(?<!non-)\bhomogeni[sz]ed", clause.text, re.I)
                ),
            )
        )
        how = f"{heat.replace('_', '-')}{taken}"
        echoes.append(f"{here.value:.3g} L of {breed.replace('_', ' ')} milk, {how}")
    return "; ".join(echoes)


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
    value = in_its_unit(_said(draft, amount), product, draft.house, draft.system)
    draft.add(product, value, product.unit, "batch", "")
    unit = f"{product.unit}s" if product.in_pieces and value != 1 else product.unit
    return f"{value:.3g} {unit} of {product.name}"


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
