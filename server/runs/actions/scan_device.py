"""Look at a device: count what is on it by kind, name what is largest, and what of it is in no backup yet.

Reads inventories only, never content. What was found is kept for the pages that speak of it.
"""

import heapq
from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import datetime
from typing import Any

from django.db import transaction

from core.content.items import Item
from core.content.kinds import FOLDERS
from core.content.link import DeviceLink
from core.content.readiness import let_in
from core.errors import AtticError
from core.vault.manifests import Manifest
from core.vault.vault import Vault
from server import ports
from server.fleet.actions.change_device import note_told
from server.fleet.actions.note_accounts import note_accounts
from server.fleet.actions.note_own_cloud import note_own_cloud
from server.fleet.convert import link_to, told_card
from server.fleet.models import Device, Scan
from server.live import publish
from server.runs.models import Copy, CopyState
from server.storage.queries import opened

LARGEST = 12
EXAMPLES = 5


def scan_device(device: Device) -> None:
    """Raises LinkError when it cannot be looked at; what was known before stays then."""
    link = link_to(device)
    try:
        state = link.state()
        note_told(device, state, now=ports.clock().now())
        let_in(state)
        note_accounts(device, link)
        note_own_cloud(device, link, now=ports.clock().now())
        held = newest_held(device)
        missing: list[dict[str, Any]] = []
        kinds, _ = kinds_in(link, link.kinds(), lambda kind, items: missing.extend(_missing(kind, items, held)))
    finally:
        link.close()
    with transaction.atomic():
        Scan.objects.update_or_create(
            device=device,
            defaults={
                "at": ports.clock().now(), "kinds": kinds, "missing": missing,
                "state": {"finder_lock": state.finder_lock, "card": told_card(state), "locked": state.locked},
            },
        )  # fmt: skip
    publish("changed", "devices")


def kinds_in(
    link: DeviceLink, kinds: Iterable[str], seen: Callable[[str, Sequence[Item]], None] = lambda kind, items: None
) -> tuple[list[dict[str, Any]], list[datetime]]:
    """(one entry a kind with counts, bytes, newest and largest; oldest and newest times). `seen` is shown each inventory."""
    rows, times = [], []
    for kind in kinds:
        if kind == FOLDERS:
            continue
        items = link.inventory(kind)
        seen(kind, items)
        if not items:
            rows.append({"kind": kind, "items": 0, "size_bytes": 0, "newest_name": "", "newest_at": None, "largest": []})
            continue
        newest = max(items, key=lambda item: (item.modified, item.id))
        largest = heapq.nlargest(LARGEST, items, key=lambda item: item.size_bytes)
        times += [min(item.modified for item in items), newest.modified]
        rows.append(
            {
                "kind": kind,
                "items": len(items),
                "size_bytes": sum(item.size_bytes for item in items),
                "newest_name": newest.name,
                "newest_at": newest.modified.isoformat(),
                "largest": [{"name": item.name, "size_bytes": item.size_bytes} for item in largest],
            }
        )
    return rows, times


def newest_held(device: Device) -> tuple[Vault, Manifest] | None:
    """The newest backup with an intact copy, as a store has it; None when there is none, or none can be opened now."""
    copies = Copy.objects.filter(backup__device=device, state=CopyState.PRESENT, intact=True).select_related("store", "backup")
    newest = copies.order_by("-backup__finished_at").first()
    if newest is None:
        return None
    for copy in copies.filter(backup=newest.backup_id):
        try:
            vault = opened(copy.store)
            vault.refresh()
            return vault, vault.manifest(newest.backup_id.bytes)
        except AtticError:
            continue
    return None


def _missing(kind: str, items: Sequence[Item], held: tuple[Vault, Manifest] | None) -> Iterator[dict[str, Any]]:
    """Items whose present content the newest backup does not hold."""
    if held is None:
        return
    vault, manifest = held
    kept = {stored.item.id: (stored.item.tag, stored.item.size_bytes) for stored in vault.items(manifest, kind, lost=lambda count: None)}
    absent = [item for item in items if kept.get(item.id) != (item.tag, item.size_bytes)]
    if absent:
        absent.sort(key=lambda item: item.modified, reverse=True)
        yield {"kind": kind, "items": len(absent), "examples": [item.name[:120] for item in absent[:EXAMPLES]]}
