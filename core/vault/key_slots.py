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
from core.vault.blobs import BlobStore, id_in
from core.vault.errors import BlobMissing, Damaged, LastSlot, NotAVault
from core.vault.keys import LOWEST_COST, Keys, StretchCost
from core.vault.ledger import note
from core.vault.manifests import split_ids
from core.vault.recovery_code import new_code
from core.vault.sealing import local_place, seal, unseal
from core.vault.slots import (
    KeySlot,
    Secret,
    SlotKind,
    decode_slot,
    digest_of,
    encode_slot,
    first_that_opens,
    key_file_slot,
    passphrase_slot,
    recovery_slot,
    refused,
    told_of,
)

_MOST_REPLACED = 64
_ANY_COST = StretchCost(passes=1, memory_bytes=1, lanes=1)
PERSONAL = (SlotKind.PASSPHRASE, SlotKind.RECOVERY_CODE)


@dataclass(frozen=True, slots=True, kw_only=True)
class SlotPolicy:
    """What a passphrase must cost."""

    cost: StretchCost = StretchCost()
    floor: StretchCost = LOWEST_COST


STRICT = SlotPolicy()


@dataclass(frozen=True, slots=True, kw_only=True)
class SlotTold:
    """A slot as people see it, and what its sealed part says of where it came from."""

    id: bytes
    kind: SlotKind
    opens: bytes
    """Id of the key that it opens."""
    label: str
    device: str
    """The sealed device whose key it opens; empty for the store's."""
    made_at: datetime
    instead_of: tuple[bytes, ...] = ()
    """Slots that it took the place of: they count as removed, whatever else is said."""
    origins: tuple[bytes, ...] = ()
    """Store and slot, one behind the other, of each slot that this one is a copy of; none for one that was made here."""
    replaces: tuple[bytes, ...] = ()
    """Store and slot of those that the ones it is a copy of took the place of: copies of them count as removed, too."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Changed:
    slot: bytes
    still_opens: bool
    """Whether the old passphrase opens the same key through another slot."""


def add_passphrase(
    vault: Backups,
    passphrase: str,
    *,
    label: str,
    now: datetime,
    policy: SlotPolicy = STRICT,
    keys: Keys | None = None,
    device: str = "",
    instead_of: tuple[bytes, ...] = (),
) -> bytes:
    """Give somebody a passphrase of their own; the slot's id. `keys`: those of a sealed device."""
    fields = passphrase_slot(keys or vault.keys, passphrase, random=vault.random, cost=policy.cost, floor=policy.floor)
    return _add(vault, fields, label=label, device=device, now=now, instead_of=instead_of)


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
    records = [record for slot in live_slots(vault) if (record := _told(vault, slot)) is not None]
    return sorted(records, key=lambda one: (one.made_at, one.id))


def live_slots(vault: Backups) -> list[KeySlot]:
    """Slots as they lie in the store, those left out that were removed."""
    lying = _lying(vault)
    closed = closed_slots(vault, lying)
    return [slot for slot in lying if slot.id not in closed]


def closed_slots(vault: Backups, lying: Iterable[KeySlot] | None = None) -> set[bytes]:
    """Slots that open nothing any more even where they lie in the store: removed (§9.4), or replaced by another one (§3.2)."""
    records = [one for slot in (_lying(vault) if lying is None else lying) if (one := _told(vault, slot)) is not None]
    replaced = {pair for one in records for pair in one.replaces}
    return (
        vault.ledger().removed
        | {id for one in records for id in one.instead_of}
        | {one.id for one in records if replaced & set(one.origins)}
    )


def _lying(vault: Backups) -> list[KeySlot]:
    return decoded_slots(vault, read_slots(vault.blobs))


def read_slots(blobs: BlobStore) -> dict[bytes, bytes]:
    """Id → what lies there in the name of a slot. Raises StoreError."""
    fields = {}
    for name, _ in sorted(blobs.list(names.KEYS)):
        if (id := id_in(name)) is None or not names.is_ours(name):
            continue
        try:
            fields[id] = blobs.read(name)
        except BlobMissing:
            continue
    return fields


def decoded_slots(vault: Backups, lying: dict[bytes, bytes]) -> list[KeySlot]:
    """The slots among what lies there; what is none is named in `vault.unreadable`."""
    problems = []
    for id, content in lying.items():
        try:
            problems.append(decode_slot(content, id=id, floor=_ANY_COST))
        except NotAVault as error:
            vault.unreadable[names.KEYS + id.hex()] = error.message
    return problems


def _told(vault: Backups, slot: KeySlot) -> SlotTold | None:
    """What the sealed part of a slot says; one that is not what was written is named in `vault.unreadable`."""
    name = names.KEYS + slot.id.hex()
    try:
        record = json.loads(unseal(vault.keys, local_place(vault.store, name), told_of(slot)))
        if record["slot"] != digest_of(slot.fields):
            raise Damaged("The slot is another one than was written.")
        return SlotTold(
            id=slot.id,
            kind=slot.kind,
            opens=slot.opens,
            label=record["label"],
            device=record["device"],
            made_at=datetime.fromisoformat(record["made_at"]),
            instead_of=tuple(split_ids(bytes.fromhex(record.get("instead_of", "")))),
            origins=_pairs(record.get("origins", "")),
            replaces=_pairs(record.get("replaces", "")),
        )
    except (Damaged, ValueError, KeyError, TypeError):
        vault.unreadable[name] = f"Key slot {slot.id.hex()} does not belong to this store, or is damaged."
        return None


def _pairs(text: str) -> tuple[bytes, ...]:
    ids = split_ids(bytes.fromhex(text))
    return tuple(store + slot for store, slot in zip(ids[::2], ids[1::2], strict=True))


def slot_opened_by(vault: Backups, passphrase: str) -> bytes | None:
    """Id of the live slot of the store's own key that this passphrase or recovery code opens; None for none."""
    mine = [slot for slot in live_slots(vault) if slot.opens == vault.keys.id]
    opened = first_that_opens(mine, Secret(passphrase=passphrase))
    return opened[0].id if opened else None


def remove_slot(vault: Backups, id: bytes) -> None:
    """Nobody opens the store with it any more. Raises LastSlot when nobody could type anything that opens what is sealed."""
    present = slots(vault)
    going = next((slot for slot in present if slot.id == id), None)
    if going is None:
        vault.blobs.delete(names.KEYS + id.hex())
        return
    needed = _is_needed(vault, going)
    if needed:
        _left_after(present, going)
    note(vault, names.REMOVED, id)
    try:
        # somebody else may just have removed the other one: whoever looks last finds that nothing is left
        if needed:
            _left_after(slots(vault), going)
    except LastSlot:
        _give_back(vault, id, going)
        raise
    vault.blobs.delete(names.KEYS + id.hex())
    left = [slot for slot in present if slot.opens == going.opens and slot.id != id]
    if not needed and not any(slot.kind in PERSONAL for slot in left):
        for slot in left:  # a key that opens nothing, and that nobody could type anything for
            note(vault, names.REMOVED, slot.id)
            vault.blobs.delete(names.KEYS + slot.id.hex())


def _give_back(vault: Backups, id: bytes, going: SlotTold) -> None:
    """The same slot under another id: a note of a removal stays for ever, since later notes name it."""
    name = names.KEYS + id.hex()
    fields = decode_slot(vault.blobs.read(name), id=id, floor=_ANY_COST).fields
    record = {"label": going.label, "device": going.device, "made_at": going.made_at.isoformat()}
    for field, ids in (("instead_of", going.instead_of), ("origins", going.origins), ("replaces", going.replaces)):
        if ids:
            record[field] = b"".join(ids).hex()
    write_slot(vault, {field: value for field, value in fields.items() if field != "told"}, record)
    vault.blobs.delete(name)


def _is_needed(vault: Backups, going: SlotTold) -> bool:
    """Whether anything is sealed with the key that the slot opens; a device that was sealed in vain may be unsealed."""
    if going.opens == vault.keys.id:
        return True
    sealed = {manifest.sealed for manifest in vault.manifests()}
    return going.opens in sealed or any(name.startswith(names.MANIFESTS) for name in vault.unreadable)


def change_passphrase(
    vault: Backups, old: str, new: str, *, now: datetime, device: str = "", slot: bytes | None = None, policy: SlotPolicy = STRICT
) -> Changed:
    """Of the store, or of one of a device's keys; only that of `slot` where one is named. The new slot comes first, so that
    the store can be opened at every moment. Raises WrongPassphrase."""
    passphrases = {one.id: one for one in slots(vault) if one.device == device and one.kind is SlotKind.PASSPHRASE}
    order = sorted(passphrases.values(), key=lambda one: (bool(one.origins), one.made_at, one.id))
    by_id = {one.id: one for one in live_slots(vault)}
    mine = [by_id[one.id] for one in order if one.id in by_id]
    opened = first_that_opens([one for one in mine if slot is None or one.id == slot], Secret(passphrase=old))
    if opened is None:
        raise refused(Secret(passphrase=old), device)
    going, keys = opened
    gone = (*passphrases[going.id].instead_of, going.id)[-_MOST_REPLACED:]
    made = add_passphrase(vault, new, label=passphrases[going.id].label, now=now, policy=policy, keys=keys, device=device, instead_of=gone)
    remove_slot(vault, going.id)
    rest = [one for one in mine if one.id != going.id and one.opens == going.opens]
    return Changed(slot=made, still_opens=first_that_opens(rest, Secret(passphrase=old)) is not None)


def _left_after(present: Iterable[SlotTold], going: SlotTold) -> None:
    if not any(slot.kind in PERSONAL and slot.opens == going.opens and slot.id != going.id for slot in present):
        whose = f"the key of {going.device}" if going.device else "this store"
        raise LastSlot(f"This is the last passphrase or recovery code that opens {whose}.")


def _add(vault: Backups, fields: dict[str, Any], *, label: str, device: str, now: datetime, instead_of: tuple[bytes, ...] = ()) -> bytes:
    record = {"label": label, "device": device, "made_at": aware(now).isoformat()}
    if instead_of:
        record["instead_of"] = b"".join(instead_of).hex()
    return write_slot(vault, fields, record)


def write_slot(vault: Backups, fields: dict[str, Any], record: dict[str, str]) -> bytes:
    """Store a slot with what its sealed part says; its id. Raises StoreError."""
    id = vault.random(16)
    name = names.KEYS + id.hex()
    sealed = seal(vault.keys, local_place(vault.store, name), json.dumps(record | {"slot": digest_of(fields)}).encode())
    vault.blobs.create(name, encode_slot(fields, sealed))
    return id
