"""The ribbon: what was due in each of the last fourteen nights, what came, what did not; tonight and tomorrow."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from functools import partial
from uuid import UUID
from zoneinfo import ZoneInfo

from django.db.models import Count, F, Q

from core.schedule.nights import bounds, coming_night
from server.fleet.models import DeviceState
from server.people.queries import office_zone
from server.plans.convert import recurrence_of
from server.plans.models import Assignment, Plan
from server.plans.present import Present
from server.plans.queries import begins_again
from server.plans.soundness import or_else
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
    return nights_between(tonight - timedelta(days=NIGHTS), tonight)


def last_night(*, now: datetime, zone: ZoneInfo) -> Night:
    """The night before the coming one."""
    tonight = coming_night(now, zone)
    return nights_between(tonight - timedelta(days=1), tonight)[0]


_CAME, _ACTIVE = Q(state__in=CAME), Q(state__in=ACTIVE)
_PUNCTUAL = _CAME & (Q(planned_for__isnull=True) | Q(started_at__lte=F("planned_for") + LATE_AFTER))
_COUNTS = {
    "came": Count("id", filter=_CAME),
    "punctual": Count("id", filter=_PUNCTUAL),
    "failed": Count("id", filter=~_CAME & ~_ACTIVE),
    "failed_by_plan": Count("id", filter=~_CAME & ~_ACTIVE & Q(planned_for__isnull=False)),
}


def nights_between(first: date, end: date) -> list[Night]:
    """The nights from `first` on, before `end`, oldest first. One query: it counts a device's runs of a night, this counts devices."""
    nights = {first + timedelta(days=n): Night(night=first + timedelta(days=n)) for n in range((end - first).days)}
    rows = Run.objects.filter(night__gte=first, night__lt=end).order_by().values("night", "device_id").annotate(**_COUNTS)
    for day, came, punctual, failed, failed_by_plan in rows.values_list("night", *_COUNTS):
        night = nights[day]
        if came:
            in_time = punctual and not failed_by_plan
            night.came += bool(in_time)
            night.came_late += not in_time
        elif failed:
            night.missing += 1
        else:
            night.under_way += 1
    return list(nights.values())


def planned_on(night: date, *, now: datetime) -> int:
    """Devices in use whose plan has an occurrence in that night and is not paused then. A fixed number of queries."""
    followed = Assignment.objects.filter(device__state=DeviceState.IN_USE).values_list("plan_id", "device_id")
    return planned_of(night, list(followed), Plan.objects.in_bulk(), Present.read(now))


def planned_of(night: date, followed: Iterable[tuple[UUID, UUID]], plans: Mapping[UUID, Plan], present: Present) -> int:
    """How many of those (plan, device) have an occurrence in that night and are not paused then."""
    start, end = bounds(night, present.zone)
    moment = timedelta(microseconds=1)
    count = 0
    due: dict[UUID, datetime | None] = {}
    for plan_id, device_id in followed:
        if plan_id not in due:
            due[plan_id] = or_else(plans[plan_id], partial(_last_in, plans[plan_id], present, start - moment, end - moment), None)
        last, pause = due[plan_id], present.held.of(plan_id, device_id)
        again = begins_again(pause, present.zone) if pause else None
        count += last is not None and (pause is None or (again is not None and last >= again))
    return count


def _last_in(plan: Plan, present: Present, after: datetime, until: datetime) -> datetime | None:
    return max(recurrence_of(plan, present.zone, present.closed).between(after, until), default=None)
