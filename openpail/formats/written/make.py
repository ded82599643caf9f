"""A text as people write it becomes a recipe: what goes in, steps, places to ripen, cares."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any

from openpail.craft.doses.spoons import in_its_unit
from openpail.craft.errors import CraftError, OutOfRange, Unknown
from openpail.craft.house import House
from openpail.craft.recipe.recipe import (
    Band,
    Basis,
    Care,
    Family,
    Matters,
    RecipeStep,
    ReferencePart,
    Stage,
    StepKind,
)
from openpail.craft.units import System, parse_number, so_long, so_many
from openpail.formats.line_parts import MOST_MINUTES, product_of
from openpail.formats.recipe_text import (
    MOST_DAYS,
    MOST_LINES,
    MOST_SIGNS,
    NOT_KNOWN,
    TOO_LONG,
    PlainLines,
    UnderstoodText,
    WrittenLine,
    read_lines,
)
from openpail.formats.recipe_words import (
    BREED_WORDS,
    FAMILIES,
    TREATMENT_WORDS,
    USUAL_MINUTES,
    free_key,
    kind_of_thing,
)
from openpail.formats.written.clauses import Clause, after_bullet, clauses
from openpail.formats.written.lexicon import CARES, PLACES, SECTIONS
from openpail.formats.written.marks import marks_of, unused_numbers
from openpail.formats.written.quantities import Quantity

_PRINTED = re.compile(r"^## Goes in$.*^## The make$", re.M | re.S)
_MILK = re.compile(
    r"\b(?:milk|cow|cows|goats?|ewes?|sheep|buffalo|whey|raw|unpasteuri[sz]ed|pasteuri[sz]ed)\b",
    re.I,
)
_ANIMAL = re.compile(r"\b(?:goats?|sheep|ewes?|buffalo\w*|cows?)\b", re.I)
_WATER = re.compile(
    r"\s*(?:of\s+)?(?:(?:hot|cool|cold|warm|well|boiled|clean|fresh|tap)\s+)*water\b", re.I
)
_EVERY = re.compile(r"\b(?:every|each|per)\s*$", re.I)
_EATEN = re.compile(
    r"\b(?:keeps?\b(?! (?:it|at|warm|stirr|in|the))|eat\b|eaten|best (?:within|before|after|"
    r"from)|use within|good for)",
    re.I,
)
_FROM = re.compile(r"\b(?:from|after)\s*$", re.I)
_SIGN = re.compile(
    r"\b(?:until|till|untill)\s+(?P<a>(?!\d)(?:[^,;.()]|(?<=\d)[.,](?=\d))+)|"
    r"\b(?P<b>clean break)\b|\bwhen (?P<c>(?!pH)[^,;.()]+)",
    re.I,
)
_DAILY, _WEEKLY = (
    r"\bdaily|every day|each day\b",
    r"\bweekly|once a week|every week|(?:mon|tues|wednes|thurs|fri|satur|sun)days?\b",
)
_HALVES = re.compile(r"\b(?P<n>1/3|1/2|1/4|2/3|half|a third|a quarter|two thirds)\b", re.I)
_SHARES = {
    "1/3": 1 / 3,
    "1/2": 0.5,
    "1/4": 0.25,
    "2/3": 2 / 3,
    "half": 0.5,
    "a third": 1 / 3,
    "a quarter": 0.25,
    "two thirds": 2 / 3,
}
_LEAST_STAGE_MIN, _DAY, _STIRRED_MIN, _RAMP_C = 3 * 1440, 1440, 10, 4.0
_STRENGTH_IMCU, _STAGE_DAYS = 200, 30
_WEIGHED = frozenset({"calcium", "acid", "colour"})
_STRENGTHS = frozenset({"percent", "imcu", "one_to"})
_FORMS = r"tablet|packet|sachet|DCU|units?"
_THOUSAND = re.compile(r"[1-9]\d{0,2},\d{3}(?!\d)")
_ADDS = re.compile(r"\b(?:adds?|sprinkle)\s+(?:the\s+)?([a-z][a-z -]{2,})$", re.I)
_NOTHING_NEW = re.compile(
    r"(?:it|them|all|this|rest|slowly|gently|mixture|more)\b.*|.*\bwater\b.*", re.I
)
_NEXT_THING = re.compile(r",\s+|\s+and\s+|\s\+\s|\s+(?:together|along) with\s+|\s+plus\s+")
_PART = r"(?P<n>\d+(?:[.,]\d+)?) ?%?"
_FAT = re.compile(rf"{_PART} fat\b|\bfat:? {_PART.replace('<n>', '<m>')}", re.I)
_PROTEIN = re.compile(rf"{_PART} protein\b|\bprotein:? {_PART.replace('<n>', '<m>')}", re.I)
_FILLING = r"of|a|an|the|and|then|good|just|at|in|after|for|with|you want|you need|take"
_FILLING_BEFORE = re.compile(rf"^(?:\W*\b(?:{_FILLING})\b)+\s*", re.I)
_FILLING_BEHIND = re.compile(rf"(?:\s*\b(?:{_FILLING})\b\W*)+$", re.I)
_ONLY_TURN = re.compile(r"turn\w*\s+(?:every\s+)?\S*\s*\S*", re.I)
_SALT = re.compile(
    r"\b(?:(?:coarse|fine|flaked|pickling|canning|sea|dairy|cheese|table|rock)\s+)?salt\b", re.I
)
_STRENGTHLESS = re.compile(r"IMCU|1\s*:\s*\d", re.I)
_TITLE = 120
_NOWHERE = (
    "What is done again and again belongs behind a place to ripen, like every 2 days: turn it."
)
_KEPT_WARM: frozenset[StepKind | None] = frozenset({"brine", "add water"})
# What a name says of its family, the first that fits.
_FAMILY_WORDS: tuple[tuple[str, Family], ...] = (
    (r"washed[- ]curd", "washed_curd"),
    (r"washed[- ]rind|smear", "washed_rind"),
    (r"blue", "blue"),
    (r"cheddar\w*", "cheddared"),
    (r"bloom\w*|white mould", "bloomy"),
    (r"tomme", "tomme"),
    (r"alpine|mountain", "alpine"),
    (r"grating|(?:ewe|sheep|goat|cow)s?['’]?s? hard|hard", "hard_grating"),
    (r"(?:in|white) brine|brined|white cheese in brine", "white_brined"),
    (r"whey cheese", "whey"),
    (r"grill\w*|squeak\w*", "grilling"),
    (r"lactic|bag cheese", "lactic"),
)
_STIRRED = frozenset(
    {
        "culture",
        "mould",
        "propionic",
        "protective",
        "acid",
        "calcium",
        "lipase",
        "rennet",
        "colour",
        "salt",
        "herb",
    }
)


def understand(text: str, house: House, system: System) -> UnderstoodText:
    """A recipe in a text: one that was printed here word for word, any other by what it says.

    Parameters: text; house; system of who wrote it. Returns: the recipe as far as it goes; each
    line with what it became and what of it was not used. Raises nothing.
    """
    if _PRINTED.search(text):
        return read_lines(text, house, system)
    lines = text.splitlines()[:MOST_LINES]
    cut = [clauses(line[:MOST_SIGNS], system) for line in lines]
    named = next((n for n, line in enumerate(lines) if line.strip()), 0)
    told = [those for n, those in enumerate(cut) if n != named or re.search(r"\bmilk\b", lines[n])]
    milk_l = sum(milk_of(each) for those in told for each in those)
    making = Making(house, system, milk_l=milk_l)
    written = [
        making.line(number, line[:MOST_SIGNS], those)
        for number, (line, those) in enumerate(zip(lines, cut, strict=True), 1)
        if line.strip()
    ]
    for number, line in enumerate(text.splitlines()[MOST_LINES:], MOST_LINES + 1):
        if line.strip():
            written.append(WrittenLine(number, line.strip()[:MOST_SIGNS], why=TOO_LONG))
    making.finish()
    recipe, granted = making.whole()
    missed = dict(making.missed)
    told = tuple(_missed(line, missed.get(line.number, "")) for line in written)
    return UnderstoodText(recipe, told, (*granted, *dict.fromkeys(making.granted)))


def _missed(line: WrittenLine, why: str) -> WrittenLine:
    """A line of which something was not found among what goes in."""
    if not why:
        return line
    if ";" in line.understood:
        return replace(line, understood=f"{line.understood} ({why})")
    return replace(line, understood="", why=why)


def milk_of(clause: Clause) -> float:
    """The milk that a clause brings, L; 0 for none. Parameters: clause."""
    if (
        _stirred(clause)
        or clause.kind not in (None, "warm", "cheddar")
        or not _MILK.search(clause.text)
    ):
        return 0.0
    return sum(each.value for each in clause.every("volume") if each.per is None)


@dataclass
class Making(PlainLines):
    """What was read so far of a text as people write it; milk_l that it is for; section that was
    headed last; named, how much of a line its name took; what was filled in with what is usual;
    cares that were told before any place to ripen; the number of the line that is read."""

    milk_l: float = 0.0
    section: str = ""
    named: int = 0
    granted: list[str] = field(default_factory=list)
    pending: list[tuple[int, Clause]] = field(default_factory=list)
    number: int = 0

    def line(self, number: int, raw: str, those: Sequence[Clause]) -> WrittenLine:
        """Read one line, in its clauses."""
        self.number, text = number, raw.strip()
        plain = re.sub(r"^(eat) (?:it )?within (?=\d)", "eat within: ", text, flags=re.I)
        try:
            said = self._labelled(plain) or self._headed(raw, text, those)
        except CraftError as wrong:
            return WrittenLine(number, text, why=wrong.words)
        if said is not None:
            return WrittenLine(number, raw.rstrip(), said)
        if self.named:
            those = clauses(" " * self.named + raw[self.named :], self.system)
            self.named = 0
        echoes, whys, marks = [], [], []
        merged = _merged(those)
        if len(merged) == 1 and not raw[0].isspace() and merged[0].says_nothing:
            return WrittenLine(number, raw.rstrip(), why=NOT_KNOWN)
        for clause in merged:
            for each in clause.those:
                if "US" in each.other:
                    words = (
                        f"{each.unit} is taken as US measure: an imperial one is a fifth larger."
                    )
                    self.granted.append(words[:1].upper() + words[1:])
            try:
                echo = self._clause(number, clause)
            except CraftError as wrong:
                echo = ""
                whys.append(wrong.words)
            if echo:
                echoes.append(echo)
                marks += [replace(mark, became=echo) for mark in marks_of(clause, self.milk_l)]
        unused = list(unused_numbers(raw, after_bullet(raw), marks))
        if not echoes:
            why = (whys or [NOT_KNOWN])[0]
            return WrittenLine(number, raw.rstrip(), why=why, unused=tuple(unused))
        told = "; ".join(echoes) + "".join(f" ({wrong})" for wrong in whys)
        return WrittenLine(number, raw.rstrip(), told, "", tuple(marks), tuple(unused))

    def _headed(self, raw: str, text: str, those: Sequence[Clause]) -> str | None:
        """A line that is a heading, the name, or more about the step before; None for others."""
        for pattern, section in SECTIONS:
            if re.fullmatch(rf"(?:{pattern})\s*:?", text, re.I):
                self.section = section
                return "a heading"
        if text.count("|") > 1 and not re.search(r"\d", text):
            return "a heading"
        if "name" not in self.head and not self.begun:
            name, colon, rest = text.partition(":")
            is_milk = (
                any(milk_of(each) for each in those)
                and re.search(r"\bmilk\b", text, re.I)
                and not colon
            )
            has_amounts = any(each.what != "bare" for clause in those for each in clause.those)
            if colon and rest.strip() and re.search(r"\d", rest) and not re.search(r"\d", name):
                self.head["name"] = name[:80]
                self.named = raw.index(":") + 1
                return None
            if not is_milk and (
                not has_amounts or not any(c.things or c.kind for c in those) or " - " in text
            ):
                self.head["name"] = re.split(r"\s+-\s+(?=\d)", text)[0][:80]
                return "its name"
            if not is_milk and not any(each.things for each in those):
                self.head["name"] = text[:80]
                return "its name"
        return None

    # ── one clause ──

    def _clause(self, number: int, at: Clause) -> str:
        if self.section != "in":
            for read in (self._eaten, self._ripens, self._cared):
                echo = read(at)
                if echo:
                    return echo
        if not self.steps:
            parts = _listed(at)
            if len(parts) > 1:
                return "; ".join(self._goes(number, part) for part in parts)
        return self._goes(number, at)

    def _goes(self, number: int, at: Clause) -> str:
        if milk_of(at) and not self.steps and at.kind != "take whey off":
            milks = self._milks(at)
            rest = tuple(each for each in at.those if each.what not in ("volume", "ph"))
            return (
                f"{milks}; {self._done(number, replace(at, those=rest))}"
                if at.kind and rest
                else milks
            )
        if self._is_ingredient(at):
            echo = self._added(at)
            rest = tuple(each for each in at.those if each.what in ("warm", "time", "rise"))
            thinned = len(_own_amounts(at)) < len(at.every("volume", "mass", "count"))
            if rest or (at.kind == "add" and not self.section and not thinned):
                echo += f"; {self._done(number, replace(at, those=rest))}"
            return echo
        if self.section == "in" and at.things:
            return f"{_without(at, None)}: how much is not said here"
        if not self.steps and at.kind is None and not at.things and at.first("volume", "mass"):
            words = _without(at, at.first("volume", "mass"))
            raise Unknown(f"“{words}” is nothing we know to put into milk.")
        return self._done(number, at)

    def _milks(self, at: Clause) -> str:
        """Each milk of a clause, by the words behind its litres."""
        amounts = [each for each in at.every("volume") if each.per is None]
        heats = [
            heat
            for pattern, heat in TREATMENT_WORDS
            if re.search(rf"(?<!not )(?<!no )(?<!never )\b(?:{pattern})\b", at.text, re.I)
        ]
        echoes = []
        for here, after in zip(amounts, [*amounts[1:], None], strict=True):
            ends = after.begins - at.begins if after else len(at.text)
            words = at.text[here.ends - at.begins : ends] if len(amounts) > 1 else at.text
            animal = words if _ANIMAL.search(words) else f"{self.head.get('name', '')} cow"
            breed = next(b for p, b in BREED_WORDS if re.search(rf"\b(?:{p})\b", animal, re.I))
            self.reference.append(
                ReferencePart(
                    breed,
                    heats[0] if heats else "raw",
                    here.value,
                    "whey" if re.search(r"\bwhey\b", words, re.I) else "milk",
                    fat_pct=_pct_of(_FAT, words),
                    protein_pct=_pct_of(_PROTEIN, words),
                    homogenised=bool(
                        re.search(r"(?<!not )(?<!un)(?<!non-)\bhomogeni[sz]ed", at.text, re.I)
                    ),
                )
            )
            heat = (heats[0] if heats else "raw").replace("_", "-")
            taken = "" if heats else ", as nothing else is said"
            echoes.append(f"{here.value:.3g} L of {breed.replace('_', ' ')} milk, {heat}{taken}")
        return "; ".join(echoes)

    def _is_ingredient(self, at: Clause) -> bool:
        """Whether a clause is what goes in, with how much."""
        if not at.things or not (at.first("volume", "mass", "count", "percent")):
            return False
        if self.section == "in" or not self.steps:
            return (
                at.kind in (None, "add", "salt", "dry", "mould", "wait", "brine")
                or self.section == "in"
            )
        return False

    def _added(self, at: Clause) -> str:
        """An ingredient, as its product and how much of it."""
        kind, sort = at.things[0]
        amount = self._amount_of(at)
        words = _without(at, amount)
        if kind == "rennet" and not _STRENGTHLESS.search(words):
            words = f"{words} {_STRENGTH_IMCU} IMCU"
            self.granted.append(f"Rennet of {_STRENGTH_IMCU} IMCU per mL, as nothing else is said.")
        product = product_of(words, kind, sort)
        if amount and amount.what == "mass" and product.unit == "mL" and kind in _WEIGHED:
            product = replace(product, form="powder")
        if amount is not None and amount.per is not None and amount.per.what == "mass":
            percent = 100 * amount.value / amount.per.value
            self._add(product, round(percent, 2), "%", "percent_of_curd", "")
            return f"{percent:.2g} % of the curd’s weight of {product.name}"
        if amount is None or amount.what == "percent":
            share = amount or at.first("percent")
            if share is None:
                raise Unknown(f"How much {words}?")
            basis: Basis = "percent_of_curd"
            if any(step.kind in ("mould", "press") for step in self.steps):
                basis = "percent_of_cheese"
            if re.search(r"\bof (?:the )?milk", at.text, re.I):
                basis = "percent_of_milk"
            self._add(product, share.value, "%", basis, "")
            return f"{share.value:g} % {product.name}"
        written = at.text[amount.begins - at.begins : amount.ends - at.begins]
        if _THOUSAND.match(written):
            parse_number(written.split()[0])  # refuses what could be 1500 or 1.5
        value = in_its_unit(self._said(amount), product, self.house, self.system)
        self._add(product, value, product.unit, "batch", "")
        unit = f"{product.unit}s" if product.in_pieces and value != 1 else product.unit
        return f"{value:.3g} {unit} of {product.name}"

    def _amount_of(self, at: Clause) -> Quantity | None:
        """How much of a thing: never the water it is thinned with, nor its strength."""
        own = _own_amounts(at)
        if own:
            return next((each for each in own if each.what != "count"), own[0])
        strong = at.first("percent")
        if strong and kind_of_thing(at.text) and at.things[0][0] in ("salt", "herb", "colour"):
            return strong
        return None

    def _said(self, each: Quantity) -> str:
        """An amount as a text of its base unit; of so much for each litre, for all the milk."""
        times = 1.0
        if each.per is not None and each.per.what == "volume" and self.milk_l:
            times = self.milk_l / each.per.value
        value = max(each.values) if each.high is None else sum(each.values) / 2
        unit = {"volume": "mL", "mass": "g"}.get(each.what)
        return f"{1000 * value * times:.9f} {unit}" if unit else f"{value * times:.6g}"

    # ── the make ──

    def _done(self, number: int, at: Clause) -> str:
        """A step, or what a clause without a verb says of the step before."""
        kind = self._kind_of(at)
        parts = self._in_order(at, kind)
        if len(parts) > 1:
            return "; ".join(self._done(number, part) for part in parts)
        if kind is None or (
            kind in ("warm", "heat") and at.kind is None and self._last in _KEPT_WARM
        ):
            return self._of_before(at)
        times = [
            each
            for each in at.every("time")
            if not self._is_every(at, each) and not each.unit.endswith("of")
        ]
        every = [each for each in at.every("time") if self._is_every(at, each)]
        usual, by_hand = USUAL_MINUTES[kind]
        rise = self._rise(at)
        taken = not times and rise is None
        minutes = (
            usual
            if taken
            else (
                rise if rise is not None and not times else times[-1 if kind == "turn" else 0].value
            )
        )
        if minutes > MOST_MINUTES:
            raise OutOfRange("No step of a make takes longer than two weeks.")
        turned = len(times) if kind == "turn" and len(times) > 1 else 1
        if kind == "turn" and every and times:
            turned = max(1, min(24, round(times[0].value / every[0].value)))
        step = self._made(at, kind, minutes, by_hand, turned)
        if (
            len(times) > 1
            and kind != "turn"
            and re.search(r"\bmore\b|\blonger\b|\bextra\b", at.text)
        ):
            step = replace(step, may_stretch_minutes=min(times[-1].value, float(MOST_MINUTES)))
        self.steps.append(step)
        self._wants(number, at, step)
        return self._echo(step, self.wanted.get(step.key, (0, ""))[1], taken=taken)

    @staticmethod
    def _in_order(at: Clause, kind: StepKind | None) -> list[Clause]:
        """A clause that says several steps in one: rennet at a warmth and how long it is left;
        loads one after another."""
        loads, times = at.every("mass"), at.every("time")
        if kind == "press" and len(loads) > 1:
            pairs = zip(loads, [*times, *[None] * len(loads)], strict=False)
            found = []
            for load, time in pairs:
                mine = tuple(each for each in (load, time) if each)
                begins, ends = min(q.begins for q in mine), max(q.ends for q in mine)
                text = at.text[begins - at.begins : ends - at.begins]
                found.append(
                    replace(at, kind="press", text=f"Press {text}", begins=begins - 6, those=mine)
                )
            return found
        if not _stirred(at) or at.kind not in (None, "add") or (at.kind == "add" and not times):
            return [at]
        warm = tuple(each for each in at.those if each.what in ("warm", "rise"))
        added = tuple(each for each in at.those if each.what not in ("warm", "rise", "time"))
        parts = [replace(at, kind="add", those=added)]
        if warm and at.kind is None:
            parts.insert(0, replace(at, kind="warm", things=(), those=warm))
        long = tuple(each for each in times if each.value > _STIRRED_MIN)
        if long:
            parts.append(replace(at, kind="wait", things=(), those=long))
        return parts if len(parts) > 1 else [at]

    def _kind_of(self, at: Clause) -> StepKind | None:
        kind: StepKind | None = at.kind
        is_cut = any(step.kind == "cut" for step in self.steps)
        last = self._last
        if kind is None and at.first("mass") and last in ("press", "turn") and at.first("time"):
            kind = "press"
        elif kind is None and at.first("warm") and not at.first("time"):
            kind = "warm"
        elif kind is None and (at.first("rise") or at.first("warm")):
            kind = "heat" if is_cut else "warm"
        elif kind is None and _stirred(at) and not at.first("time"):
            kind = "add"
        if at.first("mass") and at.first("time") and re.search(r"\bpress", at.text, re.I):
            kind = "press"
        if kind == "warm" and is_cut:
            kind = "heat"
        if kind == "add water" and _stirred(at):
            kind = "add"
        if kind == "wait" and last == "cut":
            kind = "heal"
        if kind == "wait" and re.search(r"\bfloc", at.text, re.I) and at.first("times"):
            kind = "test"
        return kind

    def _made(
        self, at: Clause, kind: StepKind, minutes: float, by_hand: float, turned: int
    ) -> RecipeStep:
        usual, _ = USUAL_MINUTES[kind]
        hands = minutes if by_hand == usual else by_hand
        rennet_in = any("rennet" in want for _, want in self.wanted.values())
        sign = _SIGN.search(at.text)
        words = (sign["a"] or sign["b"] or sign["c"]) if sign else ""
        clock: Any = "fixed"
        if kind == "test" or at.first("times"):
            clock, kind = "flocculation", "test"
            multiple = at.first("times")
            if multiple:
                self.head["cut_multiplier"] = multiple.value
        elif kind == "wait" and rennet_in and re.search(r"\bset|break|curd|cut", at.text, re.I):
            clock = "cut"
        title = " ".join(at.text.split()).strip(" ,:;.-–—")
        asks: Any = (
            ("flocks",) if kind == "test" else ("weight",) if "weigh" in at.text.lower() else ()
        )
        size, load, brine = at.first("length"), at.first("mass"), at.first("percent")
        return RecipeStep(
            free_key(kind.replace(" ", "-"), {each.key for each in self.steps}),
            kind,
            (title[:1].upper() + title[1:])[:_TITLE],
            round(minutes, 2),
            round(min(minutes, hands), 2),
            words=title[_TITLE:],
            clock=clock,
            celsius=_band(_reached(at, kind), 1.0, -30, 120),
            ph=_band(at.first("ph"), 0.05, 0, 14),
            sign=words[:1].upper() + words[1:] if words else "",
            cut_mm=min(150.0, max(1.0, size.value)) if size and kind == "cut" else None,
            load_kg=min(1000.0, load.value) if load and kind == "press" else None,
            brine_pct=brine.value if kind == "brine" and brine and 1 <= brine.value <= 27 else None,
            share=self._share(at) if kind == "take whey off" else None,
            asks=asks,
            times=turned,
        )

    def _share(self, at: Clause) -> float | None:
        litres, part = at.first("volume"), _HALVES.search(at.text)
        percent = at.first("percent")
        if percent and percent.value <= 100:
            return percent.value / 100
        if litres and self.milk_l:
            return min(1.0, litres.value / self.milk_l)
        return _SHARES[part["n"].lower()] if part else None

    def _wants(self, number: int, at: Clause, step: RecipeStep) -> None:
        """What a step stirs in: named before, or now, with how much."""
        for part in _listed(at):
            known = {each.product.kind for each in self.ingredients}
            new = [thing for thing in part.things if thing[0] in _STIRRED and thing[0] not in known]
            if (
                new
                and step.kind in ("add", "salt")
                and self._amount_of(replace(part, things=tuple(new)))
            ):
                self._added(replace(part, things=tuple(new)))
        named = [kind for kind, _ in at.things if kind in _STIRRED]
        meant = _ADDS.search(at.text)
        if step.kind == "add" and not at.things and meant and not _NOTHING_NEW.fullmatch(meant[1]):
            words = f"“{meant[1].strip()}” is not among what goes in: write its amount on a line"
            self.missed.append((number, f"{words} of its own."))
        if step.kind == "salt":
            named = ["salt"]
        if step.kind in ("add", "salt") and named:
            self.wanted[step.key] = (number, " and ".join(named))

    def _rise(self, at: Clause) -> float | None:
        """How long so many degrees every so often take, min; None where that is not said."""
        rise, warm = at.first("rise"), at.first("warm")
        if rise is None or warm is None or rise.per is None or rise.value <= 0:
            return None
        before = next((s.celsius.target for s in reversed(self.steps) if s.celsius), None)
        if before is None or warm.value <= before:
            return None
        return (warm.value - before) / rise.value * rise.per.value

    @staticmethod
    def _is_every(at: Clause, each: Quantity) -> bool:
        return bool(_EVERY.search(at.text[: each.begins - at.begins])) or each.unit == "every"

    def _of_before(self, at: Clause) -> str:
        """What a clause without a verb says: more of the step before."""
        if not self.steps:
            return ""
        last = self.steps[-1]
        time, sour, words = at.first("time"), at.first("ph"), at.text.strip(" ,:;.-–—")
        more = f"{last.words} {words}".strip()
        if time and re.search(r"\bmore\b|\blonger\b", at.text, re.I):
            last = replace(
                last, may_stretch_minutes=min(time.value, float(MOST_MINUTES)), words=more
            )
        elif last.kind == "brine" and (time or at.first("percent", "warm")):
            whole = [t for t in at.every("time") if t.per is None] or ([time] if time else [])
            pct, warm = at.first("percent"), _band(at.first("warm"), 1.0, -30, 120)
            last = replace(
                last,
                minutes=min(float(MOST_MINUTES), whole[0].value) if whole else last.minutes,
                brine_pct=pct.value if pct and 1 <= pct.value <= 27 else last.brine_pct,
                celsius=warm or last.celsius,
                words=more,
            )
        elif time and (self._usual_taken or last.kind == "add"):
            kind: StepKind = "wait" if last.kind == "add" else last.kind
            if kind != last.kind:
                at = replace(at, kind=kind)
                return self._done(0, at)
            last = replace(last, minutes=min(time.value, float(MOST_MINUTES)), words=more)
        elif time:
            return self._done(
                0, replace(at, kind="hold" if last.kind in ("heat", "warm") else "wait")
            )
        elif last.kind == "add water" and at.first("warm"):
            last = replace(last, celsius=_band(at.first("warm"), 1.0, -30, 120), words=more)
        elif sour:
            last = replace(last, ph=_band(sour, 0.05, 0, 14), words=more)
        else:
            last = replace(last, words=more)
        was, self.steps[-1] = self.steps[-1], last
        if replace(was, words="") == replace(last, words=""):
            return f"of the step before: {last.title}"
        return f"the step before: {self._echo(last, '', taken=False)}"

    @property
    def _last(self) -> StepKind | None:
        """The kind of the last step."""
        return self.steps[-1].kind if self.steps else None

    @property
    def _usual_taken(self) -> bool:
        """Whether the minutes of the last step are only usual ones."""
        last = self.steps[-1]
        return last.minutes == USUAL_MINUTES[last.kind][0]

    @staticmethod
    def _echo(step: RecipeStep, goes_in: str, *, taken: bool) -> str:
        filled = ", as nothing else is said" if taken else ""
        said = [
            step.celsius and f"{step.celsius.target:.3g} °C",
            step.ph and f"pH {step.ph.target:g}",
            step.cut_mm and f"{step.cut_mm:.3g} mm",
            step.load_kg and f"{step.load_kg:.3g} kg on it",
            step.brine_pct and f"{step.brine_pct:g} % brine",
            step.share and f"{100 * step.share:.0f} % of the milk",
            step.times > 1 and f"{step.times} times",
            step.sign and f"until: {step.sign}",
        ]
        kind = f"add {goes_in}" if step.kind == "add" and goes_in else step.kind
        return ", ".join(
            [f"{kind}, {so_long(step.minutes)}{filled}", *(each for each in said if each)]
        )

    def finish(self) -> None:
        """What a list leaves out: that culture goes in before it ripens, rennet before it sets;
        the family that its name says."""
        self.missed += [(number, _NOWHERE) for number, _ in self.pending]
        told = next(
            (
                f
                for p, f in _FAMILY_WORDS
                if re.search(rf"\b(?:{p})\b", self.head.get("name", ""), re.I)
            ),
            None,
        )
        if told and "family" not in self.head:
            self.head["family"] = told
            self.granted.append(f"Family: {FAMILIES[told]}, by its name.")
        wanted = {kind for _, want in self.wanted.values() for kind in want.split(" and ")}
        first = next((n for n, s in enumerate(self.steps) if s.kind == "wait"), None)
        sets = next(
            (n for n, s in enumerate(self.steps) if s.clock != "fixed" or s.kind == "cut"), None
        )
        for kinds, at, words in (
            (("rennet",), sets, "Rennet goes in before it sets"),
            (
                ("culture", "mould", "lipase", "colour", "calcium"),
                first,
                "What ripens and colours it goes in before it is left",
            ),
        ):
            left = [
                e.product.kind
                for e in self.ingredients
                if e.product.kind in kinds and e.product.kind not in wanted
            ]
            if not left or at is None:
                continue
            key = free_key("add", {each.key for each in self.steps})
            title = f"Stir in the {' and '.join(dict.fromkeys(left))}"
            self.steps.insert(at, RecipeStep(key, "add", title, *USUAL_MINUTES["add"]))
            self.wanted[key] = (0, " and ".join(dict.fromkeys(left)))
            self.granted.append(f"{words}, as nothing else is said.")

    def _put_in(self, step_key: str, number: int, want: str) -> None:
        """What a step stirs in, of what goes in by its kind: those it names, else all of a kind."""
        at = next(n for n, step in enumerate(self.steps) if step.key == step_key)
        before = {key for step in self.steps for key in step.adds}
        title, adds = self.steps[at].title.casefold(), []
        for kind in want.split(" and "):
            mine = [e for e in self.ingredients if e.product.kind == kind and e.key not in before]
            named = [
                e
                for e in mine
                if any(w in title for w in e.product.name.casefold().split() if len(w) > 4)
            ]
            adds += [each.key for each in (named if len(mine) > 1 and named else mine)]
            if (
                not any(e.product.kind == kind for e in self.ingredients)
                and self.steps[at].kind == "add"
            ):
                self.missed.append((number, f"How much {kind}? It is not among what goes in."))
        self.steps[at] = replace(self.steps[at], adds=tuple(dict.fromkeys(adds)))

    # ── the cave ──

    def _eaten(self, at: Clause) -> str:
        """How long it keeps, or from when it is eaten."""
        eaten, time = _EATEN.search(at.text), None
        if eaten:
            time = next(
                (t for t in at.every("time") if t.begins - at.begins >= eaten.start()), None
            )
        if not eaten or time is None or time.value < _DAY:
            return ""
        days = round(time.value / _DAY)
        before = at.text[eaten.start() : time.begins - at.begins]
        if re.search(r"\b(?:from|after)\b", before, re.I) and self.stages:
            rest = sum(stage.days for stage in self.stages[:-1])
            self.stages[-1] = replace(self.stages[-1], days=max(1, days - rest))
            head = (
                self._ripens(replace(at, text=at.text[: eaten.start()]))
                if at.text[: eaten.start()].strip(" ,")
                else ""
            )
            return f"{head}; " * bool(head) + f"eaten from day {days}"
        if re.search(r"\b(?:from|after)\b", before, re.I):
            echo = self._ripens(
                replace(
                    at,
                    text=at.text[: eaten.start()],
                    those=tuple(t for t in at.those if t is not time),
                )
            )
            if self.stages:
                self.stages[-1] = replace(self.stages[-1], days=max(1, days))
                return f"{echo}; eaten from day {days}"
            return ""
        self.head["eat_by_days"] = min(5000, days)
        return f"to be eaten within {so_many(days, 'day')}"

    def _ripens(self, at: Clause) -> str:
        """A place to ripen, or how long in the one before."""
        if at.kind in ("press", "drain", "hang", "heat", "warm"):
            return ""
        place = next(
            (
                (m, c)
                for pattern, c in PLACES
                if (m := re.search(rf"\b(?:{pattern})\b", at.text, re.I))
            ),
            None,
        )
        ageing = bool(
            re.search(
                r"\b(?:age|aged|ageing|aging|ripen\w*|mature\w*|store\w*|affin\w+)\b", at.text, re.I
            )
        )
        times = [
            t for t in at.every("time") if not self._is_every(at, t) and not t.unit.endswith("of")
        ]
        time = next((t for t in times if t.value >= _DAY), None)
        warm, damp = at.first("warm"), at.first("percent")
        made = any(
            step.kind in ("cut", "mould", "press", "drain", "hang", "brine") for step in self.steps
        )
        is_long = time is not None and time.value >= _LEAST_STAGE_MIN
        if at.kind == "brine" and not is_long:
            return ""
        if not (made or (place and is_long)) or (at.kind == "wait" and not ageing and not place):
            return ""
        if self.stages and time and not warm and not place and at.kind is None:
            self.stages[-1] = replace(self.stages[-1], days=round(time.value / _DAY))
            return f"it ripens {so_many(round(time.value / _DAY), 'day')}"
        if not ((place and (warm or time)) or (ageing and (warm or is_long)) or (warm and is_long)):
            return ""
        celsius = _band(warm, 1.0, -30, 60)
        if celsius is None:
            at_c = place[1] if place else 12.0
            celsius = Band(at_c, at_c - 2, at_c + 2)
            self.granted.append(f"{at_c:g} °C where it ripens, as nothing else is said.")
        days = round(max(time.values) / _DAY) if time else _STAGE_DAYS
        name = place[0][0].lower() if place else "cave"
        key = free_key("stage", {each.key for each in self.stages})
        humid = _band(damp, 5.0, 0, 100) if damp and damp.value >= 40 else None
        brine = (
            damp.value
            if damp and 1 <= damp.value <= 27 and re.search(r"\bbrine", at.text, re.I)
            else None
        )
        if brine:
            name = "tub of brine"
        if days > MOST_DAYS:
            raise OutOfRange(f"{days} days is longer than anybody waits.")
        sign = _SIGN.search(at.text)
        ends = (sign["a"] or "").strip() if sign else ""
        self.stages.append(Stage(key, name, celsius, days, (), ends or "asked for", humid, brine))
        moist = f", {humid.target:g} % humid" if humid else ""
        echo = f"ripening, {so_many(days, 'day')} at {celsius.target:.3g} °C{moist}, {name}"
        care = self._cared(at, begun=True)
        waited, self.pending = self.pending, []
        for _, each in waited:
            self._cared(each)
        return f"{echo}; {care}" if care else echo

    def _cared(self, at: Clause, *, begun: bool = False) -> str:
        """What is done to it again and again while it ripens."""
        if not self.stages:
            again = any(self._is_every(at, q) and q.value >= _DAY for q in at.every("time"))
            by_day = any(each.unit.endswith("day of") for each in at.those)
            told = again or (at.kind is None and by_day)
            if told and any(re.search(rf"\b(?:{p})\b", at.text, re.I) for p, _ in CARES):
                self.pending.append((self.number, at))
                return f"a care, once it ripens: {at.text.strip(' ,:;.-')}"
            return ""
        found = next(
            ((m, k) for p, k in CARES if (m := re.search(rf"\b(?:{p})\b", at.text, re.I))), None
        )
        before = self.stages[-1].cares
        repeat = next((t for t in at.every("time") if t.unit == "every"), None)
        if found is None and repeat and before:
            days = max(1, round(repeat.value / _DAY))
            text, week = (
                f"{before[-1].kind or before[-1].words}: {at.text.strip(' ,:;.-')}",
                before[-1].words,
            )
            from_day = 7 if re.search(r"1st week|first week", week, re.I) else 0
            key = free_key("care", {each.key for each in before})
            care = Care(key, text[:200], days, from_day, "daily", before[-1].kind)
            self.stages[-1] = replace(self.stages[-1], cares=(*before, care))
            return f"a care: {text}, every {so_many(days, 'day')}"
        if found is None or (at.first("warm") and not begun):
            return ""
        match, kind = found
        text = at.text[match.start() :].strip(" ,:;.-")
        if _ONLY_TURN.fullmatch(text):
            text = "turn it"
        days, matters = self._how_often(at, match.start())
        first = next((t for t in at.every("time") if t.unit.endswith("day of")), None)
        from_day = min(5000, round(first.value / _DAY)) if first else 0
        stage = self.stages[-1]
        care = Care(
            free_key("care", {each.key for each in stage.cares}),
            text[:200],
            days,
            from_day,
            matters,
            kind,
        )
        self.stages[-1] = replace(stage, cares=(*stage.cares, care))
        when = f"once from day {from_day}" if matters == "once" else f"every {so_many(days, 'day')}"
        return f"a care: {text}, {when}"

    def _how_often(self, at: Clause, begins: int) -> tuple[int, Matters]:
        every = [
            t for t in at.every("time") if self._is_every(at, t) and t.begins - at.begins >= begins
        ]
        if every:
            days = max(1, round(every[-1].value / _DAY))
            return days, "weekly" if days >= 5 else "daily"
        if re.search(_WEEKLY, at.text, re.I):
            return 7, "weekly"
        if re.search(_DAILY, at.text, re.I) or at.kind == "turn":
            return 1, "daily"
        return 1, "once"


def _merged(those: Sequence[Clause]) -> list[Clause]:
    """Clauses of a line; a thing with its amount behind a dash is one."""
    found: list[Clause] = []
    for each in those:
        last = found[-1] if found else None
        is_amount = (
            each.kind is None
            and not each.things
            and each.those
            and {q.what for q in each.those} <= {"mass", "volume", "count"}
        )
        if (
            last
            and last.kind is None
            and last.things
            and is_amount
            and not last.first("mass", "volume", "count")
        ):
            gap = " " * (each.begins - last.begins - len(last.text))
            found[-1] = replace(
                last, text=f"{last.text}{gap}{each.text}", those=(*last.those, *each.those)
            )
        else:
            found.append(each)
    return found


def _listed(at: Clause) -> list[Clause]:
    """A clause of several things with their amounts, each for itself; milks stay together."""
    amounts = _own_amounts(at)
    if len(amounts) < 2 or not (_stirred(at) or milk_of(at)) or (milk_of(at) and not _stirred(at)):
        return [at]
    if kind_of_thing(at.text[: amounts[0].begins - at.begins]):
        inside = [(m.start(), m.end()) for m in re.finditer(r"\([^)]*\)", at.text)]
        cuts = [
            match.end()
            for match in _NEXT_THING.finditer(at.text)
            if not any(a < match.start() < b for a, b in inside)
        ]
    else:
        cuts = [_before(at.text, each.begins - at.begins) for each in amounts[1:]]
    found: list[Clause] = []
    for begins, ends in pairwise([0, *cuts, len(at.text)]):
        text, of = at.text[begins:ends], at.begins + begins
        those = tuple(q for q in at.those if of <= q.begins < at.begins + ends)
        thing = kind_of_thing(text)
        part = replace(
            at, text=text, begins=of, kind=None, things=(thing,) if thing else (), those=those
        )
        if found and (not _own_amounts(part) or not (thing or milk_of(part))):
            last = found[-1]
            part = replace(last, text=last.text + text, those=(*last.those, *those))
            found.pop()
        found.append(part)
    return found


def _before(text: str, at: int) -> int:
    """Where the words of an amount begin: juice of 2 lemons, heaped 1/4 tsp."""
    match = re.search(
        r"(?:juice of|heaped|heaping|scant|rounded|level|about|abt|good)\s*$", text[:at], re.I
    )
    return match.start() if match else at


def _reached(at: Clause, kind: StepKind) -> Quantity | None:
    """How warm it is in the end: of a rise its upper end, of water the curd it is poured on."""
    warm = at.every("warm")
    if not warm:
        return None
    first = warm[0]
    if kind == "add water":
        return replace(first, value=min(min(each.values) for each in warm), high=None)
    if kind in ("warm", "heat") and first.high is not None and first.high - first.value > _RAMP_C:
        return replace(first, value=first.high, high=None)
    return warm[-1] if kind in ("warm", "heat") else first


def _own_amounts(at: Clause) -> list[Quantity]:
    """The amounts of a clause that are of its things: never the water that thins them."""
    return [
        each
        for each in at.every("volume", "mass", "count")
        if not (each.what == "volume" and _WATER.match(at.text[each.ends - at.begins :]))
    ]


def _pct_of(pattern: re.Pattern[str], words: str) -> float | None:
    """The % of fat or protein that a milk is said to have."""
    match = pattern.search(words)
    value = parse_number(match["n"] or match["m"]) if match else None
    return value if value is not None and 0.5 <= value <= 12 else None


def _stirred(at: Clause) -> list[str]:
    """What a clause names that is stirred into milk."""
    return [kind for kind, _ in at.things if kind in _STIRRED]


def _without(at: Clause, amount: Quantity | None) -> str:
    """The words of a thing: its clause without its amount, and without words that carry nothing."""
    text = at.text
    if at.things and at.things[0][0] == "salt":
        return next((m[0] for m in [_SALT.search(text)] if m), "salt").casefold()
    gone = [each for each in at.those if each is amount or each.what not in _STRENGTHS]
    for each in reversed(gone):
        begins, ends = each.begins - at.begins, each.ends - at.begins
        text = f"{text[:begins]} {text[ends:]}"
    text = re.sub(r"[|@/]+(?![a-z])", " ", text)
    text = re.sub(r":?\s*(?:diluted |mixed )?\b(?:in|with)\s+(?:\w+ )*water\b.*", " ", text)
    text = re.sub(
        r"\b(?:heaped|heaping|scant|rounded|level|about|abt|approx\.?|add|sprinkle|stir in)\b",
        " ",
        text,
        flags=re.I,
    )
    text = " ".join(re.sub(r"\(\W*\)", " ", text).split())
    text = _FILLING_BEFORE.sub("", _FILLING_BEHIND.sub("", text))
    text = text.strip(" ,:;.-–—~*+&" if "(" in text else " ,:;.-–—~*+&)")[:_TITLE]
    if amount is not None and amount.what == "count" and re.search(_FORMS, amount.unit, re.I):
        unit = (
            "units" if re.fullmatch(r"DCUs?|units?", amount.unit, re.I) else amount.unit.rstrip("s")
        )
        text = f"{text} {unit}"
    return text or (at.things[0][0] if at.things else "")


def _band(each: Quantity | None, usual: float, least: float, most: float) -> Band | None:
    """A target with its band: both ends of a range, else the usual around it."""
    if each is None or not all(least <= value <= most for value in each.values):
        return None
    if each.high is not None:
        low, high = min(each.values), max(each.values)
        return Band(round((low + high) / 2, 2), round(low, 2), round(high, 2))
    value = round(each.value, 2)
    return Band(value, value - usual, value + usual)
