"""What is on hold, and what a wide hold would reach."""

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from uuid import UUID

from django.db.models import Count, Exists, OuterRef, Q, QuerySet
from django.db.models.functions import Coalesce

from core.errors import BadInput
from server.people.queries import office_zone
from server.runs.models import THERE, Backup, Copy

LOOKED_AT_AGAIN = timedelta(days=365)
"""A hold without an end is looked at again after so long."""


def holds(*, words: str = "", without_end: bool = False, unseen_since: datetime | None = None) -> QuerySet[Backup]:
    """Backups on hold that some store has, the newest first. `unseen_since`: without an end, and nobody looked at them since then."""
    rows = Backup.objects.exclude(hold_reason="").filter(_somewhere()).select_related("device__holder", "hold_by")
    if without_end or unseen_since is not None:
        rows = rows.filter(hold_until__isnull=True)
    if unseen_since is not None:
        rows = rows.annotate(seen=Coalesce("hold_seen_at", "finished_at")).filter(seen__lt=unseen_since)
    for word in words.split()[:8]:
        rows = rows.filter(Q(device__name__icontains=word) | Q(device__holder__name__icontains=word) | Q(hold_reason__icontains=word))
    return rows.order_by("-finished_at", "-id")


@dataclass(frozen=True, slots=True, kw_only=True)
class HoldReach:
    """Whose backups a hold is for: of a device, a holder, a team or everybody; and of which days of the office."""

    device: UUID | None = None
    holder: int | None = None
    team: int | None = None
    first_day: date | None = None
    last_day: date | None = None

    def backups(self) -> QuerySet[Backup]:
        """That some store has. Raises BadInput."""
        if sum(one is not None for one in (self.device, self.holder, self.team)) > 1:
            raise BadInput("Of a device, a holder or a team.", field="device", remedy="Choose one of them.")
        if not any((self.device, self.holder, self.team, self.first_day, self.last_day)):
            raise BadInput("A hold is for something.", field="device", remedy="Choose a device, a holder, a team, or days.")
        if self.first_day and self.last_day and self.first_day > self.last_day:
            raise BadInput("The last day lies before the first.", field="last_day", remedy="Give a later one, or none.")
        rows = Backup.objects.filter(_somewhere())
        if self.device is not None:
            rows = rows.filter(device=self.device)
        if self.holder is not None:
            rows = rows.filter(device__holder=self.holder)
        if self.team is not None:
            rows = rows.filter(device__team=self.team)
        zone = office_zone()
        if self.first_day is not None:
            rows = rows.filter(finished_at__gte=datetime.combine(self.first_day, time(), zone))
        if self.last_day is not None:
            rows = rows.filter(finished_at__lt=datetime.combine(self.last_day + timedelta(days=1), time(), zone))
        return rows


def reached(backups: QuerySet[Backup]) -> dict[str, int]:
    """{backups, held, devices} of what a wide hold would be for. One query."""
    return backups.order_by().aggregate(
        backups=Count("id"), held=Count("id", filter=~Q(hold_reason="")), devices=Count("device", distinct=True)
    )


def _somewhere() -> Exists:
    return Exists(Copy.objects.filter(backup=OuterRef("pk"), state__in=THERE))
