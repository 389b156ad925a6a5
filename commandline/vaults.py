"""A STORE opened whole, for what reads or writes content: takes a moment longer to load than its backups alone."""

import argparse
import secrets
from pathlib import Path

from commandline import stores
from commandline.secrets import passphrase
from core.vault.chunks import VaultLimits
from core.vault.opening import open_vault
from core.vault.unlocking import read_header
from core.vault.vault import Vault


def opened(options: argparse.Namespace) -> Vault:
    """The STORE of the command. Raises StoreError, VaultError, BadInput."""
    blobs = stores.blobs_of(options.store, options.endpoint)
    read_header(blobs)  # before anybody is asked for a passphrase
    secret = passphrase(options.passphrase_file, options.passphrase_fd, ask="Passphrase or recovery code")
    return open_vault(blobs, passphrase=secret, random=secrets.token_bytes, limits=VaultLimits(), policy=stores.POLICY)


def opened_other(
    store: str, endpoint: str | None, file: Path | None, descriptor: int | None, options: argparse.Namespace, *, ask: str
) -> Vault:
    """A second store; without a passphrase of its own that of the first is tried."""
    blobs = stores.blobs_of(store, endpoint or options.endpoint)
    read_header(blobs)
    if file is None and descriptor is None and options.passphrase_file is not None:
        file = options.passphrase_file
    secret = passphrase(file, descriptor, ask=ask)
    return open_vault(blobs, passphrase=secret, random=secrets.token_bytes, limits=VaultLimits(), policy=stores.POLICY)
