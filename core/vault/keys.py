"""Keys (§3): one random master key a store, wrapped in slots, and the keys derived from it.

A slot is opened by a passphrase (Argon2id, RFC 9106) or by the server's key file (HKDF, RFC 5869).
Neither writes anything here; the caller stores the slot. Raises WrongPassphrase with one constant
message, whatever the reason.
"""

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, cast

from argon2.low_level import Type, hash_secret_raw
from blake3 import blake3
from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

from core.errors import BadInput
from core.units import KIB, MIB
from core.vault.errors import NotAVault, WrongPassphrase

KEY_BYTES = 32
MIN_PASSPHRASE_CHARACTERS = 10

Randomness = Callable[[int], bytes]
"""n → n unpredictable bytes."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Cost:
    """What one guess of a passphrase costs (RFC 9106 §3.1)."""

    passes: int = 3
    memory_bytes: int = 64 * MIB
    lanes: int = 4


HIGHEST_COST = Cost(passes=16, memory_bytes=1024 * MIB, lanes=16)
"""A slot that asks for more is refused: a stranger's store must not exhaust this machine."""


@dataclass(frozen=True, slots=True, kw_only=True, repr=False)
class VaultKeys:
    """The keys of an opened vault. Never printed: `repr` shows none of it."""

    vault: bytes
    """16-byte id of the vault; part of every seal."""
    master: bytes
    chunk_ids: bytes = field(init=False)
    chunks: bytes = field(init=False)
    objects: bytes = field(init=False)
    header: bytes = field(init=False)
    cutting: int = field(init=False)
    """Seed of the content-defined cuts, 63 bits."""

    def __post_init__(self) -> None:
        for name in ("chunk_ids", "chunks", "objects", "header"):
            object.__setattr__(self, name, self._derived(name.encode()))
        object.__setattr__(self, "cutting", int.from_bytes(self._derived(b"cutting")[:8], "big") >> 1)

    def _derived(self, purpose: bytes) -> bytes:
        return hkdf(self.master, salt=self.vault, info=b"old attic vault 1 " + purpose)

    def __repr__(self) -> str:
        return f"VaultKeys({self.vault.hex()})"

    def chunk_id(self, plain: bytes | memoryview) -> bytes:
        """16 bytes that name this content in this store and in no other (§3.4)."""
        return blake3(plain, key=self.chunk_ids).digest(length=16)


def hkdf(secret: bytes, *, salt: bytes, info: bytes) -> bytes:
    """HKDF-SHA256 (RFC 5869), 32 bytes."""
    return HKDF(algorithm=SHA256(), length=KEY_BYTES, salt=salt, info=info).derive(secret)


def stretched(passphrase: str, *, salt: bytes, cost: Cost) -> bytes:
    """Argon2id version 1.3 (RFC 9106) of the passphrase in UTF-8, 32 bytes."""
    return hash_secret_raw(passphrase.encode(), salt, cost.passes, cost.memory_bytes // KIB, cost.lanes, KEY_BYTES, Type.ID, version=19)


def check_new_passphrase(passphrase: str, repeated: str) -> None:
    """Raises BadInput when a new passphrase is too short or was not typed the same twice."""
    if len(passphrase) < MIN_PASSPHRASE_CHARACTERS:
        raise BadInput(
            f"The passphrase has {len(passphrase)} characters.",
            field="passphrase",
            remedy=f"Use at least {MIN_PASSPHRASE_CHARACTERS}; four or five unrelated words are easy to keep.",
        )
    if passphrase != repeated:
        raise BadInput("The two passphrases differ.", field="passphrase_again", remedy="Type the same passphrase twice.")


def passphrase_slot(keys: VaultKeys, passphrase: str, *, random: Randomness, cost: Cost) -> bytes:
    """The content of a slot that this passphrase opens (§3.2)."""
    salt = random(16)
    wrapping = stretched(passphrase, salt=salt, cost=cost)
    told = {"kind": "passphrase", "salt": salt.hex(), "passes": cost.passes, "memory_bytes": cost.memory_bytes, "lanes": cost.lanes}
    return _wrapped(keys, wrapping, told)


def key_file_slot(keys: VaultKeys, key_file: bytes, *, random: Randomness) -> bytes:
    """The content of a slot that the server's key file opens, for unattended runs (§3.3)."""
    salt = random(16)
    return _wrapped(keys, hkdf(key_file, salt=salt, info=b"old attic key file slot 1"), {"kind": "key_file", "salt": salt.hex()})


def opened(slots: list[bytes], *, vault: bytes, passphrase: str | None = None, key_file: bytes | None = None) -> VaultKeys:
    """The keys of the vault, from the first slot that opens. Raises WrongPassphrase."""
    for content in slots:
        slot = _parsed(content)
        if slot["kind"] == "passphrase" and passphrase is not None:
            cost = Cost(passes=slot["passes"], memory_bytes=slot["memory_bytes"], lanes=slot["lanes"])
            wrapping = stretched(passphrase, salt=bytes.fromhex(slot["salt"]), cost=cost)
        elif slot["kind"] == "key_file" and key_file is not None:
            wrapping = hkdf(key_file, salt=bytes.fromhex(slot["salt"]), info=b"old attic key file slot 1")
        else:
            continue
        try:
            master = AESGCM(wrapping).decrypt(bytes(12), bytes.fromhex(slot["wrapped"]), _bound(vault, slot))
        except InvalidTag:
            continue
        return VaultKeys(vault=vault, master=master)
    raise WrongPassphrase


def _wrapped(keys: VaultKeys, wrapping: bytes, told: dict[str, Any]) -> bytes:
    # the wrapping key comes from a fresh salt, so the zero nonce is used once with it
    sealed = AESGCM(wrapping).encrypt(bytes(12), keys.master, _bound(keys.vault, told))
    return json.dumps(told | {"wrapped": sealed.hex()}, sort_keys=True).encode()


def _bound(vault: bytes, slot: dict[str, Any]) -> bytes:
    open_part = {name: value for name, value in slot.items() if name != "wrapped"}
    return vault + json.dumps(open_part, sort_keys=True).encode()


def _parsed(content: bytes) -> dict[str, Any]:
    try:
        slot = json.loads(content)
        kind = slot["kind"]
        bytes.fromhex(slot["salt"]), bytes.fromhex(slot["wrapped"])
        if kind == "passphrase":
            asked = (slot["passes"], slot["memory_bytes"], slot["lanes"])
            highest = (HIGHEST_COST.passes, HIGHEST_COST.memory_bytes, HIGHEST_COST.lanes)
            lowest = (1, 8 * KIB * 16, 1)
            within = all(type(n) is int and low <= n <= high for n, low, high in zip(asked, lowest, highest, strict=True))
            if not within:
                raise NotAVault("A key slot of this store asks for an unreasonable cost.")
    except (ValueError, KeyError, TypeError):
        raise NotAVault("A key slot of this store cannot be read.") from None
    return cast(dict[str, Any], slot)
