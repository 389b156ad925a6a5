"""Framing chunks and objects (§5.2): a method byte and the content, zstd where it pays."""

import threading

import zstandard

from core.units import MIB
from core.vault.errors import Damaged

MAX_FRAME_BYTES = 16 * MIB
"""No chunk of any writer is larger when it is opened: a frame that claims more is damaged."""
_RAW, _ZSTD = b"\x00", b"\x01"
_LEVEL = 3

_local = threading.local()


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
