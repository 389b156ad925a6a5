"""Files that were made to be fetched: where they lie until somebody does."""

from collections.abc import Collection, Iterator
from typing import IO, Protocol

from core.errors import AtticError, Unforeseen


class SpoolFault(Unforeseen):
    """The place of downloads answered in a way that nobody foresaw."""

    code = "export.spool_fault"


class SpoolBroken(AtticError):
    """A file that was made to be fetched cannot be read any more."""

    code = "export.spool_broken"
    remedy = "Make the archive again; what it was made of is still in the store."


class Downloads(Protocol):
    """Sealed files by name. Each can be opened only until the server is started anew: the key is in no file."""

    home: str
    """Tells this computer's folder from those of others that share the office."""
    start: str
    """Tells this start of the server from others; begins with `home`, and gives nothing of the key away."""

    def free_bytes(self) -> int:
        """Raises StoreError."""
        ...

    def new(self, name: str) -> IO[bytes]:
        """In place of one of the same name; can be written, sought and cut. Raises StoreError."""
        ...

    def read(self, name: str, *, start: int, stop: int) -> Iterator[bytes]:
        """The bytes from `start` until before `stop`. Raises SpoolBroken, StoreError."""
        ...

    def has(self, name: str) -> bool: ...

    def remove(self, name: str) -> None:
        """Nothing happens to one that is not there. Raises StoreError."""
        ...

    def clear(self, keep: Collection[str]) -> int:
        """Remove all that lie there but these; how many. Raises StoreError."""
        ...
