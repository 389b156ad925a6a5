"""Where a store lies: one small union of addresses, and a table of facts a medium.

An address carries all that is needed to reach the place, its secrets included; `settings_of` and `secrets_of` part
the two, since only the first may be shown, logged or kept as it is. Nothing here opens anything: `adapters.stores`
does. A new medium is one class here, one row of facts, and one adapter.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from enum import StrEnum
from pathlib import PurePosixPath
from typing import Any, ClassVar
from urllib.parse import urlsplit

from core.errors import BadInput


class Medium(StrEnum):
    FOLDER = "folder"
    """A folder of this computer, or one that is always mounted there."""
    DRIVE = "drive"
    """A removable drive: may be absent for weeks, and comes back under another path."""
    BUCKET = "bucket"
    """An S3-compatible bucket, or a part of one."""


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
    access_key: str = ""
    """Empty with `secret_key`: from the surroundings of the process, for the command line."""
    secret_key: str = field(default="", repr=False)


StoreAddress = FolderAddress | DriveAddress | BucketAddress


@dataclass(frozen=True, slots=True, kw_only=True)
class MediumFacts:
    """What is so for every store of a medium."""

    address: type[StoreAddress]
    label: str
    """As people call it."""
    secrets: tuple[str, ...] = ()
    """Fields of the address that are sealed and never shown."""
    outside: bool = False
    """Whether it lies outside of the office, as long as nobody says otherwise."""
    comes_and_goes: bool = False
    """Whether its absence is nothing out of the ordinary."""


FACTS: Mapping[Medium, MediumFacts] = {
    Medium.FOLDER: MediumFacts(address=FolderAddress, label="Folder on this computer"),
    Medium.DRIVE: MediumFacts(address=DriveAddress, label="Removable drive", comes_and_goes=True),
    Medium.BUCKET: MediumFacts(address=BucketAddress, label="Bucket in a cloud", secrets=("secret_key",), outside=True),
}

_BUCKET = re.compile(r"[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]")
"""Rules for names of buckets as S3-compatible services have them; from memory, the service has the last word."""
MOST_CHARACTERS = 1000


def address_of(medium: str, settings: Mapping[str, Any]) -> StoreAddress:
    """The address that somebody typed, or that was kept. Raises BadInput naming the field that is wrong."""
    if medium not in set(Medium):
        raise BadInput(f"There is no medium {medium!r}.", field="medium", remedy=f"Use one of: {', '.join(Medium)}.")
    kind = FACTS[Medium(medium)].address
    known = {one.name for one in fields(kind)}
    told = {}
    for name, value in settings.items():
        if name not in known:
            raise BadInput(f"A {medium} has no {name}.", field=name, remedy=f"It has: {', '.join(sorted(known))}.")
        if not isinstance(value, str) or len(value) > MOST_CHARACTERS or any(ord(letter) < 32 for letter in value):
            raise BadInput(f"{name} cannot be used.", field=name, remedy="Give it as one line of text.")
        told[name] = value.strip()
    required = "bucket" if kind is BucketAddress else "path"
    if not told.get(required):
        raise BadInput(f"The store has no {required}.", field=required, remedy="Say where it lies.")
    found = kind(**told)
    return _checked_bucket(found) if isinstance(found, BucketAddress) else _checked_path(found)


def _checked_path(found: FolderAddress | DriveAddress) -> StoreAddress:
    path = PurePosixPath(found.path)
    if not path.is_absolute() or ".." in path.parts:
        remedy = "Give the whole path of a folder on the server, beginning with /."
        raise BadInput(f"{found.path!r} is no absolute path.", field="path", remedy=remedy)
    return type(found)(path=str(path))


def _checked_bucket(found: BucketAddress) -> BucketAddress:
    if not _BUCKET.fullmatch(found.bucket):
        remedy = "Names of buckets have 3 to 63 characters: small letters, digits, hyphens and dots."
        raise BadInput(f"{found.bucket!r} cannot be the name of a bucket.", field="bucket", remedy=remedy)
    if found.endpoint:
        parts = urlsplit(found.endpoint)
        if parts.scheme not in ("https", "http") or not parts.hostname or parts.query or parts.fragment or parts.username:
            remedy = "Give it as the provider does, for example https://s3.example.net."
            raise BadInput(f"{found.endpoint!r} is no address of a service.", field="endpoint", remedy=remedy)
    if ".." in found.prefix.split("/"):
        raise BadInput("The prefix cannot be used.", field="prefix", remedy="Give a part of the bucket, for example backups/office.")
    if bool(found.access_key) != bool(found.secret_key):
        lacking = "secret_key" if found.access_key else "access_key"
        raise BadInput("An access key and its secret key belong together.", field=lacking, remedy="Give both.")
    return BucketAddress(
        bucket=found.bucket, prefix=found.prefix.strip("/"), endpoint=found.endpoint.rstrip("/"), region=found.region,
        access_key=found.access_key, secret_key=found.secret_key,
    )  # fmt: skip


def settings_of(address: StoreAddress) -> dict[str, str]:
    """What may be shown and kept as it is."""
    hidden = FACTS[address.medium].secrets
    return {one.name: getattr(address, one.name) for one in fields(address) if one.name not in hidden}


def secrets_of(address: StoreAddress) -> dict[str, str]:
    """What is sealed before it is kept; empty where there is nothing of the kind."""
    return {name: value for name in FACTS[address.medium].secrets if (value := getattr(address, name))}


def where_words(address: StoreAddress) -> str:
    """One line that says where it is, the same for the same place."""
    if isinstance(address, BucketAddress):
        below = f"/{address.prefix}" if address.prefix else ""
        return f"s3://{address.bucket}{below}" + (f" at {urlsplit(address.endpoint).netloc}" if address.endpoint else "")
    return address.path


def address_in_words(words: str, *, endpoint: str = "") -> StoreAddress:
    """A folder, or `s3://bucket/prefix`, as the command line takes it. A folder may be relative there. Raises BadInput."""
    if words.startswith("s3://"):
        parts = urlsplit(words)
        if not parts.netloc:
            raise BadInput("The store has no bucket.", field="store", remedy="Write s3://bucket/prefix.")
        return BucketAddress(bucket=parts.netloc, prefix=parts.path.strip("/"), endpoint=endpoint)
    if "://" in words:
        raise BadInput(f"{words!r} is neither a folder nor s3://bucket/prefix.", field="store", remedy="Correct it.")
    return FolderAddress(path=words)
