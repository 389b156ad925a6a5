import contextlib
import io
import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
from dataclasses import asdict
from itertools import pairwise
from pathlib import Path
from unittest import TestCase, mock

from launcher import processes as processes_module
from launcher.cluster import Cluster, _may_pass
from launcher.console import StepFailed, Voice, run, step, together
from launcher.leftovers import RECORD, end_leftovers, known, who_listens
from launcher.processes import Processes, free_port, is_free
from launcher.processors import taken_percent, ticks
from launcher.start import _only_one, _ports, environment


class Ports(TestCase):
    def test_a_taken_port_is_not_free(self):
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            self.assertFalse(is_free(taken.getsockname()[1]))
        self.assertTrue(is_free(free_port()))

    def test_inner_ports_are_the_same_next_time(self):
        with tempfile.TemporaryDirectory() as folder:
            first = _ports(Path(folder))
            self.assertEqual(_ports(Path(folder)), first)
            self.assertEqual((set(first), len(set(first.values()))), ({"database", "standins", "mail"}, 3))


class AnEmptyStart(TestCase):
    def test_knows_no_simulated_devices_and_mails_to_no_simulated_box(self):
        ports = {"database": 1, "standins": 2, "mail": 3}
        with mock.patch.dict(os.environ, {}, clear=True):
            env = environment(Path("/data"), ports, standins=False)
            self.assertEqual((env["ATTIC_ANNOUNCEMENTS_URL"], "ATTIC_MAIL_HOST" in env), ("", False))
            self.assertIn(":2/", environment(Path("/data"), ports)["ATTIC_ANNOUNCEMENTS_URL"])


class ProcessesOfAStart(TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.processes = Processes(Path(holder.name))
        self.addCleanup(self.processes.stop)

    def test_stop_ends_children_and_grandchildren(self):
        code = "import subprocess,sys,time; p=subprocess.Popen([sys.executable,'-c','import time; time.sleep(60)']); print(p.pid, flush=True); time.sleep(60)"
        self.processes.start("parent", [sys.executable, "-u", "-c", code], os.environ)
        log = self.processes._logs / "parent.log"
        until = time.monotonic() + 10
        while not log.read_text().strip() and time.monotonic() < until:
            time.sleep(0.05)
        grandchild = int(log.read_text())
        self.processes.stop()
        with self.assertRaises(ProcessLookupError):
            for _ in range(100):
                os.kill(grandchild, 0)
                state = Path(f"/proc/{grandchild}/stat").read_text().rpartition(")")[2].split()[0]
                if state == "Z":  # ended; nobody has asked for its result yet
                    raise ProcessLookupError
                time.sleep(0.05)

    def test_one_that_ends_by_itself_is_reported_with_the_end_of_its_log(self):
        self.processes.start("worker", [sys.executable, "-c", "raise SystemExit('the database is gone')"], os.environ)
        with self.assertRaises(StepFailed) as caught:
            for _ in range(100):
                self.processes.check()
                time.sleep(0.05)
        self.assertIn("the database is gone", str(caught.exception))

    def test_one_that_ends_is_started_again_ever_less_often_and_never_given_up(self):
        self.processes.start("worker", [sys.executable, "-c", "raise SystemExit('again')"], os.environ)
        at, revived = 0.0, []
        with mock.patch.object(processes_module.time, "monotonic", lambda: at):
            while len(revived) < 9:
                self.processes._running["worker"].wait(30)
                at += 0.5
                if self.processes.revive() == ["worker"]:
                    revived.append(at)
        pauses = [later - earlier for earlier, later in pairwise(revived)]
        self.assertEqual(pauses, [0.5, 1.0, 2.0, 4.0, 8.0, 8.0, 8.0, 8.0])
        self.assertLess(max(pauses), 10, "a process is to be back within ten seconds")


class Leftovers(TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.data = Path(holder.name)

    def sleeping(self) -> Processes:
        processes = Processes(self.data / "logs", record=self.data / RECORD)
        self.addCleanup(processes.stop)
        processes.start("sleeper", [sys.executable, "-c", "import time; time.sleep(600)"], os.environ)
        return processes

    def gone(self, process) -> bool:
        try:
            process.wait(10)
        except subprocess.TimeoutExpired:
            return False
        return True

    def test_what_a_killed_launcher_left_is_ended_by_the_next_start(self):
        process = self.sleeping()._running["sleeper"]
        said = end_leftovers(self.data)
        self.assertTrue(self.gone(process))
        self.assertIn("sleeper", said[0])
        self.assertEqual(end_leftovers(self.data), [])

    def test_somebody_elses_process_under_the_same_id_is_named_and_left_alone(self):
        process = self.sleeping()._running["sleeper"]
        for change in ({"started": 1}, {"command": "something else"}):
            entry = {**asdict(known("sleeper", process.pid)), **change}
            (self.data / RECORD).write_text(json.dumps([entry]))
            said = end_leftovers(self.data)
            self.assertIn("left alone", said[0])
            self.assertIsNone(process.poll(), change)

    def test_who_was_started_this_moment_is_known_by_its_command(self):
        process, read = self.sleeping()._running["sleeper"], Path.read_bytes
        # for a moment after a start the arguments are not in place yet
        answers = [b"", b""]
        with mock.patch.object(Path, "read_bytes", lambda path: answers.pop() if answers else read(path)):
            self.assertIn("time.sleep(600)", known("sleeper", process.pid).command)

    def test_a_start_that_ended_well_leaves_no_record(self):
        processes = self.sleeping()
        self.assertTrue((self.data / RECORD).is_file())
        processes.stop()
        self.assertFalse((self.data / RECORD).exists())

    def test_who_has_a_port_is_named(self):
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            self.assertIn(str(os.getpid()), who_listens(taken.getsockname()[1]))


class Processors(TestCase):
    def test_what_others_took(self):
        before, after = ("cpu  {} 0 10 30 0 0 0 {} 5 0\ncpu0 1 2\n".format(*told) for told in ((10, 50), (60, 75)))
        self.assertEqual(taken_percent(ticks(before), ticks(after)), 33)
        self.assertEqual(taken_percent(ticks(after), ticks(after)), 0)
        now = ticks()
        self.assertGreater(now.all, now.taken)


class TheDatabaseIsWatchedLikeTheRest(TestCase):
    def test_killed_again_and_again_it_is_there_again_with_what_it_held(self):
        data = Path(tempfile.mkdtemp(prefix="attic-cluster-"))
        data.chmod(0o755)
        self.addCleanup(shutil.rmtree, data, ignore_errors=True)
        cluster = Cluster(data, free_port())
        self.addCleanup(cluster.remove)
        with contextlib.redirect_stdout(io.StringIO()):
            cluster.start()
        self.assertFalse(cluster.revive())
        for round in range(2):
            cluster.make_database(f"round{round}")
            pid = int((cluster._home / "pg" / "postmaster.pid").read_text().split("\n")[0])
            os.kill(pid, signal.SIGKILL)
            for _ in range(300):
                if cluster.revive():
                    break
                time.sleep(0.1)
            else:
                self.fail((cluster._home / "log").read_text()[-2000:])
            cluster.make_database(f"round{round}")  # it is there and answers


class Steps(TestCase):
    def test_a_failed_command_says_what_it_said_and_what_to_do(self):
        with self.assertRaises(StepFailed) as caught:
            run([sys.executable, "-c", "raise SystemExit('no such mirror')"], remedy="Look at the network.")
        self.assertIn("no such mirror", str(caught.exception))
        self.assertIn("Look at the network.", str(caught.exception))

    def test_side_by_side_each_has_a_line_of_its_own_for_its_beginning_and_its_end_and_a_failure_is_not_lost(self):
        ended = []

        def good():
            with step("packages"):
                ended.append("good")

        def bad():
            with step("the front end"):
                raise StepFailed("no registry")

        with mock.patch.object(Voice, "out", io.StringIO()) as out:
            with self.assertRaisesRegex(StepFailed, "no registry"):
                together(bad, good)
            with step("alone"):
                """Nothing to do."""
        lines = out.getvalue().splitlines()
        self.assertEqual(ended, ["good"])
        self.assertEqual(sum(line in ("  packages … ", "  the front end … ", "  the front end: failed") for line in lines), 3, lines)
        self.assertRegex(lines[-1], r"^  alone … \d+\.\d s$")

    def test_a_data_folder_serves_one_start_at_a_time(self):
        with tempfile.TemporaryDirectory() as folder, _only_one(Path(folder)):
            with self.assertRaises(StepFailed) as caught, _only_one(Path(folder)):
                self.fail("started twice")
            self.assertIn("--data", str(caught.exception))

    def test_a_folder_that_nobody_else_may_pass_is_seen(self):
        with tempfile.TemporaryDirectory() as folder:
            os.chmod(folder, 0o700)
            facts = os.stat(folder)
            self.assertTrue(_may_pass(Path(folder), facts.st_uid, facts.st_gid))
            self.assertFalse(_may_pass(Path(folder), facts.st_uid + 1, facts.st_gid + 1))
