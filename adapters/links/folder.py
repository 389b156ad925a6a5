"""The folder link: a device mounted as a drive, or a folder that it synchronises into.

Looking and reading are the walker's (`adapters.links.tree`), writing is the destination's
(`adapters.destinations.folder`). A folder has no lock, battery or network to tell of; it has a size of its own only
where it is a drive of its own.
"""

import os
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from pathlib import Path

from adapters.destinations.folder import FolderDestination
from adapters.guard import port
from adapters.links.tree import TreeLink
from core.content.classify import FileRule
from core.content.errors import DataAccessOff, DeviceFull, LinkCut, LinkFault, PlaceRefuses, PlaceTaken
from core.content.items import Item
from core.content.link import DeviceReport
from core.content.paths import item_id, shown_path
from core.recovery.extract import Occupied, Unwritable
from core.vault.errors import StoreError, StoreFull, StoreReadOnly


@port(LinkFault, "The folder")
class FolderLink(TreeLink):
    """A folder on the server, as a device."""

    def __init__(self, root: Path, rules: Sequence[FileRule] = ()) -> None:
        super().__init__(root, rules=rules)
        self._destination = FolderDestination(root)

    def state(self) -> DeviceReport:
        device_state = super().state()
        room = os.statvfs(self._root)
        free_bytes = room.f_bavail * room.f_frsize
        if not os.path.ismount(self._root):
            return replace(device_state, free_bytes=free_bytes)
        total_bytes = room.f_blocks * room.f_frsize
        return replace(device_state, free_bytes=free_bytes, storage_total_bytes=total_bytes, storage_used_bytes=total_bytes - free_bytes)

    def put(self, path: str, item: Item, pieces: Iterable[bytes], *, over: bool) -> str:
        return self._written(path, lambda: self._destination.file(path, item, pieces, over=over))

    def put_link(self, path: str, item: Item, *, over: bool) -> str:
        return self._written(path, lambda: self._destination.link(path, item, over=over))

    def put_folder(self, path: str, item: Item) -> None:
        self._written(path, lambda: self._destination.folder(path, item))

    def close(self) -> None:
        super().close()
        self._destination.close()

    def _written(self, path: str, write: Callable[[], None]) -> str:
        """The id under which the walker will meet it. What the destination says becomes the link's own errors."""
        try:
            write()
        except Occupied as error:
            raise PlaceTaken(error.message) from None
        except Unwritable as error:
            raise PlaceRefuses(error.message) from None
        except StoreFull:
            raise DeviceFull("There is no room in the folder.") from None
        except StoreReadOnly:
            raise DataAccessOff(f"The server may not write into {self._root}.") from None
        except StoreError as error:
            raise LinkCut(f"Writing {shown_path(path)} failed: {error.message}") from None
        self._found = None
        return item_id(path)
