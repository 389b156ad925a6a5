"""Copy a backup into another store: sealed bytes are moved, the device is not read again.

A copy has a row from the moment in which it is owed, whoever wants it: a plan, or somebody who asked. It is present once
the other store lists it. What may pass by itself (a store that is away, full, cut off) leaves it owed, with its cause and
the time of the next try; what will not ends it as failed.
"""

from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from django.db import transaction
from procrastinate.contrib.django.models import ProcrastinateJob

from core.quota.admission import DoesNotFit, admit_copy
from core.vault.copying import CopyReport, copy
from core.vault.errors import Damaged, Stopped, StoreError, StoreFull, StoreReadOnly
from core.vault.vault import Vault
from server import ports
from server.api.problems import Conflict
from server.jobs import CARRY_COPIES, SILENT, defer_copies
from server.live import publish
from server.locks import lock_device
from server.people.actions.journal import write_journal
from server.people.models import User
from server.runs.arrivals import arrived
from server.runs.models import THERE, Backup, Copy, CopyState
from server.runs.protection import still_there
from server.runs.rooms import rooms_for
from server.storage.actions.note_newest import note_newest
from server.storage.actions.note_trouble import note_trouble
from server.storage.models import OUT_OF_USE, Mode, Store
from server.storage.queries import is_here, opened
from server.transition import held, move
from server.unforeseen import ending_of

FIRST_AGAIN, LAST_AGAIN = timedelta(minutes=1), timedelta(hours=1)
"""How long a copy waits after its first cut, and after many."""
MOST_TRIES = 12
"""Of a copy that somebody asked for; one that a plan wants is owed as long as the plan wants it."""
CLEARED: dict[str, Any] = {"cause": "", "remedy": "", "reference": "", "progress": {}}
Pace = Callable[[Copy, int, int], None]
"""(row, bytes that arrived, bytes of all): tells of it, and holds back where a limit says so. Raises Stopped."""


class OpenStores:
    """Stores that are open already, and between which of them something was copied just now."""

    def __init__(self) -> None:
        self._vaults: dict[UUID, Vault] = {}
        self._settled: set[tuple[UUID, UUID]] = set()

    def put(self, store: Store, vault: Vault) -> None:
        """One that is open already."""
        self._vaults[store.id] = vault

    def vault(self, store: Store) -> Vault:
        """Raises AtticError; a store that cannot be opened is noted as such."""
        if store.id not in self._vaults:
            try:
                self._vaults[store.id] = opened(store)
            except StoreError as error:
                note_trouble(store.id, error)
                raise
        return self._vaults[store.id]

    def blame(self, target: Store, error: StoreError) -> None:
        """Note the trouble where it is. In the middle of a copy it may be of either side: the target is asked whether it still answers."""
        try:
            self.vault(target).lists(bytes(16))
        except StoreError as own:
            note_trouble(target.id, own)
            return
        if isinstance(error, StoreFull | StoreReadOnly):
            note_trouble(target.id, error)  # it can be read and takes nothing

    def copied(self, backup: Backup, source: Store, target: Store, on_progress: Callable[[int, int], None]) -> CopyReport:
        """Raises AtticError; DoesNotFit before anything is copied."""
        pair = (source.id, target.id)
        target_vault, settled = self.vault(target), pair in self._settled

        def admit(lacking_bytes: int) -> None:
            admit_copy(lacking_bytes, rooms_for(target, backup.device, target_vault))

        ids = [backup.id.bytes]
        report = copy(self.vault(source), target_vault, backups=ids, on_progress=on_progress, settled=settled, admit=admit)
        self._settled.add(pair)
        return report


def unhindered(row: Copy, done_bytes: int, total_bytes: int) -> None:
    """No limit, and nobody watches."""


@transaction.atomic
def ask_copy(backup: Backup, store: Store, *, by: User) -> Copy:
    """From now on no rule removes what it is made from. Raises Conflict when it lies there already, or cannot be put there."""
    lock_device(backup.device_id)
    still_there(backup)
    row = Copy.objects.select_for_update().filter(backup=backup, store=store).first()
    store.refresh_from_db(fields=["mode"])
    if store.mode != Mode.IN_USE:
        raise Conflict(f"{store.name} is {store.get_mode_display().lower()}.", remedy="Choose another store, or take it into use first.")
    if row is not None and row.state == CopyState.REMOVING:
        raise Conflict(f"{store.name} is about to forget this backup.", remedy="Wait until that is done, then copy it again.")
    if row is not None and row.state == CopyState.LEAVING:
        raise Conflict(f"{store.name} holds this backup, and it is leaving there.", remedy="Keep it after all instead.")
    if row is not None and row.state == CopyState.OWED and row.by_id is not None and not row.cause:
        raise Conflict(f"{store.name} is owed this backup already.", remedy="It is carried as soon as it is its turn.")
    if row is not None and (row.state == CopyState.COPYING or (row.state == CopyState.PRESENT and row.intact)):
        done = "holds this backup already" if row.state == CopyState.PRESENT else "is being given this backup already"
        raise Conflict(f"{store.name} {done}.", remedy="Choose another store.")
    now = ports.clock().now()
    asked: dict[str, Any] = {"asked_at": now, "due_at": now, "by": by, "attempts": 0, "by_hand": False, **CLEARED}
    if row is None:
        row = Copy.objects.create(backup=backup, store=store, state=CopyState.OWED, **asked)
    elif row.state == CopyState.PRESENT:
        raise Conflict(f"{store.name} holds it, damaged.", remedy="Check the store with repair; or copy it into another store.")
    elif row.state == CopyState.OWED:
        for name, value in asked.items():
            setattr(row, name, value)
        row.save(update_fields=list(asked))
    else:
        move(row, CopyState.OWED, **asked)
    defer_copies(store.id)
    publish("changed", "copies")
    return row


def copy_backup(copy_id: int, *, by: User | None = None, stores: OpenStores | None = None, pace: Pace = unhindered) -> bool:
    """Whether it lies there now. Idempotent: what has arrived is not sent again. `stores`: those that are open already."""
    row, stores = _begun(copy_id), stores or OpenStores()
    if row is None:
        return Copy.objects.filter(id=copy_id, state=CopyState.PRESENT).exists()
    try:
        source, report = _copied(row, stores, pace)
    except Exception as error:  # whatever it is, the copy waits or ends with it
        if isinstance(error, StoreError):
            stores.blame(row.store, error)
        _cut(row, error)
        return False
    with transaction.atomic():
        now = ports.clock().now()
        move(
            held(Copy, row.id),
            CopyState.PRESENT,
            intact=True,
            damaged={},
            removed_at=None,
            removed_why="",
            checked_at=None,
            copied_at=now,
            due_at=None,
            sent_bytes=report.sent_bytes,
            **CLEARED,
        )
        note_newest(row.store_id, row.backup_id)
        arrived(row.backup)
        if row.by is not None:  # what plans want is in the list of copies; a line for each would bury what people did
            write_journal(
                who=row.by,
                what="backup.copied",
                facts={"device": row.backup.device.name, "source": source.name, "store": row.store.name},
                at=now,
                device=row.backup.device_id,
                store=row.store_id,
            )
        publish("changed", "copies")
        publish("changed", "devices")
    return True


@transaction.atomic
def _begun(copy_id: int) -> Copy | None:
    """The row, marked as under way; None when there is nothing to do."""
    row = Copy.objects.select_for_update(of=("self",)).select_related("backup__device", "store", "by").filter(id=copy_id).first()
    if row is None or row.state not in (CopyState.OWED, CopyState.COPYING):
        return None
    if row.state == CopyState.OWED:
        move(row, CopyState.COPYING, attempts=row.attempts + 1, progress={})
        publish("changed", "copies")
    return row


def _copied(row: Copy, stores: OpenStores, pace: Pace) -> tuple[Store, CopyReport]:
    """From where. The other store has listed it when this returns. Raises AtticError."""
    source = _source_of(row)
    if source is None:
        raise Damaged("No store holds this backup intact.", remedy="Choose another moment, or run a check of the stores.")
    report = stores.copied(row.backup, source, row.store, lambda done, total: pace(row, done, total))
    if report.damaged:
        raise Damaged(next(iter(report.damaged.values())))
    if not stores.vault(row.store).lists(row.backup_id.bytes):
        raise Damaged(f"{row.store.name} does not list the backup after it was written.", remedy="Run a check of this store.")
    return source, report


def _source_of(row: Copy) -> Store | None:
    """The nearest store that holds it intact: one of the same key, and no far one where it also lies at hand."""
    held_in = Store.objects.filter(copies__backup=row.backup_id, copies__state__in=THERE, copies__intact=True)
    rows = held_in.exclude(id=row.store_id).exclude(mode__in=OUT_OF_USE)
    return min(
        rows,
        key=lambda store: (store.key_id != row.store.key_id, store.trouble != "" or not is_here(store.id), store.off_site, str(store.id)),
        default=None,
    )


@transaction.atomic
def _cut(row: Copy, error: Exception) -> None:
    ending, copy = ending_of(error, f"copy {row.id}"), held(Copy, row.id)
    if copy.state != CopyState.COPYING:
        return
    fields = {"cause": ending.cause, "remedy": ending.remedy, "reference": ending.reference, "progress": {}}
    passes = isinstance(error, StoreError | Stopped | DoesNotFit)
    if passes and (copy.by_id is None or copy.attempts < MOST_TRIES):
        again = min(FIRST_AGAIN * 2 ** min(copy.attempts - 1, 10), LAST_AGAIN)
        move(copy, CopyState.OWED, due_at=ports.clock().now() + again, **fields)
    else:
        move(copy, CopyState.FAILED, due_at=None, **fields)
    publish("changed", "copies")


def requeue_lost_copies() -> int:
    """Copies that are under way although no job carries anything into their store: owed again; how many."""
    rows = list(Copy.objects.filter(state=CopyState.COPYING).select_related("store"))
    jobs = ProcrastinateJob.objects.filter(task_name=CARRY_COPIES.name, status="doing")
    known = set(jobs.values_list("args__store_id", flat=True)) if rows else set()
    lost = [row for row in rows if str(row.store_id) not in known]
    now: datetime = ports.clock().now()
    for row in lost:
        with transaction.atomic():
            copy = held(Copy, row.id)
            if copy.state == CopyState.COPYING and (copy.due_at is None or copy.due_at < now - SILENT):
                move(copy, CopyState.OWED, due_at=now, progress={})
    return len(lost)
