"""Cutting content into chunks and framing them (§5): content-defined cuts, zstd where it pays.

Edges depend on a secret seed (FastCDC, Xia et al., USENIX ATC 2016), except in SQLite files, which
change in place: those are cut at fixed page-aligned offsets. Memory is bounded by a piece and the largest
chunk, whatever the size of the item. Chunks are views into the pieces, not copies.
"""

import threading
from collections.abc import Iterable, Iterator

import zstandard
from pyfastcdc import FastCDC

from core.units import KIB, MIB
from core.vault.errors import Damaged

AVERAGE_CHUNK_BYTES = 256 * KIB
MIN_CHUNK_BYTES = 64 * KIB
MAX_CHUNK_BYTES = 2 * MIB
PAGED_CHUNK_BYTES = 32 * KIB
MAX_FRAME_BYTES = 16 * MIB
"""No chunk of any writer is larger when it is opened: a frame that claims more is damaged."""

_PAGED_MAGIC = b"SQLite format 3\x00"
_RAW, _ZSTD = b"\x00", b"\x01"
_LEVEL = 3
_ENOUGH_BYTES = 2 * MAX_CHUNK_BYTES

_local = threading.local()


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


def framed(chunk: bytes | memoryview) -> bytes:
    """§5.2: a method byte and the content, compressed when that makes it smaller."""
    compressor = getattr(_local, "compressor", None)
    if compressor is None:
        compressor = _local.compressor = zstandard.ZstdCompressor(level=_LEVEL)
    packed: bytes = compressor.compress(chunk)
    return b"".join((_ZSTD, packed) if len(packed) < len(chunk) else (_RAW, chunk))


def unframed(frame: bytes, *, most_bytes: int = MAX_FRAME_BYTES) -> bytes:
    """The content of a frame. Raises Damaged for an unknown method or a frame that lies about its size."""
    method, content = frame[:1], memoryview(frame)[1:]
    if method == _RAW:
        return bytes(content)
    if method == _ZSTD:
        return decompressed(content, most_bytes)
    raise Damaged("A chunk is framed in a way that this version does not know.")


def decompressed(content: bytes | memoryview, most_bytes: int) -> bytes:
    """One zstd frame that states its size. Raises Damaged, before anything is allocated, when that is too much."""
    decompressor = getattr(_local, "decompressor", None)
    if decompressor is None:
        decompressor = _local.decompressor = zstandard.ZstdDecompressor()
    try:
        size = zstandard.frame_content_size(content)
        if not 0 <= size <= most_bytes:
            raise Damaged("A compressed frame claims an impossible size.")
        opened: bytes = decompressor.decompress(content, max_output_size=most_bytes)
    except zstandard.ZstdError:
        raise Damaged("Bytes cannot be decompressed.") from None
    return opened
