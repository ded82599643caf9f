"""A vat that is only reckoned: heat that lags and is lost, milk that a culture sours.

What a stand-in probe shows, and what a dry run is made against. It is no forecast of a real vat:
those are learnt from what the vat has shown.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import exp
from typing import Literal

from openpail.craft.clock.heat import MILK_KJ_PER_KG_K
from openpail.craft.errors import OutOfRange
from openpail.craft.units import HAIR

_PH = (4.0, 7.5)
_CELSIUS = (-1.0, 100.0)

Souring = Literal["", "mild", "hot"]
MILK_KG_PER_L = 1.03
START_PH, FLOOR_PH = 6.65, 4.3
_STEP_MIN, _SOURS_STEP_MIN = 0.1, 6.0
# What holds the heat on its way (pot, jacket, bath), as a share of the milk's own heat, and how
# long it takes to give it on.
JACKET_SHARE, _LAG_MIN = 0.12, 1.5  # what warms the milk holds so much of its heat
_LOSS_H_AT_10_L, _COLD_WATER_C, _BOILS_C = 5.0, 11.0, 100.5
_BEST_C = {"mild": 30.0, "hot": 42.0}
_SPREAD_C, _GROWTH_PER_H, _SOURING_PH_PER_H, _SOWN = 7.0, 1.6, 0.75, 0.03


@dataclass(frozen=True, slots=True, kw_only=True)
class SimulatedVat:
    """A vat and what is in it: litres over 0; power_kw that reaches it, 0 or more; room_c; the
    sort of culture, "" for none, and its vigour, 1 as usual."""

    litres: float
    power_kw: float = 2.0
    room_c: float = 18.0
    culture: Souring = "mild"
    vigour: float = 1.0

    @property
    def milk_kj_per_k(self) -> float:
        """Heat for each degree of the milk, kJ."""
        return self.litres * MILK_KG_PER_L * MILK_KJ_PER_KG_K

    @property
    def loss_kj_per_min_k(self) -> float:
        """Heat lost to the room each minute for each degree above it, kJ: a larger vat keeps its
        warmth longer."""
        hours = _LOSS_H_AT_10_L * (self.litres / 10) ** (1 / 3)
        return float(self.milk_kj_per_k / (60 * hours))


@dataclass(frozen=True, slots=True, kw_only=True)
class SimulatedState:
    """How it stands: minutes since its beginning, °C of the milk and of what warms it, pH, how far
    the culture has grown (0 to 1); kJ that went in and were lost since the beginning."""

    celsius: float
    jacket_c: float
    ph: float = START_PH
    grown: float = 0.0
    minutes: float = 0.0
    in_kj: float = 0.0
    lost_kj: float = 0.0


def filled(celsius: float, ph: float = START_PH) -> SimulatedState:
    """A vat that was just filled.

    Parameters: celsius of the milk, −1 to 100; ph, 4 to 7.5. Raises: OutOfRange.
    Source: derivation.
    """
    if not _CELSIUS[0] <= celsius <= _CELSIUS[1] or not _PH[0] <= ph <= _PH[1]:
        raise OutOfRange("Milk is between −1 and 100 °C, and between pH 4 and 7.5.", "celsius")
    return SimulatedState(celsius=celsius, jacket_c=celsius, ph=ph)


def sown(state: SimulatedState) -> SimulatedState:
    """The same with its culture stirred in. Parameters: state. Source: derivation."""
    return replace(state, grown=max(state.grown, _SOWN))


def goes_on(
    vat: SimulatedVat, state: SimulatedState, minutes: float, heat: float
) -> SimulatedState:
    """How it stands so much later.

    Parameters: vat; state before; minutes, 0 or more; heat, share of its power that is on, 0 to 1;
    under 0, down to −1, how much of it stands in cold water instead.
    Raises: OutOfRange. Source: heat balance of milk and what warms it, losses by Newton's law of
    cooling, logistic growth of a culture about its best warmth; our own judgement.
    """
    if minutes < 0 or not -1 <= heat <= 1 or vat.litres <= 0:
        raise OutOfRange("A vat goes on in time, with its heat between none and all.", "minutes")
    left = minutes
    while left > HAIR:
        step = min(_STEP_MIN, left)
        state = _step(vat, state, step, heat)
        left -= step
    return state


def soured(vat: SimulatedVat, state: SimulatedState, minutes: float) -> SimulatedState:
    """How sour it is after so long at the warmth that it has.

    Parameters: vat; state; minutes, 0 or more. Source: as `goes_on`.
    """
    left = minutes
    while left > HAIR:
        span = min(_SOURS_STEP_MIN, left)
        grown, ph = _soured(vat, state, span)
        state = replace(state, grown=grown, ph=ph, minutes=state.minutes + span)
        left -= span
    return state


def _step(vat: SimulatedVat, state: SimulatedState, minutes: float, heat: float) -> SimulatedState:
    jacket_kj_per_k = JACKET_SHARE * vat.milk_kj_per_k
    given = 60 * vat.power_kw * max(0.0, heat) * minutes
    bath = jacket_kj_per_k / _LAG_MIN * max(0.0, -heat) * minutes
    given -= bath * max(0.0, state.jacket_c - _COLD_WATER_C)
    passed = jacket_kj_per_k / _LAG_MIN * (state.jacket_c - state.celsius) * minutes
    lost = vat.loss_kj_per_min_k * (state.celsius - vat.room_c) * minutes
    grown, ph = _soured(vat, state, minutes)
    celsius = state.celsius + (passed - lost) / vat.milk_kj_per_k
    steam_c = max(0.0, celsius - _BOILS_C)
    lost += steam_c * vat.milk_kj_per_k
    return SimulatedState(
        celsius=celsius - steam_c,
        jacket_c=state.jacket_c + (given - passed) / jacket_kj_per_k,
        ph=ph,
        grown=grown,
        minutes=state.minutes + minutes,
        in_kj=state.in_kj + given,
        lost_kj=state.lost_kj + lost,
    )


def _soured(vat: SimulatedVat, state: SimulatedState, minutes: float) -> tuple[float, float]:
    """How far the culture grew, and the pH it came to."""
    if not vat.culture or not state.grown:
        return state.grown, state.ph
    off = (state.celsius - _BEST_C[vat.culture]) / _SPREAD_C
    pace = vat.vigour * exp(-0.5 * off * off) * minutes / 60
    grown = min(1.0, state.grown * (1 + _GROWTH_PER_H * pace * (1 - state.grown)))
    fall = _SOURING_PH_PER_H * pace * grown * (state.ph - FLOOR_PH) / (START_PH - FLOOR_PH)
    return grown, max(FLOOR_PH, state.ph - max(0.0, fall))
