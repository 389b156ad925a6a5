"""Manifests (§7): what a backup contains. A root names branches; a branch lists items; both are sealed.

Branches are stored as chunks, so an unchanged branch of yesterday costs nothing today. Where a branch
ends depends on the ids of its items, so that a new item changes one branch and not all that follow.
Every root is complete in itself: it refers to no other backup.
"""

import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from blake3 import blake3

from core.content.items import Item
from core.vault.errors import Damaged

VERSION = 1
_BRANCH_MIN, _BRANCH_MAX, _BRANCH_MASK = 32, 1024, 0x7F


@dataclass(frozen=True, slots=True)
class Span:
    """Bytes of one chunk: the whole of it, or a part of a bundle."""

    chunk: bytes
    offset: int
    length_bytes: int


@dataclass(frozen=True, slots=True)
class Stored:
    """An item and where its content lies. Spans in order; none for an empty item."""

    item: Item
    spans: tuple[Span, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class KindSummary:
    kind: str
    items: int
    size_bytes: int
    newest_name: str
    """Name of the item modified last."""
    newest_at: datetime | None
    branches: tuple[bytes, ...] = field(repr=False)
    """Chunk ids of the branches."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Manifest:
    """The root of one backup."""

    id: bytes
    device: str
    """The device's id in Old Attic; stable."""
    device_told: dict[str, str]
    """Name, make, model, family, system version at that time: enough to rebuild the list from the store."""
    note: str
    started_at: datetime
    finished_at: datetime
    zone: str
    kinds: tuple[KindSummary, ...]

    @property
    def items(self) -> int:
        return sum(summary.items for summary in self.kinds)

    @property
    def size_bytes(self) -> int:
        return sum(summary.size_bytes for summary in self.kinds)

    def summary(self, kind: str) -> KindSummary | None:
        return next((found for found in self.kinds if found.kind == kind), None)


def encode_manifest(manifest: Manifest) -> bytes:
    return json.dumps(
        {
            "version": VERSION,
            "device": manifest.device,
            "device_told": manifest.device_told,
            "note": manifest.note,
            "started_at": manifest.started_at.isoformat(),
            "finished_at": manifest.finished_at.isoformat(),
            "zone": manifest.zone,
            "kinds": [
                {
                    "kind": found.kind,
                    "items": found.items,
                    "bytes": found.size_bytes,
                    "newest_name": found.newest_name,
                    "newest_at": found.newest_at and found.newest_at.isoformat(),
                    "branches": [branch.hex() for branch in found.branches],
                }
                for found in manifest.kinds
            ],
        },
        ensure_ascii=False,
        separators=(",", ":"),
    ).encode()


def decode_manifest(content: bytes, *, id: bytes) -> Manifest:
    """The root in these bytes. Raises Damaged, also for a later version."""
    try:
        told = json.loads(content)
        if told["version"] != VERSION:
            raise Damaged(f"Backup {id.hex()} was written by a later version.", remedy="Update this program.")
        return Manifest(
            id=id,
            device=told["device"],
            device_told=told["device_told"],
            note=told["note"],
            started_at=datetime.fromisoformat(told["started_at"]),
            finished_at=datetime.fromisoformat(told["finished_at"]),
            zone=told["zone"],
            kinds=tuple(_summary(entry) for entry in told["kinds"]),
        )
    except (ValueError, KeyError, TypeError):
        raise Damaged(f"The manifest of backup {id.hex()} cannot be read.") from None


def _summary(entry: dict[str, Any]) -> KindSummary:
    return KindSummary(
        kind=entry["kind"],
        items=entry["items"],
        size_bytes=entry["bytes"],
        newest_name=entry["newest_name"],
        newest_at=entry["newest_at"] and datetime.fromisoformat(entry["newest_at"]),
        branches=tuple(bytes.fromhex(branch) for branch in entry["branches"]),
    )


def split_branches(stored: Sequence[Stored]) -> Iterator[Sequence[Stored]]:
    """Items sorted by id, cut into branches after ids whose hash ends in seven zero bits (§7.2)."""
    start = 0
    for at, entry in enumerate(stored):
        length = at + 1 - start
        ends = length >= _BRANCH_MIN and not blake3(entry.item.id.encode()).digest()[0] & _BRANCH_MASK
        if ends or length == _BRANCH_MAX:
            yield stored[start : at + 1]
            start = at + 1
    if start < len(stored):
        yield stored[start:]


def encode_branch(stored: Sequence[Stored]) -> bytes:
    """One JSON array an item: id, name, size, modified, tag, spans as [chunk, offset, length]."""
    lines = [
        [
            entry.item.id,
            entry.item.name,
            entry.item.size_bytes,
            entry.item.modified.isoformat(),
            entry.item.tag,
            [[span.chunk.hex(), span.offset, span.length_bytes] for span in entry.spans],
        ]
        for entry in stored
    ]
    return json.dumps(lines, ensure_ascii=False, separators=(",", ":")).encode()


def decode_branch(content: bytes, *, kind: str) -> list[Stored]:
    try:
        return [
            Stored(
                Item(kind=kind, id=id, name=name, size_bytes=size, modified=datetime.fromisoformat(modified), tag=tag),
                tuple(Span(bytes.fromhex(chunk), offset, length) for chunk, offset, length in spans),
            )
            for id, name, size, modified, tag, spans in json.loads(content)
        ]
    except (ValueError, KeyError, TypeError):
        raise Damaged(f"A branch of {kind} cannot be read.") from None
