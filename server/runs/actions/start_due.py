"""What the scheduler does at each tick: start what is due, write down what was missed.

Safe to run twice at once: a run an occurrence is a constraint of the database.
"""

from datetime import datetime

from django.db import IntegrityError, transaction

from core.schedule.nights import night_of
from core.schedule.window import due, missed
from server.fleet.actions.change_device import bring_back
from server.fleet.models import DeviceState
from server.people.queries import office_zone
from server.plans.convert import recurrence_of, window_of
from server.plans.models import Assignment
from server.runs.actions.ask_run import defer_run
from server.runs.models import ACTIVE, Run, RunState, Trigger
from server.runs.queries import handled_until


def start_due(*, now: datetime) -> list[Run]:
    """The runs that were put into the queue."""
    zone, handled = office_zone(), handled_until()
    bring_back(zone=zone, now=now)
    busy = set(Run.objects.filter(state__in=ACTIVE).values_list("device_id", flat=True))
    started = []
    followed = Assignment.objects.filter(plan__paused=False, device__state=DeviceState.IN_USE)
    for assignment in followed.select_related("plan__store", "device"):
        plan, device = assignment.plan, assignment.device
        recurrence, window = recurrence_of(plan, zone), window_of(plan)
        since = max(filter(None, (handled.get(device.id), assignment.since, device.in_use_since)))
        for occurrence in missed(recurrence, window, since=since, now=now):
            _missed(assignment, occurrence, now)
        occurrence = due(recurrence, window, handled=since, now=now)
        if occurrence is not None and device.id not in busy:
            run = _new(assignment, occurrence, now)
            try:
                with transaction.atomic():
                    run.save()
                    defer_run(run)
            except IntegrityError:
                continue  # another scheduler was faster
            started.append(run)
    return started


def _new(assignment: Assignment, occurrence: datetime, now: datetime) -> Run:
    return Run(
        device=assignment.device, plan=assignment.plan, store=assignment.plan.store, trigger=Trigger.SCHEDULE,
        night=night_of(occurrence, office_zone()), planned_for=occurrence, asked_at=now,
    )  # fmt: skip


def _missed(assignment: Assignment, occurrence: datetime, now: datetime) -> None:
    run = _new(assignment, occurrence, now)
    run.state, run.finished_at = RunState.MISSED, now
    run.cause_code, run.cause = "schedule.missed", "Old Attic was not running, or another run of this device was, until the window closed."
    run.remedy = "Nothing to do: the next run takes everything that changed since the last one."
    try:
        with transaction.atomic():
            run.save()
    except IntegrityError:
        return
