"""Named objects of a store: sealed on the way in, opened and authenticated on the way out (§4.2, §4.3).

Knows names and seals, not what the objects mean. What cannot be opened while many are read is named in
`unreadable` and left out; whoever asks for one object gets the error.
"""

import json
from typing import Any

from core.units import MIB
from core.vault import blobs as names
from core.vault.blobs import BlobStore, id_in
from core.vault.errors import BlobMissing, Damaged, StoreHolds
from core.vault.framing import framed, unframed
from core.vault.keys import Keys, Randomness
from core.vault.sealing import local_place, seal, shared_place, unseal

MAX_OBJECT_BYTES = 256 * MIB
"""No manifest, mark or ledger is larger when it is opened."""


class Objects:
    """The objects of one store under one key."""

    def __init__(self, blobs: BlobStore, keys: Keys, *, store: bytes, random: Randomness) -> None:
        self.blobs, self.keys, self.store, self.random = blobs, keys, store, random
        self.unreadable: dict[str, str] = {}
        """Objects that could not be read at the last refresh or listing, each with why."""

    def place_of(self, name: str) -> bytes:
        """What an object of this name is bound to (§4.2)."""
        return shared_place(name) if name.startswith(names.MANIFESTS) else local_place(self.store, name)

    def opened(self, name: str, sealed: bytes) -> bytes:
        """The content of a sealed object. Raises Damaged, naming it."""
        try:
            return unframed(unseal(self.keys, self.place_of(name), sealed), most_bytes=MAX_OBJECT_BYTES)
        except Damaged as error:
            raise Damaged(f"Object {name} is damaged: {error.message}") from None

    def read_object(self, name: str) -> bytes:
        """Raises BlobMissing, Damaged."""
        return self.opened(name, self.blobs.read(name))

    def sealed_object(self, name: str, plain: bytes, *, compress: bool = True) -> bytes:
        return seal(self.keys, self.place_of(name), framed(plain) if compress else b"\x00" + plain)

    def write_object(self, prefix: str, plain: bytes, *, id: bytes | None = None, compress: bool = True) -> str:
        """Seal and store; the new object's name. Raises BlobExists, StoreError."""
        name = prefix + (id or self.random(16)).hex()
        self.blobs.create(name, self.sealed_object(name, plain, compress=compress))
        return name

    def forget(self, name: str) -> None:
        """Remove an object that counts for nothing any more. One that is locked there stays, and counts for nothing. Raises StoreError."""
        try:
            self.blobs.delete(name)
        except StoreHolds:
            return  # whoever comes next tries again

    def ids(self, prefix: str) -> dict[bytes, int]:
        """Ids of the objects below a prefix, with their sizes."""
        return {id: size for name, size in self.blobs.list(prefix) if (id := id_in(name)) and names.is_ours(name)}

    def told(self, prefix: str) -> dict[str, Any]:
        """JSON objects below a prefix by name. Damaged ones are named in `unreadable`."""
        fields = {}
        for name, _ in self.blobs.list(prefix):
            if not names.is_ours(name):
                continue
            try:
                fields[name] = json.loads(self.read_object(name))
            except BlobMissing:
                continue
            except Damaged as error:
                self.unreadable[name] = error.message
            except (ValueError, RecursionError):
                self.unreadable[name] = f"Object {name} cannot be read."
        return fields
