"""What the server needs from outside, as one port. `server.project.wiring` fulfils it; apps ask for it here.

Keeps adapters, the clock and randomness out of the apps: a test puts another `Outside` in place.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from typing import Protocol

from django.conf import settings
from django.utils.module_loading import import_string

from core.content.link import DeviceLink
from core.vault.blobs import BlobStore
from core.vault.vault import Vault, VaultLimits


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


class Outside(Protocol):
    """Devices, stores, keys, time and randomness."""

    limits: VaultLimits
    exports: Path
    """Folder for files that a restore made."""

    def now(self) -> datetime:
        """Aware, UTC."""
        ...

    def random(self, count: int) -> bytes: ...

    def offers(self) -> Sequence[NetworkOffer]:
        """Devices on the office network. Raises LinkError."""
        ...

    def pair(self, address: str, code: str) -> tuple[str, bytes]:
        """(device id, key). Raises LinkError."""
        ...

    def agent_link(self, agent_id: str, address: str, key: bytes) -> DeviceLink:
        """The device wherever it is on the network now."""
        ...

    def folder_link(self, path: str) -> DeviceLink: ...

    def blobs(self, path: str) -> BlobStore:
        """Raises StoreError."""
        ...

    def create_vault(self, path: str, passphrase: str) -> tuple[Vault, str]:
        """Prepare a folder, made if it is missing: the vault and its recovery code. Raises StoreError, VaultError."""
        ...

    def attach_vault(self, path: str, passphrase: str) -> Vault:
        """Open an existing vault and give this server a key slot. Raises StoreError, VaultError."""
        ...

    def open_vault(self, path: str) -> Vault:
        """Open with the server's key file. Raises StoreError, VaultError."""
        ...

    def seal(self, purpose: str, secret: bytes) -> bytes: ...

    def unseal(self, purpose: str, sealed: bytes) -> bytes: ...


Clock = Callable[[], datetime]


@lru_cache(maxsize=1)
def outside() -> Outside:
    """The one that the settings name."""
    found: Outside = import_string(settings.ATTIC_OUTSIDE)()
    return found
