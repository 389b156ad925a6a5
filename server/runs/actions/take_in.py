"""Put a backup that a store holds and the list does not know into the list, with a copy where it lies."""

from typing import Any

from core.vault.manifests import Manifest
from server import ports
from server.fleet.models import Device
from server.runs.actions.come_back import NOT_LEAVING
from server.runs.arrivals import arrived
from server.runs.convert import told_kinds
from server.runs.models import Backup, Copy, CopyState, Stray
from server.transition import move


def take_in(stray: Stray, manifest: Manifest, device: Device, **more: Any) -> Backup:
    """Called under the lock of the device, within the transaction that says who wanted it. `more`: further columns of a new row."""
    fields = {
        "device": device, "finished_at": manifest.finished_at, "items": manifest.items, "size_bytes": manifest.size_bytes,
        "kinds": told_kinds(manifest), "family": device.family, "note": manifest.note[:200],
        "in_doubt": manifest.finished_at > ports.clock().now(),
    }  # fmt: skip
    backup, _ = Backup.objects.get_or_create(id=stray.backup_id, defaults=fields | more)
    row = Copy.objects.select_for_update(of=("self",)).filter(backup=backup, store=stray.store_id).first()
    if row is None:
        Copy.objects.create(backup=backup, store_id=stray.store_id)
    elif row.state in (CopyState.MISSING, CopyState.REMOVED):
        move(row, CopyState.PRESENT, intact=True, damaged={}, removed_at=None, cause="", remedy="", **NOT_LEAVING)
    Stray.objects.filter(id=stray.id).delete()
    arrived(backup)
    return backup
