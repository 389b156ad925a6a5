"""The server's key: where it lies, and reading it. It opens stores for unattended runs and the secrets in the database.

It is made once, at a first start, and never again: whoever finds it missing says so. Where it lies decides what a
thief of the disk gets; the words for that stand here, so that every page says the same.
"""

import hashlib
import os
import secrets
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

from core.errors import AtticError, BadInput

KEY_BYTES = 32


class KeyMissing(AtticError):
    """The key is not where it should be."""

    code = "key.missing"
    remedy = "Plug in the medium with the server's key, or type it at the next start. No new one is made: it would open nothing."


class OtherKey(AtticError):
    """A key lies there, and it is not the one of this server."""

    code = "key.other"
    remedy = "Put the key of this server there. Its fingerprint is shown under Office."


class KeyKind(StrEnum):
    BESIDE = "beside"
    MEDIUM = "medium"
    CREDENTIAL = "credential"
    TYPED = "typed"


THIEF = {
    KeyKind.BESIDE: "Everything: disk and key lie together, so whoever has this computer, its disk or a copy of its data folder "
    "opens every store.",
    KeyKind.MEDIUM: "Nothing, as long as the medium with the key is not taken along. While it is plugged in, it goes with the computer.",
    KeyKind.CREDENTIAL: "Nothing, when the system keeps the credential sealed to this computer's own chip, or brings it from elsewhere. "
    "A credential that lies in the open on the same disk protects nothing.",
    KeyKind.TYPED: "Nothing to read: the key is in no file, so all that is left is guessing the phrase. It is in the memory of the running "
    "computer, and is typed again after every restart.",
}
"""What somebody gets who carries the server's disk away."""


@dataclass(frozen=True, slots=True, kw_only=True)
class KeyPlace:
    kind: KeyKind
    path: Path

    @property
    def thief(self) -> str:
        return THIEF[self.kind]


def place_in(described: str, *, data: Path, credentials: str) -> KeyPlace:
    """`told`: empty, `file:/PATH`, `credential:NAME` or `fd:N`; `credentials`: the folder of the service manager. Raises BadInput."""
    kind, _, where = described.partition(":")
    match kind:
        case "":
            return KeyPlace(kind=KeyKind.BESIDE, path=data / "keys" / "server")
        case "file" if Path(where).is_absolute():
            beside = Path(where).resolve().is_relative_to(data.resolve())
            return KeyPlace(kind=KeyKind.BESIDE if beside else KeyKind.MEDIUM, path=Path(where))
        case "credential" if where and "/" not in where and credentials:
            return KeyPlace(kind=KeyKind.CREDENTIAL, path=Path(credentials) / where)
        case "fd" if where.isdigit():
            return KeyPlace(kind=KeyKind.TYPED, path=Path("/proc/self/fd") / where)
    raise BadInput(f"{described!r} is no place of a key.", field="ATTIC_KEY", remedy="Use file:/PATH, credential:NAME, or leave it empty.")


def read_key(place: KeyPlace) -> bytes:
    """32 bytes. Raises KeyMissing, OtherKey."""
    try:
        with place.path.open("rb") as file:
            content = os.pread(file.fileno(), KEY_BYTES + 1, 0) if place.kind is KeyKind.TYPED else file.read(KEY_BYTES + 1)
    except OSError as error:
        raise KeyMissing(f"The server's key is not at {place.path}: {error.strerror}.") from None
    if len(content) != KEY_BYTES:
        raise OtherKey(f"What lies at {place.path} is no key of a server.")
    return content


def make_key(place: KeyPlace) -> bytes:
    """At a first start only. One that is there already stays. Raises KeyMissing where none can be written."""
    if place.kind in (KeyKind.CREDENTIAL, KeyKind.TYPED):
        return read_key(place)
    unfinished = place.path.parent / f".{place.path.name}-{secrets.token_hex(8)}"
    try:
        if place.kind is KeyKind.BESIDE:
            place.path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        try:
            descriptor = os.open(unfinished, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            with os.fdopen(descriptor, "wb") as file:
                file.write(secrets.token_bytes(KEY_BYTES))
                file.flush()
                os.fsync(file.fileno())
            os.link(unfinished, place.path)
        except FileExistsError:
            pass  # another process was faster; its key counts
        finally:
            unfinished.unlink(missing_ok=True)
    except OSError as error:
        raise KeyMissing(f"A key cannot be made at {place.path}: {error.strerror}.") from None
    return read_key(place)


def fingerprint(key: bytes) -> str:
    """Tells keys apart and gives nothing of them away."""
    return hashlib.blake2b(key, digest_size=8, person=b"attic key").hexdigest()
