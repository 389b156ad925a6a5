"""A folder into which a drill restores, and that is empty again afterwards: readable by its owner alone, and nothing in it is ever run."""

import errno
import os
import shutil
from collections.abc import Iterable, Iterator
from itertools import chain
from pathlib import Path

from adapters.destinations.folder import FolderDestination
from adapters.destinations.opener import Opened, opened
from adapters.guard import port
from core.content.items import Item
from core.recovery.forms import Form
from core.vault.errors import StoreError, StoreFault, StoreFull, StoreUnreachable

_READ_BYTES = 1 << 20
_TRAY_BYTES = 48 << 20
_DATABASE = b"SQLite format 3\0"
_TRAY = "tray"
_MODE = 0o600


@port(StoreFault, "The scratch folder")
class ScratchFolder:
    """Below a folder of its own, which is made and removed. Items lie one after another in one file, which is written over by those that
    come next: to make a file for each, and pages for what is gone again at once, takes longer than to restore them. What is very large,
    and databases, which are opened by their path, are files of their own."""

    def __init__(self, root: Path) -> None:
        self._root = root
        self._files: FolderDestination | None = None
        self._tray: int | None = None
        self._lying: dict[str, tuple[int, int]] = {}
        """Path of what lies in the tray → (where it begins, how long it is)."""
        self._end = 0
        self._alone: set[Path] = set()
        """Files of their own."""

    def corner(self, number: int) -> "ScratchFolder":
        self._made()
        return type(self)(self._root / f"{number}")

    def _made(self) -> None:
        try:
            self._root.mkdir(parents=True, exist_ok=True, mode=0o700)
        except OSError as error:
            raise _named(self._root, error) from error

    def file(self, path: str, item: Item, pieces: Iterable[bytes], *, over: bool = False) -> None:
        if self._files is None:
            self._made()
            self._files = FolderDestination(self._root)
        source = iter(pieces)
        first = next(source, b"")
        if item.size_bytes > _TRAY_BYTES or first.startswith(_DATABASE):
            self._alone.add(self._root / path)
            self._files.file(path, _plain(item), chain((first,), source), over=over)
            return
        end = self._end
        try:
            if self._tray is None:
                self._tray = os.open(self._root / _TRAY, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, _MODE)
            for piece in chain((first,), source):
                rest = memoryview(piece)
                while rest:
                    written = os.pwrite(self._tray, rest, end)
                    end += written
                    rest = rest[written:]
        except OSError as error:
            raise _named(self._root, error) from error
        self._lying[path] = (self._end, end - self._end)
        self._end = end

    def link(self, path: str, item: Item, *, over: bool = False) -> None:
        """Not made: nothing here is to lead anywhere."""

    def folder(self, path: str, item: Item) -> None:
        """Not made."""

    def read(self, path: str) -> Iterator[bytes]:
        if path in self._lying:
            yield from self._pieces(path)
            return
        try:
            with (self._root / path).open("rb") as file:
                while piece := file.read(_READ_BYTES):
                    yield piece
        except FileNotFoundError:
            return
        except OSError as error:
            raise _named(self._root, error) from error

    def _pieces(self, path: str) -> Iterator[bytes]:
        assert self._tray is not None
        begin, length = self._lying[path]
        for at in range(0, length, _READ_BYTES):
            try:
                yield os.pread(self._tray, min(_READ_BYTES, length - at), begin + at)
            except OSError as error:
                raise _named(self._root, error) from error

    def opens(self, path: str, form: Form, item: Item) -> Opened:
        try:
            if path not in self._lying:
                return opened(self._root / path, form, item)
            return opened(b"".join(self._pieces(path)), form, item)
        except OSError as error:
            raise _named(self._root, error) from error

    def again(self) -> None:
        self._lying, self._end = {}, 0
        try:
            for path in self._alone:
                path.unlink(missing_ok=True)
        except OSError as error:
            raise _named(self._root, error) from error
        self._alone = set()

    def clear(self) -> None:
        if self._files is not None:
            self._files.close()
            self._files = None
        if self._tray is not None:
            os.close(self._tray)
            self._tray = None
        self._lying, self._end, self._alone = {}, 0, set()
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
