"""Where each chunk lies (§6.2): packs and their entries, in memory and as index objects.

The index is a convenience: everything in it can be read from the footers of the packs again. Entries
that point into packs which are gone are dropped when the index is built. Of two places for one chunk,
one in a pack that is not marked for the sweep is preferred.
"""

import struct
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from core.vault.errors import Damaged

_ENTRY = struct.Struct(">16sII")
_PACK = struct.Struct(">16sI")


@dataclass(frozen=True, slots=True)
class Entry:
    """One chunk inside a pack."""

    chunk: bytes
    sealed_bytes: int
    plain_bytes: int


@dataclass(frozen=True, slots=True)
class Place:
    """Where to read a chunk."""

    pack: bytes
    offset: int
    sealed_bytes: int
    plain_bytes: int


def encode_entries(entries: Iterable[Entry]) -> bytes:
    """The plain content of a pack's footer: 24 bytes an entry, in the order of the pack."""
    return b"".join(_ENTRY.pack(entry.chunk, entry.sealed_bytes, entry.plain_bytes) for entry in entries)


def decode_entries(content: bytes) -> list[Entry]:
    if len(content) % _ENTRY.size:
        raise Damaged("A list of chunks has an impossible length.")
    return [Entry(*fields) for fields in _ENTRY.iter_unpack(content)]


def encode_packs(packs: Iterable[tuple[bytes, list[Entry]]]) -> bytes:
    """The plain content of an index object."""
    return b"".join(_PACK.pack(pack, len(entries)) + encode_entries(entries) for pack, entries in packs)


def decode_packs(content: bytes) -> Iterator[tuple[bytes, list[Entry]]]:
    at = 0
    while at < len(content):
        if at + _PACK.size > len(content):
            raise Damaged("An index object ends too early.")
        pack, count = _PACK.unpack_from(content, at)
        at += _PACK.size
        end = at + count * _ENTRY.size
        if end > len(content):
            raise Damaged("An index object ends too early.")
        yield pack, decode_entries(content[at:end])
        at = end


class ChunkIndex:
    """All known chunks of a store."""

    def __init__(self) -> None:
        self._places: dict[bytes, Place] = {}
        self.packs: dict[bytes, list[Entry]] = {}
        """Every pack with its entries."""
        self.marked: set[bytes] = set()
        """Packs that a sweep is about to remove: nothing new may rely on them."""

    def add(self, pack: bytes, entries: list[Entry]) -> None:
        """Take in a pack; a second time nothing happens."""
        if pack in self.packs:
            return
        self.packs[pack] = entries
        offset = 0
        for entry in entries:
            known = self._places.get(entry.chunk)
            if known is None or (known.pack in self.marked and pack not in self.marked):
                self._places[entry.chunk] = Place(pack, offset, entry.sealed_bytes, entry.plain_bytes)
            offset += entry.sealed_bytes

    def place(self, chunk: bytes) -> Place | None:
        """Where the chunk lies, in a marked pack if need be."""
        return self._places.get(chunk)

    def reusable(self, chunk: bytes) -> bool:
        """Whether a new backup may rely on the stored chunk."""
        place = self._places.get(chunk)
        return place is not None and place.pack not in self.marked

    def __len__(self) -> int:
        return len(self._places)
