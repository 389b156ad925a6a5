"""Writing into a vault: chunks into packs, items into bundles, and the commit (§8).

Order of a commit: packs, then the index object, then the manifest. A backup exists once its manifest
does. Whatever a killed writer leaves behind are packs that the next one uses again.
"""

from collections.abc import Iterable, Sequence
from datetime import datetime, timedelta

from core.content.items import Item
from core.vault import blobs as names
from core.vault.blobs import pack_name
from core.vault.chunking import Cutter, framed
from core.vault.errors import RunTooLong
from core.vault.index import Entry, encode_entries, encode_packs
from core.vault.manifests import KindSummary, Manifest, Span, Stored, encode_branch, encode_manifest, split_branches
from core.vault.sealing import seal_chunk, seal_object
from core.vault.vault import FOOTER_SUFFIX, LENGTH_BYTES, Vault


class Writer:
    """One backup in the making. One object a run."""

    def __init__(self, vault: Vault) -> None:
        vault.refresh()
        self.vault = vault
        self.stored_bytes = 0
        """Sealed bytes of chunks that were new to the store."""
        self._cutter = Cutter(vault.keys.cutting)
        self._pack = vault.random(16)
        self._sealed: list[bytes] = []
        self._entries: list[Entry] = []
        self._open_bytes = 0
        self._pending: set[bytes] = set()
        self._written: list[tuple[bytes, list[Entry]]] = []
        self._relied: set[bytes] = set()

    # -- content

    def store_chunk(self, plain: bytes) -> bytes:
        """The chunk's id; its bytes are stored unless the store has them."""
        chunk = self.vault.keys.chunk_id(plain)
        if chunk in self._pending:
            return chunk
        if self.vault.index.reusable(chunk):
            self._relied.add(chunk)
            return chunk
        salt = self._pack + len(self._entries).to_bytes(4, "big")
        self._take(chunk, seal_chunk(self.vault.keys, chunk, framed(plain), salt=salt), len(plain))
        return chunk

    def move_chunk(self, chunk: bytes, sealed: bytes, plain_bytes: int) -> None:
        """Put a chunk that is sealed already into this writer's packs, as it is."""
        if chunk not in self._pending:
            self._take(chunk, sealed, plain_bytes)

    def store_item(self, item: Item, pieces: Iterable[bytes]) -> Stored:
        """Cut, seal and store the content of one item."""
        spans = [Span(self.store_chunk(chunk), 0, len(chunk)) for chunk in self._cutter.cut(pieces)]
        return Stored(item, tuple(spans))

    def store_bundle(self, contents: Sequence[tuple[Item, bytes]]) -> list[Stored]:
        """Store tiny items together as one chunk (§5.3)."""
        chunk = self.store_chunk(b"".join(content for _, content in contents))
        stored, offset = [], 0
        for item, content in contents:
            spans = (Span(chunk, offset, len(content)),) if content else ()
            stored.append(Stored(item, spans))
            offset += len(content)
        return stored

    def rely_on(self, stored: Stored) -> bool:
        """Whether the item can stay as an earlier backup stored it; if so, its chunks are counted on."""
        chunks = {span.chunk for span in stored.spans}
        if not all(chunk in self._pending or self.vault.index.reusable(chunk) for chunk in chunks):
            return False
        self._relied |= chunks - self._pending
        return True

    def store_kind(self, kind: str, stored: list[Stored]) -> KindSummary:
        """Write the branches of one kind; `stored` in any order."""
        stored = sorted(stored, key=lambda entry: entry.item.id)
        newest = max((entry.item for entry in stored), key=lambda item: (item.modified, item.id), default=None)
        return KindSummary(
            kind=kind,
            items=len(stored),
            size_bytes=sum(entry.item.size_bytes for entry in stored),
            newest_name=newest.name if newest else "",
            newest_at=newest.modified if newest else None,
            branches=tuple(self.store_chunk(encode_branch(branch)) for branch in split_branches(stored)),
        )

    # -- commit

    def flush(self) -> None:
        """Store what is open, so that a later run can use it again."""
        self._close_pack()
        if self._written:
            self.vault.write_object(names.INDEXES, encode_packs(self._written))
            self._written = []

    def commit(self, manifest: Manifest, *, began_at: datetime, now: datetime) -> None:
        """Make the backup exist.

        Raises RunTooLong when the run took longer than marked packs are kept: what it relied on may be gone.
        """
        self._rescue_marked()
        self.flush()
        if now - began_at > timedelta(seconds=self.vault.limits.grace_seconds):
            raise RunTooLong("The run took longer than unneeded packs are kept.")
        self.vault.write_object(names.MANIFESTS, encode_manifest(manifest), id=manifest.id)

    def _rescue_marked(self) -> None:
        """Store again what this run relied on and a sweep has marked meanwhile."""
        index = self.vault.index
        marked = {pack for _, packs in self.vault.marks().values() for pack in packs} - index.marked
        if not marked:
            return
        index.marked |= marked
        for chunk in self._relied:
            place = index.place(chunk)
            if place is not None and place.pack in marked:
                self.move_chunk(chunk, self.vault.sealed_chunk(chunk), place.plain_bytes)

    # -- packs

    def _take(self, chunk: bytes, sealed: bytes, plain_bytes: int) -> None:
        self._sealed.append(sealed)
        self._entries.append(Entry(chunk, len(sealed), plain_bytes))
        self._pending.add(chunk)
        self._open_bytes += len(sealed)
        self.stored_bytes += len(sealed)
        if self._open_bytes >= self.vault.limits.pack_bytes:
            self._close_pack()

    def _close_pack(self) -> None:
        if not self._entries:
            return
        name = pack_name(self._pack)
        footer = seal_object(self.vault.keys, name + FOOTER_SUFFIX, encode_entries(self._entries), random=self.vault.random)
        self.vault.blobs.create(name, b"".join([*self._sealed, footer, len(footer).to_bytes(LENGTH_BYTES, "big")]))
        self.vault.index.add(self._pack, self._entries)
        self._written.append((self._pack, self._entries))
        self._pack, self._sealed, self._entries, self._open_bytes = self.vault.random(16), [], [], 0
