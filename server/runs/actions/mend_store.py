"""Mend what a check found damaged, by itself and with a record: from another store that has it, or with the device's next run."""

import logging
from uuid import UUID

from django.db import transaction

from core.errors import AtticError
from core.vault.repair import damaged_backups, repair
from core.vault.vault import Vault
from server import ports
from server.live import publish
from server.locks import lock_devices
from server.people.actions.journal import write_journal
from server.runs.models import THERE, Copy, Run
from server.storage.models import Mode, Store
from server.storage.queries import AT_HAND, opened, opened_to_write

log = logging.getLogger("attic.runs")


def mend_from_others(store: Store, touched: set[UUID]) -> int:
    """How many backups are whole again. What no other store has comes from the device at its next run."""
    left, mended = set(touched), 0
    for other in _others(store, touched):
        if not left or store.mode != Mode.IN_USE:
            break
        try:
            vault = opened_to_write(store)
            report = repair(vault, opened(other))
            there = set(vault.backup_ids()) - set(report.left)
        except AtticError as error:  # another store may have it
            log.warning("nothing could be fetched from %s for %s: %s", other.name, store.name, error.message)
            continue
        whole = {id for id in left if id.bytes in there}
        if whole:
            _noted(store, whole, f"what was damaged was fetched from {other.name}")
        left, mended = left - whole, mended + len(whole)
    return mended


def _others(store: Store, touched: set[UUID]) -> list[Store]:
    """Stores that hold any of it whole, those that have most first."""
    rows = Copy.objects.filter(backup_id__in=touched, state__in=THERE, intact=True).exclude(store=store)
    mended: dict[UUID, int] = {}
    for id in rows.values_list("store_id", flat=True):
        mended[id] = mended.get(id, 0) + 1
    stores = Store.objects.filter(id__in=mended, mode__in=(Mode.IN_USE, Mode.READ_ONLY)).filter(AT_HAND)
    return sorted(stores, key=lambda one: (-mended[one.id], one.name))


def mended_by_run(run: Run, vault: Vault) -> None:
    """What a check had found damaged and the run stored again: backups of the store that are whole by it are noted as such.

    A run relies on nothing that is noted as damaged, so that what it lacks is read from the device once more. Costs a question where
    nothing is damaged.
    """
    damaged = Copy.objects.filter(store=run.store, state__in=THERE, intact=False)
    touched = set(damaged.values_list("backup_id", flat=True))
    if not touched or vault.store.hex() != run.store.vault_id:  # it went to another store in the middle
        return
    try:
        vault.refresh()
        left = {UUID(bytes=id) for id in damaged_backups(vault)}
    except AtticError as error:  # the backup is there: the next check tells
        log.warning("it could not be told what the run of %s mended in %s: %s", run.device.name, run.store.name, error.message)
        return
    whole = touched - left
    if whole:
        _noted(run.store, whole, f"what was damaged came from {run.device.name} again, with its run")


@transaction.atomic
def _noted(store: Store, whole: set[UUID], how: str) -> None:
    present = Copy.objects.filter(store=store, backup_id__in=whole, state__in=THERE)
    lock_devices(present.values_list("backup__device_id", flat=True))
    present.update(intact=True, damaged={})
    write_journal(
        who=None, what="store.mended", facts={"count": len(whole), "store": store.name, "how": how}, at=ports.clock().now(), store=store.id
    )
    publish("changed", "stores")
