"""A recipe in plain lines, as people write them down, read line by line.

Nothing is guessed silently: each line comes back with what was understood of it, or with why it
was not; what was taken for granted is told.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any, get_args

from openpail.craft.doses.spoons import in_its_unit
from openpail.craft.errors import CraftError, OutOfRange, Unknown
from openpail.craft.house import House, shipped
from openpail.craft.recipe.recipe import (
    Asks,
    Care,
    Ingredient,
    Recipe,
    RecipeStep,
    ReferencePart,
    Stage,
)
from openpail.craft.stock.products import Product
from openpail.craft.units import System, parse_amount, parse_minutes, parse_number, so_many
from openpail.formats.leave_text import leave_of
from openpail.formats.line_parts import (
    NUM,
    PERCENT,
    Clauses,
    among,
    guess_family,
    product_of,
)
from openpail.formats.recipe_words import (
    BREED_WORDS,
    FAMILIES,
    TREATMENT_WORDS,
    USUAL_MINUTES,
    free_key,
    kind_of_step,
    kind_of_thing,
    slug,
)
from openpail.formats.written.asked import OpenQuestion
from openpail.formats.written.marks import Mark

MOST_LINES = 600
_ASKS: dict[str, Asks] = {each: each for each in get_args(Asks)}
MOST_SIGNS = 600
_BULLET = re.compile(r"^(?:[-*•]\s+|\d+[.)]\s+)")
_CARE = re.compile(
    r"every (?:(\d+) )?days?(?: from day (\d+))?(?:, (daily|weekly|once))?\s*:\s*(.+)$", re.I
)
_ONCE = re.compile(r"(once)(?: from|,? on) day (\d+)(, once)?\s*:\s*(.+)$", re.I)
_STAGE = re.compile(
    rf"(?:ripen|age|keep|mature|dry)?\s*(?:it )?(?:for )?((?:{NUM})\s*(?:days?|weeks?|months?))\b"
    r"(.*)$",
    re.I,
)
MOST_DAYS = 5000
TOO_LONG = f"No recipe is longer than {MOST_LINES} lines: this one was not read."
NOT_KNOWN = "No word of this line is known here. Begin it with an amount or a verb of the dairy."


_EVERY = re.compile(rf"\b(?:every|each)\s+(?:({NUM})\s+)?(days?|hours?|hrs?|h)\b", re.I)


def _long(minutes: float) -> str:
    """A length as it is said: 45 min, 12 h, 2 days."""
    if minutes < 120:
        return f"{minutes:g} min"
    return f"{minutes / 60:.3g} h" if minutes < 2880 else so_many(round(minutes / 1440), "day")


@dataclass(frozen=True, slots=True, kw_only=True)
class WrittenLine:
    """A line as written, what was understood of it, or why nothing was; of a line as people write
    it also its marks, and the places of what was not used."""

    number: int
    text: str
    understood: str = ""
    why: str = ""
    marks: tuple[Mark, ...] = ()
    unused: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class UnderstoodText:
    """What a text made: a recipe, perhaps with gaps; each line; what was taken for granted; what
    is asked of its maker."""

    recipe: Recipe
    lines: tuple[WrittenLine, ...]
    granted: tuple[str, ...]
    questions: tuple[OpenQuestion, ...] = ()


def read_lines(text: str, house: House, system: System = "metric") -> UnderstoodText:
    """Read a plainly written recipe.

    Parameters: text, a thing a line; house, for what a spoon weighs and the usual cut; system,
    what a bare gallon or spoon means.
    Returns: the recipe so far; it may lack what the text lacks.
    Raises nothing: a line that cannot be read is told.
    """
    reading = PlainLines(house=house, system=system)
    lines = []
    for number, raw in enumerate(text.splitlines(), 1):
        if raw.strip() and number <= MOST_LINES:
            lines.append(reading.take(number, raw[:MOST_SIGNS]))
        elif raw.strip():
            lines.append(WrittenLine(number=number, text=raw.strip()[:MOST_SIGNS], why=TOO_LONG))
    recipe, granted = reading.whole()
    missed = dict(reading.missed)
    return UnderstoodText(
        recipe=recipe,
        lines=tuple(
            replace(line, understood="", why=missed[line.number]) if line.number in missed else line
            for line in lines
        ),
        granted=granted,
    )


@dataclass(kw_only=True)
class PlainLines:
    """What has been read so far."""

    house: House
    system: System
    head: dict[str, Any] = field(default_factory=dict)
    reference: list[ReferencePart] = field(default_factory=list)
    ingredients: list[Ingredient] = field(default_factory=list)
    steps: list[RecipeStep] = field(default_factory=list)
    stages: list[Stage] = field(default_factory=list)
    wanted: dict[str, tuple[int, str]] = field(default_factory=dict)
    missed: list[tuple[int, str]] = field(default_factory=list)

    def take(self, number: int, raw: str) -> WrittenLine:
        """Read one line."""
        text = raw.strip()
        plain = re.sub(r"^(eat) (?:it )?within (?=\d)", "eat within: ", text, flags=re.I)
        try:
            understood = self._read(number, raw, plain)
        except CraftError as why:
            return WrittenLine(number=number, text=text, why=why.words)
        if understood:
            return WrittenLine(number=number, text=text, understood=understood)
        return WrittenLine(number=number, text=text, why=NOT_KNOWN)

    def _read(self, number: int, raw: str, text: str) -> str:
        labelled = self._labelled(text)
        if labelled:
            return labelled
        if not self.head and not self.begun and not re.search(r"\d", text):
            self.head["name"] = text[:80]
            return "its name"
        if raw[0].isspace() and self.steps and not self.stages and not _BULLET.match(text):
            last = self.steps[-1]
            self.steps[-1] = replace(last, words=f"{last.words} {text}".strip())
            return f"how: {last.title}"
        plain = _BULLET.sub("", text)
        care = _CARE.match(plain) or _ONCE.match(plain)
        if care and self.stages:
            return self._care(care)
        stage = _STAGE.match(plain)
        if stage and not (raw[0].isspace() and self.stages):
            return self._stage(stage[1], stage[2])
        if re.match(rf"(?:{NUM})", plain):
            return self._goes_in(plain)
        kind = kind_of_step(plain)
        if kind:
            return self._step(number, plain, kind)
        return ""

    def _labelled(self, text: str) -> str:
        """A heading, or what its label says it is; "" for other lines."""
        if text.startswith("#"):
            return self._heading(text)
        for label, read in _LABELLED:
            match = re.match(rf"(?:{label})\s*:\s*(.+)$", text, re.I)
            if match:
                return read(self, match[1].strip())
        return ""

    @property
    def begun(self) -> bool:
        """Whether anything of the recipe itself was read."""
        return bool(self.reference or self.ingredients or self.steps)

    def _heading(self, text: str) -> str:
        words = text.lstrip("#").strip()
        if text.startswith("##") or not words or "name" in self.head:
            return "a heading"
        self.head["name"] = words[:80]
        return "its name"

    # ── what goes in ──

    def _goes_in(self, text: str) -> str:
        text, _, words = text.partition(": ")
        percent = PERCENT.match(text)
        if percent:
            return self._percent(percent, words)
        said, rest = self._amount(text)
        if re.search(r"\b(?:milk|whey)\b", rest, re.I) and kind_of_thing(rest) is None:
            return self._milk(said, rest)
        thing = kind_of_thing(rest)
        if thing is None:
            raise Unknown(f"“{rest}” is nothing we know to put into milk.")
        product = product_of(rest, thing[0], thing[1])
        amount = in_its_unit(said, product, self.house, self.system)
        self._add(product, amount, product.unit, "batch", words)
        return f"{amount:.3g} {product.unit} of {product.name}"

    def _amount(self, text: str) -> tuple[str, str]:
        """The amount that a line begins with, as long as it can be read, and the rest."""
        tokens = text.split()
        for count in range(min(5, len(tokens)), 0, -1):
            said = " ".join(tokens[:count])
            for dimension in ("volume", "mass"):
                try:
                    parse_amount(said, dimension, self.system)
                except Unknown:
                    continue
                return said, " ".join(tokens[count:]).removeprefix("of ")
        for count in (2, 1):
            said = " ".join(tokens[:count])
            try:
                parse_number(said)
            except CraftError:
                continue
            return said, re.sub(r"^pieces? (?:of )?", "", " ".join(tokens[count:]))
        raise Unknown("The amount is not understood. Write it like 2 L, 1/4 tsp or 5 mL.")

    def _milk(self, said: str, rest: str) -> str:
        litres = parse_amount(said, "volume", self.system).base
        breed = next(
            b for pattern, b in BREED_WORDS if re.search(rf"\b(?:{pattern})\b", rest, re.I)
        )
        found = [
            t for pattern, t in TREATMENT_WORDS if re.search(rf"\b(?:{pattern})\b", rest, re.I)
        ]
        part = ReferencePart(
            breed=breed,
            treatment=found[0] if found else "raw",
            volume_l=litres,
            stream="whey" if "whey" in rest.lower() else "milk",
            homogenised="homogenised" in rest.lower(),
        )
        self.reference.append(part)
        heat = part.treatment.replace("_", "-") + ("" if found else ", as nothing else is said")
        return f"{litres:.3g} L of {breed.replace('_', ' ')} {part.stream}, {heat}"

    def _percent(self, match: re.Match[str], words: str) -> str:
        of = (match[2] or ("milk" if "milk" in match[3] else "curd")).lower()
        name = re.sub(r"\s*(?:of|in|on) the (?:curd|milk|cheese|rind)\b", "", match[3]).strip()
        if re.search(r"\bon the (?:cheese|rind)\b", match[3]):
            of = "cheese"
        thing = kind_of_thing(name)
        if thing is None:
            raise Unknown(f"“{name}” is nothing we know to put into milk.")
        amount = parse_number(match[1])
        basis = f"percent_of_{of}"
        self._add(product_of(name, thing[0], thing[1]), amount, "%", basis, words)
        return f"{amount:g} % of the {of}’s weight of {name}"

    def _add(self, product: Product, amount: float, unit: str, basis: Any, words: str) -> None:
        key = free_key(product.kind, {each.key for each in self.ingredients})
        self.ingredients.append(
            Ingredient(key=key, product=product, amount=amount, unit=unit, basis=basis, words=words)
        )

    # ── the make ──

    def _step(self, number: int, text: str, kind: Any) -> str:
        head, _, title = text.partition(": ")
        if not title or not re.search(r"\d", head):
            head, title = text, ""
        again = _EVERY.search(head)
        if again:
            return self._again(kind, again)
        found = Clauses(head)
        rennet_in = any("rennet" in want for _, want in self.wanted.values())
        if kind == "warm" and any(step.kind == "cut" for step in self.steps):
            kind = "heat"
        if kind == "wait" and self.steps and self.steps[-1].kind == "cut":
            kind = "heal"
        sign = re.search(r"\b(?:until|till) (.+)$", head, re.I)
        usual, by_hand = USUAL_MINUTES[kind]
        minutes = usual if found.minutes is None else found.minutes
        hands = minutes if by_hand == usual else by_hand
        clock, asks = "fixed", ("weight",) if "weigh" in head.lower() else ()
        if kind == "test" or "by the flocks" in head:
            kind, clock, asks = "test", "flocculation", ("flocks",)
        elif kind == "wait" and rennet_in and re.search(r"\bset|break|by the cut", head, re.I):
            clock = "cut"
        step = RecipeStep(
            key=free_key(kind.replace(" ", "-"), {each.key for each in self.steps}),
            kind=kind,
            title=(title or head[:1].upper() + head[1:])[:120],
            minutes=minutes,
            hands_on_minutes=min(minutes, hands if found.hands is None else found.hands),
            clock=clock,  # type: ignore[arg-type]
            celsius=found.celsius,
            ph=found.ph,
            sign=sign[1][:1].upper() + sign[1][1:] if sign else "",
            cut_mm=found.cut_mm if kind == "cut" else None,
            load_kg=found.load_kg if kind == "press" else None,
            may_stretch_minutes=found.longer,
            asks=asks,  # type: ignore[arg-type]
        )
        self.steps.append(step)
        adds = re.search(r"(?:^|\b)(?:adds?|sprinkle|stir in|mix in|pour in)\s+(.+)$", head, re.I)
        if kind == "salt" and not adds:
            self.wanted[step.key] = (number, "salt")
        elif adds and kind != "add water":
            self.wanted[step.key] = (number, adds[1].lower())
        taken = "" if found.minutes is not None else ", as nothing else is said"
        said = [
            found.celsius and f"{found.celsius.target:.3g} °C",
            found.ph and f"pH {found.ph.target:g}",
            step.cut_mm and f"{step.cut_mm:.3g} mm",
            step.load_kg and f"{step.load_kg:.3g} kg on it",
            step.sign and f"until: {step.sign}",
        ]
        return ", ".join([f"{kind}, {_long(minutes)}{taken}", *(each for each in said if each)])

    def _again(self, kind: str, again: re.Match[str]) -> str:
        """What is done every so often is a care where it ripens, and no step of the make."""
        if not self.stages or again[2].startswith("h"):
            raise Unknown(
                "What is done again and again belongs behind a place to ripen, like every 2 days: "
                "turn it. In the make, write how long it goes on in all."
            )
        every, stage = max(1, round(parse_number(again[1] or "1"))), self.stages[-1]
        words = {"turn": "turn it", "salt": "salt it"}.get(kind, kind)
        key = free_key("care", {each.key for each in stage.cares})
        care = Care(key=key, words=words, every_days=every, from_day=0, matters="daily")
        self.stages[-1] = replace(stage, cares=(*stage.cares, care))
        return f"a care: {words}, every {so_many(every, 'day')}"

    def _of_step(self, change: Callable[[RecipeStep], RecipeStep]) -> str:
        """The step before, changed. Raises Unknown where none stands before it."""
        if not self.steps:
            raise Unknown("This belongs to a step, and none stands before it.")
        self.steps[-1] = change(self.steps[-1])
        return f"of the step before: {self.steps[-1].title}"

    def _sign(self, words: str) -> str:
        return self._of_step(lambda step: replace(step, sign=words))

    def _goes_wrong(self, words: str) -> str:
        return self._of_step(lambda step: replace(step, goes_wrong=words))

    def _leave(self, words: str) -> str:
        return self._of_step(lambda step: replace(step, leave=leave_of(words)))

    def _asks(self, words: str) -> str:
        said = re.split(r"[\s,]+", words.lower())
        asks = tuple(_ASKS[each] for each in said if each in _ASKS)
        return self._of_step(lambda step: replace(step, asks=asks))

    # ── the cave ──

    def _stage(self, length: str, rest: str) -> str:
        found = Clauses(rest)
        if found.celsius is None:
            raise Unknown("How warm? Write it like ripen 60 days at 12 C, 85 %, in the cave.")
        days = _days(length)
        place, _, ends = found.left.partition("until ")
        place = re.sub(r"^(?:(?:at|in|on|the)\b|[\s,:])+", "", place).rstrip(" ,:")[:80] or "cave"
        key = free_key("stage", {each.key for each in self.stages})
        self.stages.append(
            Stage(
                key=key,
                place=place,
                celsius=found.celsius,
                days=days,
                cares=(),
                ends_when=ends.strip() or "asked for",
                humidity_pct=found.humidity,
            )
        )
        damp = f", {found.humidity.target:g} % humid" if found.humidity else ""
        return f"ripening, {so_many(days, 'day')} at {found.celsius.target:.3g} °C{damp}, {place}"

    def _care(self, match: re.Match[str]) -> str:
        stage = self.stages[-1]
        once = match[1] == "once"
        care = Care(
            key=free_key("care", {each.key for each in stage.cares}),
            words=match[4].strip(),
            every_days=1 if once else max(1, _days(match[1] or "1")),
            from_day=_days(match[2] or "0"),
            matters="once" if once or match[3] == "once" else match[3] or "daily",  # type: ignore[arg-type]
        )
        self.stages[-1] = replace(stage, cares=(*stage.cares, care))
        return f"a care: {care.words}"

    # ── what stands over it all ──

    def _family(self, words: str) -> str:
        plain = re.sub(r"[^a-z]+", " ", words.lower()).strip()
        for key, name in FAMILIES.items():
            if plain in (key.replace("_", " "), re.sub(r"[^a-z]+", " ", name).strip()):
                self.head["family"] = key
                return f"family: {name}"
        raise Unknown(f"“{words}” is no family we know: {', '.join(FAMILIES.values())}.")

    def _number_of(self, part: str, words: str) -> str:
        match = re.search(NUM, words)
        if not match:
            raise Unknown(f"There is no number in “{words}”.")
        self.head[part] = parse_number(match[0])
        return f"{part.replace('_', ' ')}: {self.head[part]:g}"

    def _rennet_at(self, words: str) -> str:
        warm = Clauses(words).celsius
        if warm is None:
            raise Unknown("Write it like Rennet at: 31 C.")
        self.head["renneting_c"] = warm.target
        return f"rennet goes in at {warm.target:.3g} °C"

    def _eat_by(self, words: str) -> str:
        self.head["eat_by_days"] = _days(words)
        return f"to be eaten within {so_many(self.head['eat_by_days'], 'day')}"

    def _put(self, part: str) -> Callable[[str], str]:
        def put(words: str) -> str:
            self.head[part] = words
            return part.replace("_", " ")

        return put

    # ── the whole ──

    def whole(self) -> tuple[Recipe, tuple[str, ...]]:
        """The recipe that the lines make, and what was taken for granted."""
        granted = []
        for key, (number, want) in self.wanted.items():
            self._put_in(key, number, want)
        family = self.head.get("family")
        if family is None:
            family = guess_family(self.reference, self.ingredients, self.steps)
            granted.append(f"Family: {FAMILIES[family]}, by what goes in and what is done.")
        head = {"name": "A recipe without a name", "words": "", "eat_by_days": 0, **self.head}
        head["family"] = family
        renneted = any(each.product.kind == "rennet" for each in self.ingredients)
        if renneted and "renneting_c" not in head:
            head["renneting_c"] = self._warmth_at_rennet()
            if head["renneting_c"] is not None:
                granted.append(f"Rennet at {head['renneting_c']:.3g} °C, the warmth before it.")
        usual = f"cut.usual_{family}"
        if renneted and "cut_multiplier" not in head and usual in shipped():
            head["cut_multiplier"] = self.house.number(usual)
            granted.append(
                f"Cut at {head['cut_multiplier']:g} times the flocks, usual of its family."
            )
        recipe = Recipe(
            key=slug(head["name"]),
            reference=tuple(self.reference),
            ingredients=tuple(self.ingredients),
            steps=tuple(self.steps),
            stages=tuple(self.stages),
            **head,
        )
        return recipe, tuple(granted)

    def _put_in(self, step_key: str, number: int, want: str) -> None:
        at = next(i for i, step in enumerate(self.steps) if step.key == step_key)
        before = {key for step in self.steps for key in step.adds}
        named = [
            e.key
            for e in self.ingredients
            if e.key not in before and e.product.name.lower() in want
        ]
        adds = named
        for each in () if named else re.split(r",? and (?:the )?|, ", want):
            found = among(each, [one for one in self.ingredients if one.key not in before])
            if found and found not in adds:
                adds.append(found)
        self.steps[at] = replace(self.steps[at], adds=tuple(adds))
        if not adds and self.steps[at].kind == "add":
            self.missed.append(
                (
                    number,
                    f"“{want}” is not among what goes in: write its amount on a line of its own.",
                )
            )

    def _warmth_at_rennet(self) -> float | None:
        warm = None
        rennets = {each.key for each in self.ingredients if each.product.kind == "rennet"}
        for step in self.steps:
            warm = step.celsius.target if step.celsius else warm
            if rennets & set(step.adds):
                break
        return warm if warm is not None and 10 <= warm <= 45 else None


def _days(words: str) -> int:
    days = round(parse_minutes(words, "d") / 1440)
    if days > MOST_DAYS:
        raise OutOfRange(f"{days} days is longer than anybody waits.")
    return days


_LABELLED: tuple[tuple[str, Callable[[PlainLines, str], str]], ...] = (
    ("name", lambda reading, words: reading._put("name")(words[:80])),
    ("family", PlainLines._family),
    ("about", lambda reading, words: reading._put("words")(words)),
    ("rennet at", PlainLines._rennet_at),
    ("cut at", lambda reading, words: reading._number_of("cut_multiplier", words)),
    ("ripened by", lambda reading, words: reading._number_of("ripening_ph_drop", words)),
    ("acid to", lambda reading, words: reading._number_of("acid_target_ph", words)),
    ("eat within", PlainLines._eat_by),
    ("ready", lambda reading, words: reading._put("ready_words")(words)),
    ("whose", lambda reading, words: reading._put("whose")(words)),
    ("other milks", lambda reading, words: reading._put("other_milks")(words)),
    ("look for", PlainLines._sign),
    ("if it goes wrong", PlainLines._goes_wrong),
    ("may be left", PlainLines._leave),
    ("asks", PlainLines._asks),
)
