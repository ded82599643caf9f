"""Figures, amounts and times as text, in the dairy's own units. Templates only print these."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from math import floor, log10

from flask import Flask, g

from openpail.craft.figure import Figure, Step
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.units import UNITS, convert, from_celsius, so_large, so_long, so_many
from openpail.web.edge import here, local, now, today, zone
from openpail.work.milk.lots import MilkLot

_EIGHTHS = ("", "⅛", "¼", "⅜", "½", "⅝", "¾", "⅞")
_SMALLER = {
    "us": ("us_gal", "us_qt", "us_floz"),
    "imperial": ("imp_gal", "imp_pt", "imp_floz"),
}
_FRESH_DAYS = 6
_LITTLE_L = 0.1  # less of it is told in mL
_NEARLY_ONE = 0.995  # of a unit, when it is written with two decimals
_IN_GRAMS_KG = 0.1
_MOST_DECIMALS = 5  # of a factor
LONG_MIN = 120  # from here on, minutes say nothing
_DECIMALS = {"pH": 2, "%": 2, "min": 0, "°C": 1, "×": 2}


def install(app: Flask) -> None:
    """Give the templates these words."""
    app.jinja_env.globals.update(
        length=length,
        small_length=small_length,
        volume=volume,
        mass=mass,
        degrees=degrees,
        clock=clock,
        begun_on=lambda begun, minutes: begun + timedelta(minutes=minutes),
        day=day,
        ago=ago,
        span=so_long,
        part=part,
        days_old=lambda day: hours(24 * (today() - day).days),
        promised=promised,
        ripe=ripe,
        signed=signed,
        signed_percent=lambda share: f"{signed(100 * share, 0)} %",
        until=until,
        change=change,
        parts=parts,
        ledger=ledger,
        number=number,
        counted=so_large,
        lot_amount=lot_amount,
        stamp=stamp,
        so_many=so_many,
        degree_sign=degree_sign,
        hours=hours,
        plus_minus=plus_minus,
        per_mass=per_mass,
        money=money,
        near=near,
        against=against,
        percent=percent,
        within=within,
        now_=now,
        zone_=zone,
        today_=today,
        hours_ago=hours_ago,
        hours_on=hours_on,
    )


def number(value: float, decimals: int | None = None) -> str:
    """A number with as many decimals as hands can use: three figures at most below ten."""
    if decimals is None:
        size = floor(log10(abs(value))) if abs(value) > 1e-9 else 0
        decimals = max(0, min(3, 1 - size))
    text = f"{value:.{decimals}f}"
    return text.replace("-", "−") if float(text) else text.replace("-", "")


def parts(figure: Figure, decimals: int | None = None) -> tuple[str, str]:
    """A figure as its number and its unit, in the dairy's units for milk and cheese."""
    value, unit = figure.value, figure.unit
    if unit == "kg":
        return _two(mass(value))
    if unit == "L":
        return _two(volume(value))
    if unit == "°C":
        return number(from_celsius(value, g.dairy.degrees), 1), degree_sign()
    if unit == "min" and value >= LONG_MIN:
        return so_long(value), ""
    if decimals is None:
        decimals = _DECIMALS.get(unit)
    return number(value, decimals), unit


def _two(text: str) -> tuple[str, str]:
    value, _, unit = text.partition(" ")
    return value, unit


def plus_minus(figure: Figure) -> str:
    """The spread of a figure (two standard deviations), "" when there is none worth saying."""
    if not figure.sd or not figure.value or 2 * figure.sd / abs(figure.value) < 0.02:
        return ""
    if figure.unit in ("kg", "L"):
        return f"± {mass(2 * figure.sd) if figure.unit == 'kg' else volume(2 * figure.sd)}"
    if figure.unit == "°C":
        spread = 2 * figure.sd * (9 / 5 if g.dairy.degrees == "F" else 1)
        return f"± {number(spread, 1)} {degree_sign()}"
    unit = "" if figure.unit in ("×", "pH") else f" {figure.unit}"
    return f"± {number(2 * figure.sd)}{unit}"


def ledger(figure: Figure) -> list[dict[str, object]]:
    """The because of a figure, line by line: sign, label, running value, source."""
    rows: list[dict[str, object]] = []
    before = 0.0
    for step, value, unit in figure.running():
        rows.append(
            {
                "sign": _factor(step, before, _of_unit(value, unit), unit),
                "label": step.label,
                "value": _of_unit(value, unit),
                "source": step.source,
                "house": step.house_key,
                "leaves": step.op == "times" and bool(step.house_key),
                "out": step.source == "the maker",
                "of": [
                    {"sign": _sign(inner), "label": inner.label, "source": inner.source}
                    for inner in step.of
                ],
            }
        )
        before = value
    return rows


def _of_unit(value: float, unit: str) -> str:
    """A value of a ledger in the dairy's units."""
    if unit == "kg":
        return mass(value)
    if unit == "L":
        return volume(value)
    if unit == "°C":
        return degrees(value, 1)
    if unit == "mm":
        return small_length(value)
    decimals = 1 if unit in ("%", "h") and abs(value) >= 10 else None
    return f"{number(value, decimals)} {unit}".strip()


def _factor(step: Step, before: float, shown: str, unit: str) -> str:
    """A step with as many decimals as its shown result takes: 29.2 × 0.124 is 3.62, × 0.12 is
    not."""
    if step.op != "times":
        return _sign(step)
    for decimals in range(2, _MOST_DECIMALS):
        if _of_unit(before * round(step.value, decimals), unit) == shown:
            return f"{_SIGNS['times']} {number(step.value, decimals)}"
    return f"{_SIGNS['times']} {number(step.value, _MOST_DECIMALS)}"


_SIGNS = {"times": "×", "plus": "+", "minus": "−", "at_least": "≥", "at_most": "≤"}


def _sign(step: Step) -> str:
    if step.op in ("start", "choose"):
        return number(step.value) if step.op == "start" else "="
    decimals = 2 if step.op == "times" and 0.1 < abs(step.value) < 100 else None
    return f"{_SIGNS[step.op]} {number(step.value, decimals)}"


def lot_amount(value: float, unit: str) -> str:
    """What a lot of the stock holds, in its unit: 199 mL, 1.7 L, 12 tablets."""
    if unit in ("mL", "g"):
        if value >= 1000:
            return f"{number(value / 1000, 1)} {'L' if unit == 'mL' else 'kg'}"
        return f"{number(value)} {unit}"
    return f"{number(value, 0 if value >= 100 else None)} {unit}{'s' if value != 1 else ''}"


def volume(litres: float) -> str:
    """A volume of milk in the dairy's unit, less than a gallon or a cup in smaller ones."""
    system = g.dairy.volume_system
    if system == "metric":
        if 0 < abs(litres) < _LITTLE_L:
            return f"{number(1000 * litres, 0)} mL"
        return f"{number(litres, 1 if abs(litres) >= 1 or litres == 0 else 2)} L"
    for key in _SMALLER[system]:
        held = convert(litres, "L", key)
        if abs(held) >= _NEARLY_ONE or litres == 0:
            break
    return f"{number(held, 2 if key.endswith('gal') else 1)} {UNITS[key].sign}"


def mass(kg: float) -> str:
    """A mass of milk or cheese in the dairy's unit."""
    if g.dairy.mass_system == "us":
        pounds = convert(kg, "kg", "lb")
        if 0 < abs(pounds) < 1:
            return f"{number(pounds * 16, 1)} oz"
        return f"{number(pounds, 2 if abs(pounds) < 10 else 1)} lb"
    if 0 < abs(kg) < _IN_GRAMS_KG:
        return f"{number(1000 * kg, 0)} g"
    return f"{number(kg, 2 if kg < 10 else 1)} kg"


def per_mass(per_kg: float) -> str:
    """What a kg costs, for a kg or a pound, in the dairy's own money."""
    us = g.dairy.mass_system == "us"
    each = per_kg * convert(1, "lb", "kg") if us else per_kg
    return f"{money(each)} a {'lb' if us else 'kg'}"


def money(amount: float) -> str:
    """An amount of the dairy's own money: 4.20 EUR, or bare where nobody said which it is."""
    return f"{number(amount, 2)} {g.dairy.currency}".strip()


def length(cm: float, decimals: int = 1) -> str:
    """How long, deep or wide: in inches where milk is not measured in litres."""
    if g.dairy.volume_system == "metric":
        return f"{number(cm, decimals)} cm"
    return f"{number(convert(cm, 'cm', 'in'), 1)} in"


def small_length(mm: float) -> str:
    """A length of the hand, as a cut: mm, or eighths of an inch."""
    if g.dairy.volume_system == "metric":
        return f"{number(mm, 0)} mm"
    eighths = max(1, round(convert(mm, "mm", "in") * 8))
    whole, rest = divmod(eighths, 8)
    return f"{whole or ''}{_EIGHTHS[rest]} in"


def degree_sign() -> str:
    """°C or °F, as the dairy has it."""
    return f"°{g.dairy.degrees}"


def degrees(celsius: float | None, decimals: int = 0) -> str:
    """A temperature in the dairy's degrees."""
    if celsius is None:
        return ""
    text = number(from_celsius(celsius, g.dairy.degrees), decimals)
    return f"{text} {degree_sign()}"


def clock(moment: datetime) -> str:
    """The time of day at the dairy, 10:42; another day is named."""
    when = local(moment)
    return f"{when:%H:%M}" if when.date() == today() else f"{when:%a %H:%M}"


def stamp(moment: datetime) -> str:
    """Day and time at the dairy."""
    return f"{local(moment):%-d %b %H:%M}"


def near(moment: datetime) -> str:
    """Day and time at the dairy in words near today: tomorrow 06:30."""
    return f"{day(local(moment).date())} {local(moment):%H:%M}"


def day(when: date) -> str:
    """A date in words near today: today, tomorrow, Friday, 3 Mar."""
    away = (when - today()).days
    near = {0: "today", 1: "tomorrow", -1: "yesterday"}
    if away in near:
        return near[away]
    if 1 < away < 7:
        return f"{when:%A}"
    return f"{when:%-d %b %Y}" if when.year != today().year else f"{when:%-d %b}"


def ripe(recipe: Recipe) -> str:
    """When a cheese is ready: eaten fresh, ripe in 60 days, in 5 months."""
    days = sum(stage.days for stage in recipe.stages)
    if days <= _FRESH_DAYS:
        return "eaten fresh"
    return f"ripe in {days:.0f} days" if days < 100 else f"ripe in {days / 30.4:.0f} months"


def promised(lot: MilkLot) -> str:
    """For which planned make a lot stands by: for Thatch, Sat 14:40; "" for none."""
    plans = here().promised(lot)
    return "; ".join(f"for {name}, {clock(begins)}" for name, begins in plans)


def signed(value: float, decimals: int) -> str:
    """A difference with its sign: + 0.4, − 0.2, ± 0 for none."""
    shown = number(abs(value), decimals)
    if float(shown.replace(",", ".")) == 0:
        return "± 0"
    return f"{'+' if value > 0 else '−'}\u202f{shown}"


def part(name: str, value: float) -> str:
    """A part of a step (see `craft.sheet.moves`) in the dairy's units: 15 mm, 38.5 °C, 8 kg."""
    if name == "cut_mm":
        return small_length(value)
    if name == "celsius":
        return degrees(value, 1)
    if name == "ph":
        return f"pH {number(value, 2)}"
    return mass(value) if name == "load_kg" else so_long(value)


def hours(value: float) -> str:
    """An age: 3 h, 52 h, 5 days."""
    return f"{value:.0f} h" if value < 72 else so_many(round(value / 24), "day")


def hours_ago(value: float) -> datetime:
    """The moment so many hours ago."""
    return now() - timedelta(hours=value)


def hours_on(value: float) -> datetime:
    """The moment so many hours from now."""
    return now() + timedelta(hours=value)


def until(moment: datetime) -> str:
    """How long until a moment, or how far it is overdue."""
    left = moment - now()
    if left < timedelta(0):
        return f"{so_long(-left.total_seconds() / 60)} over"
    return f"in {so_long(left.total_seconds() / 60)}"


def ago(moment: datetime) -> str:
    """How long ago a moment was."""
    return so_long((now() - moment).total_seconds() / 60)


def change(share: float) -> str:
    """A change against what was written: −28 %; "" for nothing worth saying."""
    return "" if abs(share) < 0.005 else f"{'+' if share > 0 else '−'}{100 * abs(share):.0f} %"


def against(real: float, expected: float) -> str:
    """What came against what was expected, neither of them 0: −3 %; "" for as expected."""
    return change(real / expected - 1) if expected else ""


def percent(share: float, decimals: int = 0) -> str:
    """A share of a whole: 65 %."""
    return f"{number(100 * share, decimals)} %"


def within(sd: float) -> str:
    """How well a figure is known, by its standard deviation: ± 0.04."""
    return f"± {number(2 * sd, 2)}"
