"""Getting files back: chosen items of a backup, in the order in which they lie, to a destination.

Every item is written whole or not at all. What is damaged or cannot be written is named; all others arrive.
Symbolic links come after every file and folders get their times last, so that nothing is ever written through
a link that a backup brought along.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from itertools import islice
from typing import Protocol

from core.content.items import Item
from core.content.paths import link_of
from core.errors import AtticError
from core.recovery.stream import Stream, in_store_order
from core.vault.errors import Damaged, Stopped
from core.vault.manifests import Stored
from core.vault.vault import Vault

_AT_ONCE = 20_000
"""Items whose order in the store is sought at a time."""


class Unwritable(AtticError):
    """An item that the destination cannot hold, with the reason in words."""

    code = "export.unwritable"
    remedy = "Choose another place for it, or restore it by itself."


class Occupied(Unwritable):
    """Something of this name is there already."""

    code = "export.occupied"


class Destination(Protocol):
    """Where items go. Paths are checked there: nothing ever leaves it."""

    def file(self, path: str, item: Item, pieces: Iterable[bytes], *, over: bool = False) -> None:
        """Write a file whole, or leave what was there; `over` what is there. Raises Unwritable, StoreError, and what `pieces` raises."""
        ...

    def link(self, path: str, item: Item, *, over: bool = False) -> None:
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
    items: Iterable[tuple[str, Stored]],
    folders: Iterable[tuple[str, Stored]],
    destination: Destination,
    *,
    total_bytes: int = 0,
    on_progress: Callable[[int, int], None] = lambda done_bytes, total_bytes: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> Extracted:
    """(path, item) of each; `folders` are asked for last. Holds some thousand items at a time, however many there are.
    Raises StoreError, DeviceSealed, Stopped."""
    extracted = Extracted()
    links = list[tuple[str, Stored]]()
    source = iter(items)
    while window := list(islice(source, _AT_ONCE)):
        links += [entry for entry in window if _is_link(entry[1])]
        files = [entry for entry in window if not _is_link(entry[1])]
        order = in_store_order(vault, [stored for _, stored in files])
        stream = Stream.of(vault, [files[at][1] for at in order])
        try:
            for at in order:
                path, stored = files[at]
                if should_stop():
                    raise Stopped("The restore was stopped.")
                with _noted(extracted, path, stored):
                    destination.file(path, stored.item, stream.pieces(stored))
                    extracted.items += 1
                    extracted.size_bytes += stored.item.size_bytes
                on_progress(extracted.size_bytes, max(total_bytes, extracted.size_bytes))
        finally:
            stream.close()
    for path, stored in links:
        with _noted(extracted, path, stored):
            destination.link(path, stored.item)
            extracted.items += 1
    for path, stored in sorted(folders, key=lambda entry: entry[0], reverse=True):
        with _noted(extracted, path, stored):
            destination.folder(path, stored.item)
    return extracted


def _is_link(stored: Stored) -> bool:
    return link_of(stored.item) is not None


class _noted:  # a context manager that reads like a word
    """Notes what cannot be had or written, and goes on."""

    def __init__(self, extracted: Extracted, path: str, stored: Stored) -> None:
        self._found, self._path, self._kind = extracted, path, stored.item.kind

    def __enter__(self) -> None:
        pass

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> bool:
        if isinstance(error, Damaged | Unwritable):
            self._found.lost.append(Lost(kind=self._kind, path=self._path, reason=str(error)))
            return True
        return False
