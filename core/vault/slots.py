"""Key slots (§3.2, §3.3): a master key wrapped for a passphrase, a recovery code, or a server's key file.

Pure: content of slots in and out. Where slots lie, which of them were removed, and that the last one stays
is `key_slots`' to say. Whoever does not open a slot learns the same, whatever the reason: WrongPassphrase.
"""

import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from argon2.exceptions import HashingError
from blake3 import blake3
from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM

from core.errors import BadInput
from core.vault.errors import Damaged, MistypedCode, NotAVault, WrongPassphrase
from core.vault.keys import HIGHEST_COST, LOWEST_COST, Keys, Randomness, StretchCost, hkdf, one_form, stretched
from core.vault.recovery_code import looks_like_code, secret_of, slip_in


class SlotKind(StrEnum):
    PASSPHRASE = "passphrase"
    RECOVERY_CODE = "recovery_code"
    KEY_FILE = "key_file"


@dataclass(frozen=True, slots=True, kw_only=True, repr=False)
class Secret:
    """What somebody offers to open a slot. Never printed."""

    passphrase: str | None = None
    """May be a recovery code too."""
    key_file: bytes | None = None

    def __repr__(self) -> str:
        return "Secret(…)"


@dataclass(frozen=True, slots=True, kw_only=True)
class KeySlot:
    """One slot as it lies in a store; holds no secret."""

    id: bytes
    kind: SlotKind
    opens: bytes
    """Id of the key that it opens: the vault's, or a sealed device's."""
    fields: dict[str, Any]

    @property
    def cost(self) -> StretchCost:
        return StretchCost(passes=self.fields["passes"], memory_bytes=self.fields["memory_bytes"], lanes=self.fields["lanes"])


def passphrase_slot(
    keys: Keys, passphrase: str, *, random: Randomness, cost: StretchCost, floor: StretchCost = LOWEST_COST
) -> dict[str, Any]:
    """Raises BadInput when a guess would cost less than the floor, or more than readers accept."""
    if not cost.within(floor, HIGHEST_COST):
        raise BadInput("The cost of a guess is out of range.", field="cost", remedy="Leave it at its default.")
    salt = random(16)
    cost_fields = {"passes": cost.passes, "memory_bytes": cost.memory_bytes, "lanes": cost.lanes}
    return _wrapped(keys, SlotKind.PASSPHRASE, salt, stretched(one_form(passphrase), salt=salt, cost=cost), cost_fields)


def recovery_slot(keys: Keys, code: str, *, random: Randomness) -> dict[str, Any]:
    """The code is random enough that stretching it would buy nothing."""
    salt = random(16)
    return _wrapped(keys, SlotKind.RECOVERY_CODE, salt, _from_code(code, salt), {})


def key_file_slot(keys: Keys, key_file: bytes, *, random: Randomness) -> dict[str, Any]:
    """For unattended runs."""
    salt = random(16)
    return _wrapped(keys, SlotKind.KEY_FILE, salt, _from_key_file(key_file, salt), {})


def open_slot(slot: KeySlot, secret: Secret) -> Keys | None:
    """The keys that this slot holds; None when the secret is not the one."""
    for wrapping in _wrapping_keys(slot, secret):
        try:
            master = AESGCM(wrapping).decrypt(bytes(12), bytes.fromhex(slot.fields["wrapped"]), _bound(slot.fields))
        except InvalidTag:
            continue
        return Keys(id=slot.opens, master=master)
    return None


def _wrapping_keys(slot: KeySlot, secret: Secret) -> Iterator[bytes]:
    """Those that the secret makes for this kind of slot; slots of earlier programs took a passphrase as it was typed."""
    salt = bytes.fromhex(slot.fields["salt"])
    if slot.kind is SlotKind.PASSPHRASE and secret.passphrase is not None:
        for passphrase in dict.fromkeys((one_form(secret.passphrase), secret.passphrase)):
            try:
                yield stretched(passphrase, salt=salt, cost=slot.cost)
            except HashingError:
                return  # a cost that cannot be paid here: more memory than there is, or less than its lanes need
    elif slot.kind is SlotKind.RECOVERY_CODE and secret.passphrase is not None and looks_like_code(secret.passphrase):
        if slip_in(secret.passphrase) is None:
            yield _from_code(secret.passphrase, salt)
    elif slot.kind is SlotKind.KEY_FILE and secret.key_file is not None:
        yield _from_key_file(secret.key_file, salt)


def refused(secret: Secret, whose: str = "") -> WrongPassphrase:
    """What to tell somebody whose secret opens nothing; `whose`: the sealed device whose key was meant. A slip in a recovery
    code is told, since the code itself knows: a stranger learns nothing of the store."""
    if secret.passphrase is not None and (slip := slip_in(secret.passphrase)) is not None:
        return MistypedCode(slip.message, remedy=slip.remedy)
    if whose:
        remedy = "Type the passphrase of the device, which is not the store's; its recovery code opens it, too."
        return WrongPassphrase(f"This passphrase does not open what {whose} is sealed with.", remedy=remedy)
    return WrongPassphrase()


def encode_slot(fields: dict[str, Any], sealed: bytes) -> bytes:
    """`told` is the sealed part (§3.2): label, device, when it was made."""
    return json.dumps(fields | {"told": sealed.hex()}, sort_keys=True).encode()


def decode_slot(content: bytes, *, id: bytes, floor: StretchCost = LOWEST_COST) -> KeySlot:
    """Raises NotAVault for a slot that no honest writer makes."""
    try:
        fields = json.loads(content)
        kind, opens = SlotKind(fields["kind"]), bytes.fromhex(fields["opens"])
        wrong = len(opens) != 16 or len(bytes.fromhex(fields["salt"])) != 16 or len(bytes.fromhex(fields["wrapped"])) != 48
        # written differently, the same slot would be another sequence of bytes that nothing vouches for
        wrong = wrong or json.dumps(fields, sort_keys=True).encode() != content
        wrong = wrong or any(bytes.fromhex(fields[name]).hex() != fields[name] for name in ("opens", "salt", "wrapped", "told"))
        slot = KeySlot(id=id, kind=kind, opens=opens, fields=fields)
        if kind is SlotKind.PASSPHRASE:
            numbers = (fields["passes"], fields["memory_bytes"], fields["lanes"])
            wrong = wrong or any(type(number) is not int for number in numbers) or not slot.cost.within(floor, HIGHEST_COST)
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
        wrong = True
    if wrong:
        raise NotAVault(f"Key slot {id.hex()} of this store cannot be used: it is damaged or asks for an unreasonable cost.")
    return slot


def digest_of(fields: dict[str, Any]) -> str:
    """What the sealed part says of the open one, so that whoever holds the key notices any change."""
    return blake3(json.dumps({name: value for name, value in fields.items() if name != "told"}, sort_keys=True).encode()).hexdigest()


def first_that_opens(slots: Iterable[KeySlot], secret: Secret) -> tuple[KeySlot, Keys] | None:
    """The first slot that the secret opens, and what it holds."""
    for slot in slots:
        if (keys := open_slot(slot, secret)) is not None:
            return slot, keys
    return None


def told_of(slot: KeySlot) -> bytes:
    """The sealed part. Raises Damaged."""
    try:
        return bytes.fromhex(slot.fields["told"])
    except (ValueError, KeyError):
        raise Damaged(f"Key slot {slot.id.hex()} is damaged.") from None


def _wrapped(keys: Keys, kind: SlotKind, salt: bytes, wrapping: bytes, cost: dict[str, int]) -> dict[str, Any]:
    fields: dict[str, Any] = {"kind": kind.value, "opens": keys.id.hex(), "salt": salt.hex()} | cost
    # the wrapping key comes from a fresh salt, so the zero nonce is used once with it
    return fields | {"wrapped": AESGCM(wrapping).encrypt(bytes(12), keys.master, _bound(fields)).hex()}


def _bound(fields: dict[str, Any]) -> bytes:
    return json.dumps({name: value for name, value in fields.items() if name not in ("wrapped", "told")}, sort_keys=True).encode()


def _from_code(code: str, salt: bytes) -> bytes:
    return hkdf(secret_of(code), salt=salt, info=b"old attic recovery code slot 2")


def _from_key_file(key_file: bytes, salt: bytes) -> bytes:
    return hkdf(key_file, salt=salt, info=b"old attic key file slot 2")
