"""Writing into a vault: chunks into packs, items into trees, and the commit (§8).

Order of a commit: packs, then the index object, then the manifest, then the note that it was seen. A backup
exists once its manifest does. Whatever a killed writer leaves behind are packs that the next one uses again.
No lock is held: what a sweep marks or removes meanwhile is noticed before the commit, and once more after it.
"""

import json
from collections.abc import Iterable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from threading import Lock

import numpy as np

from core.content.items import Item
from core.errors import AtticError
from core.units import MIB
from core.vault import blobs as names
from core.vault.blobs import pack_name
from core.vault.chunking import Cutter
from core.vault.errors import Damaged, RunTooLong
from core.vault.fetching import fetch, in_pack_order
from core.vault.keys import ID_BYTES, Keys
from core.vault.ledger import begin_stay, note_seen, remove_backup
from core.vault.manifests import (
    SIZE,
    SPANS,
    Counts,
    KindSummary,
    Manifest,
    Row,
    encode_branch,
    encode_manifest,
    joined_branch,
    row_of,
)
from core.vault.packs import FOOTER_SUFFIX, LENGTH_BYTES, Entries, encode_index, entries_of, ids_of, pack_bytes
from core.vault.parallel import InTurn
from core.vault.pipeline import Claim, Pipeline, Sealed, Spans, sealed_chunk
from core.vault.sealing import inner_seal, local_place, seal
from core.vault.tree import AT_ONCE, Ticket, Tree
from core.vault.vault import Vault

_TREE_AT_ONCE_BYTES = 8 * MIB
_MOST_LOOKS = 5
_FEW = 24


@dataclass(slots=True)
class _Bundle:
    parts: list[bytes] = field(default_factory=list)
    claims: list[Claim] = field(default_factory=list)
    size_bytes: int = 0
    ticket: Ticket = field(default_factory=Ticket)


UPLOADS = 2
"""Packs on their way at once where that pays; each is in memory twice meanwhile."""


class Writer:
    """One backup in the making. One object a run."""

    def __init__(self, vault: Vault, *, inner: Keys | None = None, fresh: bool = True) -> None:
        """`inner`: the keys of a sealed device. `fresh`: learn first what the store holds now."""
        if fresh:
            vault.refresh()
        self.vault, self.inner = vault, inner
        self.stored_bytes = 0
        """Sealed bytes that were new to the store, the manifest among them."""
        self.stored_chunks = 0
        """How many chunks were new to the store, or were moved."""
        self.packed_bytes = 0
        """What the packs that were written occupy."""
        self._cutter = Cutter((inner or vault.keys).cutting)
        self._pipeline = Pipeline(vault.keys, inner=inner, workers=vault.limits.workers, known=self._known, take=self._take)
        self._sealed: list[bytes] = []
        self._chunks: list[tuple[bytes, int]] = []
        self._open_bytes = 0
        self._tree: list[tuple[bytes, bytes]] = []
        self._tree_bytes = 0
        self._pending: set[bytes] = set()
        self._most_uploads = UPLOADS if vault.blobs.parallel > 1 else 1
        in_turn = vault.limits.workers == self._most_uploads == 1
        self._uploader = InTurn() if in_turn else ThreadPoolExecutor(self._most_uploads)
        self._uploads: list[Future[tuple[bytes, Entries]]] = []
        self._written: list[tuple[bytes, Entries]] = []
        self._relied = bytearray()
        self._own = bytearray()
        self._lock = Lock()
        self._bundle, self._counts = _Bundle(), Counts()

    def close(self) -> None:
        """Let the threads go."""
        self._pipeline.close()
        self._uploader.shutdown(wait=True)

    # -- trees

    def tree(self) -> Tree:
        """The tree of one kind; `summary` ends it."""
        self._counts = Counts()
        return Tree(self.store_branch, self.store_tree_chunk)

    def add(self, tree: Tree, item: Item, pieces: Iterable[bytes]) -> None:
        """Cut, seal and store one item. What `pieces` raises leaves the tree as it was."""
        row = row_of(item)
        for chunk in self._cutter.cut(pieces):
            self._pipeline.put(chunk, [(row[SPANS], 0, len(chunk))])
        self._append(tree, row, Ticket(self._pipeline.started) if row[SIZE] else AT_ONCE)

    def add_tiny(self, tree: Tree, item: Item, content: bytes) -> None:
        """Tiny items are stored together as one chunk (§5.3), once there are enough of them."""
        row, bundle = row_of(item), self._bundle
        if content:
            bundle.claims.append((row[SPANS], bundle.size_bytes, len(content)))
            bundle.parts.append(content)
            bundle.size_bytes += len(content)
        self._append(tree, row, bundle.ticket if content else AT_ONCE)
        if bundle.size_bytes >= self.vault.limits.bundle_bytes or tree.is_held_up_by(bundle.ticket):
            self._close_bundle()

    def keep(self, tree: Tree, row: Row) -> None:
        """An item that stays as an earlier backup stored it."""
        self._append(tree, row, AT_ONCE)

    def keep_branch(self, tree: Tree, branch: bytes, counts: Counts) -> None:
        """A whole branch that stays as it is; the tree must be between branches."""
        self._counts.add(counts)
        tree.add_branch(branch)

    def summary(self, tree: Tree, kind: str) -> KindSummary:
        """End a tree."""
        self._close_bundle()
        tree.finish()
        self._pipeline.drain()
        depth, tops = tree.tops()
        return self._counts.summary(kind, depth=depth, tops=tops)

    def _append(self, tree: Tree, row: Row, ticket: Ticket) -> None:
        self._counts.add_row(row)
        tree.add(row, ticket)
        if tree.between:
            tree.store_ready(self._pipeline.done)

    def _close_bundle(self) -> None:
        bundle, self._bundle = self._bundle, _Bundle()
        if bundle.parts:
            self._pipeline.put(b"".join(bundle.parts), bundle.claims)
            bundle.ticket.batch = self._pipeline.started

    def store_branch(self, rows: Sequence[Row]) -> bytes:
        """Store the rows of a branch, with chunk ids in their spans; its id."""
        chunks, items = encode_branch(rows)
        return self.store_tree_chunk(joined_branch(chunks, items if self.inner is None else inner_seal(self.inner, items)))

    def store_tree_chunk(self, plain: bytes) -> bytes:
        """Branches and forks lie together behind the content, so that they are read together."""
        chunk, sealed = sealed_chunk(self.vault.keys, None, self._known, plain)
        if sealed is None:
            self._relied += chunk
        elif chunk not in self._pending:
            self._pending.add(chunk)
            self._tree.append((chunk, sealed))
            self._tree_bytes += len(sealed)
            self.stored_bytes += len(sealed)
            if self._tree_bytes > _TREE_AT_ONCE_BYTES:
                self._close_pack()
                self._put_tree()
        return chunk

    # -- what is there already

    def rely_on(self, ids: bytes) -> bool:
        """Whether the store has all of these chunks; if so they are counted on, and moved out of marked packs at the commit."""
        if not ids:
            return True
        index = self.vault.index
        if len(ids) <= _FEW * ID_BYTES:
            there = all(index.number(ids[at : at + ID_BYTES]) is not None for at in range(0, len(ids), ID_BYTES))
        else:
            there = bool((index.numbers(ids) >= 0).all())
        if not there:
            return False
        self._relied += ids
        return True

    def _known(self, chunk: bytes) -> bool:
        if chunk in self._pending:
            return True
        with self._lock:
            return self.vault.index.reusable(chunk)

    # -- packs

    def put(self, plain: bytes) -> Spans:
        """Store a chunk by itself; its id is the first entry of what is returned, once the pipeline was drained."""
        spans: Spans = []
        self._pipeline.put(plain, [(spans, 0, len(plain))])
        return spans

    def store_whole(self, plain: bytes) -> bytes:
        """Store a chunk by itself, at once; its id."""
        chunk = sealed_chunk(self.vault.keys, self.inner, self._known, plain)
        self._take(chunk)
        return chunk[0]

    def drain(self) -> None:
        """Until everything has an id."""
        self._pipeline.drain()

    def move_chunk(self, chunk: bytes, sealed: bytes) -> None:
        """Put a chunk that is sealed already into this writer's packs, as it is."""
        self._take((chunk, None if chunk in self._pending else sealed))

    def _take(self, pair: Sealed) -> None:
        chunk, sealed = pair
        if sealed is None or chunk in self._pending:
            if chunk not in self._pending:
                self._relied += chunk
            return
        self._pending.add(chunk)
        self.stored_bytes += len(sealed)
        self._put(chunk, sealed)

    def _put(self, chunk: bytes, sealed: bytes) -> None:
        self.stored_chunks += 1
        self._sealed.append(sealed)
        self._chunks.append((chunk, len(sealed)))
        self._open_bytes += len(sealed)
        if self._open_bytes >= self.vault.limits.pack_bytes:
            self._close_pack()

    def _put_tree(self) -> None:
        tree, self._tree, self._tree_bytes = self._tree, [], 0
        for chunk, sealed in tree:
            self._put(chunk, sealed)

    def _close_pack(self) -> None:
        if not self._chunks:
            return
        self._await_uploads(most=max(1, self._most_uploads - 1))
        pack, entries, sealed = self.vault.random(16), entries_of(self._chunks), self._sealed
        self._sealed, self._chunks, self._open_bytes = [], [], 0
        self._uploads.append(self._uploader.submit(self._upload, pack, entries, sealed))

    def _upload(self, pack: bytes, entries: Entries, sealed: list[bytes]) -> tuple[bytes, Entries]:
        name = pack_name(pack)
        footer = seal(self.vault.keys, local_place(self.vault.store, name + FOOTER_SUFFIX), entries.tobytes())
        content = [*sealed, footer, len(footer).to_bytes(LENGTH_BYTES, "big")]
        sealed.clear()
        if self._most_uploads > 1:  # it goes out as one piece, and must not be held in two forms meanwhile
            content = [b"".join(content)]
        self.vault.blobs.create(name, content[0] if len(content) == 1 else content)
        return pack, entries

    def _await_uploads(self, *, most: int) -> None:
        while len(self._uploads) > most:
            pack, entries = self._uploads.pop(0).result()
            with self._lock:
                self.vault.index.add(pack, entries)
            self._own += b"".join(ids_of(entries))
            self.packed_bytes += pack_bytes(entries)
            self._written.append((pack, entries))

    def flush(self) -> None:
        """Store what is open, so that a later run can use it again."""
        self._pipeline.drain()
        self._put_tree()
        self._close_pack()
        self._await_uploads(most=0)
        self._pending.clear()
        if self._written:
            content = encode_index(self._written)
            self.vault.write_object(names.INDEXES, content, compress=False)
            self._written = []

    def salvage(self) -> None:
        """The same when something has gone wrong already: what is whole is kept, whatever else fails is left."""
        try:
            self.flush()
        except AtticError:
            return

    # -- commit

    def commit(self, manifest: Manifest, *, again: bool = False) -> None:
        """Make the backup exist; `again`: it may have been here before. Raises RunTooLong when what it relied on is gone; StoreError."""
        self.flush()
        self._secure()
        name = names.MANIFESTS + manifest.id.hex()
        sealed = self.vault.sealed_object(name, encode_manifest(self._without_private(manifest)))
        self._publish(manifest.id, sealed, again=again)

    def commit_revisions(self, content: bytes) -> None:
        """Other trees for backups that are there (§7.4). Raises RunTooLong, having changed nothing; StoreError."""
        self.flush()
        self._secure()
        name = self.vault.write_object(names.REVISIONS, content)
        try:
            self._secure()
        except RunTooLong:
            self.vault.blobs.delete(name)
            raise

    def _publish(self, id: bytes, sealed_manifest: bytes, *, again: bool) -> None:
        stay = begin_stay(self.vault, id) if again else 1
        self.vault.blobs.create(names.MANIFESTS + id.hex(), sealed_manifest)
        self.stored_bytes += len(sealed_manifest)
        try:
            # a sweep that looked at the manifests before this one was there has left its mark before it looked
            self._secure()
        except RunTooLong:
            remove_backup(self.vault, id)
            raise
        note_seen(self.vault, id, stay)

    def _secure(self) -> None:
        """See to it that everything this backup needs lies in packs that stay (§9.3)."""
        vault, needed = self.vault, bytes(self._relied) + bytes(self._own)
        for _ in range(_MOST_LOOKS):
            marked = vault.marked_packs()
            present = vault.ids(names.PACKS).keys()
            numbers = vault.index.numbers(needed)
            used = {vault.index.pack_ids[number] for number in np.unique(vault.index.pack_numbers(numbers[numbers >= 0])).tolist()}
            if not used & marked and used <= present and (numbers >= 0).all():
                return
            vault.refresh()
            self._move_out_of_marked(needed)
            self.flush()
        raise RunTooLong("Sweeps of this store follow each other faster than a run can be finished.")

    def _move_out_of_marked(self, needed: bytes) -> None:
        index = self.vault.index
        numbers = index.numbers(needed)
        if (numbers < 0).any():
            raise RunTooLong("What this run relied on has been swept or found damaged meanwhile.")
        at_risk = {number for number, pack in enumerate(index.pack_ids) if pack in index.marked}
        risky = np.isin(index.pack_numbers(numbers), list(at_risk))
        chunks = [needed[at * ID_BYTES : (at + 1) * ID_BYTES] for at in np.flatnonzero(risky).tolist()]
        for chunk, sealed in fetch(self.vault, in_pack_order(self.vault, chunks), raw=True):
            if isinstance(sealed, Damaged):
                raise RunTooLong("What this run relied on has been swept or damaged meanwhile.")
            self.move_chunk(chunk, sealed)

    def _without_private(self, manifest: Manifest) -> Manifest:
        """What only the device's own key may show goes under its seal."""
        if self.inner is None:
            return manifest
        private = json.dumps({"note": manifest.note, "newest_names": {summary.kind: summary.newest_name for summary in manifest.kinds}})
        rest = manifest.rest | {"private": inner_seal(self.inner, private.encode()).hex()}
        kinds = tuple(replace(summary, newest_name="") for summary in manifest.kinds)
        return replace(manifest, note="", kinds=kinds, sealed=self.inner.id, rest=rest)
