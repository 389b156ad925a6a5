"""Fetching many chunks: neighbours in one request, several requests under way, opened by a pool of threads.

Results come in the order that was asked for, which should be the order of the packs where that is free
(`in_pack_order`). Memory is bounded by the requests under way. A chunk that is missing or damaged comes as the
error; a store that does not answer is raised.
"""

from collections import deque
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import Future
from dataclasses import dataclass, field
from itertools import chain

from core.units import KIB, MIB
from core.vault.blobs import pack_name
from core.vault.chunks import Chunks
from core.vault.errors import BlobMissing, Damaged
from core.vault.parallel import hands

_MOST_BYTES, _MOST_FAR_BYTES = 2 * MIB, 4 * MIB
"""Of one request: more where each costs time on the line."""
_MOST_FAR = 6
"""Requests under way there: with their bytes, what is in memory."""
_GAP_BYTES = 64 * KIB
"""Up to so many unneeded bytes are read along rather than asked for around."""

Fetched = tuple[bytes, bytes | Damaged]


@dataclass(slots=True)
class Range:
    """A stretch of one pack and the chunks in it: (id, offset in the stretch, sealed bytes)."""

    pack: bytes
    offset: int
    length: int = 0
    chunks: list[tuple[bytes, int, int]] = field(default_factory=list)


def fetch(vault: Chunks, chunks: Sequence[bytes], *, raw: bool = False) -> Iterator[Fetched]:
    """(id, content) of each chunk; with `raw` the sealed bytes, proven to be whole."""
    workers = max(vault.limits.workers, min(vault.blobs.parallel, _MOST_FAR))
    ranges = ranges_of(vault, chunks)
    first, second = next(ranges, None), next(ranges, None)
    if first is None:
        return
    if second is None:  # nothing to do at the same time
        yield from _read(vault, first, raw)
        return
    ranges = chain([first, second], ranges)
    pending: deque[Future[list[Fetched]]] = deque()
    with hands(workers) as pool:
        try:
            for wanted in ranges:
                pending.append(pool.submit(_read, vault, wanted, raw))
                if len(pending) > workers + 1:
                    yield from pending.popleft().result()
            while pending:
                yield from pending.popleft().result()
        finally:
            for left in pending:
                left.cancel()


def in_pack_order(vault: Chunks, chunks: Iterable[bytes]) -> list[bytes]:
    """The same chunks, each once, as they lie in the store."""
    ids = list(set(chunks))
    numbers = vault.index.numbers(b"".join(ids)).tolist()
    return [chunk for _, chunk in sorted(zip(numbers, ids, strict=True))]


def ranges_of(vault: Chunks, chunks: Sequence[bytes]) -> Iterator[Range]:
    """Neighbouring chunks put together. Missing ones come as ranges of an empty pack id."""
    current: Range | None = None
    most = _MOST_FAR_BYTES if vault.blobs.parallel > 1 else _MOST_BYTES
    for chunk, place in zip(chunks, vault.index.places(chunks), strict=True):
        pack, offset, length = (place.pack, place.offset, place.sealed_bytes) if place else (b"", 0, 0)
        if current is not None:
            gap = offset - (current.offset + current.length)
            if current.pack == pack and 0 <= gap <= _GAP_BYTES and current.length + gap + length <= most:
                current.chunks.append((chunk, offset - current.offset, length))
                current.length = offset + length - current.offset
                continue
            yield current
        current = Range(pack, offset, length, [(chunk, 0, length)])
    if current is not None:
        yield current


def _read(vault: Chunks, wanted: Range, raw: bool) -> list[Fetched]:
    if not wanted.pack:
        return [(chunk, Damaged(f"Chunk {chunk.hex()} is missing from the store.")) for chunk, _, _ in wanted.chunks]
    try:
        content = memoryview(vault.blobs.read(pack_name(wanted.pack), offset=wanted.offset, length=wanted.length))
    except BlobMissing:
        gone = Damaged(f"Pack {pack_name(wanted.pack)} is missing from the store.")
        return [(chunk, gone) for chunk, _, _ in wanted.chunks]
    fetched: list[Fetched] = []
    for chunk, at, length in wanted.chunks:
        sealed = content[at : at + length]
        try:
            opened = vault.open_chunk(chunk, sealed)
            fetched.append((chunk, bytes(sealed) if raw else opened))
        except Damaged as error:
            fetched.append((chunk, error))
    return fetched
