"""Making and opening a vault whole: its backups (`unlocking`), and beside them its chunks.

The header is written last, so a half-made vault is none.
"""

from datetime import datetime

from core.units import aware
from core.vault import blobs as names
from core.vault.blobs import BlobStore
from core.vault.chunks import VaultLimits
from core.vault.errors import BlobExists, VaultExists
from core.vault.key_slots import STRICT, SlotPolicy, add_key_file, add_passphrase, add_recovery_code
from core.vault.keys import Keys, Randomness
from core.vault.unlocking import header_of, open_backups
from core.vault.vault import Vault


def create_vault(
    blobs: BlobStore,
    *,
    passphrase: str,
    key_file: bytes | None = None,
    now: datetime,
    random: Randomness,
    limits: VaultLimits,
    policy: SlotPolicy = STRICT,
    same_key_as: Vault | None = None,
) -> tuple[Vault, str]:
    """Prepare an empty place: (the opened vault, its recovery code). Raises VaultExists.

    With `same_key_as` sealed chunks can be moved between the two stores as they are.
    """
    lying = [name for name, _ in blobs.list("")]
    if any(not name.startswith(names.KEYS) for name in lying):
        raise VaultExists("This place is not empty.")
    for name in lying:  # somebody was interrupted before there was a header: these slots open nothing
        blobs.delete(name)
    keys = same_key_as.keys if same_key_as else Keys(id=random(16), master=random(32))
    vault = Vault(blobs, keys, store=random(16), random=random, limits=limits)
    add_passphrase(vault, passphrase, label="first passphrase", now=now, policy=policy)
    code = add_recovery_code(vault, label="recovery code", now=now)
    if key_file is not None:
        add_key_file(vault, key_file, now=now)
    try:
        blobs.create(names.HEADER, header_of(keys, vault.store, aware(now)))
    except BlobExists:
        raise VaultExists("Somebody else has just prepared this place.") from None
    return vault, code


def open_vault(
    blobs: BlobStore,
    *,
    passphrase: str | None = None,
    key_file: bytes | None = None,
    random: Randomness,
    limits: VaultLimits,
    policy: SlotPolicy = STRICT,
) -> Vault:
    """Open with a passphrase, a recovery code or a key file. Raises NotAVault, NewerVault, WrongPassphrase, Damaged."""
    backups = open_backups(blobs, passphrase=passphrase, key_file=key_file, random=random, policy=policy)
    return Vault(blobs, backups.keys, store=backups.store, random=random, limits=limits)
