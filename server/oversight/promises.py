"""The record of kept promises: how each device stood on each morning, and what share of mornings that makes.

Written once a day, at eight or as soon after as the server works; a day on which it was off altogether is not on record.
"""

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from uuid import UUID
from zoneinfo import ZoneInfo

from django.db.models import Count, Q
from django.db.models.functions import TruncMonth

from server.oversight.models import PromiseDay

MORNING = time(8)
"""In the office's zone: when the promise of a night is looked at."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PromiseShare:
    """Mornings on which something was owed, and how many of them it was there."""

    owed: int
    kept: int

    @property
    def percent(self) -> float | None:
        """To one decimal; None where nothing was owed."""
        return round(100 * self.kept / self.owed, 1) if self.owed else None


def shares_by_month(
    *, device: UUID | None = None, team: int | None = None, months: int = 13, today: date
) -> list[tuple[date, PromiseShare]]:
    """Month → share, newest first. One query."""
    first = (today.replace(day=1) - timedelta(days=31 * (months - 1))).replace(day=1)
    days = PromiseDay.objects.filter(day__gte=first)
    if device is not None:
        days = days.filter(device=device)
    if team is not None:
        days = days.filter(team=team)
    rows = days.annotate(month=TruncMonth("day")).values("month").annotate(owed=_OWED, inside=_INSIDE).order_by("-month")
    return [(row["month"], PromiseShare(owed=row["owed"], kept=row["inside"])) for row in rows]


_OWED, _INSIDE = Count("id", filter=Q(kept__isnull=False)), Count("id", filter=Q(kept=True))


def shares_by_team(*, first: date, last: date) -> list[tuple[str, PromiseShare]]:
    """Name of the team → share, best first. One query."""
    rows = PromiseDay.objects.filter(day__range=(first, last)).values("team__name").annotate(owed=_OWED, inside=_INSIDE)
    by_team = [(row["team__name"] or "", PromiseShare(owed=row["owed"], kept=row["inside"])) for row in rows]
    return sorted(by_team, key=lambda entry: (-(entry[1].percent or 0.0), entry[0]))


def shares_by_device(*, first: date, last: date) -> dict[UUID, PromiseShare]:
    """One query."""
    rows = PromiseDay.objects.filter(day__range=(first, last))
    return {
        row["device"]: PromiseShare(owed=row["owed"], kept=row["inside"])
        for row in rows.values("device").annotate(owed=_OWED, inside=_INSIDE)
    }


def days_of(device: UUID, *, first: date) -> dict[date, str]:
    """Day → standing. One query."""
    return dict(PromiseDay.objects.filter(device=device, day__gte=first).order_by("day").values_list("day", "standing"))


def kept_in(first: date, last: date) -> PromiseShare:
    """Of all devices and days of the span, both ends included. One query."""
    row = PromiseDay.objects.filter(day__range=(first, last)).aggregate(owed=_OWED, inside=_INSIDE)
    return PromiseShare(owed=row["owed"], kept=row["inside"])


def mornings_between(first: date, last: date, zone: ZoneInfo) -> dict[date, datetime]:
    """Day → its morning."""
    length = (last - first).days
    return {day: datetime.combine(day, MORNING, zone) for day in (first + timedelta(days=n) for n in range(length + 1))}
