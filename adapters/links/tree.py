"""A folder with everything that belongs to it: relative paths, times to the nanosecond, modes, symbolic links, empty folders.

The one walker behind `./attic vault backup` and the folder link. Walks once; what it found is held in columns, not
objects, so that a folder of hundreds of thousands of files fits. What cannot be read is left out and named, with the
reason. Symbolic links are items of their own and are never followed. Names need not be UTF-8 (`core.content.paths`).
"""

import errno
import os
import re
import stat
from array import array
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import overload

from adapters.guard import port
from adapters.handles import Handles, parted
from core.content.classify import NOTHING, FileRule, kind_below, kind_of_name, ruled
from core.content.errors import DataAccessOff, DeviceAway, ItemNotTaken, LinkCut, LinkFault
from core.content.items import Item
from core.content.kinds import FOLDERS, KINDS
from core.content.link import DeviceReport, NotRead
from core.content.paths import item_id, link_attribute, name_attribute, path_of, shown_path
from core.vault.manifests import ATTRIBUTES, ID, MODIFIED, SIZE, TAG, Row

PIECE_BYTES = 4 << 20
FAMILY = "folder"
OURS = re.compile(r"\.attic-[0-9a-f]{16}")
"""Names of files that a restore was writing when it was killed."""
_NO_FOLDER_NOW = (errno.ENOTDIR, errno.ELOOP)
"""What the system says of a folder in whose place something else lies by now."""
_NO_FILE_NOW = (*_NO_FOLDER_NOW, errno.ENXIO, errno.ENODEV, errno.EINVAL)
"""The same of a file or a link: a socket has no opening, a device no driver, a file no target."""
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


@port(LinkFault, "The folder")
class TreeLink:
    """A folder on this machine, as a device to be read."""

    def __init__(self, root: Path, *, leave_out: Iterable[Path] = (), rules: Sequence[FileRule] = ()) -> None:
        """`leave_out`: folders below it that are not to be read, such as the store itself."""
        self._root, self._rules = os.fspath(root), rules
        self._handles = Handles(self._root)
        self._leave_out = {(facts.st_dev, facts.st_ino) for path in leave_out if (facts := _facts(path)) is not None}
        self._found: dict[str, Files] | None = None
        self._ruled_out: list[tuple[str, int]] = []
        self._not_read: list[NotRead] = []

    def state(self) -> DeviceReport:
        if not os.path.isdir(self._root):
            raise DeviceAway(f"The folder {self._root} is not there.", remedy="Mount it, or correct its path.")
        if not os.access(self._root, os.R_OK | os.X_OK):
            raise DataAccessOff(f"The folder {self._root} may not be read.", remedy="Let the account that runs Old Attic read it.")
        return DeviceReport(make="", model="Folder", family=FAMILY, os_version="", data_access=True)

    def kinds(self) -> list[str]:
        files = self._walked()
        return [kind for kind in (*KINDS, FOLDERS) if kind in files]

    def inventory(self, kind: str) -> Sequence[Item]:
        return self._walked().get(kind, [])

    def not_read(self) -> list[NotRead]:
        self._walked()
        return self._not_read

    def files(self) -> list[tuple[str, int]]:
        """(path, bytes) of every file, those included that a rule leaves out: for the preview of rules."""
        sizes = [entry for kind, files in self._walked().items() if kind != FOLDERS for entry in files.sizes()]
        return sizes + self._ruled_out

    def read(self, item: Item) -> Iterator[bytes]:
        if item.kind == FOLDERS or (item.attributes and "link" in item.attributes):
            self._is_still(item)
            return
        descriptor = self._open(path_of(item))
        try:
            left = item.size_bytes
            while left > 0:
                piece = self._piece(descriptor, min(PIECE_BYTES, left), item)
                if not piece:
                    raise ItemNotTaken("The file became shorter while it was read.", why="changed")
                left -= len(piece)
                yield piece
            after = os.fstat(descriptor)
            if f"{after.st_mtime_ns:x}-{after.st_size:x}" != item.tag:
                raise ItemNotTaken("The file changed while it was read.", why="changed")
        finally:
            os.close(descriptor)

    def close(self) -> None:
        """Whoever goes on with it looks anew: another drive may lie there by then."""
        self._found = None
        self._handles.close()

    # -- walking

    def _walked(self) -> "dict[str, Files]":
        if self._found is None:
            self.state()
            self._not_read, self._ruled_out = [], []
            by_kind = self._walk()
            for files in by_kind.values():
                files.sort()
            self._found = by_kind
        return self._found

    def _walk(self) -> "dict[str, Files]":
        files: dict[str, Files] = {}
        waiting: list[tuple[str, str | None]] = [("", None)]
        while waiting:
            folder, above = waiting.pop()
            try:
                handle = self._handles.folder(folder)
                with os.scandir(handle) as entries:
                    for entry in entries:
                        self._take(entry, handle, folder, above, files, waiting)
            except FileNotFoundError:
                if not os.path.isdir(self._root):
                    raise DeviceAway(f"The folder {self._root} is not there any more.") from None
            except OSError as error:
                if not folder:
                    raise DataAccessOff(f"The folder {self._root} cannot be read: {error.strerror}.") from None
                if error.errno in _NO_FOLDER_NOW:
                    self._not_read.append(NotRead(kind=FOLDERS, name=shown_path(folder), code="changed"))
                else:
                    self._lacks(FOLDERS, folder, error)
        return files

    def _take(
        self,
        entry: "os.DirEntry[str]",
        handle: int,
        folder: str,
        above: str | None,
        by_kind: "dict[str, Files]",
        waiting: list[tuple[str, str | None]],
    ) -> None:
        name = entry.name
        path = f"{folder}/{name}" if folder else name
        try:
            facts = entry.stat(follow_symlinks=False)
        except FileNotFoundError:
            return  # removed while the folder was walked
        except OSError as error:
            self._lacks(kind_of_name(above, name), path, error)
            return
        sort = stat.S_IFMT(facts.st_mode)
        if sort == stat.S_IFDIR:
            if (facts.st_dev, facts.st_ino) in self._leave_out:
                self._not_read.append(NotRead(kind=FOLDERS, name=shown_path(path), code="own", detail="it is the store itself"))
                return
            waiting.append((path, kind_below(above, name)))
            _files(by_kind, FOLDERS).add(path, 0, facts)
            return
        kind = ruled(shown_path(path), self._rules)
        if kind is None:
            kind = kind_of_name(above, name)
        if kind == NOTHING:
            self._ruled_out.append((path, facts.st_size))
        elif sort == stat.S_IFREG and OURS.fullmatch(name):
            self._not_read.append(NotRead(kind=kind, name=shown_path(path), code="own", detail="it was never finished"))
        elif sort == stat.S_IFREG:
            if _modified(facts.st_mtime_ns) is None:
                self._not_read.append(NotRead(kind=kind, name=shown_path(path), code="date"))
            else:
                _files(by_kind, kind).add(path, facts.st_size, facts)
        elif sort == stat.S_IFLNK:
            self._add_link(path, handle, kind, facts, by_kind)
        else:
            self._not_read.append(NotRead(kind=kind, name=shown_path(path), code="special"))

    def _add_link(self, path: str, handle: int, kind: str, facts: os.stat_result, by_kind: "dict[str, Files]") -> None:
        try:
            target = os.readlink(parted(path)[1], dir_fd=handle)
        except OSError as error:
            self._lacks(kind, path, error)
            return
        files = _files(by_kind, kind)
        files.links[item_id(path)] = target
        files.add(path, 0, facts)

    def _lacks(self, kind: str, path: str, error: OSError) -> None:
        code, detail = _why(error)
        self._not_read.append(NotRead(kind=kind, name=shown_path(path or "."), code=code, detail=detail))

    # -- reading

    def _open(self, path: str) -> int:
        """A descriptor of the file, if it still is one: what became a pipe meanwhile would never answer."""
        folder, name = self._checked(path)
        try:
            # not waiting for a pipe's other end, and not becoming anybody's terminal
            flags = os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_NOCTTY | os.O_CLOEXEC
            descriptor = os.open(name, flags, dir_fd=self._handles.folder(folder))
        except OSError as error:
            raise self._why_not(error) from None
        if not stat.S_ISREG(os.fstat(descriptor).st_mode):
            os.close(descriptor)
            raise _changed()
        return descriptor

    def _is_still(self, item: Item) -> None:
        """That a folder is one, and that a link points where it did. Raises ItemNotTaken."""
        folder, name = self._checked(path_of(item))
        try:
            above = self._handles.folder(folder)
            if item.kind == FOLDERS:
                same = stat.S_ISDIR(os.stat(name, dir_fd=above, follow_symlinks=False).st_mode)
            else:
                same = item.tag == _link_tag(os.readlink(name, dir_fd=above))
        except OSError as error:
            raise self._why_not(error) from None
        if not same:
            raise _changed()

    def _checked(self, path: str) -> tuple[str, str]:
        if not path or "\x00" in path or {"", ".", ".."} & set(path.split("/")):
            raise ItemNotTaken("Its path lies outside of the folder.", why="lied")
        return parted(path)

    def _why_not(self, error: OSError) -> DeviceAway | ItemNotTaken:
        if error.errno == errno.ENOENT:
            if not os.path.isdir(self._root):
                return DeviceAway(f"The folder {self._root} is not there any more.")
            return ItemNotTaken("It vanished before it could be read.", why="gone")
        if error.errno in _NO_FILE_NOW:
            return _changed()
        code, detail = _why(error)
        return ItemNotTaken(f"It cannot be read: {detail}.", why=code)

    def _piece(self, descriptor: int, most: int, item: Item) -> bytes:
        try:
            return os.read(descriptor, most)
        except OSError as error:
            if error.errno in (errno.EIO, errno.EBADMSG) and os.path.isdir(self._root):
                raise ItemNotTaken(f"It cannot be read: {error.strerror}.", why="fault") from None
            raise LinkCut(f"Reading {item.name} ended in the middle: {error.strerror}.") from None


def _facts(path: Path) -> os.stat_result | None:
    try:
        return path.stat()
    except FileNotFoundError:
        return None


def _changed() -> ItemNotTaken:
    return ItemNotTaken("It became something else while the folder was read.", why="changed")


def _link_tag(target: str) -> str:
    return "link " + shown_path(target)


def _files(by_kind: "dict[str, Files]", kind: str) -> "Files":
    files = by_kind.get(kind)
    if files is None:
        files = by_kind[kind] = Files(kind)
    return files


def _why(error: OSError) -> tuple[str, str]:
    """(code of the reason, what the system says)."""
    said = error.strerror or "cannot be looked at"
    if error.errno in (errno.EACCES, errno.EPERM):
        return "denied", said
    if error.errno in (errno.ENAMETOOLONG, errno.ELOOP):
        return "too_deep", said
    return "fault", said


class Files(Sequence[Item]):
    """Files of one kind in columns; items are made when somebody asks for them."""

    def __init__(self, kind: str) -> None:
        self._kind = kind
        self._ids: list[str] = []
        self._odd: dict[str, str] = {}
        """Paths that are no text, by id."""
        self._sizes, self._times, self._modes = array("q"), array("q"), array("H")
        self.links: dict[str, str] = {}
        """Where symbolic links among them point, by id."""

    def add(self, path: str, size_bytes: int, facts: os.stat_result) -> None:
        id = item_id(path)
        if id is not path:
            self._odd[id] = path
        self._ids.append(id)
        self._sizes.append(size_bytes)
        self._times.append(facts.st_mtime_ns)
        self._modes.append(stat.S_IMODE(facts.st_mode))

    def sort(self) -> None:
        order = sorted(range(len(self._ids)), key=self._ids.__getitem__)
        self._ids = [self._ids[at] for at in order]
        self._sizes = array("q", (self._sizes[at] for at in order))
        self._times = array("q", (self._times[at] for at in order))
        self._modes = array("H", (self._modes[at] for at in order))

    def __len__(self) -> int:
        return len(self._ids)

    @overload
    def __getitem__(self, at: int) -> Item: ...
    @overload
    def __getitem__(self, at: slice) -> list[Item]: ...
    def __getitem__(self, at: int | slice) -> Item | list[Item]:
        if isinstance(at, slice):
            return [self._item(number) for number in range(*at.indices(len(self._ids)))]
        return self._item(at)

    def sizes(self) -> list[tuple[str, int]]:
        """(path, bytes) of each."""
        return [(self._odd.get(id, id), size) for id, size in zip(self._ids, self._sizes, strict=True)]

    def size_bytes_of(self, first: int, last: int) -> int:
        """Of the files from number `first` up to `last`."""
        return sum(self._sizes[first:last])

    def matches(self, first: int, rows: Sequence[Row]) -> bool:
        """Whether the files from number `first` on are these rows."""
        last = first + len(rows)
        if [row[ID] for row in rows] != self._ids[first:last] or [row[SIZE] for row in rows] != self._sizes[first:last].tolist():
            return False
        times, modes = self._times[first:last].tolist(), self._modes[first:last].tolist()
        for row, ns, mode in zip(rows, times, modes, strict=True):
            if row[MODIFIED] != ns // 1000 or row[TAG] != self._tag(row[ID], ns, row[SIZE]):
                return False
            if row[ATTRIBUTES] != self._attributes(row[ID], ns, mode):
                return False
        return True

    def _tag(self, id: str, ns: int, size: int) -> str:
        if self._kind == FOLDERS:
            return "folder"
        return f"{ns:x}-{size:x}" if id not in self.links else _link_tag(self.links[id])

    def _attributes(self, id: str, ns: int, mode: int) -> dict[str, int | str]:
        attributes: dict[str, int | str] = {"mode": mode}
        if rest := ns % 1000:
            attributes["ns"] = rest
        if id in self._odd:
            attributes |= name_attribute(self._odd[id])
        if id in self.links:
            attributes |= link_attribute(self.links[id])
        return attributes

    def _item(self, at: int) -> Item:
        id, ns, size = self._ids[at], self._times[at], self._sizes[at]
        return Item(
            kind=self._kind, id=id, name=shown_path(self._odd.get(id, id)), size_bytes=size, modified=_modified(ns) or _EPOCH,
            tag=self._tag(id, ns, size), attributes=self._attributes(id, ns, self._modes[at]),
        )  # fmt: skip


def _modified(ns: int) -> datetime | None:
    """Whole microseconds; what is left over is an attribute. None for what no calendar has."""
    try:
        return _EPOCH + timedelta(microseconds=ns // 1000)
    except OverflowError:
        return None
