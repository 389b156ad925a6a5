"""A folder as the container of an export: what it cannot hold is told in the words of exports."""

from collections.abc import Iterable

from core.content.items import Item
from core.exchange.containers import NotHeld
from core.recovery.extract import Destination, Unwritable


class InFolder:
    avoids = ""

    def __init__(self, destination: Destination) -> None:
        self._destination = destination

    def file(self, path: str, item: Item, pieces: Iterable[bytes], *, packs: bool = False) -> None:
        try:
            self._destination.file(path, item, pieces)
        except Unwritable as error:
            raise NotHeld(error.message) from error

    def link(self, path: str, item: Item) -> None:
        try:
            self._destination.link(path, item)
        except Unwritable as error:
            raise NotHeld(error.message) from error

    def folder(self, path: str, item: Item) -> None:
        try:
            self._destination.folder(path, item)
        except Unwritable as error:
            raise NotHeld(error.message) from error

    def close(self) -> None:
        """Nothing is left to do."""
