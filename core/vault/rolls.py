"""The roll (§9.4): which backups and key slots were there, and which were removed on purpose.

A manifest that lies in the store although it was removed has been put back and counts for nothing; one that
was seen and lies there no more, without having been removed, is missing and a check names it. Each commit and
each removal writes a small object of its own, whose name says it all; the sweep puts them together.
"""

import json
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from core.vault import blobs as names
from core.vault.blobs import id_in
from core.vault.errors import BlobExists, BlobMissing, Damaged
from core.vault.manifests import split_ids

if TYPE_CHECKING:
    from core.vault.vault import Vault


@dataclass(slots=True, kw_only=True)
class Roll:
    seen: set[bytes] = field(default_factory=set)
    """Backups that were there once."""
    removed: set[bytes] = field(default_factory=set)
    """Backups and slots that were removed on purpose."""
    objects: list[str] = field(default_factory=list)
    """Names of the objects that say so."""

    def knows(self, id: bytes) -> bool:
        """Whether this backup was ever there: stored or removed."""
        return id in self.seen or id in self.removed

    @property
    def expected(self) -> set[bytes]:
        return self.seen - self.removed


def read_roll(vault: "Vault") -> Roll:
    """Names of single notes are believed only where it matters and after they were opened; damaged ones are named."""
    roll = Roll()
    for name, told in vault.told(names.ROLLS).items():
        try:
            roll.seen |= set(split_ids(bytes.fromhex(told["seen"])))
            roll.removed |= set(split_ids(bytes.fromhex(told["removed"])))
            roll.objects.append(name)
        except (ValueError, KeyError, TypeError, Damaged):
            vault.unreadable[name] = f"Object {name} cannot be read."
    present: set[bytes] | None = None
    for name, _ in vault.blobs.list(names.REMOVED):
        if (id := id_in(name)) is None or not names.is_ours(name):
            continue
        roll.objects.append(name)
        if present is None:
            present = {*vault.ids(names.MANIFESTS), *vault.ids(names.KEYS)}
        if id not in present or _is_true(vault, name):
            roll.removed.add(id)
    for name, _ in vault.blobs.list(names.SEEN):
        if (id := id_in(name)) is not None and names.is_ours(name):
            roll.objects.append(name)
            roll.seen.add(id)
    return roll


def note(vault: "Vault", prefix: str, id: bytes) -> None:
    """Write a single note; a second one does nothing."""
    name = prefix + id.hex()
    try:
        vault.blobs.create(name, vault.sealed_object(name, b"", compress=False))
    except BlobExists:
        if not _is_true(vault, name):
            vault.blobs.delete(name)
            vault.blobs.create(name, vault.sealed_object(name, b"", compress=False))


def remove_backup(vault: "Vault", id: bytes) -> None:
    """Forget a backup at once; its bytes go with a later sweep. Nothing happens when it is gone."""
    note(vault, names.REMOVED, id)
    vault.blobs.delete(names.MANIFESTS + id.hex())


def put_together(vault: "Vault", roll: Roll) -> None:
    """One object instead of many. Manifests that are removed and still lie there go now."""
    for id in vault.ids(names.MANIFESTS).keys() & roll.removed:
        vault.blobs.delete(names.MANIFESTS + id.hex())
    if len(roll.objects) <= 1 and not any(name.startswith((names.SEEN, names.REMOVED)) for name in roll.objects):
        return
    told = {"seen": b"".join(sorted(roll.expected)).hex(), "removed": b"".join(sorted(roll.removed)).hex()}
    vault.write_object(names.ROLLS, json.dumps(told).encode())
    for name in roll.objects:
        vault.blobs.delete(name)


def _is_true(vault: "Vault", name: str) -> bool:
    try:
        vault.read_object(name)
    except BlobMissing:
        return True  # put together with others a moment ago
    except Damaged as error:
        vault.unreadable[name] = error.message
        return False
    return True
