"""What a text leaves out: as its maker answers, else as is usual, else it is missed."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace

from openpail.craft.errors import CraftError
from openpail.craft.recipe.cares import kind_of
from openpail.craft.recipe.recipe import Family, RecipeStep, Stage
from openpail.craft.stock.products import KIND_WORDS, Kind
from openpail.craft.units import so_many
from openpail.formats.line_parts import guess_family
from openpail.formats.recipe_words import FAMILIES, PLAIN, USUAL_MINUTES, free_key
from openpail.formats.written.amounts import milk_of, stirred
from openpail.formats.written.asked import OpenQuestion
from openpail.formats.written.clauses import clauses
from openpail.formats.written.draft import WrittenDraft
from openpail.formats.written.goes_in import add_thing, amount_of, milks_of
from openpail.formats.written.lexicon import CARES
from openpail.formats.written.usual import usual_amount, usual_stages

_NOWHERE = (
    "What is done again and again belongs behind a place to ripen, like every 2 days: turn it."
)
_MILK_LIKE, _AMOUNT_LIKE = "20 L raw goat milk", "4 mL or 1/4 tsp"
_FRESH: frozenset[Family] = frozenset(
    {"acid_heat_soft", "acid_heat_pressed", "whey", "lactic", "stretched_quick", "grilling"}
)
_RIPENS_DAYS = 14
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


def fill_gaps(draft: WrittenDraft) -> None:
    """Fill in what can be filled in, and ask for what a maker would ask for."""
    draft.missed += [(number, _NOWHERE) for number, _ in draft.pending]
    _milk_asked(draft)
    _family_found(draft)
    _amounts_found(draft)
    _parted(draft)
    _stirred_in(draft)
    _ripened(draft)


def _milk_asked(draft: WrittenDraft) -> None:
    if draft.reference:
        return
    given = draft.ask(
        OpenQuestion(key="milk", words="How much milk is it for, and whose?", example=_MILK_LIKE)
    )
    if not given:
        return
    found = clauses(given, draft.system)
    if not found or not milk_of(found[0]):
        draft.refuse("milk", f"Write it like {_MILK_LIKE}.")
        return
    draft.milk_l = milk_of(found[0])
    milks_of(draft, found[0])


def _family_found(draft: WrittenDraft) -> None:
    if "family" in draft.head:
        return
    name = draft.head.get("name", "")
    named = next((f for p, f in _FAMILY_WORDS if re.search(rf"\b(?:{p})\b", name, re.I)), None)
    if named:
        draft.head["family"] = named
        draft.usual.append("family")
        draft.granted.append(f"Family: {FAMILIES[named]}, by its name.")
        return
    guess = guess_family(draft.reference, draft.ingredients, draft.steps)
    in_air = sum(stage.days for stage in draft.stages if stage.brine_pct is None)
    if guess == "white_brined" and in_air >= _RIPENS_DAYS:
        guess = "tomme"  # it lies in air, and not in its brine
    rest = [each for each in FAMILIES if each != guess]
    choices = tuple((each, f"{FAMILIES[each]}: {PLAIN[each]}") for each in (guess, *rest))
    given = draft.ask(
        OpenQuestion(key="family", words="What sort of cheese is it?", choices=choices, usual=guess)
    )
    draft.head["family"] = given or guess
    if not given:
        draft.usual.append("family")
        draft.granted.append(f"Family: {FAMILIES[guess]}, by what goes in and what is done.")


def _amounts_found(draft: WrittenDraft) -> None:
    """How much of what the make stirs in and nobody weighed."""
    for kind in dict.fromkeys(_lacking(draft)):
        key, usual = f"amount-{kind}", None
        if draft.milk_l and not _numbered(draft, kind):
            usual = usual_amount(draft.head["family"], kind, draft.milk_l)
        told = ""
        if usual:
            unit = "%" if usual.basis != "batch" else usual.product.unit
            told = f"{usual.amount:g} {unit} of {usual.product.name}"
        words = f"How much {KIND_WORDS[kind]}?"
        given = draft.ask(OpenQuestion(key=key, words=words, example=_AMOUNT_LIKE, usual=told))
        if given and _answered(draft, key, given, kind):
            continue
        if usual:
            usual_key = free_key(kind, {e.key for e in draft.ingredients})
            draft.ingredients.append(replace(usual, key=usual_key))
            draft.usual.append(f"ingredients/{usual_key}")
            family = FAMILIES[draft.head["family"]]
            draft.granted.append(f"{told[:1].upper()}{told[1:]}, usual for {family}.")


def _parted(draft: WrittenDraft) -> None:
    """What two steps give a part of each is two things; what one gives in parts says so."""
    for number, each in enumerate(list(draft.ingredients)):
        kind = each.product.kind
        count, by_days = draft.in_goes.get(kind, (2 if kind in draft.in_parts else 1, False))
        if count > 1:
            parts = {"days": count} if by_days else {"portions": count}
            draft.ingredients[number] = replace(each, **parts)  # type: ignore[arg-type]
        share = draft.parted.pop(kind, None)
        if share and each.basis == "batch":
            draft.ingredients[number] = replace(each, amount=round(each.amount * share, 6))
            key = free_key(kind, {e.key for e in draft.ingredients})
            rest = replace(each, key=key, amount=round(each.amount * (1 - share), 6))
            draft.ingredients.append(rest)


def _lacking(draft: WrittenDraft) -> Iterator[Kind]:
    known = {each.product.kind for each in draft.ingredients}
    yield from (kind for kind in draft.unweighed if kind not in known)
    for key, (_, want) in draft.wanted.items():
        step = next(each for each in draft.steps if each.key == key)
        for kind in want.split(" and "):
            if kind not in known and (step.kind == "add" or kind != "salt"):
                yield kind  # type: ignore[misc]


def _numbered(draft: WrittenDraft, kind: Kind) -> bool:
    """Whether a line that names a kind has a number that was not used: no guess replaces it."""
    if draft.unweighed.get(kind) in draft.struck:
        return True
    return any(
        kind in want.split(" and ") and number in draft.struck
        for number, want in draft.wanted.values()
    )


def _answered(draft: WrittenDraft, key: str, given: str, kind: Kind) -> bool:
    found = clauses(f"{given} {KIND_WORDS[kind].split(' or ')[0]}", draft.system)
    try:
        if not found or not stirred(found[0]) or not amount_of(draft, found[0]):
            draft.refuse(key, f"Write it like {_AMOUNT_LIKE}.")
            return False
        add_thing(draft, replace(found[0], things=((kind, found[0].things[0][1]),)))
    except CraftError as why:
        draft.refuse(key, why.words)
        return False
    return True


def _stirred_in(draft: WrittenDraft) -> None:
    """What a list leaves out: that culture goes in before it ripens, rennet before it sets."""
    wanted = {kind for _, want in draft.wanted.values() for kind in want.split(" and ")}
    at = {
        "ripens": next((n for n, s in enumerate(draft.steps) if s.kind == "wait"), None),
        "sets": next((n for n, s in enumerate(draft.steps) if _sets(s)), None),
    }
    for kinds, before, words in _LEFT_OUT:
        here = at[before]
        left = [
            e.product.kind
            for e in draft.ingredients
            if e.product.kind in kinds and e.product.kind not in wanted
        ]
        if not left or here is None:
            continue
        key = free_key("add", {each.key for each in draft.steps})
        long, by_hand = USUAL_MINUTES["add"]
        title = f"Stir in the {' and '.join(dict.fromkeys(left))}"
        draft.steps.insert(
            here,
            RecipeStep(key=key, kind="add", title=title, minutes=long, hands_on_minutes=by_hand),
        )
        draft.wanted[key] = (0, " and ".join(dict.fromkeys(left)))
        draft.usual.append(f"steps/{key}")
        draft.granted.append(f"{words}, as nothing else is said.")


def _ripened(draft: WrittenDraft) -> None:
    """Where it ripens, where nothing says so."""
    stages = tuple(_as_allowed(draft, each) for each in usual_stages(draft.head["family"]))
    if draft.stages or not stages or not draft.steps or "eat_by_days" in draft.head:
        return
    told = "; ".join(_of_stage(each) for each in stages)
    choices = [("usual", f"as usual: {told}"), ("fresh", "it is eaten fresh")]
    done = {each.kind for each in draft.steps}
    if draft.head["family"] in _FRESH or not done & _AGED_STEPS:
        choices.reverse()
    key, usual = "ripens", choices[0][0]
    given = draft.ask(
        OpenQuestion(key=key, words="Where does it ripen?", choices=tuple(choices), usual=usual)
    )
    if (given or usual) == "usual":
        draft.stages += stages
        draft.usual.append("stages")
    if not given:
        family = FAMILIES[draft.head["family"]]
        how = f"Ripening, usual for {family}: {told}." if usual == "usual" else ""
        draft.granted.append(how or "It is eaten fresh, as no place to ripen is named.")


def _as_allowed(draft: WrittenDraft, stage: Stage) -> Stage:
    """A usual place without the cares that the text forbids."""
    banned = {
        kind
        for words in draft.bans
        for pattern, kind in CARES
        if re.search(rf"\b(?:{pattern})\b", words, re.I)
    }
    kept = tuple(each for each in stage.cares if kind_of(each) not in banned)
    return replace(stage, cares=kept)


def _sets(step: RecipeStep) -> bool:
    """Whether the curd sets in a step, or is cut because it has."""
    is_left = step.kind == "wait" and re.search(r"\b(?:set|clean break|curd)\b", step.title, re.I)
    return step.clock != "fixed" or step.kind == "cut" or bool(is_left)


def _of_stage(stage: Stage) -> str:
    damp = f", {stage.humidity_pct.target:g} % humid" if stage.humidity_pct else ""
    return f"{stage.place}, {so_many(stage.days, 'day')} at {stage.celsius.target:g} °C{damp}"
