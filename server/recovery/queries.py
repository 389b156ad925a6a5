"""Looking into backups, and reading restores."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta
from uuid import UUID

from django.db.models import Q, QuerySet
from django.shortcuts import get_object_or_404

from core.content.items import Item
from core.content.kinds import KindShape, kind
from core.recovery.inside import TextLine, line, matches
from core.vault.damage import is_whole
from core.vault.errors import Damaged, NoSuchBackup
from core.vault.manifests import Manifest, Stored
from core.vault.vault import Vault
from server import ports
from server.people.queries import office_zone
from server.recovery.models import Restore
from server.recovery.readers import reading
from server.runs.models import Backup

PAGE_ITEMS = 60


@dataclass(frozen=True, slots=True, kw_only=True)
class Shown:
    """One item in a list."""

    item: Item
    line: TextLine
    damaged: bool


def restores() -> QuerySet[Restore]:
    """With backup, devices and who asked."""
    return Restore.objects.select_related("backup__device__holder", "device__holder", "by", "lies_in__keeper")


def exports() -> QuerySet[Restore]:
    """Those whose archive can be fetched, or whose folder lies on the server; newest first."""
    fetchable = Q(file_start=ports.results().downloads.start) & ~Q(file_name="")
    lying = Q(lies_in__isnull=False, lies_in__gone_at__isnull=True) & ~Q(lies_in__identity="")
    return restores().filter(fetchable | lying)


def fetched_until(restore: Restore, *, days: int) -> date | None:
    """The day after which an archive is removed, if nothing ends it sooner; `days`: how long the office keeps such files."""
    return None if restore.finished_at is None else (restore.finished_at + timedelta(days=days)).astimezone(office_zone()).date()


def restore(id: UUID) -> Restore:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(restores(), id=id)


def inside(backup: Backup, code: str, *, words: list[str], page: int) -> tuple[list[Shown], int, int]:
    """(one page of a kind's items, how many match, how many cannot even be named), newest first for pictures, by name for the rest."""
    with reading(backup) as (reader, manifest):
        return _page(reader.vault, manifest, code, words=words, page=page)


def _page(vault: Vault, manifest: Manifest, code: str, *, words: list[str], page: int) -> tuple[list[Shown], int, int]:
    readable = kind(code).shape not in (KindShape.PICTURE, KindShape.FILE)
    stored_items: list[tuple[Stored, Shown | None]] = []
    lost: list[int] = []
    for stored in vault.items(manifest, code, lost=lost.append):
        if not words:
            stored_items.append((stored, None))
            continue
        shown = _shown(vault, stored, readable)
        if matches(shown.line, stored.item, words):
            stored_items.append((stored, shown))
    if readable:
        stored_items.sort(key=lambda entry: (entry[0].item.name.casefold(), entry[0].item.id))
    else:
        stored_items.sort(key=lambda entry: (entry[0].item.modified, entry[0].item.id), reverse=True)
    cut = stored_items[(page - 1) * PAGE_ITEMS : page * PAGE_ITEMS]
    return [shown or _shown(vault, stored, readable) for stored, shown in cut], len(stored_items), sum(lost)


def one_item(backup: Backup, code: str, id: str) -> tuple[Item, Iterator[bytes]]:
    """An item and its content in pieces. Raises NoSuchBackup when the backup does not hold it."""
    with reading(backup) as (reader, manifest):
        stored = reader.vault.item(manifest, code, id)
        if stored is None:
            raise NoSuchBackup("This backup holds no such item.", remedy="Go back to the list.")
        return stored.item, reader.locked(reader.vault.read(stored))


def _shown(vault: Vault, stored: Stored, readable: bool) -> Shown:
    try:
        if not is_whole(vault, stored):
            raise Damaged("A check found it damaged.")
        content = b"".join(vault.read(stored)) if readable else None
    except Damaged:
        return Shown(item=stored.item, line=TextLine(title=stored.item.name, detail="damaged in the store"), damaged=True)
    return Shown(item=stored.item, line=line(stored.item, content), damaged=False)
