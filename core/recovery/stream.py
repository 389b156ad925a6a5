"""Content of many items as it lies in the store: neighbouring chunks together, each read once."""

from collections.abc import Iterator, Sequence

from core.vault.errors import Damaged
from core.vault.fetching import Fetched, fetch
from core.vault.manifests import Stored
from core.vault.vault import Vault, part_of


def in_store_order(vault: Vault, items: Sequence[Stored]) -> list[int]:
    """Positions of the items in the order in which to read them; those without content come first."""
    numbers = vault.index.numbers(b"".join(stored.spans[0].chunk if stored.spans else bytes(16) for stored in items)).tolist()
    return sorted(range(len(items)), key=lambda at: (numbers[at], at))


class Stream:
    """Chunks as they come, each fetched once for items that follow each other. What nobody takes yet is not fetched."""

    def __init__(self, vault: Vault, chunks: list[bytes]) -> None:
        """`chunks`: of all items, in the order in which they are going to be read."""
        self._vault = vault
        # items of one bundle follow each other: their chunk is fetched once
        needed = [chunk for before, chunk in zip([b"", *chunks], chunks, strict=False) if chunk != before]
        self._fetched: Iterator[Fetched] = fetch(vault, needed)
        self._current: Fetched | None = None

    @classmethod
    def of(cls, vault: Vault, items: Sequence[Stored]) -> "Stream":
        return cls(vault, [span.chunk for stored in items for span in stored.spans])

    def pieces(self, stored: Stored) -> Iterator[bytes]:
        """Raises Damaged, DeviceSealed, StoreError. Items that were given up, whole or in the middle, are passed over."""
        for span in stored.spans:
            content = self._content(span.chunk)
            if isinstance(content, Damaged):
                raise content
            yield part_of(self._vault.inner_open(stored.sealed, content), span)

    def _content(self, chunk: bytes) -> bytes | Damaged:
        while self._current is None or self._current[0] != chunk:
            self._current = next(self._fetched)
        return self._current[1]

    def close(self) -> None:
        close = getattr(self._fetched, "close", None)
        if close is not None:
            close()
