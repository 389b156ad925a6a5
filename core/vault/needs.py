"""What backups need: every chunk below their manifests, as numbers into the index.

Distinct branches are read once, however many backups share them, and in the order in which they lie. Nothing
here decides: `sweep` removes, `accounting` counts, `copying` moves, `check` names.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from core.vault.chunks import Chunks
from core.vault.errors import Damaged
from core.vault.fetching import fetch, in_pack_order
from core.vault.keys import ID_BYTES
from core.vault.manifests import Manifest, parted_branch, split_ids
from core.vault.remembered_trees import RememberedTrees

Numbers = npt.NDArray[np.int64]


@dataclass(slots=True, kw_only=True)
class Needs:
    """References of some backups."""

    kinds: dict[bytes, dict[str, set[bytes]]] = field(default_factory=dict)
    """Backup → ids of its forks and branches by kind, the folders as one of their own."""
    branches: dict[bytes, npt.NDArray[np.int32]] = field(default_factory=dict)
    """Branch → numbers of the chunks that its items need; −1 for one that is not in the index."""
    forks: dict[bytes, tuple[bytes, ...]] = field(default_factory=dict)
    """Fork → what lies below it."""
    numbers: dict[bytes, int] = field(default_factory=dict)
    """Fork or branch → its own number."""
    damaged: dict[bytes, str] = field(default_factory=dict)
    """Forks and branches that cannot be read, each with why: what lies below them is not known."""

    def trees(self, backup: bytes) -> set[bytes]:
        """Ids of its forks and branches."""
        return set().union(*self.kinds[backup].values())

    def of(self, backup: bytes) -> Numbers:
        """Numbers of every chunk that the backup needs, each once."""
        trees = self.trees(backup)
        own = np.fromiter((self.numbers.get(tree, -1) for tree in trees), dtype=np.int64, count=len(trees))
        parts: list[npt.NDArray[np.int32] | Numbers] = [self.branches[tree] for tree in trees if tree in self.branches]
        values = np.unique(np.concatenate([own, *parts])).astype(np.int64)
        return values[values >= 0]

    @property
    def incomplete(self) -> bool:
        """Whether anything that is needed is not in the index."""
        return bool(self.damaged) or any((numbers < 0).any() for numbers in self.branches.values())

    def live(self, size: int) -> npt.NDArray[np.bool_]:
        """For each chunk number whether any of the backups needs it."""
        values = np.zeros(size + 1, dtype=np.bool_)  # the last one takes what is not in the index
        for numbers in self.branches.values():
            values[numbers] = True
        values[np.fromiter(self.numbers.values(), dtype=np.int64, count=len(self.numbers))] = True
        return values[:-1]


def needs_of(vault: Chunks, manifests: Sequence[Manifest], *, known: RememberedTrees | None = None) -> Needs:
    """Read the trees of these backups, but those that are `known`: only for questions of size. Raises StoreError."""
    needs = Needs(
        kinds={manifest.id: {summary.kind: set() for summary in manifest.trees} for manifest in manifests},
    )
    forks: Mapping[bytes, tuple[bytes, ...]] = known.forks if known else {}
    waiting = [
        (needs.kinds[manifest.id][tree.kind], tree.depth, tree.tops) for manifest in manifests for tree in manifest.trees if tree.tops
    ]
    branches: set[bytes] = set()
    while waiting:
        for trees, _, tops in waiting:
            trees.update(tops)
        branches.update(top for _, depth, tops in waiting if depth == 0 for top in tops)
        above = [entry for entry in waiting if entry[1] > 0]
        wanted = {top for _, _, tops in above for top in tops} - needs.forks.keys()
        needs.forks |= {fork: forks[fork] for fork in wanted if fork in forks}
        for chunk, content in _read(vault, wanted - needs.forks.keys(), needs):
            try:
                needs.forks[chunk] = tuple(split_ids(content))
            except Damaged as error:
                needs.damaged[chunk] = error.message
        waiting = [(trees, depth - 1, tuple(down for top in tops for down in needs.forks.get(top, ()))) for trees, depth, tops in above]
    if known is not None:
        numbers = known.numbers(vault.index)
        needs.branches = numbers if numbers.keys() <= branches else {branch: numbers[branch] for branch in branches if branch in numbers}
    # many small look-ups cost more than few large ones: chunk ids of many branches are looked up together
    held: list[tuple[bytes, bytes]] = []
    size = 0
    for chunk, content in _read(vault, branches - needs.branches.keys(), needs):
        try:
            ids, _ = parted_branch(content)
        except Damaged as error:
            needs.damaged[chunk] = error.message
            continue
        held.append((chunk, ids))
        size += len(ids)
        if size > 1 << 24:
            _look_up(vault, held, needs)
            held, size = [], 0
    _look_up(vault, held, needs)
    every = list(set[bytes]().union(*(trees for kinds in needs.kinds.values() for trees in kinds.values())))
    needs.numbers = dict(zip(every, vault.index.numbers(b"".join(every)).tolist(), strict=True))
    return needs


def _look_up(vault: Chunks, held: Iterable[tuple[bytes, bytes]], needs: Needs) -> None:
    held = list(held)
    numbers = vault.index.numbers(b"".join(ids for _, ids in held)).astype(np.int32)
    at = 0
    for chunk, ids in held:
        count = len(ids) // ID_BYTES
        needs.branches[chunk] = numbers[at : at + count]
        at += count


def _read(vault: Chunks, chunks: set[bytes], needs: Needs) -> Iterator[tuple[bytes, bytes]]:
    for chunk, content in fetch(vault, in_pack_order(vault, chunks)):
        if isinstance(content, Damaged):
            needs.damaged[chunk] = content.message
        else:
            yield chunk, content
