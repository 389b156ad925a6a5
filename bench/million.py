"""Opening a store of a million chunks as it lies before its morning sweep, over a line on which each request takes 20 ms."""

import secrets
import time
from collections.abc import Iterator
from typing import Any

from bench.figures import Figure
from bench.vaults import opened, prepared
from core.vault import blobs as names
from core.vault.blobs import pack_name
from core.vault.keys import ID_BYTES
from core.vault.memory import MemoryBlobs
from core.vault.packs import encode_index, entries_of, pack_bytes

CHUNKS, NIGHT_OBJECTS, SEALED_BYTES = 1_000_000, 500, 60
LATENCY_SECONDS = 0.02


class _Far(MemoryBlobs):
    """Each request takes its time, eight may be under way; a list answers a thousand names at a time, as S3 does."""

    parallel = 8

    def __init__(self) -> None:
        super().__init__()
        self.latency_seconds, self.requests = 0.0, 0

    def _waits(self, pages: int = 1) -> None:
        self.requests += pages
        time.sleep(self.latency_seconds * pages)

    def read(self, name: str, **part: Any) -> bytes:
        self._waits()
        return super().read(name, **part)

    def list(self, prefix: str) -> Iterator[tuple[str, int]]:
        listed = list(super().list(prefix))
        self._waits(max(1, -(-len(listed) // 1000)))
        yield from listed


def million() -> Iterator[Figure]:
    far = _Far()
    vault = prepared(far)
    for _ in range(NIGHT_OBJECTS):
        ids = secrets.token_bytes(CHUNKS // NIGHT_OBJECTS * ID_BYTES)
        entries = entries_of([(ids[at : at + ID_BYTES], SEALED_BYTES) for at in range(0, len(ids), ID_BYTES)])
        pack = secrets.token_bytes(ID_BYTES)
        far.create(pack_name(pack), bytes(pack_bytes(entries)))
        vault.write_object(names.INDEXES, encode_index([(pack, entries)]), compress=False)
        vault.write_object(names.SEEN, b"{}", id=secrets.token_bytes(ID_BYTES))
    far.latency_seconds, far.requests = LATENCY_SECONDS, 0
    began = time.perf_counter()
    again = opened(far)
    again.refresh()
    again.ledger()
    took = time.perf_counter() - began
    assert len(again.index.lengths) == CHUNKS
    words = f"{far.requests} requests of 20 ms, {NIGHT_OBJECTS} index objects and as many notes"
    yield Figure(name="open a bucket of a million chunks", value=took, unit=" s", told=words, good=8, wanted=5)
