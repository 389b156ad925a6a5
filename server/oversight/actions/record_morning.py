"""Write down once a day how each device stands on this morning, at eight or as soon after as the server works."""

from datetime import datetime

from core.schedule.promise import KEPT, OWED, Standing
from server.oversight.models import PromiseDay
from server.oversight.promises import MORNING
from server.oversight.standing import standings
from server.people.queries import office_zone


def record_morning(*, now: datetime) -> int:
    """Rows written for today; none before the morning, or when they are there already."""
    zone = office_zone()
    local = now.astimezone(zone)
    if local.time() < MORNING or PromiseDay.objects.filter(day=local.date()).exists():
        return 0
    rows = [
        PromiseDay(
            day=local.date(),
            device_id=row.device.id,
            team_id=row.device.team_id,
            standing=row.state.standing,
            kept=_kept(row.state.standing),
        )
        for row in standings(now=now)
    ]
    return len(PromiseDay.objects.bulk_create(rows, ignore_conflicts=True))


def _kept(standing: Standing) -> bool | None:
    return standing in KEPT if standing in OWED else None
