"""Labels on sheets: one drawing, written as SVG to look at and as PDF to print."""

from __future__ import annotations

import io
import unicodedata
from base64 import b64encode
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from importlib.resources import as_file, files

import segno
from reportlab.graphics import renderPDF, renderSVG
from reportlab.graphics.shapes import Drawing, Group, Rect, String
from reportlab.lib.colors import HexColor, white
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from openpail.craft.cave.label import DRAFT, Label

MOST = 480
_MM = 72 / 25.4
_REGULAR, _BOLD = "OpenPailLabel", "OpenPailLabel-Bold"
_FONT_FILES = ((_REGULAR, "label-regular.ttf"), (_BOLD, "label-bold.ttf"))
_INK, _FAINT, _RED = HexColor("#2b3438"), HexColor("#5a646a"), HexColor("#8f2f23")
_PAD_MM, _LEAST_PT, _MOST_PT, _LEADING = 1.8, 4.6, 10.0, 1.14


@dataclass(frozen=True, slots=True, kw_only=True)
class LabelSheet:
    """A sheet of labels, mm: the paper, columns and rows, one label, the margins to the first, and
    from one to the next."""

    words: str
    paper: tuple[float, float]
    columns: int
    rows: int
    label: tuple[float, float]
    margin: tuple[float, float]
    pitch: tuple[float, float]

    @property
    def count(self) -> int:
        """How many labels a sheet has."""
        return self.columns * self.rows


_A4, _LETTER = (210.0, 297.0), (215.9, 279.4)
SHEETS: Mapping[str, LabelSheet] = {
    "a4-24": LabelSheet(
        words="A4, 24 labels, 70 × 37 mm",
        paper=_A4,
        columns=3,
        rows=8,
        label=(70, 37),
        margin=(0, 0.5),
        pitch=(70, 37),
    ),
    "a4-21": LabelSheet(
        words="A4, 21 labels, 63.5 × 38 mm",
        paper=_A4,
        columns=3,
        rows=7,
        label=(63.5, 38.1),
        margin=(7.2, 15.1),
        pitch=(66.0, 38.1),
    ),
    "a4-10": LabelSheet(
        words="A4, 10 labels, 99 × 57 mm",
        paper=_A4,
        columns=2,
        rows=5,
        label=(99.1, 57),
        margin=(4.65, 6),
        pitch=(101.6, 57),
    ),
    "a4-4": LabelSheet(
        words="A4, 4 labels, 105 × 148 mm",
        paper=_A4,
        columns=2,
        rows=2,
        label=(105, 148.5),
        margin=(0, 0),
        pitch=(105, 148.5),
    ),
    "letter-30": LabelSheet(
        words="Letter, 30 labels, 2⅝ × 1 in",
        paper=_LETTER,
        columns=3,
        rows=10,
        label=(66.7, 25.4),
        margin=(4.8, 12.7),
        pitch=(69.85, 25.4),
    ),
    "letter-10": LabelSheet(
        words="Letter, 10 labels, 4 × 2 in",
        paper=_LETTER,
        columns=2,
        rows=5,
        label=(101.6, 50.8),
        margin=(4.1, 12.7),
        pitch=(106.4, 50.8),
    ),
    "letter-6": LabelSheet(
        words="Letter, 6 labels, 4 × 3⅓ in",
        paper=_LETTER,
        columns=2,
        rows=3,
        label=(101.6, 84.6),
        margin=(4.1, 12.7),
        pitch=(106.4, 84.6),
    ),
    "single": LabelSheet(
        words="one label, 62 × 100 mm",
        paper=(100, 62),
        columns=1,
        rows=1,
        label=(100, 62),
        margin=(0, 0),
        pitch=(100, 62),
    ),
}


@cache
def _fonts() -> frozenset[int]:
    """The fonts are registered; the signs they have."""
    there = files("openpail.formats").joinpath("fonts")
    known: set[int] = set()
    for name, file in _FONT_FILES:
        with as_file(there.joinpath(file)) as path:
            font = TTFont(name, str(path))
        pdfmetrics.registerFont(font)
        known |= set(font.face.charToGlyph)
    return frozenset(known)


def _spelt(text: str) -> str:
    """A text in signs that the font has: an accent it lacks is left off."""
    known = _fonts()
    found = []
    for sign in text:
        if ord(sign) in known:
            found.append(sign)
            continue
        bare = unicodedata.normalize("NFKD", sign)[0]
        found.append(bare if ord(bare) in known else "?")
    return "".join(found)


def pages(labels: Sequence[Label], sheet: LabelSheet, skip: int = 0) -> Iterator[Drawing]:
    """The sheets as drawings, one by one.

    Parameters: labels, at most 480; sheet; skip, labels of the first sheet that are used already.
    """
    _fonts()
    width, height = (side * _MM for side in sheet.paper)
    slots = [None] * min(skip, sheet.count - 1) + list(labels[:MOST])
    for first in range(0, len(slots), sheet.count):
        page = Drawing(width, height)
        for number, label in enumerate(slots[first : first + sheet.count]):
            if label is None:
                continue
            column, row = number % sheet.columns, number // sheet.columns
            x = (sheet.margin[0] + column * sheet.pitch[0]) * _MM
            y = height - (sheet.margin[1] + row * sheet.pitch[1] + sheet.label[1]) * _MM
            group = _label(label, sheet.label[0] * _MM, sheet.label[1] * _MM)
            group.translate(x, y)
            page.add(group)
        yield page


def count_of(labels: int, sheet: LabelSheet, skip: int = 0) -> int:
    """How many sheets so many labels take. Parameters: labels; sheet; skip, as `pages`."""
    return -(-(labels + min(skip, sheet.count - 1)) // sheet.count) if labels else 0


def svg(labels: Sequence[Label], sheet: LabelSheet, skip: int = 0) -> list[str]:
    """The sheets as SVG documents. Parameters: as `pages`."""
    found = []
    for page in pages(labels, sheet, skip):
        text = renderSVG.drawToString(page)
        whole = text.decode() if isinstance(text, bytes) else text
        head, mark, rest = whole.partition("<svg")
        tag, end, body = rest.partition(">")
        found.append(f"{head}{mark}{tag}{end}{_style()}{body}")
    return found


@cache
def _style() -> str:
    """The fonts, inside of the drawing: it is the same wherever it is looked at."""
    there = files("openpail.formats").joinpath("fonts")
    faces = []
    for name, file in _FONT_FILES:
        data = b64encode(there.joinpath(file).read_bytes()).decode()
        source = f"url(data:font/ttf;base64,{data})"
        faces.append(f"@font-face{{font-family:'{name}';src:{source}}}")
    return f"<style>{''.join(faces)}</style>"


def pdf(labels: Sequence[Label], sheet: LabelSheet, title: str, skip: int = 0) -> bytes:
    """The sheets as one PDF. Parameters: as `pages`; title of the file."""
    out = io.BytesIO()
    width, height = (side * _MM for side in sheet.paper)
    canvas = Canvas(out, pagesize=(width, height), invariant=True)
    canvas.setTitle(title)
    canvas.setSubject(DRAFT)
    for page in pages(labels, sheet, skip):
        renderPDF.draw(page, canvas, 0, 0)
        canvas.showPage()
    canvas.save()
    return out.getvalue()


def _label(label: Label, width: float, height: float) -> Group:
    """One label: number and name large, the code at the right, lines as large as they fit."""
    pad = _PAD_MM * _MM
    group = Group()
    side = min(height - 2 * pad, width * 0.32)
    code = _code(label.code, side)
    code.translate(width - pad - side, height - pad - side)
    group.add(code)
    room = width - 3 * pad - side
    head = min(16.0, height * 0.16)
    top = height - pad - head * 0.8
    group.add(_text(label.number, pad, top, size=head, font=_BOLD, color=_INK))
    name_x = pad + pdfmetrics.stringWidth(_spelt(label.number), _BOLD, head) + 0.4 * head
    name = _fitting(label.name, _BOLD, head * 0.72, pad + room - name_x)
    group.add(_text(label.name, name_x, top, size=name, font=_BOLD, color=_INK))
    space = _Space(
        top=top - head * 0.35,
        bottom=pad * 0.6,
        foot=height - pad - side,
        beside=room,
        under=width - 2 * pad,
    )
    size = _size(label, space)
    for y, font, color, line in _set(label, size, space):
        group.add(_text(line, pad, y, size=size, font=font, color=color))
    return group


@dataclass(frozen=True, slots=True, kw_only=True)
class _Space:
    """Where the lines of a label stand: from top to bottom, beside the code as wide as beside, and
    under its foot as wide as the label."""

    top: float
    bottom: float
    foot: float
    beside: float
    under: float


def _set(label: Label, size: float, space: _Space) -> Iterator[tuple[float, str, HexColor, str]]:
    """The lines of a label at a size, broken where they end, each with its height."""
    said = [(_REGULAR, _INK, line) for line in label.lines]
    said += [(_BOLD, _RED, line) for line in label.cautions]
    y = space.top
    for font, color, line in (*said, (_REGULAR, _FAINT, DRAFT)):
        rest = line
        while rest:
            y -= size * _LEADING
            room = space.under if y + size < space.foot else space.beside
            part, rest = _broken(rest, font, size, room)
            yield y, font, color, part


def _size(label: Label, space: _Space) -> float:
    """The largest size at which all lines find room."""
    size = _MOST_PT
    while size > _LEAST_PT:
        *_, last = _set(label, size, space)
        if last[0] >= space.bottom:
            return size
        size -= 0.2
    return _LEAST_PT


def _broken(text: str, font: str, size: float, room: float) -> tuple[str, str]:
    """What of a text fits on a line, and the rest of it."""
    words, line = _spelt(text).split(), ""
    for number, word in enumerate(words):
        longer = f"{line} {word}".strip()
        if line and pdfmetrics.stringWidth(longer, font, size) > room:
            return line, " ".join(words[number:])
        line = longer
    return line, ""


def _fitting(text: str, font: str, size: float, room: float) -> float:
    width = pdfmetrics.stringWidth(_spelt(text), font, size)
    return size if width <= room else max(_LEAST_PT, size * room / width)


def _text(text: str, x: float, y: float, *, size: float, font: str, color: HexColor) -> String:
    return String(x, y, _spelt(text), fontName=font, fontSize=size, fillColor=color)


def _code(text: str, side: float) -> Group:
    """A QR code with its quiet margin, rows of dark modules joined to bars."""
    rows = [list(row) for row in segno.make(text, error="m", micro=False).matrix_iter(border=2)]
    step = side / len(rows)
    group = Group(Rect(0, 0, side, side, fillColor=white, strokeColor=None))
    for number, row in enumerate(rows):
        y = side - (number + 1) * step
        begin = None
        for column, dark in enumerate([*row, 0]):
            if dark and begin is None:
                begin = column
            if not dark and begin is not None:
                width = (column - begin) * step
                bar = Rect(begin * step, y, width, step * 1.02, fillColor=_INK, strokeColor=None)
                group.add(bar)
                begin = None
    return group
