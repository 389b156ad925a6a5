import os
import socket
import sys
import tempfile
import time
from pathlib import Path
from unittest import TestCase

from launcher.cluster import _may_pass
from launcher.console import StepFailed, run
from launcher.processes import Processes, free_port, is_free
from launcher.start import _only_one, _ports


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

    def test_one_that_ends_is_started_again_but_not_for_ever(self):
        self.processes.start("worker", [sys.executable, "-c", "raise SystemExit('again')"], os.environ)
        revived = 0
        with self.assertRaises(StepFailed):
            for _ in range(400):
                revived += self.processes.revive() == "worker"
                time.sleep(0.02)
        self.assertEqual(revived, 4)


class Steps(TestCase):
    def test_a_failed_command_says_what_it_said_and_what_to_do(self):
        with self.assertRaises(StepFailed) as caught:
            run([sys.executable, "-c", "raise SystemExit('no such mirror')"], remedy="Look at the network.")
        self.assertIn("no such mirror", str(caught.exception))
        self.assertIn("Look at the network.", str(caught.exception))

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
