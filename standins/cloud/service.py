"""The S3 REST protocol over real sockets: what a store needs of it, answered from the shelf, after the signature was checked.

Addresses are path-style. `listen` takes a port; knobs say what goes wrong. Only on loopback.
"""

import threading
import time
from collections.abc import Callable, Mapping
from datetime import UTC, datetime, timedelta
from email.utils import format_datetime
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any
from urllib.parse import parse_qsl, unquote, urlsplit

from standins.cloud.answers import Refused
from standins.cloud.operations import Answer, Asked, answer
from standins.cloud.shelf import Shelf
from standins.cloud.signature import check
from standins.cloud.trouble import CloudKnobs, Troubles
from standins.cloud.uploads import Uploads

MOST_BODY_BYTES = 64 << 20


class Cloud:
    """One account with its buckets. Its clock can be given, for days that pass faster."""

    def __init__(
        self,
        folder: Path,
        *,
        keys: Mapping[str, str],
        knobs: CloudKnobs | None = None,
        now: Callable[[], datetime] = lambda: datetime.now(UTC),
    ) -> None:
        self.shelf, self.uploads = Shelf(folder), Uploads(folder / "uploads")
        self.keys, self.troubles, self._now = keys, Troubles(knobs or CloudKnobs()), now
        self.requests: dict[str, int] = {}
        self._server: _Server | None = None

    def now(self) -> datetime:
        return self._now() + timedelta(seconds=self.troubles.knobs.clock_off_seconds)

    def listen(self, port: int = 0) -> int:
        """The port it listens on; 0 takes a free one."""
        self._server = _Server(("127.0.0.1", port), self)
        threading.Thread(target=self._server.serve_forever, kwargs={"poll_interval": 0.05}, daemon=True).start()
        return int(self._server.server_address[1])

    def hang_up(self) -> None:
        if self._server is not None:
            self._server.shutdown()
            self._server.server_close()
            self._server = None

    def close(self) -> None:
        self.hang_up()
        self.shelf.close()


class _Server(ThreadingHTTPServer):
    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, where: tuple[str, int], cloud: Cloud) -> None:
        self.cloud = cloud
        super().__init__(where, _Request)

    def handle_error(self, request: Any, client_address: Any) -> None:
        """Somebody hung up in the middle: nothing that a cloud would write down."""


class _Request(BaseHTTPRequestHandler):
    server: _Server
    protocol_version = "HTTP/1.1"
    disable_nagle_algorithm = True
    wbufsize = 1 << 16
    """Head and body leave together, so that nobody waits for an acknowledgement in between."""

    def handle_expect_100(self) -> bool:
        """Somebody waits for it before the body is sent."""
        super().handle_expect_100()
        self.wfile.flush()
        return True

    def log_message(self, format: str, *args: Any) -> None:
        """Quiet: the page of the stand-ins counts requests instead."""

    def _serve(self) -> None:
        cloud = self.server.cloud
        knobs = cloud.troubles.knobs
        if cloud.troubles.away(cloud.now()):
            self.close_connection = True
            return None
        length = int(self.headers.get("Content-Length") or 0)
        if length > MOST_BODY_BYTES:
            self.close_connection = True
            return self._send(Answer(status=400, body=Refused("InvalidRequest", "The body is too large.").body()))
        body = self._read(length, knobs.bytes_per_second)
        if knobs.latency_ms:
            time.sleep(knobs.latency_ms / 1000)
        befalls = cloud.troubles.next()
        if befalls == "cut" and length:
            self.close_connection = True
            return None
        if befalls in ("slow_down", "fail"):
            refused = Refused("SlowDown" if befalls == "slow_down" else "InternalError")
            return self._send(Answer(status=refused.status, body=refused.body()))
        return self._send(self._answer(body, lies=befalls == "lie"), cut=befalls == "cut")

    do_GET = do_HEAD = do_PUT = do_POST = do_DELETE = _serve

    def _read(self, length: int, speed: int) -> bytes:
        pieces, left = [], length
        while left and (piece := self.rfile.read(min(left, 1 << 16))):
            pieces.append(piece)
            left -= len(piece)
            if speed:
                time.sleep(len(piece) / speed)
        return b"".join(pieces)

    def _answer(self, body: bytes, *, lies: bool) -> Answer:
        cloud, parts = self.server.cloud, urlsplit(self.path)
        headers = {name.lower(): value for name, value in self.headers.items()}
        try:
            check(self.command, unquote(parts.path), parts.query, headers, body, keys=cloud.keys, now=cloud.now())
            bucket, _, key = unquote(parts.path).removeprefix("/").partition("/")
            query = dict(parse_qsl(parts.query, keep_blank_values=True))
            asked = Asked(method=self.command, bucket=bucket, key=key, query=query, headers=headers, body=body, now=cloud.now(), lies=lies)
            name, reply = answer(asked, cloud.shelf, cloud.uploads, allowance=cloud.troubles.knobs.allowance_bytes)
            cloud.requests[name] = cloud.requests.get(name, 0) + 1
            return reply
        except Refused as refused:
            cloud.requests[refused.code] = cloud.requests.get(refused.code, 0) + 1
            return Answer(status=refused.status, body=refused.body())

    def _send(self, reply: Answer, *, cut: bool = False) -> None:
        speed = self.server.cloud.troubles.knobs.bytes_per_second
        self.send_response(reply.status)
        for name, value in reply.headers.items():
            self.send_header(name, value)
        self.send_header("Content-Length", str(reply.length if reply.length is not None else len(reply.body)))
        self.end_headers()
        if self.command == "HEAD" or reply.status in (204, 304):
            return
        body = reply.body[: len(reply.body) // 2] if cut else reply.body
        for at in range(0, len(body), 1 << 16):
            piece = body[at : at + (1 << 16)]
            self.wfile.write(piece)
            if speed:
                time.sleep(len(piece) / speed)
        if cut:
            self.close_connection = True

    def date_time_string(self, timestamp: float | None = None) -> str:
        """The cloud's own clock stands in every answer."""
        return format_datetime(self.server.cloud.now(), usegmt=True)
