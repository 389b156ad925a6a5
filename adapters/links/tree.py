"""A folder with everything that belongs to it: relative paths, times to the nanosecond, modes, symbolic links.

The link behind `./attic vault backup`. Walks once; what it found is held in columns, not objects, so that a
folder of hundreds of thousands of files fits. What cannot be read is left out and named, with the reason.
Symbolic links are items of their own and are never followed.
"""

import contextlib
import errno
import os
import stat
from array import array
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import overload

from core.content.classify import kind_below, kind_of_name
from core.content.errors import DataAccessOff, DeviceAway, DeviceLied, LinkCut
from core.content.items import Item, clean_name
from core.content.kinds import FOLDERS, KINDS
from core.content.link import DeviceState
from core.vault.manifests import ATTRIBUTES, ID, MODIFIED, SIZE, TAG, Row

PIECE_BYTES = 4 << 20
FAMILY = "folder"
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


class TreeLink:
    """A folder on this machine, as a device to be read."""

    def __init__(self, root: Path, *, leave_out: Iterable[Path] = ()) -> None:
        """`leave_out`: folders below it that are not to be read, such as the store itself."""
        self._root = os.fspath(root)
        self._leave_out = {os.path.realpath(path) for path in leave_out}
        self._found: dict[str, Files] | None = None
        self.skipped: list[tuple[str, str]] = []
        """(path, reason) of what was left out while walking."""

    def state(self) -> DeviceState:
        if not os.path.isdir(self._root):
            raise DeviceAway(f"The folder {self._root} is not there.", remedy="Correct its path.")
        if not os.access(self._root, os.R_OK | os.X_OK):
            raise DataAccessOff(f"The folder {self._root} may not be read.", remedy="Run as somebody who may read it.")
        return DeviceState(make="", model="Folder", family=FAMILY, os_version="", data_access=True)

    def kinds(self) -> list[str]:
        found = self._walked()
        return [kind for kind in (*KINDS, FOLDERS) if kind in found]

    def inventory(self, kind: str) -> Sequence[Item]:
        found = self._walked()
        return found.get(kind, [])

    def read(self, item: Item) -> Iterator[bytes]:
        if item.kind == FOLDERS or (item.attributes and "link" in item.attributes):
            return
        descriptor = self._open(item.id)
        try:
            left = item.size_bytes
            while left > 0:
                piece = self._piece(descriptor, min(PIECE_BYTES, left), item)
                if not piece:
                    raise DeviceLied("The file became shorter while it was read.")
                left -= len(piece)
                yield piece
            after = os.fstat(descriptor)
            if self._found_changed(item, after):
                raise DeviceLied("The file changed while it was read.")
        finally:
            os.close(descriptor)

    @staticmethod
    def _found_changed(item: Item, facts: os.stat_result) -> bool:
        return f"{facts.st_mtime_ns:x}-{facts.st_size:x}" != item.tag

    def create(self, kind: str, name: str, pieces: Iterable[bytes], *, size_bytes: int) -> str:
        raise DataAccessOff("This link only reads.")

    def replace(self, kind: str, id: str, name: str, pieces: Iterable[bytes], *, size_bytes: int) -> None:
        raise DataAccessOff("This link only reads.")

    def close(self) -> None:
        self._found = None

    # -- walking

    def _walked(self) -> "dict[str, Files]":
        if self._found is None:
            self.state()
            self._found, self.skipped = {}, []
            self._walk()
            for files in self._found.values():
                files.sort()
        return self._found

    def _walk(self) -> None:
        waiting: list[tuple[str, str | None]] = [("", None)]
        while waiting:
            folder, above = waiting.pop()
            try:
                entries = os.scandir(f"{self._root}/{folder}" if folder else self._root)
            except OSError as error:
                self._skip(folder, error.strerror or "cannot be read")
                continue
            prefix = f"{folder}/" if folder else ""
            with entries:
                for entry in entries:
                    name = entry.name
                    path = prefix + name
                    try:
                        facts = entry.stat(follow_symlinks=False)
                        if not name.isascii():
                            name.encode()
                    except UnicodeEncodeError:
                        self._skip(path.encode("utf-8", "replace").decode(), "its name is not valid UTF-8")
                        continue
                    except OSError as error:
                        self._skip(path, error.strerror or "cannot be read")
                        continue
                    kind = stat.S_IFMT(facts.st_mode)
                    if kind == stat.S_IFREG:
                        self._files(kind_of_name(above, name)).add(path, facts.st_size, facts)
                    elif kind == stat.S_IFDIR:
                        if self._leave_out and os.path.realpath(entry.path) in self._leave_out:
                            self._skip(path, "it is the store itself")
                            continue
                        waiting.append((path, kind_below(above, name)))
                        self._files(FOLDERS).add(path, 0, facts)
                    elif kind == stat.S_IFLNK:
                        self._add_link(path, kind_of_name(above, name), facts)
                    else:
                        self._skip(path, "it is neither a file, a folder nor a symbolic link")

    def _files(self, kind: str) -> "Files":
        assert self._found is not None
        files = self._found.get(kind)
        if files is None:
            files = self._found[kind] = Files(kind)
        return files

    def _add_link(self, path: str, kind: str, facts: os.stat_result) -> None:
        try:
            target = os.readlink(f"{self._root}/{path}")
            target.encode()
        except UnicodeEncodeError:
            self._skip(path, "it points to a name that is not valid UTF-8")
            return
        except OSError as error:
            self._skip(path, error.strerror or "cannot be read")
            return
        files = self._files(kind)
        files.links[path] = target
        files.add(path, 0, facts)

    def _skip(self, path: str, reason: str) -> None:
        self.skipped.append((clean_name(path or "."), reason))

    # -- reading

    def _open(self, relative: str) -> int:
        try:
            return os.open(f"{self._root}/{relative}", os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
        except PermissionError:
            raise DeviceLied("It may not be read.") from None
        except FileNotFoundError:
            if not os.path.isdir(self._root):
                raise DeviceAway(f"The folder {self._root} is not there any more.") from None
            raise DeviceLied("It vanished before it could be read.") from None
        except OSError as error:
            raise DeviceLied(f"It cannot be read: {error.strerror}.") from None

    def _piece(self, descriptor: int, most: int, item: Item) -> bytes:
        try:
            return os.read(descriptor, most)
        except OSError as error:
            if error.errno in (errno.EIO, errno.ENXIO, errno.ENODEV):
                with contextlib.suppress(OSError):
                    os.stat(self._root)
                    raise DeviceLied(f"It cannot be read: {error.strerror}.") from None
            raise LinkCut(f"Reading {item.name} ended in the middle: {error.strerror}.") from None


class Files(Sequence[Item]):
    """Files of one kind in columns; items are made when somebody asks for them."""

    def __init__(self, kind: str) -> None:
        self._kind = kind
        self._paths: list[str] = []
        self._sizes, self._times, self._modes = array("q"), array("q"), array("H")
        self.links: dict[str, str] = {}
        """Symbolic links among them, by path."""

    def add(self, path: str, size_bytes: int, facts: os.stat_result) -> None:
        self._paths.append(path)
        self._sizes.append(size_bytes)
        self._times.append(facts.st_mtime_ns)
        self._modes.append(stat.S_IMODE(facts.st_mode))

    def sort(self) -> None:
        order = sorted(range(len(self._paths)), key=self._paths.__getitem__)
        self._paths = [self._paths[at] for at in order]
        self._sizes = array("q", (self._sizes[at] for at in order))
        self._times = array("q", (self._times[at] for at in order))
        self._modes = array("H", (self._modes[at] for at in order))

    def __len__(self) -> int:
        return len(self._paths)

    @overload
    def __getitem__(self, at: int) -> Item: ...
    @overload
    def __getitem__(self, at: slice) -> list[Item]: ...
    def __getitem__(self, at: int | slice) -> Item | list[Item]:
        if isinstance(at, slice):
            return [self._item(number) for number in range(*at.indices(len(self._paths)))]
        return self._item(at if at >= 0 else len(self._paths) + at)

    def size_bytes_of(self, first: int, last: int) -> int:
        """Of the files from number `first` up to `last`."""
        return sum(self._sizes[first:last])

    def matches(self, first: int, rows: Sequence[Row]) -> bool:
        """Whether the files from number `first` on are these rows."""
        last = first + len(rows)
        if [row[ID] for row in rows] != self._paths[first:last] or [row[SIZE] for row in rows] != self._sizes[first:last].tolist():
            return False
        times, modes = self._times[first:last].tolist(), self._modes[first:last].tolist()
        for row, ns, mode in zip(rows, times, modes, strict=True):
            attributes = row[ATTRIBUTES]
            if row[MODIFIED] != ns // 1000 or not attributes or attributes.get("ns", 0) != ns % 1000 or attributes.get("mode") != mode:
                return False
            if row[TAG] != self._tag(row[ID], ns, row[SIZE]) or attributes.get("link") != self.links.get(row[ID]):
                return False
        return True

    def _tag(self, path: str, ns: int, size: int) -> str:
        if self._kind == FOLDERS:
            return "folder"
        return f"{ns:x}-{size:x}" if path not in self.links else "link " + self.links[path]

    def _item(self, at: int) -> Item:
        path, ns, size = self._paths[at], self._times[at], self._sizes[at]
        attributes: dict[str, int | str] = {"mode": self._modes[at]}
        if rest := ns % 1000:
            attributes["ns"] = rest
        if path in self.links:
            attributes["link"] = self.links[path]
        name = path if path.isprintable() else clean_name(path)
        tag = self._tag(path, ns, size)
        return Item(kind=self._kind, id=path, name=name, size_bytes=size, modified=_modified(ns), tag=tag, attributes=attributes)


def _modified(ns: int) -> datetime:
    """Whole microseconds; what is left over is an attribute."""
    try:
        return _EPOCH + timedelta(microseconds=ns // 1000)
    except OverflowError:
        return _EPOCH
