"""Remember which packs of a store were read, and since when each backup there is proven."""

from datetime import datetime

from django.db import transaction

from core.vault import blobs as names
from core.vault.check import CheckReport
from core.vault.errors import Damaged
from core.vault.reading import ReadAt, decoded, encoded, proven_since, without_gone
from core.vault.vault import Vault
from server.runs.models import THERE, Copy
from server.storage.models import Reading, Store


def read_packs(store: Store) -> ReadAt:
    """Pack → when it was read last. One that cannot be understood counts as nothing: everything is read anew."""
    row = Reading.objects.filter(store=store).first()
    try:
        return decoded(bytes(row.packs)) if row is not None else {}
    except (Damaged, OverflowError, OSError, ValueError):
        return {}


@transaction.atomic
def note_read(vault: Vault, store: Store, report: CheckReport, *, now: datetime) -> None:
    """After each piece of a check. What is damaged in a pack is noted in the store, so that no backup counts on it there."""
    Reading.objects.get_or_create(store=store)
    row = Reading.objects.select_for_update().get(store=store)
    sizes = vault.ids(names.PACKS)
    read = without_gone(read_packs(store), sizes)
    read |= dict.fromkeys(report.read_packs & sizes.keys(), now)
    row.packs, row.at, row.total_bytes = encoded(read), now, sum(sizes.values())
    row.read_bytes = sum(sizes[pack] for pack in read)
    row.oldest_at = min(read.values()) if read and len(read) == len(sizes) else None
    row.save(update_fields=["packs", "at", "total_bytes", "read_bytes", "oldest_at"])


def note_proven(vault: Vault, store: Store) -> None:
    """Each copy is checked since the oldest of the dates on which its packs were read; one that is not whole, or never was, is not."""
    manifests = vault.manifests()
    vault.refresh()
    since = proven_since(vault, manifests, read_packs(store))
    rows = list(Copy.objects.filter(store=store, state__in=THERE).only("id", "backup_id", "intact", "checked_at"))
    changed = []
    for row in rows:
        at = since.get(row.backup_id.bytes) if row.intact else None
        if row.checked_at != at:
            row.checked_at = at
            changed.append(row)
    Copy.objects.bulk_update(changed, ["checked_at"], batch_size=500)
