"""An opened vault: its backups and items, and everything that only looks.

Opening is `opening`'s, chunks and their index `chunks`', writing `writer`'s, removal `sweep`'s, proof `check`'s.
"""

import json
from collections.abc import Callable, Iterator
from dataclasses import replace

from core.vault import blobs as names
from core.vault.chunks import Chunks
from core.vault.errors import BlobMissing, Damaged, NoSuchBackup
from core.vault.fetching import fetch
from core.vault.ledger import Ledger, read_ledger, remove_backup
from core.vault.manifests import KindSummary, Manifest, Span, Stored, decode_manifest, decode_rows, parted_branch, split_ids, stored_of
from core.vault.parallel import at_once


class Vault(Chunks):
    """Reads. One object a thread."""

    # -- items

    def read(self, stored: Stored, *, offset: int = 0, length: int | None = None) -> Iterator[bytes]:
        """The content of an item, or a range of its bytes, in pieces of at most a chunk. Fetches only what it needs."""
        at, end = 0, stored.item.size_bytes if length is None else min(stored.item.size_bytes, offset + length)
        for span in stored.spans:
            first, last = max(offset, at), min(end, at + span.length_bytes)
            if first < last:
                yield self._part(span, stored.sealed)[first - at : last - at]
            at += span.length_bytes

    def _part(self, span: Span, sealed: bytes | None) -> bytes:
        return part_of(self.inner_open(sealed, self.chunk(span.chunk)), span)

    # -- backups

    def ledger(self) -> Ledger:
        """Which backups and slots were there and were removed (§9.4)."""
        return read_ledger(self)

    def backup_ids(self) -> list[bytes]:
        """Backups that exist: a manifest that was removed and came back is none."""
        found = self.ids(names.MANIFESTS)
        removed = self.ledger().removed if found else set()
        return [id for id in found if id not in removed]

    def manifest(self, id: bytes) -> Manifest:
        """The root of a backup. Raises NoSuchBackup, Damaged."""
        try:
            manifest = decode_manifest(self.read_object(names.MANIFESTS + id.hex()), id=id)
        except BlobMissing:
            raise NoSuchBackup(f"The store holds no backup {id.hex()}.") from None
        return self._with_private(manifest)

    def manifests(self) -> list[Manifest]:
        """Every readable backup, newest first; unreadable ones are named in `unreadable`."""
        found = []
        for id, told in at_once(self._manifest_or_why, self.backup_ids(), self.blobs.parallel):
            if isinstance(told, str):
                self.unreadable[names.MANIFESTS + id.hex()] = told
            elif told is not None:
                found.append(told)
        return sorted(found, key=lambda manifest: (manifest.finished_at, manifest.id), reverse=True)

    def _manifest_or_why(self, id: bytes) -> Manifest | str | None:
        try:
            return self.manifest(id)
        except NoSuchBackup:
            return None
        except Damaged as error:
            return error.message

    def _with_private(self, manifest: Manifest) -> Manifest:
        """A sealed device's note and names, when its key is at hand."""
        if manifest.sealed is None or manifest.sealed not in self.device_keys:
            return manifest
        try:
            told = json.loads(self.inner_open(manifest.sealed, bytes.fromhex(manifest.rest["private"])))
            kinds = tuple(replace(found, newest_name=str(told["newest_names"].get(found.kind, ""))) for found in manifest.kinds)
            return replace(manifest, note=str(told["note"]), kinds=kinds)
        except (ValueError, KeyError, TypeError, AttributeError):
            raise Damaged(f"The manifest of backup {manifest.id.hex()} cannot be read.") from None

    def branches(self, summary: KindSummary, *, whole: bool = True) -> list[bytes]:
        """Ids of the branches of a tree, in order. Raises Damaged, or leaves out what cannot be read unless it has to be whole."""
        ids = list(summary.tops)
        for _ in range(summary.depth):
            below: list[bytes] = []
            for fork in ids:
                try:
                    below += split_ids(self.chunk(fork))
                except Damaged:
                    if whole:
                        raise
            ids = below
        return ids

    def items(self, manifest: Manifest, kind: str, *, lost: Callable[[int], None] | None = None) -> Iterator[Stored]:
        """Items of one kind, sorted by id. Nothing for a kind that the backup does not hold. Raises DeviceSealed.

        A part of the tree that cannot be read raises Damaged; with `lost` it is passed over, and in the end `lost` is
        told how many items are missing.
        """
        summary = manifest.summary(kind)
        if summary is None:
            return
        seen = 0
        for branch, content in fetch(self, self.branches(summary, whole=lost is None)):
            try:
                if isinstance(content, Damaged):
                    raise content
                found = self._stored(content, kind=kind, sealed=manifest.sealed)
            except Damaged:
                if lost is None:
                    raise
                continue
            self.remember(branch, content)
            seen += len(found)
            yield from found
        if lost is not None and seen < summary.items:
            lost(summary.items - seen)

    def branch_items(self, branch: bytes, *, kind: str, sealed: bytes | None) -> list[Stored]:
        """Raises Damaged, DeviceSealed."""
        return self._stored(self.chunk(branch), kind=kind, sealed=sealed)

    def _stored(self, branch: bytes, *, kind: str, sealed: bytes | None) -> list[Stored]:
        chunks, items = parted_branch(branch)
        return [stored_of(row, kind=kind, sealed=sealed) for row in decode_rows(chunks, self.inner_open(sealed, items))]

    def item(self, manifest: Manifest, kind: str, id: str) -> Stored | None:
        """One item, found by halving: reads a few branches, however many there are. Raises Damaged, DeviceSealed."""
        summary = manifest.summary(kind)
        branches = self.branches(summary) if summary else []
        low, high = 0, len(branches)
        while low < high:
            middle = (low + high) // 2
            rows = self.branch_items(branches[middle], kind=kind, sealed=manifest.sealed)
            if rows and rows[0].item.id <= id <= rows[-1].item.id:
                return next((stored for stored in rows if stored.item.id == id), None)
            if rows and id < rows[0].item.id:
                high = middle
            else:
                low = middle + 1
        return None

    def remove(self, id: bytes) -> None:
        """Forget a backup at once; its bytes go with a later sweep. Nothing happens when it is gone. Raises StoreError."""
        remove_backup(self, id)

    def stored_bytes(self) -> int:
        """Everything that lies in the store, down to headers and keys."""
        return sum(size for _, size in self.blobs.list(""))


def part_of(content: bytes, span: Span) -> bytes:
    """The bytes of a span in its chunk's content. Raises Damaged."""
    if span.offset < 0 or span.length_bytes < 0 or span.offset + span.length_bytes > len(content):
        raise Damaged(f"Chunk {span.chunk.hex()} is shorter than the manifest says.")
    return content if span.length_bytes == len(content) else content[span.offset : span.offset + span.length_bytes]
