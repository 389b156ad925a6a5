"""Let a store forget the copies that were decided to leave it. Idempotent: interrupted, the next time goes on.

The decision is a row that was committed before; nothing here decides, so nothing here waits for a lock of a device.
"""

from datetime import datetime

from django.db import transaction

from core.vault.errors import StoreHolds
from core.vault.vault import Vault
from server.live import publish
from server.people.clock import believe_clock
from server.retention.freezing import Frozen
from server.runs.models import Copy, CopyState
from server.storage.models import Store
from server.storage.queries import opened
from server.transition import transition


def finish_removals(store: Store, *, now: datetime, vault: Vault | None = None) -> int:
    """How many the store has forgotten; what it holds on to stays, and says why.

    Raises ClockInDoubt, StoreError, VaultError; what is left then leaves the next time.
    """
    believe_clock()
    leaving = list(Copy.objects.filter(store=store, state=CopyState.REMOVING).select_related("backup__device").order_by("id"))
    if not leaving:
        return 0
    vault = vault or opened(store)
    gone = 0
    for copy in leaving:
        if Frozen.read().holds(store.id, copy.backup.device.team_id):  # read anew for each: somebody may say so just now
            continue
        try:
            vault.remove(copy.backup_id.bytes)
        except StoreHolds as error:  # it lies there until its lock is over, and is said to
            Copy.objects.filter(id=copy.id).update(cause=error.message[:600], remedy=error.remedy[:600])
            continue
        with transaction.atomic():
            transition(Copy, copy.id, CopyState.REMOVED, removed_at=now, cause="", remedy="")
        gone += 1
    publish("changed", "devices")
    return gone
