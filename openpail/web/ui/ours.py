"""What people read leaves in the dairy's own units, whatever it was written in.

Titles of steps, words of a recipe, cautions and labels of a why are sentences of the core or of a
person; `show` tells figures, this tells the sentences around them. It is done once, as a page
leaves, so that no sentence can be forgotten. What stands inside `translate="no"`, a field or a
script is left as it is.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from flask import Flask, Response, g

from openpail.craft.prose import Written, turned
from openpail.craft.units import UNITS, convert, from_celsius, to_celsius
from openpail.web.ui import show

_POUND_KG, _CUP_L = UNITS["lb"].in_base, UNITS["us_cup"].in_base
_METRIC = re.compile(r"\d(?:\s|&nbsp;)?(?:°C|kg|g|L|litres|mL|cm|mm)(?![\w/])")
_OTHER = re.compile(r"\d(?:\s|&nbsp;)?(?:°F|lbs?|oz|inch)(?![\w/])")
_TAG = re.compile(r"(<[^>]*>)")
_LEFT = re.compile(r'<(script|style|textarea)\b|<(?!input|img|br)(\w+)\b[^>]* translate="no"')
_SPOKEN = re.compile(r'(?<= )(aria-label|alt|title|placeholder|data-voice)="([^"]*\d[^"]*)"')


def install(app: Flask) -> None:
    """Turn every page as it leaves."""

    @app.after_request
    def turn(response: Response) -> Response:
        if response.mimetype == "text/html" and not response.direct_passthrough and "dairy" in g:
            html = response.get_data(as_text=True)
            if _foreign().search(html):
                response.set_data(page(html))
        return response


def _foreign() -> re.Pattern[str]:
    """What a text must hold for there to be anything to turn."""
    dairy = g.dairy
    ways = (dairy.volume_system == "metric", dairy.mass_system == "metric", dairy.degrees == "C")
    return _OTHER if all(ways) else re.compile(f"{_METRIC.pattern}|{_OTHER.pattern}")


def page(html: str) -> str:
    """A page with its sentences, and what is read aloud of its drawings, in the dairy's units."""
    pieces = _TAG.split(html)
    left, depth = "", 0
    for at, piece in enumerate(pieces):
        if at % 2:
            if left:
                if re.match(rf"</?{left}\b", piece):
                    depth += -1 if piece.startswith("</") else 1
                    left = left if depth else ""
                continue
            match = _LEFT.match(piece)
            if match:
                left, depth = match[1] or match[2], 1
            elif '="' in piece:
                pieces[at] = _SPOKEN.sub(lambda one: f'{one[1]}="{ours(one[2])}"', piece)
        elif not left and piece and any(each.isdigit() for each in piece):
            pieces[at] = ours(piece)
    return "".join(pieces)


def ours(text: str) -> str:
    """A sentence with its figures in the dairy's own units."""
    return turned(text, _told)


def _told(figure: Written) -> str | None:
    """A figure of a sentence in the dairy's units; None where it is so already, or is so little
    that a syringe or a small scale reads it."""
    dairy = g.dairy
    if figure.unit in ("C", "F"):
        return None if figure.unit == dairy.degrees else _warmth(figure)
    if figure.unit in ("kg", "g", "lb", "oz"):
        kg = [convert(each, figure.unit, "kg") for each in figure.values]
        is_ours = (figure.unit in ("kg", "g")) == (dairy.mass_system == "metric")
        little = figure.unit == "g" and max(kg) < _POUND_KG
        return None if is_ours or little else _range(kg, show.mass)
    metric = dairy.volume_system == "metric"
    if figure.unit in ("L", "mL"):
        litres = [convert(each, figure.unit, "L") for each in figure.values]
        little = figure.unit == "mL" and max(litres) < _CUP_L
        return None if metric or little else _range(litres, show.volume)
    if (figure.unit != "in") == metric:
        return None
    mm = [convert(each, figure.unit, "mm") for each in figure.values]
    if figure.unit == "cm" and max(mm) >= 100:
        return _range([each / 10 for each in mm], show.length)
    return _range(mm, show.small_length)


def _warmth(figure: Written) -> str:
    to = g.dairy.degrees
    if figure.is_difference:
        values = [each * (9 / 5 if to == "F" else 5 / 9) for each in figure.values]
        texts = [show.number(each, 1).removesuffix(".0") for each in values]
    else:
        values = [from_celsius(to_celsius(each, figure.unit), to) for each in figure.values]
        texts = [show.number(each, figure.decimals) for each in values]
    return f"{' to '.join(dict.fromkeys(texts))} °{to}"


def _range(values: Sequence[float], say: Callable[[float], str]) -> str:
    """One value or two, the unit once where it is the same."""
    texts = list(dict.fromkeys(say(each) for each in values))
    unit = texts[-1].partition(" ")[2]
    return " to ".join([*(each.removesuffix(f" {unit}") for each in texts[:-1]), texts[-1]])
