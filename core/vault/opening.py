"""Making and opening a vault (§3): the header, and who holds a key to it.

The header is written last, so a half-made vault is none. Opening tries every slot that was not removed, and
says one thing when none opens. Slots come and go without any content being written again; the last one that
a person can type stays.
"""

import json
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from blake3 import blake3

from core.units import aware
from core.vault import blobs as names
from core.vault.blobs import BlobStore, id_in
from core.vault.chunks import VaultLimits
from core.vault.errors import BlobExists, BlobMissing, Damaged, LastSlot, NewerVault, NotAVault, VaultExists, WrongPassphrase
from core.vault.keys import LOWEST_COST, Cost, Keys, Randomness
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
from core.vault.vault import Vault

FORMAT, VERSION = "old-attic-vault", 2
MAX_HEADER_BYTES = 4096
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


def create_vault(
    blobs: BlobStore,
    *,
    passphrase: str,
    key_file: bytes | None = None,
    now: datetime,
    random: Randomness,
    limits: VaultLimits,
    policy: Policy = STRICT,
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
        blobs.create(names.HEADER, _header(keys, vault.store, aware(now)))
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
    policy: Policy = STRICT,
) -> Vault:
    """Open with a passphrase, a recovery code or a key file. Raises NotAVault, NewerVault, WrongPassphrase, Damaged."""
    told = read_header(blobs)
    id, store = bytes.fromhex(told["vault"]), bytes.fromhex(told["store"])
    mine, damaged = [], None
    for name, _ in sorted(blobs.list(names.KEYS)):
        if (slot_id := id_in(name)) is None:
            continue
        try:
            slot = decode_slot(blobs.read(name), id=slot_id, floor=policy.floor)
        except BlobMissing:
            continue
        except NotAVault as error:
            damaged = error  # somebody else's slot may be broken; mine may be whole
            continue
        if slot.opens == id:
            mine.append(slot)
    found = first_that_opens(mine, Secret(passphrase=passphrase, key_file=key_file))
    if found is None:
        if damaged is not None and not mine:
            raise damaged
        raise WrongPassphrase
    slot, keys = found
    if _seal_of(keys, told).hex() != told["seal"]:
        raise Damaged("The header of this vault was changed.")
    vault = Vault(blobs, keys, store=store, random=random, limits=limits)
    if slot.id in vault.ledger().removed:
        raise WrongPassphrase  # a slot that was removed and has been put back
    return vault


def read_header(blobs: BlobStore) -> dict[str, Any]:
    """The header's fields, not yet proven. Raises NotAVault, NewerVault."""
    try:
        content = blobs.read(names.HEADER, length=MAX_HEADER_BYTES)
        told = json.loads(content)
        if not isinstance(told, dict) or told.get("format") != FORMAT:
            raise NotAVault("There is no vault here.")
        version = told["version"]
        if type(version) is not int or version != VERSION:
            told_version = version if type(version) is int else "unknown"
            remedy = "It was written by a draft of this program. Prepare a new store." if version == 1 else None
            raise NewerVault(f"This vault is of version {told_version}; this program reads version {VERSION}.", remedy=remedy)
        if {len(bytes.fromhex(told[name])) for name in ("vault", "store")} != {16} or len(bytes.fromhex(told["seal"])) != 32:
            raise NotAVault("The header of this vault cannot be read.")
        if json.dumps(told, sort_keys=True).encode() != content:
            raise NotAVault("The header of this vault was changed.")
    except BlobMissing:
        raise NotAVault("There is no vault here.") from None
    except (ValueError, KeyError, TypeError, RecursionError):
        raise NotAVault("The header of this vault cannot be read.") from None
    return told


# -- slots


def add_passphrase(
    vault: Vault, passphrase: str, *, label: str, now: datetime, policy: Policy = STRICT, keys: Keys | None = None, device: str = ""
) -> bytes:
    """Give somebody a passphrase of their own; the slot's id. `keys`: those of a sealed device."""
    fields = passphrase_slot(keys or vault.keys, passphrase, random=vault.random, cost=policy.cost, floor=policy.floor)
    return _add(vault, fields, label=label, device=device, now=now)


def add_recovery_code(vault: Vault, *, label: str, now: datetime, keys: Keys | None = None, device: str = "") -> str:
    """A new code, shown once."""
    code = new_code(vault.random)
    _add(vault, recovery_slot(keys or vault.keys, code, random=vault.random), label=label, device=device, now=now)
    return code


def add_key_file(vault: Vault, key_file: bytes, *, now: datetime, keys: Keys | None = None, device: str = "") -> bytes:
    """Give the server's key file a slot, for unattended runs."""
    return _add(vault, key_file_slot(keys or vault.keys, key_file, random=vault.random), label="key file", device=device, now=now)


def slots(vault: Vault) -> list[SlotTold]:
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


def live_slots(vault: Vault) -> list[Slot]:
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


def remove_slot(vault: Vault, id: bytes) -> None:
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


def change_passphrase(vault: Vault, old: str, new: str, *, now: datetime, policy: Policy = STRICT) -> bytes:
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


def _add(vault: Vault, fields: dict[str, Any], *, label: str, device: str, now: datetime) -> bytes:
    id = vault.random(16)
    name = names.KEYS + id.hex()
    told = json.dumps({"label": label, "device": device, "made_at": aware(now).isoformat(), "slot": digest_of(fields)}).encode()
    vault.blobs.create(name, encode_slot(fields, seal(vault.keys, local_place(vault.store, name), told)))
    return id


def _header(keys: Keys, store: bytes, now: datetime) -> bytes:
    told = {"format": FORMAT, "version": VERSION, "vault": keys.id.hex(), "store": store.hex(), "created_at": now.isoformat()}
    return json.dumps(told | {"seal": _seal_of(keys, told).hex()}, sort_keys=True).encode()


def _seal_of(keys: Keys, told: dict[str, Any]) -> bytes:
    content = json.dumps({name: value for name, value in told.items() if name != "seal"}, sort_keys=True).encode()
    return blake3(content, key=keys.header).digest()
