"""Where a store lies: one small union of addresses, and a table of facts a medium.

An address carries all that is needed to reach the place, its secrets included; `settings_of` and `secrets_of` part
the two, since only the first may be shown, logged or kept as it is. Nothing here opens anything: `adapters.stores`
does. A new medium is one class here, one row of facts, and one adapter.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, fields, replace
from enum import StrEnum
from pathlib import PurePosixPath
from typing import Any, ClassVar
from urllib.parse import SplitResult, unquote, urlsplit

from core.errors import BadInput


class Medium(StrEnum):
    FOLDER = "folder"
    """A folder of this computer, or one that is always mounted there."""
    DRIVE = "drive"
    """A removable drive: may be absent for weeks, and comes back under another path."""
    BUCKET = "bucket"
    """An S3-compatible bucket, or a part of one."""
    SFTP = "sftp"
    """A folder of another computer that runs an SSH server."""


@dataclass(frozen=True, slots=True, kw_only=True)
class FolderAddress:
    """A folder on this computer."""

    medium: ClassVar[Medium] = Medium.FOLDER
    path: str
    """Absolute."""


@dataclass(frozen=True, slots=True, kw_only=True)
class DriveAddress:
    """A folder on a drive that may be taken out."""

    medium: ClassVar[Medium] = Medium.DRIVE
    path: str
    """Absolute: where the drive is mounted now."""


@dataclass(frozen=True, slots=True, kw_only=True)
class BucketAddress:
    """Everything below a prefix of a bucket."""

    medium: ClassVar[Medium] = Medium.BUCKET
    bucket: str
    prefix: str = ""
    endpoint: str = ""
    """Where the service answers; empty for the provider's own address."""
    region: str = ""
    inside: str = ""
    """`yes` where the service may lie in the office's own network, or on this computer."""
    access_key: str = ""
    """Empty with `secret_key`: from the surroundings of the process, for the command line."""
    secret_key: str = field(default="", repr=False)


@dataclass(frozen=True, slots=True, kw_only=True)
class SftpAddress:
    """A folder of another computer, over SFTP."""

    medium: ClassVar[Medium] = Medium.SFTP
    host: str
    folder: str
    """Absolute, on that computer."""
    username: str
    port: str = ""
    """Empty for 22."""
    host_key: str = ""
    """Type and base64 of the key that a person has compared, as in a known_hosts file; empty: from that file, for the command line."""
    password: str = field(default="", repr=False)
    """Empty: whoever opens it signs in with a key of his own."""


StoreAddress = FolderAddress | DriveAddress | BucketAddress | SftpAddress


@dataclass(frozen=True, slots=True, kw_only=True)
class MediumFacts:
    """What is so for every store of a medium."""

    address: type[StoreAddress]
    required: tuple[str, ...]
    """Fields that cannot be empty."""
    label: str
    """As people call it."""
    secrets: tuple[str, ...] = ()
    """Fields of the address that are sealed and never shown."""
    outside: bool = False
    """Whether it lies outside of the office, as long as nobody says otherwise."""
    comes_and_goes: bool = False
    """Whether its absence is nothing out of the ordinary."""


FACTS: Mapping[Medium, MediumFacts] = {
    Medium.FOLDER: MediumFacts(address=FolderAddress, required=("path",), label="Folder on this computer"),
    Medium.DRIVE: MediumFacts(address=DriveAddress, required=("path",), label="Removable drive", comes_and_goes=True),
    Medium.BUCKET: MediumFacts(
        address=BucketAddress, required=("bucket",), label="Bucket in a cloud", secrets=("secret_key",), outside=True
    ),
    Medium.SFTP: MediumFacts(
        address=SftpAddress, required=("host", "username", "folder", "host_key"), label="Folder of another computer", secrets=("password",)
    ),
}

_BUCKET = re.compile(r"[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]")
"""Rules for names of buckets as S3-compatible services have them; from memory, the service has the last word."""
_HOST = re.compile(r"[A-Za-z0-9:][A-Za-z0-9.:_-]{0,252}")
_HOST_KEY = re.compile(r"[a-z0-9@.-]+ [A-Za-z0-9+/]{40,}={0,2}")
"""As known_hosts files have it (OpenSSH's sshd(8)); from memory."""
MOST_CHARACTERS = 1000


def address_of(medium: str, settings: Mapping[str, Any]) -> StoreAddress:
    """The address that somebody typed, or that was kept. Raises BadInput naming the field that is wrong."""
    if medium not in set(Medium):
        raise BadInput(f"There is no medium {medium!r}.", field="medium", remedy=f"Use one of: {', '.join(Medium)}.")
    kind = FACTS[Medium(medium)].address
    known = {one.name for one in fields(kind)}
    cleaned = {}
    for name, value in settings.items():
        if name not in known:
            raise BadInput(f"A {medium} has no {name}.", field=name, remedy=f"It has: {', '.join(sorted(known))}.")
        if not isinstance(value, str) or len(value) > MOST_CHARACTERS or any(ord(letter) < 32 for letter in value):
            raise BadInput(f"{name} cannot be used.", field=name, remedy="Give it as one line of text.")
        cleaned[name] = value if name == "password" else value.strip()
    for required in FACTS[Medium(medium)].required:
        if not cleaned.get(required):
            remedy = "Ask the server for its key and compare it there." if required == "host_key" else "Say where it lies."
            raise BadInput(f"The store has no {required.replace('_', ' ')}.", field=required, remedy=remedy)
    address = kind(**cleaned)
    match address:
        case BucketAddress():
            return _checked_bucket(address)
        case SftpAddress():
            return _checked_sftp(address)
        case FolderAddress() | DriveAddress():
            return type(address)(path=_absolute(address.path, field="path", of="the server"))


def _absolute(path: str, *, field: str, of: str) -> str:
    parts = PurePosixPath(path)
    if not parts.is_absolute() or ".." in parts.parts:
        remedy = f"Give the whole path of a folder on {of}, beginning with /."
        raise BadInput(f"{path!r} is no absolute path.", field=field, remedy=remedy)
    return str(parts)


def _checked_sftp(address: SftpAddress) -> SftpAddress:
    folder = _absolute(address.folder, field="folder", of="that computer")
    if not _HOST.fullmatch(address.host):
        remedy = "Give its name or address alone, for example shed.example.net."
        raise BadInput(f"{address.host!r} cannot be the name of a computer.", field="host", remedy=remedy)
    if address.port and not (address.port.isascii() and address.port.isdigit() and 0 < int(address.port) < 65536):
        raise BadInput(f"{address.port!r} is no port.", field="port", remedy="Use a number from 1 to 65535; SSH commonly has 22.")
    if not _HOST_KEY.fullmatch(address.host_key):
        remedy = "Ask the server for its key and compare it there; it looks like: ssh-ed25519 AAAAC3…"
        raise BadInput("The host key cannot be read.", field="host_key", remedy=remedy)
    return replace(address, folder=folder, host=address.host.lower())


def _checked_bucket(address: BucketAddress) -> BucketAddress:
    if not _BUCKET.fullmatch(address.bucket):
        remedy = "Names of buckets have 3 to 63 characters: small letters, digits, hyphens and dots."
        raise BadInput(f"{address.bucket!r} cannot be the name of a bucket.", field="bucket", remedy=remedy)
    if address.endpoint:
        parts = _parts(address.endpoint, field="endpoint")
        if parts.scheme not in ("https", "http") or not parts.hostname or parts.query or parts.fragment or parts.username:
            remedy = "Give it as the provider does, for example https://s3.example.net."
            raise BadInput(f"{address.endpoint!r} is no address of a service.", field="endpoint", remedy=remedy)
    if address.inside not in ("", "yes"):
        raise BadInput(f"{address.inside!r} says neither.", field="inside", remedy="Say yes, or leave it empty.")
    if ".." in address.prefix.split("/"):
        raise BadInput("The prefix cannot be used.", field="prefix", remedy="Give a part of the bucket, for example backups/office.")
    if bool(address.access_key) != bool(address.secret_key):
        lacking = "secret_key" if address.access_key else "access_key"
        raise BadInput("An access key and its secret key belong together.", field=lacking, remedy="Give both.")
    return BucketAddress(
        bucket=address.bucket, prefix=address.prefix.strip("/"), endpoint=address.endpoint.rstrip("/"), region=address.region,
        inside=address.inside, access_key=address.access_key, secret_key=address.secret_key,
    )  # fmt: skip


def _parts(words: str, *, field: str) -> SplitResult:
    try:
        parts = urlsplit(words)
        parts.port  # noqa: B018  # reading it checks it
    except ValueError:
        raise BadInput(f"{words!r} is no address.", field=field, remedy="Correct it.") from None
    return parts


def settings_of(address: StoreAddress) -> dict[str, str]:
    """What may be shown and kept as it is."""
    hidden = FACTS[address.medium].secrets
    return {one.name: getattr(address, one.name) for one in fields(address) if one.name not in hidden}


def secrets_of(address: StoreAddress) -> dict[str, str]:
    """What is sealed before it is kept; empty where there is nothing of the kind."""
    return {name: value for name in FACTS[address.medium].secrets if (value := getattr(address, name))}


def part_within(one: StoreAddress, other: StoreAddress) -> str:
    """The field by which one of the two lies within the other, or in the same place; empty when they are apart."""
    if isinstance(one, BucketAddress) and isinstance(other, BucketAddress):
        same = (one.bucket, one.endpoint) == (other.bucket, other.endpoint)
        return "prefix" if same and _nested(one.prefix, other.prefix) else ""
    if isinstance(one, SftpAddress) and isinstance(other, SftpAddress):
        same = (one.host, one.port or "22") == (other.host, other.port or "22")
        return "folder" if same and _nested(one.folder, other.folder) else ""
    if isinstance(one, FolderAddress | DriveAddress) and isinstance(other, FolderAddress | DriveAddress):
        return "path" if _nested(one.path, other.path) else ""
    return ""


def _nested(one: str, other: str) -> bool:
    one, other = (f"{path}/".lstrip("/") for path in (one, other))
    return one.startswith(other) or other.startswith(one)


def where_words(address: StoreAddress) -> str:
    """One line that says where it is, the same for the same place."""
    if isinstance(address, BucketAddress):
        below = f"/{address.prefix}" if address.prefix else ""
        return f"s3://{address.bucket}{below}" + (f" at {urlsplit(address.endpoint).netloc}" if address.endpoint else "")
    if isinstance(address, SftpAddress):
        host = f"[{address.host}]" if ":" in address.host else address.host
        return f"sftp://{address.username}@{host}" + (f":{address.port}" if address.port else "") + address.folder
    return address.path


def address_in_words(words: str, *, endpoint: str = "") -> StoreAddress:
    """A folder, or `s3://bucket/prefix`, as the command line takes it. A folder may be relative there. Raises BadInput."""
    if words.startswith("s3://"):
        parts = _parts(words, field="store")
        if not parts.netloc:
            raise BadInput("The store has no bucket.", field="store", remedy="Write s3://bucket/prefix.")
        return BucketAddress(bucket=parts.netloc, prefix=parts.path.strip("/"), endpoint=endpoint, inside="yes")
    if words.startswith("sftp://"):
        parts = _parts(words, field="store")
        if not parts.hostname or not parts.username or not parts.path.strip("/"):
            raise BadInput("The store has no computer, account or folder.", field="store", remedy="Write sftp://account@computer/folder.")
        return SftpAddress(
            host=parts.hostname, port=str(parts.port or ""), username=unquote(parts.username), folder=parts.path,
            password=unquote(parts.password or ""),
        )  # fmt: skip
    if "://" in words:
        raise BadInput(
            f"{words!r} is neither a folder nor s3://bucket/prefix nor sftp://account@computer/folder.", field="store", remedy="Correct it."
        )
    return FolderAddress(path=words)
