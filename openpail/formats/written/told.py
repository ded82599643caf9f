"""What was understood of a text, told: as data for programs, as lines for people."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

from openpail.formats import recipe_file
from openpail.formats.recipe_text import UnderstoodText, WrittenLine


def as_json(written: UnderstoodText) -> str:
    """What was understood, as JSON. Parameters: written.

    Returns: `{"name", "family", "granted", "lines": [{"number", "text", "understood", "why",
    "parts": [{"as", "value", "text", "became"}], "unused": ["…"]}]}`; `as` is one of litres, ml,
    kg, g, celsius, celsius_rise, minutes, days, mm, percent, ph, imcu, one_to, count, word.
    """
    told = {
        "name": written.recipe.name,
        "family": written.recipe.family,
        "granted": list(written.granted),
        "lines": [_line(each) for each in written.lines],
    }
    return json.dumps(told, ensure_ascii=False, indent=1)


def as_recipe(written: UnderstoodText) -> str:
    """The recipe that it became, as an open recipe file. Parameters: written.

    Returns: the file, with `usual` beside the recipe: the places that the text does not tell and
    that were filled in, like `steps/stir`, `steps/stir/minutes`, `ingredients/rennet`, `stages`.
    """
    told = recipe_file.write(written.recipe) | {"usual": list(written.usual)}
    return json.dumps(told, ensure_ascii=False, indent=1)


def _line(line: WrittenLine) -> dict[str, Any]:
    parts = [
        {"as": each.sort, "value": round(value, 6), "text": line.text[each.begins : each.ends]}
        | {"became": each.became}
        for each in line.marks
        for value in each.values
    ]
    return {
        "number": line.number,
        "text": line.text,
        "understood": line.understood,
        "why": line.why,
        "parts": parts,
        "unused": [line.text[begins:ends].strip() for begins, ends in line.unused],
    }


def as_lines(written: UnderstoodText) -> str:
    """The same for people, a line of the text over what it became. Parameters: written."""
    return "\n".join(_told(written))


def _told(written: UnderstoodText) -> Iterator[str]:
    for line in written.lines:
        yield f"{line.number:>3}  {line.text}"
        yield f"     {'= ' + line.understood if line.understood else '? ' + line.why}"
        unused = [line.text[begins:ends].strip() for begins, ends in line.unused]
        if unused:
            yield f"     not used: {', '.join(unused)}"
    for words in written.granted:
        yield f"  ·  {words}"
