"""Take the backups of a found device into the list, under a known device or a new entry of the register; and undo it.

What was found is on hold until somebody has seen what the rule would do to it and releases it.
"""

from uuid import UUID

from django.db import transaction

from core.errors import AtticError
from core.vault.offices import entries, read_offices
from core.vault.vault import Vault
from server import ports
from server.api.problems import Conflict
from server.fleet.actions.register_found import register_found
from server.fleet.models import Device
from server.jobs import defer_compare
from server.live import publish
from server.locks import lock_device
from server.people.actions.journal import write_journal
from server.people.models import User
from server.runs.actions.take_in import take_in
from server.runs.models import THERE, Backup, Copy, CopyState, Stray
from server.storage.models import Store
from server.storage.queries import opened


def take_found(store: Store, key: str, *, device: Device | None, by: User) -> None:
    """Without a `device` a new entry of the register. Raises Conflict, StoreError, VaultError."""
    strays = list(Stray.objects.filter(store=store, device_key=key))
    if not strays:
        raise Conflict("Nothing of this device waits to be taken in.", remedy="Load the page again.")
    vault = opened(store)
    manifests = {}
    for stray in strays:
        try:
            manifests[stray.id] = vault.manifest(stray.backup_id.bytes)
        except AtticError:  # one that cannot be read stays where it is, in the list of what is found
            continue
    held = _holds_told(vault)
    if not manifests:
        raise Conflict("None of these backups can be read.", remedy="Check the store.")
    with transaction.atomic():
        owner = device or register_found(strays[0].told, id=_id(key), by=by)
        lock_device(owner.id)
        why = f"found in {store.name}: see what the rule would do, then release it"
        for stray in strays:
            if stray.id in manifests:
                before = held.get(stray.backup_id.hex)
                reason = f"held before: {before}" if before else why
                take_in(stray, manifests[stray.id], owner, found_in=store, hold_by=by, hold_reason=reason[:200])
        write_journal(
            who=by,
            what="store.found_taken",
            facts={"count": len(manifests), "store": store.name, "owner": owner.name, "holder": owner.holder.name},
            at=ports.clock().now(),
            device=owner.id,
            store=store.id,
        )
        publish("changed", "devices")
        publish("changed", "stores")


@transaction.atomic
def give_back(store: Store, device: Device, *, by: User) -> None:
    """Undo: the list forgets what was taken in from there. The store keeps it, and it is found again. Raises Conflict."""
    lock_device(device.id)
    backups = Backup.objects.select_for_update(of=("self",)).filter(found_in=store, device=device)
    if not backups:
        raise Conflict("Nothing of this device was taken in from there.", remedy="Load the page again.")
    if backups.filter(restores__isnull=False).exists():  # through the column's own name: restores belong to an app further right
        raise Conflict("One of these backups was restored from.", remedy="What was restored stays on record; keep them.")
    elsewhere = Copy.objects.filter(backup__in=[backup.id for backup in backups]).exclude(store=store)
    if elsewhere.filter(state__in=(*THERE, CopyState.COPYING)).exists():
        raise Conflict("One of these backups was copied into another store meanwhile.", remedy="Keep them.")
    count = len(backups)
    Copy.objects.filter(backup__in=[backup.id for backup in backups]).delete()
    Backup.objects.filter(id__in=[backup.id for backup in backups]).delete()
    write_journal(
        who=by,
        what="store.found_given_back",
        facts={"count": count, "device": device.name, "store": store.name},
        at=ports.clock().now(),
        device=device.id,
        store=store.id,
    )
    defer_compare(store.id)
    publish("changed", "devices")


def _holds_told(vault: Vault) -> dict[str, str]:
    """Backup → why the server that made it held it."""
    fields = [hold for one in reversed(read_offices(vault)) for hold in entries(one.told, "holds")]
    return {str(hold["backup"]): str(hold["reason"]) for hold in fields if "backup" in hold and "reason" in hold}


def _id(key: str) -> UUID | None:
    """The id that the server which made the backups gave the device, if it is one."""
    try:
        return UUID(key)
    except ValueError:
        return None
