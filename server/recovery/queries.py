"""Looking into backups, and reading restores."""

from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404

from core.content.items import Item
from core.content.kinds import Shape, kind
from core.recovery.inside import Line, line, matches
from core.vault.errors import Damaged, NoSuchBackup, StoreError
from core.vault.manifests import Manifest, Stored
from core.vault.vault import Vault
from server.recovery.models import Restore
from server.runs.models import Backup
from server.storage.queries import opened

PAGE_ITEMS = 60


@dataclass(frozen=True, slots=True, kw_only=True)
class Shown:
    """One item in a list."""

    item: Item
    line: Line
    damaged: bool


def restores() -> QuerySet[Restore]:
    return Restore.objects.select_related("backup__device__holder", "device__holder", "by")


def restore(id: UUID) -> Restore:
    return get_object_or_404(restores(), id=id)


def reader(backup: Backup) -> tuple[Vault, Manifest]:
    """The first copy that can be opened. Raises StoreError, VaultError when none can."""
    trouble: Exception = NoSuchBackup("No store holds this backup any more.")
    for copy in sorted(backup.copies.filter(removed_at__isnull=True).select_related("store"), key=lambda copy: not copy.intact):
        try:
            vault = opened(copy.store)
            vault.refresh()
            return vault, vault.manifest(backup.id.bytes)
        except (StoreError, NoSuchBackup) as error:
            trouble = error
    raise trouble


def inside(backup: Backup, code: str, *, words: list[str], page: int) -> tuple[list[Shown], int]:
    """(one page of a kind's items, how many match), newest first for pictures, by name for the rest."""
    vault, manifest = reader(backup)
    readable = kind(code).shape not in (Shape.PICTURE, Shape.FILE)
    found: list[tuple[Stored, Shown | None]] = []
    for stored in vault.items(manifest, code):
        if not words:
            found.append((stored, None))
            continue
        shown = _shown(vault, stored, readable)
        if matches(shown.line, stored.item, words):
            found.append((stored, shown))
    if readable:
        found.sort(key=lambda entry: (entry[0].item.name.casefold(), entry[0].item.id))
    else:
        found.sort(key=lambda entry: (entry[0].item.modified, entry[0].item.id), reverse=True)
    cut = found[(page - 1) * PAGE_ITEMS : page * PAGE_ITEMS]
    return [shown or _shown(vault, stored, readable) for stored, shown in cut], len(found)


def one_item(backup: Backup, code: str, id: str) -> tuple[Vault, Stored]:
    """Raises Http404-like NoSuchBackup when the backup does not hold it."""
    vault, manifest = reader(backup)
    found = next((stored for stored in vault.items(manifest, code) if stored.item.id == id), None)
    if found is None:
        raise NoSuchBackup("This backup holds no such item.", remedy="Go back to the list.")
    return vault, found


def _shown(vault: Vault, stored: Stored, readable: bool) -> Shown:
    try:
        content = b"".join(vault.read(stored)) if readable else None
    except Damaged:
        return Shown(item=stored.item, line=Line(title=stored.item.name, detail="damaged in the store"), damaged=True)
    return Shown(item=stored.item, line=line(stored.item, content), damaged=False)


def kind_rows(backup: Backup) -> list[dict[str, Any]]:
    """The backup's kinds with their labels, as shown in lists."""
    return [entry | {"label": kind(entry["kind"]).label} for entry in backup.kinds]
