"""A folder as the container of an export: what it cannot hold is told in the words of exports."""

from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager

from core.content.items import Item
from core.exchange.containers import NotHeld
from core.recovery.extract import Destination, Unwritable


class InFolder:
    avoids = ""

    def __init__(self, destination: Destination, *, close: Callable[[], None]) -> None:
        """`close`: lets go of the folder; may be called more than once."""
        self._destination, self.close = destination, close

    def file(self, path: str, item: Item, pieces: Iterable[bytes], *, packs: bool = False) -> None:
        with _told():
            self._destination.file(path, item, pieces)

    def link(self, path: str, item: Item) -> None:
        with _told():
            self._destination.link(path, item)

    def folder(self, path: str, item: Item) -> None:
        with _told():
            self._destination.folder(path, item)


@contextmanager
def _told() -> Iterator[None]:
    try:
        yield
    except Unwritable as error:
        raise NotHeld(error.message) from error
