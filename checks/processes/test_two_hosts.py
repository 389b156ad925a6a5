"""Two hosts that share nothing but a database, a bucket and the devices: work is shared, and one that is cut off loses nothing.

Each host is a network namespace with workers and a data folder of its own; PostgreSQL and the simulated cloud run here. Rounds
are counted, not seconds.
"""

import json
import os
import shutil
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest import TestCase

from checks.processes.network import HERE, Host, NoNetwork, this_machine
from launcher.cluster import Cluster
from launcher.processes import free_port
from launcher.setup import ROOT
from standins.cloud.service import Cloud

DEVICES, MOST_ROUNDS = 8, 3000
BUCKET, KEY, SECRET = "two-hosts", "TWOHOSTS", "slipway-and-sluice"


OFFICE = [sys.executable, "-m", "checks.processes.office_of_two_hosts"]


class TwoHosts(TestCase):
    watching: "subprocess.Popen[str] | None" = None

    def setUp(self):
        self.folder = Path(tempfile.mkdtemp(prefix="attic-two-"))
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        self.folder.chmod(0o755)
        try:
            this_machine(self)
            self.hosts = [self.enterContext(Host(number)) for number in (1, 2)]
        except NoNetwork as error:
            self.fail(f"two hosts need network namespaces, and there are none to be had here: {error}")
        cluster = Cluster(self.folder / "here", free_port(), fast=True)
        self.addCleanup(cluster.remove)
        cluster.start()
        cluster.make_database("attic")
        cloud = Cloud(self.folder / "cloud", keys={KEY: SECRET})
        self.addCleanup(cloud.close)
        cloud.shelf.make_bucket(BUCKET)
        self.endpoint = f"http://{HERE}:{_relay(self, cloud.listen())}"
        self.env = {
            **os.environ, "PYTHONPATH": str(ROOT), "DJANGO_SETTINGS_MODULE": "server.project.settings", "ATTIC_ANNOUNCEMENTS_URL": "",
            "ATTIC_DATABASE_HOST": HERE, "ATTIC_DATABASE_PORT": str(_relay(self, cluster.port)), "ATTIC_DATABASE_NAME": "attic",
            "ATTIC_DATA": str(self.folder / "here"),
        }  # fmt: skip
        self.env.pop("ATTIC_PACK_BYTES", None)
        self.manage("migrate", "--no-input", "-v", "0")

    def manage(self, *words: str) -> None:
        subprocess.run([sys.executable, str(ROOT / "server" / "manage.py"), *words], check=True, env=self.env, capture_output=True)

    def told(self, *words: str) -> Any:
        done = subprocess.run([*OFFICE, *words], env=self.env, capture_output=True, text=True, cwd=ROOT, check=False)
        self.assertEqual(done.returncode, 0, done.stderr[-2000:])
        return json.loads(done.stdout)

    def start(self, host: Host, number: int, *pools: str) -> None:
        """Workers of it, with a data folder that holds nothing but the keys."""
        data = self.folder / f"host{number}"
        shutil.copytree(self.folder / "here" / "keys", data / "keys", dirs_exist_ok=True)
        log = (self.folder / f"host{number}.log").open("ab")
        self.addCleanup(log.close)
        env = self.env | {"ATTIC_DATA": str(data)}
        for pool in pools:
            command = [sys.executable, ROOT / "server" / "manage.py", "work", pool]
            self.addCleanup(_end, host.start(command, env=env, stdout=log, stderr=log))

    def test_runs_and_copies_are_shared_and_a_host_that_is_cut_off_loses_nothing(self):
        one, two = self.hosts
        self.told("prepare", str(DEVICES), str(self.folder), self.endpoint, BUCKET, KEY, SECRET)
        self.start(one, 1, "clock", "maintenance")
        self.start(two, 2, "clock", "runs", "maintenance")
        self.told("ask", "0", "2")
        self.until(lambda state: ended(state) == 2)  # by the second host: no other one carries runs yet
        self.told("ask", "2", "3")
        self.until(lambda state: [task for task, _ in state["doing"]].count("carry_out_run") == 3)
        two.pull_the_cable()
        self.start(one, 1, "runs")
        self.told("ask", "5", "3")
        state = self.until(lambda state: ended(state) == DEVICES and state["second"] == ["present"] * DEVICES)
        self.assertEqual({(run[1], run[2]) for run in state["runs"]}, {("complete", "")}, self.log())
        self.assertEqual(self.told("whole"), {"Cloud": [DEVICES, True], "Second": [DEVICES, True]})
        self.assertGreaterEqual(self.log().count("ended as complete"), 6, "the first host did not take up what was cut off")
        self.assertEqual(self.log(2).count("ended as complete"), 2, self.log(2)[-3000:])

    def until(self, comes: Callable[[Any], bool]) -> Any:
        for _ in range(MOST_ROUNDS):
            state = self.state()
            if comes(state):
                return state
            time.sleep(0.2)
        raise AssertionError(f"it did not come: {state}\n{self.log()[-3000:]}")

    def state(self) -> Any:
        """Told by one process that stays: to start one for each question would leave the hosts little of this machine."""
        if self.watching is None:
            self.watching = subprocess.Popen(
                [*OFFICE, "states"], env=self.env, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, cwd=ROOT
            )
            self.addCleanup(_ended, self.watching)
        assert self.watching.stdin is not None and self.watching.stdout is not None
        print(file=self.watching.stdin, flush=True)
        return json.loads(self.watching.stdout.readline())

    def log(self, number: int = 1) -> str:
        return (self.folder / f"host{number}.log").read_text()


def ended(state: Any) -> int:
    return sum(run[1] == "complete" for run in state["runs"])


def _relay(test: TestCase, port: int) -> int:
    """The port at `HERE` of something that listens on loopback only. Ends a connection when either side ends."""
    listening = socket.create_server((HERE, 0))
    test.addCleanup(listening.close)

    def serve() -> None:
        while True:
            try:
                near, _ = listening.accept()
            except OSError:
                return  # the test is over
            # whoever is cut off is noticed here as a server notices it: by keepalives, or by what it no longer says to have received
            near.setsockopt(socket.SOL_SOCKET, socket.SO_KEEPALIVE, 1)
            for option, value in ((socket.TCP_KEEPIDLE, 10), (socket.TCP_KEEPINTVL, 5), (socket.TCP_KEEPCNT, 3)):
                near.setsockopt(socket.IPPROTO_TCP, option, value)
            near.setsockopt(socket.IPPROTO_TCP, socket.TCP_USER_TIMEOUT, 25_000)
            far = socket.create_connection(("127.0.0.1", port))
            for one, other in ((near, far), (far, near)):
                threading.Thread(target=_pass, args=(one, other), daemon=True).start()

    threading.Thread(target=serve, daemon=True).start()
    return int(listening.getsockname()[1])


def _pass(source: socket.socket, target: socket.socket) -> None:
    try:
        while piece := source.recv(65536):
            target.sendall(piece)
    except OSError:
        pass  # cut
    for end in (source, target):
        # to close it alone tells the far side nothing as long as the other direction still waits to receive from it: a server would
        # go on holding what a host that was cut off in mid-transaction had locked
        try:
            end.shutdown(socket.SHUT_RDWR)
        except OSError:
            continue  # by the other direction already
        finally:
            end.close()


def _end(process: "subprocess.Popen[bytes]") -> None:
    process.kill()
    process.wait()


def _ended(watching: "subprocess.Popen[str]") -> None:
    with watching:
        assert watching.stdin is not None
        watching.stdin.close()
