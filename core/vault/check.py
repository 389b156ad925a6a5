"""Proving that stored bytes are intact (§10): structure, a random sample of the packs, or everything.

A check writes nothing. Each damaged object is named with every backup that it touches.
"""

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass, field

from core.vault import blobs as names
from core.vault.blobs import id_in, pack_name
from core.vault.errors import BlobMissing, Damaged, Stopped
from core.vault.manifests import Manifest
from core.vault.vault import Vault


@dataclass(slots=True, kw_only=True)
class DamagedObject:
    object: str
    reason: str
    backups: set[str] = field(default_factory=set)
    """Hex ids of the backups that need it."""
    items: int = 0
    """How many items of those backups cannot be restored whole."""


@dataclass(frozen=True, slots=True, kw_only=True)
class CheckReport:
    objects: int
    """Objects that were looked at."""
    read_bytes: int
    damaged: list[DamagedObject]

    @property
    def ok(self) -> bool:
        return not self.damaged


def check(
    vault: Vault,
    *,
    percent: int = 0,
    on_progress: Callable[[int, int], None] = lambda done, total: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> CheckReport:
    """Structure always; `percent` of the packs are read, opened and their ids computed again."""
    vault.refresh()
    found: dict[str, DamagedObject] = {}
    bad_chunks: dict[bytes, str] = {}

    def damaged(object: str, reason: str) -> DamagedObject:
        return found.setdefault(object, DamagedObject(object=object, reason=reason))

    sizes = {pack: size for name, size in vault.blobs.list(names.PACKS) if (pack := id_in(name))}
    chosen = sorted(sizes, key=lambda pack: vault.keys.chunk_id(pack + vault.random(8)))[: -(-len(sizes) * percent // 100)]
    read_bytes = 0
    for done, pack in enumerate(chosen):
        if should_stop():
            raise Stopped("The check was stopped.")
        on_progress(done, len(chosen))
        read_bytes += sizes[pack]
        bad, wrong = _read_pack(vault, pack, sizes[pack])
        if wrong:
            damaged(pack_name(pack), wrong)
        for chunk in bad:
            if (place := vault.index.place(chunk)) and place.pack == pack:
                bad_chunks[chunk] = pack_name(pack)
    objects = len(sizes)
    for manifest in vault.manifests():
        objects += 1
        _walk(vault, manifest, bad_chunks, damaged)
    for name, reason in vault.unreadable.items():
        entry = damaged(name, reason)
        if name.startswith(names.MANIFESTS) and (id := id_in(name)):
            entry.backups.add(id.hex())
    objects += sum(1 for prefix in (names.INDEXES, names.KEYS, names.MARKS) for _ in vault.blobs.list(prefix))
    return CheckReport(objects=objects, read_bytes=read_bytes, damaged=sorted(found.values(), key=lambda entry: entry.object))


def _read_pack(vault: Vault, pack: bytes, size_bytes: int) -> tuple[dict[bytes, str], str]:
    """(chunks of a pack that are damaged, each with why; what is wrong with the pack, or nothing)."""
    try:
        content = vault.blobs.read(pack_name(pack))
    except BlobMissing:
        return {}, ""
    wrong = ""
    try:
        entries = vault.footer(pack, size_bytes)
    except Damaged as error:
        entries, wrong = vault.index.packs.get(pack, []), error.message
    bad, offset = {}, 0
    for entry in entries:
        try:
            vault.proven(entry.chunk, content[offset : offset + entry.sealed_bytes])
        except Damaged as error:
            bad[entry.chunk] = wrong = error.message
        offset += entry.sealed_bytes
    return bad, wrong


def _walk(vault: Vault, manifest: Manifest, bad_chunks: dict[bytes, str], damaged: Callable[[str, str], DamagedObject]) -> None:
    """Follow one backup down to its chunks."""
    lost: dict[str, int] = defaultdict(int)
    for summary in manifest.kinds:
        seen = 0
        try:
            for stored in vault.items(manifest, summary.kind):
                seen += 1
                for span in stored.spans:
                    where = bad_chunks.get(span.chunk) or _absent(vault, span.chunk)
                    if where:
                        lost[where] += 1
                        break
        except Damaged:
            for branch in summary.branches:
                where = bad_chunks.get(branch) or _absent(vault, branch) or _unreadable(vault, branch)
                if where:
                    lost[where] += summary.items - seen
                    break
    for object, items in lost.items():
        entry = damaged(object, "Content that backups need is missing.")
        entry.backups.add(manifest.id.hex())
        entry.items += items


def _absent(vault: Vault, chunk: bytes) -> str | None:
    place = vault.index.place(chunk)
    if place is None:
        return f"chunk {chunk.hex()}"
    return None


def _unreadable(vault: Vault, chunk: bytes) -> str | None:
    try:
        vault.chunk(chunk)
    except Damaged:
        place = vault.index.place(chunk)
        return pack_name(place.pack) if place else None
    return None
