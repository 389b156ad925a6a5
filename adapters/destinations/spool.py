"""A file in the making that lies sealed on the disk: blocks under AES-256-GCM, each bound to its place.

Written, sought and cut like any file, because a ZIP goes back to the head of an entry once its length is known. Full blocks are
sealed and written by a thread of their own, some at a time. A block that is written anew gets a new nonce. A key belongs to one
file alone, so that nonces drawn by chance never meet (NIST SP 800-38D §8.3: fewer than 2^32 of them under one key).
"""

import contextlib
import errno
import io
import os
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM

from core.exchange.downloads import SpoolBroken
from core.vault.errors import StoreError, StoreFull, StoreUnreachable

BLOCK_BYTES = 256 << 10
_NONCE_BYTES, _TAG_BYTES = 12, 16
_SEALED_BYTES = _NONCE_BYTES + BLOCK_BYTES + _TAG_BYTES
_BEHIND = 8
"""Blocks that wait to be sealed at most."""


class Spool(io.RawIOBase):
    """New, and readable by its owner alone. Raises StoreError."""

    def __init__(self, path: Path, key: bytes, *, random: Callable[[int], bytes]) -> None:
        super().__init__()
        self._seal, self._random, self._root = AESGCM(key), random, path.parent
        self._file = os.open(path, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600)
        self._at = self.size_bytes = 0
        self._number, self._changed = 0, False
        self._block, self._length = bytearray(BLOCK_BYTES), 0
        self._free = [bytearray(BLOCK_BYTES) for _ in range(_BEHIND)]
        """Blocks and what a block is sealed into are used again and again: new ones would cost more than sealing does."""
        self._sealed = bytearray(_SEALED_BYTES)
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="spool")
        self._behind: deque[tuple[Future[None], bytearray]] = deque()

    def writable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def readable(self) -> bool:
        return False

    def tell(self) -> int:
        return self._at

    def seek(self, offset: int, whence: int = os.SEEK_SET) -> int:
        base = {os.SEEK_SET: 0, os.SEEK_CUR: self._at, os.SEEK_END: self.size_bytes}[whence]
        if not 0 <= base + offset <= self.size_bytes:
            raise OSError("There is nothing behind the end.")
        self._at = base + offset
        return self._at

    def write(self, content: "bytes | bytearray | memoryview") -> int:  # type: ignore[override]
        rest = memoryview(content)
        while rest:
            number, begin = divmod(self._at, BLOCK_BYTES)
            if number != self._number:
                self._turn_to(number)
            end = min(begin + len(rest), BLOCK_BYTES)
            self._block[begin:end] = rest[: end - begin]
            self._length = max(self._length, end)
            self._changed = True
            rest = rest[end - begin :]
            self._at += end - begin
        self.size_bytes = max(self.size_bytes, self._at)
        return len(content)

    def truncate(self, size: int | None = None) -> int:
        """What lies behind is gone from the disk."""
        self._at = self.size_bytes = self._at if size is None else size
        number, length = divmod(self.size_bytes, BLOCK_BYTES)
        if number != self._number:
            self._turn_to(number)
        self._length = length
        self._changed = True
        self._settle()
        return self.size_bytes

    def flush(self) -> None:
        if not self.closed:
            self._settle()

    def close(self) -> None:
        if not self.closed:
            try:
                self._settle()  # and no more: after a crash nobody can open it anyway
            finally:
                self._changed = False
                self._thread.shutdown(cancel_futures=True)
                os.close(self._file)
                super().close()

    def _turn_to(self, number: int) -> None:
        """Another block than the current one."""
        if self._changed and number == self._number + 1 and number * BLOCK_BYTES >= self.size_bytes:
            self._later()
            self._number, self._length = number, 0
            return
        self._settle()
        self._number = number
        with named(self._root):
            held = os.pread(self._file, _SEALED_BYTES, number * _SEALED_BYTES)
        block = _opened(self._seal, number, held) if held else b""
        self._block[: len(block)], self._length = block, len(block)

    def _later(self) -> None:
        """The block is full, and nothing lies behind it: it is sealed while the next one is filled."""
        if not self._free:
            self._wait(_BEHIND // 2)
        nonce = self._random(_NONCE_BYTES)
        self._behind.append((self._thread.submit(self._put, self._number, self._block, BLOCK_BYTES, nonce), self._block))
        self._block, self._changed = self._free.pop(), False

    def _wait(self, left: int) -> None:
        """Until no more than so many blocks wait. Raises StoreError."""
        while len(self._behind) > left:
            done, block = self._behind.popleft()
            self._free.append(block)
            done.result()

    def _settle(self) -> None:
        self._wait(0)
        if self._changed:
            self._put(self._number, self._block, self._length, self._random(_NONCE_BYTES))
            self._changed = False

    def _put(self, number: int, block: bytearray, length: int, nonce: bytes) -> None:
        """Never two at a time."""
        size = length + _NONCE_BYTES + _TAG_BYTES if length else 0
        start, rest = number * _SEALED_BYTES, memoryview(self._sealed)[:size]
        if length:
            rest[:_NONCE_BYTES] = nonce
            self._seal.encrypt_into(nonce, memoryview(block)[:length], _place(number), rest[_NONCE_BYTES:])
        with named(self._root):
            while rest:
                rest = rest[os.pwrite(self._file, rest, start + size - len(rest)) :]
            if length < BLOCK_BYTES:
                os.ftruncate(self._file, start + size)


def spooled(path: Path, key: bytes, *, start: int, stop: int) -> Iterator[bytes]:
    """The bytes from `start` until before `stop`. Raises SpoolBroken where they cannot be opened."""
    seal = AESGCM(key)
    with path.open("rb", buffering=0) as file:
        for number in range(start // BLOCK_BYTES, -(-stop // BLOCK_BYTES)):
            held = os.pread(file.fileno(), _SEALED_BYTES, number * _SEALED_BYTES)
            block = _opened(seal, number, held)
            begin = number * BLOCK_BYTES
            piece = block[max(0, start - begin) : stop - begin]
            if begin + len(block) < min(stop, begin + BLOCK_BYTES):
                raise SpoolBroken("The file is shorter than it was.")
            yield piece


def _opened(seal: AESGCM, number: int, held: bytes) -> bytes:
    try:
        return seal.decrypt(held[:_NONCE_BYTES], held[_NONCE_BYTES:], _place(number))
    except (InvalidTag, ValueError):
        raise SpoolBroken("The file is not as it was written.") from None


def _place(number: int) -> bytes:
    return number.to_bytes(8, "big")


@contextlib.contextmanager
def named(root: Path) -> Iterator[None]:
    """What the system says of this folder, in the error tree."""
    try:
        yield
    except OSError as error:
        raise _error(root, error) from error


def _error(root: Path, error: OSError) -> StoreError:
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return StoreFull(f"There is no room left in {root}.", remedy="Make room there, choose less, or write into a folder elsewhere.")
    return StoreUnreachable(f"The folder {root} answers with an error: {error.strerror}.")
