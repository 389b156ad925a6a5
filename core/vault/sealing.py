"""Sealing (§4): bytes in, authenticated bytes out, each seal bound to its place.

AES-256-GCM with a key of its own for every seal, so that the zero nonce never meets a key twice: the
key is derived from a salt that no two seals share. Raises Damaged when bytes are not what was sealed.
"""

from blake3 import blake3
from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM

from core.vault.errors import Damaged
from core.vault.keys import Randomness, VaultKeys

TAG_BYTES = 16
CHUNK_SALT_BYTES = 20
OBJECT_MAGIC = b"OAV1"
_NONCE = bytes(12)


def seal_chunk(keys: VaultKeys, chunk: bytes, framed: bytes, *, salt: bytes) -> bytes:
    """§4.1: `salt | AES-256-GCM(framed)`, bound to the chunk's id. `salt` is pack id and ordinal, used once."""
    return salt + AESGCM(blake3(salt + chunk, key=keys.chunks).digest()).encrypt(_NONCE, framed, keys.vault + chunk)


def open_chunk(keys: VaultKeys, chunk: bytes, sealed: bytes) -> bytes:
    """The framed content of a sealed chunk."""
    salt = sealed[:CHUNK_SALT_BYTES]
    try:
        return AESGCM(blake3(salt + chunk, key=keys.chunks).digest()).decrypt(_NONCE, sealed[CHUNK_SALT_BYTES:], keys.vault + chunk)
    except (InvalidTag, ValueError):
        raise Damaged(f"Chunk {chunk.hex()} is damaged.") from None


def seal_object(keys: VaultKeys, name: str, plain: bytes, *, random: Randomness) -> bytes:
    """§4.2: `magic | salt | AES-256-GCM(plain)`, bound to the object's name."""
    salt = random(16)
    bound = name.encode()
    return OBJECT_MAGIC + salt + AESGCM(blake3(salt + bound, key=keys.objects).digest()).encrypt(_NONCE, plain, keys.vault + bound)


def open_object(keys: VaultKeys, name: str, sealed: bytes) -> bytes:
    """The content of a sealed object."""
    if sealed[:4] != OBJECT_MAGIC:
        raise Damaged(f"Object {name} is damaged: it does not begin as one.")
    salt, bound = sealed[4:20], name.encode()
    try:
        return AESGCM(blake3(salt + bound, key=keys.objects).digest()).decrypt(_NONCE, sealed[20:], keys.vault + bound)
    except (InvalidTag, ValueError):
        raise Damaged(f"Object {name} is damaged.") from None
