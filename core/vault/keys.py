"""Keys (§3): what is derived from a master key, and what a guess of a passphrase costs.

A store has one random master key; a sealed device has one of its own. Both are held by `Keys`. How a master
key is wrapped for somebody is `slots`' business. Nothing here reads or writes, and nothing here is ever printed.
"""

import unicodedata
from collections.abc import Callable
from dataclasses import dataclass, field

from argon2.low_level import Type, hash_secret_raw
from blake3 import blake3
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

from core.errors import BadInput
from core.units import KIB, MIB

KEY_BYTES = 32
ID_BYTES = 16
MIN_PASSPHRASE_CHARACTERS = 10

Randomness = Callable[[int], bytes]
"""n → n unpredictable bytes."""


@dataclass(frozen=True, slots=True, kw_only=True)
class StretchCost:
    """What one guess of a passphrase costs (RFC 9106 §3.1)."""

    passes: int = 3
    memory_bytes: int = 64 * MIB
    lanes: int = 4

    def within(self, lowest: "StretchCost", highest: "StretchCost") -> bool:
        """Whether every figure lies between the two."""
        return (
            lowest.passes <= self.passes <= highest.passes
            and lowest.memory_bytes <= self.memory_bytes <= highest.memory_bytes
            and lowest.lanes <= self.lanes <= highest.lanes
        )


HIGHEST_COST = StretchCost(passes=16, memory_bytes=1024 * MIB, lanes=16)
"""A slot that asks for more is refused: a stranger's store must not exhaust this machine."""
LOWEST_COST = StretchCost(passes=2, memory_bytes=19 * MIB, lanes=1)
"""A slot that asks for less is refused, by writers and by readers: guessing would be cheap. Common practice, no published standard."""


@dataclass(frozen=True, slots=True, kw_only=True, repr=False)
class Keys:
    """The keys derived from one master key (§3.4). Never printed: `repr` shows only the id."""

    id: bytes
    """16 bytes: the vault's id, or the id of a sealed device's key."""
    master: bytes
    ids: bytes = field(init=False)
    salts: bytes = field(init=False)
    seals: bytes = field(init=False)
    header: bytes = field(init=False)
    cutting: int = field(init=False)
    """Seed of the content-defined cuts, 63 bits."""

    def __post_init__(self) -> None:
        for name in ("ids", "salts", "seals", "header"):
            object.__setattr__(self, name, self._derived(name.encode()))
        object.__setattr__(self, "cutting", int.from_bytes(self._derived(b"cutting")[:8], "big") >> 1)

    def _derived(self, purpose: bytes) -> bytes:
        return hkdf(self.master, salt=self.id, info=b"old attic vault 2 " + purpose)

    def __repr__(self) -> str:
        return f"Keys({self.id.hex()})"

    def chunk_id(self, plain: bytes | memoryview) -> bytes:
        """16 bytes that name this content under these keys and under no others (§3.4)."""
        return blake3(plain, key=self.ids).digest(length=ID_BYTES)


def hkdf(secret: bytes, *, salt: bytes, info: bytes) -> bytes:
    """HKDF-SHA256 (RFC 5869), 32 bytes."""
    return HKDF(algorithm=SHA256(), length=KEY_BYTES, salt=salt, info=info).derive(secret)


def one_form(passphrase: str) -> str:
    """The passphrase in Unicode's form NFC: keyboards and systems spell the same letters differently (Unicode Annex 15)."""
    return unicodedata.normalize("NFC", passphrase)


def stretched(passphrase: str, *, salt: bytes, cost: StretchCost) -> bytes:
    """Argon2id version 1.3 (RFC 9106) of the passphrase in UTF-8, 32 bytes."""
    return hash_secret_raw(passphrase.encode(), salt, cost.passes, cost.memory_bytes // KIB, cost.lanes, KEY_BYTES, Type.ID, version=19)


def check_new_passphrase(passphrase: str, repeated: str) -> None:
    """Raises BadInput when a new passphrase is too short or was not typed the same twice."""
    if len(passphrase.strip()) < MIN_PASSPHRASE_CHARACTERS:
        raise BadInput(
            f"The passphrase has {len(passphrase.strip())} characters.",
            field="passphrase",
            remedy=f"Use at least {MIN_PASSPHRASE_CHARACTERS}; four or five unrelated words are easy to keep.",
        )
    if passphrase != repeated:
        raise BadInput("The two passphrases differ.", field="passphrase_again", remedy="Type the same passphrase twice.")
