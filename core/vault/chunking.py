"""Cutting content into chunks (§5): content-defined cuts, fixed pages for databases.

Edges depend on a secret seed (FastCDC, Xia et al., USENIX ATC 2016), except in SQLite files, which
change in place: those are cut at fixed page-aligned offsets. Memory is bounded by a piece and the largest
chunk, whatever the size of the item. Chunks are views into the pieces, not copies.
"""

from collections.abc import Iterable, Iterator

from pyfastcdc import FastCDC

from core.units import KIB, MIB

AVERAGE_CHUNK_BYTES = 256 * KIB
MIN_CHUNK_BYTES = 64 * KIB
MAX_CHUNK_BYTES = 2 * MIB
PAGED_CHUNK_BYTES = 32 * KIB

_PAGED_MAGIC = b"SQLite format 3\x00"
_ENOUGH_BYTES = 2 * MAX_CHUNK_BYTES


class Cutter:
    """Cuts one item after another. One object a thread."""

    def __init__(self, seed: int) -> None:
        self._cdc = FastCDC(AVERAGE_CHUNK_BYTES, min_size=MIN_CHUNK_BYTES, max_size=MAX_CHUNK_BYTES, seed=seed)

    def cut(self, pieces: Iterable[bytes]) -> Iterator[memoryview]:
        """The chunks of an item that arrives in pieces. Nothing for an empty item."""
        paged: bool | None = None
        waiting, held = [], 0
        for piece in pieces:
            if not piece:
                continue
            waiting.append(piece)
            held += len(piece)
            if held < _ENOUGH_BYTES:
                continue
            whole = waiting[0] if len(waiting) == 1 else b"".join(waiting)
            paged = whole.startswith(_PAGED_MAGIC) if paged is None else paged
            view, at = memoryview(whole), 0
            for start, end in self._edges(whole, paged, last=False):
                yield view[start:end]
                at = end
            rest = whole[at:]
            waiting, held = [rest], len(rest)
        whole = waiting[0] if len(waiting) == 1 else b"".join(waiting)
        if whole:
            view = memoryview(whole)
            for start, end in self._edges(whole, whole.startswith(_PAGED_MAGIC) if paged is None else paged, last=True):
                yield view[start:end]

    def _edges(self, whole: bytes, paged: bool, *, last: bool) -> Iterator[tuple[int, int]]:
        """(start, end) of each chunk whose end is certain; with `last` the end of the content is one."""
        if paged:
            size = len(whole)
            for start in range(0, size if last else size - size % PAGED_CHUNK_BYTES, PAGED_CHUNK_BYTES):
                yield start, min(start + PAGED_CHUNK_BYTES, size)
            return
        start, size = 0, len(whole)
        for chunk in self._cdc.cut_buf(whole):
            end = chunk.offset + chunk.length
            if end < size or last:
                yield start, end
            start = end
