"""What is remembered of the causes that are there now."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from uuid import UUID

from server.oversight.models import Matter
from server.people.queries import office_zone


@dataclass(frozen=True, slots=True, kw_only=True)
class Known:
    """What is remembered of a cause that is there now."""

    id: UUID
    opened_at: datetime
    put_off: bool
    put_off_until: date | None
    put_off_why: str


def known_matters(codes: Sequence[str], *, now: datetime) -> dict[str, Known]:
    """Code → its open matter. One query."""
    day = now.astimezone(office_zone()).date()
    rows = Matter.objects.filter(code__in=codes, closed_at__isnull=True)
    return {
        row.code: Known(
            id=row.id,
            opened_at=row.opened_at,
            put_off=row.put_off_until is not None and row.put_off_until > day,
            put_off_until=row.put_off_until,
            put_off_why=row.put_off_why,
        )
        for row in rows
    }
