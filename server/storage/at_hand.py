"""References of a store, kept at hand for a while, so that one question after another is answered at once. Whoever decides by an answer
looks anew."""

import threading
import time
from dataclasses import dataclass, field
from functools import partial
from uuid import UUID

from core.quota.filling import Filling
from core.vault.accounting import Accounts
from core.vault.remembered import RememberedBlobs
from core.vault.vault import Vault
from server.storage.models import Store
from server.storage.queries import opened
from server.storage.trees import recalled

KEPT_SECONDS = 120.0
_known: dict[UUID, "AtHand"] = {}
_knowing = threading.Lock()


@dataclass(slots=True)
class AtHand:
    """One opened store. A vault serves one thread at a time: whoever asks holds its lock."""

    vault: Vault
    accounts: Accounts
    backups: frozenset[bytes]
    read_at: float
    without: int | None = None
    """What it would hold after a sweep as it is set, if nothing were removed."""
    filling: dict[frozenset[bytes], Filling] = field(default_factory=dict)
    """By the backups that were looked at."""
    lock: threading.RLock = field(default_factory=threading.RLock)


def at_hand(store: Store) -> AtHand:
    """Read anew when backups came or went meanwhile, and after a while anyway. Raises StoreError, VaultError."""
    with _knowing:
        known = _known.get(store.id)
    if known is not None and time.monotonic() - known.read_at < KEPT_SECONDS:
        with known.lock:
            if frozenset(known.vault.backup_ids()) == known.backups:
                return known
    vault = opened(store)
    vault.blobs = RememberedBlobs(vault.blobs)
    accounts = Accounts(vault, partial(recalled, store))
    fresh = AtHand(vault, accounts, frozenset(manifest.id for manifest in accounts.manifests), time.monotonic())
    with _knowing:
        _known[store.id] = fresh
        for id in [id for id, one in _known.items() if time.monotonic() - one.read_at > KEPT_SECONDS]:
            del _known[id]
    return fresh


def forget() -> None:
    """What is at hand of stores."""
    with _knowing:
        _known.clear()
