"""A text as people write it becomes a recipe: what goes in, steps, places to ripen, cares."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from openpail.craft.errors import CraftError, Unknown
from openpail.craft.house import House
from openpail.craft.recipe.recipe import (
    Family,
    RecipeStep,
)
from openpail.craft.units import System
from openpail.formats.recipe_text import (
    MOST_LINES,
    MOST_SIGNS,
    NOT_KNOWN,
    TOO_LONG,
    UnderstoodText,
    WrittenLine,
    read_lines,
)
from openpail.formats.recipe_words import (
    FAMILIES,
    USUAL_MINUTES,
    free_key,
)
from openpail.formats.written.amounts import (
    listed,
    milk_of,
    own_amounts,
    without,
)
from openpail.formats.written.clauses import Clause, after_bullet, clauses
from openpail.formats.written.lexicon import SECTIONS
from openpail.formats.written.marks import marks_of, unused_numbers
from openpail.formats.written.ripens import WrittenCave

MOST_SOURCE = 60_000
_PRINTED = re.compile(r"^## Goes in$.*^## The make$", re.M | re.S)
_NOWHERE = (
    "What is done again and again belongs behind a place to ripen, like every 2 days: turn it."
)
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
    brought = [
        those for n, those in enumerate(cut) if n != named or re.search(r"\bmilk\b", lines[n])
    ]
    milk_l = sum(milk_of(each) for those in brought for each in those)
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
    recipe = replace(recipe, source=text[:MOST_SOURCE])
    return UnderstoodText(recipe, told, (*granted, *dict.fromkeys(making.granted)))


def _missed(line: WrittenLine, why: str) -> WrittenLine:
    """A line of which something was not found among what goes in."""
    if not why:
        return line
    if ";" in line.understood:
        return replace(line, understood=f"{line.understood} ({why})")
    return replace(line, understood="", why=why)


@dataclass
class Making(WrittenCave):
    """What was read so far of a text as people write it; named, how much of a line its name is."""

    named: int = 0

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

    def _clause(self, number: int, at: Clause) -> str:
        if self.section != "in":
            for read in (self._eaten, self._ripens, self._cared):
                echo = read(at)
                if echo:
                    return echo
        if not self.steps:
            parts = listed(at)
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
            thinned = len(own_amounts(at)) < len(at.every("volume", "mass", "count"))
            if rest or (at.kind == "add" and not self.section and not thinned):
                echo += f"; {self._done(number, replace(at, those=rest))}"
            return echo
        if self.section == "in" and at.things:
            return f"{without(at, None)}: how much is not said here"
        if not self.steps and at.kind is None and not at.things and at.first("volume", "mass"):
            words = without(at, at.first("volume", "mass"))
            raise Unknown(f"“{words}” is nothing we know to put into milk.")
        return self._done(number, at)

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
