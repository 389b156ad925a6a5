"""Where an export goes: a ZIP, a bag, or a folder. What they have in common."""

from collections.abc import Iterable
from datetime import datetime
from typing import Protocol

from core.content.items import Item
from core.errors import AtticError


class NotHeld(AtticError):
    """A file that a container cannot hold under its path, with the reason in words."""

    code = "export.not_held"
    remedy = "Save it by itself from inside the backup."


class Container(Protocol):
    """Paths are relative, their parts joined by `/`; each is given once."""

    avoids: str
    """Letters that no path in it should have."""

    def file(self, path: str, item: Item, pieces: Iterable[bytes], *, packs: bool = False) -> None:
        """A file with the times and mode of the item. `packs`: text, which gets smaller. When `pieces` raise, nothing of it is
        there. Raises NotHeld, StoreError, and what `pieces` raise."""
        ...

    def link(self, path: str, item: Item) -> None:
        """A symbolic link, or a file that says where it led. Raises NotHeld, StoreError."""
        ...

    def folder(self, path: str, item: Item) -> None:
        """A folder in which nothing lies, or with its times and mode. Raises NotHeld, StoreError."""
        ...

    def close(self) -> None:
        """Whole from now on. Raises StoreError."""
        ...


def made(path: str, *, at: datetime) -> Item:
    """What a container is told of a file that the export itself makes."""
    return Item(kind="documents", id=path, name=path, size_bytes=0, modified=at, tag="made", attributes={"mode": 0o600})
