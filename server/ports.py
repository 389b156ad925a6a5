"""What the server needs from outside, a port for each kind of need. `server.project.wiring` fulfils them; apps ask for them here.

Keeps adapters, the clock and randomness out of the apps: a test puts another `Outside` in place. Who asks `ports.clock()` can reach
nothing else through it.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import datetime, tzinfo
from functools import lru_cache
from pathlib import Path
from typing import Protocol
from uuid import UUID

from django.conf import settings
from django.utils.module_loading import import_string

from core.content.classify import FileRule
from core.content.link import DeviceLink
from core.exchange.downloads import Downloads
from core.exchange.folders import LyingFolder
from core.recovery.drill import Scratch
from core.schedule.clock import Ticks
from core.vault.address import StoreAddress
from core.vault.blobs import BlobStore
from core.vault.chunks import VaultLimits
from core.vault.key_slots import SlotPolicy
from core.vault.vault import Vault


@dataclass(frozen=True, slots=True, kw_only=True)
class NetworkOffer:
    """A device that can be seen on the office network."""

    device: str
    name: str
    family: str
    make: str
    model: str
    os_version: str
    address: str
    paired: bool
    serial: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Paired:
    """What came of typing the right code."""

    device: str
    key: bytes = field(repr=False)
    accepted: bool
    """Whether the holder has said yes already."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SftpPlace:
    """Where an SFTP device answers, and with what."""

    host: str
    port: int
    username: str
    password: str = field(repr=False)
    folder: str
    host_key: str
    private_key: str = field(default="", repr=False)
    """In OpenSSH's format; used where there is no password."""


@dataclass(frozen=True, slots=True, kw_only=True)
class KeyTold:
    """The server's key, as people see it."""

    kind: str
    """beside, medium, credential or typed."""
    where: str
    thief: str
    """What somebody gets who carries the disk away."""
    fingerprint: str
    """Empty when it cannot be read."""
    trouble: str
    """Why nothing can run; empty when all is well."""
    remedy: str


@dataclass(frozen=True, slots=True, kw_only=True)
class DriveSeen:
    """A place on this computer where a vault lies, and whose it claims to be."""

    path: str
    store: str


class FilesLink(DeviceLink, Protocol):
    """A link that sees files only."""

    def files(self) -> list[tuple[str, int]]:
        """(path, bytes) of every file, those included that a rule leaves out."""
        ...


class OldLink(DeviceLink, Protocol):
    """What was backed up before Old Attic came."""

    def left_aside(self) -> Sequence["LeftAsideTold"]: ...


class LeftAsideTold(Protocol):
    """Something in an old backup that could not be understood."""

    @property
    def name(self) -> str: ...
    @property
    def why(self) -> str: ...


class Clock(Protocol):
    """What time it is, here and elsewhere."""

    def now(self) -> datetime:
        """Aware, UTC."""
        ...

    def ticks(self) -> Ticks:
        """A counter that no setting of the clock moves."""
        ...

    def outer_clocks(self) -> Sequence[tuple[str, str, datetime]]:
        """(name, kind, what time it is there) of what can be asked without a device: kernel, mail server. Takes seconds at most."""
        ...


class ServerKeys(Protocol):
    """The server's key, what it seals, and randomness."""

    def random(self, count: int) -> bytes: ...

    def key_state(self) -> KeyTold:
        """Whether the key that the database knows is at hand."""
        ...

    def make_key(self) -> str:
        """At a first start: the fingerprint of the new key, or of the one that lies there. Raises AtticError."""
        ...

    def seal(self, purpose: str, secret: bytes) -> bytes: ...

    def unseal(self, purpose: str, sealed: bytes) -> bytes: ...


class Devices(Protocol):
    """Devices on the office network, and the ways to reach one."""

    def offers(self) -> Sequence[NetworkOffer]:
        """Devices on the office network. Raises LinkError."""
        ...

    def pair(self, address: str, code: str) -> Paired:
        """Raises LinkError."""
        ...

    def unpair(self, agent_id: str, address: str, key: bytes) -> None:
        """Make the device forget this server. Raises LinkError."""
        ...

    def meet_sftp(self, host: str, port: int) -> tuple[str, str]:
        """(host key, its fingerprint) that answers there now, unproven. Raises LinkError."""
        ...

    def fingerprint(self, host_key: str) -> str:
        """As people compare it: `SHA256:…`."""
        ...

    def make_ssh_key(self) -> tuple[str, str]:
        """(private key in OpenSSH's format, the line for an authorized_keys file)."""
        ...

    def agent_link(self, agent_id: str, address: str, key: bytes) -> DeviceLink:
        """The device wherever it is on the network now."""
        ...

    def folder_link(self, path: str, rules: Sequence[FileRule] = ()) -> FilesLink: ...

    def sftp_link(self, where: SftpPlace, rules: Sequence[FileRule]) -> FilesLink: ...

    def old_link(self, path: Path, zone: tzinfo) -> OldLink:
        """A folder, archive or file with an old backup."""
        ...

    def paced(self, link: DeviceLink, limit: Callable[[], int | None]) -> DeviceLink:
        """The same link, held to so many bytes a second."""
        ...


class Stores(Protocol):
    """Places where vaults lie, and the vaults."""

    limits: VaultLimits
    slot_policy: SlotPolicy
    """What guessing a passphrase must cost."""
    remembered: Path
    """Folder for what can be read from stores once more at any time, and is slow to read."""

    def place(self, path: str, *, of_store: UUID | None = None) -> Path:
        """A path on this computer that may be chosen, every link in it resolved; in no store but this one. Raises BadInput."""
        ...

    def drives(self, known: Sequence[str]) -> Sequence[DriveSeen]:
        """What is plugged in now; `known`: paths at which drives were seen before. Raises StoreError."""
        ...

    def drive_held_by(self, path: str) -> Sequence[str]:
        """Names of programs that hold something on it open."""
        ...

    def flush_drive(self, path: str) -> None:
        """Everything that was written there lies on the medium afterwards. Raises StoreError."""
        ...

    def to_try(self, address: StoreAddress) -> Callable[[], BlobStore]:
        """Reaches a place that may be new, its folder is made: may be called without a database. What is called raises StoreError."""
        ...

    def blobs(self, address: StoreAddress) -> BlobStore:
        """Raises StoreError."""
        ...

    def create_vault(self, address: StoreAddress, passphrase: str, *, same_key_as: Vault | None = None) -> tuple[Vault, str]:
        """Prepare a place, a folder made if it is missing: the vault and its recovery code. Raises StoreError, VaultError."""
        ...

    def attach_vault(self, address: StoreAddress, passphrase: str) -> Vault:
        """Open an existing vault and give this server a key slot. Raises StoreError, VaultError."""
        ...

    def open_vault(self, address: StoreAddress) -> Vault:
        """Open with the server's key file. Raises StoreError, VaultError."""
        ...


class Results(Protocol):
    """Where what comes in and what goes out lies on this computer."""

    incoming: Path
    """Folder for files that were uploaded to be brought in."""

    def scratch(self, name: str) -> Scratch:
        """A place for restored files that is erased afterwards; the same for the same name."""
        ...

    @property
    def downloads(self) -> Downloads:
        """Where files lie that were made to be fetched."""
        ...

    def export_folder(self, path: str) -> LyingFolder:
        """A folder of the server that an export may fill. Raises BadInput where this installation does not allow it."""
        ...


class Hooks(Protocol):
    """Addresses that are told what happens."""

    def checked_hook(self, address: str) -> str:
        """The address, tidied. Raises BadInput."""
        ...

    def tell_hook(self, address: str, body: bytes, *, key: bytes, key_id: str, inside: bool) -> None:
        """POST JSON, signed. Raises AtticError unless it was taken."""
        ...


class Outside(Clock, ServerKeys, Devices, Stores, Results, Hooks, Protocol):
    """All of them: what the wiring, and a test's own, fulfil."""


@lru_cache(maxsize=1)
def outside() -> Outside:
    """The one that the settings name."""
    made: Outside = import_string(settings.ATTIC_OUTSIDE)()
    return made


def clock() -> Clock:
    """What time it is."""
    return outside()


def keys() -> ServerKeys:
    """The server's key and randomness."""
    return outside()


def devices() -> Devices:
    """Devices and links to them."""
    return outside()


def stores() -> Stores:
    """Vaults and where they lie."""
    return outside()


def results() -> Results:
    """Files that come in and go out."""
    return outside()


def hooks() -> Hooks:
    """Addresses that are told what happens."""
    return outside()
