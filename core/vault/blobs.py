"""The port to the place where a store keeps its objects, and the names of those objects (§2).

An implementation promises what §1 assumes: an object appears whole or not at all; `create` never overwrites;
what `create` returned from is durable, can be read and is listed at once. A deleted object may come back
after a power failure. Nothing is assumed about the order of what happens at the same time.
"""

import re
from collections.abc import Iterator, Sequence
from datetime import datetime
from enum import StrEnum
from typing import Protocol

HEADER = "header"
KEYS = "keys/"
PACKS = "packs/"
INDEXES = "indexes/"
MANIFESTS = "manifests/"
MARKS = "marks/"
SEEN = "seen/"
REMOVED = "removed/"
LEDGERS = "rolls/"
STAYS = "stays/"
DAMAGE = "damage/"
REVISIONS = "revisions/"
SWEEPERS = "sweepers/"
OFFICES = "offices/"
ERASED = "erased/"

_ID = re.compile(r"[0-9a-f]{32}")
_NAME = re.compile(
    r"header|(keys|indexes|manifests|marks|seen|removed|rolls|stays|damage|revisions|sweepers|offices|erased)/[0-9a-f]{32}|packs/(?P<fan>[0-9a-f]{2})/(?P=fan)[0-9a-f]{30}"
)


class Keeps(StrEnum):
    """What becomes of what is removed from a place."""

    NOTHING = "nothing"
    VERSIONS = "versions"
    """Earlier versions stay until each is removed by itself."""
    LOCKED = "locked"
    """Versions, and locks that forbid to remove them before their day."""
    UNKNOWN = "unknown"


Content = bytes | Sequence[bytes]
"""The bytes of an object, in one piece or in several that follow each other."""


class BlobStore(Protocol):
    """Objects by name. Names are the ones above: lower-case letters, digits and slashes."""

    parallel: int
    """How many requests pay to be under way at once: 1 for a local disk, more for a slow line."""

    def create(self, name: str, content: Content) -> None:
        """Write a new object. Raises BlobExists, StoreError."""
        ...

    def read(self, name: str, *, offset: int = 0, length: int | None = None) -> bytes:
        """The object's bytes, or `length` of them from `offset`; fewer where it ends. Raises BlobMissing, StoreError."""
        ...

    def delete(self, name: str) -> None:
        """Remove the object with all that is kept of it; nothing happens when it is gone already. Raises StoreHolds, StoreError."""
        ...

    def list(self, prefix: str) -> Iterator[tuple[str, int]]:
        """(name, size in bytes) of every object whose name begins so, in no order. Raises StoreError."""
        ...

    def dated(self, name: str) -> datetime | None:
        """When the place itself says that the object was written; None where that is only our own clock again. Raises StoreError."""
        ...

    def clock(self) -> datetime | None:
        """What time it is by the place itself; None where that is our own clock again. Raises StoreError."""
        ...

    def keeps(self) -> Keeps:
        """What becomes of what is removed there. Raises StoreError."""
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


def is_ours(name: str) -> bool:
    """Whether an object of this name belongs to the format."""
    return _NAME.fullmatch(name) is not None


def joined(content: Content) -> bytes:
    """The content in one piece."""
    return content if isinstance(content, bytes) else b"".join(content)
