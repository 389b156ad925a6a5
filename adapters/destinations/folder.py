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
import stat
from collections.abc import Iterable
from pathlib import Path

from adapters.handles import Handles, parted
from core.content.items import Item
from core.content.paths import link_of
from core.recovery.extract import Occupied, Unwritable
from core.vault.errors import StoreError, StoreFull, StoreReadOnly, StoreUnreachable

_HOLE_BYTES = 64 * 1024
_ZEROS = bytes(16 << 20)
_MOST_NAME_BYTES = 255
_MOST_PATH = 100_000
"""Letters. What is longer than the system takes in one piece is written all the same; this only bounds what a hostile backup asks for."""
_OURS = re.compile(r"\.attic-[0-9a-f]{16}")
UNFINISHED = ".attic-"
"""How a file is called while it is written; 16 hexadecimal digits follow. The walker of folders knows them."""


class FolderDestination:
    """An empty or missing folder; made with what is written into it."""

    def __init__(self, root: Path) -> None:
        self._root = os.fspath(root)
        self._handles = Handles(self._root)

    def prepare(self) -> None:
        """Raises FileExistsError when there is anything in it, StoreError when it cannot be made."""
        with _wrapped(self._root):
            os.makedirs(self._root, exist_ok=True)
            with os.scandir(self._root) as entries:
                empty = next(entries, None) is None
            if not empty:
                raise FileExistsError(f"The folder {self._root} is not empty.")

    def file(self, path: str, item: Item, pieces: Iterable[bytes], *, over: bool = False) -> None:
        folder, name, unfinished = self._place(path)
        with _wrapped(self._root):
            flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
            descriptor = os.open(unfinished, flags, 0o600, dir_fd=folder)
            try:
                try:
                    self._write(descriptor, pieces, item)
                    attributes = item.attributes or {}
                    os.fchmod(descriptor, int(attributes.get("mode", 0o600)) & 0o777)
                    os.utime(descriptor, ns=_times(item))
                finally:
                    os.close(descriptor)
                self._move(folder, unfinished, name, over=over)
            except BaseException:
                with contextlib.suppress(OSError):
                    os.unlink(unfinished, dir_fd=folder)
                raise

    def link(self, path: str, item: Item, *, over: bool = False) -> None:
        folder, name, unfinished = self._place(path)
        points_to = link_of(item) or ""
        if not points_to or "\x00" in points_to or len(os.fsencode(points_to)) > 4095:
            raise Unwritable("The symbolic link points to nothing that can exist.")
        with _wrapped(self._root):
            os.symlink(points_to, unfinished, dir_fd=folder)
            try:
                os.utime(unfinished, ns=_times(item), dir_fd=folder, follow_symlinks=False)
                self._move(folder, unfinished, name, over=over)
            except BaseException:
                with contextlib.suppress(OSError):
                    os.unlink(unfinished, dir_fd=folder)
                raise

    @staticmethod
    def _move(folder: int, unfinished: str, name: str, *, over: bool) -> None:
        """Raises Occupied. Over a folder nothing is ever written."""
        try:
            there = os.stat(name, dir_fd=folder, follow_symlinks=False)
        except FileNotFoundError:
            there = None
        if there is not None and (not over or stat.S_ISDIR(there.st_mode)):
            raise Occupied("Something of this name is there already.")
        os.rename(unfinished, name, src_dir_fd=folder, dst_dir_fd=folder)

    def folder(self, path: str, item: Item) -> None:
        above, name, _ = self._place(path)
        with _wrapped(self._root):
            try:
                os.mkdir(name, dir_fd=above)
            except FileExistsError:
                if not stat.S_ISDIR(os.stat(name, dir_fd=above, follow_symlinks=False).st_mode):
                    raise Unwritable("Something else of this name is there already.") from None
            descriptor = os.open(name, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC, dir_fd=above)
            try:
                os.utime(descriptor, ns=_times(item))
                os.fchmod(descriptor, int((item.attributes or {}).get("mode", 0o700)) & 0o777)
            finally:
                os.close(descriptor)

    def close(self) -> None:
        """Let go of every folder: nothing holds a drive any more."""
        self._handles.close()

    def _place(self, path: str) -> tuple[int, str, str]:
        """(its folder, made where it was missing; its name there; its name until it is whole). Raises Unwritable."""
        for part in path.split("/"):
            if part in ("", ".", "..") or "\x00" in part or _OURS.fullmatch(part):
                raise Unwritable("Its path would lead out of the folder, or nowhere.")
            try:
                if len(os.fsencode(part)) > _MOST_NAME_BYTES:
                    raise Unwritable(f"A part of its path is longer than {_MOST_NAME_BYTES} bytes.")
            except UnicodeEncodeError:
                raise Unwritable("Its path is not valid text.") from None
        if len(path) > _MOST_PATH:
            raise Unwritable("Its path is too long.")
        folder, name = parted(path)
        with _wrapped(self._root):
            try:
                above = self._handles.folder(folder, make=True)
            except OSError as error:
                if error.errno in (errno.ENOTDIR, errno.ELOOP):
                    raise Unwritable("A file lies where its folder would have to be.") from None
                raise
        return above, name, f"{UNFINISHED}{secrets.token_hex(8)}"

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
