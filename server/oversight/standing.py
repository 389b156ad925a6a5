"""Each device's standing against its promise, computed once for a whole list."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from typing import Any
from uuid import UUID

from django.db.models import F, OuterRef, Subquery, Sum

from core.schedule.promise import Standing, State, state_of
from server.fleet.convert import aside
from server.fleet.models import Absence, Device
from server.fleet.queries import devices
from server.plans.convert import next_run, recurrence_of
from server.plans.models import Pause, Plan
from server.plans.present import Present
from server.plans.queries import begins_again
from server.plans.soundness import fault_of
from server.runs.queries import with_newest
from server.storage.models import Occupancy

WORST_FIRST = [
    Standing.LATE, Standing.NEVER, Standing.DUE_SOON, Standing.NO_PLAN, Standing.LOST, Standing.PAUSED, Standing.AWAY, Standing.ON_TIME,
    Standing.RETIRED,
]  # fmt: skip


LOOKED_BACK = timedelta(days=730)
LEFT_OUT_AHEAD, FURTHEST = timedelta(days=14), timedelta(days=60)
"""How many days that do not count are reckoned with; how far ahead a change of standing is looked for."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Standings:
    """One row of the devices list."""

    device: Any
    """Device as `with_newest` made it."""
    plan: Plan | None
    state: State
    next_run: datetime | None
    held_bytes: int
    """Fair share in all stores."""
    pause: Pause | None = None
    """What holds its runs back."""
    plan_fault: str = ""
    """Why its plan cannot be computed; empty when it can."""

    @property
    def overdue_seconds(self) -> float:
        """Grows with lateness; 0 without a deadline."""
        return 0.0 if self.state.deadline is None else -self.state.deadline.timestamp()


def standings(*, now: datetime, only: Iterable[UUID] | None = None, present: Present | None = None) -> list[Standings]:
    """Every device, worst first: a fixed number of queries, whatever the number of devices; fewer when `present` was read before."""
    read = present or Present.read(now)
    held = Occupancy.objects.filter(device=OuterRef("pk")).order_by().values("device").annotate(sum=Sum("fair_bytes")).values("sum")
    query = with_newest(devices().annotate(plan_id=F("assignment__plan_id"), held_bytes=Subquery(held)), only=only)
    known = Plan.objects.in_bulk()
    plans = {device.id: known[device.plan_id] for device in query if device.plan_id is not None}
    faults = {plan.id: fault_of(plan, zone=read.zone, closed=read.closed, now=now) for plan in known.values()}
    sound = [plan for plan in known.values() if not faults[plan.id]]
    nexts = {plan.id: next_run(plan, read.zone, now, read.closed) for plan in sound}
    later = {plan.id: _later(plan, read) for plan in sound}
    away = absences(now=now) if any(plan.leaves_out_away_days for plan in plans.values()) else {}
    rows = []
    for device in query:
        plan = plans.get(device.id)
        pause = read.held.of(plan.id, device.id) if plan else None
        upcoming = _upcoming(plan, pause, read, nexts)
        state = state_of(
            newest=device.newest_at,
            promise_seconds=plan.promise_seconds if plan else None,
            next_run=upcoming,
            later_runs=later.get(plan.id, ()) if plan and upcoming else (),
            now=now,
            aside=aside(device) or (Standing.PAUSED if pause else None),
            left_out=left_out_days(plan, read.closed, away.get(device.id, ())) if plan else (),
            zone=read.zone,
        )
        if state.standing is Standing.NEVER and device.damaged_at is not None:
            state = replace(state, standing=Standing.LATE)  # it has a backup, and not a whole one
        fault, bytes_held = faults[plan.id] if plan else "", device.held_bytes or 0
        rows.append(
            Standings(device=device, plan=plan, state=state, next_run=upcoming, held_bytes=bytes_held, pause=pause, plan_fault=fault)
        )
    return sorted(rows, key=_order)


def _later(plan: Plan, present: Present) -> list[datetime]:
    """Planned runs as far ahead as its promise can reach, and not further than anybody looks."""
    reach = min(timedelta(seconds=plan.promise_seconds) + LEFT_OUT_AHEAD, FURTHEST)
    return list(recurrence_of(plan, present.zone, present.closed).between(present.now, present.now + reach))


def _upcoming(plan: Plan | None, pause: Pause | None, present: Present, nexts: dict[UUID, datetime | None]) -> datetime | None:
    if plan is None or pause is None:
        return nexts.get(plan.id) if plan else None
    again = begins_again(pause, present.zone) if plan.id in nexts else None
    return None if again is None else next_run(plan, present.zone, max(again - timedelta(microseconds=1), present.now), present.closed)


def left_out_days(plan: Plan, closed: frozenset[date], away: Iterable[date]) -> frozenset[date]:
    """Days that do not count towards the age that the plan promises."""
    days = closed if plan.leaves_out_closed_days else frozenset()
    return days | frozenset(away) if plan.leaves_out_away_days else days


def absences(*, now: datetime) -> dict[UUID, frozenset[date]]:
    """Device → the days on which it is, or was, known to be away, of the last two years and the coming one. One query."""
    first, last = (now - LOOKED_BACK).date(), (now + timedelta(days=366)).date()
    nights: dict[UUID, set[date]] = {}
    for device, begin, end in Absence.objects.filter(first_day__gte=first).values_list("device_id", "first_day", "last_day"):
        days = nights.setdefault(device, set())
        day, until = begin, min(end or last, last)
        while day <= until:
            days.add(day)
            day += timedelta(days=1)
    return {device: frozenset(days) for device, days in nights.items()}


def _order(row: Standings) -> tuple[int, float, str]:
    age = row.device.newest_at.timestamp() if row.device.newest_at else 0.0
    return WORST_FIRST.index(row.state.standing), age, row.device.name


def standing_of(device: Device, *, now: datetime) -> Standings:
    """Of one device; the same queries as for all."""
    return standings(now=now, only=[device.id])[0]
