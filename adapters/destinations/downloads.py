"""The folder of files that were made to be fetched. Each lies sealed under a key of its own, which is in no file.

The key comes from the server's key, the name of the file, and a word that is drawn anew with every start of the server: after
a restart nobody opens what lies there, and it is cleared away.
"""

import hashlib
import os
import shutil
import socket
from collections.abc import Callable, Collection, Iterator
from pathlib import Path
from typing import IO, cast

from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

from adapters.destinations.spool import Spool, named, spooled
from adapters.guard import port
from core.exchange.downloads import SpoolBroken, SpoolFault

_ENDING = ".sealed"


@port(SpoolFault, "The folder of downloads")
class SealedDownloads:
    def __init__(self, root: Path, *, key: Callable[[], bytes], word: bytes, random: Callable[[int], bytes]) -> None:
        """`word`: of this start of the server, at least 16 bytes that nobody guesses."""
        self._root, self._key, self._word, self._random = root, key, word, random
        self.home = hashlib.blake2b(f"{socket.gethostname()} {root}".encode(), digest_size=4, person=b"attic home").hexdigest()
        self.start = self.home + hashlib.blake2b(word, digest_size=4, person=b"attic start").hexdigest()

    def free_bytes(self) -> int:
        with named(self._root):
            self._root.mkdir(parents=True, exist_ok=True, mode=0o700)
            return shutil.disk_usage(self._root).free

    def new(self, name: str) -> IO[bytes]:
        with named(self._root):
            self._root.mkdir(parents=True, exist_ok=True, mode=0o700)
            self._path(name).unlink(missing_ok=True)
            return cast(IO[bytes], Spool(self._path(name), self._key_of(name), random=self._random))

    def read(self, name: str, *, start: int, stop: int) -> Iterator[bytes]:
        with named(self._root):
            try:
                yield from spooled(self._path(name), self._key_of(name), start=start, stop=stop)
            except FileNotFoundError:
                raise SpoolBroken("The file is not there any more.") from None

    def has(self, name: str) -> bool:
        return self._path(name).is_file()

    def remove(self, name: str) -> None:
        with named(self._root):
            self._path(name).unlink(missing_ok=True)

    def clear(self, keep: Collection[str]) -> int:
        kept, removed = {self._path(name).name for name in keep}, 0
        with named(self._root):
            for entry in list(os.scandir(self._root)) if self._root.is_dir() else ():
                if entry.name not in kept and entry.is_file(follow_symlinks=False):
                    os.unlink(entry.path)
                    removed += 1
        return removed

    def _path(self, name: str) -> Path:
        return self._root / f"{name}{_ENDING}"

    def _key_of(self, name: str) -> bytes:
        return HKDF(algorithm=SHA256(), length=32, salt=self._word, info=b"attic download " + name.encode()).derive(self._key())
