"""Getting files back: chosen items of a backup, in the order in which they lie, to a destination.

Every item is written whole or not at all. What is damaged or cannot be written is named; all others arrive.
Symbolic links come after every file and folders get their times last, so that nothing is ever written through
a link that a backup brought along.
"""

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Protocol

from core.content.items import Item
from core.errors import AtticError
from core.vault.errors import Damaged, Stopped
from core.vault.fetching import Fetched, fetch
from core.vault.manifests import Stored
from core.vault.vault import Vault, part_of


class Unwritable(AtticError):
    """An item that the destination cannot hold, with the reason in words."""

    code = "export.unwritable"
    remedy = "Choose another place for it, or restore it by itself."


class Destination(Protocol):
    """Where items go. Paths are checked there: nothing ever leaves it."""

    def file(self, path: str, item: Item, pieces: Iterable[bytes]) -> None:
        """Write a file whole, or leave nothing. Raises Unwritable, StoreError, and what `pieces` raises."""
        ...

    def link(self, path: str, item: Item) -> None:
        """Make a symbolic link. Raises Unwritable, StoreError."""
        ...

    def folder(self, path: str, item: Item) -> None:
        """Make a folder, or give one its times and mode. Raises Unwritable, StoreError."""
        ...


@dataclass(frozen=True, slots=True, kw_only=True)
class Lost:
    kind: str
    path: str
    reason: str


@dataclass(slots=True, kw_only=True)
class Extracted:
    items: int = 0
    size_bytes: int = 0
    lost: list[Lost] = field(default_factory=list)


def extract(
    vault: Vault,
    items: Sequence[tuple[str, Stored]],
    folders: Sequence[tuple[str, Stored]],
    destination: Destination,
    *,
    on_progress: Callable[[int, int], None] = lambda done_bytes, total_bytes: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> Extracted:
    """(path, item) of each. Raises StoreError, DeviceSealed, Stopped."""
    found = Extracted()
    links = [entry for entry in items if _is_link(entry[1])]
    files = [entry for entry in items if not _is_link(entry[1])]
    # without content first, then as the content lies in the store
    numbers = vault.index.numbers(b"".join(stored.spans[0].chunk if stored.spans else bytes(16) for _, stored in files)).tolist()
    order = sorted(range(len(files)), key=lambda at: (numbers[at], at))
    total = sum(stored.item.size_bytes for _, stored in files)
    stream = _Stream(vault, [span.chunk for at in order for span in files[at][1].spans])
    try:
        for at in order:
            path, stored = files[at]
            if should_stop():
                raise Stopped("The restore was stopped.")
            with _noted(found, path, stored):
                destination.file(path, stored.item, stream.pieces(stored))
                found.items += 1
                found.size_bytes += stored.item.size_bytes
            stream.skip_to_end(stored)
            on_progress(found.size_bytes, total)
    finally:
        stream.close()
    for path, stored in links:
        with _noted(found, path, stored):
            destination.link(path, stored.item)
            found.items += 1
    for path, stored in sorted(folders, key=lambda entry: entry[0], reverse=True):
        with _noted(found, path, stored):
            destination.folder(path, stored.item)
    return found


def _is_link(stored: Stored) -> bool:
    return bool(stored.item.attributes) and "link" in (stored.item.attributes or {})


class _noted:  # a context manager that reads like a word
    """Notes what cannot be had or written, and goes on."""

    def __init__(self, found: Extracted, path: str, stored: Stored) -> None:
        self._found, self._path, self._kind = found, path, stored.item.kind

    def __enter__(self) -> None:
        pass

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> bool:
        if isinstance(error, Damaged | Unwritable):
            self._found.lost.append(Lost(kind=self._kind, path=self._path, reason=str(error)))
            return True
        return False


class _Stream:
    """Chunks as they come, each fetched once for items that follow each other."""

    def __init__(self, vault: Vault, chunks: list[bytes]) -> None:
        self._vault = vault
        # items of one bundle follow each other: their chunk is fetched once
        needed = [chunk for before, chunk in zip([b"", *chunks], chunks, strict=False) if chunk != before]
        self._fetched: Iterator[Fetched] = fetch(vault, needed)
        self._current: Fetched | None = None
        self._left = 0

    def pieces(self, stored: Stored) -> Iterator[bytes]:
        self._left = len(stored.spans)
        for span in stored.spans:
            self._left -= 1
            content = self._content(span.chunk)
            if isinstance(content, Damaged):
                raise content
            yield part_of(self._vault.inner_open(stored.sealed, content), span)

    def skip_to_end(self, stored: Stored) -> None:
        """Pass over chunks of an item that was given up."""
        for span in stored.spans[len(stored.spans) - self._left :] if self._left else ():
            self._content(span.chunk)
        self._left = 0

    def _content(self, chunk: bytes) -> bytes | Damaged:
        if self._current is None or self._current[0] != chunk:
            self._current = next(self._fetched)
        return self._current[1]

    def close(self) -> None:
        close = getattr(self._fetched, "close", None)
        if close is not None:
            close()
