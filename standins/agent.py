"""One simulated device: its sockets, its knobs and its answers to the agent protocol."""

import json
import secrets
import threading
import time
from collections.abc import Iterator
from dataclasses import asdict, dataclass, fields
from datetime import UTC, datetime
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, unquote, urlsplit

from standins.fleet import Persona
from standins.life import Life
from standins.protocol import FRAME_BYTES, PairingSession, Refused, Seen, check_request, opened, sealed

CODE_LETTERS = "ABCDEFGHJKMNPQRSTUVWXYZ23456789"
CODE_LENGTH = 8
WRONG_TRIES = 5
PAGE_ITEMS = 500
MAX_BODY_BYTES = 256 * 1024 * 1024

COMMON = [
    *("contacts", "calendar", "messages", "attachments", "calls", "photos", "recordings", "documents"),
    *("alarms", "apps", "app_data", "settings", "wireless"),
]
KINDS = {"orlo": [*COMMON, "notes", "logins"], "brenta": COMMON}


@dataclass(slots=True)
class Knobs:
    """Troubles that somebody can switch on."""

    away: bool = False
    locked: bool = False
    data_access: bool = True
    finder_lock: bool = False
    on_power: bool = True
    battery_percent: int = 86
    full: bool = False
    slow_bytes_per_second: int = 0
    """0 is as fast as it goes."""
    drop_at_byte: int = 0
    """Cuts the connection once, after so many bytes of content. 0 never."""
    lie_about_sizes: bool = False
    strange_names: bool = False
    """Announces a photo under a name that tries to leave its folder, and one with markup."""


class SimulatedDevice:
    """State of one device, shared by all its connections."""

    def __init__(self, persona: Persona, life: Life) -> None:
        self.persona, self.life = persona, life
        self.knobs = Knobs(**json.loads(life.fact("knobs") or "{}"))
        self.seen = Seen()
        self.code = ""
        self.wrong_tries = 0
        self.sent_bytes = 0
        self._sessions: dict[str, PairingSession] = {}
        self._lock = threading.Lock()
        self._server: ThreadingHTTPServer | None = None
        self.port = 0
        self.new_code()

    @property
    def id(self) -> str:
        return self.persona.slug

    @property
    def paired(self) -> bool:
        return self.life.fact("device_key") is not None

    def new_code(self) -> None:
        self.code = "".join(secrets.choice(CODE_LETTERS) for _ in range(CODE_LENGTH))
        self.wrong_tries = 0
        self._sessions = {}

    # -- on and off the network

    def listen(self, port: int = 0) -> None:
        handler = type("Handler", (_Handler,), {"device": self})
        self._server = _Server(("127.0.0.1", port or self.port), handler)
        self.port = self._server.server_address[1]
        threading.Thread(target=self._server.serve_forever, kwargs={"poll_interval": 0.05}, daemon=True).start()

    def hang_up(self) -> None:
        if self._server is not None:
            self._server.shutdown()
            self._server.server_close()
            self._server = None

    def turn(self, changes: dict[str, Any]) -> None:
        """Set knobs. Raises ValueError for one that does not exist or a value of another type."""
        known = {field.name: type(getattr(self.knobs, field.name)) for field in fields(Knobs)}
        for name, value in changes.items():
            if name not in known or type(value) is not known[name]:
                raise ValueError(f"no such knob or value: {name}={value!r}")
        for name, value in changes.items():
            setattr(self.knobs, name, value)
        self.life.set_fact("knobs", json.dumps(asdict(self.knobs)))
        if self.knobs.away:
            self.hang_up()
        elif self._server is None:
            self.listen()

    def described(self) -> dict[str, Any]:
        """For the control page."""
        told = {"device": self.id, "model": f"{self.persona.make} {self.persona.model}", "holder": self.persona.holder}
        return told | {"paired": self.paired, "code": self.code, "port": self.port, "knobs": asdict(self.knobs)}

    def announced(self) -> dict[str, Any]:
        """What it says of itself on the network."""
        told = {"device": self.id, "family": self.persona.family, "make": self.persona.make, "model": self.persona.model}
        told |= {"os_version": self.persona.os_version, "name": f"{self.persona.model}, {self.persona.holder}"}
        return told | {"address": f"http://127.0.0.1:{self.port}", "paired": self.paired}

    # -- pairing

    def begin_pairing(self, told: dict[str, Any]) -> dict[str, str]:
        with self._lock:
            session, public = PairingSession.begin(code=self.code, server_public=bytes.fromhex(told["public"]))
            name = secrets.token_hex(16)
            self._sessions = {name: session}
            return {"device": self.id, "public": public.hex(), "session": name}

    def finish_pairing(self, told: dict[str, Any]) -> dict[str, str]:
        with self._lock:
            session = self._sessions.pop(told["session"], None)
            if session is None:
                raise Refused(409, "no_session", "This attempt to pair is over. Begin again.")
            if not secrets.compare_digest(session.proof(b"server"), told["proof"]):
                self.wrong_tries += 1
                left = WRONG_TRIES - self.wrong_tries
                if left <= 0:
                    self.new_code()
                raise Refused(403, "wrong_code", "The code is wrong.", tries_left=max(0, left))
            self.life.set_fact("device_key", session.device_key().hex())
            self.new_code()
            return {"proof": session.proof(b"device")}

    # -- content

    def state(self) -> dict[str, Any]:
        knobs, persona = self.knobs, self.persona
        total = persona.storage_total_bytes
        return {
            "make": persona.make, "model": persona.model, "family": persona.family, "os_version": persona.os_version,
            "storage_total_bytes": total, "storage_used_bytes": total if knobs.full else total // 5 + self.life.used_bytes(),
            "battery_percent": knobs.battery_percent, "on_power": knobs.on_power, "network": "office", "locked": knobs.locked,
            "data_access": knobs.data_access, "finder_lock": knobs.finder_lock,
        }  # fmt: skip

    def inventory(self, kind: str, after: str) -> dict[str, Any]:
        found = [item for item in self.life.inventory(kind) if item["id"] > after]
        page = found[:PAGE_ITEMS]
        if self.knobs.lie_about_sizes and kind == "photos":
            page = [item | {"size_bytes": item["size_bytes"] * 3 + 1} if n % 10 == 0 else item for n, item in enumerate(page)]
        if self.knobs.strange_names and kind == "photos" and len(page) > 1:
            page[0] = page[0] | {"name": "../../etc/passwd"}
            page[1] = page[1] | {"name": "<img src=x onerror=alert(1)>\u202egpj.exe"}
        return {"items": page, "next": page[-1]["id"] if len(found) > len(page) else None}

    def read(self, kind: str, id: str, start: int) -> Iterator[bytes]:
        self._open_for_reading()
        content = self.life.content(kind, id)
        if content is None:
            raise Refused(404, "gone", "There is no such item.")
        return (content[at : at + FRAME_BYTES] for at in range(start, len(content), FRAME_BYTES))

    def write(self, kind: str, id: str | None, pieces: Iterator[bytes]) -> dict[str, str]:
        self._open_for_reading()
        if self.knobs.full:
            raise Refused(507, "full", "There is no room on the device.")
        head = json.loads(next(pieces))
        content = b"".join(pieces)
        if len(content) != head["size_bytes"]:
            raise Refused(400, "size", "The content is not as long as announced.")
        return {"id": self.life.write(kind, id, head["name"], content, at=datetime.now(UTC))}

    def _open_for_reading(self) -> None:
        if self.knobs.locked:
            raise Refused(423, "locked", "The device is locked.")
        if not self.knobs.data_access:
            raise Refused(403, "data_access", "Data access is switched off.")

    def paced(self, pieces: Iterator[bytes]) -> Iterator[bytes]:
        """The pieces at the speed and with the accident that the knobs ask for."""
        for piece in pieces:
            step = 4096 if self.knobs.slow_bytes_per_second or self.knobs.drop_at_byte else len(piece) or 1
            for at in range(0, len(piece), step):
                part = piece[at : at + step]
                if self.knobs.slow_bytes_per_second:
                    time.sleep(len(part) / self.knobs.slow_bytes_per_second)
                self.sent_bytes += len(part)
                if self.knobs.drop_at_byte and self.sent_bytes >= self.knobs.drop_at_byte:
                    self.knobs.drop_at_byte = 0
                    raise ConnectionAbortedError("the cable came loose")
                yield part


class _Server(ThreadingHTTPServer):
    allow_reuse_address = True
    daemon_threads = True

    def handle_error(self, request: Any, client_address: Any) -> None:
        """A connection that ends is part of the play."""


class _Handler(BaseHTTPRequestHandler):
    """HTTP/1.1 in front of one device."""

    protocol_version = "HTTP/1.1"
    disable_nagle_algorithm = True
    device: SimulatedDevice

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

    def _route(self, body: bytes) -> None:
        device, path = self.device, urlsplit(self.path)
        parts = [unquote(part) for part in path.path.strip("/").split("/")]
        match (self.command, parts[2:]):
            case ("GET", ["hello"]):
                return self._json(200, {"protocol": 1} | device.announced())
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
        match (self.command, parts[2:]):
            case ("GET", ["state"]):
                pieces = _json_pieces(device.state())
            case ("GET", ["kinds"]):
                pieces = _json_pieces({"kinds": KINDS[device.persona.family]})
            case ("GET", ["inventory", kind]):
                pieces = _json_pieces(device.inventory(kind, query.get("after", "")))
            case ("GET", ["items", kind, id]):
                pieces = device.paced(device.read(kind, id, int(query.get("from", "0"))))
            case ("POST", ["items", kind]):
                pieces = _json_pieces(device.write(kind, None, opened(key, nonce, b"request", body)))
            case ("PUT", ["items", kind, id]):
                pieces = _json_pieces(device.write(kind, id, opened(key, nonce, b"request", body)))
            case ("DELETE", ["pair"]):
                pieces = _json_pieces({})
                device.life.set_fact("device_key", None)
            case _:
                raise Refused(404, "unknown", "There is no such thing in this protocol.")
        return self._stream(sealed(key, nonce, b"response", pieces))

    def _stream(self, frames: Iterator[bytes]) -> None:
        self.send_response(200)
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

    def _json(self, status: int, told: dict[str, Any]) -> None:
        content = json.dumps(told).encode()
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        self.wfile.write(content)


def _json_pieces(told: dict[str, Any]) -> Iterator[bytes]:
    content = json.dumps(told, ensure_ascii=False).encode()
    return (content[at : at + FRAME_BYTES] for at in range(0, len(content), FRAME_BYTES))
