"""One simulated device: what it is, its knobs, its pairing and its answers. `standins.agent` puts it on a socket."""

import json
import secrets
import threading
import time
from collections.abc import Iterator
from dataclasses import asdict
from datetime import UTC, datetime, timedelta
from typing import Any

from standins.digests import UNORDERED, content_digest
from standins.fleet import Persona
from standins.knobs import Knobs, checked
from standins.life import Life
from standins.ports import HeldPort, held_port
from standins.protocol import FRAME_BYTES, PairingSession, Refused, Seen

CODE_LETTERS = "ABCDEFGHJKMNPQRSTUVWXYZ23456789"
CODE_LENGTH = 8
CODE_SECONDS = 600
WRONG_TRIES = 5
WRONG_CODES = 2
"""After so many codes were tried in vain the device takes none for a while."""
PAUSE_SECONDS = 60
PAGE_ITEMS = 500
MANY_BYTES = 2 << 20

COMMON = [
    *("contacts", "calendar", "messages", "attachments", "calls", "photos", "recordings", "documents"),
    *("alarms", "apps", "app_data", "settings", "wireless"),
]
KINDS = {"orlo": [*COMMON, "notes", "logins"], "brenta": [*COMMON, "card"]}


class SimulatedDevice:
    """State of one device, shared by all its connections."""

    def __init__(self, persona: Persona, life: Life) -> None:
        self.persona, self.life = persona, life
        known = set(Knobs.__dataclass_fields__)
        self.knobs = Knobs(**{name: value for name, value in json.loads(life.fact("knobs") or "{}").items() if name in known})
        self.seen = Seen()
        self.code = ""
        self.code_from = 0.0
        self.wrong_tries = self.wrong_codes = 0
        self.closed_until = 0.0
        self.sent_bytes = 0
        self.uploads: dict[str, tuple[dict[str, Any], bytearray]] = {}
        self._sessions: dict[str, PairingSession] = {}
        self._lock = threading.Lock()
        self.port = 0
        self._held: HeldPort | None = None
        self.server: Any = None
        self.new_code()

    @property
    def id(self) -> str:
        return self.persona.slug

    @property
    def paired(self) -> bool:
        return self.life.fact("device_key") is not None

    @property
    def accepted(self) -> bool:
        """Whether its holder has said yes to the server that it is paired with."""
        return self.paired and self.life.fact("accepted") != "no"

    def new_code(self) -> None:
        self.code = "".join(secrets.choice(CODE_LETTERS) for _ in range(CODE_LENGTH))
        self.code_from = time.monotonic()
        self.wrong_tries = 0
        self._sessions = {}

    def accept(self, yes: bool) -> None:
        """Its holder answers, or an update makes it ask again."""
        self.life.set_fact("accepted", None if yes else "no")

    # -- on and off the network

    def listen(self, port: int = 0) -> None:
        """On the port that it had before, which stays its own while it is away; else on `port`, or a free one."""
        from standins.agent import serve

        if self._held is None:
            self._held = held_port(port)
            self.port = self._held.number
        self.server = serve(self, self.port)

    def hang_up(self) -> None:
        from standins.agent import hang_up

        if self.server is not None:
            server, self.server = self.server, None
            hang_up(server)

    def leave(self) -> None:
        """Hang up for good: its port may be anybody's."""
        self.hang_up()
        if self._held is not None:
            self._held.close()
            self._held = None

    def turn(self, changes: dict[str, Any]) -> None:
        """Set knobs. Raises ValueError."""
        for name, value in checked(changes).items():
            setattr(self.knobs, name, value)
        self.life.set_fact("knobs", json.dumps(asdict(self.knobs)))
        if self.knobs.away:
            self.hang_up()
        elif self.server is None:
            self.listen()

    def described(self) -> dict[str, Any]:
        """For the control page."""
        fields: dict[str, Any] = {"device": self.id, "model": f"{self.persona.make} {self.persona.model}", "holder": self.persona.holder}
        fields |= {
            "team": self.persona.team,
            "paired": self.paired,
            "accepted": self.accepted,
            "code": self.shown_code(),
            "port": self.port,
            "serial": self.serial,
        }
        return fields | {"knobs": asdict(self.knobs)}

    def announced(self) -> dict[str, Any]:
        """What it says of itself on the network."""
        fields: dict[str, Any] = {"device": self.id, "family": self.persona.family, "make": self.persona.make, "model": self.persona.model}
        fields |= {"os_version": self.persona.os_version, "name": f"{self.persona.model}, {self.persona.holder}", "serial": self.serial}
        return fields | {"address": f"http://127.0.0.1:{self.port}", "paired": self.paired}

    @property
    def serial(self) -> str:
        return self.knobs.other_serial or self.persona.serial

    # -- pairing

    def shown_code(self) -> str:
        """The code on its screen now: a new one when the last has expired."""
        if time.monotonic() - self.code_from > CODE_SECONDS:
            self.new_code()
        return self.code

    def begin_pairing(self, body: dict[str, Any]) -> dict[str, str]:
        with self._lock:
            if time.monotonic() < self.closed_until:
                raise Refused(429, "throttled", "Too many wrong codes. Wait a minute.")
            if time.monotonic() - self.code_from > CODE_SECONDS:
                self.new_code()
                raise Refused(403, "expired", "This code is too old. Look at the new one.")
            session, public = PairingSession.begin(code=self.code, server_public=bytes.fromhex(body["public"]))
            name = secrets.token_hex(16)
            self._sessions = {name: session}
            return {"device": self.id, "public": public.hex(), "session": name}

    def finish_pairing(self, body: dict[str, Any]) -> dict[str, Any]:
        with self._lock:
            session = self._sessions.pop(body["session"], None)
            if session is None:
                raise Refused(409, "no_session", "This attempt to pair is over. Begin again.")
            if not secrets.compare_digest(session.proof(b"server"), body["proof"]):
                self._wrong()
                raise Refused(403, "wrong_code", "The code is wrong.", tries_left=max(0, WRONG_TRIES - self.wrong_tries) % WRONG_TRIES)
            self.life.set_fact("device_key", session.device_key().hex())
            self.accept(not self.knobs.asks_holder)
            self.new_code()
            self.wrong_codes = 0
            return {"proof": session.proof(b"device"), "accepted": self.accepted}

    def _wrong(self) -> None:
        self.wrong_tries += 1
        if self.wrong_tries >= WRONG_TRIES:
            self.new_code()
            self.wrong_codes += 1
            if self.wrong_codes >= WRONG_CODES:
                self.wrong_codes, self.closed_until = 0, time.monotonic() + PAUSE_SECONDS

    # -- content

    def state(self) -> dict[str, Any]:
        knobs, persona = self.knobs, self.persona
        total = persona.storage_total_bytes
        card = {"present": False} if persona.card_bytes is None else {"present": True, "size_bytes": persona.card_bytes}
        return {
            "make": persona.make, "model": persona.model, "family": persona.family, "os_version": persona.os_version,
            "update_pending": knobs.update_pending or persona.update_pending,
            "serial": self.serial, "accepted": self.accepted, "protocol": knobs.protocol,
            "storage_total_bytes": total, "storage_used_bytes": total if knobs.full else total // 5 + self.life.used_bytes(),
            "battery_percent": knobs.battery_percent, "on_power": knobs.on_power,
            "network": "elsewhere" if knobs.elsewhere else "office", "locked": knobs.locked,
            "data_access": knobs.data_access, "finder_lock": knobs.finder_lock,
            "card": card | ({"encrypted": knobs.card_encrypted} if card["present"] else {}),
            "clock": (datetime.now(UTC) + timedelta(seconds=knobs.clock_off_seconds)).isoformat(),
            "last_used": (datetime.now(UTC) - timedelta(seconds=0 if knobs.in_use else 5400)).isoformat(),
        }  # fmt: skip

    def accounts(self) -> list[dict[str, Any]]:
        """Who keeps what in step, as its settings say."""
        lived = f"{self.life.fact('lived') or '2026-01-01'}T04:10:00+00:00"
        rows = []
        for account in self.persona.accounts:
            for kind in account.kinds:
                off = self.knobs.account_off and account.work
                entry = {"kind": kind, "service": account.service, "default": account.default, "off_by_policy": off}
                rows.append(entry | {"last_sync": None if account.stopped or off else lived})
        return rows

    def own_cloud(self) -> dict[str, Any] | None:
        """Phones are backed up by their makers; None for what belongs to nobody's pocket."""
        if not self.persona.slug.startswith(("p4-", "p5-", "ridge2-")):
            return None
        knobs, allowed = self.knobs, 5 << 30
        number = sum(map(ord, self.persona.slug))
        used = allowed * (knobs.own_cloud_percent or 38 + number % 40) // 100
        lived = datetime.fromisoformat(f"{self.life.fact('lived') or '2026-01-01'}T01:{number % 60:02}:00+00:00")
        off = knobs.own_cloud_policy
        name = self.persona.slug.partition("-")[2] or self.persona.slug
        return {
            "state": "off_by_policy" if off else "on",
            "service": f"{self.persona.make} backup",
            "account": f"{name}@{self.persona.family}.example",
            "last_success": None if off else (lived - timedelta(days=knobs.own_cloud_stopped_days)).isoformat(),
            "used_bytes": used,
            "allowed_bytes": allowed,
            "kinds": [
                {"kind": "photos", "bytes": used * 6 // 10},
                {"kind": "app_data", "bytes": used // 5},
                {"kind": "mail", "bytes": used // 10},
            ],
            "devices": [
                {"name": f"{self.persona.make} {self.persona.model}", "bytes": used * 6 // 10},
                *([{"name": f"{self.persona.make} P2", "bytes": used // 10}] if knobs.own_cloud_percent else []),
            ],
        }

    def inventory(self, kind: str, after: str) -> dict[str, Any]:
        fields = [item for item in self.life.inventory(kind) if item["id"] > after]
        page = fields[:PAGE_ITEMS]
        if self.knobs.lie_about_sizes and kind == "photos":
            page = [item | {"size_bytes": item["size_bytes"] * 3 + 1} if n % 10 == 0 else item for n, item in enumerate(page)]
        if self.knobs.strange_names and kind == "photos" and len(page) > 1:
            page[0] = page[0] | {"name": "../../etc/passwd"}
            page[1] = page[1] | {"name": "<img src=x onerror=alert(1)>\u202egpj.exe"}
        if self.knobs.announce_twice and kind == "photos":
            page = [*page, *page[-1:]]
        return {"items": page, "next": page[-1]["id"] if len(fields) > len(page) else None}

    def read(self, kind: str, id: str, start: int, tag: str | None) -> Iterator[bytes]:
        self.open_for_reading()
        content = self._content(kind, id, tag)
        return (content[at : at + FRAME_BYTES] for at in range(start, len(content), FRAME_BYTES))

    def read_many(self, body: dict[str, Any]) -> Iterator[bytes]:
        """`length of head (4) | head | content` of each item that was asked for, until the answer is full."""
        self.open_for_reading()
        sent = 0
        for kind, id, tag in body["items"]:
            try:
                content = self._content(kind, id, tag)
                head = {"kind": kind, "id": id, "size_bytes": len(content)}
            except Refused as refusal:
                content, head = b"", {"kind": kind, "id": id, "size_bytes": 0, "error": refusal.body["error"]}
            if sent and sent + len(content) > MANY_BYTES:
                return
            sent += len(content)
            line = json.dumps(head).encode()
            yield len(line).to_bytes(4, "big") + line + content

    def _content(self, kind: str, id: str, tag: str | None) -> bytes:
        content = self.life.content(kind, id)
        if content is None:
            raise Refused(404, "gone", "There is no such item.")
        if tag and tag != self.life.tag(kind, id):
            raise Refused(409, "changed", "The item has changed.")
        return content

    def write(self, kind: str, id: str | None, pieces: Iterator[bytes]) -> dict[str, str]:
        self._open_for_writing()
        head = json.loads(next(pieces))
        return {"id": self._keep(kind, id, head, b"".join(pieces))}

    def digests(self, body: dict[str, Any]) -> dict[str, Any]:
        """Of each item that was asked for, in its canonical form; null for one that is gone."""
        self.open_for_reading()
        contents = (self.life.content(body["kind"], id) for id in body["ids"])
        return {"digests": [None if content is None else content_digest(body["kind"], content) for content in contents]}

    def write_many(self, body: bytes) -> dict[str, Any]:
        """`length of head (4) | head | content` of each; ids of what was written, from the first on."""
        self._open_for_writing()
        ids, at = [], 0
        while at < len(body):
            length = int.from_bytes(body[at : at + 4], "big")
            head = json.loads(body[at + 4 : at + 4 + length])
            start = at + 4 + length
            at = start + head["size_bytes"]
            ids.append(self._keep(head["kind"], head["id"], head, body[start:at]))
        return {"ids": ids}

    def begin_upload(self, body: dict[str, Any]) -> dict[str, str]:
        self._open_for_writing()
        name = secrets.token_hex(8)
        self.uploads[name] = (body, bytearray())
        return {"upload": name}

    def upload(self, name: str) -> tuple[dict[str, Any], bytearray]:
        if name not in self.uploads:
            raise Refused(404, "gone", "There is no such upload.")
        return self.uploads[name]

    def finish_upload(self, name: str) -> dict[str, str]:
        fields, content = self.upload(name)
        del self.uploads[name]
        return {"id": self._keep(fields["kind"], fields["id"], fields, bytes(content))}

    def _keep(self, kind: str, id: str | None, head: dict[str, Any], content: bytes) -> str:
        if len(content) != head["size_bytes"]:
            raise Refused(400, "size", "The content is not as long as announced.")
        if self.knobs.reorders and kind in UNORDERED:
            content = json.dumps(_turned(json.loads(content)), ensure_ascii=False).encode()
        return self.life.write(kind, id, head["name"], content, at=datetime.now(UTC))

    def open_for_reading(self) -> None:
        if not self.accepted:
            raise Refused(403, "not_accepted", "Its holder has not said yes.")
        if self.knobs.locked:
            raise Refused(423, "locked", "The device is locked.")
        if not self.knobs.data_access:
            raise Refused(403, "data_access", "Data access is switched off.")

    def _open_for_writing(self) -> None:
        self.open_for_reading()
        if self.knobs.full:
            raise Refused(507, "full", "There is no room on the device.")

    def paced(self, pieces: Iterator[bytes]) -> Iterator[bytes]:
        """The pieces at the speed and with the accident that the knobs ask for."""
        for piece in pieces:
            step = 4096 if self.knobs.slow_bytes_per_second or self.knobs.drop_at_byte or self.knobs.unplug_at_byte else len(piece) or 1
            for at in range(0, len(piece), step):
                part = piece[at : at + step]
                if self.knobs.slow_bytes_per_second:
                    time.sleep(len(part) / self.knobs.slow_bytes_per_second)
                self.sent_bytes += len(part)
                self._accident()
                yield part

    def _accident(self) -> None:
        knobs = self.knobs
        if knobs.drop_at_byte and self.sent_bytes >= knobs.drop_at_byte:
            knobs.drop_at_byte = 0
            raise ConnectionAbortedError("the cable came loose")
        if knobs.unplug_at_byte and self.sent_bytes >= knobs.unplug_at_byte:
            knobs.unplug_at_byte, knobs.away = 0, True
            threading.Thread(target=self.hang_up, daemon=True).start()
            raise ConnectionAbortedError("it was unplugged")


def _turned(value: Any) -> Any:
    """The same record with its members and lists the other way round."""
    if isinstance(value, dict):
        return {name: _turned(value[name]) for name in reversed(value)}
    return [_turned(entry) for entry in reversed(value)] if isinstance(value, list) else value
