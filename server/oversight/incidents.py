"""What is remembered of the causes that are there now."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from uuid import UUID
from zoneinfo import ZoneInfo

from django.db.models import Q

from server.oversight.models import Incident
from server.people.queries import office_zone


@dataclass(frozen=True, slots=True, kw_only=True)
class KnownIncident:
    """What is remembered of a cause that is there now."""

    id: UUID
    opened_at: datetime
    put_off: bool
    put_off_until: date | None
    put_off_why: str


BACK_TO_NORMAL = timedelta(hours=24)


def remembered(*, now: datetime, zone: ZoneInfo) -> tuple[dict[str, KnownIncident], list[Incident]]:
    """Code → its open incident; and what closed within a day, the newest first. One query."""
    asked = Q(closed_at__isnull=True) | Q(closed_at__gte=now - BACK_TO_NORMAL)
    rows = list(Incident.objects.filter(asked).select_related("store").order_by("-closed_at"))
    return _known([row for row in rows if row.closed_at is None], now.astimezone(zone).date()), [row for row in rows if row.closed_at]


def known_incidents(codes: Sequence[str], *, now: datetime) -> dict[str, KnownIncident]:
    """Code → its open incident. One query, beside the office's zone."""
    return _known(Incident.objects.filter(code__in=codes, closed_at__isnull=True), now.astimezone(office_zone()).date())


def _known(rows: Iterable[Incident], day: date) -> dict[str, KnownIncident]:
    return {
        row.code: KnownIncident(
            id=row.id,
            opened_at=row.opened_at,
            put_off=row.put_off_until is not None and row.put_off_until > day,
            put_off_until=row.put_off_until,
            put_off_why=row.put_off_why,
        )
        for row in rows
    }


def needing(*, now: datetime) -> int:
    """How many incidents are open and not put off. One query."""
    day = now.astimezone(office_zone()).date()
    return Incident.objects.filter(closed_at__isnull=True).exclude(put_off_until__gt=day).count()
