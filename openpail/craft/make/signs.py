"""The signs that hand, eye and nose know: each a ladder of words, with where a recipe wants it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from openpail.craft.errors import Unknown
from openpail.craft.make.deeds import FeltOf, Look
from openpail.craft.recipe.recipe import Family, Recipe, RecipeStep, StepKind


@dataclass(frozen=True, slots=True)
class Ladder:
    """The words of one sign, from its beginning on: key and words."""

    of: FeltOf
    title: str
    rungs: tuple[tuple[str, str], ...]


LADDERS: Mapping[FeltOf, Ladder] = {
    each.of: each
    for each in (
        Ladder(
            "curd",
            "The curd",
            (
                ("jelly", "jelly"),
                ("soft", "soft, shiny"),
                ("skinned", "skinned"),
                ("springy", "springy, matt"),
                ("grainy", "like cottage cheese"),
                ("raisin", "like raisins"),
                ("squeaky", "squeaky, dry"),
            ),
        ),
        Ladder(
            "squeeze",
            "A handful, squeezed",
            (
                ("apart", "falls apart"),
                ("crumbles", "holds, crumbles under the thumb"),
                ("lump", "holds as a lump, rubbery"),
            ),
        ),
        Ladder(
            "whey",
            "The whey",
            (("milky", "milky"), ("cloudy", "cloudy"), ("clear", "clear, yellow-green")),
        ),
        Ladder(
            "smell",
            "The smell",
            (
                ("sweet", "sweet milk"),
                ("yoghurt", "yoghurt"),
                ("butter", "butter"),
                ("yeast", "yeast"),
                ("bread", "bread"),
                ("foul", "sour or foul"),
            ),
        ),
        Ladder(
            "stretch",
            "A test piece, pulled",
            (
                ("tears", "tears, short"),
                ("dull", "stretches, dull"),
                ("silk", "long as silk"),
                ("fat", "dull, fat comes out"),
            ),
        ),
        Ladder(
            "run",
            "The whey under the press",
            (
                ("stream", "a stream"),
                ("drip", "a slow steady drip"),
                ("still", "hardly a drop"),
                ("milky", "milky: too hard, too soon"),
            ),
        ),
        Ladder(
            "rind",
            "The rind",
            (
                ("open", "open, with cracks"),
                ("closed", "closed and smooth"),
                ("torn", "torn off with the cloth"),
                ("breaks", "breaks when it is turned"),
                ("weave", "weave or lint of the cloth"),
                ("stain", "a whey stain"),
            ),
        ),
        Ladder(
            "touch",
            "The rind, touched",
            (
                ("wet", "wet"),
                ("tacky", "tacky"),
                ("dry", "touch-dry"),
                ("greasy", "greasy, fat comes out"),
            ),
        ),
    )
}
LOOKS: Mapping[Look, str] = {
    "liquid": "liquid",
    "soft": "soft, a jagged break, cloudy whey",
    "clean": "a clean break, clear whey",
    "over": "over-firm, splits",
}
# How far the curd has come when its stirring ends.
_STIRRED: Mapping[Family, str] = {
    **dict.fromkeys(("blue", "white_brined", "bloomy", "stretched", "stretched_quick"), "skinned"),
    **dict.fromkeys(("grilling", "washed_rind"), "springy"),
    **dict.fromkeys(("washed_curd", "small_eyed", "tomme", "stirred_curd", "cheddared"), "grainy"),
    "alpine": "raisin",
    "hard_grating": "raisin",
}
_DRIES_MIN = 240.0
_AT: Mapping[StepKind, tuple[FeltOf, ...]] = {
    **dict.fromkeys(("cut", "heal"), ("whey", "curd")),
    **dict.fromkeys(("stir", "heat", "hold", "add water"), ("curd", "squeeze", "whey")),
    **dict.fromkeys(("settle", "take whey off"), ("squeeze", "whey")),
    **dict.fromkeys(("drain", "cheddar", "hang", "mould"), ("squeeze", "whey", "smell")),
    "press": ("run", "rind"),
    "turn": ("rind",),
    "dry": ("touch",),
    "wait": ("smell",),
    "stretch": ("stretch",),
}


def check_sign(of: FeltOf, sign: str) -> None:
    """Refuse a word that is on no ladder.

    Parameters: of, which ladder; sign, a key of it. Raises: Unknown.
    """
    if sign not in {key for key, _ in LADDERS[of].rungs}:
        raise Unknown(f"“{sign}” is no sign of this.", "sign")


def words_of(of: FeltOf, sign: str) -> str:
    """A sign in words.

    Parameters: of, which ladder; sign, a key of it. Raises: Unknown.
    """
    check_sign(of, sign)
    return dict(LADDERS[of].rungs)[sign]


def asked_at(recipe: Recipe, step: RecipeStep) -> tuple[Ladder, ...]:
    """The ladders that speak at a step, the most telling first.

    Parameters: recipe; step, one of its own. Source: usual practice.
    """
    acids = {each.key for each in recipe.ingredients if each.product.kind == "acid"}
    found = ("whey",) if acids & set(step.adds) else _AT.get(step.kind, ())
    if step.kind == "dry" and step.minutes < _DRIES_MIN:  # it is only weighed
        found = ()
    has_curd = recipe.ingredient("rennet") is not None
    return tuple(LADDERS[of] for of in found if has_curd or of in ("whey", "smell"))


def wanted(recipe: Recipe, step: RecipeStep, of: FeltOf) -> str | None:
    """The rung that a sign should have reached when a step ends, None where nothing is usual.

    Parameters: recipe; step, one of its own; of, which ladder. Source: our own judgement.
    """
    stirring = [each.key for each in recipe.steps if each.kind in ("stir", "heat", "add water")]
    last = bool(stirring) and step.key == stirring[-1]
    match of:
        case "curd" if step.kind == "heal":
            return "skinned"
        case "curd" if last:
            return _STIRRED.get(recipe.family)
        case "squeeze" if last or step.kind in ("settle", "take whey off"):
            return "crumbles"
        case "whey" if step.kind in ("cut", "heal", "stir", "heat") or recipe.ingredient("acid"):
            return "clear"
        case "stretch":
            return "silk"
        case "run" if step.kind == "press":
            return "drip"
        case "rind":
            return "closed"
        case "touch":
            return "dry"
    return None
