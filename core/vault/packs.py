"""Packs and index objects, as bytes (§6).

A pack is sealed chunks one after another, then a sealed footer that says which they are. An index object
repeats footers, so that a store can be opened without reading every pack. Lists of chunks are NumPy arrays
of `ENTRY`, never objects: a store may hold millions.
"""

from collections.abc import Iterable, Iterator

import numpy as np
import numpy.typing as npt

from core.vault.errors import Damaged
from core.vault.keys import ID_BYTES
from core.vault.sealing import SEAL_BYTES

ENTRY = np.dtype([("hi", ">u8"), ("lo", ">u8"), ("sealed_bytes", ">u4")])
"""A chunk's id in two halves and the length of its sealed form; 20 bytes."""
LENGTH_BYTES = 4
FOOTER_SUFFIX = "#footer"

Entries = npt.NDArray[np.void]


def entries_of(chunks: Iterable[tuple[bytes, int]]) -> Entries:
    """(id, sealed bytes) of each chunk, in the order of the pack."""
    return np.frombuffer(b"".join(chunk + length.to_bytes(4, "big") for chunk, length in chunks), dtype=ENTRY)


def ids_of(entries: Entries) -> list[bytes]:
    """The chunk ids, in order."""
    content = entries.tobytes()
    return [content[at : at + ID_BYTES] for at in range(0, len(content), ENTRY.itemsize)]


def decode_entries(content: bytes) -> Entries:
    """A footer's plain content. Raises Damaged."""
    if len(content) % ENTRY.itemsize:
        raise Damaged("A list of chunks has an impossible length.")
    return np.frombuffer(content, dtype=ENTRY)


def held_bytes(entries: Entries) -> int:
    """What the chunks of a pack occupy."""
    return int(entries["sealed_bytes"].sum(dtype=np.int64))


def footer_bytes(count: int) -> int:
    """What the footer of a pack of `count` chunks occupies, with its length."""
    return SEAL_BYTES + count * ENTRY.itemsize + LENGTH_BYTES


def pack_bytes(entries: Entries) -> int:
    """How long a pack with these chunks is, exactly."""
    return held_bytes(entries) + footer_bytes(len(entries))


def encode_index(packs: Iterable[tuple[bytes, Entries]]) -> bytes:
    """The plain content of an index object (§6.2)."""
    return b"".join(part for pack, entries in packs for part in (pack, len(entries).to_bytes(4, "big"), entries.tobytes()))


def decode_index(content: bytes) -> Iterator[tuple[bytes, Entries]]:
    """Raises Damaged."""
    at = 0
    while at < len(content):
        start = at + ID_BYTES + 4
        count = int.from_bytes(content[at + ID_BYTES : start], "big")
        end = start + count * ENTRY.itemsize
        if end > len(content):
            raise Damaged("An index object ends too early.")
        yield content[at : at + ID_BYTES], np.frombuffer(content, dtype=ENTRY, count=count, offset=start)
        at = end
