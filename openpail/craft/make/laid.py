"""What a make tells of its pieces: what moves their days, and how long they keep."""

from __future__ import annotations

from openpail.craft.cave.keep import Facts
from openpail.craft.make.frozen import Frozen
from openpail.craft.make.salting import keeping
from openpail.craft.make.standing import Standing
from openpail.craft.make.yielded import yielded
from openpail.craft.press.moulds import Mould
from openpail.craft.recipe.recipe import Recipe
from openpail.craft.recipe.ripening import OfPiece

_PACKED_HOT_C = 75.0
_INTO_MOULDS = ("mould", "drain", "hang")
_THINNEST, _THICKEST = 0.4, 2.5


def of_piece(recipe: Recipe, sheet: Frozen, kg: float, mould: Mould | None) -> OfPiece:
    """What of a piece moves its days against the recipe's.

    Parameters: recipe; sheet; kg of the piece, over 0; mould that it came out of, None where nobody
    measured it: as wide as the recipe's. Source: derivation.
    """
    wheels, thick = recipe.wheels, 1.0
    if wheels is not None:
        area = mould.floor_cm2 if mould else wheels.area_cm2
        thick = (kg / area) / (wheels.piece_kg / wheels.area_cm2)
    kgs = sheet.milk.animals
    whole = sum(kgs.values())
    shares = {name: round(each / whole, 3) for name, each in sorted(kgs.items())} if whole else {}
    return OfPiece(sheet.milk.raw, min(_THICKEST, max(_THINNEST, thick)), shares)


def facts_of(
    recipe: Recipe, sheet: Frozen, standing: Standing, cheese_kg: float, salt_pct: float
) -> Facts:
    """What is known of the pieces of a make beside their course.

    Parameters: recipe; sheet; standing; cheese_kg of all of them, over 0; salt_pct that they are
    thought to hold. Source: its readings; mass balance.
    """
    sour = [each.ph for each in standing.readings if each.ph is not None]
    kept = keeping(recipe, sheet, cheese_kg, salt_pct)
    return Facts(
        ph=sour[-1] if sour else None,
        moisture=yielded(recipe, sheet, cheese_kg).moisture_pct.value / 100,
        brine_rests_pct=kept.ends.value if kept else None,
        packed_hot=_packed_hot(recipe, standing),
    )


def _packed_hot(recipe: Recipe, standing: Standing) -> bool:
    """Whether it was read so hot as it went into its moulds, not only in the pot before."""
    number = next((n for n, step in enumerate(recipe.steps) if step.kind in _INTO_MOULDS), 0)
    before = standing.done.get(recipe.steps[number - 1].key) if number else None
    return before is not None and any(
        each.celsius >= _PACKED_HOT_C
        for each in standing.readings
        if each.celsius is not None and each.at >= before.at
    )
