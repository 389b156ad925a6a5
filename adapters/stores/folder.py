"""A blob store in a folder: whole objects or none, fsynced, safe on a full or read-only disk.

An object is written beside its place under a name that no reader looks at, flushed, and linked into
place, which fails when the name is taken. What a crash leaves is such an unlinked file;
the ones a day old go when the store is listed.
"""

import contextlib
import errno
import os
import secrets
import shutil
import time
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

from adapters.guard import port
from core.vault.blobs import Content, Keeps
from core.vault.errors import (
    BlobExists,
    BlobMissing,
    StoreError,
    StoreFault,
    StoreFull,
    StoreMissing,
    StoreReadOnly,
    StoreUnreachable,
)

_UNFINISHED = ".unfinished-"
_STALE_SECONDS = 24 * 3600
_PARTS_AT_ONCE = 1000


def _write(descriptor: int, parts: list[bytes]) -> None:
    """All parts, many in one call."""
    first = 0
    while first < len(parts):
        several = parts[first : first + _PARTS_AT_ONCE]
        left = os.writev(descriptor, several)
        while first < len(parts) and left >= len(parts[first]):
            left -= len(parts[first])
            first += 1
        if left:
            rest = memoryview(parts[first])[left:]
            while rest:
                rest = rest[os.write(descriptor, rest) :]
            first += 1


@port(StoreFault, "The folder of the store")
class FolderBlobs:
    """Objects below one existing folder."""

    parallel = 1

    def __init__(self, root: Path) -> None:
        self._root = root
        if not root.is_dir():
            raise StoreMissing(f"The folder {root} is not there.")

    def create(self, name: str, content: Content) -> None:
        target = self._root / name
        unfinished = target.parent / f"{_UNFINISHED}{secrets.token_hex(8)}"
        with self._wrapped():
            if not self._root.is_dir():
                raise StoreMissing(f"The folder {self._root} is not there.")
            if not target.parent.is_dir():
                target.parent.mkdir(parents=True, exist_ok=True)
                self._sync(target.parent.parent)
            try:
                descriptor = os.open(unfinished, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
                try:
                    _write(descriptor, [content] if isinstance(content, bytes) else list(content))
                    os.fsync(descriptor)
                finally:
                    os.close(descriptor)
                try:
                    os.link(unfinished, target)
                except FileExistsError:
                    raise BlobExists(f"Object {name} exists.") from None
                self._sync(target.parent)
            finally:
                with contextlib.suppress(OSError):
                    unfinished.unlink()

    def read(self, name: str, *, offset: int = 0, length: int | None = None) -> bytes:
        with self._wrapped():
            try:
                with (self._root / name).open("rb") as file:
                    file.seek(offset)
                    return file.read() if length is None else file.read(length)
            except FileNotFoundError:
                if not self._root.is_dir():
                    raise StoreMissing(f"The folder {self._root} is not there.") from None
                raise BlobMissing(f"Object {name} is missing.") from None

    def delete(self, name: str) -> None:
        with self._wrapped(), contextlib.suppress(FileNotFoundError):
            (self._root / name).unlink()

    def list(self, prefix: str) -> Iterator[tuple[str, int]]:
        with self._wrapped():
            if not self._root.is_dir():
                raise StoreMissing(f"The folder {self._root} is not there.")
            listed = list(self._walk(prefix))
        yield from listed

    def dated(self, name: str) -> datetime | None:
        return None  # a file's time is this computer's clock again

    def clock(self) -> datetime | None:
        return None

    def keeps(self) -> Keeps:
        return Keeps.NOTHING

    def free_bytes(self) -> int | None:
        with self._wrapped():
            return shutil.disk_usage(self._root).free

    def _walk(self, prefix: str) -> Iterator[tuple[str, int]]:
        below = prefix.rpartition("/")[0]
        waiting = [below]
        while waiting:
            folder = waiting.pop()
            try:
                entries = list(os.scandir(self._root / folder))
            except FileNotFoundError:
                continue
            for entry in entries:
                name = f"{folder}/{entry.name}" if folder else entry.name
                if entry.is_dir(follow_symlinks=False):
                    waiting.append(name)
                elif entry.name.startswith(_UNFINISHED):
                    self._clear_stale(Path(entry.path))
                elif name.startswith(prefix):
                    with contextlib.suppress(FileNotFoundError):
                        yield name, entry.stat().st_size

    def _clear_stale(self, path: Path) -> None:
        with contextlib.suppress(OSError):
            if time.time() - path.stat().st_mtime > _STALE_SECONDS:
                path.unlink()

    def _sync(self, folder: Path) -> None:
        descriptor = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(descriptor)
        finally:
            os.close(descriptor)

    @contextlib.contextmanager
    def _wrapped(self) -> Iterator[None]:
        try:
            yield
        except OSError as error:
            raise self._named(error) from error

    def _named(self, error: OSError) -> StoreError:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            return StoreFull(f"The medium of {self._root} is full.")
        if error.errno in (errno.EROFS, errno.EACCES, errno.EPERM):
            return StoreReadOnly(f"The folder {self._root} may not be written or read by the server.")
        return StoreUnreachable(f"The folder {self._root} answers with an error: {error.strerror}.")
