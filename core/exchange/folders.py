"""A folder of the server into which an export goes, and out of which it is erased one day."""

from typing import Protocol

from core.exchange.containers import Container


class LyingFolder(Protocol):
    def begin(self) -> tuple[Container, str]:
        """(to write into, its identity: which folder it is, whatever lies at its path later). It must be missing or empty.
        Raises BadInput, StoreError."""
        ...

    def erase(self, identity: str) -> bool:
        """With everything in it; False when it is not there any more. Raises BadInput when another folder lies at its path,
        StoreError when something in it cannot be erased."""
        ...
