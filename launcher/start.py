"""`./attic start`: set up, start everything, wait until it answers, stop it all on Ctrl-C."""

import contextlib
import fcntl
import json
import os
import secrets
import signal
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from datetime import datetime, timedelta
from pathlib import Path

from launcher.cluster import Cluster
from launcher.console import StepFailed, run, say, step
from launcher.keys import typed_key
from launcher.leftovers import RECORD, end_leftovers, who_listens
from launcher.processes import Processes, free_port, is_free
from launcher.setup import PYTHON, ROOT, set_up

MANAGE = ROOT / "server" / "manage.py"
UP_SECONDS = 60
POOLS = ("clock", "runs", "maintenance")
"""Queues with a worker each, as the server's register of jobs names them."""
DEMO_DAYS = 17
"""How long before today the simulated devices of the demo begin to live."""


def start(*, port: int, data: Path, empty: bool, standins: bool = False, roots: str = "", key: str = "") -> int:
    """Runs until it is told to stop. An empty installation has simulated devices only when they are asked for. Raises StepFailed."""
    standins = standins or not empty
    data = data.resolve()
    say("Old Attic is starting")
    with _only_one(data):
        for line in end_leftovers(data):
            say(line)
        if not is_free(port):
            raise StepFailed(f"Port {port} is taken by {who_listens(port)}. Choose another: ./attic start --port {port + 1}")
        set_up()
        ports = _ports(data)
        cluster = Cluster(data, ports["database"])
        processes = Processes(data / "logs", record=data / RECORD)
        stopped = _Stop()
        try:
            env = environment(data, ports, standins=standins) | ({"ATTIC_ROOTS": roots} if roots else {})
            if key:
                env["ATTIC_KEY"] = f"fd:{typed_key(data)}" if key == "typed" else key
            if standins:
                _start_standins(processes, env, data, ports, empty=empty)
            cluster.start()
            cluster.make_database("attic")
            prepare(env)
            said = run([PYTHON, MANAGE, "establish_key"], remedy="See docs/keys.md.", env=env).strip()
            if said:
                say(f"  {said}")
            _start_all(processes, env, data, port, ports, empty=empty, standins=standins)
            _tell_ready(data, port, ports, empty=empty, standins=standins)
            while not stopped.asked:
                if cluster.revive():
                    say("PostgreSQL had ended and was started again.")
                for name in processes.revive():
                    say(f"The process “{name}” had ended and was started again; its log is {data / 'logs' / name}.log")
                time.sleep(0.3)
            say("\nStopping")
        finally:
            processes.stop()
            cluster.stop()
    return 0


SIMULATED_DRIVES = Path("stores") / "drives"


def environment(data: Path, ports: dict[str, int], *, standins: bool = True) -> dict[str, str]:
    """What every process of this installation is told. Without simulated devices, whom it mails through is for the settings to say."""
    simulated = {
        "ATTIC_ANNOUNCEMENTS_URL": f"http://127.0.0.1:{ports['standins']}/announcements",
        "ATTIC_MAIL_HOST": "127.0.0.1",
        "ATTIC_MAIL_PORT": str(ports["mail"]),
        "ATTIC_MAIL_FROM": "old-attic@office.example",
        "ATTIC_DRIVES": f"/media:/run/media:/mnt:{data / SIMULATED_DRIVES}",
    }
    return {
        **os.environ,
        "PYTHONPATH": str(ROOT),
        "PYTHONUNBUFFERED": "1",
        "DJANGO_SETTINGS_MODULE": "server.project.settings",
        "ATTIC_DATA": str(data),
        "ATTIC_START": secrets.token_hex(32),
        "ATTIC_DATABASE_PORT": str(ports["database"]),
        **(simulated if standins else {"ATTIC_ANNOUNCEMENTS_URL": os.environ.get("ATTIC_ANNOUNCEMENTS_URL", "")}),
    }


def prepare(env: dict[str, str]) -> None:
    with step("preparing the database"):
        run([PYTHON, MANAGE, "migrate", "--no-input", "-v", "0"], remedy="The message above says what is wrong.", env=env)


def _wants_demo(data: Path, empty: bool) -> bool:
    return not empty and not (data / "demo.done").exists()


def _start_standins(processes: Processes, env: dict[str, str], data: Path, ports: dict[str, int], *, empty: bool) -> None:
    """They need no database, so they get going while it starts."""
    command: list[str | Path] = [PYTHON, "-m", "standins", "--port", str(ports["standins"]), "--data", data / "standins"]
    command += ["--mail-port", str(ports["mail"]), "--drives", data / SIMULATED_DRIVES]
    if _wants_demo(data, empty):
        command += ["--day", str(datetime.now().astimezone().date() - timedelta(days=DEMO_DAYS))]
    else:
        command += ["--catch-up"]
    processes.start("standins", command, env)


def _start_all(
    processes: Processes, env: dict[str, str], data: Path, port: int, ports: dict[str, int], *, empty: bool, standins: bool
) -> None:
    if standins:
        with step("starting the simulated devices"):
            wait_for(f"http://127.0.0.1:{ports['standins']}/announcements", processes)
    if _wants_demo(data, empty):
        with step("loading the demo: two weeks of real backups"):
            run([PYTHON, MANAGE, "demo"], remedy="Remove the data folder and start again.", env=env)
            (data / "demo.done").touch()
    with step("starting web server, worker and scheduler"):
        web: list[str | Path] = [PYTHON, "-m", "uvicorn", "server.project.asgi:application", "--host", "127.0.0.1", "--port", str(port)]
        processes.start(
            "web", [*web, "--lifespan", "off", "--no-proxy-headers", "--log-level", "warning", "--timeout-graceful-shutdown", "2"], env
        )
        start_workers(processes, env)
        wait_for(f"http://127.0.0.1:{port}/healthz", processes)


def start_workers(processes: Processes, env: dict[str, str]) -> None:
    """One a pool: clock and messages never stand behind a run, nor a restore behind a check."""
    for pool in POOLS:
        processes.start(pool, [PYTHON, MANAGE, "work", pool], env)


def wait_for(url: str, processes: Processes) -> None:
    """Until it answers 200. Raises StepFailed with its last reason."""
    until, reason = time.monotonic() + UP_SECONDS, "it does not answer"
    while time.monotonic() < until:
        processes.check()
        try:
            with urllib.request.urlopen(url, timeout=5) as answer:
                answer.read()
                return
        except urllib.error.HTTPError as error:
            with contextlib.suppress(ValueError, KeyError):
                reason = " ".join(json.loads(error.read())["troubles"])
        except (OSError, ValueError):
            pass
        time.sleep(0.15)
    raise StepFailed(f"{url} is not ready after {UP_SECONDS} seconds: {reason}")


def _tell_ready(data: Path, port: int, ports: dict[str, int], *, empty: bool, standins: bool) -> None:
    say(f"\nOld Attic is ready at http://127.0.0.1:{port}")
    if (data / "demo.done").exists():
        say("Sign in as  ines  with the password  saltmarsh attic  (made-up demo office)")
    elif empty:
        say("Open it in a browser: it asks for the first administrator.")
    if standins:
        say(f"What the simulated devices show on their screens: http://127.0.0.1:{ports['standins']}")
        say(f"What it mails and tells other programs: http://127.0.0.1:{ports['standins']}/mailbox")
    say(f"Everything lies in {data}. Ctrl-C stops it.")


def _ports(data: Path) -> dict[str, int]:
    """Ports of the processes that nobody types; kept, so that they are the same next time if they are free."""
    file = data / "ports.json"
    known = json.loads(file.read_text()) if file.exists() else {}
    ports = {name: known[name] if name in known and is_free(known[name]) else free_port() for name in ("database", "standins", "mail")}
    file.write_text(json.dumps(ports))
    return ports


@contextlib.contextmanager
def _only_one(data: Path) -> Iterator[None]:
    """One start a data folder at a time."""
    try:
        data.mkdir(parents=True, exist_ok=True)
        lock = (data / "lock").open("w")
    except OSError as error:
        raise StepFailed(f"The data folder {data} cannot be used: {error.strerror}. Choose another with --data DIR.") from None
    with lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise StepFailed(
                f"Old Attic is running already with the data folder {data}. Stop it, or choose another with --data DIR."
            ) from None
        yield


class _Stop:
    """Set by Ctrl-C or SIGTERM."""

    def __init__(self) -> None:
        self.asked = False
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, self._ask)

    def _ask(self, number: int, frame: object) -> None:
        if self.asked:
            raise KeyboardInterrupt
        self.asked = True
