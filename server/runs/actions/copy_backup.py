"""Copy a backup into a second store: sealed bytes are moved, the device is not read again.

The copy has a row from the moment in which it is asked for. It is present once the second store lists it; whatever
goes wrong before ends it as failed, with its cause.
"""

from django.db import transaction
from procrastinate.contrib.django.models import ProcrastinateJob

from core.vault.copying import copy
from core.vault.errors import Damaged, StoreError
from server.api.problems import Conflict
from server.jobs import COPY_BACKUP, SILENT, defer_copy
from server.live import tell
from server.locks import lock_device
from server.outside import outside
from server.people.actions.journal import write_journal
from server.people.models import User
from server.runs.models import Backup, Copy, CopyState
from server.runs.protection import still_there
from server.storage.actions.note_newest import note_newest
from server.storage.actions.note_trouble import note_trouble
from server.storage.models import Store
from server.storage.queries import opened
from server.transition import held, move
from server.unforeseen import ending_of


@transaction.atomic
def ask_copy(backup: Backup, store: Store, *, by: User) -> Copy:
    """Put it into the queue. From now on no rule removes what it is made from. Raises Conflict when it lies there already."""
    lock_device(backup.device_id)
    still_there(backup)
    row = Copy.objects.select_for_update().filter(backup=backup, store=store).first()
    if row is not None and row.state == CopyState.REMOVING:
        raise Conflict(f"{store.name} is about to forget this backup.", remedy="Wait until that is done, then copy it again.")
    if row is not None and (row.state == CopyState.COPYING or (row.state == CopyState.PRESENT and row.intact)):
        done = "holds this backup already" if row.state == CopyState.PRESENT else "is being given this backup already"
        raise Conflict(f"{store.name} {done}.", remedy="Choose another store.")
    now = outside().now()
    if row is None:
        row = Copy.objects.create(backup=backup, store=store, state=CopyState.COPYING, asked_at=now)
    elif row.state == CopyState.PRESENT:
        raise Conflict(f"{store.name} holds it, damaged.", remedy="Check the store with repair; or copy it into another store.")
    else:
        move(row, CopyState.COPYING, asked_at=now, cause="", remedy="", reference="")
    defer_copy(row.id, store.id, by=by.id)
    return row


def copy_backup(copy_id: int, *, by: User | None) -> bool:
    """Whether it lies there now. Idempotent: what has arrived is not sent again."""
    row = Copy.objects.select_related("backup__device", "store").filter(id=copy_id).first()
    if row is None or row.state != CopyState.COPYING:
        return row is not None and row.state == CopyState.PRESENT
    try:
        source = _copied(row)
    except Exception as error:  # whatever it is, the copy ends with it
        _failed(row, error)
        return False
    with transaction.atomic():
        move(
            held(Copy, row.id),
            CopyState.PRESENT,
            intact=True,
            damaged={},
            removed_at=None,
            removed_why="",
            checked_at=None,
            cause="",
            remedy="",
        )
        note_newest(row.store_id, row.backup_id)
        says = f"A backup of {row.backup.device.name} was copied from {source.name} to {row.store.name}."
        write_journal(who=by, what="backup.copied", says=says, at=outside().now(), device=row.backup.device_id, store=row.store_id)
        tell("changed", "devices")
    return True


def _copied(row: Copy) -> Store:
    """From where. The second store has listed it when this returns. Raises AtticError."""
    source = row.backup.copies.filter(state=CopyState.PRESENT, intact=True).exclude(id=row.id).select_related("store").first()
    if source is None:
        raise Damaged("No store holds this backup intact.", remedy="Choose another moment, or run a check of the stores.")
    target = opened(row.store)
    report = copy(opened(source.store), target, backups=[row.backup_id.bytes])
    if report.damaged:
        raise Damaged(next(iter(report.damaged.values())))
    if row.backup_id.bytes not in target.backup_ids():
        raise Damaged(f"{row.store.name} does not list the backup after it was written.", remedy="Run a check of this store.")
    return source.store


@transaction.atomic
def _failed(row: Copy, error: Exception) -> None:
    ending = ending_of(error, f"copy {row.id}")
    found = held(Copy, row.id)
    if found.state == CopyState.COPYING:
        move(found, CopyState.FAILED, cause=ending.cause, remedy=ending.remedy, reference=ending.reference)
    if isinstance(error, StoreError):
        note_trouble(row.store_id, error)
    tell("changed", "stores")


def requeue_lost_copies() -> int:
    """Copies that no job speaks of any more are asked for again; how many."""
    rows = Copy.objects.filter(state=CopyState.COPYING, asked_at__lt=outside().now() - SILENT)
    jobs = ProcrastinateJob.objects.filter(task_name=COPY_BACKUP.name, status__in=("todo", "doing"))
    known = set(jobs.values_list("args__copy_id", flat=True)) if rows.exists() else set()
    return sum(defer_copy(row.id, row.store_id, by=None) for row in rows if row.id not in known)
