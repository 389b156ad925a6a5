"""An opened vault: its backups and items, and everything that only looks.

Opening is `opening`'s, chunks and their index `chunks`', writing `writer`'s, removal `sweep`'s, proof `check`'s.
"""

from collections.abc import Callable, Iterator

from core.vault.chunks import Chunks
from core.vault.errors import Damaged
from core.vault.fetching import fetch
from core.vault.manifests import KindSummary, Manifest, Span, Stored, decode_rows, parted_branch, split_ids, stored_of


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

    # -- trees

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
                stored_items = self.items_in(content, kind=kind, sealed=manifest.sealed)
            except Damaged:
                if lost is None:
                    raise
                continue
            self.remember(branch, content)
            seen += len(stored_items)
            yield from stored_items
        if lost is not None and seen < summary.items:
            lost(summary.items - seen)

    def branch_items(self, branch: bytes, *, kind: str, sealed: bytes | None) -> list[Stored]:
        """Raises Damaged, DeviceSealed."""
        return self.items_in(self.chunk(branch), kind=kind, sealed=sealed)

    def items_in(self, branch: bytes, *, kind: str, sealed: bytes | None) -> list[Stored]:
        """Of a branch's content. Raises Damaged, DeviceSealed."""
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


def part_of(content: bytes, span: Span) -> bytes:
    """The bytes of a span in its chunk's content. Raises Damaged."""
    if span.offset < 0 or span.length_bytes < 0 or span.offset + span.length_bytes > len(content):
        raise Damaged(f"Chunk {span.chunk.hex()} is shorter than the manifest says.")
    return content if span.length_bytes == len(content) else content[span.offset : span.offset + span.length_bytes]
