"""What backups cost in a store where equal content lies once (§11): exact figures for any set of them.

A chunk counts with its sealed bytes, a manifest with its object. `alone` is what removing the set frees, once the
sweep has been there and up to the footers of packs.
"""

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from core.vault import blobs as names
from core.vault.errors import NoSuchBackup
from core.vault.manifests import Manifest
from core.vault.needs import needs_of
from core.vault.vault import Vault


@dataclass(frozen=True, slots=True, kw_only=True)
class Usage:
    stored_bytes: int
    """Everything that the set needs: alone and shared."""
    alone_bytes: int
    """Nothing else needs it: what removing the set frees."""
    shared_bytes: int
    """Backups outside the set need it, too."""


class Accounts:
    """The references of every backup, read once; then any number of questions."""

    def __init__(self, vault: Vault) -> None:
        self.manifests: list[Manifest] = vault.manifests()
        vault.refresh()  # after the manifests: what they need was there before them
        needs = needs_of(vault, self.manifests)
        self._lengths = vault.index.lengths
        self._objects = vault.ids(names.MANIFESTS)
        self._of: dict[bytes, npt.NDArray[np.int32]] = {manifest.id: needs.of(manifest.id).astype(np.int32) for manifest in self.manifests}
        self._claims = np.zeros(len(self._lengths), dtype=np.int32)
        for numbers in self._of.values():
            self._claims[numbers] += 1

    def usage(self, backups: Collection[bytes]) -> Usage:
        """Raises NoSuchBackup."""
        inside = np.zeros(len(self._lengths), dtype=np.int32)
        for id in set(backups):
            if id not in self._of:
                raise NoSuchBackup(f"The store holds no backup {id.hex()}.")
            inside[self._of[id]] += 1
        needed = inside > 0
        only = needed & (inside == self._claims)
        roots = sum(self._objects.get(id, 0) for id in set(backups))
        alone = int(self._lengths[only].sum(dtype=np.int64)) + roots
        whole = int(self._lengths[needed].sum(dtype=np.int64)) + roots
        return Usage(stored_bytes=whole, alone_bytes=alone, shared_bytes=whole - alone)

    def needs_by_device(self) -> dict[str, set[int]]:
        """Numbers of the chunks that each device's backups need."""
        found: dict[str, set[int]] = {}
        for manifest in self.manifests:
            found.setdefault(manifest.device, set()).update(self._of[manifest.id].tolist())
        return found

    def sizes(self) -> dict[int, int]:
        """Sealed bytes of each needed chunk by its number."""
        needed = np.flatnonzero(self._claims)
        return dict(zip(needed.tolist(), self._lengths[needed].tolist(), strict=True))
