"""Form fields that read what people type, through the one parser, and keep what was typed."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from datetime import datetime
from decimal import Decimal
from itertools import pairwise
from math import isfinite
from typing import Any

from flask import g
from flask_wtf import FlaskForm
from wtforms import DateField, Field, Form, StringField
from wtforms.fields.choices import SelectChoice
from wtforms.validators import Optional, StopValidation

from openpail.craft.dates import check_day, read_moment
from openpail.craft.errors import CraftError, OutOfRange, PailError, Unknown, WhoseUnit
from openpail.craft.units import (
    UNITS,
    Amount,
    Dimension,
    check_scale,
    parse_amount,
    parse_minutes,
    parse_number,
)
from openpail.web.edge import here, jars, refuse, zone

OF_MILK_C = (0.5, 105.0)
IN_A_ROOM_C = (-30.0, 45.0)
_MOST_MONEY = 1e8


def blame(field: Field, words: str) -> None:
    """Show words by a field."""
    field.errors = (*field.errors, words)


_AS_IT_IS: Mapping[str, str] = {}


def kept(
    form: FlaskForm, act: Callable[[], object], main: str, names: Mapping[str, str] = _AS_IT_IS
) -> bool:
    """Check a form and do what it asks; what is refused is said by its field.

    main: the field for words that name none; names: fields by what the words call them.
    """
    if not form.validate_on_submit():
        return False
    try:
        act()
    except PailError as error:
        refuse()
        about = error.about
        about = names.get(about, about)
        blame(form[about if about in form else main], error.words)
        return False
    return True


def money(number: float | None) -> Decimal | None:
    """An amount of money in whole cents. Raises OutOfRange."""
    if number is None:
        return None
    if not 0 <= number < _MOST_MONEY:
        raise OutOfRange("Write the price like 12.50.", "price")
    return Decimal(f"{number:.2f}")


def finite(text: str) -> float:
    """A number that a page's own script or form wrote. Raises ValueError for any other."""
    number = float(text)
    if not isfinite(number):
        raise ValueError(text)
    return number


def choices(*pairs: tuple[str, str]) -> list[SelectChoice]:
    """Options of a select or of radio buttons: value and words."""
    return [SelectChoice(value, words) for value, words in pairs]


class _Typed(StringField):
    """Text that must be understood; blank is None unless the field is required."""

    def __init__(self, label: str, *, required: bool = True, blank: str = "", **more: Any) -> None:
        super().__init__(label, **more)
        self.required = required
        self.blank = blank or "Write this one, please."

    def pre_validate(self, form: Form) -> None:
        """Read the text. Raises StopValidation with the craft's words."""
        if not (self.data or "").strip():
            if self.required:
                raise StopValidation(self.blank)
            return
        try:
            self.understand(self.data)
        except CraftError as error:
            raise StopValidation(error.words) from error

    def understand(self, text: str) -> None:
        """Turn text into a value, or raise a CraftError."""
        raise NotImplementedError


class AmountField(_Typed):
    """A volume, mass, temperature or length: "3 gal 1 qt", "2,5 kg", "86 F", "13 in"."""

    def __init__(
        self,
        label: str,
        *dimensions: Dimension,
        likely_c: tuple[float, float] = OF_MILK_C,
        in_mm: bool = False,
        **more: Any,
    ) -> None:
        super().__init__(label, **more)
        self.dimensions = dimensions
        self.likely_c = likely_c
        self.in_mm = in_mm
        self.amount: Amount | None = None

    def understand(self, text: str) -> None:
        """Try each dimension; the first one's words are shown when none fits."""
        first: CraftError | None = None
        for dimension in self.dimensions:
            try:
                default = default_unit(dimension) if dimension == self.dimensions[0] else ""
                if self.in_mm and default == "cm":
                    default = "mm"
                self.amount = parse_amount(text, dimension, g.dairy.spoken_system, default, jars())
                if dimension == "temperature":
                    check_scale(self.amount, self.likely_c)
                return
            except CraftError as error:
                first = first or error
        if isinstance(first, WhoseUnit):
            raise Unknown(f"{first.words} Or say it once for the whole dairy, under Dairy.")
        if first:
            raise first

    @property
    def base(self) -> float | None:
        """The amount in L, kg, °C or cm; None when blank."""
        return self.amount.base if self.amount else None


class NumberField(_Typed):
    """A plain number: "4,1", "1 1/2". `number` after validation; None when blank."""

    def __init__(self, label: str, **more: Any) -> None:
        super().__init__(label, **more)
        self.number: float | None = None

    def understand(self, text: str) -> None:
        """Read the number."""
        self.number = parse_number(text.strip().rstrip("%").strip())


class TurnsField(NumberField):
    """How often, or after which minutes each time: "5", "15, 30, 60, 2 h". `number` and
    `after_min` after validation."""

    def __init__(self, label: str, **more: Any) -> None:
        super().__init__(label, **more)
        self.after_min: tuple[float, ...] = ()

    def understand(self, text: str) -> None:
        """Read the count, or the minutes. Raises: OutOfRange for minutes that do not rise."""
        parts = [each for each in re.split(r"[,;]\s+|;|\s+and\s+", text.strip()) if each]
        if len(parts) < 2:
            super().understand(text)
            return
        self.after_min = tuple(parse_minutes(each, "min") for each in parts)
        if any(a >= b for a, b in pairwise(self.after_min)):
            raise OutOfRange("Each turn comes after the one before it: 15, 30, 60.")
        self.number = len(parts)


class LengthField(_Typed):
    """A length of time: "45", "1 h 20", "10 days". `minutes` after validation."""

    def __init__(self, label: str, default_unit: str = "min", **more: Any) -> None:
        super().__init__(label, **more)
        self.default_unit = default_unit
        self.minutes: float | None = None

    def understand(self, text: str) -> None:
        """Read the length."""
        self.minutes = parse_minutes(text, self.default_unit)

    @property
    def days(self) -> int | None:
        """The length in whole days; None when blank."""
        return None if self.minutes is None else round(self.minutes / 1440)


class DayField(DateField):
    """A day, blank or one that can be meant."""

    def __init__(self, label: str, **more: Any) -> None:
        super().__init__(label, [Optional()], **more)

    def pre_validate(self, form: Form) -> None:
        """Look at its year. Raises StopValidation."""
        try:
            if self.data:
                check_day(self.data)
        except CraftError as error:
            raise StopValidation(error.words) from error


class MomentField(_Typed):
    """A day and time on the dairy's clock. `moment` after validation; None when blank."""

    def __init__(self, label: str, **more: Any) -> None:
        super().__init__(label, required=False, **more)
        self.moment: datetime | None = None

    def understand(self, text: str) -> None:
        """Read the moment."""
        self.moment = read_moment(text, zone())


def written(base: float | None, dimension: Dimension, key: str = "", digits: int = 7) -> str:
    """A measure as it may be typed back, in the dairy's unit or that of a key; "" for none."""
    if base is None:
        return ""
    key = key or default_unit(dimension)
    return f"{base / UNITS[key].in_base:.{digits}g} {UNITS[key].sign}"


def default_unit(dimension: Dimension) -> str:
    """The unit that a bare number means in this dairy."""
    return here().unit(dimension)
