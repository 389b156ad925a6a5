"""What fills a device's part of a store: its items over all its backups, and what only old backups still hold.

Bytes on the device are as it told them. Bytes in the store are those of chunks; a chunk that several items share (small ones lie
together) counts for none of them, and stands in the sums alone. Nothing here decides.
"""

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property

import numpy as np
import numpy.typing as npt

from core.content.items import Item
from core.content.kinds import KINDS
from core.content.scope import Exclusion
from core.vault.accounting import Accounts
from core.vault.errors import Damaged, NoSuchBackup
from core.vault.fetching import fetch, in_pack_order
from core.vault.manifests import Manifest, Stored
from core.vault.vault import Vault

Numbers = npt.NDArray[np.int64]

MOST_DEEP = 3
"""Folders within folders are told apart so far down."""
GROWN_OVER = timedelta(days=30)
LEAST_GROWN_OVER = timedelta(days=7)


@dataclass(frozen=True, slots=True, kw_only=True)
class Held:
    """One item, in all backups of its device that hold it."""

    item: Item
    """As the newest of them holds it."""
    backups: int
    first_at: datetime
    last_at: datetime
    """When the first and the last backup that holds it were finished."""
    last_backup: bytes
    now: bool
    """Whether the newest backup of the device holds it."""
    own_bytes: int
    """Chunks that nothing but this item needs, in all its versions."""
    old_bytes: int
    """Of them what the newest backup does not need: all of an item that is gone, earlier versions of one that is there."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Folder:
    """A folder or album of the newest backup, with all below it."""

    kind: str
    under: str
    items: int
    size_bytes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Growth:
    kind: str
    items: int
    size_bytes: int
    """In the newest backup."""
    grown_bytes: int | None
    """Since then; None while the backups do not reach back far enough."""
    since: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Effect:
    """What it would mean if something were left out from now on."""

    items: int
    """Of the newest backup: the next ones do not take them."""
    size_bytes: int
    backups: int
    """That hold any of it until they leave."""
    last_at: datetime | None
    """The newest of them: after it nobody can restore what changes."""
    freed_bytes: int
    """Once all of them have left: chunks that nothing but this needs."""


class Filling:
    """Reads every branch of one device's backups once; then any number of questions. `backups`: those that stay. Raises NoSuchBackup
    without any, StoreError, DeviceSealed."""

    def __init__(self, vault: Vault, accounts: Accounts, backups: Iterable[Manifest]) -> None:
        self.backups = sorted(backups, key=lambda one: (one.finished_at, one.id))
        if not self.backups:
            raise NoSuchBackup("The store holds no backup of this device.", remedy="Look again after its next run.")
        self._accounts = accounts
        self.unread = 0
        """Parts of the lists that could not be read: items in them are not here."""
        self._items: list[Item] = []
        self._held: list[int] = []
        """For each a bit for each backup that holds it."""
        self._read(vault)
        mine = [one.id for one in self.backups]
        known = set(mine)
        device = self.backups[-1].device
        self._needed = _among(accounts.needed(mine), len(accounts.lengths))
        self._newest = _among(accounts.needed(mine[-1:]), len(accounts.lengths))
        others = [one.id for one in accounts.manifests if one.id not in known and one.device != device]
        self._elsewhere = _among(accounts.needed(others), len(accounts.lengths))
        """Needed by other devices, too."""
        self._only_old = self._needed & ~self._newest & ~self._elsewhere

    def _read(self, vault: Vault) -> None:
        number: dict[tuple[str, str], int] = {}
        of_item: list[int] = []
        chunks: list[bytes] = []
        newest: list[int] = []
        for kind in KINDS:
            for mask, rows in self._branches(vault, kind):
                last = mask.bit_length()
                for stored in rows:
                    at = number.setdefault((kind, stored.item.id), len(self._items))
                    if at == len(self._items):
                        self._items.append(stored.item)
                        self._held.append(mask)
                        newest.append(last)
                    else:
                        self._held[at] |= mask
                        if last > newest[at]:
                            self._items[at], newest[at] = stored.item, last
                    for span in stored.spans:
                        of_item.append(at)
                        chunks.append(span.chunk)
        values = vault.index.numbers(b"".join(chunks))
        pairs = np.unique(np.stack([values, np.array(of_item, dtype=np.int64)], axis=1)[values >= 0], axis=0) if chunks else _NO_PAIRS
        self._chunks, self._of_item = pairs[:, 0], pairs[:, 1]

    def _branches(self, vault: Vault, kind: str) -> Iterator[tuple[int, list[Stored]]]:
        """(bits of the backups that hold it, its items) of each branch of a kind, read once."""
        needs = self._accounts.needs
        masks: dict[bytes, int] = defaultdict(int)
        sealed: dict[bytes, bytes | None] = {}
        for at, manifest in enumerate(self.backups):
            for tree in needs.kinds[manifest.id].get(kind, ()):
                if tree in needs.branches:
                    masks[tree] |= 1 << at
                    sealed[tree] = manifest.sealed
                elif tree in needs.damaged:
                    self.unread += 1
        for branch, content in fetch(vault, in_pack_order(vault, masks)):
            if isinstance(content, Damaged):
                self.unread += 1
                continue
            try:
                yield masks[branch], vault.items_in(content, kind=kind, sealed=sealed[branch])
            except Damaged:
                self.unread += 1

    # -- items

    def largest(self, most: int) -> list[Held]:
        """Of the newest backup, by their size on the device."""
        return self._chosen(list(self._now()), lambda at: self._items[at].size_bytes, most)

    def only_old(self, most: int) -> list[Held]:
        """By what only old backups hold of them."""
        old = self._old_by_item
        return self._chosen(np.flatnonzero(old).tolist(), lambda at: int(old[at]), most)

    @property
    def only_old_bytes(self) -> int:
        """Everything that this device's backups need and neither its newest backup nor another device does."""
        return self._sum(self._only_old)

    @property
    def only_old_items(self) -> int:
        """How many items that is."""
        return int(np.count_nonzero(self._old_by_item))

    @property
    def only_old_apart_bytes(self) -> int:
        """Of it what stands with single items; the rest is lists, and small things that lie together."""
        return int(self._old_by_item.sum())

    # -- folders and kinds

    def folders(self, most: int) -> list[Folder]:
        """The largest. One that holds nothing but another one is told by that one alone."""
        sizes: dict[tuple[str, str], list[int]] = defaultdict(lambda: [0, 0])
        for at in self._now():
            item = self._items[at]
            parts = item.name.split("/")[:-1][:MOST_DEEP]
            for depth in range(1, len(parts) + 1):
                one = sizes[item.kind, "/".join(parts[:depth])]
                one[0] += 1
                one[1] += item.size_bytes
        passed_over = {up for key, one in sizes.items() if (up := _above(key)) and sizes[up] == one}
        folders = [
            Folder(kind=key[0], under=key[1], items=one[0], size_bytes=one[1]) for key, one in sizes.items() if key not in passed_over
        ]
        return sorted(folders, key=lambda one: (-one.size_bytes, one.kind, one.under))[:most]

    def growth(self) -> list[Growth]:
        """By kind, what grew most first."""
        newest = self.backups[-1]
        before = self._before()
        parts = []
        for now in newest.kinds:
            then = before.summary(now.kind) if before else None
            grown = now.size_bytes - (then.size_bytes if then else 0) if before else None
            since = before.finished_at if before else None
            parts.append(Growth(kind=now.kind, items=now.items, size_bytes=now.size_bytes, grown_bytes=grown, since=since))
        return sorted(parts, key=lambda one: (-(one.grown_bytes or 0), -one.size_bytes, one.kind))

    def _before(self) -> Manifest | None:
        """The backup with which the newest is compared: about thirty days older, or the oldest where none is."""
        newest = self.backups[-1]
        old = [one for one in self.backups if newest.finished_at - one.finished_at >= GROWN_OVER]
        manifest = old[-1] if old else self.backups[0]
        return manifest if newest.finished_at - manifest.finished_at >= LEAST_GROWN_OVER else None

    # -- leaving out

    def left_out(self, exclusion: Exclusion) -> Effect:
        fits = np.array([exclusion.fits(item) for item in self._items], dtype=np.bool_)
        now = [at for at in self._now() if fits[at]]
        held = 0
        for at in np.flatnonzero(fits).tolist():
            held |= self._held[at]
        only = self._only_of(fits)
        return Effect(
            items=len(now), size_bytes=sum(self._items[at].size_bytes for at in now), backups=held.bit_count(),
            last_at=self.backups[held.bit_length() - 1].finished_at if held else None, freed_bytes=self._sum(only & ~self._elsewhere),
        )  # fmt: skip

    # -- numbers

    def _now(self) -> Iterator[int]:
        newest = 1 << (len(self.backups) - 1)
        return (at for at, held in enumerate(self._held) if held & newest)

    def _only_of(self, fits: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
        """Chunks of these items and of no other."""
        size = len(self._accounts.lengths)
        inside = np.bincount(self._chunks[fits[self._of_item]], minlength=size)
        values: npt.NDArray[np.bool_] = (inside > 0) & (inside == np.bincount(self._chunks, minlength=size))
        return values

    def _by_item(self, of: npt.NDArray[np.bool_]) -> Numbers:
        """For each item the bytes of those of these chunks that it alone needs."""
        size = len(self._accounts.lengths)
        alone = (np.bincount(self._chunks, minlength=size) == 1) & of
        mine = alone[self._chunks]
        weights = self._accounts.lengths[self._chunks[mine]]
        return np.bincount(self._of_item[mine], weights=weights, minlength=len(self._items)).astype(np.int64)

    @cached_property
    def _old_by_item(self) -> Numbers:
        return self._by_item(self._only_old)

    def _chosen(self, among: Sequence[int], by: Callable[[int], int], most: int) -> list[Held]:
        ordered = sorted(among, key=lambda at: (-by(at), self._items[at].kind, self._items[at].id))[:most]
        own, old = self._by_item(self._needed & ~self._elsewhere), self._old_by_item
        return [self._told(at, int(own[at]), int(old[at])) for at in ordered]

    def _told(self, at: int, own: int, old: int) -> Held:
        held = self._held[at]
        last = held.bit_length() - 1
        first = (held & -held).bit_length() - 1
        return Held(
            item=self._items[at], backups=held.bit_count(), first_at=self.backups[first].finished_at,
            last_at=self.backups[last].finished_at, last_backup=self.backups[last].id, now=last == len(self.backups) - 1,
            own_bytes=own, old_bytes=old,
        )  # fmt: skip

    def _sum(self, of: npt.NDArray[np.bool_]) -> int:
        return int(self._accounts.lengths[of].sum())


def _above(key: tuple[str, str]) -> tuple[str, str] | None:
    up = key[1].rpartition("/")[0]
    return (key[0], up) if up else None


def _among(numbers: Numbers, size: int) -> npt.NDArray[np.bool_]:
    values = np.zeros(size, dtype=np.bool_)
    values[numbers] = True
    return values


_NO_PAIRS = np.empty((0, 2), dtype=np.int64)
