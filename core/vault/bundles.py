"""Bundles that are mostly dead (§9.8): how much of each is still needed, and the same items bundled anew.

Tiny items lie together in one chunk. Such a chunk is needed while one of its items is, and only the trees tell which.
Of sealed devices nobody who sweeps can tell: their bundles count as needed whole.
"""

from collections.abc import Callable, Sequence, Set
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from core.vault.errors import Damaged, RunTooLong, Stopped
from core.vault.fetching import fetch, in_pack_order
from core.vault.inventory import rows_of
from core.vault.keys import Keys
from core.vault.manifests import (
    SIZE,
    SPANS,
    KindSummary,
    Manifest,
    Span,
    numbered_rows,
    parted_branch,
    split_ids,
)
from core.vault.needs import Needs
from core.vault.packs import ids_of
from core.vault.revisions import Revision, encoded
from core.vault.vault import Vault, part_of
from core.vault.writer import Writer

_OFFSET_BITS = 24
"""No chunk opens to more."""


@dataclass(slots=True, kw_only=True)
class Bundles:
    """How much is needed of chunks that hold several items, by their number. Those that are needed whole are not told."""

    live: dict[int, int] = field(default_factory=dict)
    """Bytes of items that some backup needs."""
    held: dict[int, int] = field(default_factory=dict)
    """Bytes of all that is in it."""

    def wasteful(self, waste_percent: float) -> list[int]:
        """Those of which more than this is not needed."""
        return [number for number, held in self.held.items() if (held - self.live[number]) * 100 > held * waste_percent]

    def kept(self, lengths: npt.NDArray[np.uint32], needed: npt.NDArray[np.bool_]) -> npt.NDArray[np.int64]:
        """For each chunk how many of its sealed bytes are worth keeping."""
        values = np.where(needed, lengths, 0).astype(np.int64)
        for number, held in self.held.items():
            values[number] = values[number] * self.live[number] // held
        return values


def bundles_of(vault: Vault, manifests: Sequence[Manifest], needs: Needs) -> Bundles:
    """Reads every branch, and those bundles that may be wasteful. Raises StoreError."""
    branches = {tree for manifest in manifests if manifest.sealed is None for tree in needs.trees(manifest.id) if tree in needs.branches}
    keys, lengths = list[npt.NDArray[np.int64]](), list[npt.NDArray[np.int64]]()
    tiny = vault.limits.tiny_bytes
    for branch, content in fetch(vault, in_pack_order(vault, branches)):
        if isinstance(content, Damaged):
            continue  # named by whoever asked what backups need
        try:
            flat = [number for row in numbered_rows(parted_branch(content)[1]) if row[SIZE] <= tiny for number in row[SPANS]]
            spans = np.array(flat, dtype=np.int64).reshape(-1, 3)
            numbers = needs.branches[branch].astype(np.int64)[spans[:, 0]]
        except (ValueError, TypeError, IndexError, OverflowError):
            raise Damaged(
                "A branch cannot be read.", remedy="Run a full check of the store, then sweep again. Nothing was removed."
            ) from None
        known = numbers >= 0
        keys.append((numbers[known] << _OFFSET_BITS) | spans[known, 1])
        lengths.append(spans[known, 2])
    if not keys:
        return Bundles()
    ranges, first = np.unique(np.concatenate(keys), return_index=True)
    numbers, sizes = ranges >> _OFFSET_BITS, np.concatenate(lengths)[first]
    return _opened(vault, numbers, sizes)


def _opened(vault: Vault, numbers: npt.NDArray[np.int64], sizes: npt.NDArray[np.int64]) -> Bundles:
    limits, bundles = vault.limits, Bundles()
    held_at_most = limits.bundle_bytes + limits.tiny_bytes
    several, at = np.unique(numbers, return_inverse=True)
    live = np.bincount(at, weights=sizes).astype(np.int64)
    # whoever holds so much cannot hold too much besides
    doubtful = live * 100 < (100 - limits.waste_percent) * held_at_most
    entries = vault.index.all_entries()
    wanted = dict(
        zip(ids_of(entries[several[doubtful]]), zip(several[doubtful].tolist(), live[doubtful].tolist(), strict=True), strict=True)
    )
    for chunk, content in fetch(vault, in_pack_order(vault, wanted)):
        number, needed = wanted[chunk]
        if not isinstance(content, Damaged) and needed < len(content):
            bundles.live[number], bundles.held[number] = needed, len(content)
    return bundles


def bundle_anew(
    vault: Vault,
    manifests: Sequence[Manifest],
    needs: Needs,
    going: Set[bytes],
    *,
    inner: Keys | None = None,
    without: Set[tuple[bytes, int]] = frozenset(),
    besides: bytes = b"",
    should_stop: Callable[[], bool] = lambda: False,
) -> int:
    """Store what is needed of these chunks in new bundles, and revisions of the backups that need it: what the new packs occupy.

    Nothing is removed. `inner`: the keys of a sealed device, whose backups alone are looked at then. `without`: (chunk, offset) of
    items that are not taken along. `besides`: ids of chunks that must be there at the end, too. Raises Damaged, StoreError, Stopped.
    """
    if not going:
        return 0
    writer = Writer(vault, inner=inner, fresh=False)
    try:
        writer.rely_on(besides)
        work = _Anew(vault, writer, needs, going, without, should_stop)
        mine = [manifest for manifest in manifests if manifest.sealed == (inner.id if inner else None)]
        for device, kind in dict.fromkeys((manifest.device, summary.kind) for manifest in mine for summary in manifest.trees):
            work.bundle([manifest for manifest in mine if manifest.device == device], kind)
        revisions = {manifest.id: revision for manifest in mine if (revision := work.revision(manifest)) is not None}
        if revisions:
            now = {manifest.id: manifest.trees for manifest in vault.manifests()}
            if any(now.get(manifest.id, manifest.trees) != manifest.trees for manifest in mine):
                raise RunTooLong("Another sweep has bundled these backups anew meanwhile.")
            writer.commit_revisions(encoded(revisions))
        return writer.packed_bytes
    except RunTooLong:
        return writer.packed_bytes  # other sweeps were faster: what was written is found by the next one
    finally:
        writer.close()


class _Anew:
    def __init__(
        self,
        vault: Vault,
        writer: Writer,
        needs: Needs,
        going: Set[bytes],
        without: Set[tuple[bytes, int]],
        should_stop: Callable[[], bool],
    ) -> None:
        self._vault, self._writer, self._needs, self._going, self._should_stop = vault, writer, needs, going, should_stop
        self._inner, self._without = writer.inner.id if writer.inner else None, without
        numbers = vault.index.numbers(b"".join(going))
        self._touched = {branch for branch, chunks in needs.branches.items() if np.isin(chunks, numbers).any()}
        self._now: dict[tuple[bytes, int], tuple[bytes, int]] = {}
        """(chunk, offset) of an item → where it lies from now on."""
        self._trees: dict[bytes, bytes] = {}
        self._revisions, self._stays = vault.revisions.now(), vault.ledger()

    def bundle(self, manifests: Sequence[Manifest], kind: str) -> None:
        """Items of one kind of one device, in the order of their trees; compression mixes no others."""
        parts, places, size = list[bytes](), list[tuple[bytes, int, int]](), 0

        def close() -> None:
            nonlocal parts, places, size
            if parts:
                chunk = self._writer.store_whole(b"".join(parts))
                self._now |= {(old, offset): (chunk, now) for old, offset, now in places}
            parts, places, size = [], [], 0

        waiting: set[tuple[bytes, int]] = set()
        for branch in dict.fromkeys(branch for manifest in manifests for branch in self._branches(manifest, kind)):
            if self._should_stop():
                raise Stopped("The sweep was stopped.")
            for row in rows_of(self._vault, branch, inner=self._inner):
                for chunk, offset, length in triples(row[SPANS]):
                    done = (chunk, offset) in self._now or (chunk, offset) in waiting or (chunk, offset) in self._without
                    if chunk not in self._going or done:
                        continue
                    waiting.add((chunk, offset))
                    places.append((chunk, offset, size))
                    parts.append(part_of(self._vault.inner_open(self._inner, self._vault.chunk(chunk)), Span(chunk, offset, length)))
                    size += length
                    if size >= self._vault.limits.bundle_bytes:
                        close()
        close()

    def _branches(self, manifest: Manifest, kind: str) -> list[bytes]:
        summary = manifest.summary(kind)
        return [] if summary is None else [branch for branch in self._vault.branches(summary) if branch in self._touched]

    def revision(self, manifest: Manifest) -> Revision | None:
        """What changes of the backup's trees."""
        tops = {summary.kind: self._tops(summary) for summary in manifest.trees}
        changed = {kind: now for kind, now in tops.items() if (was := manifest.summary(kind)) is not None and now != was.tops}
        if not changed:
            return None
        before = self._revisions.get(manifest.id)
        stay = self._stays.stay(manifest.id)
        kept = dict(before.tops) if before is not None and before.stay == stay else {}
        return Revision(number=1 + (before.number if before is not None else 0), stay=stay, tops=kept | changed)

    def _tops(self, summary: KindSummary) -> tuple[bytes, ...]:
        return tuple(self._tree(top, summary.depth) for top in summary.tops)

    def _tree(self, chunk: bytes, depth: int) -> bytes:
        if chunk not in self._trees:
            self._trees[chunk] = self._fork(chunk, depth) if depth else self._branch(chunk)
        return self._trees[chunk]

    def _fork(self, chunk: bytes, depth: int) -> bytes:
        below = split_ids(self._vault.chunk(chunk))
        now = [self._tree(one, depth - 1) for one in below]
        return chunk if now == below else self._writer.store_tree_chunk(b"".join(now))

    def _branch(self, chunk: bytes) -> bytes:
        if chunk not in self._touched:
            return chunk
        rows = rows_of(self._vault, chunk, inner=self._inner)
        for row in rows:
            now = [(*self._now.get((old, offset), (old, offset)), length) for old, offset, length in triples(row[SPANS])]
            row[SPANS] = [part for span in now for part in span]
        return self._writer.store_branch(rows)


def triples(spans: Sequence[bytes | int]) -> list[tuple[bytes, int, int]]:
    """(chunk, offset, length) of each span of a row."""
    return list(zip(spans[::3], spans[1::3], spans[2::3], strict=True))  # type: ignore[arg-type]
