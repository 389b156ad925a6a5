"""Reading files over SFTP without waiting for each answer: several files ahead, several requests each.

What was asked for and not yet taken stays below a limit, whatever the size of a file. Each file is looked at when it is
opened and again at its end; one that is not what the walk had met is refused.
"""

from collections import deque
from collections.abc import Callable, Iterator
from itertools import chain
from typing import Any

import paramiko
from paramiko.message import Message
from paramiko.sftp import CMD_ATTRS, CMD_CLOSE, CMD_DATA, CMD_FSTAT, CMD_HANDLE, CMD_OPEN, CMD_READ, CMD_STATUS, SFTP_FLAG_READ, int64

from core.content.errors import ItemNotTaken
from core.content.items import Item

AHEAD_BYTES = 8 << 20
AHEAD_FILES = 12
Facts: Any = paramiko.SFTPAttributes


class Fetch:
    """One file on its way. Its methods are called as answers come in."""

    def __init__(self, client: Any, path: bytes, *, start: int, size_bytes: int, tag: str, request_bytes: int) -> None:
        """`request_bytes`: what the server gives in one answer."""
        self.path, self.tag = path, tag
        self.error: Exception | None = None
        self.handle: bytes | None = None
        self.at, self._asked, self._end = start, start, size_bytes
        self._client, self._request_bytes = client, request_bytes
        self._waiting: dict[int, tuple[int, int]] = {}
        self._came: dict[int, bytes] = {}
        self._looks = 0
        self._wanted_looks = 1
        client._async_request(self, CMD_OPEN, path, SFTP_FLAG_READ, paramiko.SFTPAttributes())

    @property
    def held_bytes(self) -> int:
        """Asked for and not taken yet."""
        return self._asked - self.at

    @property
    def asks_more(self) -> bool:
        return self.handle is not None and self.error is None and self._asked < self._end

    def ask(self) -> int:
        """For how many bytes more."""
        length = min(self._request_bytes, self._end - self._asked)
        self._read(self._asked, length)
        self._asked += length
        return length

    def take(self) -> bytes | None:
        """The next bytes, when they have come."""
        piece = self._came.pop(self.at, None)
        if piece is not None:
            self.at += len(piece)
        return piece

    @property
    def all_taken(self) -> bool:
        return self.at >= self._end and self._looks >= 1

    def look_again(self) -> None:
        """Ask once more what the file is like."""
        self._wanted_looks = 2
        self._client._async_request(self, CMD_FSTAT, self.handle)

    @property
    def looked(self) -> bool:
        return self._looks >= self._wanted_looks

    def close(self) -> None:
        if self.handle is not None:
            self._client._async_request(type(None), CMD_CLOSE, self.handle)
            self.handle = None
        self.error = self.error or ItemNotTaken("It was closed.", why="gone")

    def _read(self, offset: int, length: int) -> None:
        number = self._client._async_request(self, CMD_READ, self.handle, int64(offset), length)
        self._waiting[number] = (offset, length)

    # -- called by paramiko

    def _async_response(self, sort: int, answer: Message, number: int) -> None:
        try:
            self._answered(sort, answer, number)
        except (OSError, EOFError, ItemNotTaken) as error:
            self.error = self.error or error

    def _answered(self, sort: int, answer: Message, number: int) -> None:
        asked = self._waiting.pop(number, None)
        if sort == CMD_HANDLE:
            handle = answer.get_string()
            if self.error is not None:  # nobody wants it any more
                self._client._async_request(type(None), CMD_CLOSE, handle)
                return
            self.handle = handle
            self._client._async_request(self, CMD_FSTAT, handle)
        elif sort == CMD_ATTRS:
            facts = Facts._from_msg(answer)
            if f"{facts.st_mtime or 0:x}-{facts.st_size or 0:x}" != self.tag:
                raise ItemNotTaken("The file changed while it was read.", why="changed")
            self._looks += 1
        elif sort == CMD_DATA and asked is not None:
            offset, length = asked
            content = answer.get_string()
            if not content or len(content) > length:
                raise ItemNotTaken("The device sent something else than it was asked for.", why="lied")
            self._came[offset] = content
            if len(content) < length:
                self._read(offset + len(content), length - len(content))
        elif sort == CMD_STATUS:
            self._status(answer)
        else:
            raise ItemNotTaken("The device sent something else than it was asked for.", why="lied")

    def _status(self, answer: Message) -> None:
        try:
            self._client._convert_status(answer)
        except EOFError:
            raise ItemNotTaken("The file became shorter while it was read.", why="changed") from None


class SftpReading:
    """Files of one connection, in the order in which they are going to be read."""

    def __init__(self, client: Any, following: Iterator[Item], fetch_of: Callable[[Item, int], Fetch]) -> None:
        """`following`: what is read next, as far as it is known; `fetch_of` begins to fetch an item from some byte on."""
        self._client, self._following, self._fetch_of = client, following, fetch_of
        self._under_way: deque[tuple[Item, Fetch]] = deque()

    def pieces(self, item: Item, start: int) -> Iterator[bytes]:
        """Its bytes from `start` on. Raises ItemNotTaken, OSError and what paramiko raises."""
        fetch = self._begun(item, start)
        try:
            while not fetch.all_taken:
                if fetch.error is not None:
                    raise fetch.error
                self._ask(fetch)
                piece = fetch.take()
                if piece is None:
                    self._client._read_response()
                else:
                    yield piece
            fetch.look_again()
            while not fetch.looked and fetch.error is None:
                self._client._read_response()
            if fetch.error is not None:
                raise fetch.error
        finally:
            fetch.close()

    def left(self) -> Iterator[Item]:
        """What has not been taken yet, for a connection after this one."""
        return chain([item for item, _ in self._under_way], self._following)

    def _begun(self, item: Item, start: int) -> Fetch:
        """The one that is under way already, or a new one; those before it are not wanted."""
        while self._under_way:
            known, fetch = self._under_way.popleft()
            if known == item and fetch.at == start:
                return fetch
            fetch.close()
        next((one for one in self._following if one == item), None)
        return self._fetch_of(item, start)

    def _ask(self, current: Fetch) -> None:
        held = current.held_bytes + sum(fetch.held_bytes for _, fetch in self._under_way)
        for fetch in (current, *(fetch for _, fetch in self._under_way)):
            while fetch.asks_more and held < AHEAD_BYTES:
                held += fetch.ask()
        while len(self._under_way) < AHEAD_FILES and held < AHEAD_BYTES:
            following = next(self._following, None)
            if following is None:
                return
            self._under_way.append((following, self._fetch_of(following, 0)))
