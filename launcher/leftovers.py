"""What a launcher that was killed has left behind: its processes go on, and hold ports and the database.

Each start writes down what it starts, by process id, start time and command line. The next one ends what has all
three; whatever else runs under such an id now is somebody else's, is named and left alone.
"""

import json
import os
import signal
import time
from dataclasses import asdict, dataclass
from pathlib import Path

RECORD = "processes.json"
WAIT_SECONDS = 12
_LOOKS, _PAUSE_SECONDS = 200, 0.01
_LISTENING = "0A"
"""State of a listening socket in /proc/net/tcp (Linux, `enum tcp_state`)."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Known:
    """A process, told apart from any other that may have its id later."""

    name: str
    pid: int
    started: int
    """Clock ticks after the machine's start."""
    command: str


def known(name: str, pid: int) -> Known | None:
    """The process as it is now; None when there is none."""
    for _ in range(_LOOKS):
        try:
            facts = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
            line = Path(f"/proc/{pid}/cmdline").read_bytes()
        except (FileNotFoundError, ProcessLookupError):
            return None
        if facts[0] in "ZX":
            return None
        if line:
            break
        time.sleep(_PAUSE_SECONDS)  # who is just being started has none for a moment; a thread of the kernel never has one
    return Known(name=name, pid=pid, started=int(facts[19]), command=line.replace(b"\0", b" ").decode(errors="replace").strip())


def write_record(path: Path, processes: list[Known]) -> None:
    """Whole or not at all."""
    unfinished = path.with_suffix(".new")
    unfinished.write_text(json.dumps([asdict(one) for one in processes]))
    unfinished.replace(path)


def end_leftovers(data: Path) -> list[str]:
    """End what an earlier start has left; what was done, a line each. Called while nobody else starts in this folder."""
    path = data / RECORD
    if not path.is_file():
        return []
    said, going = [], []
    for entry in json.loads(path.read_text()):
        one = Known(**entry)
        now = known(one.name, one.pid)
        if now == one:
            going.append(one)
        elif now is not None:
            said.append(f"Process {one.pid} is somebody else's by now ({now.command[:60]}) and is left alone")
    for number in (signal.SIGTERM, signal.SIGKILL):
        for one in going:
            _signal(one, number)
        until = time.monotonic() + WAIT_SECONDS
        while any(known(one.name, one.pid) == one for one in going) and time.monotonic() < until:
            time.sleep(0.1)
    if going:
        said.insert(0, f"An earlier start was killed; what it left was ended: {', '.join(one.name for one in going)}")
    path.unlink()
    return said


def _signal(one: Known, number: int) -> None:
    """To its whole group, if it is still the one."""
    if known(one.name, one.pid) == one:
        try:
            os.killpg(one.pid, number)
        except ProcessLookupError:
            return  # it has just ended


def who_listens(port: int) -> str:
    """Who has the port, as far as this account may see: a process id and its command."""
    inodes = set()
    for table in ("/proc/net/tcp", "/proc/net/tcp6"):
        for line in Path(table).read_text().splitlines()[1:] if Path(table).exists() else []:
            fields = line.split()
            if int(fields[1].rpartition(":")[2], 16) == port and fields[3] == _LISTENING:
                inodes.add(f"socket:[{fields[9]}]")
    for folder in Path("/proc").glob("[0-9]*"):
        try:
            if any(os.readlink(link) in inodes for link in (folder / "fd").iterdir()):
                owner = known("", int(folder.name))
                return f"process {folder.name} ({owner.command[:80]})" if owner else "another process"
        except (PermissionError, FileNotFoundError, ProcessLookupError):
            continue
    return "another process"
