"""Old backups as they lie around: a folder, a ZIP or tar archive, or one file; each entry with its size and time.

Nothing is unpacked next to where it lies. Names that lead outside, links, devices, encrypted entries and entries
that explode are left out and named. Sizes are what the archive claims; whoever reads stops there.
"""

import contextlib
import os
import stat
import tarfile
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, tzinfo
from lzma import LZMAError
from pathlib import Path, PurePosixPath
from typing import IO, TypeVar

from core.content.errors import DeviceAway, DeviceLied
from core.content.items import MAX_ITEM_BYTES, MAX_ITEMS, clean_name

PIECE_BYTES = 256 * 1024
MAX_UNPACKED_BYTES = 256 << 30
EXPLODES_AT_RATIO = 300
EXPLODES_FROM_BYTES = 64 << 20
"""An entry that unpacks to more than this and to more than so many times its packed size is left out."""
Held = TypeVar("Held")
BROKEN = (zipfile.BadZipFile, tarfile.TarError, zlib.error, LZMAError, EOFError, OSError, RuntimeError, NotImplementedError, ValueError)


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    path: str
    """Relative, parts joined by `/`, none of them empty, `.` or `..`."""
    size_bytes: int
    modified: datetime
    open: Callable[[], IO[bytes]]


@dataclass(frozen=True, slots=True, kw_only=True)
class LeftAside:
    """Something that was not taken."""

    name: str
    why: str


class Source:
    """Entries, and what was left aside. `close` lets go of open files."""

    def __init__(self) -> None:
        self.entries: list[Entry] = []
        self.left_aside: list[LeftAside] = []
        self._held = contextlib.ExitStack()
        self._taken: set[str] = set()

    def close(self) -> None:
        self._held.close()

    def add(
        self, name: str, size_bytes: int, modified: datetime, opening: Callable[[], IO[bytes]], *, packed_bytes: int | None = None
    ) -> None:
        path = _inside(name)
        if path is None:
            self.leave(name, "its name leads outside of the archive")
            return
        if not 0 <= size_bytes <= MAX_ITEM_BYTES:
            self.leave(name, "it claims an impossible size")
            return
        if packed_bytes is not None and size_bytes > EXPLODES_FROM_BYTES and size_bytes > EXPLODES_AT_RATIO * max(1, packed_bytes):
            self.leave(name, "it would unpack to several hundred times its size")
            return
        if len(self.entries) >= MAX_ITEMS:
            raise DeviceLied(f"There are more than {MAX_ITEMS} files in it.", remedy="Bring it in in several parts.")
        first, number = path, 1
        while path in self._taken:
            number += 1
            path = f"{first} ({number})"
        self._taken.add(path)
        self.entries.append(Entry(path=path, size_bytes=size_bytes, modified=modified, open=opening))

    def leave(self, name: str, why: str) -> None:
        self.left_aside.append(LeftAside(name=clean_name(name)[:300], why=why))

    def taken_after_all(self, name: str) -> None:
        """It was left aside, and came in another way."""
        self.left_aside = [one for one in self.left_aside if one.name != clean_name(name)[:300]]

    def hold(self, opened: contextlib.AbstractContextManager[Held]) -> Held:
        """Closed with the source."""
        return self._held.enter_context(opened)


def source_at(path: Path, *, zone: tzinfo) -> Source:
    """What lies at this path. `zone` is for times that have none. Raises DeviceAway, DeviceLied."""
    source = Source()
    try:
        if path.is_dir():
            _folder(source, path)
        elif not path.is_file():
            raise DeviceAway(f"There is nothing at {path}.", remedy="Correct the path, or mount the drive.")
        elif zipfile.is_zipfile(path):
            _zip(source, path, zone)
        elif tarfile.is_tarfile(path):
            _tar(source, path)
        else:
            _refuse_broken(path)
            facts = path.stat()
            source.add(path.name, facts.st_size, datetime.fromtimestamp(facts.st_mtime, UTC), lambda: path.open("rb"))
    except PermissionError:
        raise DeviceAway(f"The server may not read {path}.", remedy="Let the account that runs Old Attic read it.") from None
    except BROKEN as error:
        raise DeviceLied(
            "The archive is damaged and cannot be listed.", remedy="Repair it, or unpack it and bring in the folder."
        ) from error
    return source


_PACKED = ((b"PK\x03\x04", "ZIP archive"), (b"\x1f\x8b", "gzip archive"), (b"BZh", "bzip2 archive"), (b"\xfd7zXZ\x00", "xz archive"))
_TAR_AT, _TAR = 257, b"ustar"
_ENDINGS = (".zip", ".tar", ".tgz", ".tbz2", ".txz", ".tar.gz", ".tar.bz2", ".tar.xz")


def _refuse_broken(path: Path) -> None:
    """A file that begins, or is called, as an archive does and cannot be listed as one: cut off or broken. Raises DeviceLied."""
    with path.open("rb") as file:
        head = file.read(_TAR_AT + len(_TAR))
    begins = next((name for magic, name in _PACKED if head.startswith(magic)), "tar archive" if head[_TAR_AT:] == _TAR else "")
    if begins or path.name.casefold().endswith(_ENDINGS):
        raise DeviceLied(
            f"This {begins or 'archive'} is cut off or broken: its list of files is not there.",
            remedy="Copy it again from where it lies whole, or repair it and bring in what it holds as a folder.",
        )


def pieces(entry: Entry) -> Iterator[bytes]:
    """The content of an entry, one byte more than claimed at most. Raises DeviceLied for one that is broken."""
    left = entry.size_bytes
    try:
        with entry.open() as file:
            while left >= 0 and (piece := file.read(min(PIECE_BYTES, left + 1))):
                left -= len(piece)
                yield piece
    except BROKEN:
        raise DeviceLied("It is damaged inside the archive.") from None


def _folder(source: Source, root: Path) -> None:
    def unreadable(error: OSError) -> None:
        relative = Path(error.filename).relative_to(root).as_posix()
        source.leave(relative.encode("utf-8", "replace").decode(), f"the folder cannot be read: {error.strerror}")

    for folder, folders, files in os.walk(root, followlinks=False, onerror=unreadable):
        folders.sort()
        for name in [*files, *(one for one in folders if (Path(folder) / one).is_symlink())]:
            path = Path(folder) / name
            relative = path.relative_to(root).as_posix()
            try:
                facts = path.lstat()
                relative.encode()
            except (OSError, UnicodeEncodeError):
                source.leave(relative.encode("utf-8", "replace").decode(), "it cannot be read, or its name is not UTF-8")
                continue
            if stat.S_ISREG(facts.st_mode):
                source.add(relative, facts.st_size, datetime.fromtimestamp(facts.st_mtime, UTC), _opening(path))
            else:
                source.leave(relative, "it is a link or no ordinary file")


def _opening(path: Path) -> Callable[[], IO[bytes]]:
    return lambda: os.fdopen(os.open(path, os.O_RDONLY | os.O_NOFOLLOW), "rb")


def _zip(source: Source, path: Path, zone: tzinfo) -> None:
    archive = source.hold(zipfile.ZipFile(path))
    for info in archive.infolist():
        if info.is_dir():
            continue
        if info.flag_bits & 1:
            source.leave(info.filename, "it is encrypted")
        elif stat.S_ISLNK(info.external_attr >> 16):
            source.leave(info.filename, "it is a link or no ordinary file")
        else:
            source.add(info.filename, info.file_size, _zip_time(info, zone), _zip_opening(archive, info), packed_bytes=info.compress_size)


def _zip_opening(archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> Callable[[], IO[bytes]]:
    return lambda: archive.open(info)


def _zip_time(info: zipfile.ZipInfo, zone: tzinfo) -> datetime:
    """A ZIP knows wall-clock time only."""
    try:
        return datetime(*info.date_time, tzinfo=zone).astimezone(UTC)
    except (ValueError, OverflowError):
        return datetime(1980, 1, 1, tzinfo=UTC)


def _tar(source: Source, path: Path) -> None:
    """Packed tars are unpacked into one nameless file first, since they cannot be read out of order."""
    plain = source.hold(path.open("rb")) if _is_plain(path) else source.hold(_unpacked(path))
    archive = source.hold(tarfile.open(fileobj=plain, mode="r:"))  # noqa: SIM115
    for member in archive:
        if member.isdir():
            continue
        if not member.isreg():
            source.leave(member.name, "it is a link or no ordinary file")
            continue
        modified = datetime.fromtimestamp(min(max(0, int(member.mtime)), 1 << 35), UTC)
        source.add(member.name, member.size, modified, _tar_opening(archive, member))


def _is_plain(path: Path) -> bool:
    try:
        with tarfile.open(path, mode="r:"):
            return True
    except tarfile.TarError:
        return False


def _unpacked(path: Path) -> IO[bytes]:
    """Raises DeviceLied when it explodes."""
    import bz2
    import gzip
    import lzma

    openers: list[Callable[[Path], IO[bytes]]] = [gzip.open, bz2.open, lzma.open]  # type: ignore[list-item]
    packed = path.stat().st_size
    for opener in openers:
        out = tempfile.TemporaryFile()  # noqa: SIM115 - held by the source
        total = 0
        try:
            with opener(path) as file:
                while piece := file.read(PIECE_BYTES):
                    total += len(piece)
                    if total > MAX_UNPACKED_BYTES or (total > EXPLODES_FROM_BYTES and total > EXPLODES_AT_RATIO * packed):
                        raise DeviceLied("The archive would unpack to several hundred times its size.", remedy="It is not brought in.")
                    out.write(piece)
        except DeviceLied:
            out.close()
            raise
        except BROKEN:
            out.close()
            if total:
                raise
            continue
        out.seek(0)
        return out
    raise tarfile.TarError("not packed in a known way")


def _tar_opening(archive: tarfile.TarFile, member: tarfile.TarInfo) -> Callable[[], IO[bytes]]:
    def opening() -> IO[bytes]:
        stream = archive.extractfile(member)
        if stream is None:
            raise EOFError
        return stream

    return opening


def _inside(name: str) -> str | None:
    """The path of an entry below the archive; None for one that leads outside or names nothing."""
    path = name.replace("\\", "/")
    parts = [part for part in path.split("/") if part not in ("", ".")]
    if path.startswith("/") or ".." in parts or not parts or "\x00" in name or (len(parts[0]) == 2 and parts[0][1] == ":"):
        return None
    joined = PurePosixPath(*parts).as_posix()
    try:
        joined.encode()
    except UnicodeEncodeError:
        return None
    return joined if len(joined) <= 500 else None
