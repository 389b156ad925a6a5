"""What backups cost in a store where equal content lies once (§11): exact figures for any set of them.

A chunk counts with its sealed bytes, a manifest with its object, as if it were a chunk that its backup alone needs. `alone` is what
nothing needs any more when the set is gone; what a sweep gives back of that is told by `giving_back`.
"""

from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from core.vault import blobs as names
from core.vault.errors import NoSuchBackup
from core.vault.manifests import Manifest
from core.vault.needs import Needs, needs_of
from core.vault.remembered_trees import RememberedTrees, remembered
from core.vault.vault import Vault

Numbers = npt.NDArray[np.int64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Usage:
    stored_bytes: int
    """Everything that the set needs: alone and shared."""
    alone_bytes: int
    """Nothing else needs it."""
    shared_bytes: int
    """Backups outside the set need it, too."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Remains:
    """What lies in a store and no backup needs: with what backups need, all that there is, to the byte."""

    unneeded_bytes: int
    """Chunks that no backup needs, in packs that a sweep has not marked."""
    marked_bytes: int
    """Packs that a sweep has marked: they go after the grace period. What is needed of them lies elsewhere already, or moves out."""
    held_bytes: int
    """Packs that a sweep was to remove and the place does not let go of yet, as that sweep was told."""
    packing_bytes: int
    """Headers and footers of packs."""
    arriving_bytes: int
    """Packs of which no index tells: of runs that go on, or that were killed."""
    lists_bytes: int
    """Indexes, ledgers, notes, keys."""

    @property
    def sum_bytes(self) -> int:
        return self.unneeded_bytes + self.marked_bytes + self.held_bytes + self.packing_bytes + self.arriving_bytes + self.lists_bytes


class Accounts:
    """The references of every backup, read once; then any number of questions."""

    def __init__(self, vault: Vault, known: Callable[[], RememberedTrees | None] = lambda: None) -> None:
        """`known`: asked once for trees that were read before, and let go of when they are used; only what came since is read."""
        self.manifests: list[Manifest] = vault.manifests()
        vault.refresh()  # after the manifests: what they need was there before them
        self.needs = needs_of(vault, self.manifests, known=known())
        self._vault = vault
        self._sizes = dict(vault.blobs.list(""))
        self._chunks = len(vault.index.lengths)
        roots = [self._sizes.get(names.MANIFESTS + manifest.id.hex(), 0) for manifest in self.manifests]
        self.lengths = np.concatenate([vault.index.lengths.astype(np.int64), np.array(roots, dtype=np.int64)])
        """Sealed bytes of each chunk by its number, then those of each manifest."""
        self._roots = {manifest.id: self._chunks + at for at, manifest in enumerate(self.manifests)}
        self._nodes = _Nodes(self.needs)

    def trees(self) -> RememberedTrees:
        """To be remembered: those of the backups that are there now."""
        return remembered(self._vault.index, self.needs.branches, self.needs.forks)

    # -- what is needed

    def needed(self, backups: Iterable[bytes], kind: str | None = None) -> Numbers:
        """Numbers of what these backups need, or of what a kind in them does, each once. Raises NoSuchBackup."""
        known = [self._known(id) for id in backups]
        values = self._nodes.marked(self._nodes.counted(known, kind) > 0, len(self.lengths))
        if kind is None:
            values[[self._roots[id] for id in known]] = True
        return np.flatnonzero(values)

    def roots(self, backups: Iterable[bytes]) -> Numbers:
        """Numbers of their manifests."""
        return np.array(sorted(self._roots[self._known(id)] for id in backups), dtype=np.int64)

    def usage(self, backups: Collection[bytes]) -> Usage:
        """Raises NoSuchBackup."""
        stored, alone = int(self.lengths[self.needed(backups)].sum()), self.alone_bytes(backups)
        return Usage(stored_bytes=stored, alone_bytes=alone, shared_bytes=stored - alone)

    def alone_bytes(self, backups: Collection[bytes], parts: Iterable[tuple[bytes, str]] = ()) -> int:
        """What nothing needs any more without them, and without `parts`: a kind of a backup each.

        Takes as long as the set is large, however large the store is. Raises NoSuchBackup.
        """
        known = {self._known(id) for id in backups}
        roots = int(self.lengths[[self._roots[id] for id in known]].sum()) if known else 0
        inside = self._nodes.counted(known)
        of_kind: dict[str, set[bytes]] = {}
        for id, kind in parts:
            if id not in known:
                of_kind.setdefault(kind, set()).add(self._known(id))
        for kind, ids in of_kind.items():
            inside += self._nodes.counted(ids, kind)
        return roots + int(self.lengths[self._nodes.only_in(inside)].sum())

    def _known(self, id: bytes) -> bytes:
        if id not in self._roots:
            raise NoSuchBackup(f"The store holds no backup {id.hex()}.")
        return id

    # -- what is not

    @property
    def stored_bytes(self) -> int:
        """Everything that lay in the store when it was looked at."""
        return sum(self._sizes.values())

    def remains(self, held: Collection[bytes] = ()) -> Remains:
        """`held`: packs that the place did not let go of when they were last to go."""
        index = self._vault.index
        live = self._nodes.marked(self._nodes.uses > 0, len(self.lengths))[: self._chunks]
        inside = _by_stretch(index.lengths, index.starts)
        kept = _by_stretch(np.where(live, index.lengths, 0), index.starts)
        sizes = [self._sizes.get(names.pack_name(pack), 0) for pack in index.pack_ids]
        unneeded = marked = locked = packing = 0
        for pack, size, all_in_it, needed in zip(index.pack_ids, sizes, inside, kept, strict=True):
            if pack in held:
                locked += size - needed
            elif pack in index.marked:
                marked += size - needed
            else:
                unneeded += all_in_it - needed
                packing += size - all_in_it
        lying = sum(size for name, size in self._sizes.items() if name.startswith(names.PACKS))
        roots = int(self.lengths[self._chunks :].sum())
        return Remains(
            unneeded_bytes=unneeded, marked_bytes=marked, held_bytes=locked, packing_bytes=packing, arriving_bytes=lying - sum(sizes),
            lists_bytes=self.stored_bytes - lying - roots,
        )  # fmt: skip


def _by_stretch(values: npt.NDArray[Any], starts: Numbers) -> list[int]:
    """The sum of each stretch between two starts."""
    until = np.cumsum(values, dtype=np.int64)
    ends = np.where(starts > 0, until[np.maximum(starts, 1) - 1], 0) if len(until) else np.zeros(len(starts), dtype=np.int64)
    counts: list[int] = np.diff(ends).tolist()
    return counts


_MANY = 8
"""From one of so many on it is quicker to look at all of them once."""


_AT_ONCE = 1 << 21
"""Numbers that are worked on at a time: numpy makes larger ones of them for that."""


class _Nodes:
    """Forks and branches by numbers of their own, with the chunks that each needs, its own among them, in one array."""

    def __init__(self, needs: Needs) -> None:
        number = {tree: at for at, tree in enumerate(needs.numbers)}
        branches = needs.branches
        below = (len(branches[tree]) if tree in branches else 0 for tree in number)
        self._counts = np.fromiter(below, dtype=np.int64, count=len(number)) + 1
        ends = np.cumsum(self._counts)
        self._starts = ends - self._counts
        self._flat = np.empty(int(ends[-1]) if len(ends) else 0, dtype=np.int32)
        self._flat[self._starts] = np.fromiter(needs.numbers.values(), dtype=np.int32, count=len(number))
        for at, tree in zip(self._starts.tolist(), number, strict=True):
            if (mentioned := branches.get(tree)) is not None:
                self._flat[at + 1 : at + 1 + len(mentioned)] = mentioned
        self._size = int(self._flat.max()) + 1 if len(self._flat) else 0
        self._mentions = _times(self._flat, self._size)
        """How often each number is mentioned."""
        self._of: dict[bytes, dict[str, npt.NDArray[np.int32]]] = {
            backup: {kind: np.fromiter((number[tree] for tree in trees), dtype=np.int32, count=len(trees)) for kind, trees in kinds.items()}
            for backup, kinds in needs.kinds.items()
        }
        self.uses = self.counted(self._of)
        """How many backups need each."""

    def counted(self, backups: Iterable[bytes], kind: str | None = None) -> npt.NDArray[np.int64]:
        """For each how many of these backups need it."""
        parts = [trees for backup in backups for of_kind, trees in self._of[backup].items() if kind is None or of_kind == kind]
        return np.bincount(np.concatenate([np.empty(0, dtype=np.int32), *parts]), minlength=len(self._counts))

    def marked(self, nodes: npt.NDArray[np.bool_], size: int) -> npt.NDArray[np.bool_]:
        """For each number whether any of these needs it."""
        values = np.zeros(size + 1, dtype=np.bool_)  # the last one takes what is not in the index
        mentioned = self._mentioned(np.flatnonzero(nodes))
        for at in range(0, len(mentioned), _AT_ONCE):
            values[mentioned[at : at + _AT_ONCE]] = True
        return values[:-1]

    def only_in(self, inside: npt.NDArray[np.int64]) -> Numbers:
        """Numbers that are mentioned by nothing but nodes that only the backups need that were counted."""
        mentioned = self._mentioned(np.flatnonzero((inside > 0) & (inside == self.uses)))
        if len(mentioned) * _MANY < self._size:
            numbers, times = np.unique(mentioned[mentioned >= 0], return_counts=True)
            few: Numbers = numbers[times == self._mentions[numbers]].astype(np.int64)
            return few
        counts = _times(mentioned, self._size)
        return np.flatnonzero((counts == self._mentions) & (counts > 0))

    def _mentioned(self, chosen: Numbers) -> npt.NDArray[np.int32]:
        """What these nodes need, as often as they say so."""
        counts = self._counts[chosen]
        ends = np.cumsum(counts)
        total = int(ends[-1]) if len(ends) else 0
        if total * _MANY < len(self._flat):
            few: npt.NDArray[np.int32] = self._flat[np.arange(total) + np.repeat(self._starts[chosen] - (ends - counts), counts)]
            return few
        if total == len(self._flat):
            return self._flat
        taken = np.zeros(len(self._counts), dtype=np.bool_)
        taken[chosen] = True
        many: npt.NDArray[np.int32] = self._flat[np.repeat(taken, self._counts)]
        return many


def _times(numbers: npt.NDArray[np.int32], size: int) -> npt.NDArray[np.int32]:
    """How often each number is among these; what is not in the index is passed over."""
    values = np.zeros(size, dtype=np.int32)
    for at in range(0, len(numbers), _AT_ONCE):
        some = numbers[at : at + _AT_ONCE]
        values += np.bincount(some[some >= 0], minlength=size).astype(np.int32)
    return values
