"""Opened stores, kept at hand for a while: a screen full of pictures asks sixty times for one backup.

A vault serves one thread at a time: whoever looks something up holds its lock, and a stream holds it for
as long as one piece takes. What a store gained since it was opened is learnt with the first look into a
backup; packs that a sweep replaces stay for its grace period, far longer than a store is kept open.
"""

import threading
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from uuid import UUID

from core.vault.errors import NoSuchBackup, StoreError
from core.vault.manifests import Manifest
from core.vault.vault import Vault
from server.runs.models import THERE, Backup, Copy
from server.storage.models import Store
from server.storage.queries import opened

KEPT_SECONDS = 60
_known: dict[UUID, "Reader"] = {}
_knowing = threading.Lock()


@dataclass(slots=True)
class Reader:
    """One opened store."""

    where: str
    vault: Vault
    lock: threading.RLock = field(default_factory=threading.RLock)
    opened_at: float = field(default_factory=time.monotonic)
    _manifests: dict[UUID, Manifest] = field(default_factory=dict)

    def manifest(self, backup: UUID) -> Manifest:
        """The root of a backup; one that is met for the first time may lie in packs that are new, too."""
        if backup not in self._manifests:
            self.vault.refresh()
            self._manifests[backup] = self.vault.manifest(backup.bytes)
        return self._manifests[backup]

    def locked(self, pieces: Iterable[bytes]) -> Iterator[bytes]:
        """The same pieces, each read under the lock."""
        iterator = iter(pieces)
        while True:
            with self.lock:
                piece = next(iterator, None)
            if piece is None:
                return
            yield piece


def opened_alone(backup: Backup) -> tuple[Vault, Manifest]:
    """The first copy that can be opened, for one that reads for long and is in nobody's way. Raises StoreError, VaultError."""
    trouble: Exception = NoSuchBackup("No store holds this backup any more.")
    for copy in _present(backup):
        try:
            vault = opened(copy.store)
            vault.refresh()
            return vault, vault.manifest(backup.id.bytes)
        except (StoreError, NoSuchBackup) as error:
            trouble = error
    raise trouble


def _present(backup: Backup) -> list[Copy]:
    copies = backup.copies.filter(state__in=THERE).select_related("store")
    return sorted(copies, key=lambda copy: not copy.intact)


@contextmanager
def reading(backup: Backup) -> Iterator[tuple[Reader, Manifest]]:
    """The first copy that can be opened, locked. Raises StoreError, VaultError when none can."""
    trouble: Exception = NoSuchBackup("No store holds this backup any more.")
    for copy in _present(backup):
        try:
            reader = _reader(copy.store)
            with reader.lock:
                manifest = reader.manifest(backup.id)
        except (StoreError, NoSuchBackup) as error:
            trouble = error
            continue
        with reader.lock:
            yield reader, manifest
        return
    raise trouble


def forget_readers() -> None:
    """Let go of every opened store: for tests, and after a store was changed from outside."""
    with _knowing:
        _known.clear()


def _reader(store: Store) -> Reader:
    with _knowing:
        known = _known.get(store.id)
        if known is not None and known.where == store.where and time.monotonic() - known.opened_at < KEPT_SECONDS:
            return known
        _known[store.id] = Reader(store.where, opened(store))
        return _known[store.id]
