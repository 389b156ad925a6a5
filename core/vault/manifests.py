"""Manifests (§7): what a backup contains. A root names trees, a tree's branches list items.

Branches are stored as chunks, so an unchanged branch of yesterday costs nothing today. A branch begins with
the ids of the chunks that it needs, in the open; the items follow, and are sealed once more where the device
is sealed. So whoever may only look after a store knows what to keep, and not what it is.
Every root is complete in itself: it refers to no other backup.
"""

import json
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any

import orjson

from core.content.items import Item
from core.vault.errors import Damaged
from core.vault.keys import ID_BYTES

VERSION = 2
EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_MICROSECOND = timedelta(microseconds=1)

Row = list[Any]
"""An item as it stands in a branch: id, name, size, modified (µs since 1970), tag, spans, attributes.

Spans are flat: position of the chunk in the branch's list, offset, length, and so on. While a backup is made
the position is the chunk's id itself; `encode_branch` puts the numbers in.
"""
ID, NAME, SIZE, MODIFIED, TAG, SPANS, ATTRIBUTES = range(7)
_FIELDS = 7
_MOST_DEPTH = 16


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
    sealed: bytes | None = None
    """Id of the key of a sealed device, when its content is sealed once more."""


@dataclass(frozen=True, slots=True, kw_only=True)
class KindSummary:
    kind: str
    items: int
    size_bytes: int
    newest_name: str
    """Name of the item modified last; empty for a sealed device whose key is not at hand."""
    newest_at: datetime | None
    depth: int = 0
    """0: `tops` are branches; n: they are forks above n − 1 further levels."""
    tops: tuple[bytes, ...] = field(default=(), repr=False)
    """Chunk ids."""


@dataclass(slots=True, kw_only=True)
class Counts:
    """What a tree holds, while it grows."""

    items: int = 0
    size_bytes: int = 0
    newest: tuple[int, str] | None = None
    """(microseconds since 1970, name) of the item modified last."""

    def add_row(self, row: Row) -> None:
        self.items += 1
        self.size_bytes += row[SIZE]
        if self.newest is None or (row[MODIFIED], row[NAME]) > self.newest:
            self.newest = (row[MODIFIED], row[NAME])

    @classmethod
    def of(cls, rows: Sequence[Row]) -> "Counts":
        """What these rows hold together."""
        newest = max(((row[MODIFIED], row[NAME]) for row in rows), default=None)
        return cls(items=len(rows), size_bytes=sum([row[SIZE] for row in rows]), newest=newest)

    def add(self, other: "Counts") -> None:
        self.items += other.items
        self.size_bytes += other.size_bytes
        if other.newest is not None and (self.newest is None or other.newest > self.newest):
            self.newest = other.newest

    def summary(self, kind: str, *, depth: int, tops: tuple[bytes, ...]) -> KindSummary:
        at, name = self.newest or (None, "")
        return KindSummary(
            kind=kind,
            items=self.items,
            size_bytes=self.size_bytes,
            newest_name=name,
            newest_at=None if at is None else EPOCH + at * _MICROSECOND,
            depth=depth,
            tops=tops,
        )


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
    folders: KindSummary | None = None
    """Folders of a backed-up folder with their modes and times; no items of their own."""
    sealed: bytes | None = None
    """Id of the key of a sealed device."""
    rest: dict[str, Any] = field(default_factory=dict, repr=False)
    """Fields that this version does not know; they survive copying."""

    @property
    def items(self) -> int:
        return sum(summary.items for summary in self.kinds)

    @property
    def size_bytes(self) -> int:
        return sum(summary.size_bytes for summary in self.kinds)

    @property
    def trees(self) -> tuple[KindSummary, ...]:
        """Every tree of the backup: the kinds, and the folders."""
        return (*self.kinds, self.folders) if self.folders else self.kinds

    def summary(self, kind: str) -> KindSummary | None:
        return next((tree for tree in self.trees if tree.kind == kind), None)


def encode_manifest(manifest: Manifest) -> bytes:
    """§7.1, of a manifest whose private fields are empty when the device is sealed."""
    fields = manifest.rest | {
        "version": VERSION,
        "device": manifest.device,
        "device_told": manifest.device_told,
        "note": manifest.note,
        "started_at": manifest.started_at.isoformat(),
        "finished_at": manifest.finished_at.isoformat(),
        "zone": manifest.zone,
        "kinds": [_told(summary) for summary in manifest.kinds],
        "folders": _told(manifest.folders) if manifest.folders else None,
        "sealed": manifest.sealed.hex() if manifest.sealed else None,
    }
    return json.dumps(fields, ensure_ascii=False, separators=(",", ":")).encode()


def _told(summary: KindSummary) -> dict[str, Any]:
    return {
        "kind": summary.kind,
        "items": summary.items,
        "bytes": summary.size_bytes,
        "newest_name": summary.newest_name,
        "newest_at": summary.newest_at and summary.newest_at.isoformat(),
        "depth": summary.depth,
        "tops": b"".join(summary.tops).hex(),
    }


def decode_manifest(content: bytes, *, id: bytes) -> Manifest:
    """The root in these bytes. Raises Damaged, also for a later version."""
    try:
        record = json.loads(content)
        if record.pop("version") != VERSION:
            raise Damaged(f"Backup {id.hex()} was written by a later version.", remedy="Update this program.")
        return Manifest(
            id=id,
            device=record.pop("device"),
            device_told=record.pop("device_told"),
            note=record.pop("note"),
            started_at=datetime.fromisoformat(record.pop("started_at")),
            finished_at=datetime.fromisoformat(record.pop("finished_at")),
            zone=record.pop("zone"),
            kinds=tuple(_summary(entry) for entry in record.pop("kinds")),
            folders=_summary(folders) if (folders := record.pop("folders")) else None,
            sealed=bytes.fromhex(sealed) if (sealed := record.pop("sealed")) else None,
            rest=record,
        )
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
        raise Damaged(f"The manifest of backup {id.hex()} cannot be read.") from None


def _summary(entry: dict[str, Any]) -> KindSummary:
    tops = bytes.fromhex(entry["tops"])
    if type(entry["depth"]) is not int or not 0 <= entry["depth"] <= _MOST_DEPTH:
        raise ValueError("no tree is that deep")
    return KindSummary(
        kind=entry["kind"],
        items=entry["items"],
        size_bytes=entry["bytes"],
        newest_name=entry["newest_name"],
        newest_at=entry["newest_at"] and datetime.fromisoformat(entry["newest_at"]),
        depth=entry["depth"],
        tops=tuple(split_ids(tops)),
    )


def split_ids(content: bytes) -> list[bytes]:
    """Ids that stand one after another. Raises Damaged."""
    if len(content) % ID_BYTES:
        raise Damaged("A list of chunk ids has an impossible length.")
    return [content[at : at + ID_BYTES] for at in range(0, len(content), ID_BYTES)]


def encode_branch(rows: Sequence[Row]) -> tuple[bytes, bytes]:
    """§7.2: (ids of the chunks in order of their first use, the items as JSON)."""
    numbers: dict[bytes, int] = {}
    entries = []
    for id, name, size_bytes, modified, tag, spans, attributes in rows:
        spans = list(spans)
        for at in range(0, len(spans), 3):
            spans[at] = numbers.setdefault(spans[at], len(numbers))
        entries.append([id, None if name == id else name, size_bytes, modified, tag, spans, attributes])
    return b"".join(numbers), orjson.dumps(entries)


def joined_branch(chunks: bytes, items: bytes) -> bytes:
    """The plain content of a branch: number of chunks (4), their ids, the items."""
    return (len(chunks) // ID_BYTES).to_bytes(4, "big") + chunks + items


def parted_branch(content: bytes) -> tuple[bytes, bytes]:
    """(ids of the chunks, the items). Raises Damaged."""
    end = 4 + int.from_bytes(content[:4], "big") * ID_BYTES
    if len(content) < end:
        raise Damaged("A branch ends too early.")
    return content[4:end], content[end:]


def numbered_rows(items: bytes) -> list[Row]:
    """The rows of a branch, chunks by their position in its list. Raises Damaged."""
    try:
        rows: list[Row] = orjson.loads(items)
        for row in rows:
            if row[NAME] is None:
                row[NAME] = row[ID]
            if len(row) != _FIELDS:
                raise Damaged("A branch cannot be read.")
    except (ValueError, KeyError, TypeError, IndexError):
        raise Damaged("A branch cannot be read.") from None
    return rows


def decode_rows(chunks: bytes, items: bytes) -> list[Row]:
    """The rows of a branch, with chunk ids in their spans. Raises Damaged."""
    return with_ids(numbered_rows(items), chunks)


def with_ids(rows: list[Row], chunks: bytes) -> list[Row]:
    """Put ids where positions are. Raises Damaged."""
    ids = split_ids(chunks)
    try:
        for row in rows:
            spans = row[SPANS]
            for at in range(0, len(spans), 3):
                spans[at] = ids[spans[at]]
    except (TypeError, IndexError):
        raise Damaged("A branch cannot be read.") from None
    return rows


def row_of(item: Item) -> Row:
    """The row of an item that is yet to be stored."""
    return [item.id, item.name, item.size_bytes, microseconds(item.modified), item.tag, [], item.attributes]


def stored_of(row: Row, *, kind: str, sealed: bytes | None) -> Stored:
    """A row as an item with its spans. Raises Damaged for one that no writer makes."""
    try:
        id, name, size_bytes, modified, tag, spans, attributes = row
        item = Item(
            kind=kind, id=id, name=name, size_bytes=size_bytes, modified=EPOCH + modified * _MICROSECOND, tag=tag, attributes=attributes
        )
        return Stored(item, tuple(Span(*spans[at : at + 3]) for at in range(0, len(spans), 3)), sealed)
    except (ValueError, TypeError, OverflowError):
        raise Damaged(f"A branch of {kind} cannot be read.") from None


def microseconds(instant: datetime) -> int:
    """Since 1970, as whole numbers."""
    return (instant - EPOCH) // _MICROSECOND
