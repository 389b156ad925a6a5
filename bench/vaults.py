"""Doing with the vault what is measured: through the same classes as the command line, without asking for a passphrase."""

import secrets
from datetime import UTC, datetime
from pathlib import Path

from adapters.destinations.folder import FolderDestination
from adapters.links.tree import TreeLink
from adapters.stores.folder import FolderBlobs
from core.content.kinds import KIND_CODES
from core.recovery.extract import extract
from core.vault.blobs import BlobStore
from core.vault.capture import Capture, Captured, Request
from core.vault.chunks import VaultLimits
from core.vault.key_slots import SlotPolicy
from core.vault.keys import StretchCost
from core.vault.manifests import Manifest
from core.vault.opening import create_vault, open_vault
from core.vault.vault import Vault
from core.vault.writer import Writer

WORKERS = 2
LIMITS = VaultLimits(workers=WORKERS)
KEY_FILE = b"k" * 32
QUICK = SlotPolicy(cost=StretchCost(passes=1, memory_bytes=128 * 1024, lanes=1), floor=StretchCost(passes=1, memory_bytes=1024, lanes=1))
"""Key slots that cost next to nothing: what is measured is not the stretching of a passphrase."""


def new_vault(folder: Path) -> Vault:
    """An empty store. Its passphrase costs nothing, because opening is not what is measured."""
    folder.mkdir(parents=True)
    return prepared(FolderBlobs(folder))


def prepared(blobs: BlobStore, *, same_key_as: Vault | None = None) -> Vault:
    return create_vault(
        blobs, passphrase=secrets.token_hex(10), key_file=KEY_FILE, now=datetime.now(UTC), random=secrets.token_bytes, limits=LIMITS,
        policy=QUICK, same_key_as=same_key_as,
    )[0]  # fmt: skip


def opened(blobs: BlobStore) -> Vault:
    """As another process finds it."""
    return open_vault(blobs, key_file=KEY_FILE, random=secrets.token_bytes, limits=LIMITS, policy=QUICK)


def reopened(vault: Vault) -> Vault:
    """The same store as another process sees it, its index not yet read."""
    return Vault(vault.blobs, vault.keys, store=vault.store, random=secrets.token_bytes, limits=vault.limits)


def backup(vault: Vault, root: Path, previous: Manifest | None = None) -> Captured:
    request = Request(device="bench", device_told={"name": "bench"}, kinds=tuple(KIND_CODES), note="", zone="UTC")
    return Capture(TreeLink(root), Writer(vault), request, clock=lambda: datetime.now(UTC)).run(previous)


def restore(vault: Vault, manifest: Manifest, into: Path) -> int:
    """How many items were restored."""
    vault.refresh()
    items = ((stored.item.id, stored) for summary in manifest.kinds for stored in vault.items(manifest, summary.kind))
    destination = FolderDestination(into)
    destination.prepare()
    return extract(vault, items, [], destination).items
