"""When each pack was last read and proven whole: which come next, and since when a backup is proven.

A backup is proven since the oldest of the dates on which the packs that it needs were read; one that needs a pack that was never read
is not. What is read each night is the share that brings every pack round within so many days, the longest unread first.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import UTC, datetime, timedelta

import numpy as np

from core.units import MIB
from core.vault.chunks import Chunks
from core.vault.errors import Damaged
from core.vault.keys import ID_BYTES
from core.vault.manifests import Manifest
from core.vault.needs import needs_of

_STAMP_BYTES = 8
_ENTRY_BYTES = ID_BYTES + _STAMP_BYTES
ReadAt = dict[bytes, datetime]
"""Pack → when it was read last; what was found damaged in it is noted in the store."""


SHARE_BYTES_PER_SECOND = 100 * MIB
"""How fast a night's share is read where nobody says anything: runs that still go on notice little of it, and 8 TiB are through in a
day."""


def encoded(read: Mapping[bytes, datetime]) -> bytes:
    """24 bytes a pack: its id, seconds since 1970."""
    return b"".join(pack + int(at.timestamp()).to_bytes(_STAMP_BYTES, "big") for pack, at in sorted(read.items()))


def decoded(content: bytes) -> ReadAt:
    """Raises Damaged."""
    if len(content) % _ENTRY_BYTES:
        raise Damaged("The record of what was read has an impossible length.")
    return {
        content[at : at + ID_BYTES]: datetime.fromtimestamp(int.from_bytes(content[at + ID_BYTES : at + _ENTRY_BYTES], "big"), UTC)
        for at in range(0, len(content), _ENTRY_BYTES)
    }


def next_packs(sizes: Mapping[bytes, int], read: Mapping[bytes, datetime], *, days: int, now: datetime) -> list[bytes]:
    """Packs to be read now, once a day: never read ones first, then the longest unread, a share of 1/`days` of all bytes; and all that
    would be older than `days` before the next time. A date that lies in the future counts as never."""
    never = datetime.min.replace(tzinfo=UTC)
    at = {pack: read.get(pack, never) if read.get(pack, never) <= now else never for pack in sizes}
    order = sorted(sizes, key=lambda pack: (at[pack], pack))
    share, overdue, taken = -(-sum(sizes.values()) // days), now - timedelta(days=days - 1), 0
    chosen = []
    for pack in order:
        if taken >= share and not never < at[pack] < overdue:
            break
        chosen.append(pack)
        taken += sizes[pack]
    return chosen


def proven_since(vault: Chunks, manifests: Sequence[Manifest], read: Mapping[bytes, datetime]) -> dict[bytes, datetime | None]:
    """Backup → since when everything that it needs was read and whole; None for one of which something never was. The vault is
    refreshed before. Raises StoreError."""
    needs = needs_of(vault, manifests)
    index = vault.index
    index.settle()
    stamps = np.array([_stamp(read.get(pack)) for pack in index.pack_ids], dtype=np.int64)
    moments: dict[bytes, datetime | None] = {}
    for manifest in manifests:
        numbers = needs.of(manifest.id)
        damaged = needs.damaged.keys() & needs.trees(manifest.id)
        lacking = any((needs.branches[tree] < 0).any() for tree in needs.trees(manifest.id) if tree in needs.branches)
        oldest = int(stamps[np.unique(index.pack_numbers(numbers))].min()) if len(numbers) else _stamp(manifest.finished_at)
        moments[manifest.id] = None if damaged or lacking or oldest == 0 else datetime.fromtimestamp(oldest, UTC)
    return moments


def _stamp(at: datetime | None) -> int:
    return 0 if at is None else int(at.timestamp())


def without_gone(read: Mapping[bytes, datetime], present: Iterable[bytes]) -> ReadAt:
    """What is remembered of packs that are still there."""
    there = set(present)
    return {pack: at for pack, at in read.items() if pack in there}


def slowed(limit: int | None, began: float, clock: Callable[[], float], sleep: Callable[[float], None]) -> Callable[[int, int], None]:
    """A `on_progress` that lets reading go no faster than this; None as fast as it can."""

    def tell(read_bytes: int, total_bytes: int) -> None:
        if limit and (early := began + read_bytes / limit - clock()) > 0:
            sleep(early)

    return tell
