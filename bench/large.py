"""Stores of a size that nobody wants to fill: true index objects and trees, packs that are only as long as they should be."""

import time
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from bench.vaults import new_vault, reopened
from core.vault import blobs as names
from core.vault.blobs import pack_name
from core.vault.index import ChunkIndex
from core.vault.manifests import EPOCH, KindSummary, Manifest, encode_manifest, joined_branch
from core.vault.needs import needs_of
from core.vault.packs import ENTRY, encode_index, ids_of, pack_bytes
from core.vault.vault import Vault
from core.vault.writer import Writer

_CHUNKS = 2_000_000
_IN_A_PACK = 500


@dataclass(frozen=True, slots=True, kw_only=True)
class Measured:
    seconds: float
    told: str
    memory_bytes: int = 0


def _fill(vault: Vault, folder: Path) -> "np.typing.NDArray[np.void]":
    """Two million chunks in four thousand packs; every id as it stands in the index."""
    source = np.random.default_rng(5)
    entries = np.empty(_CHUNKS, dtype=ENTRY)
    entries["hi"] = source.integers(0, 1 << 63, _CHUNKS, dtype=np.uint64) * 2 + source.integers(0, 2, _CHUNKS, dtype=np.uint64)
    entries["lo"] = source.integers(0, 1 << 63, _CHUNKS, dtype=np.uint64)
    entries["sealed_bytes"] = source.integers(20_000, 80_000, _CHUNKS)
    packs = []
    for first in range(0, _CHUNKS, _IN_A_PACK):
        pack, held = source.bytes(16), entries[first : first + _IN_A_PACK]
        path = folder / pack_name(pack)
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("wb") as file:
            file.truncate(pack_bytes(held))
        packs.append((pack, held))
    vault.write_object(names.INDEXES, encode_index(packs), compress=False)
    return entries


def index_of_two_million(folder: Path, rounds: int) -> Measured:
    vault = new_vault(folder)
    entries = _fill(vault, folder)
    seconds = []
    for _ in range(rounds):
        again = reopened(vault)
        began = time.perf_counter()
        again.refresh()
        seconds.append(time.perf_counter() - began)
    index: ChunkIndex = again.index
    sample = entries[:: _CHUNKS // 1000]
    if (index.numbers(b"".join(ids_of(sample))) < 0).any() or len(index) != _CHUNKS:
        raise SystemExit("the index lost chunks")
    words = f"{index.memory_bytes / _CHUNKS:.1f} bytes a chunk"
    return Measured(seconds=min(seconds), told=words, memory_bytes=index.memory_bytes)


def mark_for_a_sweep(folder: Path, rounds: int) -> Measured:
    """100 devices with 4 backups each; 20,000 references a backup in branches of 250, one in twenty new each day."""
    vault = new_vault(folder)
    entries = _fill(vault, folder)
    ids = b"".join(ids_of(entries))
    writer, manifests, references = Writer(vault), [], 0
    source = np.random.default_rng(6)
    for device in range(100):
        mine = [ids[16 * at : 16 * (at + 250)] for at in range(device * 20_000, (device + 1) * 20_000, 250)]
        branches = [writer.store_tree_chunk(joined_branch(chunks, b"[]")) for chunks in mine]
        for day in range(4):
            for at in source.integers(0, len(mine), 4 if day else 0).tolist():
                branches[at] = writer.store_tree_chunk(joined_branch(mine[at], b"[%d]" % day))
            references += sum(len(chunks) // 16 for chunks in mine)
            summary = KindSummary(kind="photos", items=0, size_bytes=0, newest_name="", newest_at=None, tops=tuple(branches))
            manifest = Manifest(
                id=source.bytes(16),
                device=str(device),
                device_told={},
                note="",
                started_at=EPOCH,
                finished_at=EPOCH,
                zone="UTC",
                kinds=(summary,),
            )
            manifests.append(manifest)
            vault.write_object(names.MANIFESTS, encode_manifest(manifest), id=manifest.id)
    writer.flush()
    writer.close()
    seconds = []
    for _ in range(rounds):
        again = reopened(vault)
        again.refresh()
        began = time.perf_counter()
        needs = needs_of(again, again.manifests())
        live = needs.live(len(again.index.lengths))
        seconds.append(time.perf_counter() - began)
    if int(live.sum()) != _CHUNKS + len(needs.branches):
        raise SystemExit("the mark missed chunks")
    words = f"{len(manifests)} manifests and {len(needs.branches)} distinct branches read, {references:,} references"
    return Measured(seconds=min(seconds), told=words)
