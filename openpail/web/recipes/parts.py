"""The parts of a draft: added, moved, taken out, in the fields as they were typed."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import count

from openpail.craft.recipe.recipe import StepKind
from openpail.craft.stock.products import KIND_WORDS, KINDS
from openpail.craft.units import so_long
from openpail.formats.recipe_words import STEP_WORDS, USUAL_MINUTES, free_key
from openpail.web.recipes.forms import Flat
from openpail.web.recipes.typed import flat_of, warm


def _groups(flat: Flat, name: str) -> list[Flat]:
    """The parts of a list in their order, each with its own fields by their short names."""
    numbered: dict[int, Flat] = {}
    for key, values in flat.items():
        if key.startswith(f"{name}-"):
            number, _, rest = key.removeprefix(f"{name}-").partition("-")
            if number.isdigit() and rest:
                numbered.setdefault(int(number), {})[rest] = values
    return [numbered[number] for number in sorted(numbered)]


def _put(flat: Flat, name: str, groups: Sequence[Flat]) -> Flat:
    kept = {key: values for key, values in flat.items() if not key.startswith(f"{name}-")}
    for number, group in enumerate(groups):
        kept |= {f"{name}-{number}-{key}": values for key, values in group.items()}
    return kept


def _blank(name: str, groups: Sequence[Flat], kind: str) -> Flat:
    """A new part of a list, with what is usual."""
    keys = {each["key"][0] for each in groups if "key" in each}
    if name.endswith("cares"):
        return {
            "key": [free_key("care", keys)],
            "words": ["Turn it"],
            "every": ["2 d"],
            "begins": ["1 d"],
            "matters": ["daily"],
        }
    if name == "reference":
        return {"breed": ["cow_lowland"], "treatment": ["raw"], "stream": ["milk"]}
    if name == "ingredients":
        kind = kind if kind in KINDS else "other"
        basis = "percent_of_curd" if kind == "salt" else "batch"
        return {
            "key": [free_key(kind, keys)],
            "kind": [kind],
            "basis": [basis],
            "label": [KIND_WORDS[kind]],
            "scale": ["imcu"],
            "counts": ["dihydrate"],
            "per": ["w/v"],
        }
    if name == "stages":
        return {
            "key": [free_key("stage", keys)],
            "place": ["cave"],
            "days": ["30 d"],
            "celsius": [warm(12.0)],
            "humidity": ["85"],
        }
    step: StepKind = kind if kind in USUAL_MINUTES else "wait"  # type: ignore[assignment]
    minutes, hands = USUAL_MINUTES[step]
    clock = "flocculation" if step == "test" else "fixed"
    return flat_of(
        {
            "key": free_key(step.replace(" ", "-"), keys),
            "kind": step,
            "title": STEP_WORDS[step],
            "minutes": so_long(minutes),
            "hands": so_long(hands),
            "clock": clock,
            "asks": ["flocks"] if step == "test" else [],
        }
    )


def changed(flat: Flat, what: str, kind: str = "") -> tuple[Flat, str]:
    """The fields with a part added, moved or taken out, and the part to look at next.

    what: "add steps 3" (behind the third; also "add stages-0-cares 1"), "out steps 3",
    "up steps 3", "down steps 3"; numbers from 0. kind: of a new step or ingredient.
    """
    verb, name, place = (*what.split(" "), "", "", "")[:3]
    groups = _groups(flat, name)
    at = int(place) if place.isdigit() else len(groups)
    if verb == "add":
        at = min(at, len(groups))
        groups.insert(at, _blank(name, groups, kind))
    elif verb == "out" and at < len(groups):
        groups.pop(at)
        at = max(0, at - 1)
    elif verb in ("up", "down") and at < len(groups):
        to = min(len(groups) - 1, max(0, at + (1 if verb == "down" else -1)))
        groups.insert(to, groups.pop(at))
        at = to
    shown = name.partition("-cares")[0] if "-cares" in name else f"{name}-{at}"
    return _put(flat, name, groups), shown


def numbered(flat: Flat) -> Flat:
    """The fields with every list counted from 0 without a gap, and each part with a key."""
    for name in ("reference", "ingredients", "steps", "stages"):
        flat = _put(flat, name, _groups(flat, name))
        for number in count():
            cares = f"stages-{number}-cares"
            if name != "stages" or not any(key.startswith(f"stages-{number}-") for key in flat):
                break
            flat = _put(flat, cares, _groups(flat, cares))
    return flat
