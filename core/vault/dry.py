"""A store on which work is tried without a trace: what is written stays in memory, what is removed only seems to be."""

from collections.abc import Iterator
from datetime import datetime

from core.vault.blobs import BlobStore, Content, Keeps, joined
from core.vault.errors import BlobExists, BlobMissing


class DryBlobs:
    """A BlobStore over another one, which it only reads."""

    def __init__(self, below: BlobStore) -> None:
        self._below, self.parallel = below, below.parallel
        self.written: dict[str, bytes] = {}
        self.removed: set[str] = set()

    def create(self, name: str, content: Content) -> None:
        if name in self.written or (name not in self.removed and any(there == name for there, _ in self._below.list(name))):
            raise BlobExists(f"{name} is there already.")
        self.written[name] = joined(content)
        self.removed.discard(name)

    def read(self, name: str, *, offset: int = 0, length: int | None = None) -> bytes:
        if name in self.written:
            end = None if length is None else offset + length
            return self.written[name][offset:end]
        if name in self.removed:
            raise BlobMissing(f"{name} is not there.")
        return self._below.read(name, offset=offset, length=length)

    def delete(self, name: str) -> None:
        if self.written.pop(name, None) is None:
            self.removed.add(name)

    def list(self, prefix: str) -> Iterator[tuple[str, int]]:
        yield from ((name, len(content)) for name, content in self.written.items() if name.startswith(prefix))
        yield from (entry for entry in self._below.list(prefix) if entry[0] not in self.removed and entry[0] not in self.written)

    def dated(self, name: str) -> datetime | None:
        return None if name in self.written else self._below.dated(name)

    def clock(self) -> datetime | None:
        return self._below.clock()

    def keeps(self) -> Keeps:
        return self._below.keeps()

    def free_bytes(self) -> int | None:
        return self._below.free_bytes()
