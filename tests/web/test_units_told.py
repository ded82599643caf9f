"""In two worlds of units, no page and no paper tells a figure of the other one."""

import re
from html.parser import HTMLParser
from types import SimpleNamespace

import pytest
from flask import g

from openpail.web.ui.ours import ours
from tests.support.pages import crawl
from tests.web.test_gallons import UNITS, database, units  # noqa: F401
from tests.web.test_plan_pages import offered

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


def test_the_calendar_follows_the_dairy_too(client, post, units):  # noqa: F811
    units("us")
    assert post("/plan", offered(client, "Skillet"), page="/which").status_code == 302
    calendar = client.get("/calendar.ics").text.replace("\r\n ", "")
    told = re.findall(r"(?:SUMMARY|DESCRIPTION):(.*)", calendar)
    assert len(told) > 10 and not re.findall(_FOREIGN["us"], " ".join(told))


def test_what_a_person_wrote_stays_in_its_field(client, post, units):  # noqa: F811
    units("us")
    desk = post("/recipes/larder-block/change", {}, page="/recipes").location
    page = client.get(desk).text
    assert re.search(r"Slowly[^<]*45 °C[^<]*</textarea>", page)  # in a field, as it was written
    assert "<h1>Larder Block</h1>" in client.get("/recipes/larder-block").text
    assert "hotter than 113 °F" in client.get("/recipes/larder-block").text


@pytest.mark.parametrize(
    ("written", "us", "metric"),
    [
        ("Warm the milk to 32 °C.", "Warm the milk to 90 °F.", None),
        ("between 32–34 °C", "between 90 to 93 °F", None),
        ("by 2 °C, at −2 °C", "by 3.6 °F, at 28 °F", None),
        ("2 to 3 kg of curd in 10 L", "4.41 to 6.61 lb of curd in 2.64 US gal", None),
        ("7.1 g, 34 mL, 33.7 IMCU/kg, 200 IMCU/mL", None, None),
        ("dice of 12 mm", "dice of ½ in", None),
        ("1/2 inch dice at 90 °F (32 °C)", "1/2 inch dice at 90 °F (32 °C)", "13 mm dice at 32 °C"),
        ("60 days, pH 6.50, 1:10000", None, None),
    ],
)
def test_figures_of_a_sentence_are_told_in_the_readers_units(app, written, us, metric):
    for system, told in (("us", us), ("metric", metric)):
        with app.test_request_context():
            g.dairy = SimpleNamespace(**UNITS[system])
            assert ours(written) == (told or written)
