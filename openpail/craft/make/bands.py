"""A reading outside what its step wants: what it means, and what to do, said at once."""

from __future__ import annotations

from openpail.craft.recipe.recipe import RecipeStep

_HEATS = frozenset({"warm", "heat", "add water"})
_HOT_C = 60.0


def warmth_said(step: RecipeStep, celsius: float) -> str:
    """What a warmth outside the band of a step means; "" for one inside it, or on its way.

    Parameters: step; celsius, as it was read. Source: makers’ practice.
    """
    band = step.celsius
    if band is None or step.kind in _HEATS or band.low <= celsius <= band.high:
        return ""
    wanted = f"{band.target:g} °C is wanted here."
    if band.target >= _HOT_C:
        low = "Put it back on the heat: too cool, it does not do what it should."
    else:
        low = "Bring it up slowly, in a warm bath: culture and whey are slow while it is cool."
    high = "Let it cool in a cool bath, stirring: warm, it dries and sours faster."
    return f"{celsius:.1f} °C, and {wanted} {low if celsius < band.low else high}"


def ph_said(step: RecipeStep, ph: float, is_early: bool) -> str:
    """What a pH outside the milestone of a step means; "" for one inside it, or on its way down.

    Parameters: step; ph, as it was read; is_early, before the step is due. Source: makers’
    practice.
    """
    band = step.ph
    if band is None or band.low <= ph <= band.high or (ph > band.high and is_early):
        return ""
    head = f"pH {ph:.2f}, and {band.low:.2f} to {band.high:.2f} is wanted here."
    if ph < band.low:
        return f"{head} It sours faster than it dries: go on sooner, and shorten what follows."
    return f"{head} It is slow: keep it warm, wait, read it again in half an hour."


def round_seconds(step: RecipeStep, share: float, is_soft: bool) -> float | None:
    """How long one round of the spoon takes now, s; None where nothing is stirred.

    Slow at first, while the curd has no skin; quicker towards the end.
    Parameters: step; share of it that is over, 0 to 1; is_soft, a curd that sets soft.
    Source: our own judgement, makers’ practice.
    """
    if step.kind not in ("stir", "heat") or step.minutes <= 0:
        return None
    slow = 8.0 if is_soft else 6.0
    return slow if share < 1 / 3 else slow - 2 if share < 2 / 3 else slow - 3
