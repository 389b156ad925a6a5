"""A blob store in memory: for tests, and for measuring without a disk."""

import threading
from collections.abc import Iterator
from datetime import datetime
from typing import Any

from core.vault.blobs import Content, Keeps, joined
from core.vault.errors import BlobExists, BlobMissing


class MemoryBlobs:
    """Keeps the promises of `BlobStore` until the process ends."""

    parallel = 1

    def __init__(self) -> None:
        self.held: dict[str, bytes] = {}
        self._creating = threading.Lock()

    def __getstate__(self) -> dict[str, Any]:
        """A copy has a lock of its own."""
        return {name: value for name, value in vars(self).items() if name != "_creating"}

    def __setstate__(self, state: dict[str, Any]) -> None:
        vars(self).update(state)
        self._creating = threading.Lock()

    def create(self, name: str, content: Content) -> None:
        with self._creating:
            if name in self.held:
                raise BlobExists(f"Object {name} exists.")
            self.held[name] = joined(content)

    def read(self, name: str, *, offset: int = 0, length: int | None = None) -> bytes:
        if name not in self.held:
            raise BlobMissing(f"Object {name} is missing.")
        return self.held[name][offset : None if length is None else offset + length]

    def delete(self, name: str) -> None:
        self.held.pop(name, None)

    def list(self, prefix: str) -> Iterator[tuple[str, int]]:
        yield from [(name, len(content)) for name, content in list(self.held.items()) if name.startswith(prefix)]

    def dated(self, name: str) -> datetime | None:
        return None

    def clock(self) -> datetime | None:
        return None

    def keeps(self) -> Keeps:
        return Keeps.NOTHING

    def free_bytes(self) -> int | None:
        return None
