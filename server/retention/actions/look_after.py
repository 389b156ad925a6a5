"""Look after the pile: remove what the rule no longer keeps, sweep, measure.

The vault forgets a backup first, the database notes it second: interrupted in between, the next time
finds nothing left to remove and notes it then.
"""

from datetime import datetime
from uuid import UUID

from django.db import transaction

from core.errors import AtticError
from core.retention.rule import verdicts
from core.vault.sweep import sweep
from server.fleet.models import Device
from server.outside import outside
from server.people.actions.journal import write_journal
from server.people.queries import office_zone
from server.plans.convert import rule_of
from server.plans.queries import assignment_of
from server.retention.convert import moment_of
from server.runs.live import tell
from server.runs.models import Copy
from server.storage.actions.measure import measure_store
from server.storage.models import Store
from server.storage.queries import opened


def look_after(device_id: UUID, store_id: UUID, *, now: datetime | None = None) -> int:
    """After a run: how many copies of the device were removed from the store."""
    now = now or outside().now()
    device, store = Device.objects.get(id=device_id), Store.objects.get(id=store_id)
    try:
        removed = apply_rule(device, store, now=now)
    except AtticError as error:
        store.trouble = error.message[:300]
        store.save(update_fields=["trouble"])
        return 0
    if removed:
        sweep_store(store, now=now)
    measure_store(store, now=now)
    tell("changed", "stores")
    return removed


def apply_rule(device: Device, store: Store, *, now: datetime) -> int:
    """Remove the copies that the device's rule no longer keeps. Without a plan nothing is removed."""
    assignment = assignment_of(device)
    if assignment is None or assignment.plan.store_id != store.id:
        return 0
    copies = {
        str(copy.backup_id): copy
        for copy in Copy.objects.filter(backup__device=device, store=store, removed_at__isnull=True).select_related("backup")
    }
    found = verdicts([moment_of(copy) for copy in copies.values()], rule_of(assignment.plan), zone=office_zone(), now=now)
    going = [copies[verdict.moment.id] for verdict in found if not verdict.kept]
    if not going:
        return 0
    vault = opened(store)
    for copy in going:
        vault.remove(copy.backup_id.bytes)
    with transaction.atomic():
        why = f"The rule of the plan {assignment.plan.name} no longer keeps it."
        Copy.objects.filter(id__in=[copy.id for copy in going]).update(removed_at=now, removed_why=why[:200])
        days = ", ".join(f"{copy.backup.finished_at.astimezone(office_zone()):%Y-%m-%d %H:%M}" for copy in going)
        says = f"{len(going)} of {device.name} left {store.name} by the rule of {assignment.plan.name}: {days}"
        write_journal(who=None, what="backup.fell_out", says=says, at=now, device=device.id, store=store.id)
    return len(going)


def sweep_store(store: Store, *, now: datetime) -> None:
    """Free what no backup needs. A store in trouble is noted as such."""
    try:
        report = sweep(opened(store), now=now)
    except AtticError as error:
        store.trouble = error.message[:300]
        store.save(update_fields=["trouble"])
        return
    store.waiting_bytes = report.marked_bytes
    store.save(update_fields=["waiting_bytes"])
