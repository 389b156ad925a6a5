"""Where the connections of a bucket's client may go: each name is looked up when a connection is made, every address that it has is
looked at, and so is the one that was connected to. An answer of the name server that changes in between leads nowhere.

botocore has no such hook; its connection pools are given classes of connections that ask first.
"""

import socket
from collections.abc import Callable
from pathlib import Path
from typing import Any

from botocore.awsrequest import AWSHTTPConnection, AWSHTTPConnectionPool, AWSHTTPSConnection, AWSHTTPSConnectionPool

from adapters.inside import Ip, ip_of, is_inside, is_no_server
from core.vault.errors import StoreForbidden

_SYSTEMS_TRUST = Path("/etc/ssl/certs/ca-certificates.crt")


def trusted() -> str | None:
    """The certificates that this computer trusts, so that an authority of one's own can be added; None: those of the library."""
    return str(_SYSTEMS_TRUST) if _SYSTEMS_TRUST.is_file() else None


def guard(client: Any, *, inside: bool) -> None:
    """From now on the client connects to no address that is not allowed. Connecting raises StoreForbidden."""

    def look(host: str, ip: Ip) -> None:
        named = f"This leads to {ip}" if host.strip("[]") == str(ip) else f"{host} leads to {ip}"
        if is_no_server(ip):
            raise StoreForbidden(f"{named}, which is no address of a service.", remedy="Give the service's own address.")
        if is_inside(ip) and not inside:
            remedy = "If that is meant, say on the form that the service lies in the office's own network."
            raise StoreForbidden(f"{named}, inside of the office's network.", remedy=remedy, field="endpoint")

    # botocore's own pools, with connections that look first
    client._endpoint.http_session._manager.pool_classes_by_scheme = {
        "http": type("Pool", (AWSHTTPConnectionPool,), {"ConnectionCls": _looking(AWSHTTPConnection, look)}),
        "https": type("SealedPool", (AWSHTTPSConnectionPool,), {"ConnectionCls": _looking(AWSHTTPSConnection, look)}),
    }


def _looking(kind: type[Any], look: Callable[[str, Ip], None]) -> type[Any]:
    class Connection(kind):  # type: ignore[misc]  # one of two, chosen by the scheme
        def _new_conn(self) -> socket.socket:
            try:
                addresses = socket.getaddrinfo(self.host, self.port, type=socket.SOCK_STREAM)
            except (OSError, UnicodeError):
                addresses = []  # told by the connection itself
            for entry in addresses:
                look(self.host, ip_of(str(entry[4][0])))
            connected: socket.socket = super()._new_conn()
            try:
                look(self.host, ip_of(str(connected.getpeername()[0])))
            except StoreForbidden:
                connected.close()
                raise
            return connected

    return Connection
