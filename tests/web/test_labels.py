"""Labels: on every paper, with a code that a phone reads back to the cheese."""

import re

import pytest
import zxingcpp
from PIL import Image
from reportlab.graphics.shapes import Group, Rect
from sqlalchemy import select

from openpail.craft.cave.label import DRAFT, Label
from openpail.formats import labels
from openpail.records.pieces.models import Piece
from openpail.records.session import sessions

LONG = Label(
    number="137-12a",
    name="Threshing Cheddar with herbs and a name that goes on",
    lines=(
        *("Raw goat’s and cow’s milk", "Contains: milk (cow, goat), egg (lysozyme)"),
        *("Made 1 Apr 2026", "Ready from 10 Jun 2026", "Keep until 28 Sep 2026", "Keep cold"),
        "Ștefan’s dairy, Łódź",
    ),
    cautions=("RAW MILK: may carry germs; not for the pregnant, very young, old or ill",),
    code="https://pail.example/n/137-12a/ab12cd",
)


def code_of(drawing):
    """The code of a drawn label as a phone sees it, by its bars alone."""
    image = Image.new("L", (900, 900), 255)
    bars = []

    def walk(group, dx, dy):
        for each in group.contents:
            if isinstance(each, Group):
                _, _, _, _, x, y = each.transform
                walk(each, dx + x, dy + y)
            elif isinstance(each, Rect) and each.fillColor != labels.white:
                bars.append((dx + each.x, dy + each.y, each.width, each.height))

    walk(drawing, 0, 0)
    left, low = min(b[0] for b in bars), min(b[1] for b in bars)
    size = max(max(b[0] + b[2] for b in bars) - left, max(b[1] + b[3] for b in bars) - low)
    scale = 760 / size
    for x, y, width, height in bars:
        box = [(x - left) * scale + 70, 830 - (y - low + height) * scale]
        box += [box[0] + width * scale, box[1] + height * scale]
        image.paste(0, tuple(round(each) for each in box))
    return zxingcpp.read_barcodes(image)[0].text


@pytest.mark.parametrize("key", sorted(labels.SHEETS))
def test_a_label_fits_every_paper_and_its_code_reads_back(key):
    sheet = labels.SHEETS[key]
    (page,) = labels.pages([LONG], sheet)
    assert code_of(page) == LONG.code
    (text,) = labels.svg([LONG], sheet)
    assert "137-12a" in text and "RAW MILK" in text and "Stefan" in text and DRAFT[:10] in text
    size = [float(n) for n in re.findall(r'<svg[^>]*?(?:width|height)="([\d.]+)"', text)]
    assert size or "viewBox" in text
    for y in re.findall(r'<text[^>]* y="(-?[\d.]+)"', text):
        assert abs(float(y)) <= sheet.paper[1] * 72 / 25.4 + 1
    body = labels.pdf([LONG] * (sheet.count + 1), sheet, "Labels")
    assert (
        body.startswith(b"%PDF") and body.count(b"/Type /Page\n") + body.count(b"/Type /Page ") >= 2
    )


def test_labels_used_already_are_left_free_and_sheets_are_counted():
    sheet = labels.SHEETS["a4-24"]
    assert labels.count_of(24, sheet) == 1 and labels.count_of(24, sheet, 1) == 2
    assert labels.count_of(0, sheet, 5) == 0
    assert len(labels.svg([LONG] * 20, sheet, 5)) == 2
    for of in labels.SHEETS.values():  # all of them lie on their paper
        wide = of.margin[0] + (of.columns - 1) * of.pitch[0] + of.label[0]
        high = of.margin[1] + (of.rows - 1) * of.pitch[1] + of.label[1]
        assert wide <= of.paper[0] + 0.6 and high <= of.paper[1] + 0.6


def test_the_page_shows_the_sheets_in_the_makers_words_and_the_code_opens_the_cheese(
    client, post, demo_url
):
    with sessions(demo_url)() as session:
        row = session.scalar(select(Piece).where(Piece.label == "1-1"))
        soft = session.scalar(select(Piece).where(Piece.label == "14-1"))
    words = {"maker": "Wrenfold Steading", "line": "<b>rubbed</b> with hay", "keep": ""}
    page = post(f"/cave/labels?ids={row.id}", words, "/cave/labels").text
    assert "labels.svg" in page and 'value="Wrenfold Steading"' in page
    told = client.get(f"/cave/labels.svg?ids={row.id},{soft.id}&sheet=a4-10").text
    assert "Wrenfold Steading" in told and "<b>rubbed" not in told
    assert ("RAW MILK" in told and "Pasteurised cow" in told) or "declared pasteurised" in told
    assert client.get(f"/cave/labels.pdf?ids={row.id}").data.startswith(b"%PDF")
    for wrong in ("ids=x", f"ids={row.id}&sheet=a9", "", f"ids={row.id}&page=9"):
        assert client.get(f"/cave/labels.svg?{wrong}").status_code == 404, wrong
    assert "At most" in post("/cave/labels", {**words, "line": "x" * 91}, "/cave/labels").text or (
        "longer" in post("/cave/labels", {**words, "line": "x" * 91}, "/cave/labels").text
    )
    link = f"/n/{row.label}/{row.id.hex[:6]}"
    assert "Read off its label" in client.get(link, follow_redirects=True).text
