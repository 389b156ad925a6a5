"""Erasing whole backups: they are removed at once, and no pack may keep what only they needed (§9.10)."""

from collections.abc import Collection
from datetime import datetime

from core.vault.erased import note_erased, told_erased, where_erased
from core.vault.errors import Damaged
from core.vault.needs import needs_of
from core.vault.packs import ids_of
from core.vault.sweep import all_manifests
from core.vault.vault import Vault


def erase_whole(vault: Vault, backups: Collection[bytes], *, now: datetime) -> dict[str, int]:
    """Device → how many of their chunks its other backups need all the same. Those that are gone already are passed over.

    Raises Damaged, having removed nothing, when it cannot be told what some backup needs; StoreError.
    """
    manifests = all_manifests(vault)
    vault.refresh()
    needs = needs_of(vault, manifests)
    if needs.damaged:
        raise Damaged(
            "A list of some backup cannot be read, so nobody can tell what it needs. Nothing was erased.",
            remedy="Repair or remove that backup, then try again.",
        )
    going = [manifest for manifest in manifests if manifest.id in backups]
    theirs = {number for manifest in going for number in needs.of(manifest.id).tolist()}
    needed: dict[str, set[int]] = {}
    for manifest in manifests:
        if manifest.id not in backups and (shared := theirs.intersection(needs.of(manifest.id).tolist())):
            needed.setdefault(manifest.device, set()).update(shared)
    staying = needs_of(vault, [manifest for manifest in manifests if manifest.id not in backups])
    unneeded = ~staying.live(len(vault.index.lengths))  # what runs that were killed have left among them: it may be theirs
    if going and unneeded.any():
        note_erased(vault, ids_of(vault.index.all_entries()[unneeded]), now=now)
    for manifest in going:
        vault.remove(manifest.id)
    return {device: len(shared) for device, shared in needed.items()}


def lying_about(vault: Vault) -> int:
    """Packs that hold something which was erased and which no backup needs: 0 once sweeps have done all that they can. Raises
    Damaged, StoreError."""
    if not (chunks := told_erased(vault)):
        return 0
    manifests = all_manifests(vault)
    vault.refresh()
    live = needs_of(vault, manifests).live(len(vault.index.lengths))
    erased = where_erased(vault.index.all_entries(), chunks) & ~live
    return len({vault.index.pack_at(number) for number in erased.nonzero()[0].tolist()})
