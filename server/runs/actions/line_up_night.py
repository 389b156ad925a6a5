"""Line up the coming night: which run starts when, and what will not fit. Written down, and the record of the night later.

Made anew while the night lies ahead; what has started already stays as it was planned.
"""

from collections.abc import Sequence
from datetime import date, datetime, timedelta
from functools import partial
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

from django.db import transaction
from django.db.models import Subquery

from core.quota.admission import AdmissionWish, Room, admit_night, usual_stored_bytes
from core.schedule.line_up import LineUpJob, LineUpPlaces, Placed, line_up
from core.schedule.nights import bounds, coming_night, night_of
from core.schedule.recurrence import Recurrence
from core.schedule.window import Slot, Window, slots
from core.units import iec
from server.fleet.models import DeviceState
from server.live import publish
from server.people.queries import closed_days, office_settings, office_zone
from server.plans.convert import recurrence_of, window_of
from server.plans.models import Assignment, Plan
from server.plans.queries import OF_THEIR_PLANS, begins_again, pauses
from server.plans.soundness import or_else
from server.runs.actions.heartbeat import heartbeat
from server.runs.expectation import LOOKED_BACK, Expectations, expectations
from server.runs.models import LinedUp, Run
from server.runs.queries import newest_good
from server.runs.rooms import keys_of, rooms_tonight, stored_by_runs
from server.storage.models import Mode, Store

Wanted = dict[tuple[UUID, datetime], tuple[Assignment, Slot, datetime]]
"""(device, occurrence) → who follows what, its slot, and until when the one after it could come."""
NO_OTHER = timedelta(days=2)
"""A plan without another occurrence: whoever is left out tonight is left out for longer than a night."""


@transaction.atomic
def line_up_night(*, now: datetime) -> list[LinedUp]:
    """The coming night's places, in the order of starting."""
    heartbeat("line_up", now=now)
    zone = office_zone()
    night = coming_night(now, zone)
    wanted = _wanted(zone, now, bounds(night, zone)[1])
    begun = set(Run.objects.filter(planned_for__gt=now, planned_for__isnull=False).values_list("device_id", "planned_for"))
    open_ones = {key: slot for key, slot in wanted.items() if key not in begun}
    rows = _rows(open_ones, _jobs(open_ones, expectations(now=now)), zone, now)
    stale = LinedUp.objects.filter(planned_for__gt=now)
    kept = {(row.device_id, row.planned_for) for row in rows} | begun
    gone = [id for id, device, planned in stale.values_list("id", "device_id", "planned_for") if (device, planned) not in kept]
    LinedUp.objects.filter(id__in=gone).delete()
    LinedUp.objects.bulk_create(
        rows,
        update_conflicts=True,
        unique_fields=["device", "planned_for"],
        update_fields=[
            "plan",
            "store",
            "night",
            "closes_at",
            "starts_at",
            "ends_at",
            "expected_seconds",
            "basis",
            "late",
            "fits",
            "expected_bytes",
            "no_room",
            "short_room",
            "made_at",
        ],
    )
    publish("changed", "line_up")
    return rows


def places() -> LineUpPlaces:
    """How many runs read and write at the same time. Two queries."""
    writers = {str(id): count for id, count in Store.objects.values_list("id", "max_writers")}
    return LineUpPlaces(readers=office_settings().max_runs, writers=writers)


def _wanted(zone: ZoneInfo, now: datetime, until: datetime) -> Wanted:
    """Every occurrence from now on that somebody waits for."""
    closed, held = closed_days(), pauses(now=now)
    newest = newest_good("device_id").values("finished_at")[:1]
    followed = Assignment.objects.filter(device__state=DeviceState.IN_USE).select_related("plan", "device").prefetch_related(OF_THEIR_PLANS)
    assignments: Wanted = {}
    by_plan: dict[Any, list[tuple[Slot, datetime]]] = {}
    for assignment in followed.annotate(newest_at=Subquery(newest)):
        plan, device = assignment.plan, assignment.device
        if plan.id not in by_plan:
            by_plan[plan.id] = or_else(plan, partial(_slots_of, plan, zone, closed, now, until), [])
        pause = held.of(plan.id, device.id)
        again = begins_again(pause, zone) if pause is not None else None
        for slot, next_chance in by_plan[plan.id]:
            if pause is None or (again is not None and slot.opens >= again):
                assignments[device.id, slot.opens] = (assignment, slot, next_chance)
    return assignments


def _slots_of(plan: Plan, zone: ZoneInfo, closed: frozenset[date], now: datetime, until: datetime) -> list[tuple[Slot, datetime]]:
    return _with_the_next(recurrence_of(plan, zone, closed), window_of(plan), now, until)


def _with_the_next(recurrence: Recurrence, window: Window, now: datetime, until: datetime) -> list[tuple[Slot, datetime]]:
    """The slots up to `until`, each with the closing of the one after it."""
    due = slots(recurrence, window, after=now, until=until)
    if not due:
        return []
    following = recurrence.following(due[-1].opens, 1)
    last = window.closes_at(following[0], recurrence.zone) if following else until + NO_OTHER
    return list(zip(due, [*(slot.closes for slot in due[1:]), last], strict=True))


def _jobs(wanted: Wanted, expect: Expectations) -> dict[str, tuple[LineUpJob, str]]:
    """Key → the job and what its duration was expected from."""
    made = {}
    for number, (assignment, slot, next_chance) in enumerate(wanted.values()):
        expected = expect.of(assignment.device, assignment.plan)
        newest: datetime | None = getattr(assignment, "newest_at", None)
        late = newest is None or (next_chance - newest).total_seconds() > assignment.plan.promise_seconds
        key = f"{number:06}"
        job = LineUpJob(
            key=key, expected_seconds=expected.seconds, opens=slot.opens, closes=slot.closes, store=str(assignment.plan.store_id), late=late
        )
        made[key] = (job, str(expected.basis))
    return made


def _room_for(
    entries: Sequence[tuple[Assignment, Slot, datetime]], placed: Sequence[Placed], now: datetime
) -> tuple[dict[UUID, int], dict[str, tuple[str, str]]]:
    """Device → what its run is expected to store; key → key and words of the room that is too small for it. In the order of starting."""
    assigned = [entries[int(one.key)][0] for one in placed]
    usual = stored_by_runs({one.device_id for one in assigned}, since=now - LOOKED_BACK)
    expected = {device: bytes_expected for device, stored in usual.items() if (bytes_expected := usual_stored_bytes(stored)) is not None}
    rooms = rooms_tonight(Store.objects.filter(mode=Mode.IN_USE, trouble=""), now=now)
    wishes = [
        AdmissionWish(key=one.key, expected_bytes=expected.get(mine.device_id, 0), rooms=keys_of(mine.device, mine.plan.store_id))
        for one, mine in zip(placed, assigned, strict=True)
    ]
    short = admit_night(wishes, rooms)
    return expected, {key: (room, _short_words(rooms[room])) for key, room in short.items()}


def _short_words(room: Room) -> str:
    return f"{room.name} has {iec(max(0, (room.left_bytes or 0) - room.reserve_bytes))} left for runs"[:200]


def _rows(wanted: Wanted, jobs: dict[str, tuple[LineUpJob, str]], zone: ZoneInfo, now: datetime) -> list[LinedUp]:
    entries = list(wanted.values())
    placed: list[Placed] = list(line_up([job for job, _ in jobs.values()], places()))
    expected, no_room = _room_for(entries, placed, now)
    rows = []
    for one in placed:
        room, says = no_room.get(one.key, ("", ""))
        (assignment, slot, _), (job, basis) = entries[int(one.key)], jobs[one.key]
        rows.append(
            LinedUp(
                device=assignment.device, plan=assignment.plan, store_id=assignment.plan.store_id, night=night_of(slot.opens, zone),
                planned_for=slot.opens, closes_at=slot.closes, starts_at=one.starts, ends_at=one.ends,
                expected_seconds=round(job.expected_seconds), basis=basis, late=job.late, fits=one.fits, made_at=now,
                expected_bytes=expected.get(assignment.device_id, 0), no_room=says, short_room=room,
            )
        )  # fmt: skip
    return rows
