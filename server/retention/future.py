"""What there will be to go back to: of one device month by month, and of the office week by week as it is now."""

from collections import defaultdict
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any
from uuid import UUID

from dateutil.relativedelta import relativedelta
from django.db.models import Count
from django.db.models.functions import TruncWeek

from server.fleet.models import Device
from server.people.queries import office_zone
from server.plans.soundness import or_else
from server.retention.judging import Context, judged
from server.runs.models import THERE, Backup, Copy

MONTHS = 12
MOST_WEEKS = 104


@dataclass(frozen=True, slots=True, kw_only=True)
class Day:
    """What can be restored on a day, if the plan goes on as it does."""

    day: date
    kept: list[datetime]
    """Of the backups that lie there now, newest first."""
    planned: list[datetime]
    """Of those that are to come."""


def future(device: Device, store: UUID | None, *, now: datetime) -> list[Day]:
    """Today and the same day of each of the next twelve months; in one store, or in any."""
    zone = office_zone()
    device_judged = judged(device, Context.read(now))
    lives = (
        device_judged.lives(now, days=366)
        if device_judged.plan is None
        else or_else(device_judged.plan, lambda: device_judged.lives(now, days=366), [])
    )
    mine = [life for life in lives if store is None or life.moment.store == str(store)]
    today = now.astimezone(zone).date()
    rows = []
    for month in range(MONTHS + 1):
        day = today + relativedelta(months=month)
        at = now if month == 0 else datetime.combine(day, time(12), zone)
        there = [life for life in mine if life.moment.at <= at and (life.until is None or life.until > at)]
        kept = {life.moment.at for life in there if not life.planned}
        planned = {life.moment.at for life in there if life.planned}
        rows.append(Day(day=day, kept=sorted(kept, reverse=True), planned=sorted(planned, reverse=True)))
    return rows


@dataclass(frozen=True, slots=True, kw_only=True)
class LeavingDay:
    """A day on which something begins to leave."""

    day: date
    moments: list[datetime]
    """Newest first."""
    left: int
    """Moments of now and to come that can be restored at the end of that day."""


def endings(device: Device, store: UUID | None, *, now: datetime) -> list[LeavingDay]:
    """Day by day for a year, those days only on which something begins to leave; in one store, or the last store that has it."""
    zone = office_zone()
    device_judged = judged(device, Context.read(now))
    lives = (
        device_judged.lives(now, days=366)
        if device_judged.plan is None
        else or_else(device_judged.plan, lambda: device_judged.lives(now, days=366), [])
    )
    until: dict[tuple[str, datetime], datetime | None] = {}
    for life in lives:
        if store is None or life.moment.store == str(store):
            key, before = (life.moment.id, life.moment.at), until.get((life.moment.id, life.moment.at), now)
            until[key] = None if before is None or life.until is None else max(before, life.until)
    days: dict[date, list[datetime]] = defaultdict(list)
    for (_, at), end in until.items():
        if end is not None and end > now:
            days[end.astimezone(zone).date()].append(at)
    rows = []
    for day in sorted(days):
        close = datetime.combine(day + timedelta(days=1), time(), zone)
        left = sum(at < close and (end is None or end >= close) for (_, at), end in until.items())
        rows.append(LeavingDay(day=day, moments=sorted(days[day], reverse=True), left=left))
    return rows


def restore_points(*, weeks: int, now: datetime, team: int | None = None) -> tuple[list[date], list[dict[str, Any]]]:
    """(Mondays, oldest first; {device, counts}): backups that can be restored by the week in which they were made. Two queries."""
    zone = office_zone()
    this_week = now.astimezone(zone).date()
    first = this_week - timedelta(days=this_week.weekday()) - timedelta(weeks=weeks - 1)
    mondays = [first + timedelta(weeks=n) for n in range(weeks)]
    devices = Device.objects.filter(team=team) if team is not None else Device.objects.all()
    held = Backup.objects.filter(id__in=Copy.objects.filter(state__in=THERE, intact=True).values("backup"), device__in=devices)
    rows = held.order_by().annotate(week=TruncWeek("finished_at", tzinfo=zone)).values_list("device_id", "week").annotate(Count("id"))
    counts: dict[UUID, dict[date, int]] = defaultdict(dict)
    for device, week, count in rows:
        counts[device][week.astimezone(zone).date()] = count
    fields = [
        {"device": device, "counts": [counts[device.id].get(monday, 0) for monday in mondays], "older": _older(counts[device.id], first)}
        for device in devices.select_related("holder", "team").order_by("team__name", "name", "id")
    ]
    return mondays, fields


def _older(counts: dict[date, int], first: date) -> int:
    return sum(count for week, count in counts.items() if week < first)
