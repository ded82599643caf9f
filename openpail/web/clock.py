"""Whether this machine's clock was moved: what it says against how long the machine has really run.

Nothing rests on it but a sign. What is told keeps its order in the log whatever the clock says.
"""

from __future__ import annotations

import time
from datetime import timedelta

_COUNTS_FROM = timedelta(minutes=2)
_TOLD_FOR = timedelta(hours=12)


class MachineClock:
    """The clock of this process since it began; jumps by more than two minutes are remembered."""

    def __init__(self) -> None:
        self._last = self._now()
        self.jumped = timedelta(0)
        self._until = 0.0

    @staticmethod
    def _now() -> tuple[float, float]:
        # the time that a sleeping laptop sleeps is counted too: waking is no jump
        return time.time(), time.clock_gettime(time.CLOCK_BOOTTIME)

    def look(self) -> None:
        """Take note of how the clock went since the last look."""
        wall, ran = self._now()
        gap = timedelta(seconds=(wall - self._last[0]) - (ran - self._last[1]))
        self._last = wall, ran
        if abs(gap) > _COUNTS_FROM:
            self.jumped, self._until = gap, ran + _TOLD_FOR.total_seconds()

    @property
    def words(self) -> str:
        """What whoever looks is told, "" where nothing jumped lately."""
        if not self.jumped or self._last[1] > self._until:
            return ""
        minutes = round(abs(self.jumped).total_seconds() / 60)
        by = f"{minutes} min" if minutes < 120 else f"{minutes / 60:.0f} h"
        way = "forward" if self.jumped > timedelta(0) else "back"
        return (
            f"This machine’s clock was put {way} by {by}. Nothing is lost and all keeps its order: "
            "look whether the times of what was told since are right."
        )
