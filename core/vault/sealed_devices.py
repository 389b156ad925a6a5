"""Sealed devices (§3.6): a key and a passphrase of their own below the store's.

Whoever opens the store can look after a sealed device's backups (copy, check, remove, count) and cannot read
them. Content is sealed with the device's key first and then stored like any other.
"""

from datetime import datetime

from core.vault.backups import Backups
from core.vault.errors import DeviceSealed, WrongPassphrase
from core.vault.key_slots import STRICT, Policy, add_key_file, add_passphrase, add_recovery_code, live_slots, slots
from core.vault.keys import Keys
from core.vault.slots import Secret, first_that_opens


def seal_device(
    vault: Backups, device: str, passphrase: str, *, now: datetime, key_file: bytes | None = None, policy: Policy = STRICT
) -> tuple[Keys, str]:
    """Give a device a key of its own from now on: (the key, its recovery code).

    With the server's key file a run needs nobody to type the passphrase, and the server can read the device.
    """
    keys = Keys(id=vault.random(16), master=vault.random(32))
    code = add_recovery_code(vault, label="recovery code", now=now, keys=keys, device=device)
    if key_file is not None:
        add_key_file(vault, key_file, now=now, keys=keys, device=device)
    add_passphrase(vault, passphrase, label="passphrase of the device", now=now, policy=policy, keys=keys, device=device)
    vault.device_keys[keys.id] = keys
    return keys, code


def key_of(vault: Backups, device: str) -> bytes | None:
    """Id of the device's key; None for a device that is not sealed. Of two, the one that was made first."""
    mine = {told.id: told.made_at for told in slots(vault) if told.device == device and device}
    found = sorted((mine[slot.id], slot.id, slot.opens) for slot in live_slots(vault) if slot.id in mine)
    return found[0][2] if found else None


def unlock_device(vault: Backups, device: str, secret: Secret) -> Keys | None:
    """Have the device's key at hand; None for a device that is not sealed. Raises DeviceSealed, WrongPassphrase."""
    id = key_of(vault, device)
    if id is None:
        return None
    if secret.passphrase is None and secret.key_file is None:
        raise DeviceSealed("This device is sealed: its content opens with a passphrase of its own.")
    found = first_that_opens([slot for slot in live_slots(vault) if slot.opens == id], secret)
    if found is None:
        raise WrongPassphrase
    vault.device_keys[id] = found[1]
    return found[1]
