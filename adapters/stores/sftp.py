"""A blob store in a folder of another computer, over SFTP (version 3, with what OpenSSH adds to it).

An object is written beside its place under a name that no reader looks at, flushed (`fsync@openssh.com`), and given its
name by a second link (`hardlink@openssh.com`), which fails when the name is taken; then the folder is flushed. A server
that lacks either of the two is refused for writing: nothing else in the protocol is exclusive, whole and durable at once.
What a crash leaves is an unfinished file; the ones a day old go when the store is listed.
"""

import contextlib
import errno
import secrets
import stat
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from typing import Any

import paramiko
from paramiko.sftp import CMD_CLOSE, CMD_EXTENDED, CMD_HANDLE, CMD_MKDIR, CMD_OPEN, CMD_REMOVE
from paramiko.sftp import SFTP_FLAG_CREATE as CREATE
from paramiko.sftp import SFTP_FLAG_EXCL as EXCLUSIVE
from paramiko.sftp import SFTP_FLAG_READ as READ
from paramiko.sftp import SFTP_FLAG_WRITE as WRITE

from adapters.guard import port
from adapters.links.sftp_session import Session, Sftp
from adapters.stores.sftp_pool import SftpPool, fetched, send
from core.vault.blobs import Content, Keeps, joined
from core.vault.errors import BlobExists, BlobMissing, StoreError, StoreFault, StoreFull, StoreMissing, StoreReadOnly, StoreUnreachable

NEEDED = (b"hardlink@openssh.com", b"fsync@openssh.com")
_UNFINISHED = ".unfinished-"
_STALE_SECONDS = 24 * 3600
_LEAST_FULL_BYTES = 1 << 20
"""A server tells a full disk by a bare failure; with less than this left beside what was to be written it is one."""
Facts: Any = paramiko.SFTPAttributes
_Entries = tuple[list[tuple[str, int]], list[str]]


@port(StoreFault, "The server of the store")
class SftpBlobs:
    """Objects below one existing folder of another computer."""

    parallel = 4

    def __init__(self, where: Sftp, *, timeout_seconds: float = 20) -> None:
        """Raises StoreMissing, StoreUnreachable, StoreReadOnly."""
        self._where = where
        self._pool = SftpPool(where, most=self.parallel, timeout_seconds=timeout_seconds)
        with self._pool.session() as session:
            self._root = session.root
            if not self._is_folder(session, self._root):
                raise self._no_root()

    # -- the port

    def create(self, name: str, content: Content) -> None:
        whole, target = joined(content), self._path(name)
        folder = target.rpartition(b"/")[0]
        unfinished = folder + b"/" + f"{_UNFINISHED}{secrets.token_hex(8)}".encode()
        with self._pool.session() as session:
            if lacking := [one.decode() for one in NEEDED if one not in session.extensions]:
                raise StoreReadOnly(
                    f"The server at {self._where.host} cannot keep a store: it does not know {' and '.join(lacking)}.",
                    remedy="Use a server that does, as OpenSSH's own, or a disk of that computer that is mounted here.",
                )
            try:
                try:
                    handle = self._opened(session, unfinished, WRITE | CREATE | EXCLUSIVE)
                except FileNotFoundError:
                    self._make_folders(session, folder)
                    handle = self._opened(session, unfinished, WRITE | CREATE | EXCLUSIVE)
                try:
                    send(session, handle, whole)
                    session.client._request(CMD_EXTENDED, b"fsync@openssh.com", handle)
                finally:
                    self._close(session, handle)
                self._link(session, name, unfinished, target)
                self._flush(session, folder)
            except OSError as error:
                raise self._named(session, error, len(whole)) from error
            finally:
                if session.alive:
                    with contextlib.suppress(OSError):
                        session.client._request(CMD_REMOVE, unfinished)

    def read(self, name: str, *, offset: int = 0, length: int | None = None) -> bytes:
        with self._pool.session() as session:
            try:
                handle = self._opened(session, self._path(name), READ)
                try:
                    return fetched(session, handle, offset=offset, length=length)
                finally:
                    self._close(session, handle)
            except FileNotFoundError:
                raise self._missing(session, name) from None
            except OSError as error:
                raise self._named(session, error) from error

    def delete(self, name: str) -> None:
        with self._pool.session() as session:
            try:
                session.client._request(CMD_REMOVE, self._path(name))
            except FileNotFoundError:
                return
            except OSError as error:
                raise self._named(session, error) from error

    def list(self, prefix: str) -> Iterator[tuple[str, int]]:
        below = prefix.rpartition("/")[0]
        files_below, waiting = [], [below]
        with ThreadPoolExecutor(self.parallel) as pool:
            while waiting:
                several = list(pool.map(self._entries, waiting))
                waiting = [folder for _, folders in several for folder in folders]
                files_below += [(name, size) for files, _ in several for name, size in files if name.startswith(prefix)]
        yield from files_below

    def dated(self, name: str) -> datetime | None:
        return None  # what a file of that computer says of its time, whoever writes it can set

    def clock(self) -> datetime | None:
        return None

    def keeps(self) -> Keeps:
        return Keeps.NOTHING

    def free_bytes(self) -> int | None:
        with self._pool.session() as session:
            room = session.room()
        return room[1] if room else None

    # -- how

    def _path(self, name: str) -> bytes:
        return self._root + b"/" + name.encode() if name else self._root

    def _opened(self, session: Session, path: bytes, flags: int) -> Any:
        attributes = Facts()
        if flags & CREATE:
            attributes._flags, attributes.st_mode = Facts.FLAG_PERMISSIONS, 0o600
        sort, answer = session.client._request(CMD_OPEN, path, flags, attributes)
        if sort != CMD_HANDLE:
            raise OSError("the server opens nothing")
        return answer.get_binary()

    def _link(self, session: Session, name: str, unfinished: bytes, target: bytes) -> None:
        try:
            session.client._request(CMD_EXTENDED, b"hardlink@openssh.com", unfinished, target)
        except OSError as error:
            if isinstance(error, FileNotFoundError | PermissionError):
                raise
            if self._is_there(session, target):  # the server calls a name that is taken a failure like any other
                raise BlobExists(f"Object {name} exists.") from None
            if self._is_full(session, 0):
                raise
            raise StoreReadOnly(
                f"The disk at {self._where.host} gives no file a second name, without which nothing appears there whole.",
                remedy="Use a folder on a file system with hard links there.",
            ) from error

    def _make_folders(self, session: Session, folder: bytes) -> None:
        """Those between the root and it. The root itself is never made: a drive that is not mounted must not be filled in its place."""
        if not self._is_folder(session, self._root):
            raise self._no_root()
        below = folder[len(self._root) :].strip(b"/").split(b"/")
        for depth in range(1, len(below) + 1):
            made = self._root + b"/" + b"/".join(below[:depth])
            try:
                session.client._request(CMD_MKDIR, made, Facts())
            except OSError:
                if not self._is_folder(session, made):
                    raise
            self._flush(session, made.rpartition(b"/")[0])

    def _flush(self, session: Session, folder: bytes) -> None:
        """Make the names in it last. Raises StoreReadOnly where a server flushes files and no folders."""
        try:
            handle = self._opened(session, folder, READ)
            try:
                session.client._request(CMD_EXTENDED, b"fsync@openssh.com", handle)
            finally:
                self._close(session, handle)
        except (ConnectionError, TimeoutError):
            raise
        except OSError as error:
            if not session.alive or self._is_full(session, 0):
                raise
            raise StoreReadOnly(
                f"The server at {self._where.host} flushes no folder, so that what is new there may be gone after it lost power.",
                remedy="Use a server that does, as OpenSSH's own, or a disk of that computer that is mounted here.",
            ) from error

    def _close(self, session: Session, handle: Any) -> None:
        if session.alive:
            session.client._request(CMD_CLOSE, handle)

    def _entries(self, folder: str) -> _Entries:
        """(files with their sizes, folders) directly in a folder, by their whole names."""
        files, folders = [], []
        with self._pool.session() as session:
            try:
                for raw, facts in session.listed(self._path(folder)):
                    name = raw.decode("utf-8", "surrogateescape")
                    whole = f"{folder}/{name}" if folder else name
                    if stat.S_ISDIR(facts.st_mode or 0):
                        folders.append(whole)
                    elif name.startswith(_UNFINISHED):
                        if facts.st_mtime is not None and time.time() - facts.st_mtime > _STALE_SECONDS:
                            session.client._request(CMD_REMOVE, self._path(whole))
                    else:
                        files.append((whole, facts.st_size or 0))
            except FileNotFoundError:
                if not folder or not self._is_folder(session, self._root):
                    raise self._no_root() from None
            except OSError as error:
                raise self._named(session, error) from error
        return files, folders

    def _is_there(self, session: Session, path: bytes) -> bool:
        return session.facts_at(path) is not None

    def _is_folder(self, session: Session, path: bytes) -> bool:
        facts = session.facts_at(path)
        return facts is not None and stat.S_ISDIR(facts.st_mode or 0)

    def _is_full(self, session: Session, wanted_bytes: int) -> bool:
        room = session.room()
        return room is not None and room[1] < wanted_bytes + _LEAST_FULL_BYTES

    # -- errors

    def _missing(self, session: Session, name: str) -> StoreError | BlobMissing:
        return BlobMissing(f"Object {name} is missing.") if self._is_folder(session, self._root) else self._no_root()

    def _no_root(self) -> StoreMissing:
        return StoreMissing(f"There is no folder {self._where.folder} at {self._where.host}.")

    def _named(self, session: Session, error: OSError, wanted_bytes: int = 0) -> StoreError:
        host = self._where.host
        if isinstance(error, PermissionError):
            return StoreReadOnly(f"The account {self._where.username} may not do this in {self._where.folder} at {host}.")
        if isinstance(error, FileNotFoundError):
            return self._no_root() if not self._is_folder(session, self._root) else StoreUnreachable(f"A folder at {host} vanished.")
        if isinstance(error, ConnectionError | TimeoutError) or not session.alive:
            return StoreUnreachable(f"The connection to {host} ended in the middle.")
        if error.errno == errno.ENOSPC or self._is_full(session, wanted_bytes):
            return StoreFull(f"The disk at {host} is full.")
        return StoreUnreachable(f"The server at {host} answers with an error.")
