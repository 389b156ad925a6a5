"""Today's inventory against the last backup: which branches stay, which items stay, which are to be read.

An item stays when size and version tag are what was stored and the store still has its chunks. A branch in
which nothing changed stays as a whole, without a row being written again. A branch that cannot be read any more
counts as not there: its items are read anew. Reads nothing but the tree of the last backup.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Protocol, runtime_checkable

from core.content.items import Item
from core.vault.errors import Damaged
from core.vault.fetching import fetch
from core.vault.keys import ID_BYTES
from core.vault.manifests import (
    ATTRIBUTES,
    ID,
    MODIFIED,
    NAME,
    SIZE,
    SPANS,
    TAG,
    Counts,
    Manifest,
    Row,
    decode_rows,
    microseconds,
    numbered_rows,
    parted_branch,
    with_ids,
)
from core.vault.vault import Vault
from core.vault.writer import Writer


@dataclass(frozen=True, slots=True)
class Branch:
    """A branch that stays as it is. Its rows are let go and read again in the rare case that somebody needs them."""

    id: bytes
    counts: Counts


@runtime_checkable
class Columns(Protocol):
    """An inventory that compares itself with rows without making an `Item` of each of its own."""

    def matches(self, first: int, rows: Sequence[Row]) -> bool:
        """Whether the items from number `first` on are these rows: id, name, size, time, tag and attributes."""
        ...

    def size_bytes_of(self, first: int, last: int) -> int:
        """What the items from number `first` up to `last` hold."""
        ...


Part = Branch | Row | Item
"""An unchanged branch, an unchanged item, or one that is to be read; in the order of their ids."""


class KindComparison:
    """What was found of one kind."""

    def __init__(self, inventory: Sequence[Item], runs: list[tuple[int, int, "Branch | dict[str, Row] | None"]]) -> None:
        self._inventory, self._runs = inventory, runs
        self.items = len(inventory)
        self.size_bytes = self.unchanged = self.to_read_bytes = 0
        for first, last, known in runs:
            if isinstance(known, Branch):
                self.unchanged += last - first
                self.size_bytes += known.counts.size_bytes
                continue
            if not known:
                size_bytes = _size_bytes_of(inventory, first, last)
                self.size_bytes += size_bytes
                self.to_read_bytes += size_bytes
                continue
            for at in range(first, last):
                item = inventory[at]
                self.size_bytes += item.size_bytes
                if _same(known.get(item.id), item):
                    self.unchanged += 1
                else:
                    self.to_read_bytes += item.size_bytes

    def parts(self) -> Iterator[Part]:
        for first, last, known in self._runs:
            if isinstance(known, Branch):
                yield known
                continue
            for at in range(first, last):
                item = self._inventory[at]
                row = known.get(item.id) if known else None
                if row is not None and _same(row, item):
                    yield [item.id, item.name, item.size_bytes, microseconds(item.modified), item.tag, row[SPANS], item.attributes]
                else:
                    yield item


def compared(writer: Writer, inventory: Sequence[Item], previous: Manifest | None, kind: str) -> KindComparison:
    """`inventory` is sorted by id."""
    runs: list[tuple[int, int, Branch | dict[str, Row] | None]] = []
    at = 0
    for branch, chunks, rows in _branches(writer, previous, kind):
        first = at
        while at < len(inventory) and inventory[at].id < rows[0][ID]:
            at += 1
        if at > first:
            runs.append((first, at, None))
            first = at
        last_id = rows[-1][ID]
        end = at + len(rows)
        stays = writer.rely_on(chunks)
        if stays and end <= len(inventory) and _all_unchanged(inventory, at, rows):
            runs.append((at, end, Branch(branch, Counts.of(rows))))
            at = end
            continue
        while at < len(inventory) and inventory[at].id <= last_id:
            at += 1
        if at > first:
            held = {row[ID]: row for row in with_ids(rows, chunks[:-ID_BYTES]) if stays or writer.rely_on(b"".join(row[SPANS][::3]))}
            runs.append((first, at, held))
    if at < len(inventory):
        runs.append((at, len(inventory), None))
    return KindComparison(inventory, runs)


def _branches(writer: Writer, previous: Manifest | None, kind: str) -> Iterator[tuple[bytes, bytes, list[Row]]]:
    """(id, ids of its chunks and its own, rows) of each branch of the last backup that can still be read."""
    summary = previous.summary(kind) if previous is not None else None
    inner = writer.inner.id if writer.inner else None
    if previous is None or summary is None or previous.sealed != inner:
        return
    vault = writer.vault
    try:
        ids = vault.branches(summary)
    except Damaged:
        return
    for id, content in fetch(vault, ids):
        if isinstance(content, Damaged):
            continue
        try:
            chunks, items = parted_branch(content)
            rows = numbered_rows(vault.inner_open(inner, items))
        except Damaged:
            continue
        if rows:
            yield id, chunks + id, rows


def rows_of(vault: Vault, branch: bytes, *, inner: bytes | None) -> list[Row]:
    """The rows of a branch. Raises Damaged, DeviceSealed."""
    chunks, items = parted_branch(vault.chunk(branch))
    return decode_rows(chunks, vault.inner_open(inner, items))


def _same(row: Row | None, item: Item) -> bool:
    """Whether the stored content is today's."""
    return row is not None and row[TAG] == item.tag and row[SIZE] == item.size_bytes


def _size_bytes_of(inventory: Sequence[Item], first: int, last: int) -> int:
    if isinstance(inventory, Columns):
        return inventory.size_bytes_of(first, last)
    return sum(item.size_bytes for item in inventory[first:last])


def _all_unchanged(inventory: Sequence[Item], first: int, rows: Sequence[Row]) -> bool:
    """Whether the inventory goes on, from `first`, exactly as the rows do."""
    if isinstance(inventory, Columns):
        return inventory.matches(first, rows)
    return inventory[first + len(rows) - 1].id == rows[-1][ID] and all(map(_unchanged, rows, inventory[first : first + len(rows)]))


def _unchanged(row: Row, item: Item) -> bool:
    """Whether the whole row is today's."""
    return bool(
        row[ID] == item.id
        and row[TAG] == item.tag
        and row[SIZE] == item.size_bytes
        and row[NAME] == item.name
        and row[ATTRIBUTES] == item.attributes
        and row[MODIFIED] == microseconds(item.modified)
    )
