"""What forks and branches say, remembered between two readings of a store's trees: an object that is named by its content never says
anything else. For questions of size alone: whoever removes or proves reads the store.

A file of its own form, of this program and no other: magic, a BLAKE3 digest of the rest, then counts and arrays. It holds ids of
chunks, and nothing of what they are.
"""

import struct
from collections.abc import Mapping
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
import numpy.typing as npt
from blake3 import blake3

from core.vault.errors import Damaged
from core.vault.index import ChunkIndex
from core.vault.keys import ID_BYTES

MAGIC = b"attic trees 1\n"
_DIGEST_BYTES = 32
_COUNTS = struct.Struct("<5Q")
_AT_ONCE = 1 << 18
"""What is looked up at a time: numpy makes several larger arrays of it for that."""
Refs = npt.NDArray[np.int32]


@dataclass(frozen=True, slots=True, kw_only=True)
class RememberedTrees:
    ids: bytes = b""
    """Ids of the chunks that branches mention, each once."""
    branches: tuple[bytes, ...] = ()
    ends: npt.NDArray[np.int64] = field(default_factory=lambda: np.zeros(1, dtype=np.int64))
    """Where the mentions of each branch begin and end in `mentions`: one more than there are branches."""
    mentions: Refs = field(default_factory=lambda: np.empty(0, dtype=np.int32))
    """Places in `ids`."""
    forks: Mapping[bytes, tuple[bytes, ...]] = field(default_factory=dict)
    """Fork → what lies below it."""

    def numbers(self, index: ChunkIndex) -> dict[bytes, Refs]:
        """Branch → numbers of its chunks in the index; −1 for one that is not there."""
        step = _AT_ONCE * ID_BYTES
        parts = [index.numbers(self.ids[at : at + step]).astype(np.int32) for at in range(0, len(self.ids), step)]
        table = np.concatenate([np.empty(0, dtype=np.int32), *parts])
        flat = np.empty(len(self.mentions), dtype=np.int32)
        for at in range(0, len(flat), _AT_ONCE):
            flat[at : at + _AT_ONCE] = table[self.mentions[at : at + _AT_ONCE]]
        return {branch: flat[first:last] for branch, (first, last) in zip(self.branches, pairwise(self.ends.tolist()), strict=True)}

    def differing(self, other: "RememberedTrees") -> int:
        """How many trees both know and tell otherwise."""
        mine, theirs = self._stretches(), other._stretches()
        one, two = (np.frombuffer(trees.ids, dtype=f"V{ID_BYTES}") for trees in (self, other))
        branches = ((one[self.mentions[mine[branch]]], two[other.mentions[theirs[branch]]]) for branch in mine.keys() & theirs.keys())
        forks = sum(self.forks[fork] != other.forks[fork] for fork in self.forks.keys() & other.forks.keys())
        return forks + sum(not np.array_equal(said, says) for said, says in branches)

    def _stretches(self) -> dict[bytes, slice]:
        return {branch: slice(first, last) for branch, (first, last) in zip(self.branches, pairwise(self.ends.tolist()), strict=True)}

    def encoded(self) -> bytes:
        forks = list(self.forks)
        below = [len(self.forks[fork]) for fork in forks]
        counts = _COUNTS.pack(len(self.ids), len(self.branches), len(self.mentions), len(forks), sum(below))
        parts = [
            counts, self.ids, b"".join(self.branches), self.ends.astype("<i8").tobytes(), self.mentions.astype("<i4").tobytes(),
            b"".join(forks), np.array(below, dtype="<i8").tobytes(), b"".join(one for fork in forks for one in self.forks[fork]),
        ]  # fmt: skip
        body = b"".join(parts)
        return MAGIC + blake3(body).digest() + body


def remembered(index: ChunkIndex, branches: Mapping[bytes, Refs], forks: Mapping[bytes, tuple[bytes, ...]]) -> RememberedTrees:
    """Of what was read: branches whose chunks are all in the index."""
    whole = {branch: numbers for branch, numbers in branches.items() if not (numbers < 0).any()}
    flat = np.concatenate([np.empty(0, dtype=np.int32), *whole.values()])
    used, places = np.unique(flat, return_inverse=True)
    entries = index.all_entries()[used]
    ids = np.stack([entries["hi"], entries["lo"]], axis=1).astype(">u8").tobytes()
    ends = np.cumsum([0, *(len(numbers) for numbers in whole.values())], dtype=np.int64)
    return RememberedTrees(ids=ids, branches=tuple(whole), ends=ends, mentions=places.astype(np.int32), forks=dict(forks))


def decoded_trees(content: bytes) -> RememberedTrees:
    """Raises Damaged."""
    begin = len(MAGIC) + _DIGEST_BYTES
    body = memoryview(content)[begin:]
    if content[: len(MAGIC)] != MAGIC or blake3(body).digest() != content[len(MAGIC) : begin]:
        raise Damaged("What was remembered of a store's trees cannot be read.", remedy="Nothing needs to be done: it is made anew.")
    ids, branches, mentions, forks, below = _COUNTS.unpack_from(body)
    at = _COUNTS.size

    def taken(size: int) -> memoryview:
        nonlocal at
        at += size
        return body[at - size : at]

    found_ids = bytes(taken(ids))
    found_branches = _parted(bytes(taken(branches * ID_BYTES)))
    ends = np.frombuffer(taken(8 * (branches + 1)), dtype="<i8").astype(np.int64)
    places = np.frombuffer(taken(4 * mentions), dtype="<i4").astype(np.int32)
    found_forks = _parted(bytes(taken(forks * ID_BYTES)))
    edges = np.cumsum([0, *np.frombuffer(taken(8 * forks), dtype="<i8").tolist()]).tolist()
    under = _parted(bytes(taken(below * ID_BYTES)))
    of_forks = {fork: under[first:last] for fork, (first, last) in zip(found_forks, pairwise(edges), strict=True)}
    return RememberedTrees(ids=found_ids, branches=found_branches, ends=ends, mentions=places, forks=of_forks)


def _parted(content: bytes) -> tuple[bytes, ...]:
    return tuple(content[at : at + ID_BYTES] for at in range(0, len(content), ID_BYTES))
