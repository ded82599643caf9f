"""What a text leaves out: as its maker answers, else as is usual, else it is missed."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace

from openpail.craft.errors import CraftError
from openpail.craft.recipe.recipe import Family, RecipeStep, Stage
from openpail.craft.stock.products import KIND_WORDS, Kind
from openpail.craft.units import so_many
from openpail.formats.line_parts import guess_family
from openpail.formats.recipe_words import FAMILIES, PLAIN, USUAL_MINUTES, free_key
from openpail.formats.written.amounts import milk_of, stirred
from openpail.formats.written.asked import OpenQuestion, in_order
from openpail.formats.written.clauses import clauses
from openpail.formats.written.ripens import WrittenCave
from openpail.formats.written.usual import usual_amount, usual_stages

_NOWHERE = (
    "What is done again and again belongs behind a place to ripen, like every 2 days: turn it."
)
_MILK_LIKE, _AMOUNT_LIKE = "20 L raw goat milk", "4 mL or 1/4 tsp"
_FRESH: frozenset[Family] = frozenset(
    {"acid_heat_soft", "acid_heat_pressed", "whey", "lactic", "stretched_quick", "grilling"}
)
_AGED_STEPS = frozenset({"press", "brine"})
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
# What stands nowhere in the make although it goes in: before what it goes in.
_LEFT_OUT: tuple[tuple[frozenset[Kind], str, str], ...] = (
    (frozenset({"rennet"}), "sets", "Rennet goes in before it sets"),
    (
        frozenset({"culture", "mould", "lipase", "colour", "calcium"}),
        "ripens",
        "What ripens and colours it goes in before it is left",
    ),
)


@dataclass
class WrittenGaps(WrittenCave):
    """What the text leaves out."""

    def finish(self) -> None:
        """Fill in what can be filled in, and ask for what a maker would ask for."""
        self.missed += [(number, _NOWHERE) for number, _ in self.pending]
        self._milk_asked()
        self._family_found()
        self._amounts_found()
        self._stirred_in()
        self._ripened()

    def questions(self) -> tuple[OpenQuestion, ...]:
        """What is asked, in the order of the work."""
        return in_order(self.open.values())

    def _refuse(self, key: str, wrong: str) -> None:
        self.open[key] = replace(self.open[key], wrong=wrong)

    def _milk_asked(self) -> None:
        if self.reference:
            return
        given = self.ask(
            OpenQuestion(
                key="milk", words="How much milk is it for, and whose?", example=_MILK_LIKE
            )
        )
        if not given:
            return
        found = clauses(given, self.system)
        if not found or not milk_of(found[0]):
            self._refuse("milk", f"Write it like {_MILK_LIKE}.")
            return
        self.milk_l = milk_of(found[0])
        self._milks(found[0])

    def _family_found(self) -> None:
        if "family" in self.head:
            return
        name = self.head.get("name", "")
        named = next((f for p, f in _FAMILY_WORDS if re.search(rf"\b(?:{p})\b", name, re.I)), None)
        if named:
            self.head["family"] = named
            self.granted.append(f"Family: {FAMILIES[named]}, by its name.")
            return
        guess = guess_family(self.reference, self.ingredients, self.steps)
        rest = [each for each in FAMILIES if each != guess]
        choices = tuple((each, f"{FAMILIES[each]}: {PLAIN[each]}") for each in (guess, *rest))
        given = self.ask(
            OpenQuestion(
                key="family", words="What sort of cheese is it?", choices=choices, usual=guess
            )
        )
        self.head["family"] = given or guess
        if not given:
            self.granted.append(f"Family: {FAMILIES[guess]}, by what goes in and what is done.")

    # ── amounts ──

    def _amounts_found(self) -> None:
        """How much of what the make stirs in and nobody weighed."""
        for kind in dict.fromkeys(self._lacking()):
            key, usual = f"amount-{kind}", None
            if self.milk_l and not self._numbered(kind):
                usual = usual_amount(self.head["family"], kind, self.milk_l)
            told = ""
            if usual:
                unit = "%" if usual.basis != "batch" else usual.product.unit
                told = f"{usual.amount:g} {unit} of {usual.product.name}"
            words = f"How much {KIND_WORDS[kind]}?"
            given = self.ask(OpenQuestion(key=key, words=words, example=_AMOUNT_LIKE, usual=told))
            if given and self._answered(key, given, kind):
                continue
            if usual:
                self.ingredients.append(
                    replace(usual, key=free_key(kind, {e.key for e in self.ingredients}))
                )
                family = FAMILIES[self.head["family"]]
                self.granted.append(f"{told[:1].upper()}{told[1:]}, usual for {family}.")

    def _lacking(self) -> Iterator[Kind]:
        known = {each.product.kind for each in self.ingredients}
        yield from (kind for kind in self.unweighed if kind not in known)
        for key, (_, want) in self.wanted.items():
            step = next(each for each in self.steps if each.key == key)
            for kind in want.split(" and "):
                if kind not in known and (step.kind == "add" or kind != "salt"):
                    yield kind  # type: ignore[misc]

    def _numbered(self, kind: Kind) -> bool:
        """Whether a line that names a kind has a number that was not used: no guess replaces it."""
        if self.unweighed.get(kind) in self.struck:
            return True
        return any(
            kind in want.split(" and ") and number in self.struck
            for number, want in self.wanted.values()
        )

    def _answered(self, key: str, given: str, kind: Kind) -> bool:
        found = clauses(f"{given} {KIND_WORDS[kind].split(' or ')[0]}", self.system)
        try:
            if not found or not stirred(found[0]) or not self._amount_of(found[0]):
                self._refuse(key, f"Write it like {_AMOUNT_LIKE}.")
                return False
            self._added(replace(found[0], things=((kind, found[0].things[0][1]),)))
        except CraftError as why:
            self._refuse(key, why.words)
            return False
        return True

    # ── what is done ──

    def _stirred_in(self) -> None:
        """What a list leaves out: that culture goes in before it ripens, rennet before it sets."""
        wanted = {kind for _, want in self.wanted.values() for kind in want.split(" and ")}
        at = {
            "ripens": next((n for n, s in enumerate(self.steps) if s.kind == "wait"), None),
            "sets": next((n for n, s in enumerate(self.steps) if _sets(s)), None),
        }
        for kinds, before, words in _LEFT_OUT:
            here = at[before]
            left = [
                e.product.kind
                for e in self.ingredients
                if e.product.kind in kinds and e.product.kind not in wanted
            ]
            if not left or here is None:
                continue
            key = free_key("add", {each.key for each in self.steps})
            long, by_hand = USUAL_MINUTES["add"]
            title = f"Stir in the {' and '.join(dict.fromkeys(left))}"
            self.steps.insert(
                here,
                RecipeStep(
                    key=key, kind="add", title=title, minutes=long, hands_on_minutes=by_hand
                ),
            )
            self.wanted[key] = (0, " and ".join(dict.fromkeys(left)))
            self.granted.append(f"{words}, as nothing else is said.")

    def _ripened(self) -> None:
        """Where it ripens, where nothing says so."""
        stages = usual_stages(self.head["family"])
        if self.stages or not stages or not self.steps or "eat_by_days" in self.head:
            return
        told = "; ".join(_of_stage(each) for each in stages)
        choices = [("usual", f"as usual: {told}"), ("fresh", "it is eaten fresh")]
        done = {each.kind for each in self.steps}
        if self.head["family"] in _FRESH or not done & _AGED_STEPS:
            choices.reverse()
        key, usual = "ripens", choices[0][0]
        given = self.ask(
            OpenQuestion(key=key, words="Where does it ripen?", choices=tuple(choices), usual=usual)
        )
        if (given or usual) == "usual":
            self.stages += stages
        if not given:
            family = FAMILIES[self.head["family"]]
            how = f"Ripening, usual for {family}: {told}." if usual == "usual" else ""
            self.granted.append(how or "It is eaten fresh, as no place to ripen is named.")


def _sets(step: RecipeStep) -> bool:
    """Whether the curd sets in a step, or is cut because it has."""
    is_left = step.kind == "wait" and re.search(r"\b(?:set|clean break|curd)\b", step.title, re.I)
    return step.clock != "fixed" or step.kind == "cut" or bool(is_left)


def _of_stage(stage: Stage) -> str:
    damp = f", {stage.humidity_pct.target:g} % humid" if stage.humidity_pct else ""
    return f"{stage.place}, {so_many(stage.days, 'day')} at {stage.celsius.target:g} °C{damp}"
