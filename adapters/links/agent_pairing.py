"""Meeting an agent: what announces itself on the office network, and pairing by code (`docs/agent-protocol.md` §1)."""

import hmac
from dataclasses import dataclass, field
from typing import Any

import httpx
from cryptography.hazmat.primitives.asymmetric.x25519 import X25519PrivateKey, X25519PublicKey

from adapters.links.agent_http import refusal, tls, wrapped
from adapters.links.agent_seal import proof, stretched
from core.content.errors import DeviceAway, DeviceLied, PairingRefused
from core.content.families import FAMILIES


@dataclass(frozen=True, slots=True, kw_only=True)
class PairingOffer:
    """A device that announces itself on the office network."""

    device: str
    name: str
    family: str
    make: str
    model: str
    os_version: str
    address: str
    paired: bool
    serial: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class PairedAgent:
    device: str
    key: bytes = field(repr=False)
    """32 bytes that both sides hold."""
    accepted: bool
    """Whether the holder has said yes already; until then the device answers who it is and nothing else."""


def offers(announcements_url: str, *, timeout_seconds: float = 3) -> list[PairingOffer]:
    """Devices that can be seen now. Raises DeviceAway when the network itself does not answer."""
    try:
        rows = httpx.get(announcements_url, timeout=timeout_seconds, verify=tls()).json()["devices"]
        names = ("device", "name", "family", "make", "model", "os_version", "address")
        announced = [
            PairingOffer(
                paired=bool(entry["paired"]),
                serial=str(entry.get("serial") or "")[:100],
                **{name: str(entry[name])[:200] for name in names},
            )
            for entry in rows
        ]
    except httpx.HTTPError:
        raise DeviceAway("The office network does not answer.", remedy="Look whether the server is on the network.") from None
    except (ValueError, KeyError, TypeError, AttributeError):
        raise DeviceLied("What came over the office network cannot be read.") from None
    return [offer for offer in announced if offer.family in FAMILIES and offer.address.startswith(("http://", "https://"))]


def pair(address: str, code: str, *, server_name: str) -> PairedAgent:
    """Raises PairingRefused for a wrong or old code, LinkError."""
    private = X25519PrivateKey.generate()
    public = private.public_key().public_bytes_raw()
    with httpx.Client(base_url=address, timeout=10, verify=tls()) as client:
        begun = _plain(client, "/agent/v1/pair/begin", {"server": server_name, "public": public.hex()})
        try:
            device, session, theirs = str(begun["device"]), str(begun["session"]), bytes.fromhex(begun["public"])
            shared = private.exchange(X25519PublicKey.from_public_bytes(theirs))
        except (KeyError, ValueError, TypeError):
            raise DeviceLied("The device's answer to the pairing cannot be read.") from None
        key = stretched(shared, code.strip().upper().replace(" ", "").encode(), b"old attic pairing 1" + public + theirs)
        fields = _plain(client, "/agent/v1/pair/finish", {"session": session, "proof": proof(key, b"server")})
        if not hmac.compare_digest(proof(key, b"device").encode(), str(fields.get("proof", "")).encode()):
            raise PairingRefused("The device could not prove that it knows the code.", remedy="Somebody may stand in between. Try again.")
    return PairedAgent(device=device, key=stretched(key, b"", b"old attic device key 1"), accepted=fields.get("accepted") is not False)


def _plain(client: httpx.Client, target: str, fields: dict[str, str]) -> dict[str, Any]:
    with wrapped():
        response = client.post(target, json=fields)
    if response.status_code != 200:
        raise refusal(response)
    try:
        answer = response.json()
    except ValueError:
        answer = None
    if not isinstance(answer, dict):
        raise DeviceLied("The device's answer to the pairing cannot be read.")
    return answer
