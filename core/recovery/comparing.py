"""Looking at both sides of a restore: digests and records of what was stored and of what is there, asked for in bulk.

Stored content is read in the order in which it lies; a device that tells digests is asked for many at once; content that
no digest is told of is read back where that is cheap, and is left to its size and tag where it is not.
"""

from collections.abc import Callable, Iterable, Sequence
from typing import Any

from core.content.digests import digest_of, file_digest_of, is_record
from core.content.errors import ItemNotTaken
from core.content.items import Item
from core.content.link import DeviceLink, HoldsFiles, ReadsAhead, TellsDigests
from core.content.paths import link_of
from core.content.records import MAX_RECORD_BYTES, UnreadableRecord, record
from core.recovery.conflicts import Digest
from core.recovery.stream import Stream, in_store_order
from core.vault.errors import Damaged
from core.vault.manifests import Stored
from core.vault.vault import Vault

READ_BACK_BYTES = 64 * 1024
"""Items of a device that tells no digests are read back up to this size."""
_AT_ONCE = 500
FILES = "files"
"""Stands for every kind in a place that keeps files: compared byte for byte, both sides here."""


class Comparison:
    """The looks of one kind. `there` are the items that may meet one of `chosen`."""

    def __init__(
        self, vault: Vault, link: DeviceLink, code: str, chosen: Sequence[Stored], there: Sequence[Item], *,
        on_item: Callable[[], None], whole: frozenset[str] = frozenset(),
    ) -> None:  # fmt: skip
        """`whole`: names of items that are read back whatever their size, should nobody tell their digests."""
        self._vault, self._link, self._on_item = vault, link, on_item
        self._there = digests_there(link, code, there, on_item=on_item, whole=whole)
        self._of: dict[tuple[str, str], Digest] = {}
        known = {digest for digest in self._there.values() if digest is not None}
        if known:
            sizes = {item.size_bytes for item in there}
            asked = [one for one in chosen if is_record(code) or one.item.size_bytes in sizes]
            self._of = digests_stored(vault, asked, on_item=on_item)

    def digest_of(self, stored: Stored) -> Digest:
        return self._of.get((stored.item.kind, stored.item.id))

    def digest_there(self, item: Item) -> Digest:
        return self._there.get(item.id)

    def record_of(self, stored: Stored) -> dict[str, Any]:
        """Empty where it cannot be read."""
        self._on_item()
        try:
            return record(b"".join(self._vault.read(stored))) if stored.item.size_bytes <= MAX_RECORD_BYTES else {}
        except (Damaged, UnreadableRecord):
            return {}

    def record_there(self, item: Item) -> dict[str, Any]:
        self._on_item()
        try:
            return record(b"".join(self._link.read(item))) if item.size_bytes <= MAX_RECORD_BYTES else {}
        except (ItemNotTaken, UnreadableRecord):
            return {}


def digests_there(
    link: DeviceLink, code: str, items: Sequence[Item], *, on_item: Callable[[], None] = lambda: None, whole: frozenset[str] = frozenset()
) -> dict[str, Digest]:
    """By the id of each item; None where nobody can tell without reading it whole. `whole`: names of those that are read all the same."""
    if isinstance(link, TellsDigests) and link.tells_digests():
        digests: dict[str, Digest] = {}
        for at in range(0, len(items), _AT_ONCE):
            on_item()
            lot = items[at : at + _AT_ONCE]
            digests |= dict(zip((item.id for item in lot), link.digests(code, [item.id for item in lot]), strict=True))
        return digests
    if not isinstance(link, HoldsFiles):
        readable = [item for item in items if item.size_bytes <= READ_BACK_BYTES or item.name in whole]
        return {item.id: None for item in items} | _read_back(link, code, readable, on_item)
    return _read_back(link, code, items, on_item)


def _read_back(link: DeviceLink, code: str, items: Sequence[Item], on_item: Callable[[], None]) -> dict[str, Digest]:
    if isinstance(link, ReadsAhead):
        link.expect(items)
    digests: dict[str, Digest] = {}
    for item in items:
        on_item()
        try:
            pieces = _noticed(link.read(item), on_item)
            digests[item.id] = link_digest(item) if link_of(item) is not None else _digest_of(code, pieces)
        except ItemNotTaken:
            digests[item.id] = None  # what cannot be read back is not proven
    return digests


def digests_stored(
    vault: Vault, items: Sequence[Stored], *, on_item: Callable[[], None] = lambda: None, raw: bool = False
) -> dict[tuple[str, str], Digest]:
    """By kind and id; None for what is damaged. `raw`: records too byte for byte, as files."""
    ordered = [items[at] for at in in_store_order(vault, items)]
    stream, digests = Stream.of(vault, ordered), dict[tuple[str, str], Digest]()
    try:
        for stored in ordered:
            on_item()
            place = (stored.item.kind, stored.item.id)
            try:
                pieces = _noticed(stream.pieces(stored), on_item)
                code = FILES if raw else stored.item.kind
                digests[place] = link_digest(stored.item) if link_of(stored.item) is not None else _digest_of(code, pieces)
            except Damaged:
                digests[place] = None
    finally:
        stream.close()
    return digests


def link_digest(item: Item) -> bytes:
    """A symbolic link is what it points to."""
    return file_digest_of([b"link ", (link_of(item) or "").encode("utf-8", "surrogateescape")])


def _digest_of(code: str, pieces: Iterable[bytes]) -> bytes:
    return file_digest_of(pieces) if code == FILES else digest_of(code, pieces)


def _noticed(pieces: Iterable[bytes], on_item: Callable[[], None]) -> Iterable[bytes]:
    for piece in pieces:
        on_item()
        yield piece
