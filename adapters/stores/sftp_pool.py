"""Sessions with the server of a store: each used by one thread at a time, idle ones kept for the next, closed with the store.

Answers of one session come back to whoever reads first, so two threads never share one. Within a session a file's
requests do not wait for each other (`send`, `fetched`).
"""

import contextlib
import threading
import time
import weakref
from collections.abc import Iterator
from typing import Any

import paramiko
from paramiko.message import Message
from paramiko.sftp import CMD_DATA, CMD_READ, CMD_WRITE, int64

from adapters.links.sftp_session import Session, Sftp
from core.content.errors import LinkError, NotPaired, OtherHost
from core.vault.errors import BlobExists, BlobMissing, StoreError, StoreReadOnly, StoreUnreachable

_AHEAD = 48
"""Requests under way in one session."""
_IDLE_SECONDS = 15.0
"""A session that waited longer is asked something harmless before it is trusted."""


class _Ahead:
    """Requests of one file that do not wait for each other's answers."""

    def __init__(self, client: Any) -> None:
        self._client = client
        self._waiting: dict[int, int] = {}
        self.came: dict[int, bytes] = {}
        self.error: Exception | None = None

    def ask(self, at: int, command: int, *arguments: Any) -> None:
        self._waiting[self._client._async_request(self, command, *arguments)] = at
        while len(self._waiting) >= _AHEAD:
            self._client._read_response()

    def end(self) -> None:
        """Every answer has come. Raises what the first refusal was."""
        while self._waiting:
            self._client._read_response()
        if self.error is not None:
            raise self.error

    def _async_response(self, sort: int, answer: Message, number: int) -> None:
        """Called by paramiko."""
        at = self._waiting.pop(number)
        if sort == CMD_DATA:
            self.came[at] = answer.get_string()
            return
        try:
            self._client._convert_status(answer)
        except EOFError:
            self.came[at] = b""
        except OSError as error:
            self.error = self.error or error


def send(session: Session, handle: bytes, whole: bytes) -> None:
    """Write all of it to an open file. Raises OSError and what paramiko raises."""
    ahead, piece = _Ahead(session.client), session.most_bytes()[1]
    for at in range(0, len(whole), piece):
        ahead.ask(at, CMD_WRITE, handle, int64(at), whole[at : at + piece])
        if ahead.error is not None:
            break
    ahead.end()


def fetched(session: Session, handle: bytes, *, offset: int, length: int | None) -> bytes:
    """The bytes of an open file, fewer where it ends. Raises StoreUnreachable, OSError and what paramiko raises."""
    size = session.facts_of(handle).st_size or 0
    end = size if length is None else min(size, offset + length)
    piece = session.most_bytes()[0]
    ahead = _Ahead(session.client)
    for at in range(offset, end, piece):
        ahead.ask(at, CMD_READ, handle, int64(at), min(piece, end - at))
    ahead.end()
    parts = []
    for at in range(offset, end, piece):
        wanted, got = min(piece, end - at), ahead.came.pop(at)
        while len(got) < wanted:  # a server may give less than was asked for
            more = _Ahead(session.client)
            more.ask(0, CMD_READ, handle, int64(at + len(got)), wanted - len(got))
            more.end()
            if not more.came[0]:
                raise StoreUnreachable(f"An object at {session.host} became shorter while it was read.")
            got += more.came[0]
        parts.append(got)
    return b"".join(parts)


class SftpPool:
    """At most `most` sessions at once."""

    def __init__(self, where: Sftp, *, most: int, timeout_seconds: float) -> None:
        self._where, self._timeout_seconds = where, timeout_seconds
        self._idle: list[tuple[float, Session]] = []
        self._places = threading.BoundedSemaphore(most)
        weakref.finalize(self, _close_all, self._idle)

    @contextlib.contextmanager
    def session(self) -> Iterator[Session]:
        """One for this thread; it goes back when it is still of use. Raises StoreError."""
        with self._places:
            try:
                session = self._waiting_one() or Session(self._where, timeout_seconds=self._timeout_seconds)
            except NotPaired:
                words = f"The server at {self._where.host} refuses the name {self._where.username}, its password or its key."
                raise StoreReadOnly(words, remedy="Correct them, or let that account take this server's key.") from None
            except OtherHost as error:
                remedy = "If the server was set up anew, compare its key there and enter it on the page of the store."
                raise StoreUnreachable(error.message, remedy=remedy) from None
            except LinkError as error:
                raise StoreUnreachable(f"The server at {self._where.host} cannot be reached: {error.message}") from None
            keep = False
            try:
                yield session
                keep = True
            except StoreUnreachable:
                raise
            except (StoreError, BlobExists, BlobMissing):
                keep = True
                raise
            except (paramiko.SSHException, EOFError, TimeoutError, ConnectionError) as error:
                raise StoreUnreachable(f"The connection to {self._where.host} ended in the middle.") from error
            finally:
                if keep and session.alive:
                    self._idle.append((time.monotonic(), session))
                else:
                    session.close()

    def _waiting_one(self) -> Session | None:
        while self._idle:
            try:
                since, session = self._idle.pop()
            except IndexError:
                return None
            if session.alive and (time.monotonic() - since < _IDLE_SECONDS or self._answers(session)):
                return session
            session.close()
        return None

    def _answers(self, session: Session) -> bool:
        try:
            session.facts_at(session.root)
        except (OSError, EOFError, paramiko.SSHException):
            return False
        return True


def _close_all(idle: list[tuple[float, Session]]) -> None:
    while idle:
        idle.pop()[1].close()
