"""A key that is typed at the start: it lies in no file, only in memory that the processes inherit."""

import getpass
import hashlib
import os
import secrets
import sys
from pathlib import Path

from launcher.console import KEPT_OPEN, StepFailed

LEAST_LETTERS = 12
N, R, P = 1 << 17, 8, 1
"""Cost of scrypt (RFC 7914): 128 MiB and about half a second."""


def typed_key(data: Path) -> int:
    """The descriptor of the key that was typed. The first time it is typed twice. Raises StepFailed."""
    if not sys.stdin.isatty():
        raise StepFailed("The server's key is to be typed, and nobody is at the keyboard. Start from a terminal, or use --key file:/PATH.")
    salt_file = data / "keys" / "typed-salt"
    first = not salt_file.exists()
    phrase = getpass.getpass("  the server's key: ")
    if len(phrase) < LEAST_LETTERS:
        raise StepFailed(f"A key that is typed has at least {LEAST_LETTERS} letters.")
    if first and getpass.getpass("  once more: ") != phrase:
        raise StepFailed("The two are not the same.")
    if first:
        salt_file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        salt_file.write_bytes(secrets.token_bytes(16))
        salt_file.chmod(0o600)
    return in_memory(stretched(phrase, salt_file.read_bytes()))


def stretched(phrase: str, salt: bytes) -> bytes:
    return hashlib.scrypt(phrase.encode(), salt=salt, n=N, r=R, p=P, maxmem=256 << 20, dklen=32)


def in_memory(key: bytes) -> int:
    """A file without a name or a place, which what is started from now on inherits."""
    descriptor = os.memfd_create("attic-key", 0)
    os.write(descriptor, key)
    KEPT_OPEN.append(descriptor)
    return descriptor
