"""Find out which copies a device's plan owes to its stores: what the rule keeps there, and is not there yet.

A copy that the store's own rule would remove again is not owed. What a plan does not want any more before it was begun is
forgotten; what somebody asked for stays asked for. Facts only change here, no store is touched.
"""

import logging
from dataclasses import replace
from datetime import datetime, timedelta
from uuid import UUID

from django.db import transaction
from django.db.models import Prefetch

from core.retention.rule import BY_RULE, Why
from core.retention.verdicts import verdicts
from server.fleet.models import Device, DeviceState
from server.jobs import defer_copies
from server.live import publish
from server.locks import lock_device
from server.people.clock import in_doubt
from server.people.queries import office_zone
from server.plans.models import Plan, PlanTarget
from server.plans.queries import assignment_of
from server.plans.rules import RuleBook
from server.retention.judging import moment_of
from server.runs.models import THERE, Backup, Copy, CopyState
from server.storage.models import Mode
from server.transition import move

log = logging.getLogger("attic.retention")
LACKING = (CopyState.REMOVED, CopyState.FAILED)
"""States of a row beside which a copy can be owed anew."""


def owe_copies(*, now: datetime) -> int:
    """How many became owed. One device that cannot be computed takes no other with it."""
    several = Plan.objects.filter(targets__order__gte=1)
    devices = Device.objects.filter(assignment__plan__in=several).exclude(state=DeviceState.RETIRED)
    waiting = Device.objects.filter(backups__copies__state=CopyState.OWED, backups__copies__by=None)
    count = 0
    for id in set(devices.values_list("id", flat=True)) | set(waiting.values_list("id", flat=True)):
        try:
            count += owe_copies_of(id, now=now)
        except Exception:
            log.exception("it could not be told which copies device %s is owed", id)
    return count


@transaction.atomic
def owe_copies_of(device_id: UUID, *, now: datetime) -> int:
    """How many copies of this device became owed."""
    if in_doubt():
        return 0
    lock_device(device_id)
    device, book = Device.objects.get(id=device_id), RuleBook.read()
    assignment = assignment_of(device)
    known = Backup.objects.filter(device=device_id, in_doubt=False, suspect=False).select_related("run")
    backups = list(known.prefetch_related(Prefetch("copies", Copy.objects.select_related("store", "backup"))))
    targets = [] if assignment is None else [one for one in assignment.plan.targets.all() if one.store.mode == Mode.IN_USE]
    wanted: set[tuple[UUID, UUID]] = set()
    made = 0
    for target in targets:
        owed = _owed(device, backups, target, book, now)
        wanted |= {(backup.id, target.store_id) for backup in owed}
        if new := sum(_owe(backup, target, now) for backup in owed):
            defer_copies(target.store_id)
        made += new
    forgotten = _forget(device_id, wanted)
    if made or forgotten:
        publish("changed", "copies")
    return made


def _owed(device: Device, backups: list[Backup], target: PlanTarget, book: RuleBook, now: datetime) -> list[Backup]:
    """Backups that the rule would keep in this store if they were there, and that lie intact in another one."""
    there, lacking = [], {}
    for backup in backups:
        rows = {copy.store_id: copy for copy in backup.copies.all()}
        mine = rows.get(target.store_id)
        elsewhere = [
            copy for store, copy in rows.items() if store != target.store_id and copy.state in THERE and copy.intact and not copy.by_hand
        ]
        if mine is not None and mine.state in THERE:
            there.append(moment_of(mine))
        elif elsewhere and (mine is None or (mine.state in (*LACKING, CopyState.OWED, CopyState.COPYING) and not mine.by_hand)):
            lacking[str(backup.id)] = backup
            there.append(replace(moment_of(elsewhere[0]), store=str(target.store_id)))
    if not lacking:
        return []
    applied = book.of(device, target.store_id, target.plan)
    rules = {str(target.store_id): applied.rule if applied is not None else None}
    kept = {
        one.moment.id for one in verdicts(there, rules, zone=office_zone(), now=now) if one.why & BY_RULE & ~Why.YOUNG or one.moment.hold
    }
    return [backup for id, backup in lacking.items() if id in kept]


def _owe(backup: Backup, target: PlanTarget, now: datetime) -> bool:
    """Whether it is owed from now on and was not before."""
    due = max(now, backup.finished_at + timedelta(minutes=target.delay_minutes))
    row = Copy.objects.select_for_update(of=("self",)).filter(backup=backup, store=target.store_id).first()
    if row is None:
        Copy.objects.create(backup=backup, store_id=target.store_id, state=CopyState.OWED, asked_at=now, due_at=due)
        return True
    if row.state not in LACKING or (row.state == CopyState.FAILED and row.asked_at and now - row.asked_at < timedelta(days=1)):
        return False
    move(row, CopyState.OWED, asked_at=now, due_at=due, by=None, attempts=0, cause="", remedy="", reference="", progress={})
    return True


def _forget(device_id: UUID, wanted: set[tuple[UUID, UUID]]) -> int:
    """Copies that were owed to a plan and are not any more, none of them begun."""
    owed = Copy.objects.filter(backup__device=device_id, state=CopyState.OWED, by=None).exclude(store__mode=Mode.PAUSED)
    going = [row.id for row in owed if (row.backup_id, row.store_id) not in wanted]
    for row in Copy.objects.select_for_update(of=("self",)).filter(id__in=going, removed_at__isnull=False):
        move(row, CopyState.REMOVED, asked_at=None, due_at=None, cause="", remedy="")
    return Copy.objects.filter(id__in=going, state=CopyState.OWED).delete()[0] if going else 0
