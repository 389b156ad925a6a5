"""Proving that stored bytes are intact (§10): structure, a random sample of the packs, or everything.

Structure opens every object but the packs and follows every backup down to its chunks; packs must be as long as
they should be. Reading opens every chunk of the chosen packs and computes its id again. Each damaged object is
named with the backups, devices and items that it touches. A check writes nothing; `note_damage` tells the store
what was found, so that nothing new relies on it and the next run stores it again.
"""

import json
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence, Set
from concurrent.futures import Executor, Future
from dataclasses import dataclass, field

import numpy as np

from core.errors import AtticError
from core.units import MIB
from core.vault import blobs as names
from core.vault.blobs import pack_name
from core.vault.chain import Notes, gone, taken_away
from core.vault.erased import erased_notes
from core.vault.errors import BlobMissing, Damaged, Stopped
from core.vault.index import ChunkIndex
from core.vault.key_slots import slots
from core.vault.keys import ID_BYTES
from core.vault.manifests import ID, NAME, Manifest, decode_rows, parted_branch
from core.vault.needs import Needs, needs_of
from core.vault.packs import Entries, decode_entries, ids_of, pack_bytes
from core.vault.parallel import at_once, hands
from core.vault.unlocking import read_header
from core.vault.vault import Vault

_PACKS_AHEAD = 3


@dataclass(slots=True, kw_only=True)
class DamagedObject:
    object: str
    reason: str
    backups: set[str] = field(default_factory=set)
    """Hex ids of the backups that need it."""
    devices: set[str] = field(default_factory=set)
    items: set[tuple[str, str]] = field(default_factory=set)
    """(kind, name) of what cannot be restored whole."""


@dataclass(frozen=True, slots=True, kw_only=True)
class CheckReport:
    objects: int
    """Objects that were looked at."""
    read_bytes: int
    damaged: list[DamagedObject]
    bad: dict[bytes, set[bytes]]
    """Pack → chunks in it that are damaged; none of them where only the footer is."""
    healed: dict[bytes, set[bytes]]
    """Pack → chunks that were noted as damaged and are whole."""
    read_packs: frozenset[bytes]
    """Packs that were read, those of earlier pieces left out."""
    paused: bool
    """Whether packs that were to be read are left for another piece."""

    @property
    def ok(self) -> bool:
        return not self.damaged


def check(
    vault: Vault,
    *,
    percent: float = 0,
    packs: Collection[bytes] | None = None,
    expected: Set[bytes] = frozenset(),
    remembered: Notes | None = None,
    on_progress: Callable[[int, int], None] = lambda done_bytes, total_bytes: None,
    should_stop: Callable[[], bool] = lambda: False,
    without: Set[bytes] = frozenset(),
    should_pause: Callable[[], bool] = lambda: False,
) -> CheckReport:
    """`percent` of the packs are read, or these `packs` in their order. Raises StoreError, Stopped.

    `expected`, `remembered`: backups and notes that somebody outside remembers.

    In pieces: `without` are packs that earlier pieces have read; `should_pause` ends a piece after a pack, with
    everything that it has found.
    """
    return _Check(vault, expected, remembered).run(percent, packs, on_progress, should_stop, without, should_pause)


def note_damage(vault: Vault, report: CheckReport) -> None:
    """Tell the store what a check found, so that nothing relies on it, and what is whole again. Raises StoreError."""
    noted = vault.noted_damage()
    old = list(vault.blobs.list(names.DAMAGE))
    now = {pack: chunks - report.healed.get(pack, set()) for pack, chunks in noted.items()}
    now = {pack: chunks for pack, chunks in now.items() if chunks or pack not in report.healed}
    for pack, chunks in report.bad.items():
        now[pack] = now.get(pack, set()) | chunks
    if now != noted:
        if now:
            chunks_of = {pack.hex(): b"".join(sorted(chunks)).hex() for pack, chunks in sorted(now.items())}
            vault.write_object(names.DAMAGE, json.dumps({"packs": chunks_of}).encode())
        for name, _ in old:
            vault.blobs.delete(name)
    vault.refresh()


@dataclass(frozen=True, slots=True)
class _Reading:
    """A pack whose chunks are being proven."""

    pack: bytes
    entries: Entries
    found: "list[Future[list[tuple[bytes, str]]]]"


class _Check:
    def __init__(self, vault: Vault, expected: Set[bytes], remembered: Notes | None) -> None:
        self.vault, self.expected, self.remembered = vault, expected, remembered
        self.found: dict[str, DamagedObject] = {}
        self.bad: dict[bytes, set[bytes]] = {}
        self.healed: dict[bytes, set[bytes]] = {}
        self.healed_entries: dict[bytes, Entries] = {}
        self.read_bytes = 0

    def damaged(self, object: str, reason: str) -> DamagedObject:
        return self.found.setdefault(object, DamagedObject(object=object, reason=reason))

    def run(
        self,
        percent: float,
        packs: Collection[bytes] | None,
        on_progress: Callable[[int, int], None],
        should_stop: Callable[[], bool],
        without: Set[bytes],
        should_pause: Callable[[], bool],
    ) -> CheckReport:
        vault = self.vault
        vault.refresh()
        objects = [name for name, _ in vault.blobs.list("") if names.is_ours(name)]
        self._small_objects(objects)
        sizes = vault.ids(names.PACKS)
        for pack, entries in vault.index.packs():
            if pack in sizes and pack_bytes(entries) != sizes[pack]:
                self.damaged(pack_name(pack), "It is not as long as it should be.")
        if packs is None:
            order = sorted(sorted(sizes.keys() - without), key=lambda pack: vault.keys.chunk_id(pack + vault.random(8)))
            chosen = order[: max(0, int(-(-len(sizes) * percent // 100)) - len(sizes.keys() & without))]
        else:
            chosen = [pack for pack in packs if pack in sizes and pack not in without]
        total, read, paused = sum(sizes[pack] for pack in chosen), set[bytes](), False
        with hands(max(vault.limits.workers, vault.blobs.parallel)) as pool:
            before = None
            for pack, content in self._contents(chosen):
                if should_stop():
                    raise Stopped("The check was stopped.")
                on_progress(self.read_bytes, total)
                # the next pack is read while this one is being opened
                begun = self._begin(pool, pack, content)
                self._note_wrong(before)
                before = begun
                read.add(pack)
                if len(read) < len(chosen) and should_pause():
                    paused = True
                    break
            self._note_wrong(before)
        on_progress(total, total)
        self._follow_all()
        return CheckReport(
            objects=len(objects),
            read_bytes=self.read_bytes,
            damaged=sorted(self.found.values(), key=lambda entry: entry.object),
            bad=self.bad,
            healed=self.healed,
            read_packs=frozenset(read),
            paused=paused,
        )

    # -- objects

    def _small_objects(self, objects: Iterable[str]) -> None:
        vault = self.vault
        slots(vault)
        for name in objects:
            if name.startswith((names.SEEN, names.REMOVED, names.SWEEPERS, names.OFFICES)):
                try:
                    vault.read_object(name)
                except BlobMissing:
                    continue
                except Damaged as error:
                    self.damaged(name, error.message)
        try:
            if read_header(vault.blobs)["store"] != vault.store.hex():
                raise Damaged("The header is another one than when the store was opened.")
        except AtticError as error:
            self.damaged(names.HEADER, error.message)
        self.vault.ledger()
        erased_notes(self.vault)
        away = taken_away(self.vault) | (gone(self.vault, self.remembered) if self.remembered else set())
        self._unreadable()
        for name in away:
            self.damaged(name, "It was written here, and somebody has taken it away or put an older state of the store back.")

    def _unreadable(self) -> None:
        for name, reason in self.vault.unreadable.items():
            entry = self.damaged(name, reason)
            if name.startswith(names.MANIFESTS):
                entry.backups.add(name.removeprefix(names.MANIFESTS))

    def _missing_backups(self, present: Set[bytes]) -> None:
        ledger, lying = self.vault.ledger(), self.vault.ids(names.MANIFESTS)
        for id in (ledger.expected | self.expected) - ledger.removed - present - lying.keys():
            self.damaged(names.MANIFESTS + id.hex(), "It was there, and nobody removed it.").backups.add(id.hex())

    # -- packs

    def _contents(self, packs: Sequence[bytes]) -> Iterator[tuple[bytes, bytes | None]]:
        """Whole packs; of a slow store several at once, but never more than memory bears."""
        ahead = min(self.vault.blobs.parallel, _PACKS_AHEAD)

        def read(pack: bytes) -> bytes | None:
            try:
                return self.vault.blobs.read(pack_name(pack))
            except BlobMissing:
                return None

        for first in range(0, len(packs), ahead):
            yield from at_once(read, packs[first : first + ahead], ahead)

    def _begin(self, pool: Executor, pack: bytes, content: bytes | None) -> "_Reading | None":
        """Let the chunks of a pack be proven; nothing for a pack that is gone."""
        if content is None:
            return None
        vault, name = self.vault, pack_name(pack)
        self.read_bytes += len(content)
        known = vault.index.entries(pack) if pack in vault.index else None
        try:
            entries = vault.footer(pack, len(content), content)  # the pack itself may be gone by now
            if known is not None and not vault.index.damaged_in(pack) and known.tobytes() != entries.tobytes():
                raise Damaged("Its footer tells of other chunks than the index.")
        except Damaged as error:
            self.damaged(name, error.message)
            self.bad.setdefault(pack, set())
            entries = known if known is not None else decode_entries(b"")
        view, offset, parts = memoryview(content), 0, list[list[tuple[bytes, memoryview]]]()
        filled = MIB
        for chunk, length in zip(ids_of(entries), entries["sealed_bytes"].tolist(), strict=True):
            if filled >= MIB:
                parts.append([])
                filled = 0
            parts[-1].append((chunk, view[offset : offset + length]))
            offset, filled = offset + length, filled + length
        return _Reading(pack, entries, [pool.submit(self._wrong, part) for part in parts])

    def _note_wrong(self, reading: "_Reading | None") -> None:
        if reading is None:
            return
        pack, entries = reading.pack, reading.entries
        noted = self.vault.index.damaged_in(pack)
        for entry in reading.found:
            for chunk, reason in entry.result():
                self.bad.setdefault(pack, set()).add(chunk)
                if chunk not in noted:
                    self.damaged(pack_name(pack), reason)
        whole = (set(ids_of(entries)) & noted) - self.bad.get(pack, set())
        if whole or (pack in self.vault.index.damage and pack not in self.bad):
            self.healed[pack], self.healed_entries[pack] = whole, entries

    def _rely_on_healed(self) -> None:
        """What is whole again counts for this check, although the store still says otherwise."""
        index = self.vault.index
        if self.healed:
            packs = [(pack, self.healed_entries.get(pack, entries)) for pack, entries in index.packs()]
            damage = {pack: chunks - self.healed.get(pack, set()) for pack, chunks in index.damage.items()}
            self.vault.index = ChunkIndex(packs, marked=index.marked, damaged=damage)

    def _wrong(self, chunks: list[tuple[bytes, memoryview]]) -> list[tuple[bytes, str]]:
        wrong = []
        for chunk, sealed in chunks:
            try:
                self.vault.proven(chunk, sealed)
            except Damaged as error:
                wrong.append((chunk, error.message))
        return wrong

    # -- backups

    def _follow_all(self) -> None:
        """Every backup; a second time when something seems to be missing, which another process may just have moved."""
        vault, before = self.vault, dict(self.found)
        for _ in range(2):
            self.found = dict(before)
            vault.unreadable.clear()
            manifests = vault.manifests()
            self._unreadable()
            vault.refresh()  # after the manifests: what they need was there before them
            self._rely_on_healed()
            self._missing_backups({manifest.id for manifest in manifests})
            self._follow(manifests)
            if self.found == before:
                return

    def _follow(self, manifests: list[Manifest]) -> None:
        """Every backup down to its chunks; only what is touched is read into rows."""
        vault = self.vault
        needs = needs_of(vault, manifests)
        gone = np.zeros(len(vault.index.lengths) + 1, dtype=np.bool_)
        gone[-1] = True  # number -1: not in the index
        for pack, chunks in self.bad.items():
            for chunk in chunks:
                number = vault.index.number(chunk)
                if number is not None and vault.index.pack_at(number) == pack:
                    gone[number] = True
        branches = {branch for branch, numbers in needs.branches.items() if gone[numbers].any()}
        for manifest in manifests:
            trees = needs.trees(manifest.id)
            if trees & (branches | needs.damaged.keys()):
                self._name_items(manifest, needs, branches, gone)

    def _name_items(self, manifest: Manifest, needs: Needs, branches: Set[bytes], gone: "np.typing.NDArray[np.bool_]") -> None:
        vault = self.vault
        for summary in manifest.trees:
            seen, lost = 0, list[tuple[str, str]]()
            waiting = [(top, summary.depth) for top in summary.tops]
            while waiting:
                chunk, depth = waiting.pop()
                try:
                    content = vault.chunk(chunk)
                except Damaged as error:
                    lost.append((self._where(chunk), error.message))
                    continue
                if depth:
                    waiting += [(content[at : at + ID_BYTES], depth - 1) for at in range(0, len(content), ID_BYTES)]
                    continue
                try:
                    ids, items = parted_branch(content)
                    rows = decode_rows(ids, vault.inner_open(manifest.sealed, items))
                except AtticError:
                    if chunk in branches:
                        for where in self._touched(ids, needs.branches[chunk], gone):
                            self._touch(where, manifest, [(summary.kind, "items of a sealed device that cannot be named")])
                    continue
                seen += len(rows)
                if chunk not in branches:
                    continue
                touched = self._touched(ids, needs.branches[chunk], gone)
                for where, chunks in touched.items():
                    named = [(summary.kind, row[NAME] or row[ID]) for row in rows if chunks & set(row[5][::3])]
                    self._touch(where, manifest, named)
            for where, _ in lost:
                self._touch(where, manifest, [(summary.kind, f"{summary.items - seen} of {summary.items} items, which cannot be named")])

    def _touched(self, ids: bytes, numbers: "np.typing.NDArray[np.int32]", gone: "np.typing.NDArray[np.bool_]") -> dict[str, set[bytes]]:
        """Object → chunks of a branch that are not to be had from it."""
        by_pack: dict[str, set[bytes]] = {}
        for at in np.flatnonzero(gone[numbers]).tolist():
            chunk = ids[at * ID_BYTES : (at + 1) * ID_BYTES]
            by_pack.setdefault(self._where(chunk), set()).add(chunk)
        return by_pack

    def _touch(self, where: str, manifest: Manifest, items: Iterable[tuple[str, str]]) -> None:
        entry = self.damaged(where, "Content that backups need is missing or damaged.")
        entry.backups.add(manifest.id.hex())
        entry.devices.add(manifest.device_told.get("name") or manifest.device)
        entry.items |= set(items)

    def _where(self, chunk: bytes) -> str:
        """The object in which a chunk should lie."""
        place = self.vault.index.place(chunk)
        if place is not None:
            return pack_name(place.pack)
        for pack, chunks in self.bad.items():
            if chunk in chunks:
                return pack_name(pack)
        return self.vault.where_noted(chunk) or f"chunk {chunk.hex()}"
