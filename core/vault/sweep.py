"""Getting space back, in two phases (§9): mark packs that nobody needs, remove them after a grace period.

Safe beside running backups without a lock: a writer relies on no marked pack, and looks again before
it commits; a marked pack is removed only after the grace period, and only if no manifest needs it then.
Packs of which more than a set share is unneeded are rewritten first. One sweep a store at a time; a
second one does no harm, it only does the work twice.
"""

import json
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta

from core.vault import blobs as names
from core.vault.blobs import pack_name
from core.vault.errors import Damaged
from core.vault.index import Entry, encode_packs
from core.vault.vault import Vault
from core.vault.writer import Writer


@dataclass(frozen=True, slots=True, kw_only=True)
class SweepReport:
    freed_bytes: int
    """Packs that were removed."""
    marked_bytes: int
    """Packs that go after the grace period."""
    kept_bytes: int
    """Packs that stay."""


def sweep(vault: Vault, *, now: datetime) -> SweepReport:
    """Both phases. Raises Damaged, having removed nothing, when a manifest cannot be read."""
    sizes = dict(vault.blobs.list(names.PACKS))
    freed = _remove_marked(vault, sizes, now=now)
    marked = _mark(vault, sizes, now=now)
    left = sum(size for _, size in vault.blobs.list(names.PACKS))
    return SweepReport(freed_bytes=freed, marked_bytes=marked, kept_bytes=left - marked)


def live_chunks(vault: Vault) -> set[bytes]:
    """Every chunk that some backup needs. Raises Damaged when that cannot be told."""
    manifests = vault.manifests()
    unreadable = [name for name in vault.unreadable if name.startswith(names.MANIFESTS)]
    if unreadable:
        raise Damaged(
            f"Manifest {unreadable[0]} cannot be read, so nobody can tell what it needs. Nothing was removed.",
            remedy="Repair or remove that backup, then sweep again.",
        )
    needed: set[bytes] = set()
    for manifest in manifests:
        needed |= vault.chunks_of(manifest)
    return needed


def _remove_marked(vault: Vault, sizes: dict[str, int], *, now: datetime) -> int:
    grace = timedelta(seconds=vault.limits.grace_seconds)
    due = {name: packs for name, (at, packs) in vault.marks().items() if at + grace <= now}
    if not due:
        return 0
    vault.refresh()
    live = live_chunks(vault)
    doomed = {pack for packs in due.values() for pack in packs if pack in vault.index.packs}
    _move_out(vault, doomed, live)
    gone = [(pack, entries) for pack, entries in vault.index.packs.items() if pack not in doomed]
    _replace_index(vault, gone)
    for pack in doomed:
        vault.blobs.delete(pack_name(pack))
    for name in due:
        vault.blobs.delete(name)
    vault.refresh()
    return sum(sizes.get(pack_name(pack), 0) for pack in doomed)


def _mark(vault: Vault, sizes: dict[str, int], *, now: datetime) -> int:
    vault.refresh()
    live = live_chunks(vault)
    wasteful: set[bytes] = set()
    for pack, entries in vault.index.packs.items():
        if pack in vault.index.marked:
            continue
        held = sum(entry.sealed_bytes for entry in entries)
        needed = sum(entry.sealed_bytes for entry in entries if entry.chunk in live and _lies_in(vault, entry.chunk, pack))
        if (held - needed) * 100 > held * vault.limits.waste_percent:
            wasteful.add(pack)
    if wasteful:
        _move_out(vault, wasteful, live)
        told = {"at": now.isoformat(), "packs": sorted(pack.hex() for pack in wasteful)}
        vault.write_object(names.MARKS, json.dumps(told).encode())
    return sum(sizes.get(pack_name(pack), 0) for pack in wasteful | vault.index.marked)


def _lies_in(vault: Vault, chunk: bytes, pack: bytes) -> bool:
    place = vault.index.place(chunk)
    return place is not None and place.pack == pack


def _move_out(vault: Vault, packs: Iterable[bytes], live: set[bytes]) -> None:
    """Copy, as they are sealed, the needed chunks of these packs into new ones."""
    writer: Writer | None = None
    for pack in packs:
        for entry in vault.index.packs[pack]:
            if entry.chunk in live and _lies_in(vault, entry.chunk, pack):
                sealed = vault.sealed_chunk(entry.chunk)
                vault.proven(entry.chunk, sealed)
                if writer is None:
                    writer = Writer(vault)
                writer.move_chunk(entry.chunk, sealed, entry.plain_bytes)
    if writer is not None:
        writer.flush()


def _replace_index(vault: Vault, packs: list[tuple[bytes, list[Entry]]]) -> None:
    old = vault.index_objects()
    vault.write_object(names.INDEXES, encode_packs(packs))
    for name in old:
        vault.blobs.delete(name)
