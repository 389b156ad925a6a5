"""What the scheduler does at each tick: start what is due in the order of the line-up, write down what was missed.

Starts no more than there are places, so that a server which was off does not begin with a stampede. Safe to run
twice at once: a run an occurrence is a constraint of the database.
"""

from collections import Counter, defaultdict
from datetime import date, datetime, timedelta
from functools import partial
from uuid import UUID
from zoneinfo import ZoneInfo

from django.db import IntegrityError, transaction
from django.db.models import Q

from core.schedule.nights import night_of
from core.schedule.window import LONGEST_CATCH_UP, Slot, owed, slots
from server.fleet.actions.change_device import bring_back
from server.fleet.actions.keep_absences import keep_absences
from server.fleet.models import DeviceState
from server.jobs import defer_run
from server.live import publish
from server.people.queries import closed_days, office_zone
from server.plans.actions.join_by_team import join_by_team
from server.plans.actions.pause import end_pauses
from server.plans.convert import recurrence_of, window_of
from server.plans.models import Assignment, Plan
from server.plans.queries import OF_THEIR_PLANS, pauses
from server.plans.soundness import or_else
from server.runs.actions.heartbeat import heartbeat
from server.runs.actions.line_up_night import places
from server.runs.actions.requeue import let_go, requeue_due, requeue_lost_runs
from server.runs.models import ACTIVE, LinedUp, Run, RunState, Trigger
from server.runs.queries import handled_until

OWED_BACK = timedelta(days=60)
"""Nights further back are not owed any more, nor written down as missed."""


def start_due(*, now: datetime) -> list[Run]:
    """The runs that were put into the queue."""
    zone = office_zone()
    bring_back(zone=zone, now=now)
    end_pauses(zone=zone, now=now)
    join_by_team(now=now)
    keep_absences(zone=zone, now=now)
    let_go(now=now)
    requeue_due(now=now)
    requeue_lost_runs(now=now)
    assignments, overdue = _owed(zone, now)
    _write_missed(overdue, zone, now)
    started = _start(assignments, zone, now) if assignments else []
    heartbeat("scheduler", now=now)
    return started


Owed = tuple[Assignment, Slot]


def _owed(zone: ZoneInfo, now: datetime) -> tuple[list[Owed], list[Owed]]:
    """(what is due now, what was given up), of every device in use whose plan is not paused."""
    closed, held = closed_days(), pauses(now=now)
    handled = handled_until(since=now - OWED_BACK, now=now)
    followed = Assignment.objects.filter(device__state=DeviceState.IN_USE).select_related("plan", "device").prefetch_related(OF_THEIR_PLANS)
    by_plan: dict[UUID, list[tuple[Assignment, datetime]]] = defaultdict(list)
    for assignment in followed:
        plan_id, device = assignment.plan_id, assignment.device
        if held.of(plan_id, device.id) is None:
            ends = (handled.get(device.id), assignment.since, device.in_use_since, held.resumed(plan_id, device.id), now - OWED_BACK)
            by_plan[plan_id].append((assignment, max(end for end in ends if end is not None)))
    due: list[Owed] = []
    overdue: list[Owed] = []
    for entries in by_plan.values():
        plan = entries[0][0].plan
        earliest = min(since for _, since in entries)
        slots = or_else(plan, partial(_slots_of, plan, zone, closed, min(earliest, now), now), [])
        for assignment, since in entries:
            wanted, over = owed(slots, since=since, now=now)
            overdue += [(assignment, slot) for slot in over]
            due += [(assignment, wanted)] if wanted is not None else []
    return due, overdue


def _slots_of(plan: Plan, zone: ZoneInfo, closed: frozenset[date], after: datetime, until: datetime) -> list[Slot]:
    return slots(recurrence_of(plan, zone, closed), window_of(plan), after=after, until=until)


def _start(due: list[Owed], zone: ZoneInfo, now: datetime) -> list[Run]:
    """In the order of the line-up, as long as there are places."""
    held = places()
    in_hand = Run.objects.filter(state__in=ACTIVE).filter(Q(state=RunState.RUNNING) | Q(next_try_at__isnull=True))
    writing = Counter(str(store) for store in in_hand.values_list("store_id", flat=True))
    busy = set(Run.objects.filter(state__in=ACTIVE).values_list("device_id", flat=True))
    lined = {
        (row.device_id, row.planned_for): row
        for row in LinedUp.objects.filter(planned_for__gte=now - LONGEST_CATCH_UP, planned_for__lte=now)
    }
    started: list[Run] = []

    def order(owed: Owed) -> tuple[bool, datetime, int, str]:
        row = lined.get((owed[0].device_id, owed[1].opens))
        return (row is None, row.starts_at if row else owed[1].opens, -row.expected_seconds if row else 0, str(owed[0].device_id))

    for assignment, slot in sorted(due, key=order):
        store = str(assignment.plan.store_id)
        if writing.total() >= held.readers:
            break
        if assignment.device_id in busy or writing[store] >= held.writers.get(store, held.readers):
            continue
        row = lined.get((assignment.device_id, slot.opens))
        run = _new(assignment, slot, zone, now)
        run.expected_seconds = row.expected_seconds if row else None
        try:
            with transaction.atomic():
                run.save(force_insert=True)
                defer_run(run.id, run.device_id)
        except IntegrityError:
            continue  # another scheduler was faster
        writing[store] += 1
        started.append(run)
    return started


def _new(assignment: Assignment, slot: Slot, zone: ZoneInfo, now: datetime) -> Run:
    return Run(
        device=assignment.device, plan=assignment.plan, store=assignment.plan.store, trigger=Trigger.SCHEDULE,
        night=night_of(slot.opens, zone), planned_for=slot.opens, gives_up_at=slot.gives_up, asked_at=now,
    )  # fmt: skip


def _write_missed(overdue: list[Owed], zone: ZoneInfo, now: datetime) -> None:
    rows = [_new(assignment, slot, zone, now) for assignment, slot in overdue]
    for run in rows:
        run.state, run.finished_at, run.cause_code = RunState.MISSED, now, "schedule.missed"
        run.cause = "Old Attic was not running, or other runs took up its time, until the window closed."
        run.remedy = "Nothing to do: the next run takes everything that changed since the last one."
    Run.objects.bulk_create(rows, ignore_conflicts=True)
    if rows:
        publish("changed", "devices")
