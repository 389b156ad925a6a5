"""Allowances: what a store, or in it a team or a device, may hold.

A hard one counts all that its owner needs, shared or not, so that nobody else's act changes it, and no run begins that would pass it. A
soft one only calls somebody, and not before its grace period is over; what it counts may be chosen.
"""

from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from core.errors import BadInput
from core.units import iec

MOST_GRACE_DAYS = 365
MOST_BYTES = 1 << 50
"""More than a PiB is a slip of the finger."""


class AllowanceStanding(StrEnum):
    WITHIN = "within"
    OVER = "over"
    """Over the soft limit, within its grace period."""
    OVERDUE = "overdue"
    """For longer than that: it needs a person."""
    FULL = "full"
    """At the hard limit: nothing more is taken in."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Limits:
    soft_bytes: int | None
    hard_bytes: int | None
    grace_days: int

    def check(self) -> None:
        """Raises BadInput."""
        for name, value in (("soft_bytes", self.soft_bytes), ("hard_bytes", self.hard_bytes)):
            if value is not None and not 0 < value <= MOST_BYTES:
                raise BadInput(
                    "That is no possible allowance.",
                    field=name,
                    remedy=f"Give more than nothing and at most {iec(MOST_BYTES)}, or leave it empty.",
                )
        if self.soft_bytes is None and self.hard_bytes is None:
            raise BadInput("It limits nothing.", field="hard_bytes", remedy="Give a limit, or take the allowance away.")
        if self.soft_bytes is not None and self.hard_bytes is not None and self.soft_bytes > self.hard_bytes:
            remedy = "Give a soft limit below the hard one, or leave one of them empty."
            raise BadInput("Nobody would be called before it is full.", field="soft_bytes", remedy=remedy)
        if not 0 <= self.grace_days <= MOST_GRACE_DAYS:
            raise BadInput(
                "That grace period is not possible.", field="grace_days", remedy=f"Use a number of days from 0 to {MOST_GRACE_DAYS}."
            )

    def standing(self, *, soft_held: int, hard_held: int, over_since: datetime | None, now: datetime) -> AllowanceStanding:
        """`soft_held`, `hard_held`: the bytes that each counts."""
        if self.hard_bytes is not None and hard_held >= self.hard_bytes:
            return AllowanceStanding.FULL
        if self.soft_bytes is None or soft_held <= self.soft_bytes:
            return AllowanceStanding.WITHIN
        since = over_since if over_since is not None else now
        return AllowanceStanding.OVERDUE if now - since >= timedelta(days=self.grace_days) else AllowanceStanding.OVER

    def over_since(self, soft_held: int, before: datetime | None, *, now: datetime) -> datetime | None:
        """Since when it is over its soft limit; a clock that was ahead does not begin in the future."""
        if self.soft_bytes is None or soft_held <= self.soft_bytes:
            return None
        return now if before is None or before > now else before
