"""Signs of ripening that are seen or felt: what they are called step by step, what they mean."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from openpail.craft.errors import OutOfRange, Unknown
from openpail.craft.recipe.recipe import EndSign


@dataclass(frozen=True, slots=True)
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


SIGNS: Mapping[str, RipeSign] = {
    each.key: each
    for each in (
        RipeSign(
            "dry",
            "How does the rind feel?",
            ("wet", "damp, sticks to the finger", "tacky", "touch-dry", "cracked"),
            3,
            4,
            "So dry a room cracks it: rub a little fat or brine into it, and move it damper.",
        ),
        RipeSign(
            "bloom",
            "How far is the bloom?",
            ("bare", "first down", "white in patches", "white all over", "thick felt, lifting"),
            3,
            4,
            "The skin slips: colder and drier now, and eat it soon.",
        ),
        RipeSign(
            "smear",
            "How is the smear?",
            ("bare", "slippery, pale", "tan, sticky", "orange, tacky all over", "wet and running"),
            3,
            4,
            "Too wet: leave two washes out, and give it air.",
        ),
        RipeSign(
            "thumb",
            "What does the thumb feel?",
            (
                "hard",
                "springs back",
                "gives at the edge",
                "gives to the centre",
                "soft all through",
            ),
            2,
            4,
            "It is over: eat it today or tomorrow, or put it to the compost.",
        ),
        RipeSign(
            "round",
            "How round is it?",
            ("flat", "a little round", "round, hollow when knocked", "split"),
            2,
            3,
            "A split lets the gas out: to the cold with it, and eat that one first.",
        ),
        RipeSign(
            "blue",
            "Where is the blue?",
            ("none", "at the rind", "in some holes", "in every hole"),
            2,
        ),
        RipeSign("grey", "How grey is it?", ("bare", "grey here and there", "grey all over"), 2),
        RipeSign(
            "bag",
            "How does the bag sit?",
            ("tight", "a little loose", "blown like a cushion"),
            0,
            2,
            "Gas: open it, smell it, and discard it when in doubt.",
        ),
        RipeSign(
            "strange",
            "Does anything grow that should not?",
            ("nothing", "a few blue or green spots", "pink or red", "black and slimy", "long hair"),
            0,
            2,
            "Not on this cheese: keep it apart, look at its fellows, discard it when in doubt.",
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
