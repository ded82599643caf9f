"""In two worlds of units, no page and no paper tells a figure of the other one."""

import re
from html.parser import HTMLParser

import pytest

from tests.support.pages import crawl
from tests.web.test_gallons import database, units  # noqa: F401

_NUMBER = r"(?<![\w./])(\d+(?:[.,]\d+)?)"
_FOREIGN = {
    "us": rf"{_NUMBER}\s?(°\s?C|kg|L|litres|cm|mm|g|mL)(?![\w/²³])",
    "metric": rf"{_NUMBER}\s?(°\s?F|lbs?|oz|US \w+|gal|qt|inch|inches)(?!\w)",
}
# A small scale and a syringe are read in g and mL everywhere, up to a pound and to a cup.
_SMALL = {"g": 454.0, "mL": 237.0}


class Seen(HTMLParser):
    """All that a person sees of a page, or hears of it, by piece."""

    def __init__(self, html):
        super().__init__()
        self.pieces, self._inside = [], []
        self.feed(html)

    def handle_starttag(self, tag, pairs):
        given = dict(pairs)
        if not self._left() and "translate" not in given:
            kind = given.get("type", "text")
            typed = given.get("value") if tag == "input" and kind in ("text", "submit") else None
            self.pieces += [
                each
                for each in (typed, *map(given.get, ("aria-label", "placeholder", "alt", "title")))
                if each
            ]
        if tag not in ("input", "br", "meta", "link", "img", "hr"):
            self._inside.append((tag, "translate" in given or tag in ("script", "style")))

    def handle_endtag(self, tag):
        while self._inside and self._inside.pop()[0] != tag:
            pass

    def _left(self):
        return any(left for _, left in self._inside)

    def handle_data(self, data):
        if data.strip() and not self._left():
            self.pieces.append(" ".join(data.split()))


def foreign(html, system):
    """The pieces of a page that tell a figure of another unit world."""
    found = []
    for piece in Seen(html).pieces:
        for number, unit in re.findall(_FOREIGN[system], piece):
            if float(number.replace(",", ".")) >= _SMALL.get(unit, 0):
                found.append((f"{number} {unit}", piece))
    return found


@pytest.mark.parametrize("system", ["metric", "us"])
def test_no_page_tells_a_figure_of_the_other_world(app, client, post, units, system):  # noqa: F811
    units(system)
    pages = crawl(app, client)
    wrong = [
        (address, figure, piece)
        for address, html in pages.items()
        for figure, piece in foreign(html, system)
    ]
    assert not wrong
