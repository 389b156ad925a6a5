"""What every plan of a page is looked at with: the moment, the zone, the closed days and the pauses. Three queries."""

from dataclasses import dataclass
from datetime import date, datetime
from typing import Self
from zoneinfo import ZoneInfo

from server import ports
from server.people.queries import closed_days, office_zone
from server.plans.queries import Pauses, pauses


@dataclass(frozen=True, slots=True)
class Present:
    """What must be known of the moment to tell how a device stands."""

    now: datetime
    zone: ZoneInfo
    closed: frozenset[date]
    held: Pauses

    @classmethod
    def read(cls, now: datetime | None = None) -> Self:
        """As of now. A handful of queries, however many devices."""
        now = now or ports.clock().now()
        return cls(now=now, zone=office_zone(), closed=closed_days(), held=pauses(now=now))
