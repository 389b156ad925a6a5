"""The processes of one installation: started in groups of their own, watched, stopped together."""

import contextlib
import os
import signal
import socket
import subprocess
import time
from collections.abc import Mapping, Sequence
from pathlib import Path

from launcher.console import KEPT_OPEN, StepFailed
from launcher.leftovers import known, write_record

STOP_SECONDS = 12
PAUSES_SECONDS = (0.0, 0.0, 1.0, 2.0, 4.0, 8.0)
"""Before a process that has ended by itself is started again, by how often that has happened lately; the last one repeats."""
RESTART_SECONDS = 120
"""What counts as lately."""


class Processes:
    """What this start has started; nothing else is ever stopped."""

    def __init__(self, logs: Path, *, record: Path | None = None) -> None:
        """`record`: where what runs is written down, for a start after this one was killed."""
        self._logs, self._record = logs, record
        self._running: dict[str, subprocess.Popen[bytes]] = {}
        self._told: dict[str, tuple[Sequence[str | Path], Mapping[str, str]]] = {}
        self._restarts: dict[str, list[float]] = {}

    def start(self, name: str, command: Sequence[str | Path], env: Mapping[str, str]) -> None:
        self._logs.mkdir(parents=True, exist_ok=True)
        self._told[name] = (command, env)
        with (self._logs / f"{name}.log").open("ab") as log:
            self._running[name] = subprocess.Popen(
                [str(part) for part in command],
                env=dict(env),
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                start_new_session=True,
                pass_fds=KEPT_OPEN,
            )
        self._write_down()

    def _write_down(self) -> None:
        if self._record is not None:
            running = [known(name, process.pid) for name, process in self._running.items() if process.poll() is None]
            write_record(self._record, [one for one in running if one is not None])

    def ended(self) -> str | None:
        """The name of one that has ended by itself; None while all run."""
        return next((name for name, process in self._running.items() if process.poll() is not None), None)

    def revive(self) -> list[str]:
        """Start those that have ended by themselves again, the ones that do it over and over after a pause; their names."""
        revived = []
        for name, process in list(self._running.items()):
            now = time.monotonic()
            recent = [at for at in self._restarts.get(name, []) if now - at < RESTART_SECONDS]
            pause = PAUSES_SECONDS[min(len(recent), len(PAUSES_SECONDS) - 1)]
            if process.poll() is None or (recent and now - recent[-1] < pause):
                continue
            self._restarts[name] = [*recent, now]
            self.start(name, *self._told[name])
            revived.append(name)
        return revived

    def check(self) -> None:
        """Raises StepFailed when one has ended, with the end of its log."""
        if name := self.ended():
            last = (self._logs / f"{name}.log").read_text(errors="replace").strip().splitlines()[-12:]
            raise StepFailed(f"The process “{name}” ended:\n" + "\n".join(last) + f"\nIts whole log is {self._logs / name}.log")

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
        if self._record is not None:
            self._record.unlink(missing_ok=True)


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
