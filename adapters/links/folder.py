"""The folder link: a device mounted as a drive, or a folder that it synchronises into.

Files are items; their kind follows from rules, path and ending. What cannot be listed is named. Symbolic links are not
followed, so nothing outside the folder is ever read or written. A folder has no lock, battery or network to tell of.
"""

import contextlib
import errno
import os
import secrets
import stat
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime
from pathlib import Path, PurePosixPath

from adapters.guard import port
from core.content.classify import NOTHING, FileRule, kind_of_file
from core.content.errors import DataAccessOff, DeviceAway, DeviceFull, DeviceLied, LinkCut, LinkFault
from core.content.items import Item, checked_inventory, clean_name
from core.content.kinds import KINDS
from core.content.link import DeviceState, NotRead
from core.exchange.filenames import safe_path

PIECE_BYTES = 1 << 20


@port(LinkFault, "The folder")
class FolderLink:
    """A folder on the server, as a device."""

    def __init__(self, root: Path, rules: Sequence[FileRule] = ()) -> None:
        self._root, self._rules = root, rules
        self._paths: dict[str, list[tuple[str, os.stat_result]]] | None = None
        self._not_read: list[NotRead] = []

    def state(self) -> DeviceState:
        if not self._root.is_dir():
            raise DeviceAway(f"The folder {self._root} is not there.", remedy="Mount it, or correct its path on the page of the device.")
        room = os.statvfs(self._root)
        return DeviceState(
            make="",
            model="Folder",
            family="folder",
            os_version="",
            data_access=os.access(self._root, os.R_OK | os.X_OK),
            storage_total_bytes=room.f_blocks * room.f_frsize,
            storage_used_bytes=(room.f_blocks - room.f_bavail) * room.f_frsize,
        )

    def kinds(self) -> list[str]:
        held = self._listing()
        return [kind for kind in KINDS if kind in held and kind != NOTHING]

    def inventory(self, kind: str) -> list[Item]:
        return checked_inventory([_item(kind, path, facts) for path, facts in self._listing().get(kind, [])], kind=kind)

    def read(self, item: Item) -> Iterator[bytes]:
        left = item.size_bytes
        with self._open(item.id) as descriptor:
            while True:
                try:
                    piece = os.read(descriptor, min(PIECE_BYTES, left + 1))
                except OSError as error:
                    raise LinkCut(f"Reading {item.name} ended in the middle: {error.strerror}.") from None
                if not piece:
                    return
                left -= len(piece)
                yield piece
                if left < 0:
                    return

    def create(self, kind: str, name: str, pieces: Iterable[bytes], *, size_bytes: int) -> str:
        path = PurePosixPath(safe_path(name))
        candidate, number = path, 1
        while (self._root / candidate).exists():
            number += 1
            candidate = path.with_name(f"{path.stem} ({number}){path.suffix}")
        self._write(candidate.as_posix(), pieces)
        return candidate.as_posix()

    def replace(self, kind: str, id: str, name: str, pieces: Iterable[bytes], *, size_bytes: int) -> None:
        self._write(id if self._is_inside(id) else safe_path(id), pieces)

    def files(self) -> list[tuple[str, int]]:
        """(path, bytes) of every file, those included that a rule leaves out: for the preview of rules."""
        return [(path, facts.st_size) for held in self._listing().values() for path, facts in held]

    def close(self) -> None:
        self._paths = None

    def not_read(self) -> list[NotRead]:
        self._listing()
        return self._not_read

    def _listing(self) -> dict[str, list[tuple[str, os.stat_result]]]:
        if self._paths is None:
            self.state()
            found: dict[str, list[tuple[str, os.stat_result]]] = {}
            self._not_read = []
            for folder, folders, files in os.walk(self._root, followlinks=False, onerror=self._folder_not_read):
                folders.sort()
                for file in files:
                    path = Path(folder) / file
                    relative = path.relative_to(self._root).as_posix()
                    kind = kind_of_file(PurePosixPath(relative), self._rules)
                    try:
                        facts = path.lstat()
                        if not stat.S_ISREG(facts.st_mode) or file.startswith(".attic-"):
                            continue
                        relative.encode()
                        _moment(facts)
                    except FileNotFoundError:
                        continue  # removed while the folder was walked
                    except (OSError, ValueError, OverflowError) as error:
                        if kind != NOTHING:
                            self._lacks(kind, relative, _why(error))
                    else:
                        found.setdefault(kind, []).append((relative, facts))
            self._paths = found
        return self._paths

    def _folder_not_read(self, error: OSError) -> None:
        if Path(error.filename) == self._root:
            raise DataAccessOff(f"The server may not read {self._root}.") from None
        if not isinstance(error, FileNotFoundError):
            relative = Path(error.filename).relative_to(self._root).as_posix()
            self._lacks("", relative, f"the folder cannot be read: {error.strerror}")

    def _lacks(self, kind: str, relative: str, reason: str) -> None:
        self._not_read.append(NotRead(kind=kind, name=clean_name(relative.encode("utf-8", "replace").decode()), reason=reason))

    def _is_inside(self, relative: str) -> bool:
        parts = PurePosixPath(relative).parts
        return bool(parts) and ".." not in parts and not relative.startswith("/") and "\x00" not in relative

    @contextlib.contextmanager
    def _open(self, relative: str) -> Iterator[int]:
        if not self._is_inside(relative):
            raise DeviceLied(f"{clean_name(relative)!r} lies outside the folder.")
        try:
            descriptor = os.open(self._root / relative, os.O_RDONLY | os.O_NOFOLLOW)
        except PermissionError:
            raise DeviceLied("The server may not read this file.") from None
        except OSError:
            if not self._root.is_dir():
                raise DeviceAway(f"The folder {self._root} is not there.") from None
            raise DeviceLied("The file is gone.") from None
        try:
            yield descriptor
        finally:
            os.close(descriptor)

    def _write(self, relative: str, pieces: Iterable[bytes]) -> None:
        target = self._root / relative
        if not target.parent.resolve().is_relative_to(self._root.resolve()):
            raise DeviceLied(f"{clean_name(relative)!r} lies outside the folder.")
        unfinished = target.parent / f".attic-{secrets.token_hex(8)}"
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            with unfinished.open("xb") as file:
                for piece in pieces:
                    file.write(piece)
            unfinished.replace(target)
        except OSError as error:
            if error.errno in (errno.ENOSPC, errno.EDQUOT):
                raise DeviceFull("There is no room in the folder.") from None
            if error.errno in (errno.EACCES, errno.EPERM, errno.EROFS):
                raise DataAccessOff(f"The server may not write into {self._root}.") from None
            raise LinkCut(f"Writing {clean_name(relative)} failed: {error.strerror}.") from None
        finally:
            with contextlib.suppress(OSError):
                unfinished.unlink()
            self._paths = None


def _item(kind: str, path: str, facts: os.stat_result) -> Item:
    modified = _moment(facts)
    tag = f"{facts.st_mtime_ns:x}-{facts.st_size:x}"
    return Item(kind=kind, id=path, name=clean_name(path), size_bytes=facts.st_size, modified=modified, tag=tag)


def _moment(facts: os.stat_result) -> datetime:
    """Raises ValueError, OverflowError for what no calendar has."""
    return datetime.fromtimestamp(facts.st_mtime, UTC)


def _why(error: Exception) -> str:
    if isinstance(error, OSError):
        return error.strerror or "cannot be looked at"
    return "its name is not valid UTF-8" if isinstance(error, UnicodeEncodeError) else "its date lies outside of every calendar"
