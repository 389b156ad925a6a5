"""Where each chunk lies, in memory: sorted arrays, 28 bytes a chunk (§6.2).

Built from packs and their entries; a chunk that lies in two packs is found in the one that no sweep has
marked. Ids are uniformly distributed, so a table by their first bits leads within a few places of any of
them. Packs that this process writes are kept in a dictionary until there are enough to be sorted in.
"""

from collections.abc import Iterable, Mapping, Sequence, Set
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import pairwise
from typing import TypeVar

import numpy as np
import numpy.typing as npt

from core.vault.packs import ENTRY, Entries, ids_of

_MERGE_AT = 50_000
_STRIDE = 1 << 18
_THREADS = 2
Numbers = npt.NDArray[np.int64]
Kind = TypeVar("Kind", bound=np.generic)


@dataclass(frozen=True, slots=True)
class ChunkPlace:
    """Where to read a chunk."""

    pack: bytes
    offset: int
    sealed_bytes: int


class ChunkIndex:
    """All known chunks of a store. Chunks are numbered in the order of the packs that hold them."""

    def __init__(
        self,
        packs: Iterable[tuple[bytes, Entries]] = (),
        *,
        marked: Set[bytes] = frozenset(),
        damaged: Mapping[bytes, Set[bytes]] | None = None,
    ) -> None:
        """`damaged`: pack → chunks in it that a check found damaged; they are as good as not there."""
        self.marked = set(marked)
        self.damage = {pack: set(chunks) for pack, chunks in (damaged or {}).items()}
        self._build(list(packs))

    def _build(self, packs: list[tuple[bytes, Entries]]) -> None:
        # unmarked packs first: a stable sort then finds a chunk there before it finds it in a marked one
        packs = [*(pair for pair in packs if pair[0] not in self.marked), *(pair for pair in packs if pair[0] in self.marked)]
        self.pack_ids = [pack for pack, _ in packs]
        self._numbers = {pack: number for number, pack in enumerate(self.pack_ids)}
        self.starts: Numbers = np.cumsum([0, *(len(entries) for _, entries in packs)], dtype=np.int64)
        self.lengths = _column("sealed_bytes", packs, np.uint32)
        hi, lo = _column("hi", packs, np.uint64), _column("lo", packs, np.uint64)
        good = self._undamaged(hi, lo)
        order = np.argsort(hi, kind="stable").astype(np.uint32)
        if good is not None:
            order = order[good[order]]
        self._where, self._hi, self._lo = order, hi[order], lo[order]
        bits = max(1, min(22, len(order).bit_length() - 1))
        self._shift = np.uint64(64 - bits)
        counts = np.bincount((self._hi >> self._shift).astype(np.int64), minlength=1 << bits)
        self._table = np.concatenate([[0], np.cumsum(counts)]).astype(np.uint32)
        self._fresh: dict[bytes, ChunkPlace] = {}
        self._fresh_packs: dict[bytes, Entries] = {}

    def _undamaged(self, hi: npt.NDArray[np.uint64], lo: npt.NDArray[np.uint64]) -> npt.NDArray[np.bool_] | None:
        if not self.damage:
            return None
        good: npt.NDArray[np.bool_] = (hi != 0) | (lo != 0)
        for pack, chunks in self.damage.items():
            if (number := self._numbers.get(pack)) is not None:
                first, last = int(self.starts[number]), int(self.starts[number + 1])
                for chunk in chunks:
                    high, low = _halves(chunk)
                    good[first:last] &= (hi[first:last] != high) | (lo[first:last] != low)
        return good

    # -- what it holds

    def __len__(self) -> int:
        """Entries, those counted twice that lie in two packs."""
        return len(self.lengths) + sum(len(entries) for entries in self._fresh_packs.values())

    def __contains__(self, pack: bytes) -> bool:
        return pack in self._numbers or pack in self._fresh_packs

    @property
    def memory_bytes(self) -> int:
        """What the arrays occupy."""
        return sum(array.nbytes for array in (self.starts, self.lengths, self._where, self._hi, self._lo, self._table))

    def damaged_in(self, pack: bytes) -> Set[bytes]:
        """Chunks of the pack that a check found damaged."""
        return self.damage.get(pack, set())

    def entries(self, pack: bytes) -> Entries:
        """The chunks of a pack, in its order; damaged ones among them."""
        if pack in self._fresh_packs:
            return self._fresh_packs[pack]
        number = self._numbers[pack]
        first, last = int(self.starts[number]), int(self.starts[number + 1])
        values = np.zeros(last - first, dtype=ENTRY)
        values["sealed_bytes"] = self.lengths[first:last]
        mine = np.flatnonzero((self._where >= first) & (self._where < last))
        at = self._where[mine] - np.uint32(first)
        values["hi"][at], values["lo"][at] = self._hi[mine], self._lo[mine]
        return values

    def all_entries(self) -> Entries:
        """Every entry by its number. The ids of damaged chunks are nought."""
        self.settle()
        whole = np.zeros(len(self.lengths), dtype=ENTRY)
        whole["hi"][self._where], whole["lo"][self._where], whole["sealed_bytes"] = self._hi, self._lo, self.lengths
        return whole

    def packs(self) -> list[tuple[bytes, Entries]]:
        """Every pack with its entries. The ids of damaged chunks are nought."""
        whole = self.all_entries()
        return [(pack, whole[first:last]) for pack, (first, last) in zip(self.pack_ids, pairwise(self.starts.tolist()), strict=True)]

    # -- one chunk

    def place(self, chunk: bytes) -> ChunkPlace | None:
        """Where the chunk lies, in a marked pack if need be."""
        number = self.number(chunk)
        fresh = self._fresh.get(chunk)
        if number is None or (fresh is not None and self.pack_at(number) in self.marked):
            return fresh
        pack = int(np.searchsorted(self.starts, number, side="right")) - 1
        offset = int(self.lengths[int(self.starts[pack]) : number].sum(dtype=np.int64))
        return ChunkPlace(self.pack_ids[pack], offset, int(self.lengths[number]))

    def reusable(self, chunk: bytes) -> bool:
        """Whether a new backup may rely on the stored chunk."""
        fresh = self._fresh.get(chunk)
        if fresh is not None and fresh.pack not in self.marked:
            return True
        number = self.number(chunk)
        return number is not None and (not self.marked or self.pack_at(number) not in self.marked)

    def number(self, chunk: bytes) -> int | None:
        """The chunk's number; None for one that is not there, or that this process has just written."""
        if not len(self._hi):
            return None
        high, low = _halves(chunk)
        bucket = high >> int(self._shift)
        at, end = int(self._table[bucket]), int(self._table[bucket + 1])
        at += int(np.searchsorted(self._hi[at:end], np.uint64(high)))
        while at < end and self._hi[at] == high:
            if self._lo[at] == low:
                return int(self._where[at])
            at += 1
        return None

    def pack_at(self, number: int) -> bytes:
        """The pack that holds chunk `number`."""
        return self.pack_ids[int(np.searchsorted(self.starts, number, side="right")) - 1]

    # -- many chunks

    def numbers(self, ids: bytes | bytearray) -> Numbers:
        """Numbers of many chunks (ids of 16 bytes one after another), −1 for those that are not there."""
        self.settle()
        halves = np.frombuffer(ids, dtype=">u8").reshape(-1, 2)
        values = np.full(len(halves), -1, dtype=np.int64)
        if not len(self._hi) or not len(halves):
            return values

        def look_up(first: int) -> None:
            part = halves[first : first + _STRIDE]
            values[first : first + len(part)] = self._numbers_of(part[:, 0].astype(np.uint64), part[:, 1].astype(np.uint64))

        strides = range(0, len(halves), _STRIDE)
        if len(strides) == 1:
            look_up(0)
        else:  # sorting and searching let other threads go on
            with ThreadPoolExecutor(_THREADS) as pool:
                list(pool.map(look_up, strides))
        return values

    def _numbers_of(self, hi: npt.NDArray[np.uint64], lo: npt.NDArray[np.uint64]) -> Numbers:
        values = np.full(len(hi), -1, dtype=np.int64)
        # looked up in order: neighbours lie in the same lines of memory
        rest = np.argsort(hi)
        at = np.searchsorted(self._hi, hi[rest])
        while len(rest):
            inside = at < len(self._hi)
            rest, at = rest[inside], at[inside]
            same = self._hi[at] == hi[rest]
            rest, at = rest[same], at[same]
            hit = self._lo[at] == lo[rest]
            values[rest[hit]] = self._where[at[hit]]
            rest, at = rest[~hit], at[~hit] + 1
        return values

    def pack_numbers(self, numbers: Numbers) -> Numbers:
        """For each chunk number the number of its pack in `pack_ids`."""
        return np.searchsorted(self.starts, numbers, side="right") - 1

    def places(self, ids: Sequence[bytes]) -> list[ChunkPlace | None]:
        """Where each of these chunks lies."""
        if len(ids) < 16:
            return [self.place(chunk) for chunk in ids]
        numbers = self.numbers(b"".join(ids))
        packs = self.pack_numbers(numbers)
        ends = np.concatenate([[0], np.cumsum(self.lengths, dtype=np.int64)])
        offsets = ends[np.maximum(numbers, 0)] - ends[self.starts[np.maximum(packs, 0)]]
        entries = zip(numbers.tolist(), packs.tolist(), offsets.tolist(), strict=True)
        return [
            ChunkPlace(self.pack_ids[pack], offset, int(self.lengths[number])) if number >= 0 else None for number, pack, offset in entries
        ]

    # -- changes

    def add(self, pack: bytes, entries: Entries) -> None:
        """Take in a pack that has just been written; a second time nothing happens."""
        if pack in self:
            return
        self._fresh_packs[pack] = entries
        offset = 0
        for chunk, length in zip(ids_of(entries), entries["sealed_bytes"].tolist(), strict=True):
            self._fresh.setdefault(chunk, ChunkPlace(pack, offset, length))
            offset += length
        if len(self._fresh) > max(_MERGE_AT, len(self._hi) // 8):
            self.settle()

    def settle(self) -> None:
        """Sort in what was added."""
        if self._fresh_packs:
            fresh = list(self._fresh_packs.items())
            self._fresh, self._fresh_packs = {}, {}
            self._build([*self.packs(), *fresh])


def _halves(chunk: bytes) -> tuple[int, int]:
    return int.from_bytes(chunk[:8], "big"), int.from_bytes(chunk[8:], "big")


def _column(name: str, packs: list[tuple[bytes, Entries]], kind: type[Kind]) -> npt.NDArray[Kind]:
    if not packs:
        return np.empty(0, dtype=kind)
    return np.concatenate([entries[name] for _, entries in packs]).astype(kind)
