"""How a cheese looks today: its shape, its rind and how far that is, what it is sealed in."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Literal

from openpail.craft.cave.care import CarePlan
from openpail.craft.cave.deeds import Seal
from openpail.craft.cave.piece import PieceNow
from openpail.craft.house import House
from openpail.craft.press.moulds import Mould

Shape = Literal["wheel", "brick", "log", "pyramid", "ball", "hung", "tub", "brine"]
Rind = Literal["fresh", "straw", "bloom", "smear", "grey", "blue"]
STEPS = 3
_SHAPES: Mapping[str, Shape] = {
    "acid_heat_soft": "tub",
    "whey": "tub",
    "stretched_quick": "ball",
    "stretched": "ball",
}
_RINDS: Mapping[str, Rind] = {
    "bloomy": "bloom",
    "blue": "blue",
    "washed_rind": "smear",
    "alpine": "smear",
    "tomme": "grey",
    "washed_curd": "straw",
    "small_eyed": "straw",
    "stirred_curd": "straw",
    "cheddared": "straw",
    "hard_grating": "straw",
}
_SHAPE_WORDS: Mapping[Shape, str] = {"hung": "pear on a cord", "brine": "block in a tub of brine"}
_TALL, _SQUARE, _HANGS = 1.2, 1.25, "hang"
_SEEN: Mapping[Rind, str] = {"bloom": "bloom", "smear": "smear", "grey": "grey", "blue": "blue"}
RIND_WORDS: Mapping[Rind, tuple[str, ...]] = {
    "fresh": ("white", "white", "white", "white"),
    "straw": ("pale", "straw-coloured", "golden", "brown"),
    "bloom": ("bare", "first down", "white in patches", "white all over"),
    "smear": ("bare", "pale and slippery", "tan", "orange"),
    "grey": ("bare", "grey here and there", "grey", "grey all over"),
    "blue": ("pale", "blue at the rind", "blue in the holes", "blue through"),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class CheeseLook:
    """How a cheese looks: shape, across_cm, side_cm (None: round) and height_cm; rind and its step,
    0 to 3; sealed in what; is_part, cut off a larger one; holes, pierced."""

    shape: Shape
    across_cm: float
    side_cm: float | None
    height_cm: float
    rind: Rind
    step: int
    sealed: Seal | None
    is_part: bool
    holes: bool

    @property
    def words(self) -> str:
        """The same in words, for who cannot see it."""
        kind = "part" if self.is_part else _SHAPE_WORDS.get(self.shape, self.shape)
        rind = RIND_WORDS[self.rind][self.step]
        return f"{kind}, {rind}" + (f", in a {self.sealed}" if self.sealed else "")


def look_of(
    piece: PieceNow, plan: CarePlan, left_kg: float, today: date, house: House
) -> CheeseLook:
    """How a piece looks today: as its signs were last seen, else as far as its days are.

    Parameters: piece; plan; left_kg, over 0; today; house. Source: derivation from its measures.
    """
    recipe, wheels = piece.recipe, piece.recipe.wheels
    across = (1000 * max(left_kg, 0.05) * 1.2) ** (1 / 3)
    side, height = None, across * 0.8
    if wheels is not None:
        across, side = wheels.across_cm, wheels.side_cm
        mould = Mould(sort="hoop", across_cm=across, height_cm=wheels.height_cm, side_cm=side)
        height = mould.height_of(max(piece.kg, 0.05), house)
    rind = _RINDS.get(recipe.family, "fresh")
    pierced = any("pierce" in name for name in piece.course.done)
    return CheeseLook(
        shape=_shape(piece, height),
        across_cm=round(across, 1),
        side_cm=side,
        height_cm=round(max(2.0, min(height, 2 * across)), 1),
        rind=rind,
        step=_step(piece, plan, rind, today),
        sealed=piece.course.sealed,
        is_part=piece.course.cut_on is not None,
        holes=pierced,
    )


def _shape(piece: PieceNow, height_cm: float) -> Shape:
    """Its shape, by how it is kept, its family, its mould."""
    recipe, wheels = piece.recipe, piece.recipe.wheels
    if piece.facts.brine_rests_pct is not None:
        return "brine"
    if any(_HANGS in stage.place.casefold() for stage in recipe.stages):
        return "hung"
    if recipe.family in _SHAPES:
        return _SHAPES[recipe.family]
    if wheels is None:
        return "log" if recipe.family == "lactic" else "wheel"
    across, side = wheels.across_cm, wheels.side_cm
    if recipe.family == "lactic":
        if side is not None and across <= side * _SQUARE and height_cm > across / 2:
            return "pyramid"
        if side is None and height_cm > across * _TALL:
            return "log"
    return "wheel" if side is None else "brick"


def _step(piece: PieceNow, plan: CarePlan, rind: Rind, today: date) -> int:
    if rind == "fresh" or not plan.ran:
        return 0
    seen = piece.course.seen.get(_SEEN.get(rind, ""))
    if seen is not None:
        return min(STEPS, seen[0])
    until = plan.ran[0].ends if rind == "bloom" else plan.ran[-1].ends
    share = (today - piece.made_on).days / max(1, (until - piece.made_on).days)
    return max(0, min(STEPS, round(share * STEPS)))
