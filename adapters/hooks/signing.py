"""Signing a webhook: HTTP Message Signatures (RFC 9421) with hmac-sha256 over Content-Digest (RFC 9530).

Whoever receives it needs no software of ours: both are open standards with libraries in many languages.
"""

import hashlib
import hmac
from base64 import b64encode
from collections.abc import Mapping, Sequence

LABEL = "attic"
COVERED = ("@method", "@target-uri", "content-type", "content-digest")


def content_digest(body: bytes) -> str:
    """RFC 9530 §2, sha-256."""
    return f"sha-256=:{b64encode(hashlib.sha256(body).digest()).decode()}:"


def signature_base(components: Sequence[tuple[str, str]], parameters: str) -> bytes:
    """RFC 9421 §2.5: one line a covered component, then the parameters."""
    lines = [f'"{name}": {value}' for name, value in components]
    return "\n".join([*lines, f'"@signature-params": {parameters}']).encode()


def parameters_of(names: Sequence[str], *, created: int, key_id: str) -> str:
    """RFC 9421 §2.3."""
    covered = " ".join(f'"{name}"' for name in names)
    return f'({covered});created={created};keyid="{key_id}"'


def sign(base: bytes, key: bytes) -> str:
    """RFC 9421 §3.3.3, as a structured-field byte sequence."""
    return f":{b64encode(hmac.new(key, base, hashlib.sha256).digest()).decode()}:"


def signed_headers(address: str, body: bytes, *, key: bytes, key_id: str, created: int) -> dict[str, str]:
    """Headers of a POST of JSON that prove who sent it, what, where to and when (`created`, seconds since 1970)."""
    headers = {"content-type": "application/json", "content-digest": content_digest(body)}
    values: Mapping[str, str] = headers | {"@method": "POST", "@target-uri": address}
    parameters = parameters_of(COVERED, created=created, key_id=key_id)
    base = signature_base([(name, values[name]) for name in COVERED], parameters)
    return headers | {"signature-input": f"{LABEL}={parameters}", "signature": f"{LABEL}={sign(base, key)}"}
