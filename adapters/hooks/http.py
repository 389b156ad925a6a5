"""Tell another program over HTTP. The address is hostile: it may lie inside, answer for ever, or lead elsewhere.

Redirects are never followed. The name is resolved once, every address it has is looked at, and the connection goes
to the one that was looked at, so that a second answer of the name server cannot lead inside.
"""

import socket
import ssl
from functools import lru_cache
from urllib.parse import urlsplit, urlunsplit

import httpx

from adapters.hooks.signing import signed_headers
from adapters.inside import Ip, ip_of, is_inside, is_no_server
from core.errors import AtticError, BadInput

TIMEOUT_SECONDS = 8.0


class HookFailed(AtticError):
    code = "hook.failed"
    remedy = "Look at the address and at the program behind it; the message is tried again by itself."


def checked_address(address: str) -> str:
    """Raises BadInput for what is no plain http or https address."""
    try:
        parts = urlsplit(address.strip())
        good = parts.scheme in ("http", "https") and parts.hostname and not parts.username and not parts.fragment
        _ = parts.port
    except ValueError:
        good = False
    if not good or len(address) > 500:
        raise BadInput("This is no address that can be told.", field="address", remedy="Give one that begins with https:// or http://.")
    return address.strip()


def resolved(address: str, *, inside: bool) -> str:
    """The IP address to connect to. Raises HookFailed when the name is unknown or any of its addresses is not allowed."""
    parts = urlsplit(address)
    port = parts.port or (443 if parts.scheme == "https" else 80)
    try:
        addresses = {entry[4][0] for entry in socket.getaddrinfo(parts.hostname, port, type=socket.SOCK_STREAM)}
    except (OSError, UnicodeError):
        raise HookFailed(f"There is no machine called {parts.hostname}.") from None
    for text in sorted(addresses):
        _allow(ip_of(str(text)), inside=inside)
    return str(sorted(addresses)[0])


def _allow(ip: Ip, *, inside: bool) -> None:
    if is_no_server(ip):
        raise HookFailed(f"{ip} is no address of a program that may be told.", remedy="Give the address of a server.")
    if is_inside(ip) and not inside:
        raise HookFailed(
            f"{ip} lies inside of the office's network.", remedy="If that is meant, tick “on the office's own network” for this hook."
        )


def post(address: str, body: bytes, *, key: bytes, key_id: str, inside: bool, created: int) -> int:
    """The status that came. Raises HookFailed unless it is 2xx."""
    ip = resolved(address, inside=inside)
    parts = urlsplit(address)
    literal = f"[{ip}]" if ":" in ip else ip
    target = urlunsplit((parts.scheme, literal + (f":{parts.port}" if parts.port else ""), parts.path or "/", parts.query, ""))
    headers = signed_headers(address, body, key=key, key_id=key_id, created=created) | {"host": parts.netloc, "user-agent": "old-attic"}
    try:
        with (
            httpx.Client(timeout=TIMEOUT_SECONDS, follow_redirects=False, verify=_trust(), trust_env=False) as client,
            client.stream("POST", target, content=body, headers=headers, extensions={"sni_hostname": parts.hostname}) as answer,
        ):
            status = answer.status_code
    except (httpx.HTTPError, httpx.InvalidURL, ssl.SSLError) as error:
        raise HookFailed(f"{parts.hostname} did not take it: {type(error).__name__}.") from None
    if 300 <= status < 400:
        raise HookFailed(
            f"{parts.hostname} wants to send it elsewhere ({status}).", remedy="Redirects are not followed: give the final address."
        )
    if not 200 <= status < 300:
        raise HookFailed(f"{parts.hostname} answered {status}.")
    return status


@lru_cache(maxsize=1)
def _trust() -> ssl.SSLContext:
    return ssl.create_default_context()
