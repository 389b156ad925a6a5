"""The agent link: HTTP and JSON with mutual proofs and sealed streams (`docs/agent-protocol.md`).

Everything that comes is checked: frames by their seal, items by `core.content.items`. httpx errors and
refusals of the device become `LinkError`s here and nowhere else.
"""

import contextlib
import hashlib
import hmac
import json
import ssl
import time
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Any
from urllib.parse import quote

import httpx
from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.asymmetric.x25519 import X25519PrivateKey, X25519PublicKey
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

from core.content.errors import (
    DataAccessOff,
    DeviceAway,
    DeviceFull,
    DeviceLied,
    DeviceLocked,
    LinkCut,
    LinkError,
    NotPaired,
    PairingRefused,
)
from core.content.families import FAMILIES
from core.content.items import Item, announced, checked_inventory, clean_name
from core.content.kinds import KINDS
from core.content.link import DeviceState

MAX_FRAME_BYTES = 1 << 20
MAX_JSON_BYTES = 64 << 20
MAX_PAGES = 100_000
FRAME_BYTES = 64 * 1024
_REFUSALS: dict[str, Callable[[str], LinkError]] = {
    "not_paired": NotPaired,
    "replay": NotPaired,
    "clock": NotPaired,
    "locked": DeviceLocked,
    "data_access": DataAccessOff,
    "full": DeviceFull,
    "wrong_code": PairingRefused,
    "no_session": PairingRefused,
    "gone": DeviceLied,
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Offer:
    """A device that announces itself on the office network."""

    device: str
    name: str
    family: str
    make: str
    model: str
    os_version: str
    address: str
    paired: bool


def offers(announcements_url: str, *, timeout_seconds: float = 3) -> list[Offer]:
    """Devices that can be seen now. Raises DeviceAway when the network itself does not answer."""
    try:
        told = httpx.get(announcements_url, timeout=timeout_seconds, verify=_tls()).json()["devices"]
        names = ("device", "name", "family", "make", "model", "os_version", "address")
        found = [Offer(paired=bool(entry["paired"]), **{name: str(entry[name])[:200] for name in names}) for entry in told]
    except httpx.HTTPError:
        raise DeviceAway("The office network does not answer.", remedy="Look whether the server is on the network.") from None
    except (ValueError, KeyError, TypeError):
        raise DeviceLied("What came over the office network cannot be read.") from None
    return [offer for offer in found if offer.family in FAMILIES and offer.address.startswith(("http://", "https://"))]


def pair(address: str, code: str, *, server_name: str) -> tuple[str, bytes]:
    """(device id, shared key of 32 bytes). Raises PairingRefused for a wrong code, LinkError."""
    private = X25519PrivateKey.generate()
    public = private.public_key().public_bytes_raw()
    with httpx.Client(base_url=address, timeout=10, verify=_tls()) as client:
        begun = _plain(client, "/agent/v1/pair/begin", {"server": server_name, "public": public.hex()})
        try:
            device, session, theirs = str(begun["device"]), str(begun["session"]), bytes.fromhex(begun["public"])
            shared = private.exchange(X25519PublicKey.from_public_bytes(theirs))
        except (KeyError, ValueError, TypeError):
            raise DeviceLied("The device's answer to the pairing cannot be read.") from None
        key = _stretch(shared, code.strip().upper().replace(" ", "").encode(), b"old attic pairing 1" + public + theirs)
        told = _plain(client, "/agent/v1/pair/finish", {"session": session, "proof": _proof(key, b"server")})
        if not hmac.compare_digest(_proof(key, b"device"), str(told.get("proof", ""))):
            raise PairingRefused("The device could not prove that it knows the code.", remedy="Somebody may stand in between. Try again.")
    return device, _stretch(key, b"", b"old attic device key 1")


class AgentLink:
    """A paired device, over one HTTP connection."""

    def __init__(self, address: str, key: bytes, *, random: Callable[[int], bytes], timeout_seconds: float = 20) -> None:
        self._key, self._random = key, random
        self._client = httpx.Client(base_url=address, timeout=httpx.Timeout(timeout_seconds, connect=5), verify=_tls())

    def state(self) -> DeviceState:
        told = self._json("GET", "/agent/v1/state")
        if told.get("family") not in FAMILIES:
            raise DeviceLied("The device names a family that does not exist.")
        return DeviceState(
            make=_short(told.get("make")),
            model=_short(told.get("model")),
            family=_short(told.get("family")),
            os_version=_short(told.get("os_version")),
            storage_total_bytes=_count(told.get("storage_total_bytes")),
            storage_used_bytes=_count(told.get("storage_used_bytes")),
            battery_percent=_count(told.get("battery_percent")),
            on_power=_flag(told.get("on_power")),
            locked=_flag(told.get("locked")),
            data_access=_flag(told.get("data_access")),
            finder_lock=_flag(told.get("finder_lock")),
            network=told["network"] if told.get("network") in ("office", "elsewhere") else None,
        )

    def kinds(self) -> list[str]:
        told = self._json("GET", "/agent/v1/kinds").get("kinds")
        return [kind for kind in KINDS if isinstance(told, list) and kind in told]

    def inventory(self, kind: str) -> list[Item]:
        found: list[Item] = []
        after = ""
        for _ in range(MAX_PAGES):
            told = self._json("GET", f"/agent/v1/inventory/{kind}?after={quote(after, safe='')}")
            try:
                found += [_item(kind, entry) for entry in told["items"]]
                if told["next"] is None:
                    return checked_inventory(found, kind=kind)
                if not isinstance(told["next"], str) or told["next"] <= after:
                    raise DeviceLied(f"The inventory of {kind} does not end.")
                after = told["next"]
            except (KeyError, TypeError, AttributeError):
                raise DeviceLied(f"The inventory of {kind} cannot be read.") from None
        raise DeviceLied(f"The inventory of {kind} does not end.")

    def read(self, item: Item) -> Iterator[bytes]:
        return self._exchange("GET", f"/agent/v1/items/{item.kind}/{quote(item.id, safe='')}")

    def create(self, kind: str, name: str, pieces: Iterable[bytes], *, size_bytes: int) -> str:
        return self._write("POST", f"/agent/v1/items/{kind}", name, pieces, size_bytes)

    def replace(self, kind: str, id: str, name: str, pieces: Iterable[bytes], *, size_bytes: int) -> None:
        self._write("PUT", f"/agent/v1/items/{kind}/{quote(id, safe='')}", name, pieces, size_bytes)

    def unpair(self) -> None:
        """Make the device forget this server."""
        self._json("DELETE", "/agent/v1/pair")

    def close(self) -> None:
        self._client.close()

    def _write(self, method: str, target: str, name: str, pieces: Iterable[bytes], size_bytes: int) -> str:
        head = json.dumps({"name": name, "size_bytes": size_bytes}).encode()
        told = self._json(method, target, [head, *_framed(pieces)])
        if not isinstance(told.get("id"), str):
            raise DeviceLied("The device did not say where it wrote the item.")
        return str(told["id"])

    def _json(self, method: str, target: str, body: list[bytes] | None = None) -> dict[str, Any]:
        content = bytearray()
        for piece in self._exchange(method, target, body):
            content += piece
            if len(content) > MAX_JSON_BYTES:
                raise DeviceLied("The device sends an answer without end.")
        try:
            told = json.loads(bytes(content))
        except (ValueError, RecursionError):
            raise DeviceLied("An answer of the device cannot be read.") from None
        if not isinstance(told, dict):
            raise DeviceLied("An answer of the device cannot be read.")
        return told

    def _exchange(self, method: str, target: str, body: list[bytes] | None = None) -> Iterator[bytes]:
        """Send a proven request; the pieces of the sealed answer."""
        nonce = self._random(16)
        sent = b"".join(_sealed(self._key, nonce, body)) if body is not None else b""
        told = str(int(time.time()))
        signed = "\n".join((method, target, told, nonce.hex(), hashlib.sha256(sent).hexdigest())).encode()
        headers = {"Attic-Time": told, "Attic-Nonce": nonce.hex(), "Attic-Proof": _proof(self._key, signed)}
        with _wrapped(), self._client.stream(method, target, content=sent, headers=headers) as response:
            if response.status_code != 200:
                response.read()
                raise _refusal(response)
            yield from _opened(self._key, nonce, response.iter_bytes())


@lru_cache(maxsize=1)
def _tls() -> ssl.SSLContext:
    """Reading the trusted certificates takes longer than a whole exchange: once a process is enough."""
    return httpx.create_ssl_context()


def _item(kind: str, entry: dict[str, Any]) -> Item:
    names = ("id", "name", "size_bytes", "modified", "tag")
    return announced(kind=kind, **{name: entry.get(name) for name in names})


def _short(value: object) -> str:
    return clean_name(str(value)[:100]) if isinstance(value, str) and value else ""


def _count(value: object) -> int | None:
    return value if isinstance(value, int) and not isinstance(value, bool) and value >= 0 else None


def _flag(value: object) -> bool | None:
    return value if isinstance(value, bool) else None


def _framed(pieces: Iterable[bytes]) -> Iterator[bytes]:
    for piece in pieces:
        for at in range(0, len(piece), FRAME_BYTES):
            yield piece[at : at + FRAME_BYTES]


def _sealed(key: bytes, nonce: bytes, frames: list[bytes]) -> Iterator[bytes]:
    cipher = AESGCM(_stretch(key, nonce, b"old attic request"))
    for number, frame in enumerate(frames):
        place = b"last" if number == len(frames) - 1 else b"more"
        content = cipher.encrypt(number.to_bytes(12, "big"), frame, place)
        yield len(content).to_bytes(4, "big") + content


def _opened(key: bytes, nonce: bytes, arriving: Iterable[bytes]) -> Iterator[bytes]:
    """The pieces of a sealed answer. Raises LinkCut when it ends before its last frame."""
    cipher = AESGCM(_stretch(key, nonce, b"old attic response"))
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


def _stretch(secret: bytes, salt: bytes, info: bytes) -> bytes:
    return HKDF(algorithm=SHA256(), length=32, salt=salt, info=info).derive(secret)


def _proof(key: bytes, signed: bytes) -> str:
    return hmac.new(key, signed, hashlib.sha256).hexdigest()


def _plain(client: httpx.Client, target: str, told: dict[str, str]) -> dict[str, Any]:
    with _wrapped():
        response = client.post(target, json=told)
    if response.status_code != 200:
        raise _refusal(response)
    try:
        answer = response.json()
    except ValueError:
        answer = None
    if not isinstance(answer, dict):
        raise DeviceLied("The device's answer to the pairing cannot be read.")
    return answer


def _refusal(response: httpx.Response) -> LinkError:
    try:
        told = response.json()
        code, left = told["error"], told.get("tries_left")
    except (ValueError, KeyError, TypeError):
        return DeviceLied(f"The device answers with HTTP status {response.status_code}.")
    if code == "wrong_code":
        tries = (
            "The device now shows a new code." if not left else f"{left} more {'try' if left == 1 else 'tries'} before the code changes."
        )
        return PairingRefused(f"The device does not know this code. {tries}")
    says = {
        "locked": "The device is locked.",
        "data_access": "Data access is switched off on the device.",
        "full": "There is no room on the device.",
        "gone": "The item is gone from the device.",
        "clock": "The clocks of server and device are more than five minutes apart.",
        "no_session": "The attempt to pair took too long.",
    }
    return _REFUSALS.get(code, DeviceLied)(says.get(code, "The device does not know this server."))


@contextlib.contextmanager
def _wrapped() -> Iterator[None]:
    try:
        yield
    except (httpx.ConnectError, httpx.ConnectTimeout):
        raise DeviceAway("The device does not answer on the office network.") from None
    except httpx.HTTPError:
        raise LinkCut("The connection to the device ended in the middle.") from None
