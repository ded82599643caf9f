"""When a cheese is turned next, in its moulds or in brine, and a screw press screwed down again."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from openpail.craft.make.day import StepState
from openpail.craft.make.standing import Standing
from openpail.craft.press.presses import RETIGHTEN_MIN


@dataclass(frozen=True, slots=True, kw_only=True)
class NextTurn:
    """What the hands do next inside a step, and when; done, how often it was done, of how many."""

    words: str
    at: datetime
    done: int
    of: int


def next_turn(state: StepState, standing: Standing) -> NextTurn | None:
    """The next turn of a step that is under way; None when there is none left.

    Parameters: state, of the step of now; standing. Source: the recipe’s own minutes; usual
    practice where it says none: spread over its time.
    """
    step = state.planned.step
    done = len(standing.turned(step.key))
    if step.kind == "brine":
        begun = standing.in_brine(step.key)
        if begun is None or done:
            return None
        return NextTurn(
            words="Turn it in the brine", at=half_way(state.begins, state.ends), done=0, of=1
        )
    if step.times > 1 and done < step.times:
        apart = (state.ends - state.begins) / step.times
        told = timedelta(minutes=step.turns_min[done]) if step.turns_min else apart * (done + 0.5)
        words = "Turn them" if step.kind == "turn" else "Turn and redress"
        return NextTurn(words=words, at=state.begins + told, done=done, of=step.times)
    return None


def half_way(begins: datetime, ends: datetime) -> datetime:
    """When a cheese is turned in its brine.

    Parameters: begins and ends of its stay. Source: usual practice.
    """
    return begins + (ends - begins) / 2


def next_tightening(state: StepState, standing: Standing, has_screw: bool) -> NextTurn | None:
    """When a press without a gauge is screwed down again; None when it holds, or has a gauge.

    Parameters: state, of the step of now; standing; has_screw. Source: our own judgement.
    """
    step = state.planned.step
    if not has_screw or step.kind != "press" or standing.loaded(step.key) is None:
        return None
    done = len(standing.tightened(step.key))
    if done >= len(RETIGHTEN_MIN):
        return None
    at = state.begins + timedelta(minutes=RETIGHTEN_MIN[done])
    return NextTurn(words="Screw it down again", at=at, done=done, of=len(RETIGHTEN_MIN))
