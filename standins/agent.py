"""A simulated device on a socket: HTTP/1.1 in front of it, and the routes of the agent protocol."""

import contextlib
import itertools
import json
import socket
import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import TYPE_CHECKING, Any
from urllib.parse import parse_qs, unquote, urlsplit

from standins.device import KINDS
from standins.protocol import FRAME_BYTES, Refused, check_request, opened, packed, sealed

if TYPE_CHECKING:
    from standins.device import SimulatedDevice

MAX_BODY_BYTES = 256 * 1024 * 1024
WORTH_PACKING_BYTES = 512
INCOMPRESSIBLE = (b"\xff\xd8\xff", b"APPKG", b"\x89PNG", b"PK")


POLL_SECONDS = 5
"""How often a listening device wakes up for nothing; `hang_up` does not wait for it."""


def hang_up(server: ThreadingHTTPServer) -> None:
    """Stop listening, at once: a knock at the door wakes the loop that is to end."""
    ending = threading.Thread(target=server.shutdown, daemon=True)
    ending.start()
    while ending.is_alive():
        with contextlib.suppress(OSError):
            socket.create_connection(("127.0.0.1", server.server_port), timeout=1).close()
        ending.join(0.05)
    server.server_close()


def serve(device: "SimulatedDevice", port: int) -> ThreadingHTTPServer:
    """Listen on loopback; 0 takes a free port."""
    server = _Server(("127.0.0.1", port), type("Handler", (_Handler,), {"device": device}))
    threading.Thread(target=server.serve_forever, kwargs={"poll_interval": POLL_SECONDS}, daemon=True).start()
    return server


class _Server(ThreadingHTTPServer):
    allow_reuse_address = True
    daemon_threads = True

    def handle_error(self, request: Any, client_address: Any) -> None:
        """A connection that ends is part of the play."""


class _Handler(BaseHTTPRequestHandler):
    """HTTP/1.1 in front of one device."""

    protocol_version = "HTTP/1.1"
    disable_nagle_algorithm = True
    device: "SimulatedDevice"

    def do_GET(self) -> None:
        self._answer(b"")

    do_DELETE = do_GET

    def do_POST(self) -> None:
        length = int(self.headers.get("Content-Length") or 0)
        if length > MAX_BODY_BYTES:
            self.send_error(413)
            return
        self._answer(self.rfile.read(length))

    do_PUT = do_POST

    def log_message(self, format: str, *args: Any) -> None:
        """Quiet: the control page shows what matters."""

    def _answer(self, body: bytes) -> None:
        if self.device.knobs.away:
            self.close_connection = True
            return
        try:
            self._route(body)
        except Refused as refusal:
            self._json(refusal.status, refusal.body)
        except (ValueError, KeyError, TypeError, StopIteration):
            self._json(400, {"error": "request", "says": "The request cannot be understood."})
        except ConnectionError:
            self.close_connection = True

    def _route(self, body: bytes) -> None:
        device, path = self.device, urlsplit(self.path)
        parts = [unquote(part) for part in path.path.strip("/").split("/")]
        match (self.command, parts[2:]):
            case ("GET", ["hello"]):
                return self._json(200, {"protocol": device.knobs.protocol} | device.announced())
            case ("POST", ["pair", "begin"]):
                return self._json(200, device.begin_pairing(json.loads(body)))
            case ("POST", ["pair", "finish"]):
                return self._json(200, device.finish_pairing(json.loads(body)))
        key = bytes.fromhex(device.life.fact("device_key") or "")
        if not key:
            raise Refused(401, "not_paired", "This server is not paired with this device.")
        headers = {name.lower(): value for name, value in self.headers.items()}
        nonce = check_request(key, device.seen, method=self.command, target=self.path, headers=headers, body=body)
        query = {name: values[0] for name, values in parse_qs(path.query).items()}
        if (self.command == "GET" and parts[2] == "items") or parts[2:] == ["read"]:
            return self._stream(key, nonce, device.paced(self._content(parts[2:], query, opened(key, nonce, b"request", body))))
        return self._stream(key, nonce, _json_pieces(self._told(parts[2:], query, opened(key, nonce, b"request", body))))

    def _content(self, parts: list[str], query: dict[str, str], sent: Iterator[bytes]) -> Iterator[bytes]:
        """Bytes of items: of one from some byte on, or of many."""
        match parts:
            case ["items", kind, id]:
                return self.device.read(kind, id, int(query.get("from", "0")), query.get("tag"))
            case _:
                return self.device.read_many(json.loads(b"".join(sent)))

    def _told(self, parts: list[str], query: dict[str, str], sent: Iterator[bytes]) -> dict[str, Any]:
        device = self.device
        match (self.command, parts):
            case ("GET", ["state"]):
                return device.state()
            case ("GET", ["kinds"]):
                return {"kinds": KINDS[device.persona.family]}
            case ("GET", ["accounts"]):
                return {"accounts": device.accounts()}
            case ("GET", ["inventory", kind]):
                device.open_for_reading()
                return device.inventory(kind, query.get("after", ""))
            case ("POST", ["items", kind]):
                return device.write(kind, None, sent)
            case ("PUT", ["items", kind, id]):
                return device.write(kind, id, sent)
            case ("POST", ["uploads"]):
                return device.begin_upload(json.loads(b"".join(sent)))
            case ("GET", ["uploads", name]):
                return {"have": len(device.upload(name)[1])}
            case ("PUT", ["uploads", name]):
                _, held = device.upload(name)
                del held[int(query["from"]) :]
                for piece in device.paced(sent):
                    held += piece
                return {"have": len(held)}
            case ("POST", ["uploads", name, "finish"]):
                return device.finish_upload(name)
            case ("GET", ["own-cloud"]) if device.knobs.protocol >= 3:
                return {"own_cloud": device.own_cloud()}
            case ("POST", ["digest"]) if device.knobs.protocol >= 2:
                return device.digests(json.loads(b"".join(sent)))
            case ("POST", ["write"]) if device.knobs.protocol >= 2:
                return device.write_many(b"".join(sent))
            case ("DELETE", ["pair"]):
                device.life.set_fact("device_key", None)
                device.new_code()
                return {}
        raise Refused(404, "unknown", "There is no such thing in this protocol.")

    def _stream(self, key: bytes, nonce: bytes, pieces: Iterator[bytes]) -> None:
        """A sealed answer, packed where that pays and the server takes it."""
        first = next(pieces, b"")  # what is refused is refused before the answer begins
        pieces = itertools.chain((first,), pieces)
        packs = self.headers.get("Attic-Accept") == "zstd" and len(first) >= WORTH_PACKING_BYTES and not first.startswith(INCOMPRESSIBLE)
        frames = sealed(key, nonce, b"response", packed(pieces) if packs else pieces)
        self.send_response(200)
        if packs:
            self.send_header("Attic-Packed", "zstd")
        self.send_header("Content-Type", "application/octet-stream")
        self.send_header("Transfer-Encoding", "chunked")
        self.end_headers()
        try:
            for frame in frames:
                if self.device.knobs.away:
                    raise ConnectionAbortedError("away")
                self.wfile.write(b"%x\r\n%s\r\n" % (len(frame), frame))
            self.wfile.write(b"0\r\n\r\n")
        except ConnectionError:
            self.close_connection = True
            with contextlib.suppress(OSError):
                self.connection.shutdown(socket.SHUT_RDWR)

    def _json(self, status: int, answer: dict[str, Any]) -> None:
        content = json.dumps(answer).encode()
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        self.wfile.write(content)


def _json_pieces(answer: dict[str, Any]) -> Iterator[bytes]:
    content = json.dumps(answer, ensure_ascii=False).encode()
    return (content[at : at + FRAME_BYTES] for at in range(0, len(content), FRAME_BYTES))
