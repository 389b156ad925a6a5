"""One proven and sealed exchange with an agent over HTTP, and what its refusals mean.

httpx errors and refusals become `LinkError`s here and nowhere else. An answer that comes so slowly that it would
never end is cut off: a device may take its time, but not all of it.
"""

import contextlib
import hashlib
import ssl
import time
from collections.abc import Callable, Iterable, Iterator
from functools import lru_cache, partial
from typing import Any

import httpx
import zstandard

from adapters.links.agent_seal import opened, proof, sealed
from core.content.errors import (
    DataAccessOff,
    DeviceAway,
    DeviceFull,
    DeviceLied,
    DeviceLocked,
    ItemNotTaken,
    LinkCut,
    LinkError,
    LinkSlow,
    NotAccepted,
    NotPaired,
    PairingRefused,
)

PIECE_BYTES = 64 * 1024
MAX_WINDOW_BYTES = 8 << 20
SLOWEST_BYTES_PER_SECOND = 256
PATIENCE_SECONDS = 60.0
"""How long an answer may stay below the slowest speed before it is given up."""
_REFUSALS: dict[str, Callable[[str], LinkError]] = {
    "not_paired": NotPaired,
    "not_accepted": NotAccepted,
    "replay": NotPaired,
    "clock": NotPaired,
    "locked": DeviceLocked,
    "data_access": DataAccessOff,
    "full": DeviceFull,
    "wrong_code": PairingRefused,
    "expired": PairingRefused,
    "throttled": PairingRefused,
    "no_session": PairingRefused,
    "gone": partial(ItemNotTaken, why="gone"),
    "changed": partial(ItemNotTaken, why="changed"),
}
_SAYS = {
    "not_accepted": "Its holder has not said yes to this server.",
    "locked": "The device is locked.",
    "data_access": "Data access is switched off on the device.",
    "full": "There is no room on the device.",
    "gone": "The item is gone from the device.",
    "changed": "The item changed while it was read.",
    "clock": "The clocks of server and device are more than five minutes apart.",
    "no_session": "The attempt to pair took too long.",
    "expired": "This code is too old. The device shows a new one.",
    "throttled": "The device was given too many wrong codes and waits for a while.",
}


class Exchange:
    """Requests to one paired agent, over one HTTP connection."""

    def __init__(
        self,
        address: str,
        key: bytes,
        *,
        random: Callable[[int], bytes],
        timeout_seconds: float,
        patience_seconds: float = PATIENCE_SECONDS,
    ) -> None:
        self._key, self._random, self._patience = key, random, patience_seconds
        self._client = httpx.Client(base_url=address, timeout=httpx.Timeout(timeout_seconds, connect=5), verify=tls())

    def close(self) -> None:
        self._client.close()

    def ask(self, method: str, target: str, body: list[bytes] | None = None) -> Iterator[bytes]:
        """Send a proven request; the pieces of the answer. Raises LinkError."""
        nonce = self._random(16)
        sent = b"".join(sealed(self._key, nonce, body)) if body is not None else b""
        stamp = str(int(time.time()))
        signed = "\n".join((method, target, stamp, nonce.hex(), hashlib.sha256(sent).hexdigest())).encode()
        headers = {"Attic-Time": stamp, "Attic-Nonce": nonce.hex(), "Attic-Proof": proof(self._key, signed), "Attic-Accept": "zstd"}
        with wrapped(), self._client.stream(method, target, content=sent, headers=headers) as response:
            if response.status_code != 200:
                response.read()
                raise refusal(response)
            pieces = opened(self._key, nonce, _steady(response.iter_bytes(), self._patience))
            yield from _unpacked(pieces) if response.headers.get("Attic-Packed") == "zstd" else pieces


def _steady(arriving: Iterable[bytes], patience_seconds: float) -> Iterator[bytes]:
    """The same pieces, as long as they do not come too slowly for too long. Raises LinkSlow."""
    began, count = time.monotonic(), 0
    for piece in arriving:
        now = time.monotonic()
        count += len(piece)
        if now - began > patience_seconds:
            if count < SLOWEST_BYTES_PER_SECOND * (now - began):
                raise LinkSlow("The device answers so slowly that this would never end.")
            began, count = now, 0
        yield piece
        began += time.monotonic() - now  # what the reader takes is not the device's time


def _unpacked(pieces: Iterator[bytes]) -> Iterator[bytes]:
    """What a zstd stream holds, in pieces of bounded size, however much it was packed."""
    reader = zstandard.ZstdDecompressor(max_window_size=MAX_WINDOW_BYTES).stream_reader(_Source(pieces), read_across_frames=False)  # type: ignore[arg-type]
    while True:
        try:
            piece = reader.read(PIECE_BYTES)
        except zstandard.ZstdError:
            raise DeviceLied("A packed answer of the device cannot be unpacked.") from None
        if not piece:
            break
        yield piece
    for _ in pieces:
        raise DeviceLied("A packed answer of the device goes on after its end.")


class _Source:
    """A file to read from, as zstandard wants it, over pieces."""

    def __init__(self, pieces: Iterator[bytes]) -> None:
        self._pieces = pieces

    def read(self, size: int) -> bytes:
        return next(self._pieces, b"")


@lru_cache(maxsize=1)
def tls() -> ssl.SSLContext:
    """Reading the trusted certificates takes longer than a whole exchange: once a process is enough."""
    return httpx.create_ssl_context()


def refusal(response: httpx.Response) -> LinkError:
    """What a status other than 200 means."""
    try:
        fields: dict[str, Any] = response.json()
        code, left = fields["error"], fields.get("tries_left")
    except (ValueError, KeyError, TypeError):
        return DeviceLied(f"The device answers with HTTP status {response.status_code}.")
    if code == "wrong_code":
        more = f"{left} more {'try' if left == 1 else 'tries'} before the code changes." if left else "The device now shows a new code."
        return PairingRefused(f"The device does not know this code. {more}")
    if code not in _REFUSALS:
        return DeviceLied(f"The device answers with HTTP status {response.status_code}.")
    return _REFUSALS[code](_SAYS.get(code, "The device does not know this server."))


@contextlib.contextmanager
def wrapped() -> Iterator[None]:
    try:
        yield
    except (httpx.ConnectError, httpx.ConnectTimeout):
        raise DeviceAway("The device does not answer on the office network.") from None
    except httpx.HTTPError:
        raise LinkCut("The connection to the device ended in the middle.") from None
