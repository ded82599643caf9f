"""What the hands do in a care: as the recipe says it, else as its words speak of it."""

from __future__ import annotations

import re

from openpail.craft.recipe.recipe import Care, CareKind

CARE_KINDS: dict[CareKind, str] = {
    "turn": "turn",
    "wipe": "wipe",
    "wash": "wash or rub with brine",
    "brush": "brush, rub or pat",
    "pierce": "pierce",
    "wrap": "wrap in paper",
    "foil": "wrap in foil",
    "bag": "seal in a bag",
    "wax": "wax",
    "cloth": "dress in cloth and fat",
    "oil": "lay in oil",
    "weigh": "weigh",
    "look": "look at",
    "taste": "taste",
    "eat": "eat up",
}
# What of a care's words tells its kind, the telling ones before the common ones.
_SPOKEN: tuple[tuple[str, CareKind], ...] = (
    (r"pierce|needle", "pierce"),
    (r"\beat\b|eat (it|them) up|grill them", "eat"),
    (r"\bwax", "wax"),
    (r"\bbag\b|vacuum", "bag"),
    (r"\bfoil\b", "foil"),
    (r"wrap|\bin paper\b", "wrap"),
    (r"cloth and|\blard\b", "cloth"),
    (r"\bin oil\b|under oil", "oil"),
    (r"brine|\bwash", "wash"),
    (r"taste|\bcore\b", "taste"),
    (r"weigh", "weigh"),
    (r"\bturn", "turn"),
    (r"brush|\brub|\bpat\b", "brush"),
    (r"wipe", "wipe"),
)


def kind_of(care: Care) -> CareKind:
    """What the hands do in a care.

    Parameters: care of a recipe. Returns: its kind; where it says none, what its words speak of,
    and “look” for what they do not. Source: the recipe; derivation.
    """
    if care.kind is not None:
        return care.kind
    words = care.words.lower()
    return next((kind for said, kind in _SPOKEN if re.search(said, words)), "look")
