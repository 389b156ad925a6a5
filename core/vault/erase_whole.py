"""Erasing whole backups: they are removed at once, and no pack may keep what only they needed (§9.10)."""

from collections.abc import Collection
from datetime import datetime

import numpy as np
import numpy.typing as npt

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
    size = len(vault.index.lengths)
    going = [manifest for manifest in manifests if manifest.id in backups]
    theirs, staying = np.zeros(size, dtype=np.bool_), np.zeros(size, dtype=np.bool_)
    for manifest in going:
        theirs[needs.of(manifest.id)] = True
    shared: dict[str, npt.NDArray[np.bool_]] = {}
    for manifest in manifests:
        if manifest.id not in backups:
            numbers = needs.of(manifest.id)
            staying[numbers] = True
            if theirs[numbers].any():
                shared.setdefault(manifest.device, np.zeros(size, dtype=np.bool_))[numbers] = True
    # what runs that were killed have left is among what nobody else needs: it may be theirs
    if going and not staying.all():
        note_erased(vault, ids_of(vault.index.all_entries()[~staying]), now=now)
    for manifest in going:
        vault.remove(manifest.id)
    return {device: int((needed & theirs).sum()) for device, needed in shared.items()}


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
