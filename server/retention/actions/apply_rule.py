"""Apply a device's rule to its copies in one store: decide, and mark what leaves. The store is not touched here.

Everything is read under the lock of the device and decided there, so that a hold, a restore or a copy that was
answered before counts, and one that comes later is refused. Two stores judged at once follow each other.
"""

from datetime import datetime

from django.db import transaction

from core.retention.rule import verdicts
from server.fleet.models import Device
from server.locks import lock_device
from server.people.actions.journal import write_journal
from server.people.clock import believe_clock
from server.people.queries import office_zone
from server.plans.convert import rule_of
from server.plans.queries import assignment_of
from server.retention.convert import moment_of
from server.runs.models import Copy, CopyState
from server.runs.protection import in_use
from server.storage.models import Store
from server.transition import transition


@transaction.atomic
def apply_rule(device: Device, store: Store, *, now: datetime) -> int:
    """How many copies leave the store. Without a plan nothing does; what is in use stays for another night.

    Backups whose date is in doubt, or that lack so much that somebody has to look, take nobody's place and stay. Raises ClockInDoubt.
    """
    believe_clock()
    lock_device(device.id)
    assignment = assignment_of(device)
    if assignment is None or store.id not in {target.store_id for target in assignment.plan.targets.all()}:
        return 0
    known = Copy.objects.filter(backup__device=device, backup__in_doubt=False, backup__suspect=False)
    present = known.filter(store=store, state=CopyState.PRESENT).select_related("backup")
    copies = {str(copy.backup_id): copy for copy in present}
    found = verdicts([moment_of(copy) for copy in copies.values()], rule_of(assignment.plan), zone=office_zone(), now=now)
    needed = in_use(device.id)
    going = [copies[verdict.moment.id] for verdict in found if not verdict.kept and copies[verdict.moment.id].backup_id not in needed]
    if not going:
        return 0
    why = f"The rule of the plan {assignment.plan.name} no longer keeps it."
    for copy in going:
        transition(Copy, copy.id, CopyState.REMOVING, removed_why=why[:200])
    days = ", ".join(f"{copy.backup.finished_at.astimezone(office_zone()):%Y-%m-%d %H:%M}" for copy in going)
    says = f"{len(going)} of {device.name} leave {store.name} by the rule of {assignment.plan.name}: {days}"
    write_journal(who=None, what="backup.fell_out", says=says, at=now, device=device.id, store=store.id)
    return len(going)
