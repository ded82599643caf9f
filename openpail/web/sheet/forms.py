"""What a sheet is asked for, read from the address; and the address of what was asked."""

from __future__ import annotations

import uuid
from typing import Any

from flask import abort, request

from openpail.craft.errors import CraftError
from openpail.craft.milk.kinds import TREATMENTS, Treatment
from openpail.craft.units import parse_number
from openpail.web.edge import here
from openpail.work.sheet.sheet import Asked, WhatIf, ask


def read() -> tuple[Asked, dict[str, str]]:
    """The choices in this request, and what is wrong with one by its field; 404 for no id."""
    values = request.values
    errors: dict[str, str] = {}
    asked = ask(
        here(),
        lots=tuple(_id(text) for text in values.getlist("lot")),
        bench_id=_id(values["bench"]) if values.get("bench") else None,
        recipe_key=values.get("recipe", ""),
        vat_id=_id(values["vat"]) if values.get("vat") else None,
        school=values.get("school", ""),
        what_if=_what_if(errors),
        plan_id=_id(values["plan"]) if values.get("plan") else None,
    )
    if values.get("keep") and not asked.what_if.kept:
        errors["kept"] = "Write why, in a few words: it stays with the make."
    return asked, errors


def _id(text: str) -> uuid.UUID:
    try:
        return uuid.UUID(text)
    except ValueError:
        abort(404)


def _what_if(errors: dict[str, str]) -> WhatIf:
    values = request.values
    own: dict[str, float] = {}
    for name in values:
        if name.startswith("own-"):
            amount = _number(name, errors)
            if amount is not None:
                own[name.removeprefix("own-")] = amount
    use = {name.removeprefix("use-"): values[name] for name in values if name.startswith("use-")}
    pairs = (text.partition(":") for text in values.getlist("out"))
    return WhatIf(
        celsius=_celsius(values.get("at", ""), errors),
        ph=_number("ph", errors),
        treatment=_treatment(values.get("treat", "")),
        use=use,
        own=own,
        left_out=frozenset((key, house_key) for key, _, house_key in pairs),
        kept=values.get("kept", "").strip()[:300],
        as_written=_steps("asit"),
        moved=_steps("move"),
    )


def _steps(name: str) -> frozenset[tuple[str, str]]:
    """Parts of steps, each as step:part."""
    pairs = (text.partition(":") for text in request.values.getlist(name))
    return frozenset((step, part) for step, _, part in pairs)


def _treatment(text: str) -> Treatment | None:
    return next((each for each in TREATMENTS if each == text), None)


def _celsius(text: str, errors: dict[str, str]) -> float | None:
    if not text.strip():
        return None
    try:
        return here().amount(text, "temperature").base
    except CraftError as error:
        errors["at"] = error.words
        return None


def _number(name: str, errors: dict[str, str]) -> float | None:
    text = request.values.get(name, "").strip()
    if not text:
        return None
    try:
        value = parse_number(text)
    except CraftError as error:
        errors[name] = error.words
        return None
    if name == "ph" and not 4 <= value <= 8:
        errors[name] = "A pH at renneting lies between 5.9 and 6.9, or near it."
        return None
    return value


def plan_of(asked: Asked) -> dict[str, Any]:
    """The choices without the what-ifs, as they go into an address."""
    return {
        "bench": str(asked.bench.id) if asked.bench else None,
        "lot": [] if asked.bench else [str(lot.id) for lot in asked.lots],
        "recipe": asked.recipe_key or None,
        "vat": str(asked.vat.id) if asked.vat else None,
        "plan": str(asked.plan_id) if asked.plan_id else None,
    }


def query_of(asked: Asked) -> dict[str, Any]:
    """All the choices, as they go into an address."""
    typed = {
        key: value
        for key, value in request.values.items()
        if key.startswith("use-") or (key.startswith("own-") and value)
    }
    return {
        **plan_of(asked),
        "school": asked.school,
        **{key: request.values.get(key) or None for key in ("at", "ph", "treat", "kept")},
        **{key: request.values.getlist(key) for key in ("out", "asit", "move")},
        **typed,
    }
