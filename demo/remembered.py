"""Nights that are history only: their runs are on record, their copies were removed by retention long ago.

Nobody reads bytes for them; what they tell is drawn from a seed around the device's first real backup. The nights
that the rules of the plans still keep, the last ones and the newest of each week, are real.
"""

import random
from datetime import date, datetime, timedelta
from uuid import UUID
from zoneinfo import ZoneInfo

from core.schedule.nights import bounds, night_of
from core.schedule.promise import Standing, deadline_of
from server.fleet.models import Device
from server.oversight.models import PromiseDay
from server.oversight.promises import mornings_between
from server.oversight.standing import absences, left_out_days
from server.people.queries import closed_days
from server.plans.convert import recurrence_of
from server.plans.models import Assignment, Plan
from server.plans.queries import OF_THEIR_PLANS
from server.runs.models import Backup, Copy, CopyState, Run, RunState, Trigger
from server.runs.sentences import log_line

REAL_NIGHTS = 4
SUNDAY = 6
EARLIER_NIGHTS = 30
REMEMBERED_MORNINGS = 14
"""How many nights before the demo's first one are on record, too."""
_CAUSES = (
    ("link.away", "The device does not answer on the office network.", "Put the device on the office network or plug it in."),
    ("link.locked", "The device is locked.", "Ask its holder to unlock the device, then run again."),
)


def is_remembered(night: date, back: int) -> bool:
    """Whether this night, counted from the last one, which is 1, is history only."""
    return back > REAL_NIGHTS and night.weekday() != SUNDAY


def remember(nights: list[date], zone: ZoneInfo) -> None:
    """Put runs and removed copies of these nights on record."""
    runs: list[Run] = []
    backups: list[Backup] = []
    for assignment in Assignment.objects.select_related("plan", "device").prefetch_related(OF_THEIR_PLANS):
        model = Backup.objects.filter(device=assignment.device).order_by("finished_at").first()
        due = _due(assignment.plan, nights, zone)
        for night in nights:
            if night in due:
                run, backup = _night(assignment.device, assignment.plan, night, zone, model)
                runs.append(run)
                if backup is not None:
                    backups.append(backup)
    Run.objects.bulk_create(runs)
    Backup.objects.bulk_create(backups)
    why = "The rule of its plan no longer kept it."
    Copy.objects.bulk_create(
        Copy(
            backup=backup,
            store=backup.run.store,
            state=CopyState.REMOVED,
            removed_at=backup.finished_at + timedelta(days=6),
            removed_why=why,
            checked_at=backup.finished_at + timedelta(days=1),
        )
        for backup in backups
        if backup.run is not None
    )


def _due(plan: Plan, nights: list[date], zone: ZoneInfo) -> set[date]:
    """Those of the nights in which the plan would have run, had it been there already."""
    if not nights:
        return set()
    recurrence = recurrence_of(plan, zone, back=timedelta(weeks=52))
    first, last = bounds(min(nights), zone)[0], bounds(max(nights), zone)[1]
    return {night_of(at, zone) for at in recurrence.between(first, last)}


def _night(device: Device, plan: Plan, night: date, zone: ZoneInfo, model: Backup | None) -> tuple[Run, Backup | None]:
    draw = random.Random(f"{device.serial or device.name} {night}")  # noqa: S311 - a made-up history
    planned = datetime.combine(night, plan.starts_at, zone)
    started = planned + timedelta(seconds=draw.randint(2, 4000))
    run = Run(
        id=UUID(bytes=draw.randbytes(16), version=4), device=device, plan=plan, store=plan.store, trigger=Trigger.SCHEDULE, night=night,
        planned_for=planned, asked_at=planned, started_at=started, attempts=1,
    )  # fmt: skip
    if model is None or draw.random() < 0.06:
        run.cause_code, run.cause, run.remedy = draw.choice(_CAUSES) if model else _CAUSES[0]
        run.state, run.finished_at, run.attempts = RunState.FAILED, planned + timedelta(hours=8), 9
        run.log = [log_line(started, "Started."), log_line(run.finished_at, run.cause)]
        return run, None
    run.state, run.finished_at = RunState.COMPLETE, started + timedelta(seconds=draw.randint(20, 400))
    part = draw.uniform(0.94, 0.99)
    run.read_bytes = int(model.size_bytes * draw.uniform(0.005, 0.05))
    run.stored_bytes = int(run.read_bytes * draw.uniform(0.5, 0.9))
    run.log = [log_line(started, "Started.")]
    kinds = [entry | {"items": int(entry["items"] * part), "size_bytes": int(entry["size_bytes"] * part)} for entry in model.kinds]
    backup = Backup(
        id=UUID(bytes=draw.randbytes(16), version=4), device=device, run=run, finished_at=run.finished_at,
        items=sum(entry["items"] for entry in kinds), size_bytes=sum(entry["size_bytes"] for entry in kinds), kinds=kinds,
        family=model.family, os_version=model.os_version,
    )  # fmt: skip
    return run, backup


def remember_mornings(zone: ZoneInfo, *, now: datetime) -> None:
    """How each device stood on the mornings that nobody recorded, from the backups that it had by then."""
    closed, away = closed_days(), absences(now=now)
    first = now.astimezone(zone).date() - timedelta(days=EARLIER_NIGHTS + REMEMBERED_MORNINGS)
    had = set(PromiseDay.objects.values_list("day", flat=True).distinct())
    mornings = {day: at for day, at in mornings_between(first, now.astimezone(zone).date(), zone).items() if day not in had and at < now}
    rows = []
    for assignment in Assignment.objects.select_related("plan", "device"):
        taken = list(Backup.objects.filter(device=assignment.device).order_by("finished_at").values_list("finished_at", flat=True))
        left_out = left_out_days(assignment.plan, closed, away.get(assignment.device_id, frozenset()))
        for day, morning in mornings.items():
            newest = max((at for at in taken if at <= morning), default=None)
            if newest is None:
                continue
            inside = deadline_of(newest, assignment.plan.promise_seconds, left_out=left_out, zone=zone) >= morning
            standing = Standing.ON_TIME if inside else Standing.LATE
            rows.append(PromiseDay(day=day, device=assignment.device, team_id=assignment.device.team_id, standing=standing, kept=inside))
    PromiseDay.objects.bulk_create(rows)
