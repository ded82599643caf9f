"""The house values: each with its range, its source, the dairy's own, and the way back."""

from __future__ import annotations

from dataclasses import dataclass, replace

from flask import Blueprint, redirect, render_template, request, url_for

from openpail.craft.errors import CraftError
from openpail.craft.house import HouseValue, entry, shipped
from openpail.craft.milk.kinds import BREEDS
from openpail.craft.units import parse_number
from openpail.web.edge import Page, here, may, needs, refuse
from openpail.work.dairy import own as things
from openpail.work.dairy import stock
from openpail.work.dairy.own import HouseOverride

blueprint = Blueprint("house", __name__, template_folder="templates")

_GROUPS = {
    "milk": "Milk of each animal",
    "late": "Late milk",
    "cells": "Cells in the milk",
    "kappa": "Genes of cows",
    "stream": "Cream, skim, powders, retentate, evaporated, whey",
    "skim": "Skimmed by hand",
    "fitness": "Too old, too warm, souring",
    "ratio": "Ratios",
    "standard": "Standardising",
    "calcium": "Calcium chloride",
    "rennet": "Rennet",
    "cut": "The cut",
    "set": "What is said of a set",
    "firm": "Firmness",
    "slabs": "Stacked slabs",
    "culture": "Culture",
    "move": "Steps that follow the milk",
    "acid": "Acid",
    "lipase": "Lipase",
    "stock": "The stock",
    "measure": "Spoons and drops",
    "heat": "Warming a vat",
    "ramp": "A curd that is cooked",
    "wash": "Wash water",
    "room": "The room it drains in",
    "warm": "Warm without a culture",
    "ph": "The pH meter",
    "cement": "After the make",
    "vat": "Vats",
    "plan": "The plan of a day",
    "yield": "Yield",
    "whey": "Whey",
    "press": "The press",
    "brine": "Brine",
    "salt": "Salt",
    "dry": "Drying a rind",
    "ripen": "Ripening",
    "cave": "The cave",
    "loss": "Weight that a rind loses",
    "keep": "How long it keeps",
    "slow_acid": "Slow acid",
    "asleep": "A culture that makes no acid",
    "ask": "What is asked about",
    "help": "What help at the vat takes for a fact",
    "money": "What things cost",
    "sense": "What a recipe is looked over for",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """A house value as shipped, and the dairy's own change of it if there is one."""

    value: HouseValue
    own: HouseOverride | None
    typed: str = ""
    error: str = ""


@blueprint.get("/dairy/house")
@needs("dairy.read")
def page() -> Page:
    """All house values, or those that a word finds."""
    return _page()


def _page(wrong: tuple[str, str, str] = ("", "", "")) -> Page:
    key, typed, error = wrong
    own = things.own_values(here())
    find = request.args.get("find", "").strip().lower()
    groups: dict[str, list[Row]] = {}
    for each in shipped().values():
        if find and find not in f"{each.key} {each.words}".lower():
            continue
        row = Row(value=each, own=own.get(each.key))
        if each.key == key:
            row = replace(row, typed=typed, error=error)
        groups.setdefault(each.key.split(".")[0], []).append(row)
    lessons = here().lessons
    open_group = key.split(".")[0] or request.args.get("group", "")
    return render_template(
        "settings/house.html",
        groups=[
            (name, words, groups[name], find or name == open_group)
            for name, words in _GROUPS.items()
            if name in groups
        ],
        changed=len(own),
        bottles=[
            (lot, lessons.bottles[str(lot.id)])
            for lot in stock.bottles(here())
            if str(lot.id) in lessons.bottles
        ],
        herds=[
            (words, lessons.herds[breed])
            for breed, (_, words, _) in BREEDS.items()
            if breed in lessons.herds
        ],
        find=find,
        editable=may("dairy.write"),
    )


@blueprint.post("/dairy/house/<key>")
@needs("dairy.write")
def change(key: str) -> Page:
    """Overrule a value, with why; or, blank, go back to the shipped one."""
    entry(key)
    text = request.form.get("value", "").strip()
    if not text:
        things.end_override(here(), key)
        return redirect(url_for("house.page", _anchor=key))
    try:
        why = request.form.get("why", "").strip()[:200]
        things.overrule(here(), key, parse_number(text), why)
    except CraftError as error:
        refuse()
        return _page((key, text, error.words))
    return redirect(url_for("house.page", _anchor=key))
