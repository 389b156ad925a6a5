"""A computer in the boathouse that runs an SSH server: the office keeps a store there, behind an account, a password and a host key.

Beyond the protocol it gives a file a second name and flushes files and folders, as OpenSSH's server does. Found at the same
port after each start; `away` hangs it up.
"""

import asyncio
import json
import os
import threading
from pathlib import Path
from typing import Any

import asyncssh

from standins.ports import HeldPort, held_port

USERNAME = "store"
PASSWORD = "slipway at half tide"  # noqa: S105 - made up
FOLDER = "/attic"


class _Files(asyncssh.SFTPServer):
    """asyncssh opens no folder; OpenSSH does, so that it can be flushed."""

    def open(self, path: bytes, pflags: int, attrs: asyncssh.SFTPAttrs) -> object:
        here = self.map_path(path)
        if os.path.isdir(here):
            return _Folder(os.open(here, os.O_RDONLY | os.O_DIRECTORY))
        return super().open(path, pflags, attrs)


class _Folder:
    """What the server does with an open file, for a folder: it is flushed and closed."""

    def __init__(self, descriptor: int) -> None:
        self._descriptor = descriptor

    def fileno(self) -> int:
        return self._descriptor

    def flush(self) -> None:
        """Nothing is held back."""

    def close(self) -> None:
        os.close(self._descriptor)


class Boathouse:
    """Listens in a thread of its own."""

    def __init__(self, folder: Path) -> None:
        self._files, self._facts_path = folder / "files", folder / "facts.json"
        (self._files / FOLDER.strip("/")).mkdir(parents=True, exist_ok=True)
        self._facts: dict[str, Any] = json.loads(self._facts_path.read_text()) if self._facts_path.is_file() else {}
        if "host_key" not in self._facts:
            self._facts["host_key"] = asyncssh.generate_private_key("ssh-ed25519").export_private_key().decode()
        self._loop = asyncio.new_event_loop()
        threading.Thread(target=self._loop.run_forever, daemon=True).start()
        self._server: asyncssh.SSHAcceptor | None = None
        self._guests: set[asyncssh.SSHServerConnection] = set()
        self._held: HeldPort | None = held_port(int(self._facts.get("port", 0)))
        self.port = self._facts["port"] = self._held.number
        self._note()
        if not self.away:
            self._listen()

    @property
    def away(self) -> bool:
        return bool(self._facts.get("away"))

    def turn(self, changes: dict[str, Any]) -> None:
        """`away`: nothing answers. Raises ValueError."""
        if set(changes) != {"away"} or not isinstance(changes["away"], bool):
            raise ValueError("the boathouse knows `away` only")
        self._facts["away"] = changes["away"]
        self._note()
        if self.away:
            self._hang_up()
        elif self._server is None:
            self._listen()

    def described(self) -> dict[str, Any]:
        """What its owner knows."""
        key = asyncssh.import_private_key(self._facts["host_key"])
        return {
            "host": "127.0.0.1", "port": self.port, "username": USERNAME, "password": PASSWORD, "folder": FOLDER, "away": self.away,
            "fingerprint": key.get_fingerprint(),
        }  # fmt: skip

    def close(self) -> None:
        self._hang_up()
        if self._held is not None:
            self._held.close()
            self._held = None

    def _listen(self) -> None:
        self._server = asyncio.run_coroutine_threadsafe(self._listening(), self._loop).result(20)

    def _hang_up(self) -> None:
        if self._server is not None:
            server, self._server = self._server, None
            self._loop.call_soon_threadsafe(server.close)
            for guest in self._guests:
                self._loop.call_soon_threadsafe(guest.close)
            asyncio.run_coroutine_threadsafe(server.wait_closed(), self._loop).result(20)

    async def _listening(self) -> asyncssh.SSHAcceptor:
        guests = self._guests

        class Door(asyncssh.SSHServer):
            def connection_made(self, conn: asyncssh.SSHServerConnection) -> None:
                guests.add(conn)

            def begin_auth(self, username: str) -> bool:
                return True

            def password_auth_supported(self) -> bool:
                return True

            def validate_password(self, username: str, password: str) -> bool:
                return (username, password) == (USERNAME, PASSWORD)

        def files(channel: "asyncssh.SSHServerChannel[bytes]") -> asyncssh.SFTPServer:
            return _Files(channel, chroot=str(self._files).encode())

        keys = [asyncssh.import_private_key(self._facts["host_key"])]
        return await asyncssh.listen(
            "127.0.0.1", self.port, server_host_keys=keys, server_factory=Door, sftp_factory=files, reuse_address=True
        )

    def _note(self) -> None:
        self._facts_path.write_text(json.dumps(self._facts))
