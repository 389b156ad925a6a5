"""Cutting content into chunks and framing them (§5): content-defined cuts, zstd where it pays.

Edges depend on a secret seed (FastCDC, Xia et al., USENIX ATC 2016), except in SQLite files, which
change in place: those are cut at fixed page-aligned offsets. Memory is bounded by the largest chunk,
whatever the size of the item.
"""

import io
from collections.abc import Iterable, Iterator

import zstandard
from pyfastcdc import FastCDC

from core.units import KIB, MIB
from core.vault.errors import Damaged

AVERAGE_CHUNK_BYTES = 256 * KIB
MAX_CHUNK_BYTES = 2 * MIB
PAGED_CHUNK_BYTES = 32 * KIB
MAX_FRAME_BYTES = 16 * MIB
"""No chunk of any writer is larger when it is opened: a frame that claims more is damaged."""

_PAGED_MAGIC = b"SQLite format 3\x00"
_RAW, _ZSTD = b"\x00", b"\x01"
_LEVEL = 3


class Cutter:
    """Cuts one item after another. One object a thread."""

    def __init__(self, seed: int) -> None:
        self._cdc = FastCDC(AVERAGE_CHUNK_BYTES, min_size=64 * KIB, max_size=MAX_CHUNK_BYTES, seed=seed)

    def cut(self, pieces: Iterable[bytes]) -> Iterator[bytes]:
        """The chunks of an item that arrives in pieces. Nothing for an empty item."""
        stream = _Pieces(pieces)
        head = stream.read(len(_PAGED_MAGIC))
        stream.push_back(head)
        if head == _PAGED_MAGIC:
            while page := stream.read(PAGED_CHUNK_BYTES):
                yield page
        elif head:
            for chunk in self._cdc.cut_stream(io.BufferedReader(stream, MAX_CHUNK_BYTES)):
                yield bytes(chunk.data)


def framed(chunk: bytes) -> bytes:
    """§5.2: a method byte and the content, compressed when that makes it smaller."""
    packed = zstandard.ZstdCompressor(level=_LEVEL).compress(chunk)
    return _ZSTD + packed if len(packed) < len(chunk) else _RAW + chunk


def unframed(frame: bytes) -> bytes:
    """The content of a frame. Raises Damaged for an unknown method or a frame that lies about its size."""
    method, content = frame[:1], frame[1:]
    if method == _RAW:
        return content
    if method == _ZSTD:
        try:
            size = zstandard.frame_content_size(content)
            if not 0 <= size <= MAX_FRAME_BYTES:
                raise Damaged("A chunk claims an impossible size.")
            return zstandard.ZstdDecompressor().decompress(content, max_output_size=MAX_FRAME_BYTES)
        except zstandard.ZstdError:
            raise Damaged("A chunk cannot be decompressed.") from None
    raise Damaged("A chunk is framed in a way that this version does not know.")


class _Pieces(io.RawIOBase):
    """A readable stream over pieces."""

    def __init__(self, pieces: Iterable[bytes]) -> None:
        self._pieces = iter(pieces)
        self._rest = memoryview(b"")

    def readable(self) -> bool:
        return True

    def push_back(self, content: bytes) -> None:
        self._rest = memoryview(content + bytes(self._rest))

    def readinto(self, buffer: "bytearray | memoryview") -> int:  # type: ignore[override]
        while not self._rest:
            piece = next(self._pieces, None)
            if piece is None:
                return 0
            self._rest = memoryview(piece)
        count = min(len(buffer), len(self._rest))
        buffer[:count] = self._rest[:count]
        self._rest = self._rest[count:]
        return count

    def read(self, size: int = -1) -> bytes:
        """Up to `size` bytes; fewer only at the end."""
        parts: list[bytes] = []
        while size and (part := super().read(size)):
            parts.append(part)
            size -= len(part)
        return b"".join(parts)
