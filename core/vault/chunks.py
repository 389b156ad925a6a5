"""Every chunk that lies in a store: where (the index), whether sound, and what it holds.

The index is built on `refresh` from the index objects and from the footers of packs that no index object mentions,
so a writer that was killed loses nothing that it uploaded. What stands in the store is hostile until it has been
opened.
"""

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from core.units import HOURS, KIB, MIB, aware
from core.vault import blobs as names
from core.vault.backups import Backups
from core.vault.blobs import BlobStore, pack_name
from core.vault.errors import BlobMissing, Damaged
from core.vault.framing import unframed
from core.vault.index import ChunkIndex, ChunkPlace
from core.vault.keys import Keys, Randomness
from core.vault.manifests import split_ids
from core.vault.packs import FOOTER_SUFFIX, LENGTH_BYTES, Entries, decode_entries, decode_index, ids_of, pack_bytes
from core.vault.parallel import at_once
from core.vault.sealing import chunk_place, unseal


@dataclass(frozen=True, slots=True, kw_only=True)
class VaultLimits:
    """Sizes and periods that a writer and a sweep keep to."""

    pack_bytes: int = 24 * MIB
    """A pack is closed once it holds this much."""
    bundle_bytes: int = 128 * KIB
    """Tiny items are stored together up to this size."""
    tiny_bytes: int = 4 * KIB
    """Items up to this size are tiny."""
    grace_seconds: float = 24 * HOURS
    """How long a marked pack stays before it is removed; longer than any run takes."""
    waste_percent: float = 33
    """A pack with more unneeded bytes than this is rewritten."""
    most_small_packs: int = 64
    """When there are more packs below a quarter of `pack_bytes`, they are put together."""
    cached_bytes: int = 16 * MIB
    """Opened chunks that are kept at hand while reading."""
    workers: int = 2
    """Threads that compress, seal and open."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Mark:
    """Packs that a sweep is about to remove (§9.2)."""

    at: datetime
    packs: tuple[bytes, ...]
    moved_bytes: int
    """What of them was needed and has been copied elsewhere."""
    seen_at: datetime | None = None
    """When a sweep saw it again, a grace period or more after it was made; None until then."""


class Chunks(Backups):
    """The chunks of one store, looked up and opened. One object a thread."""

    def __init__(self, blobs: BlobStore, keys: Keys, *, store: bytes, random: Randomness, limits: VaultLimits) -> None:
        super().__init__(blobs, keys, store=store, random=random)
        self.limits = limits
        self.index = ChunkIndex()
        self.lost: dict[bytes, Entries] = {}
        """Packs that index objects name and that are not there: swept, or lost."""
        self._cache: OrderedDict[bytes, bytes] = OrderedDict()
        self._cached_bytes = 0
        self._index_objects: list[str] = []
        self._seen: tuple[int, int, object] | None = None
        """Which index was read, how many packs it knew then, and what was listed."""

    # -- index

    def refresh(self) -> None:
        """Learn what the store holds now. What cannot be read is left out and named in `unreadable`."""
        self.unreadable = {}
        marked = {pack for mark in self.marks().values() for pack in mark.packs}
        sizes, damaged = self.ids(names.PACKS), self.noted_damage()
        listed = sorted(name for name, _ in self.blobs.list(names.INDEXES) if names.is_ours(name))
        seen = (listed, sizes, marked, damaged)
        if self._seen == (id(self.index), len(self.index), seen):
            return  # objects never change, and these are the same
        indexes = self._read_indexes(listed)
        known: dict[bytes, Entries] = {}
        self.lost = {}
        for packs in indexes.values():
            for pack, entries in packs:
                (known if pack in sizes else self.lost).setdefault(pack, entries)
        unlisted = sorted(sizes.keys() - known.keys())
        for pack, footer in at_once(lambda pack: self._footer_or_why(pack, sizes[pack]), unlisted, self.blobs.parallel):
            if isinstance(footer, str):
                self.unreadable[pack_name(pack)] = footer
            elif footer is not None:
                known[pack] = footer
        self.index = ChunkIndex(known.items(), marked=marked & sizes.keys(), damaged=damaged)
        self._index_objects = list(indexes)
        self._seen = (id(self.index), len(self.index), seen) if not self.unreadable and len(indexes) == len(listed) else None

    def _read_indexes(self, listed: Sequence[str]) -> dict[str, list[tuple[bytes, Entries]]]:
        by_footer: dict[str, list[tuple[bytes, Entries]]] = {}
        for name, content in at_once(self._object_or_why, listed, self.blobs.parallel):
            try:
                if isinstance(content, bytes):
                    by_footer[name] = list(decode_index(content))
                elif content is not None:
                    raise Damaged(content)
            except Damaged as error:
                self.unreadable[name] = error.message
        return by_footer

    def _object_or_why(self, name: str) -> bytes | str | None:
        try:
            return self.read_object(name)
        except BlobMissing:
            return None  # a sweep has just replaced it
        except Damaged as error:
            return error.message

    def _footer_or_why(self, pack: bytes, size_bytes: int) -> Entries | str | None:
        try:
            return self.footer(pack, size_bytes)
        except BlobMissing:
            return None
        except Damaged as error:
            return error.message

    def index_objects(self) -> list[str]:
        """Names of the index objects that the last refresh could read."""
        return list(self._index_objects)

    def footer(self, pack: bytes, size_bytes: int, content: bytes | None = None) -> Entries:
        """The entries of a pack, from its own footer (§6.1); from the pack's whole content where that is at hand. Raises Damaged,
        BlobMissing."""
        name = pack_name(pack)
        tail = self.blobs.read(name, offset=max(0, size_bytes - 16 * KIB)) if content is None else content
        length = int.from_bytes(tail[-LENGTH_BYTES:], "big")
        if len(tail) < LENGTH_BYTES or length > size_bytes - LENGTH_BYTES:
            raise Damaged(f"Pack {name} is cut short.")
        if length > len(tail) - LENGTH_BYTES:
            tail = self.blobs.read(name, offset=size_bytes - LENGTH_BYTES - length)
        sealed = tail[len(tail) - LENGTH_BYTES - length : len(tail) - LENGTH_BYTES]
        try:
            entries = decode_entries(unseal(self.keys, self.place_of(name + FOOTER_SUFFIX), sealed))
        except Damaged:
            raise Damaged(f"The footer of pack {name} is damaged.") from None
        if pack_bytes(entries) != size_bytes:
            raise Damaged(f"Pack {name} is not as long as its footer says.")
        return entries

    def marks(self) -> dict[str, Mark]:
        """Marks of sweeps by object name. Damaged ones are named in `unreadable`."""
        marks = {}
        for name, record in self.told(names.MARKS).items():
            try:
                packs, seen_at = tuple(split_ids(bytes.fromhex(record["packs"]))), record.get("seen_at")
                marks[name] = Mark(
                    at=aware(datetime.fromisoformat(record["at"])),
                    seen_at=aware(datetime.fromisoformat(seen_at)) if seen_at else None,
                    packs=packs,
                    moved_bytes=int(record["moved_bytes"]),
                )
            except (ValueError, KeyError, TypeError, Damaged):
                self.unreadable[name] = f"Object {name} cannot be read."
        return marks

    def marked_packs(self) -> set[bytes]:
        """Packs that nothing new may rely on. Raises Damaged when a mark cannot be read: then nobody knows."""
        marks = self.marks()
        unreadable = [name for name in self.unreadable if name.startswith(names.MARKS)]
        if unreadable:
            remedy = "Sweep the store: that clears it. Then run again; what was stored is used again."
            raise Damaged(f"The mark {unreadable[0]} of a sweep cannot be read.", remedy=remedy)
        return {pack for mark in marks.values() for pack in mark.packs}

    def noted_damage(self) -> dict[bytes, set[bytes]]:
        """What checks have found: pack → damaged chunks in it."""
        damage: dict[bytes, set[bytes]] = {}
        for name, record in self.told(names.DAMAGE).items():
            try:
                for pack, chunks in record["packs"].items():
                    damage.setdefault(bytes.fromhex(pack), set()).update(split_ids(bytes.fromhex(chunks)))
            except (ValueError, KeyError, TypeError, AttributeError, Damaged):
                self.unreadable[name] = f"Object {name} cannot be read."
        return damage

    def where_noted(self, chunk: bytes) -> str | None:
        """The pack in which a damaged or lost chunk lies or lay; None when nobody knows."""
        for pack, chunks in self.index.damage.items():
            if chunk in chunks:
                return pack_name(pack)
        return next((pack_name(pack) for pack, entries in self.lost.items() if chunk in ids_of(entries)), None)

    # -- chunks

    def chunk(self, chunk: bytes) -> bytes:
        """The content of a chunk. Raises Damaged when it is missing, damaged or not what it claims to be."""
        if chunk in self._cache:
            self._cache.move_to_end(chunk)
            return self._cache[chunk]
        content = self.open_chunk(chunk, self.sealed_chunk(chunk))
        self.remember(chunk, content)
        return content

    def remember(self, chunk: bytes, content: bytes) -> None:
        """Keep an opened chunk at hand for a while."""
        if chunk not in self._cache:
            self._cached_bytes += len(content)
        self._cache[chunk] = content
        while self._cached_bytes > self.limits.cached_bytes:
            self._cached_bytes -= len(self._cache.popitem(last=False)[1])

    def sealed_chunk(self, chunk: bytes, place: ChunkPlace | None = None) -> bytes:
        """Raises Damaged."""
        place = place or self.index.place(chunk)
        if place is None:
            raise Damaged(f"Chunk {chunk.hex()} is missing from the store.")
        try:
            return self.blobs.read(pack_name(place.pack), offset=place.offset, length=place.sealed_bytes)
        except BlobMissing:
            raise Damaged(f"Pack {pack_name(place.pack)} is missing from the store.") from None

    def open_chunk(self, chunk: bytes, sealed: bytes | memoryview) -> bytes:
        """The content of a sealed chunk: its seal is bound to the id. Raises Damaged."""
        try:
            return unframed(unseal(self.keys, chunk_place(chunk), sealed))
        except Damaged as error:
            raise Damaged(f"Chunk {chunk.hex()} is damaged: {error.message}") from None

    def proven(self, chunk: bytes, sealed: bytes | memoryview) -> bytes:
        """The content of a sealed chunk, after its id has been computed again. Raises Damaged."""
        content = self.open_chunk(chunk, sealed)
        if self.keys.chunk_id(content) != chunk:
            raise Damaged(f"Chunk {chunk.hex()} holds other content than its id says.")
        return content
