"""The device's side of the agent protocol: pairing proofs, request proofs, sealed streams.

Written from `docs/agent-protocol.md`, on purpose without the server's code, so that each side checks
the other.
"""

import hashlib
import hmac
import io
import time
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

import zstandard
from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.asymmetric.x25519 import X25519PrivateKey, X25519PublicKey
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

FRAME_BYTES = 64 * 1024
CLOCK_SECONDS = 300


class Refused(Exception):
    """A request that is not answered: HTTP status, code, sentence."""

    def __init__(self, status: int, code: str, says: str, **more: object) -> None:
        super().__init__(says)
        self.status, self.body = status, {"error": code, "says": says, **more}


def stretch(secret: bytes, salt: bytes, info: bytes) -> bytes:
    return HKDF(SHA256(), 32, salt, info).derive(secret)


@dataclass(slots=True)
class PairingSession:
    """One attempt to pair."""

    key: bytes

    @classmethod
    def begin(cls, *, code: str, server_public: bytes) -> tuple["PairingSession", bytes]:
        private = X25519PrivateKey.generate()
        public = private.public_key().public_bytes_raw()
        shared = private.exchange(X25519PublicKey.from_public_bytes(server_public))
        return cls(stretch(shared, code.encode(), b"old attic pairing 1" + server_public + public)), public

    def proof(self, side: bytes) -> str:
        return hmac.new(self.key, side, hashlib.sha256).hexdigest()

    def device_key(self) -> bytes:
        return stretch(self.key, b"", b"old attic device key 1")


@dataclass(slots=True)
class Seen:
    """Nonces that came within the time in which a request counts as fresh."""

    nonces: dict[str, float] = field(default_factory=dict)

    def check(self, nonce: str, seconds: str) -> None:
        now = time.time()
        self.nonces = {old: at for old, at in self.nonces.items() if now - at < 2 * CLOCK_SECONDS}
        if not seconds.isdigit() or abs(now - int(seconds)) > CLOCK_SECONDS:
            raise Refused(401, "clock", "The clocks of server and device are too far apart.")
        if nonce in self.nonces:
            raise Refused(401, "replay", "This request came before.")
        self.nonces[nonce] = now


def check_request(key: bytes, seen: Seen, *, method: str, target: str, headers: dict[str, str], body: bytes) -> bytes:
    """The nonce of a request that proves knowledge of the key."""
    stamp, nonce = headers.get("attic-time", ""), headers.get("attic-nonce", "")
    signed = "\n".join((method, target, stamp, nonce, hashlib.sha256(body).hexdigest())).encode()
    if not hmac.compare_digest(hmac.new(key, signed, hashlib.sha256).hexdigest(), headers.get("attic-proof", "")):
        raise Refused(401, "not_paired", "This server is not paired with this device.")
    seen.check(nonce, stamp)
    return bytes.fromhex(nonce)


def sealed(key: bytes, nonce: bytes, purpose: bytes, pieces: Iterable[bytes]) -> Iterator[bytes]:
    """Frames of a sealed stream; the last one says that it is."""
    cipher = AESGCM(stretch(key, nonce, b"old attic " + purpose))
    number, waiting = 0, b""
    for piece in pieces:
        for at in range(0, len(piece), FRAME_BYTES):
            if waiting:
                yield _frame(cipher, number, waiting, b"more")
                number += 1
            waiting = piece[at : at + FRAME_BYTES]
    yield _frame(cipher, number, waiting, b"last")


def packed(pieces: Iterable[bytes]) -> Iterator[bytes]:
    """The same bytes as one zstd stream, flushed after each piece, so that nobody waits for the next one."""
    packer = zstandard.ZstdCompressor(level=1).compressobj()
    for piece in pieces:
        yield packer.compress(piece) + packer.flush(zstandard.COMPRESSOBJ_FLUSH_BLOCK)
    yield packer.flush()


def opened(key: bytes, nonce: bytes, purpose: bytes, body: bytes) -> Iterator[bytes]:
    """The pieces of a sealed stream."""
    cipher, stream, number = AESGCM(stretch(key, nonce, b"old attic " + purpose)), io.BytesIO(body), 0
    while header := stream.read(4):
        content = stream.read(int.from_bytes(header, "big"))
        is_last = stream.tell() == len(body)
        try:
            yield cipher.decrypt(number.to_bytes(12, "big"), content, b"last" if is_last else b"more")
        except InvalidTag:
            raise Refused(400, "damaged", "The request was damaged on its way.") from None
        number += 1


def _frame(cipher: AESGCM, number: int, content: bytes, place: bytes) -> bytes:
    body = cipher.encrypt(number.to_bytes(12, "big"), content, place)
    return len(body).to_bytes(4, "big") + body
