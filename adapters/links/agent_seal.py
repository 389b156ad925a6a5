"""Keys, proofs and sealed streams of the agent protocol (`docs/agent-protocol.md` §1, §2). Does no I/O."""

import hashlib
import hmac
from collections.abc import Iterable, Iterator

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

from core.content.errors import DeviceLied, LinkCut

MAX_FRAME_BYTES = 1 << 20
FRAME_BYTES = 64 * 1024


def stretched(secret: bytes, salt: bytes, info: bytes) -> bytes:
    return HKDF(algorithm=SHA256(), length=32, salt=salt, info=info).derive(secret)


def proof(key: bytes, signed: bytes) -> str:
    return hmac.new(key, signed, hashlib.sha256).hexdigest()


def framed(pieces: Iterable[bytes]) -> Iterator[bytes]:
    """The same bytes in pieces that fit into a frame."""
    for piece in pieces:
        for at in range(0, len(piece), FRAME_BYTES):
            yield piece[at : at + FRAME_BYTES]


def sealed(key: bytes, nonce: bytes, frames: list[bytes]) -> Iterator[bytes]:
    """A request's body."""
    cipher = AESGCM(stretched(key, nonce, b"old attic request"))
    for number, frame in enumerate(frames):
        place = b"last" if number == len(frames) - 1 else b"more"
        content = cipher.encrypt(number.to_bytes(12, "big"), frame, place)
        yield len(content).to_bytes(4, "big") + content


def opened(key: bytes, nonce: bytes, arriving: Iterable[bytes]) -> Iterator[bytes]:
    """The pieces of a sealed answer. Raises LinkCut when it ends before its last frame, DeviceLied."""
    cipher = AESGCM(stretched(key, nonce, b"old attic response"))
    waiting, number, ended = bytearray(), 0, False
    for part in arriving:
        waiting += part
        while len(waiting) >= 4:
            length = int.from_bytes(waiting[:4], "big")
            if length > MAX_FRAME_BYTES or ended:
                raise DeviceLied("An answer of the device is not framed as it should be.")
            if len(waiting) < 4 + length:
                break
            content = bytes(waiting[4 : 4 + length])
            del waiting[: 4 + length]
            piece, ended = _open_frame(cipher, number, content)
            number += 1
            if piece:
                yield piece
    if not ended:
        raise LinkCut("The connection to the device ended in the middle.")


def _open_frame(cipher: AESGCM, number: int, content: bytes) -> tuple[bytes, bool]:
    for place in (b"more", b"last"):
        try:
            return cipher.decrypt(number.to_bytes(12, "big"), content, place), place == b"last"
        except InvalidTag:
            continue
    raise DeviceLied("An answer of the device was changed on its way.")
