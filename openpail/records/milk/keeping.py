"""How a lot was kept, as the craft judges it: now, or at the moment when it was poured."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from typing import Protocol
from zoneinfo import ZoneInfo

from openpail.craft.milk.fitness import Holding, Keeping
from openpail.craft.milk.kinds import MilkKind, Treatment

_DAYS_PER_MONTH = 30.4


class KeptLot(Protocol):
    """What of a lot its keeping is read of."""

    @property
    def kind(self) -> MilkKind:
        """Milk, cream, whey …"""

    @property
    def treatment(self) -> Treatment:
        """How it was heated."""

    @property
    def holding(self) -> Holding:
        """How it was kept."""

    @property
    def collected_at(self) -> datetime:
        """When it was milked or bought."""

    @property
    def frozen_at(self) -> datetime | None:
        """When it went into the freezer, None for as it came."""

    @property
    def freezer_c(self) -> float | None:
        """How cold the freezer is."""

    @property
    def thawed_at(self) -> datetime | None:
        """When it left the freezer."""

    @property
    def frozen(self) -> bool:
        """Whether it was frozen."""

    @property
    def best_before(self) -> date | None:
        """The last day that its label names."""

    @property
    def heated_at(self) -> datetime | None:
        """When it was heated here."""

    @property
    def off_smell(self) -> bool:
        """Whether it smelled off."""

    @property
    def colostrum_or_sick(self) -> bool:
        """Whether it is of just after birth, or of a sick animal."""

    @property
    def withdrawal(self) -> bool:
        """Whether an animal was on withdrawal."""


def hours_old(lot: KeptLot, now: datetime) -> float:
    """Hours since the milk was milked or bought; its days in the freezer are none of its age."""
    if not lot.frozen:
        return max(0.0, (now - lot.collected_at).total_seconds() / 3600)
    before = (lot.frozen_at or lot.collected_at) - lot.collected_at
    since = now - lot.thawed_at if lot.thawed_at else timedelta()
    return max(0.0, before.total_seconds()) / 3600 + max(0.0, since.total_seconds()) / 3600


def in_freezer(lot: KeptLot) -> bool:
    """Frozen, and not thawed yet."""
    return lot.frozen and lot.thawed_at is None


def keeping_of(lot: KeptLot, at: datetime, zone: ZoneInfo) -> Keeping:
    """How a lot was kept until a moment. Parameters: lot; at; zone, of the dairy."""
    left = None
    if lot.best_before:
        ends = datetime.combine(lot.best_before + timedelta(days=1), time(), zone)
        left = (ends - at).total_seconds() / 3600
    heated = lot.heated_at if lot.heated_at and lot.heated_at <= at else None
    return Keeping(
        treatment="raw" if lot.heated_at and not heated else lot.treatment,
        hours=hours_old(lot, at),
        holding=lot.holding,
        off_smell=lot.off_smell,
        colostrum_or_sick=lot.colostrum_or_sick,
        withdrawal=lot.withdrawal,
        best_before_h=left,
        in_freezer=in_freezer(lot),
        frozen_months=_frozen_months(lot, at),
        freezer_c=lot.freezer_c,
        raw_hours=hours_old(lot, heated) if heated else None,
        kind=lot.kind,
    )


def _frozen_months(lot: KeptLot, now: datetime) -> float:
    """How long it was in the freezer, or is, months; 0 of milk that was bought thawed."""
    if not lot.frozen:
        return 0.0
    return max(
        0.0, ((lot.thawed_at or now) - (lot.frozen_at or lot.collected_at)).days / _DAYS_PER_MONTH
    )
