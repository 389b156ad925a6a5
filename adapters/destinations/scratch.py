"""A folder into which a drill restores, and that is empty again afterwards: readable by its owner alone, and nothing in it is ever run."""

import errno
import shutil
from collections.abc import Iterable, Iterator
from pathlib import Path

from adapters.destinations.folder import FolderDestination
from adapters.destinations.opener import Opened, opened
from adapters.guard import port
from core.content.items import Item
from core.recovery.forms import Form
from core.vault.errors import StoreError, StoreFault, StoreFull, StoreUnreachable

_READ_BYTES = 1 << 20
_MODE = 0o600


@port(StoreFault, "The scratch folder")
class ScratchFolder:
    """Below a folder of its own, which is made and removed."""

    def __init__(self, root: Path) -> None:
        self._root = root
        self._files: FolderDestination | None = None

    def file(self, path: str, item: Item, pieces: Iterable[bytes], *, over: bool = False) -> None:
        if self._files is None:
            try:
                self._root.mkdir(parents=True, exist_ok=True, mode=0o700)
            except OSError as error:
                raise _named(self._root, error) from error
            self._files = FolderDestination(self._root)
        self._files.file(path, _plain(item), pieces, over=over)

    def link(self, path: str, item: Item, *, over: bool = False) -> None:
        """Not made: nothing here is to lead anywhere."""

    def folder(self, path: str, item: Item) -> None:
        """Not made."""

    def read(self, path: str) -> Iterator[bytes]:
        try:
            with (self._root / path).open("rb") as file:
                while piece := file.read(_READ_BYTES):
                    yield piece
        except FileNotFoundError:
            return
        except OSError as error:
            raise _named(self._root, error) from error

    def opens(self, path: str, form: Form, item: Item) -> Opened:
        try:
            return opened(self._root / path, form, item)
        except OSError as error:
            raise _named(self._root, error) from error

    def clear(self) -> None:
        if self._files is not None:
            self._files.close()
            self._files = None
        try:
            shutil.rmtree(self._root)
        except FileNotFoundError:
            return
        except OSError as error:
            raise _named(self._root, error) from error


def _plain(item: Item) -> Item:
    """With a mode under which it can be read back, whatever it had."""
    return Item(
        kind=item.kind, id=item.id, name=item.name, size_bytes=item.size_bytes, modified=item.modified, tag=item.tag,
        attributes={"mode": _MODE},
    )  # fmt: skip


def _named(root: Path, error: OSError) -> StoreError:
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return StoreFull(f"There is no room left for a drill in {root}.", remedy="Make room there, or let drills read less at a time.")
    return StoreUnreachable(f"The scratch folder {root} answers with an error: {error.strerror}.")
