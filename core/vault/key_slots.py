"""Who holds a key to a store (§3.3): slots are added, listed, changed and removed without any content being written again.

The last slot that a person can type stays.
"""

import json
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from core.units import aware
from core.vault import blobs as names
from core.vault.backups import Backups
from core.vault.blobs import id_in
from core.vault.errors import BlobMissing, Damaged, LastSlot, NotAVault, WrongPassphrase
from core.vault.keys import LOWEST_COST, Cost, Keys
from core.vault.ledger import note
from core.vault.recovery_code import new_code
from core.vault.sealing import local_place, seal, unseal
from core.vault.slots import (
    Secret,
    Slot,
    SlotKind,
    decode_slot,
    digest_of,
    encode_slot,
    first_that_opens,
    key_file_slot,
    passphrase_slot,
    recovery_slot,
    told_of,
)

PERSONAL = (SlotKind.PASSPHRASE, SlotKind.RECOVERY_CODE)


@dataclass(frozen=True, slots=True, kw_only=True)
class Policy:
    """What a passphrase must cost."""

    cost: Cost = Cost()
    floor: Cost = LOWEST_COST


STRICT = Policy()


@dataclass(frozen=True, slots=True, kw_only=True)
class SlotTold:
    """A slot as people see it."""

    id: bytes
    kind: SlotKind
    label: str
    device: str
    """The sealed device whose key it opens; empty for the store's."""
    made_at: datetime


def add_passphrase(
    vault: Backups, passphrase: str, *, label: str, now: datetime, policy: Policy = STRICT, keys: Keys | None = None, device: str = ""
) -> bytes:
    """Give somebody a passphrase of their own; the slot's id. `keys`: those of a sealed device."""
    fields = passphrase_slot(keys or vault.keys, passphrase, random=vault.random, cost=policy.cost, floor=policy.floor)
    return _add(vault, fields, label=label, device=device, now=now)


def add_recovery_code(vault: Backups, *, label: str, now: datetime, keys: Keys | None = None, device: str = "") -> str:
    """A new code, shown once."""
    code = new_code(vault.random)
    _add(vault, recovery_slot(keys or vault.keys, code, random=vault.random), label=label, device=device, now=now)
    return code


def add_key_file(vault: Backups, key_file: bytes, *, now: datetime, keys: Keys | None = None, device: str = "") -> bytes:
    """Give the server's key file a slot, for unattended runs."""
    return _add(vault, key_file_slot(keys or vault.keys, key_file, random=vault.random), label="key file", device=device, now=now)


def slots(vault: Backups) -> list[SlotTold]:
    """Every slot that was not removed; damaged ones are named in `vault.unreadable`."""
    found = []
    for slot in live_slots(vault):
        name = names.KEYS + slot.id.hex()
        try:
            told = json.loads(unseal(vault.keys, local_place(vault.store, name), told_of(slot)))
            if told["slot"] != digest_of(slot.fields):
                raise Damaged("The slot is another one than was written.")
            made_at = datetime.fromisoformat(told["made_at"])
            found.append(SlotTold(id=slot.id, kind=slot.kind, label=told["label"], device=told["device"], made_at=made_at))
        except (Damaged, ValueError, KeyError, TypeError):
            vault.unreadable[name] = f"Key slot {slot.id.hex()} does not belong to this store, or is damaged."
    return sorted(found, key=lambda told: (told.made_at, told.id))


def live_slots(vault: Backups) -> list[Slot]:
    """Slots as they lie in the store, those left out that were removed."""
    removed, found = vault.ledger().removed, []
    for name, _ in sorted(vault.blobs.list(names.KEYS)):
        if (id := id_in(name)) is None or id in removed:
            continue
        try:
            found.append(decode_slot(vault.blobs.read(name), id=id, floor=Cost(passes=1, memory_bytes=1, lanes=1)))
        except BlobMissing:
            continue
        except NotAVault as error:
            vault.unreadable[name] = error.message
    return found


def remove_slot(vault: Backups, id: bytes) -> None:
    """Nobody opens the store with it any more. Raises LastSlot when nobody could type anything that opens it."""
    present = slots(vault)
    going = next((told for told in present if told.id == id), None)
    if going is None:
        vault.blobs.delete(names.KEYS + id.hex())
        return
    _left_after(present, {id}, going.device)
    note(vault, names.REMOVED, id)
    try:
        # somebody else may just have removed the other one: whoever looks last finds that nothing is left
        _left_after(slots(vault), {id}, going.device)
    except LastSlot:
        vault.blobs.delete(names.REMOVED + id.hex())
        raise
    vault.blobs.delete(names.KEYS + id.hex())


def change_passphrase(vault: Backups, old: str, new: str, *, now: datetime, policy: Policy = STRICT) -> bytes:
    """The new slot comes first, so that the store can be opened at every moment. Raises WrongPassphrase."""
    found = first_that_opens([slot for slot in live_slots(vault) if slot.kind is SlotKind.PASSPHRASE], Secret(passphrase=old))
    if found is None:
        raise WrongPassphrase
    slot, keys = found
    told = next((entry for entry in slots(vault) if entry.id == slot.id), None)
    label, device = (told.label, told.device) if told else ("", "")
    id = add_passphrase(vault, new, label=label, now=now, policy=policy, keys=keys, device=device)
    remove_slot(vault, slot.id)
    return id


def _left_after(present: Iterable[SlotTold], going: set[bytes], device: str) -> None:
    if not any(told.kind in PERSONAL and told.device == device and told.id not in going for told in present):
        whose = f"the key of {device}" if device else "this store"
        raise LastSlot(f"This is the last passphrase or recovery code that opens {whose}.")


def _add(vault: Backups, fields: dict[str, Any], *, label: str, device: str, now: datetime) -> bytes:
    id = vault.random(16)
    name = names.KEYS + id.hex()
    told = json.dumps({"label": label, "device": device, "made_at": aware(now).isoformat(), "slot": digest_of(fields)}).encode()
    vault.blobs.create(name, encode_slot(fields, seal(vault.keys, local_place(vault.store, name), told)))
    return id
