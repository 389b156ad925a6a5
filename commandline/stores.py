"""STORE on the command line: a folder, or `s3://bucket/prefix`."""

import argparse
import secrets
from datetime import UTC, datetime

from adapters.stores.places import blobs_at, make_room
from commandline.secrets import passphrase
from core.vault.address import address_in_words
from core.vault.backups import Backups
from core.vault.blobs import BlobStore
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
    address = address_in_words(store, endpoint=endpoint or "")
    if make:
        make_room(address)
    return blobs_at(address)


def opened_backups(options: argparse.Namespace) -> Backups:
    """Of the STORE of the command, without any content: opens at once. Raises StoreError, VaultError, BadInput."""
    blobs = blobs_of(options.store, options.endpoint)
    read_header(blobs)  # before anybody is asked for a passphrase
    secret = passphrase(options.passphrase_file, options.passphrase_fd, ask="Passphrase or recovery code")
    return open_backups(blobs, passphrase=secret, random=secrets.token_bytes, policy=POLICY)


def unlocked(vault: Backups, device: str, options: argparse.Namespace) -> Keys | None:
    """The key of a sealed device, at hand from now on; asks only when it is sealed. Raises DeviceSealed, WrongPassphrase."""
    return unlock_device(vault, device, _secret_of(device, options)) if key_of(vault, device) is not None else None


def unlocked_backup(vault: Backups, manifest: Manifest, device: str, options: argparse.Namespace) -> None:
    """Have the key at hand with which this backup is sealed; asks only when it is. Raises DeviceSealed, WrongPassphrase."""
    if manifest.sealed is not None:
        unlock_backup(vault, manifest, _secret_of(device, options))


def _secret_of(device: str, options: argparse.Namespace) -> Secret:
    return Secret(passphrase=passphrase(options.device_passphrase_file, options.device_passphrase_fd, ask=f"Passphrase of {device}"))
