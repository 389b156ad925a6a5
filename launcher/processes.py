"""The processes of one installation: started in groups of their own, watched, stopped together."""

import contextlib
import os
import signal
import socket
import subprocess
import time
from collections.abc import Mapping, Sequence
from pathlib import Path

from launcher.console import StepFailed

STOP_SECONDS = 12
MOST_RESTARTS = 4
RESTART_SECONDS = 120
"""A process that ends more often than that within this time is not started again."""


class Processes:
    """What this start has started; nothing else is ever stopped."""

    def __init__(self, logs: Path) -> None:
        self._logs = logs
        self._running: dict[str, subprocess.Popen[bytes]] = {}
        self._told: dict[str, tuple[Sequence[str | Path], Mapping[str, str]]] = {}
        self._restarts: dict[str, list[float]] = {}

    def start(self, name: str, command: Sequence[str | Path], env: Mapping[str, str]) -> None:
        self._logs.mkdir(parents=True, exist_ok=True)
        self._told[name] = (command, env)
        with (self._logs / f"{name}.log").open("ab") as log:
            self._running[name] = subprocess.Popen(
                [str(part) for part in command], env=dict(env), stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True
            )

    def ended(self) -> str | None:
        """The name of one that has ended by itself; None while all run."""
        return next((name for name, process in self._running.items() if process.poll() is not None), None)

    def revive(self) -> str | None:
        """Start one that has ended by itself again; its name. Raises StepFailed when that happens over and over."""
        name = self.ended()
        if name is None:
            return None
        now = time.monotonic()
        recent = [at for at in self._restarts.get(name, []) if now - at < RESTART_SECONDS]
        if len(recent) >= MOST_RESTARTS:
            self.check()
        self._restarts[name] = [*recent, now]
        self.start(name, *self._told[name])
        return name

    def check(self) -> None:
        """Raises StepFailed when one has ended, with the end of its log."""
        if name := self.ended():
            told = (self._logs / f"{name}.log").read_text(errors="replace").strip().splitlines()[-12:]
            raise StepFailed(f"The process “{name}” ended:\n" + "\n".join(told) + f"\nIts whole log is {self._logs / name}.log")

    def stop_one(self, name: str, *, kill: bool = False) -> None:
        """End one of them; with `kill` at once and without asking."""
        process = self._running.pop(name)
        with contextlib.suppress(ProcessLookupError):
            os.killpg(process.pid, signal.SIGKILL if kill else signal.SIGTERM)
        try:
            process.wait(STOP_SECONDS)
        except subprocess.TimeoutExpired:
            os.killpg(process.pid, signal.SIGKILL)
            process.wait()

    def stop(self) -> None:
        """Ask all to end, wait, then insist. Last started, first stopped."""
        for process in reversed(self._running.values()):
            with contextlib.suppress(ProcessLookupError):
                os.killpg(process.pid, signal.SIGTERM)
        until = time.monotonic() + STOP_SECONDS
        for process in self._running.values():
            try:
                process.wait(max(0.1, until - time.monotonic()))
            except subprocess.TimeoutExpired:
                with contextlib.suppress(ProcessLookupError):
                    os.killpg(process.pid, signal.SIGKILL)
                process.wait()
        self._running = {}


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def is_free(port: int) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
    return True
