"""Signs of ripening that are seen or felt: what they are called step by step, what they mean."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from openpail.craft.cave.course import PieceCourse
from openpail.craft.cave.keep import FRESH
from openpail.craft.errors import OutOfRange, Unknown
from openpail.craft.marks import Mark, Marks
from openpail.craft.recipe.recipe import EndSign, Recipe


@dataclass(frozen=True, slots=True, kw_only=True)
class RipeSign:
    """A sign from its beginning to too far.

    asks: the question; steps: from first to last in words; ends: the step that ends a stage, from
    which on it is there; over: the step that is too much, None where there is none; over_words:
    what to do then.
    """

    key: str
    asks: str
    steps: tuple[str, ...]
    ends: int
    over: int | None = None
    over_words: str = ""


STRANGE = "strange"
SIGNS: Mapping[str, RipeSign] = {
    each.key: each
    for each in (
        RipeSign(
            key="dry",
            asks="How does the rind feel?",
            steps=("wet", "damp, sticks to the finger", "tacky", "touch-dry", "cracked"),
            ends=3,
            over=4,
            over_words=(
                "So dry a room cracks it: rub a little fat or brine into it, and move it damper."
            ),
        ),
        RipeSign(
            key="bloom",
            asks="How far is the bloom?",
            steps=(
                "bare",
                "first down",
                "white in patches",
                "white all over",
                "thick felt, lifting",
            ),
            ends=3,
            over=4,
            over_words="The skin slips: colder and drier now, and eat it soon.",
        ),
        RipeSign(
            key="smear",
            asks="How is the smear?",
            steps=(
                "bare",
                "slippery, pale",
                "tan, sticky",
                "orange, tacky all over",
                "wet and running",
            ),
            ends=3,
            over=4,
            over_words="Too wet: leave two washes out, and give it air.",
        ),
        RipeSign(
            key="thumb",
            asks="What does the thumb feel?",
            steps=(
                "hard",
                "springs back",
                "gives at the edge",
                "gives to the centre",
                "soft all through",
            ),
            ends=2,
            over=4,
            over_words="It is over: eat it today or tomorrow, or put it to the compost.",
        ),
        RipeSign(
            key="round",
            asks="How round is it?",
            steps=("flat", "a little round", "round, hollow when knocked", "split"),
            ends=2,
            over=3,
            over_words="A split lets the gas out: to the cold with it, and eat that one first.",
        ),
        RipeSign(
            key="blue",
            asks="Where is the blue?",
            steps=("none", "at the rind", "in some holes", "in every hole"),
            ends=2,
        ),
        RipeSign(
            key="grey",
            asks="How grey is it?",
            steps=("bare", "grey here and there", "grey all over"),
            ends=2,
        ),
        RipeSign(
            key="bag",
            asks="How does the bag sit?",
            steps=("tight", "a little loose", "blown like a cushion"),
            ends=0,
            over=2,
            over_words="Gas: open it, smell it, and discard it when in doubt.",
        ),
        RipeSign(
            key="faces",
            asks="How are its faces, out of the brine?",
            steps=("firm and dry to the hand", "a little soft", "soft, slimy"),
            ends=0,
            over=2,
            over_words=(
                "Its brine takes more from it than it gives: read its salt, its pH and its calcium "
                "and bring them to the cheese’s own. Trim the soft faces, eat this one first."
            ),
        ),
        RipeSign(
            key=STRANGE,
            asks="Does anything grow that should not?",
            steps=(
                "nothing",
                "a few blue or green spots",
                "pink or red",
                "black and slimy",
                "long hair",
            ),
            ends=0,
            over=2,
            over_words=(
                "Not on this cheese: keep it apart, look at its fellows, discard it when in doubt."
            ),
        ),
    )
}


# What a recipe may name for the end of a stage.
SIGN_WORDS: Mapping[EndSign, str] = {
    "dry": "a touch-dry rind",
    "bloom": "the white bloom",
    "smear": "the smear",
    "grey": "the grey rind",
    "blue": "the blue",
    "round": "how it rounds up",
    "thumb": "the thumb",
}


def spots_stop(recipe: Recipe) -> bool:
    """Whether any blue, green or grey spot ends a cheese: unripened and moist, threads and toxins
    go through all of it; not where its plan names a mould.

    Parameters: recipe. Source: handbook of safety.
    """
    if any(each.product.kind == "mould" for each in recipe.ingredients):
        return False
    brined = any(stage.brine_pct for stage in recipe.stages)
    return recipe.family in FRESH or recipe.family in ("lactic", "stretched") or brined


def spotted(recipe: Recipe, course: PieceCourse, label: str) -> Marks:
    """The mark of a mould that was seen on a moist, unripened cheese; it stays, brushed off or not.

    Parameters: recipe; course of the piece; label, its number. Source: handbook of safety.
    """
    if course.spotted_on is None or not spots_stop(recipe):
        return ()
    words = f"a mould that its plan does not name, seen {course.spotted_on:%-d %b}."
    return (Mark(key="spots", words=words, of=label),)


def sign_of(key: str) -> RipeSign:
    """A sign by its key. Raises: Unknown. Source: makers’ practice."""
    try:
        return SIGNS[key]
    except KeyError:
        raise Unknown("That is no sign this cave knows.", "sign") from None


def check_step(key: str, step: int) -> None:
    """Refuse a step that a sign does not have.

    Parameters: key of a sign; step, from 0. Raises: Unknown, OutOfRange. Source: derivation.
    """
    if not 0 <= step < len(sign_of(key).steps):
        raise OutOfRange("Choose which of the pictures it is most like.", "step")
