"""Sealed devices (§3.6): a key and a passphrase of their own below the store's.

Whoever opens the store can look after a sealed device's backups (copy, check, remove, count) and cannot read
them. Content is sealed with the device's key first and then stored like any other.
"""

from datetime import datetime

from core.vault.backups import Backups
from core.vault.errors import AlreadySealed, DeviceSealed
from core.vault.key_slots import (
    STRICT,
    SlotPolicy,
    add_key_file,
    add_passphrase,
    add_recovery_code,
    closed_slots,
    live_slots,
    remove_slot,
    slots,
    write_slot,
)
from core.vault.keys import Keys
from core.vault.manifests import Manifest
from core.vault.slots import Secret, first_that_opens, refused


def seal_device(
    vault: Backups, device: str, passphrase: str, *, now: datetime, key_file: bytes | None = None, policy: SlotPolicy = STRICT
) -> tuple[Keys, str]:
    """Give a device a key of its own from now on: (the key, its recovery code). Raises AlreadySealed.

    One object seals it, and that opens with what the person has just typed: whatever ends the work at any moment, nothing
    is sealed with a key that nobody has. With the server's key file a run needs nobody to type the passphrase, and the
    server can read the device.
    """
    if key_of(vault, device) is not None:
        raise AlreadySealed(f"{device} is sealed already.")
    keys = Keys(id=vault.random(16), master=vault.random(32))
    mine = add_passphrase(vault, passphrase, label="passphrase of the device", now=now, policy=policy, keys=keys, device=device)
    if key_of(vault, device) != keys.id:  # two people at the same moment: the same one of them gives way for both
        remove_slot(vault, mine)
        raise AlreadySealed(f"Somebody else has just sealed {device}.")
    if key_file is not None:
        add_key_file(vault, key_file, now=now, keys=keys, device=device)
    code = add_recovery_code(vault, label="recovery code", now=now, keys=keys, device=device)
    vault.device_keys[keys.id] = keys
    return keys, code


def keys_of(vault: Backups, device: str) -> list[bytes]:
    """Ids of the keys that the device has or had here, those that were made here before those that copies brought along,
    older ones first: the first is the one for its next backup."""
    mine = [slot for slot in slots(vault) if slot.device == device and device]
    order = sorted(mine, key=lambda slot: (bool(slot.origins), slot.made_at, slot.id))
    return list(dict.fromkeys(slot.opens for slot in order))


def key_of(vault: Backups, device: str) -> bytes | None:
    """Id of the device's key; None for a device that is not sealed."""
    return next(iter(keys_of(vault, device)), None)


def unlock_device(vault: Backups, device: str, secret: Secret) -> Keys | None:
    """Have a key of the device at hand, to back it up or to add to its slots: the first one that the secret opens; None for a
    device that is not sealed. Raises DeviceSealed, WrongPassphrase."""
    known = keys_of(vault, device)
    return _unlocked(vault, known, secret, device) if known else None


def unlock_backup(vault: Backups, manifest: Manifest, secret: Secret) -> Keys | None:
    """Have the key at hand with which a backup is sealed, whatever key its device has by now; None for one that is not sealed.
    Raises DeviceSealed, WrongPassphrase."""
    return (
        None
        if manifest.sealed is None
        else _unlocked(vault, [manifest.sealed], secret, manifest.device_told.get("name") or manifest.device)
    )


def _unlocked(vault: Backups, keys: list[bytes], secret: Secret, device: str) -> Keys:
    if secret.passphrase is None and secret.key_file is None:
        raise DeviceSealed("This device is sealed: its content opens with a passphrase of its own.")
    lying = live_slots(vault)
    opened = first_that_opens([slot for key in keys for slot in lying if slot.opens == key], secret)
    if opened is None:
        raise refused(secret, device)
    vault.device_keys[opened[1].id] = opened[1]
    return opened[1]


def bring_slots(source: Backups, target: Backups, key: bytes) -> None:
    """Whoever can unlock a sealed device here can do so in the other store; whoever no longer can here, no longer there. What
    was closed there already is not brought back."""
    there = slots(target)
    known = {slot.fields["wrapped"] for slot in live_slots(target)}
    shut = {target.store + id for id in closed_slots(target)} | {pair for one in there for pair in one.replaces}
    here = {one.id: one for one in slots(source) if one.opens == key}
    for slot in live_slots(source):
        own = here.get(slot.id)
        if own is None or slot.fields["wrapped"] in known or shut & set(own.origins):
            continue
        says = {"label": own.label, "device": own.device, "made_at": own.made_at.isoformat()}
        says["origins"] = b"".join((*own.origins, source.store + slot.id)).hex()
        if replaces := (*own.replaces, *(source.store + id for id in own.instead_of)):
            says["replaces"] = b"".join(replaces).hex()
        write_slot(target, {field: value for field, value in slot.fields.items() if field != "told"}, says)
    closed = {source.store + id for id in closed_slots(source)}
    for own in there:
        if own.opens == key and closed & set(own.origins):
            remove_slot(target, own.id)
