"""Copying backups to another store (§8.2): sealed chunks are moved where the key is the same, else sealed anew.

A copy has the id of its backup. Resumable: what has arrived is found in the target's packs and not sent again.
Every chunk is opened before it is passed on, so that damage does not spread. Sealed devices need not be
unlocked: their content moves below their own seal, and their key slots move with it.
"""

from collections.abc import Callable, Collection, Iterable, Iterator, Sequence, Set
from dataclasses import dataclass, replace

import numpy as np

from core.vault import blobs as names
from core.vault.errors import Damaged, NoSuchBackup, Stopped
from core.vault.fetching import fetch, in_pack_order
from core.vault.key_slots import live_slots
from core.vault.keys import ID_BYTES
from core.vault.manifests import KindSummary, Manifest, decode_manifest, joined_branch, parted_branch, split_ids
from core.vault.needs import Needs, needs_of
from core.vault.packs import ids_of
from core.vault.pipeline import Spans
from core.vault.sealed_devices import bring_slots
from core.vault.vault import Vault
from core.vault.writer import Writer

OnProgress = Callable[[int, int], None]


@dataclass(frozen=True, slots=True, kw_only=True)
class CopyReport:
    copied: list[bytes]
    """Ids of the backups that are new to the target, oldest first."""
    sent_bytes: int
    """Sealed bytes that were written there."""
    damaged: dict[bytes, str]
    """Backups that could not be copied whole and were left, each with why."""


def same_key(one: Vault, other: Vault) -> bool:
    """Whether sealed chunks can be moved between the two as they are."""
    return one.keys.id == other.keys.id and one.keys.master == other.keys.master


def copy(
    source: Vault,
    target: Vault,
    *,
    backups: Collection[bytes] | None = None,
    on_progress: OnProgress = lambda done_bytes, total_bytes: None,
    should_stop: Callable[[], bool] = lambda: False,
    settled: bool = False,
    admit: Callable[[int], None] = lambda bytes: None,
) -> CopyReport:
    """The chosen backups, or all. Those that the target has are left. Raises NoSuchBackup, StoreError, Stopped, and what `admit` does.

    `admit` is told once, before anything is written, how many sealed bytes the target lacks; under another key what all of it occupies
    here.

    `settled`: the same two were copied between just now, so slots and packs of others are not looked for again.
    """
    writer = Writer(target, fresh=not settled)
    try:
        if not settled:
            _same_slots(source, target)
        there = _there(target, backups)
        manifests = sorted(_wanted(source, backups, there), key=lambda manifest: (manifest.finished_at, manifest.id))
        source.refresh()  # after the manifests: what they need was there before them
        needs = needs_of(source, manifests)
        totals = [int(source.index.lengths[needs.of(manifest.id)].sum(dtype="i8")) for manifest in manifests]
        admit(_lacking_bytes(source, target, needs, manifests))
        job = _Copy(source, target, writer, needs, on_progress=on_progress, should_stop=should_stop, total_bytes=sum(totals))
        copied, damaged = [], dict[bytes, str]()
        for manifest in manifests:
            try:
                job.take(manifest)
                copied.append(manifest.id)
            except Damaged as error:
                damaged[manifest.id] = error.message
                writer.flush()
            except Stopped:
                writer.flush()
                raise
        on_progress(job.total_bytes, job.total_bytes)
        return CopyReport(copied=copied, sent_bytes=writer.stored_bytes, damaged=damaged)
    finally:
        writer.close()


def _lacking_bytes(source: Vault, target: Vault, needs: Needs, manifests: Sequence[Manifest]) -> int:
    values = np.zeros(len(source.index.lengths), dtype=np.bool_)
    for manifest in manifests:
        values[needs.of(manifest.id)] = True
    wanted = np.flatnonzero(values)
    if same_key(source, target):
        wanted = wanted[target.index.numbers(b"".join(ids_of(source.index.all_entries()[wanted]))) < 0]
    return int(source.index.lengths[wanted].sum(dtype="i8"))


def _there(target: Vault, backups: Collection[bytes] | None) -> set[bytes]:
    """Those that the target has. One that lies there may have been removed, which only all of its notes can tell."""
    if backups is not None and len(backups) == 1 and not target.lists(next(iter(backups))):
        return set()
    return set(target.backup_ids())


def _wanted(source: Vault, backups: Collection[bytes] | None, there: Set[bytes]) -> Iterator[Manifest]:
    """Raises NoSuchBackup for one that was chosen; of all, one that somebody has just removed is none."""
    for id in source.backup_ids() if backups is None else backups:
        if id in there:
            continue
        try:
            yield raw_manifest(source, id)
        except NoSuchBackup:
            if backups is not None:
                raise


def _same_slots(source: Vault, target: Vault) -> None:
    """What became of the slots of sealed devices that both stores know is carried along, also when no backup is new."""
    sealed = {slot.opens for slot in live_slots(source)} - {source.keys.id, target.keys.id}
    both = sealed & {slot.opens for slot in live_slots(target)} if sealed else set()
    for key in sorted(both):
        bring_slots(source, target, key)


def send_chunks(source: Vault, target: Vault, writer: Writer, chunks: Iterable[bytes]) -> list[bytes]:
    """Move sealed chunks between stores with the same key: those that arrived. Damaged ones are left."""
    arrived = []
    for chunk, sealed in fetch(source, in_pack_order(source, chunks), raw=True):
        if not isinstance(sealed, Damaged):
            writer.move_chunk(chunk, sealed)
            arrived.append(chunk)
    return arrived


def moved(source: Vault, target: Vault, manifest: Manifest, writer: Writer) -> Manifest:
    """The same backup in a store with the same key, with the trees that it has in the other one; nothing is committed. Raises
    Damaged."""
    job = _Copy(source, target, writer, needs_of(source, [manifest]))
    job.move(manifest)
    return manifest


def resealed(source: Vault, target: Vault, manifest: Manifest, writer: Writer) -> Manifest:
    """The same backup under the target's key; nothing is committed. Raises Damaged."""
    job = _Copy(source, target, writer, needs_of(source, [manifest]))
    return job.sealed_anew(manifest)


class _Copy:
    def __init__(
        self,
        source: Vault,
        target: Vault,
        writer: Writer,
        needs: Needs,
        *,
        on_progress: OnProgress = lambda done_bytes, total_bytes: None,
        should_stop: Callable[[], bool] = lambda: False,
        total_bytes: int = 0,
    ) -> None:
        self._source, self._target, self._writer, self._needs = source, target, writer, needs
        self._on_progress, self._should_stop, self.total_bytes = on_progress, should_stop, total_bytes
        self._entries = source.index.all_entries()
        self._anew: dict[bytes, Spans] = {}
        self._done = 0

    def take(self, manifest: Manifest) -> None:
        """One backup with everything that it needs. Raises Damaged when it is not whole."""
        if manifest.sealed is not None:
            bring_slots(self._source, self._target, manifest.sealed)
        if (self._needs.damaged.keys() & self._needs.trees(manifest.id)) or self._lacks(manifest):
            raise Damaged("A part of this backup is damaged or missing.")
        if same_key(self._source, self._target):
            self.move(manifest)
            self._writer.commit(manifest, again=True)
        else:
            self._writer.commit(self.sealed_anew(manifest), again=True)

    def _lacks(self, manifest: Manifest) -> bool:
        trees = self._needs.trees(manifest.id)
        return any((self._needs.branches[tree] < 0).any() for tree in trees if tree in self._needs.branches)

    def _chunks(self, manifest: Manifest) -> list[bytes]:
        """Everything the backup needs, in the order in which it lies."""
        return ids_of(self._entries[self._needs.of(manifest.id)])

    def move(self, manifest: Manifest) -> None:
        chunks = self._chunks(manifest)
        there = self._target.index.numbers(b"".join(chunks)) >= 0
        self._writer.rely_on(b"".join(chunk for chunk, is_there in zip(chunks, there, strict=True) if is_there))
        for chunk, sealed in self._fetched([chunk for chunk, is_there in zip(chunks, there, strict=True) if not is_there], raw=True):
            self._writer.move_chunk(chunk, sealed)

    def _fetched(self, chunks: list[bytes], *, raw: bool = False) -> Iterable[tuple[bytes, bytes]]:
        for chunk, content in fetch(self._source, chunks, raw=raw):
            if isinstance(content, Damaged):
                raise content
            if self._should_stop():
                raise Stopped("The copy was stopped.")
            self._done += len(content)
            self._on_progress(min(self._done, self.total_bytes), self.total_bytes)
            yield chunk, content

    # -- another key

    def sealed_anew(self, manifest: Manifest) -> Manifest:
        """Chunks get new ids; items keep theirs, since a branch names chunks by their place in its list."""
        trees = self._needs.trees(manifest.id)
        for chunk, content in self._fetched([chunk for chunk in self._chunks(manifest) if chunk not in trees and chunk not in self._anew]):
            self._anew[chunk] = self._writer.put(content)
        self._writer.drain()
        kinds = tuple(self._tree(summary) for summary in manifest.kinds)
        folders = self._tree(manifest.folders) if manifest.folders else None
        return replace(manifest, kinds=kinds, folders=folders)

    def _tree(self, summary: KindSummary) -> KindSummary:
        return replace(summary, tops=tuple(self._tree_chunk(top, summary.depth) for top in summary.tops))

    def _tree_chunk(self, chunk: bytes, depth: int) -> bytes:
        content = self._source.chunk(chunk)
        if depth:
            return self._writer.store_tree_chunk(b"".join(self._tree_chunk(below, depth - 1) for below in split_ids(content)))
        ids, items = parted_branch(content)
        mapped = b"".join(_new_id(self._anew[ids[at : at + ID_BYTES]]) for at in range(0, len(ids), ID_BYTES))
        return self._writer.store_tree_chunk(joined_branch(mapped, items))


def _new_id(spans: Spans) -> bytes:
    assert isinstance(spans[0], bytes)
    return spans[0]


def raw_manifest(vault: Vault, id: bytes) -> Manifest:
    """The manifest with its private part still sealed. Raises NoSuchBackup, Damaged."""
    manifest = vault.manifest(id)
    if manifest.sealed is None:
        return manifest
    raw = decode_manifest(vault.read_object(names.MANIFESTS + id.hex()), id=id)
    kinds = tuple(replace(one, tops=now.tops) for one, now in zip(raw.kinds, manifest.kinds, strict=True))
    return replace(raw, kinds=kinds, folders=manifest.folders)
