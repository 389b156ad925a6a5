"""Sealing (§4): bytes in, authenticated bytes out, each seal bound to its place.

AES-256-GCM under a key of its own for every message. The key comes from a salt, and the salt from the
message and its place: the same key can only meet the same message again, so that the zero nonce never
serves two. Nothing has to be counted or remembered, and two machines that do not know of each other
cannot collide. Raises Damaged when bytes are not what was sealed.
"""

from blake3 import blake3
from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM

from core.vault.errors import Damaged
from core.vault.framing import framed
from core.vault.keys import Keys

SALT_BYTES = 16
TAG_BYTES = 16
SEAL_BYTES = SALT_BYTES + TAG_BYTES
"""How much longer sealed bytes are."""
_NONCE = bytes(12)


def chunk_place(chunk: bytes) -> bytes:
    """A chunk is bound to its id, wherever it lies: it can be moved as it is."""
    return b"chunk " + chunk


def shared_place(name: str) -> bytes:
    """Manifests are bound to their name: they can be moved to a store with the same key."""
    return b"shared " + name.encode()


def local_place(store: bytes, name: str) -> bytes:
    """Everything else is bound to its name in this one store."""
    return b"local " + store + name.encode()


def seal(keys: Keys, place: bytes, plain: bytes) -> bytes:
    """`salt (16) | AES-256-GCM(plain)`."""
    hasher = blake3(place, key=keys.salts)
    hasher.update(plain)
    salt = hasher.digest(length=SALT_BYTES)
    return salt + AESGCM(blake3(salt + place, key=keys.seals).digest()).encrypt(_NONCE, plain, place)


def unseal(keys: Keys, place: bytes, sealed: bytes | memoryview) -> bytes:
    """What was sealed for this place."""
    salt = bytes(sealed[:SALT_BYTES])
    try:
        return AESGCM(blake3(salt + place, key=keys.seals).digest()).decrypt(_NONCE, sealed[SALT_BYTES:], place)
    except (InvalidTag, ValueError):
        raise Damaged("Bytes are not what was sealed here.") from None


def inner_seal(keys: Keys, plain: bytes | memoryview) -> bytes:
    """A sealed device's own seal, below the store's (§3.6). Equal content gives equal bytes, so it is still stored once."""
    return seal(keys, chunk_place(keys.id), framed(plain))
