"""A device that runs an SFTP server: a folder of ordinary files behind a name, a password and a host key of its own."""

import asyncio
import json
import random
import threading
from dataclasses import asdict
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import Any

import asyncssh

from standins.drawing import photo
from standins.fleet import Persona
from standins.knobs import Knobs, checked
from standins.ports import HeldPort, held_port

USERNAME = "gauge"
PASSWORD = "neap and spring"  # noqa: S105 - made up
_FACTS = "facts.json"


class SftpDevice:
    """Listens in a thread of its own."""

    def __init__(self, persona: Persona, folder: Path) -> None:
        self.persona = persona
        self._home = folder / persona.slug
        self.files = self._home / "files"
        self.files.mkdir(parents=True, exist_ok=True)
        self._facts_path = self._home / _FACTS
        self._facts: dict[str, Any] = json.loads(self._facts_path.read_text()) if self._facts_path.is_file() else {}
        known = set(Knobs.__dataclass_fields__)
        self.knobs = Knobs(**{name: value for name, value in self._facts.get("knobs", {}).items() if name in known})
        if "host_key" not in self._facts:
            self.renew_host_key()
        self.port = int(self._facts.get("port", 0))
        self._loop = asyncio.new_event_loop()
        threading.Thread(target=self._loop.run_forever, daemon=True).start()
        self._server: asyncssh.SSHAcceptor | None = None
        self._held: HeldPort | None = None

    @property
    def id(self) -> str:
        return self.persona.slug

    def renew_host_key(self) -> None:
        """Another key, as after a reset."""
        self._facts["host_key"] = asyncssh.generate_private_key("ssh-ed25519").export_private_key().decode()
        self._note()

    @property
    def fingerprint(self) -> str:
        return asyncssh.import_private_key(self._facts["host_key"]).get_fingerprint()

    def listen(self, port: int = 0) -> None:
        if self._held is None:
            self._held = held_port(port or self.port)
            self.port = self._held.number
        self._server = asyncio.run_coroutine_threadsafe(self._listening(self.port), self._loop).result(20)
        self._facts["port"] = self.port
        self._note()

    def hang_up(self) -> None:
        if self._server is not None:
            server, self._server = self._server, None
            self._loop.call_soon_threadsafe(server.close)
            asyncio.run_coroutine_threadsafe(server.wait_closed(), self._loop).result(20)

    def leave(self) -> None:
        """Hang up for good: its port may be anybody's."""
        self.hang_up()
        if self._held is not None:
            self._held.close()
            self._held = None

    def turn(self, changes: dict[str, Any]) -> None:
        """Set knobs; only `away` and `locked` mean something here. Raises ValueError."""
        for name, value in checked(changes).items():
            setattr(self.knobs, name, value)
        self._facts["knobs"] = asdict(self.knobs)
        self._note()
        if self.knobs.away:
            self.hang_up()
        elif self._server is None:
            self.listen()

    def described(self) -> dict[str, Any]:
        fields = {"device": self.id, "model": f"{self.persona.make} {self.persona.model}", "holder": self.persona.holder, "port": self.port}
        fields |= {"paired": True, "accepted": True, "code": "", "serial": self.persona.serial, "knobs": asdict(self.knobs)}
        return fields | {"sftp": {"username": USERNAME, "password": PASSWORD, "fingerprint": self.fingerprint}}

    def live_until(self, day: date) -> None:
        """A line every five minutes, a picture now and then; the same in every play."""
        lived = self._facts.get("lived")
        last = date.fromisoformat(lived) if lived else day - timedelta(days=30)
        while last < day:
            last += timedelta(days=1)
            self._day(last)
        self._facts["lived"] = last.isoformat()
        self._note()

    def _day(self, day: date) -> None:
        draw = random.Random(f"{self.id} {day}")
        log = self.files / "Gauge" / f"{day:%Y-%m}" / f"level {day}.csv"
        log.parent.mkdir(parents=True, exist_ok=True)
        rows = [f"{day}T{hour:02}:{minute:02},{draw.uniform(-2, 3):.3f}" for hour in range(24) for minute in range(0, 60, 5)]
        log.write_text("time,level m\n" + "\n".join(rows) + "\n")
        if draw.random() < 0.5:
            at = datetime.combine(day, time(draw.randint(7, 18)))
            picture = self.files / "DCIM" / f"IMG_{day:%Y%m%d}.jpg"
            picture.parent.mkdir(exist_ok=True)
            picture.write_bytes(photo(draw, at))

    async def _listening(self, port: int) -> asyncssh.SSHAcceptor:
        device = self

        class Door(asyncssh.SSHServer):
            def begin_auth(self, username: str) -> bool:
                return True

            def password_auth_supported(self) -> bool:
                return True

            def validate_password(self, username: str, password: str) -> bool:
                return not device.knobs.locked and (username, password) == (USERNAME, PASSWORD)

        def files(channel: "asyncssh.SSHServerChannel[bytes]") -> asyncssh.SFTPServer:
            return asyncssh.SFTPServer(channel, chroot=str(self.files).encode())

        keys = [asyncssh.import_private_key(self._facts["host_key"])]
        return await asyncssh.listen("127.0.0.1", port, server_host_keys=keys, server_factory=Door, sftp_factory=files, reuse_address=True)

    def _note(self) -> None:
        self._facts_path.write_text(json.dumps(self._facts))
