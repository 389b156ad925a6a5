"""AWS Signature Version 4, as a service checks it: who signed, when, and whether anything was changed since.

Written from the public description of the algorithm; judged by botocore, which signs what the tests send.
"""

import hashlib
import hmac
from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from urllib.parse import quote, unquote_plus

from standins.cloud.answers import Refused

ALGORITHM = "AWS4-HMAC-SHA256"
MOST_SKEW = timedelta(minutes=15)
UNSIGNED = "UNSIGNED-PAYLOAD"


def check(
    method: str, raw_path: str, raw_query: str, headers: Mapping[str, str], body: bytes, *, keys: Mapping[str, str], now: datetime
) -> str:
    """The access key that signed the request. `headers` by lower-case name. Raises Refused."""
    header = headers.get("authorization", "")
    if not header.startswith(ALGORITHM):
        raise Refused("AccessDenied", "The request is not signed.")
    try:
        parts = dict(part.strip().split("=", 1) for part in header.removeprefix(ALGORITHM).split(","))
        access, day, region, service, last = parts["Credential"].split("/")
        signed, signature, stamp = parts["SignedHeaders"].split(";"), parts["Signature"], headers["x-amz-date"]
        at = datetime.strptime(stamp, "%Y%m%dT%H%M%SZ").replace(tzinfo=UTC)
    except (KeyError, ValueError):
        raise Refused("AccessDenied", "The signature cannot be read.") from None
    if access not in keys:
        raise Refused("InvalidAccessKeyId", "There is no such access key.")
    if abs(now - at) > MOST_SKEW or not stamp.startswith(day) or (service, last) != ("s3", "aws4_request"):
        raise Refused("RequestTimeTooSkewed", "The request's time and ours are too far apart.")
    if "host" not in signed or any(name.startswith("x-amz-") and name not in signed for name in headers):
        raise Refused("AccessDenied", "A header that has to be signed is not.")
    payload = headers.get("x-amz-content-sha256", "")
    if payload.startswith("STREAMING-"):
        raise Refused("NotImplemented", "Bodies in signed pieces are not taken.")
    if payload != UNSIGNED and payload != hashlib.sha256(body).hexdigest():
        raise Refused("XAmzContentSHA256Mismatch", "The body is not the one that was signed.")
    lines = "".join(f"{name}:{' '.join(headers.get(name, '').split())}\n" for name in signed)
    asked = "\n".join([method, quote(raw_path, safe="/%~"), _query(raw_query), lines, ";".join(signed), payload])
    scope = f"{day}/{region}/{service}/{last}"
    to_sign = "\n".join([ALGORITHM, stamp, scope, hashlib.sha256(asked.encode()).hexdigest()])
    if not hmac.compare_digest(_signed(keys[access], day, region, to_sign), signature):
        raise Refused("SignatureDoesNotMatch", "The signature is not that of the secret key.")
    return access


def _query(raw: str) -> str:
    pairs = [part.partition("=")[::2] for part in raw.split("&") if part]
    return "&".join(f"{name}={value}" for name, value in sorted((_encoded(name), _encoded(value)) for name, value in pairs))


def _encoded(text: str) -> str:
    return quote(unquote_plus(text.replace("+", "%2B")), safe="-_.~")


def _signed(secret: str, day: str, region: str, to_sign: str) -> str:
    key = f"AWS4{secret}".encode()
    for part in (day, region, "s3", "aws4_request"):
        key = hmac.new(key, part.encode(), hashlib.sha256).digest()
    return hmac.new(key, to_sign.encode(), hashlib.sha256).hexdigest()
