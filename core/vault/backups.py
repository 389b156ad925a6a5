"""Which backups a store holds, as their manifests and its ledger say: needs neither the index nor any chunk.

What opens quickly opens this: a list of backups, the slots of a key, the header. Content is `chunks`' and `vault`'s.
"""

import json
from collections.abc import Callable
from dataclasses import replace

from core.vault import blobs as names
from core.vault.blobs import BlobStore
from core.vault.errors import BlobMissing, Damaged, DeviceSealed, NoSuchBackup
from core.vault.framing import unframed
from core.vault.keys import Keys, Randomness
from core.vault.ledger import Ledger, read_ledger, remove_backup
from core.vault.manifests import Manifest, decode_manifest
from core.vault.objects import Objects
from core.vault.parallel import at_once
from core.vault.revisions import Revision, Revisions, revised
from core.vault.sealing import chunk_place, unseal


class Backups(Objects):
    """The backups of one store. One object a thread."""

    def __init__(self, blobs: BlobStore, keys: Keys, *, store: bytes, random: Randomness) -> None:
        super().__init__(blobs, keys, store=store, random=random)
        self.device_keys: dict[bytes, Keys] = {}
        """Keys of sealed devices that are at hand, by their id."""
        self.revisions = Revisions(self)

    def ledger(self) -> Ledger:
        """Which backups and slots were there and were removed (§9.4)."""
        return read_ledger(self)

    def backup_ids(self) -> list[bytes]:
        """Backups that exist: a manifest that was removed and came back is none."""
        ids = self.ids(names.MANIFESTS)
        removed = self.ledger().removed if ids else set()
        return [id for id in ids if id not in removed]

    def lists(self, id: bytes) -> bool:
        """Whether a manifest of this id lies there: one request. Whether it was removed and came back is for `backup_ids` to say."""
        name = names.MANIFESTS + id.hex()
        return any(there == name for there, _ in self.blobs.list(name))

    def manifest(self, id: bytes) -> Manifest:
        """The root of a backup. Raises NoSuchBackup, Damaged."""
        return self._read_manifest(id, self.revisions.now().get(id), lambda: self.ledger().stay(id))

    def _read_manifest(self, id: bytes, revision: Revision | None, stay: Callable[[], int]) -> Manifest:
        try:
            manifest = decode_manifest(self.read_object(names.MANIFESTS + id.hex()), id=id)
        except BlobMissing:
            raise NoSuchBackup(f"The store holds no backup {id.hex()}.") from None
        return self._with_private(revised(manifest, revision, stay))

    def manifests(self) -> list[Manifest]:
        """Every readable backup, newest first; unreadable ones are named in `unreadable`."""
        manifests, ids = [], self.backup_ids()
        revisions = self.revisions.now() if ids else {}
        stays = self.ledger().begun if revisions else {}

        def read(id: bytes) -> Manifest | str | None:
            try:
                return self._read_manifest(id, revisions.get(id), lambda: stays.get(id, 1))
            except NoSuchBackup:
                return None
            except Damaged as error:
                return error.message

        for id, read_manifest in at_once(read, ids, self.blobs.parallel):
            if isinstance(read_manifest, str):
                self.unreadable[names.MANIFESTS + id.hex()] = read_manifest
            elif read_manifest is not None:
                manifests.append(read_manifest)
        return sorted(manifests, key=lambda manifest: (manifest.finished_at, manifest.id), reverse=True)

    def _with_private(self, manifest: Manifest) -> Manifest:
        """A sealed device's note and names, when its key is at hand."""
        if manifest.sealed is None or manifest.sealed not in self.device_keys:
            return manifest
        try:
            private = json.loads(self.inner_open(manifest.sealed, bytes.fromhex(manifest.rest["private"])))
            kinds = tuple(replace(summary, newest_name=str(private["newest_names"].get(summary.kind, ""))) for summary in manifest.kinds)
            return replace(manifest, note=str(private["note"]), kinds=kinds)
        except (ValueError, KeyError, TypeError, AttributeError):
            raise Damaged(f"The manifest of backup {manifest.id.hex()} cannot be read.") from None

    def remove(self, id: bytes) -> None:
        """Forget a backup at once; its bytes go with a later sweep. Nothing happens when it is gone. Raises StoreError."""
        remove_backup(self, id)

    def stored_bytes(self) -> int:
        """Everything that lies in the store, down to headers and keys."""
        return sum(size for _, size in self.blobs.list(""))

    # -- sealed devices (§3.6)

    def inner_open(self, sealed: bytes | None, content: bytes) -> bytes:
        """What lies below the second seal of a sealed device. Raises DeviceSealed, Damaged."""
        if sealed is None:
            return content
        if (keys := self.device_keys.get(sealed)) is None:
            raise DeviceSealed("This device is sealed: its content opens with a passphrase of its own.")
        return unframed(unseal(keys, chunk_place(sealed), content))
