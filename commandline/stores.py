"""STORE on the command line: a folder, or `s3://bucket/prefix`. The only place here that names adapters of stores."""

import argparse
import secrets
from datetime import UTC, datetime
from pathlib import Path
from urllib.parse import urlsplit

from adapters.stores.folder import FolderBlobs
from commandline.secrets import passphrase
from core.errors import BadInput
from core.vault.backups import Backups
from core.vault.blobs import BlobStore
from core.vault.errors import StoreReadOnly
from core.vault.key_slots import STRICT
from core.vault.keys import Keys
from core.vault.manifests import Manifest
from core.vault.sealed_devices import key_of, unlock_backup, unlock_device
from core.vault.slots import Secret
from core.vault.unlocking import open_backups, read_header

POLICY = STRICT
"""What a passphrase must cost."""


def now() -> datetime:
    return datetime.now(UTC)


def blobs_of(store: str, endpoint: str | None, *, make: bool = False) -> BlobStore:
    """Raises StoreError, BadInput."""
    if store.startswith("s3://"):
        from adapters.stores.s3 import Bucket, S3Blobs  # only here: it takes a third of a second to import

        parts = urlsplit(store)
        if not parts.netloc:
            raise BadInput("The store has no bucket.", field="store", remedy="Write s3://bucket/prefix.")
        return S3Blobs(Bucket(bucket=parts.netloc, prefix=parts.path, endpoint=endpoint))
    if "://" in store:
        raise BadInput(f"{store!r} is neither a folder nor s3://bucket/prefix.", field="store", remedy="Correct it.")
    folder = Path(store)
    if make:
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise StoreReadOnly(f"The folder {folder} cannot be made: {error.strerror}.") from None
    return FolderBlobs(folder)


def opened_backups(given: argparse.Namespace) -> Backups:
    """Of the STORE of the command, without any content: opens at once. Raises StoreError, VaultError, BadInput."""
    blobs = blobs_of(given.store, given.endpoint)
    read_header(blobs)  # before anybody is asked for a passphrase
    secret = passphrase(given.passphrase_file, given.passphrase_fd, ask="Passphrase or recovery code")
    return open_backups(blobs, passphrase=secret, random=secrets.token_bytes, policy=POLICY)


def unlocked(vault: Backups, device: str, given: argparse.Namespace) -> Keys | None:
    """The key of a sealed device, at hand from now on; asks only when it is sealed. Raises DeviceSealed, WrongPassphrase."""
    return unlock_device(vault, device, _secret_of(device, given)) if key_of(vault, device) is not None else None


def unlocked_backup(vault: Backups, manifest: Manifest, device: str, given: argparse.Namespace) -> None:
    """Have the key at hand with which this backup is sealed; asks only when it is. Raises DeviceSealed, WrongPassphrase."""
    if manifest.sealed is not None:
        unlock_backup(vault, manifest, _secret_of(device, given))


def _secret_of(device: str, given: argparse.Namespace) -> Secret:
    return Secret(passphrase=passphrase(given.device_passphrase_file, given.device_passphrase_fd, ask=f"Passphrase of {device}"))
