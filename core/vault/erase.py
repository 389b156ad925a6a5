"""Erasing items of one device out of every backup in a store (§7.5): backups are written anew without them, under other ids.

First what shares a bundle with them moves out of it, then manifests are written anew and the old ones removed, then a note
tells every sweep which chunks must go, those of lists that named the items included. Interrupted anywhere, doing it again
goes on. A backup that must not be touched stays, and is named.
"""

from collections.abc import Callable, Collection, Iterable, Set
from dataclasses import dataclass, field, replace
from datetime import datetime

import numpy as np
import orjson
from blake3 import blake3

from core.content.scope import erased_mark
from core.units import KIB
from core.vault.bundles import bundle_anew, triples
from core.vault.erased import note_erased
from core.vault.errors import Damaged, RunTooLong, Stopped
from core.vault.fetching import fetch, in_pack_order
from core.vault.inventory import rows_of
from core.vault.keys import ID_BYTES, Keys
from core.vault.manifests import ID, SPANS, Counts, KindSummary, Manifest, Row, Span
from core.vault.needs import Needs, needs_of
from core.vault.packs import ids_of
from core.vault.sweep import all_manifests
from core.vault.vault import Vault, part_of
from core.vault.writer import Writer

_MOST_SCANNED = 256 * KIB
"""Lists of items are shorter than this once they are sealed."""
_LEAST_NEEDLE = 8
_MOST_LOOKS = 3
_TOO_FAST = "Sweeps of this store follow each other faster than anything can be erased."


@dataclass(slots=True, kw_only=True)
class Erasing:
    """What was done in one store. Doing it again adds nothing."""

    anew: dict[bytes, bytes] = field(default_factory=dict)
    """Backup → the one that stands for it now. Those that an interrupted attempt had written are among them."""
    items: int = 0
    """Items that are in them no more, each counted once a backup."""
    stand_ins: dict[bytes, bytes] = field(default_factory=dict)
    """Every backup of the device that was written instead of another one, by whatever request → that one."""
    untouched: list[bytes] = field(default_factory=list)
    """Backups that hold some of it and must not be touched."""
    needed_by: dict[str, int] = field(default_factory=dict)
    """Device → how many of the chunks its backups need all the same: it has the same content."""


def stands_for(request: bytes, backup: bytes) -> bytes:
    """The id of the backup that is written instead of this one: the same in every store."""
    return blake3(request + backup).digest(ID_BYTES)


def written_instead_of(manifest: Manifest) -> bytes | None:
    """The backup whose place this one took; None for one that a run made."""
    anew = manifest.rest.get("anew")
    try:
        return bytes.fromhex(anew["of"]) if isinstance(anew, dict) else None
    except (KeyError, ValueError, TypeError):
        return None


def holding(vault: Vault, *, device: str, items: Collection[tuple[str, str]]) -> dict[bytes, int]:
    """Backups of the device that hold any of these (kind, mark of an item) → how many. Raises Damaged, DeviceSealed, StoreError."""
    job = _Erase(vault, device, items)
    job.look()
    return {manifest.id: count for manifest in job.mine if (count := job.found_in(manifest))}


def erase(
    vault: Vault,
    *,
    device: str,
    items: Collection[tuple[str, str]],
    request: bytes,
    now: datetime,
    claim: Callable[[Set[bytes]], Set[bytes]] = lambda backups: backups,
    should_stop: Callable[[], bool] = lambda: False,
) -> Erasing:
    """Out of every backup of the device in this store, save those that `claim` does not give. `items`: (kind, `erased_mark`).

    `claim` is asked once, before anything changes, with the backups that hold any of it: whoever answers sees to it that nobody
    protects afterwards what it gave. Raises, having lost nothing, Damaged when it cannot be told what a backup holds; DeviceSealed;
    RunTooLong; Stopped; StoreError; what `claim` raises.
    """
    job, report = _Erase(vault, device, items, should_stop), Erasing()
    job.look()
    affected = [manifest for manifest in job.mine if job.found_in(manifest)]
    claimed = claim({manifest.id for manifest in affected}) if affected else set()
    report.untouched = [manifest.id for manifest in affected if manifest.id not in claimed]
    affected = [manifest for manifest in affected if manifest.id in claimed]
    if affected:
        job.note(now)
        if not report.untouched:  # else their items stay where they are
            job.empty_bundles()
            job.note(now)
            job.note_leftovers(now)
        present = {manifest.id for manifest in job.mine}
        for manifest in sorted((job.now_of(one) for one in affected), key=lambda one: (one.finished_at, one.id)):
            anew = stands_for(request, manifest.id)
            report.items += job.found_in(manifest)
            if anew not in present:
                job.write_anew(manifest, anew, now=now)
            vault.remove(manifest.id)
            report.anew[manifest.id] = anew
    for manifest in vault.manifests():
        if manifest.device == device and (before := written_instead_of(manifest)) is not None:
            report.stand_ins[manifest.id] = before
    report.needed_by = _needed_by(vault, job.noted)
    return report


class _Erase:
    """One device in one store."""

    def __init__(
        self, vault: Vault, device: str, items: Collection[tuple[str, str]], should_stop: Callable[[], bool] = lambda: False
    ) -> None:
        self._vault, self._device, self._should_stop = vault, device, should_stop
        self._wanted: dict[str, set[str]] = {}
        for kind, mark in items:
            self._wanted.setdefault(kind, set()).add(mark)
        self.mine: list[Manifest] = []
        self._needs = Needs()
        self._naming: dict[bytes, list[Row]] = {}
        """Branch that names some of it → those rows."""
        self._seen: dict[tuple[str, bytes], bool] = {}
        self._needles: set[bytes] = set()
        self.noted: set[bytes] = set()

    def look(self) -> None:
        """Which branches name it, in the trees as they are now."""
        for _ in range(_MOST_LOOKS):
            self.mine = [manifest for manifest in all_manifests(self._vault) if manifest.device == self._device]
            self._vault.refresh()
            self._needs = needs_of(self._vault, self.mine)
            if self._unchanged():
                break
        else:
            raise RunTooLong(_TOO_FAST)
        if self._needs.damaged:
            raise Damaged(
                "A list of one of its backups cannot be read, so nobody can tell what it holds.",
                remedy="Repair or remove that backup, then try again. Nothing was erased.",
            )
        for manifest in self.mine:
            for kind in self._wanted:
                for branch in self._branches(manifest, kind):
                    self._look_into(manifest, kind, branch)

    def _unchanged(self) -> bool:
        """Whether no sweep has bundled any of these backups anew since they were read."""
        trees = {manifest.id: manifest.trees for manifest in all_manifests(self._vault)}
        return all(trees.get(manifest.id) == manifest.trees for manifest in self.mine)

    def _branches(self, manifest: Manifest, kind: str) -> list[bytes]:
        summary = manifest.summary(kind)
        return [] if summary is None else self._vault.branches(summary)

    def _look_into(self, manifest: Manifest, kind: str, branch: bytes) -> None:
        if (kind, branch) in self._seen:
            return
        if self._should_stop():
            raise Stopped("Erasing was stopped.")
        wanted = [row for row in rows_of(self._vault, branch, inner=manifest.sealed) if self._is_wanted(kind, row)]
        self._seen[kind, branch] = bool(wanted)
        if not wanted:
            return
        self._naming[branch] = wanted
        for row in wanted:
            self._needles.add(orjson.dumps(row[ID]))
            if 0 < len(row[SPANS]) <= 3:
                chunk, offset, length = triples(row[SPANS])[0]
                if _LEAST_NEEDLE <= length <= self._vault.limits.tiny_bytes:
                    plain = self._vault.inner_open(manifest.sealed, self._vault.chunk(chunk))
                    self._needles.add(part_of(plain, Span(chunk, offset, length)))

    def _is_wanted(self, kind: str, row: Row) -> bool:
        return erased_mark(self._device, kind, row[ID]) in self._wanted[kind]

    def found_in(self, manifest: Manifest) -> int:
        """How many of the items this backup holds."""
        return sum(
            len(self._naming[branch])
            for kind in self._wanted
            for branch in self._branches(manifest, kind)
            if self._seen.get((kind, branch))
        )

    def now_of(self, manifest: Manifest) -> Manifest:
        """The backup with the trees that it has by now."""
        return next(one for one in self.mine if one.id == manifest.id)

    def _spans(self) -> set[tuple[bytes, int]]:
        """(chunk, offset) of everything that is to go."""
        return {(chunk, offset) for rows in self._naming.values() for row in rows for chunk, offset, _ in triples(row[SPANS])}

    def note(self, now: datetime) -> None:
        """Tell every sweep which chunks are to go, before anything else is done."""
        chunks = {chunk for chunk, _ in self._spans()} | self._naming.keys()
        if new := chunks - self.noted:
            note_erased(self._vault, new, now=now)
            self.noted |= new

    def empty_bundles(self) -> None:
        """What shares a chunk with what is to go moves out of it, in every backup of the device."""
        spans = self._spans()
        for sealed in {manifest.sealed for manifest in self.mine}:
            beside, keys = self._neighbours(sealed, spans), self._keys(sealed)
            needed = b"".join(self._kept(manifest) for manifest in self.mine if manifest.sealed == sealed)
            bundle_anew(
                self._vault, self.mine, self._needs, beside, inner=keys, without=spans, besides=needed, should_stop=self._should_stop
            )
        self._seen.clear()
        self.look()
        for sealed in {manifest.sealed for manifest in self.mine}:
            if self._neighbours(sealed, spans):
                raise RunTooLong(_TOO_FAST)

    def _neighbours(self, sealed: bytes | None, spans: Set[tuple[bytes, int]]) -> set[bytes]:
        """Chunks in which other items lie beside these."""
        chunks = {chunk for chunk, _ in spans}
        wanted = self._vault.index.numbers(b"".join(sorted(chunks)))
        touched = {branch for branch, numbers in self._needs.branches.items() if np.isin(numbers, wanted[wanted >= 0]).any()}
        beside = set[bytes]()
        kinds = {
            (kind.kind, branch) for one in self.mine if one.sealed == sealed for kind in one.trees for branch in self._vault.branches(kind)
        }
        for kind, branch in kinds:
            if branch not in touched:
                continue
            for row in rows_of(self._vault, branch, inner=sealed):
                if kind in self._wanted and self._is_wanted(kind, row):
                    continue
                for chunk, offset, _ in triples(row[SPANS]):
                    if chunk in chunks and (chunk, offset) not in spans:
                        beside.add(chunk)
        return beside

    def _keys(self, sealed: bytes | None) -> Keys | None:
        return None if sealed is None else self._vault.device_keys[sealed]

    def _kept(self, manifest: Manifest) -> bytes:
        """Ids of what the backup needs and is not to go."""
        needed = needs_of(self._vault, [manifest]).of(manifest.id)
        entries = self._vault.index.all_entries()[needed]
        return b"".join(chunk for chunk in ids_of(entries) if chunk not in self.noted)

    def write_anew(self, manifest: Manifest, id: bytes, *, now: datetime) -> None:
        """The same moment without it. The one before is there until somebody removes it."""
        writer = Writer(self._vault, inner=self._keys(manifest.sealed))
        try:
            writer.rely_on(self._kept(manifest))
            kinds = tuple(self._without(writer, manifest, summary) for summary in manifest.kinds)
            if self._vault.manifest(manifest.id).trees != manifest.trees:
                raise RunTooLong(_TOO_FAST)
            fields = {"of": manifest.id.hex(), "items": self.found_in(manifest), "at": now.isoformat()}
            writer.commit(replace(manifest, id=id, kinds=kinds, rest=manifest.rest | {"anew": fields}), again=True)
        finally:
            writer.close()

    def _without(self, writer: Writer, manifest: Manifest, summary: KindSummary) -> KindSummary:
        branches = self._branches(manifest, summary.kind)
        if not any(self._seen.get((summary.kind, branch)) for branch in branches):
            return summary
        tree = writer.tree()
        for branch in branches:
            rows = rows_of(self._vault, branch, inner=manifest.sealed)
            if tree.between and branch not in self._naming:
                writer.keep_branch(tree, branch, Counts.of(rows))
                continue
            for row in rows:
                if not self._is_wanted(summary.kind, row):
                    writer.keep(tree, row)
        return writer.summary(tree, summary.kind)

    def note_leftovers(self, now: datetime) -> None:
        """What interrupted runs have left in packs that names it, or holds it in another bundle."""
        self._vault.refresh()
        every = needs_of(self._vault, all_manifests(self._vault))
        index = self._vault.index
        entries = index.all_entries()
        dead = ~every.live(len(index.lengths)) & (index.lengths <= _MOST_SCANNED)
        unknown = [chunk for chunk in ids_of(entries[dead]) if chunk not in self.noted]
        holding = {chunk for chunk, plain in self._opened(unknown) if any(needle in plain for needle in self._needles)}
        if self._needles and holding:
            note_erased(self._vault, holding, now=now)

    def _opened(self, chunks: Iterable[bytes]) -> Iterable[tuple[bytes, bytes]]:
        for chunk, content in fetch(self._vault, in_pack_order(self._vault, set(chunks))):
            if self._should_stop():
                raise Stopped("Erasing was stopped.")
            if isinstance(content, Damaged):
                continue  # nobody can read it, and a sweep takes its pack
            yield chunk, content
            for sealed in {manifest.sealed for manifest in self.mine if manifest.sealed is not None}:
                for part in (content, content[4 + int.from_bytes(content[:4], "big") * ID_BYTES :]):  # a bundle, or a branch
                    try:
                        yield chunk, self._vault.inner_open(sealed, part)
                    except Damaged:
                        continue  # it is neither, or another device's


def _needed_by(vault: Vault, chunks: Set[bytes]) -> dict[str, int]:
    """Devices whose backups need some of these chunks → how many."""
    if not chunks:
        return {}
    manifests = all_manifests(vault)
    vault.refresh()
    needs = needs_of(vault, manifests)
    numbers = vault.index.numbers(b"".join(sorted(chunks)))
    hits: dict[str, set[int]] = {}
    for manifest in manifests:
        if len(hit := np.intersect1d(needs.of(manifest.id), numbers[numbers >= 0])):
            hits.setdefault(manifest.device, set()).update(hit.tolist())
    return {device: len(hit) for device, hit in hits.items()}
