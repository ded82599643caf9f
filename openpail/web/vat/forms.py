"""Forms of the vat: a reading, and the whey."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

from flask_wtf import FlaskForm
from wtforms import StringField

from openpail.craft.errors import CraftError
from openpail.craft.make.deeds import ReadingTaken, check_reading
from openpail.web.edge import here
from openpail.web.ui.fields import AmountField, NumberField, blame


class ReadingForm(FlaskForm):
    """A reading at the vat: any of temperature, pH, a note; when, if not now."""

    celsius = AmountField("Temperature", "temperature", required=False)
    ph = NumberField("pH", required=False)
    note = StringField("Note")
    at = StringField("Taken at")

    def deed(self) -> ReadingTaken:
        """What was read."""
        return ReadingTaken(self.celsius.base, self.ph.number, (self.note.data or "").strip())

    def change(self) -> dict[str, Any]:
        """What an amendment says of a reading: all of it, and its time when one is written."""
        read = self.deed()
        change: dict[str, Any] = {"celsius": read.celsius, "ph": read.ph, "note": read.note}
        if (self.at.data or "").strip():
            change["happened"] = self.happened().isoformat()
        return change

    def check(self) -> bool:
        """Whether it can be told; the craft's own words by the field when it cannot."""
        try:
            check_reading(self.deed())
        except CraftError as error:
            self.blame(error.about, error.words)
        try:
            self.happened()
        except ValueError:
            blame(self.at, "Write the time like 10:42.")
        return not any(field.errors for field in self)

    def blame(self, about: str, words: str) -> None:
        """Show words by the field that they speak of."""
        fields = {"celsius": self.celsius, "ph": self.ph, "note": self.note, "happened": self.at}
        blame(fields.get(about, self.celsius), words)

    def happened(self) -> datetime:
        """When it was read: now, or the last time the clock showed what was typed."""
        typed = (self.at.data or "").strip()
        if not typed:
            return here().now
        hour, minute = (int(part) for part in typed.split(":"))
        local = here().local(here().now)
        moment = local.replace(hour=hour, minute=minute, second=0, microsecond=0)
        if moment > local + timedelta(minutes=2):
            moment = (moment - timedelta(days=1)).replace(tzinfo=here().zone)
        return moment.astimezone(UTC)


class WheyForm(FlaskForm):
    """How much whey there is."""

    litres = AmountField("How much whey", "volume", blank="Write how much whey there is.")
