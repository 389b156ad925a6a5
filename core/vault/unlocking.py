"""The header of a vault (§3.1), and whose secret opens it.

Opening tries every slot that was not removed, and says one thing when none opens.
"""

import json
from datetime import datetime
from typing import Any

from blake3 import blake3

from core.vault import blobs as names
from core.vault.backups import Backups
from core.vault.blobs import BlobStore
from core.vault.errors import BlobMissing, Damaged, NewerVault, NotAVault
from core.vault.key_slots import STRICT, SlotPolicy, closed_slots, decoded_slots, read_slots
from core.vault.keys import Keys, Randomness
from core.vault.slots import Secret, decode_slot, open_slot, refused

FORMAT, VERSION = "old-attic-vault", 2
MAX_HEADER_BYTES = 4096


def open_backups(
    blobs: BlobStore,
    *,
    passphrase: str | None = None,
    key_file: bytes | None = None,
    random: Randomness,
    policy: SlotPolicy = STRICT,
) -> Backups:
    """Open with a passphrase, a recovery code or a key file. Raises NotAVault, NewerVault, WrongPassphrase, Damaged."""
    fields = read_header(blobs)
    id, store = bytes.fromhex(fields["vault"]), bytes.fromhex(fields["store"])
    mine, damaged = [], None
    lying = read_slots(blobs)
    for slot_id, content in lying.items():
        try:
            slot = decode_slot(content, id=slot_id, floor=policy.floor)
        except NotAVault as error:
            damaged = error  # somebody else's slot may be broken; mine may be whole
            continue
        if slot.opens == id:
            mine.append(slot)
    secret = Secret(passphrase=passphrase, key_file=key_file)
    for slot in mine:
        keys = open_slot(slot, secret)
        if keys is None:
            continue
        if seal_of(keys, fields).hex() != fields["seal"]:
            raise Damaged("The header of this vault was changed.")
        looked = Backups(blobs, keys, store=store, random=random)
        if slot.id not in closed_slots(looked, decoded_slots(looked, lying)):
            return Backups(blobs, keys, store=store, random=random)  # a slot of somebody else's that is broken hinders nobody
        # a slot that was removed and has been put back: another one may open with the same secret
    if damaged is not None and not mine:
        raise damaged
    raise refused(secret)


def read_header(blobs: BlobStore) -> dict[str, Any]:
    """The header's fields, not yet proven. Raises NotAVault, NewerVault."""
    try:
        content = blobs.read(names.HEADER, length=MAX_HEADER_BYTES)
        record = json.loads(content)
        if not isinstance(record, dict) or record.get("format") != FORMAT:
            raise NotAVault("There is no vault here.")
        version = record["version"]
        if type(version) is not int or version != VERSION:
            told_version = version if type(version) is int else "unknown"
            remedy = "It was written by a draft of this program. Prepare a new store." if version == 1 else None
            raise NewerVault(f"This vault is of version {told_version}; this program reads version {VERSION}.", remedy=remedy)
        if {len(bytes.fromhex(record[name])) for name in ("vault", "store")} != {16} or len(bytes.fromhex(record["seal"])) != 32:
            raise NotAVault("The header of this vault cannot be read.")
        if json.dumps(record, sort_keys=True).encode() != content:
            raise NotAVault("The header of this vault was changed.")
    except BlobMissing:
        raise NotAVault("There is no vault here.") from None
    except (ValueError, KeyError, TypeError, RecursionError):
        raise NotAVault("The header of this vault cannot be read.") from None
    return record


def header_of(keys: Keys, store: bytes, now: datetime) -> bytes:
    fields = {"format": FORMAT, "version": VERSION, "vault": keys.id.hex(), "store": store.hex(), "created_at": now.isoformat()}
    return json.dumps(fields | {"seal": seal_of(keys, fields).hex()}, sort_keys=True).encode()


def seal_of(keys: Keys, record: dict[str, Any]) -> bytes:
    content = json.dumps({name: value for name, value in record.items() if name != "seal"}, sort_keys=True).encode()
    return blake3(content, key=keys.header).digest()
