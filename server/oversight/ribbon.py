"""The ribbon: what was due in each of the last fourteen nights, what came, what did not; tonight and tomorrow."""

from collections import defaultdict
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from core.schedule.nights import bounds, coming_night
from server.fleet.models import DeviceState
from server.people.queries import office_zone
from server.plans.convert import recurrence_of
from server.plans.models import Assignment
from server.plans.present import Present
from server.plans.queries import begins_again
from server.runs.models import ACTIVE, CAME, Run

NIGHTS = 14
LATE_AFTER = timedelta(hours=1)


@dataclass(slots=True, kw_only=True)
class Night:
    """Counts of devices."""

    night: date
    came: int = 0
    came_late: int = 0
    """Started more than an hour after the planned time, or by hand after a failure."""
    missing: int = 0
    """Due, and nothing came."""
    under_way: int = 0


def past_nights(*, now: datetime) -> list[Night]:
    """The fourteen nights before the coming one, oldest first. One query."""
    tonight = coming_night(now, office_zone())
    first = tonight - timedelta(days=NIGHTS)
    found = {first + timedelta(days=n): Night(night=first + timedelta(days=n)) for n in range(NIGHTS)}
    fields = ("night", "device_id", "state", "planned_for", "started_at")
    seen: dict[tuple[date, object], list[tuple[str, datetime | None, datetime | None]]] = defaultdict(list)
    for night, device, state, planned, started in Run.objects.filter(night__gte=first, night__lt=tonight).values_list(*fields):
        seen[night, device].append((state, planned, started))
    for (night, _), runs in seen.items():
        _count(found[night], runs)
    return list(found.values())


def _count(night: Night, runs: list[tuple[str, datetime | None, datetime | None]]) -> None:
    came = [run for run in runs if run[0] in CAME]
    failed = [run for run in runs if run[0] not in CAME and run[0] not in ACTIVE]
    if came:
        punctual = any(planned is None or (started is not None and started - planned <= LATE_AFTER) for _, planned, started in came)
        scheduled_failed = any(planned is not None for _, planned, _ in failed)
        if punctual and not scheduled_failed:
            night.came += 1
        else:
            night.came_late += 1
    elif failed:
        night.missing += 1
    else:
        night.under_way += 1


def planned_on(night: date, *, now: datetime) -> int:
    """Devices in use whose plan has an occurrence in that night and is not paused then. A fixed number of queries."""
    told = Present.read(now)
    start, end = bounds(night, told.zone)
    moment = timedelta(microseconds=1)
    count = 0
    due: dict[object, datetime | None] = {}
    for row in Assignment.objects.filter(device__state=DeviceState.IN_USE).select_related("plan"):
        if row.plan_id not in due:
            found = recurrence_of(row.plan, told.zone, told.closed).between(start - moment, end - moment)
            due[row.plan_id] = max(found, default=None)
        last, pause = due[row.plan_id], told.held.of(row.plan_id, row.device_id)
        again = begins_again(pause, told.zone) if pause else None
        count += last is not None and (pause is None or (again is not None and last >= again))
    return count
