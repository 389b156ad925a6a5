"""What was chosen of a kind, as an export asks for it: from the first item, as often as it needs."""

from collections.abc import Iterator, Sequence
from functools import partial

from core.content.items import Item
from core.exchange.archive import Content
from core.recovery.restore import Going, noticed
from core.recovery.stream import Stream, in_store_order
from core.vault.manifests import Stored
from core.vault.vault import Vault


class Chosen:
    """The chosen items of a kind as they lie in the store, each chunk read once; progress counts the first reading."""

    def __init__(self, vault: Vault, items: Sequence[Stored], going: Going) -> None:
        self._vault, self._going, self._read_before = vault, going, False
        self._ordered = [items[at] for at in in_store_order(vault, items)]

    def __call__(self) -> Iterator[tuple[Item, Content]]:
        count, self._read_before = not self._read_before, True
        stream = Stream.of(self._vault, self._ordered)
        try:
            for one in self._ordered:
                yield one.item, partial(self._pieces, stream, one, count=count)
        finally:
            stream.close()

    def _pieces(self, stream: Stream, stored: Stored, *, count: bool) -> Iterator[bytes]:
        if count:
            yield from noticed(stream.pieces(stored), self._going)
            return
        for piece in stream.pieces(stored):
            self._going()
            yield piece
