"""Compressing and sealing on several threads, in batches of about a megabyte, results in order.

A chunk's salt and key follow from its content (§4), so no thread has to ask another for anything. At most a
few batches are under way: whoever reads faster than they are sealed has to wait, and memory stays bounded.
"""

from collections import deque
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field

from core.units import MIB
from core.vault.framing import framed
from core.vault.keys import Keys
from core.vault.parallel import hands
from core.vault.sealing import chunk_place, inner_seal, seal

_BATCH_BYTES = 1 * MIB

Spans = list[bytes | int]
"""Flat, as in a row: chunk, offset, length, and so on."""
Claim = tuple[Spans, int, int]
"""(spans that wait for a chunk's id, offset in the chunk, length)."""


@dataclass(slots=True)
class Batch:
    chunks: list[bytes | memoryview] = field(default_factory=list)
    claims: list[list[Claim]] = field(default_factory=list)
    """For each chunk whoever waits for its id."""
    size_bytes: int = 0


Sealed = tuple[bytes, bytes | None]
"""(id, sealed bytes; None when the store has the chunk already)."""


class Pipeline:
    """Chunks in, sealed chunks out to `take`, in the order in which they came."""

    def __init__(
        self, keys: Keys, *, inner: Keys | None, workers: int, known: Callable[[bytes], bool], take: Callable[[Sealed], None]
    ) -> None:
        """`inner`: keys of a sealed device. `known` is asked from other threads."""
        self._keys, self._inner, self._known, self._take = keys, inner, known, take
        self._pool = hands(workers)
        self._most = workers + 2
        self._open = Batch()
        self._pending: deque[tuple[Batch, Future[list[Sealed]]]] = deque()
        self.started = 1
        """Number of the batch that is being filled."""
        self.done = 0
        """Number of the last batch whose chunks have ids."""

    def put(self, chunk: bytes | memoryview, claims: list[Claim]) -> None:
        self._open.chunks.append(chunk)
        self._open.claims.append(claims)
        self._open.size_bytes += len(chunk)
        if self._open.size_bytes >= _BATCH_BYTES:
            self._submit()

    def drain(self) -> None:
        """Until everything that was put has an id. Raises what went wrong on the way."""
        self._submit()
        while self._pending:
            self._collect()

    def close(self) -> None:
        """Let the threads go."""
        self._pool.shutdown(wait=True, cancel_futures=True)

    def _submit(self) -> None:
        if not self._open.chunks:
            return
        self._pending.append((self._open, self._pool.submit(self._sealed, self._open.chunks)))
        self._open = Batch()
        self.started += 1
        while len(self._pending) > self._most or (self._pending and self._pending[0][1].done()):
            self._collect()

    def _collect(self) -> None:
        batch, future = self._pending.popleft()
        for sealed, claims in zip(future.result(), batch.claims, strict=True):
            self._take(sealed)
            for spans, offset, length in claims:
                spans += (sealed[0], offset, length)
        self.done += 1

    def _sealed(self, chunks: list[bytes | memoryview]) -> list[Sealed]:
        return [sealed_chunk(self._keys, self._inner, self._known, chunk) for chunk in chunks]


def sealed_chunk(keys: Keys, inner: Keys | None, known: Callable[[bytes], bool], plain: bytes | memoryview) -> Sealed:
    """One chunk: its id, and its sealed bytes unless the store has them."""
    content = plain if inner is None else inner_seal(inner, plain)
    chunk = keys.chunk_id(content)
    if known(chunk):
        return chunk, None
    return chunk, seal(keys, chunk_place(chunk), framed(content))
