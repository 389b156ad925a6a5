"""A store whose objects are read once: for questions that look at the same lists again and again, over a slow line."""

from collections.abc import Iterator
from datetime import datetime

from core.units import MIB
from core.vault.blobs import BlobStore, Content, Keeps

MOST_BYTES = 64 * MIB


class RememberedBlobs:
    """A BlobStore over another one. What was read stays in memory, up to so many bytes: an object never changes. Lists are asked anew."""

    def __init__(self, below: BlobStore, *, most_bytes: int = MOST_BYTES) -> None:
        self._below, self.parallel, self._left = below, below.parallel, most_bytes
        self._known: dict[tuple[str, int, int | None], bytes] = {}

    def create(self, name: str, content: Content) -> None:
        self._below.create(name, content)

    def read(self, name: str, *, offset: int = 0, length: int | None = None) -> bytes:
        asked = (name, offset, length)
        if asked in self._known:
            return self._known[asked]
        content = self._below.read(name, offset=offset, length=length)
        if len(content) <= self._left:
            self._known[asked] = content
            self._left -= len(content)
        return content

    def delete(self, name: str) -> None:
        self._known = {asked: answer for asked, answer in self._known.items() if asked[0] != name}
        self._below.delete(name)

    def list(self, prefix: str) -> Iterator[tuple[str, int]]:
        return self._below.list(prefix)

    def dated(self, name: str) -> datetime | None:
        return self._below.dated(name)

    def clock(self) -> datetime | None:
        return self._below.clock()

    def keeps(self) -> Keeps:
        return self._below.keeps()

    def free_bytes(self) -> int | None:
        return self._below.free_bytes()
