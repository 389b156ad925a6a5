"""The port to the place where a store keeps its objects, and the names of those objects (§2).

An implementation promises: an object appears whole or not at all; `create` never overwrites; what was
created can be read at once and listed soon after. Nothing else is assumed.
"""

import re
from collections.abc import Iterator
from typing import Protocol

HEADER = "header"
KEYS = "keys/"
PACKS = "packs/"
INDEXES = "indexes/"
MANIFESTS = "manifests/"
MARKS = "marks/"

_ID = re.compile(r"[0-9a-f]{32}")


class BlobStore(Protocol):
    """Objects by name. Names are the ones below: lower-case letters, digits and slashes."""

    def create(self, name: str, content: bytes) -> None:
        """Write a new object. Raises BlobExists, StoreError."""
        ...

    def read(self, name: str, *, offset: int = 0, length: int | None = None) -> bytes:
        """The object's bytes, or `length` of them from `offset`. Raises BlobMissing, StoreError."""
        ...

    def delete(self, name: str) -> None:
        """Remove the object; nothing happens when it is gone already. Raises StoreError."""
        ...

    def list(self, prefix: str) -> Iterator[tuple[str, int]]:
        """(name, size in bytes) of every object whose name begins so, in no order. Raises StoreError."""
        ...

    def free_bytes(self) -> int | None:
        """Room that is left as far as the medium itself says; None when it cannot tell."""
        ...


def pack_name(pack: bytes) -> str:
    """`packs/3f/3f09…`: 256 folders, so that none grows huge."""
    text = pack.hex()
    return f"{PACKS}{text[:2]}/{text}"


def id_in(name: str) -> bytes | None:
    """The 16-byte id at the end of an object's name; None for a stranger's file."""
    last = name.rpartition("/")[2]
    return bytes.fromhex(last) if _ID.fullmatch(last) else None
