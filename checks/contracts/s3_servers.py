"""Two independent S3 servers to test against, and a bad line in front of them. All on loopback, each on its own ports."""

import contextlib
import shutil
import socket
import subprocess
import sys
import tempfile
import threading
from pathlib import Path
from typing import Any

from bench.object_store import KEY, SECRET, SeaweedFS, Server, a_bucket, free_ports
from standins.cloud.service import Cloud


class Moto(Server):
    """In memory; knows conditions; accepts any credentials."""

    def __init__(self) -> None:
        super().__init__()
        (self.port,) = free_ports(1)
        command = [sys.executable, "-m", "moto.server", "-H", "127.0.0.1", "-p", str(self.port)]
        self._process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        self._await(30)


class StandIn(Server):
    """The simulated cloud that ships with the product, in this process."""

    def __init__(self, **fields: Any) -> None:
        super().__init__()
        self._folder = Path(tempfile.mkdtemp(prefix="attic-cloud-"))
        self.cloud = Cloud(self._folder, keys={KEY: SECRET}, **fields)
        self.port = self.cloud.listen()

    def stop(self) -> None:
        self.cloud.close()
        shutil.rmtree(self._folder, ignore_errors=True)


class Flaky:
    """A proxy that lets everything through but for the troubles that are listed, one a connection."""

    def __init__(self, port: int) -> None:
        self._behind = port
        self.trouble: list[str] = []
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.url = f"http://127.0.0.1:{self._listening.getsockname()[1]}"
        self._open = True

    def __enter__(self) -> "Flaky":
        threading.Thread(target=self._serve, daemon=True).start()
        return self

    def __exit__(self, *error: object) -> None:
        self._open = False
        self._listening.close()

    def _serve(self) -> None:
        while self._open:
            try:
                client, _ = self._listening.accept()
            except OSError:
                return
            threading.Thread(target=self._pass_on, args=(client,), daemon=True).start()

    def _pass_on(self, client: socket.socket) -> None:
        with client:
            head = b""
            while b"\r\n\r\n" not in head:
                piece = client.recv(65536)
                if not piece:
                    return
                head += piece
            trouble = self.trouble.pop(0) if self.trouble else ""
            if trouble == "cut":
                return
            if trouble == "slow down":
                body = b"<Error><Code>SlowDown</Code><Message>Please reduce your request rate.</Message></Error>"
                self._swallow(client, head)
                client.sendall(b"HTTP/1.1 503 Slow Down\r\nConnection: close\r\nContent-Length: %d\r\n\r\n" % len(body) + body)
                return
            with socket.create_connection(("127.0.0.1", self._behind)) as server:
                server.sendall(self._closing(head))
                back = threading.Thread(target=self._back, args=(server, client, trouble == "cut in the middle"), daemon=True)
                back.start()
                flip = trouble == "flip a byte"
                try:
                    client.settimeout(10)
                    while piece := client.recv(65536):
                        if flip:
                            piece, flip = piece[:-1] + bytes([piece[-1] ^ 1]), False
                        server.sendall(piece)
                except OSError:
                    pass
                back.join(15)

    def _closing(self, head: bytes) -> bytes:
        """One request a connection, so that each can meet its own trouble."""
        lines, _, rest = head.partition(b"\r\n\r\n")
        kept = [line for line in lines.split(b"\r\n") if not line.lower().startswith(b"connection:")]
        return b"\r\n".join([*kept, b"Connection: close"]) + b"\r\n\r\n" + rest

    def _swallow(self, client: socket.socket, head: bytes) -> None:
        """Read what the client still sends, so that it gets to read the answer."""
        length = 0
        for line in head.split(b"\r\n"):
            if line.lower().startswith(b"content-length:"):
                length = int(line.split(b":")[1])
        if b"100-continue" in head.lower():
            return
        got = len(head.partition(b"\r\n\r\n")[2])
        while got < length and (piece := client.recv(65536)):
            got += len(piece)

    def _back(self, server: socket.socket, client: socket.socket, cut: bool) -> None:
        sent = 0
        try:
            while piece := server.recv(65536):
                if cut and sent + len(piece) > 200_000:
                    break
                client.sendall(piece)
                sent += len(piece)
        except OSError:
            pass
        for end in (client, server):
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)


__all__ = ["KEY", "SECRET", "Flaky", "Moto", "SeaweedFS", "StandIn", "a_bucket"]
