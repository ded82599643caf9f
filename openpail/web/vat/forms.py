"""What is typed at the vat, read into the parts of a deed: each in the dairy's own measure."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from datetime import datetime, timedelta
from typing import Any

from flask import g, request

from openpail.craft.dates import told_time
from openpail.craft.doses.spoons import in_its_unit
from openpail.craft.errors import CraftError, OutOfRange
from openpail.craft.make.deeds import DEEDS
from openpail.craft.make.frozen import FrozenLine
from openpail.craft.milk.acidity import convert
from openpail.craft.recipe.yields import WHEY_KG_PER_L
from openpail.craft.stock.products import Product
from openpail.craft.units import (
    Dimension,
    check_scale,
    counted_pieces,
    parse_amount,
    parse_minutes,
    parse_number,
)
from openpail.web.edge import here, jars
from openpail.web.ui.fields import default_unit
from openpail.work.dairy.stick import litres_in
from openpail.work.vat.at_vat import AtVat, likely_c

_SCALES = {
    "": "degD",
    "°d": "degD",
    "d": "degD",
    "°sh": "degSH",
    "sh": "degSH",
    "°th": "degTh",
    "th": "degTh",
    "%": "pct_la",
}
_ACIDITY = re.compile(r"^\s*([\d.,]+)\s*(°?(?:d|sh|th)|%)?\s*$", re.I)
_WORDS = (
    *("step", "word", "note", "words", "sign", "of", "look", "key", "cause", "timer", "became"),
    *("mould", "press", "tub", "until", "to"),
)
_LONGEST_AWAY = timedelta(days=60)  # a tablet that lay in a drawer with a dead battery
_COUNTED = 10  # digits that a count has at most


class Typed:
    """A form of the vat, read: the deed it tells, its parts, and what was not understood.

    form: of this request, unless another is given: one that waited on a device for the network.
    """

    def __init__(self, at: AtVat, form: Mapping[str, str] | None = None) -> None:
        self.at = at
        self.form = request.form if form is None else form
        self.deed = self.form.get("deed", "")
        self.errors: dict[str, str] = {}
        self.payload: dict[str, Any] = {}
        self.happened = here().now
        self.typed_at: datetime | None = None
        for name in _WORDS:
            text = self.form.get(name, "").strip()
            if text:
                self.payload[name] = text
        if "word" not in self.payload and self.text("said"):  # one of the words that stand ready
            self.payload["word"] = self.text("said")
        for name in ("off", "counts", "stacked", "about", "slabs"):
            if name in self.form:
                self.payload[name] = bool(self.form[name])
        self._measures()
        self._pieces()
        self._given()
        self._when()
        lies = self._read("lies", parse_number)
        if lies is not None:  # so many minutes from the tap itself, not from when the page came
            self.payload["until"] = (self.happened + timedelta(minutes=lies)).isoformat()

    @property
    def kept(self) -> dict[str, str]:
        """All that was sent, for a second form that asks for a word."""
        own = {"csrf_token", "once", "deed", "event", "word", "said", "happened", "sent"}
        own |= {"counter"}
        return {name: text for name, text in self.form.items() if name not in own}

    def text(self, name: str) -> str:
        """What was typed in a field."""
        return self.form.get(name, "").strip()

    def _read(self, name: str, read: Callable[[str], Any], part: str = "") -> Any:
        text = self.text(name)
        if not text:
            return None
        try:
            found = read(text)
        except CraftError as error:
            self.errors[name] = error.words
            return None
        if part:
            self.payload[part] = found
        return found

    def _measures(self) -> None:
        self._read("celsius", self._warmth, "celsius")
        self._read("ph", parse_number, "ph")
        self._read("acid", _acidity, "acid_pct")
        whey = self.deed.startswith("whey_")
        self._read("litres", self._whey if whey else lambda text: _amount(text, "volume"), "litres")
        self._read("load", lambda text: _amount(text, "mass"), "load_kg")
        self._read("kg", lambda text: _amount(text, "mass"), "kg")
        self._read("minutes", lambda text: parse_minutes(text, "min"), "minutes")

    def _whey(self, text: str) -> float:
        """Whey by volume, by weight, or by how deep it stands in the vat."""
        try:
            return _amount(text, "volume")
        except CraftError as first:
            return self._whey_otherwise(text, first)

    def _whey_otherwise(self, text: str, first: CraftError) -> float:
        system, own = g.dairy.spoken_system, jars()
        for dimension in ("mass", "length"):
            try:
                amount = parse_amount(text, dimension, system, "", own)
            except CraftError:
                continue
            if dimension == "mass":
                return float(amount.base) / WHEY_KG_PER_L
            return litres_in(self.at.vat, float(amount.base))
        raise first

    def _pieces(self) -> None:
        """The pieces as they were weighed: each on its own, or so many in one heap."""
        self._read("count", _whole, "count")
        texts = [text for text in re.split(r"[\n;]", self.text("weights")) if text.strip()]
        if not texts:
            return
        try:
            counted = [counted_pieces(text) for text in texts]
            weights = [kg for count, one in counted for kg in [_amount(one, "mass")] * count]
        except CraftError as error:
            self.errors["weights"] = error.words
            return
        count = self.payload.get("count")
        if len(weights) == 1 and count and count > 1:
            self.payload |= {"pieces_kg": [weights[0] / count] * count, "together": True}
        else:
            self.payload |= {"pieces_kg": weights, "together": False}

    def _warmth(self, text: str) -> float:
        amount = parse_amount(
            text, "temperature", g.dairy.spoken_system, default_unit("temperature")
        )
        if self.deed in ("reading", "amend"):
            check_scale(amount, likely_c(here(), self.at.make.id))
        return float(amount.base)

    def _given(self) -> None:
        """What was really given of each line, and from which bottle."""
        gave: dict[str, float] = {}
        bottles: dict[str, str] = {}
        for line in self.at.sheet.lines:
            lot = self.text(f"bottle-{line.key}")
            if lot and lot != line.lot:
                bottles[line.key] = lot
            amount = self._read(f"gave-{line.key}", self._of_line(line, lot))
            same = self.text(f"gave-{line.key}") == self.form.get(f"was-{line.key}")
            if amount is not None and not (same and line.key not in bottles):
                gave[line.key] = amount
            if self.deed == "acid_given" and line.kind == "acid":
                self._read("amount", self._of_line(line, ""), "amount")
        if gave:
            self.payload["gave"] = gave
        if bottles:
            self.payload["bottles"] = bottles

    def _of_line(self, line: FrozenLine, lot: str) -> Callable[[str], float]:
        bottle = self.bottle(line, lot)
        house, system = self.at.sheet.house, g.dairy.spoken_system
        return lambda text: in_its_unit(text, bottle, house, system)

    def bottle(self, line: FrozenLine, lot: str) -> Product:
        """The bottle that a line comes from: another of the stock, the sheet's, the recipe's."""
        other = next((each.product for each in here().shelf if str(each.row.id) == lot), None)
        own = self.at.sheet.bottles.get(line.key)
        if other is not None and lot != line.lot:
            return other
        return own or next(e.product for e in self.at.recipe.ingredients if e.key == line.key)

    def _when(self) -> None:
        """The moment: typed, else as the device told it, else now."""
        typed = self.text("at") or self.text("then")
        if typed:
            try:
                self.typed_at = told_time(
                    typed,
                    here().zone,
                    here().now,
                    self._before(),
                    since=self.at.make.started_at,
                    about="at",
                )
            except CraftError as error:
                self.errors["at"] = error.words
        if self.typed_at and self.deed != "amend":
            self.happened = self.typed_at
            return
        told, sent = self.text("happened"), self.text("sent")
        if told and sent:
            try:
                moment, clock = datetime.fromisoformat(told), datetime.fromisoformat(sent)
            except ValueError:
                return  # not our page: the moment is when it arrives
            if moment.tzinfo and clock.tzinfo and moment <= clock:
                self.happened = here().now - min(clock - moment, _LONGEST_AWAY)

    def _before(self) -> datetime | None:
        """When what is mended was told to have happened."""
        mended = self.text("amends")
        return self.at.told_at(mended) if mended else None

    @property
    def counter(self) -> int:
        """The device's own count of its deeds, 0 of a form that was sent without it."""
        told = self.text("counter")
        return int(told) if told.isascii() and told.isdigit() and len(told) < _COUNTED else 0

    def parts(self) -> dict[str, Any]:
        """The parts that this sort of deed has; of an amendment, what it says of its target."""
        if self.deed == "amend":
            names = set(self.text("mends").split())
            change: dict[str, Any] = {
                name: self.payload.get(name, None if name != "note" else "") for name in names
            }
            if self.typed_at:
                change["happened"] = self.typed_at.isoformat()
            return {"change": change}
        known = DEEDS.get(self.deed)
        names = set(known.__dataclass_fields__) if known else set()
        return {key: value for key, value in self.payload.items() if key in names}


def _amount(text: str, dimension: Dimension) -> float:
    system = g.dairy.spoken_system
    return float(parse_amount(text, dimension, system, default_unit(dimension), jars()).base)


def _whole(text: str) -> int:
    number = parse_number(text)
    if number != int(number):
        raise OutOfRange("Write a whole number.", "count")
    return int(number)


def _acidity(text: str) -> float:
    """A titratable acidity in any of its scales, as % lactic acid; a bare number is °D."""
    match = _ACIDITY.match(text)
    if match is None:
        raise OutOfRange("Write it like 17 °D, 7.5 °SH or 0.17 %.", "acid")
    return convert(parse_number(match[1]), _SCALES[(match[2] or "").lower()], "pct_la")


FIELD_OF: Mapping[str, str] = {
    "acid_pct": "acid",
    "happened": "at",
    "load_kg": "load",
    "weight": "weights",
}
# Fields that show their own error; words of any other stand at the head of the page.
SHOWN = frozenset(
    {
        *("celsius", "ph", "acid", "at", "note", "litres", "kg", "minutes", "words"),
        *("load", "count", "weights", "tub"),
    }
)
