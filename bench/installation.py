"""A whole demo office for a bench: started by the launcher in a process of its own, worked on from outside."""

import json
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable
from datetime import date
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]


class Installation:
    """The demo office, started by the launcher in a process of its own."""

    def __init__(self, folder: Path) -> None:
        self.data = folder / "data"
        self.port = free_port()

    def __enter__(self) -> "Installation":
        folder = self.data.parent
        folder.chmod(0o755)
        self._log = (folder / "start.log").open("w")
        command = [sys.executable, "-m", "launcher", "start", "--data", str(self.data), "--port", str(self.port)]
        self._process = subprocess.Popen(command, cwd=ROOT, stdout=self._log, stderr=self._log, stdin=subprocess.DEVNULL)
        until(self.healthy, 400, "the office did not start")
        return self

    def __exit__(self, *error: object) -> None:
        self._process.send_signal(signal.SIGTERM)
        self._process.wait(60)
        self._log.close()

    def set_up_django(self) -> None:
        from launcher.start import environment

        os.environ.update(environment(self.data, self.ports()))
        import django

        django.setup()

    def ports(self) -> dict[str, int]:
        ports: dict[str, int] = json.loads((self.data / "ports.json").read_text())
        return ports

    def healthy(self) -> bool:
        try:
            with urllib.request.urlopen(f"http://127.0.0.1:{self.port}/healthz", timeout=5) as answer:
                return bool(answer.status == 200)
        except OSError:
            return False

    def pids(self) -> dict[str, int]:
        """Process ids by name, the database's first process with them."""
        try:
            fields = {entry["name"]: entry["pid"] for entry in json.loads((self.data / "processes.json").read_text())}
        except ValueError:  # being written just now
            return {}
        for place in (self.data / "postgres", *Path("/var/lib/old-attic").glob("*")):
            file = place / "pg" / "postmaster.pid"
            if file.is_file() and f"\n{self.ports()['database']}\n" in (text := file.read_text()):
                fields["postgres"] = int(text.split("\n", 1)[0])
        return fields

    def live(self, device: str, day: date) -> None:
        body = json.dumps({"day": day.isoformat(), "device": device}).encode()
        url = f"http://127.0.0.1:{self.ports()['standins']}/day"
        with urllib.request.urlopen(
            urllib.request.Request(url, data=body, headers={"Content-Type": "application/json"}), timeout=60
        ) as answer:
            answer.read()


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def until(check: Callable[[], bool], seconds: float, otherwise: str) -> None:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if check():
            return
        time.sleep(0.1)
    raise SystemExit(f"bench: {otherwise} within {seconds} seconds")
