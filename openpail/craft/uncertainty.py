"""How far a result may be off: the rule run again with each input a little higher and lower."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence


def spread(
    rule: Callable[[str, float], Sequence[float]], sds: Mapping[str, float]
) -> tuple[list[float], dict[str, list[float]]]:
    """Standard deviation of each result of a rule, and what each input adds to it.

    Parameters: rule(input, shift) works the results out with one input moved by shift; sds,
    one standard deviation of each input, in its unit, 0 or more.
    Returns: the deviations of the results, and by input the part of each that is its own.
    Source: derivation (central differences, summed in squares).
    """
    parts: dict[str, list[float]] = {}
    for name, sd in sds.items():
        if sd > 0:
            high, low = rule(name, sd), rule(name, -sd)
            parts[name] = [abs(a - b) / 2 for a, b in zip(high, low, strict=True)]
    width = max((len(part) for part in parts.values()), default=0)
    totals = [sum(part[i] ** 2 for part in parts.values()) ** 0.5 for i in range(width)]
    return totals, parts
