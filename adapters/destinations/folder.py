"""A folder to restore into. Hostile paths stay inside it; a file is there whole or not at all.

Paths from a backup are checked part by part before anything is touched, and nothing is written through a symbolic
link. Files are written beside their place and moved there; stretches of nothing stay holes. Names need not be UTF-8.
Modes never bring back set-user-id bits.
"""

import contextlib
import errno
import os
import re
import secrets
from collections.abc import Iterable
from pathlib import Path

from core.content.items import Item
from core.content.paths import link_of
from core.recovery.extract import Occupied, Unwritable
from core.vault.errors import StoreError, StoreFull, StoreReadOnly, StoreUnreachable

_HOLE_BYTES = 64 * 1024
_ZEROS = bytes(16 << 20)
_MOST_NAME_BYTES = 255
_OURS = re.compile(r"\.attic-[0-9a-f]{16}")
UNFINISHED = ".attic-"
"""How a file is called while it is written; 16 hexadecimal digits follow. The walker of folders knows them."""


class FolderDestination:
    """An empty or missing folder; made with what is written into it."""

    def __init__(self, root: Path) -> None:
        self._root = os.fspath(root)
        self._made: set[str] = set()

    def prepare(self) -> None:
        """Raises FileExistsError when there is anything in it, StoreError when it cannot be made."""
        with _wrapped(self._root):
            os.makedirs(self._root, exist_ok=True)
            with os.scandir(self._root) as entries:
                empty = next(entries, None) is None
            if not empty:
                raise FileExistsError(f"The folder {self._root} is not empty.")

    def file(self, path: str, item: Item, pieces: Iterable[bytes], *, over: bool = False) -> None:
        target = self._target(path)
        unfinished = self._beside(target)
        with _wrapped(self._root):
            descriptor = os.open(unfinished, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC, 0o600)
            try:
                try:
                    self._write(descriptor, pieces, item)
                    attributes = item.attributes or {}
                    os.fchmod(descriptor, int(attributes.get("mode", 0o600)) & 0o777)
                    os.utime(descriptor, ns=_times(item))
                finally:
                    os.close(descriptor)
                self._move(unfinished, target, over=over)
            except BaseException:
                with contextlib.suppress(OSError):
                    os.unlink(unfinished)
                raise

    def link(self, path: str, item: Item, *, over: bool = False) -> None:
        target, points_to = self._target(path), link_of(item) or ""
        if not points_to or "\x00" in points_to or len(os.fsencode(points_to)) > 4095:
            raise Unwritable("The symbolic link points to nothing that can exist.")
        unfinished = self._beside(target)
        with _wrapped(self._root):
            os.symlink(points_to, unfinished)
            try:
                os.utime(unfinished, ns=_times(item), follow_symlinks=False)
                self._move(unfinished, target, over=over)
            except BaseException:
                with contextlib.suppress(OSError):
                    os.unlink(unfinished)
                raise

    @staticmethod
    def _beside(target: str) -> str:
        return f"{os.path.dirname(target)}/{UNFINISHED}{secrets.token_hex(8)}"

    @staticmethod
    def _move(unfinished: str, target: str, *, over: bool) -> None:
        """Raises Occupied. Over a folder nothing is ever written."""
        if os.path.lexists(target) and (not over or (os.path.isdir(target) and not os.path.islink(target))):
            raise Occupied("Something of this name is there already.")
        os.rename(unfinished, target)

    def folder(self, path: str, item: Item) -> None:
        target = self._target(path)
        with _wrapped(self._root):
            try:
                os.mkdir(target)
            except FileExistsError:
                if os.path.islink(target) or not os.path.isdir(target):
                    raise Unwritable("Something else of this name is there already.") from None
            descriptor = os.open(target, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC)
            try:
                os.utime(descriptor, ns=_times(item))
                os.fchmod(descriptor, int((item.attributes or {}).get("mode", 0o700)) & 0o777)
            finally:
                os.close(descriptor)

    def _target(self, path: str) -> str:
        """Where the path lies below the root, its folders made. Raises Unwritable."""
        parts = path.split("/")
        for part in parts:
            if part in ("", ".", "..") or "\x00" in part or _OURS.fullmatch(part):
                raise Unwritable("Its path would lead out of the folder, or nowhere.")
            try:
                if len(os.fsencode(part)) > _MOST_NAME_BYTES:
                    raise Unwritable(f"A part of its path is longer than {_MOST_NAME_BYTES} bytes.")
            except UnicodeEncodeError:
                raise Unwritable("Its path is not valid text.") from None
        if len(os.fsencode(path)) > 4000:
            raise Unwritable("Its path is too long.")
        folder = "/".join(parts[:-1])
        if folder and folder not in self._made:
            self._make(parts[:-1])
        return f"{self._root}/{path}"

    def _make(self, parts: list[str]) -> None:
        for count in range(1, len(parts) + 1):
            folder = "/".join(parts[:count])
            if folder in self._made:
                continue
            with _wrapped(self._root):
                try:
                    os.mkdir(f"{self._root}/{folder}")
                except FileExistsError:
                    if os.path.islink(f"{self._root}/{folder}") or not os.path.isdir(f"{self._root}/{folder}"):
                        raise Unwritable("A file lies where its folder would have to be.") from None
            self._made.add(folder)

    def _write(self, descriptor: int, pieces: Iterable[bytes], item: Item) -> None:
        hole = False
        for piece in pieces:
            hole = len(piece) >= _HOLE_BYTES and piece == _ZEROS[: len(piece)] if piece[:1] == b"\0" else False
            if hole:
                os.lseek(descriptor, len(piece), os.SEEK_CUR)
                continue
            rest: bytes | memoryview = piece
            while True:
                written = os.write(descriptor, rest)
                if written == len(rest):
                    break
                rest = memoryview(rest)[written:]
        if hole:
            os.ftruncate(descriptor, item.size_bytes)


def _times(item: Item) -> tuple[int, int]:
    seconds = int(item.modified.timestamp() // 1)
    ns = seconds * 1_000_000_000 + item.modified.microsecond * 1000 + int((item.attributes or {}).get("ns", 0))
    return ns, ns


@contextlib.contextmanager
def _wrapped(root: str):  # type: ignore[no-untyped-def]  # noqa: ANN202
    try:
        yield
    except FileExistsError:
        raise
    except OSError as error:
        if error.errno in (errno.ENAMETOOLONG, errno.EINVAL, errno.EILSEQ, errno.ENOTDIR, errno.ELOOP):
            raise Unwritable(f"This folder cannot hold it: {error.strerror}.") from None
        raise _named(error, root) from error


def _named(error: OSError, root: str) -> StoreError:
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return StoreFull(f"There is no room left in {root}.", remedy="Make room there, or choose another folder, then restore again.")
    if error.errno in (errno.EROFS, errno.EACCES, errno.EPERM):
        return StoreReadOnly(f"The folder {root} may not be written.", remedy="Choose another folder, or run as somebody who may.")
    return StoreUnreachable(f"The folder {root} answers with an error: {error.strerror}.")
