"""The SFTP link (paramiko) against a server of other make (asyncssh), in the stand-in and as a process of its own."""

import contextlib
import os
import shutil
import socket
import subprocess
import sys
import tempfile
import threading
from dataclasses import replace
from datetime import date
from pathlib import Path
from unittest import TestCase

from adapters.links.sftp import SftpLink
from adapters.links.sftp_session import Sftp, fingerprint, host_key
from checks.contracts.openssh import OpenSsh
from checks.contracts.promises_of_files import FilePromises
from checks.contracts.test_device_links import Promises
from core.content.classify import FileRule
from core.content.errors import DataAccessOff, DeviceAway, DeviceLied, ItemNotTaken, LinkCut, NotPaired, OtherHost
from core.vault.chunks import VaultLimits
from core.vault.tests.bench_of_one import Bench
from standins.fleet import SFTP_DEVICE
from standins.sftp import PASSWORD, USERNAME, SftpDevice

_SERVER = """
import asyncio, sys, asyncssh
class Door(asyncssh.SSHServer):
    def begin_auth(self, username): return True
    def password_auth_supported(self): return True
    def validate_password(self, username, password): return password == "right"
async def main():
    key = asyncssh.generate_private_key("ecdsa-sha2-nistp256")
    server = await asyncssh.listen("127.0.0.1", 0, server_host_keys=[key], server_factory=Door, sftp_factory=True)
    print(server.get_port(), flush=True)
    await asyncio.sleep(600)
asyncio.run(main())
"""


class AnSftpServer(Promises, FilePromises, TestCase):
    """A server process that shows the whole file system; the link is given one folder of it."""

    kind = "documents"

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.process = subprocess.Popen([sys.executable, "-c", _SERVER], stdout=subprocess.PIPE)
        cls.addClassCleanup(cls.process.stdout.close)
        cls.addClassCleanup(cls.process.wait)
        cls.addClassCleanup(cls.process.kill)
        cls.port = int(cls.process.stdout.readline())

    def setUp(self):
        self.root = Path(tempfile.mkdtemp(prefix="attic-sftp-"))
        self.addCleanup(shutil.rmtree, self.root)
        self.key = host_key("127.0.0.1", self.port)
        self.link = self.to(self.root)

    def given(self, path: str, content: bytes) -> None:
        (self.root / path).parent.mkdir(exist_ok=True)
        (self.root / path).write_bytes(content)

    def to(self, folder, *, key=None, password="right", rules=(), port=None) -> SftpLink:
        where = Sftp(
            host="127.0.0.1", port=port or self.port, username="survey", password=password, folder=str(folder), host_key=key or self.key
        )
        link = SftpLink(where, rules, timeout_seconds=5)
        self.addCleanup(link.close)
        return link

    def test_another_key_is_refused_before_a_password_is_sent(self):
        kind, _, body = self.key.partition(" ")
        with self.assertRaises(OtherHost) as caught:
            self.to(self.root, key=f"{kind} {body[:-8]}AAAAAAA=").state()
        self.assertIn(fingerprint(self.key), str(caught.exception))

    def test_a_wrong_password_says_what_to_do(self):
        with self.assertRaises(NotPaired) as caught:
            self.to(self.root, password="wrong").state()
        self.assertIn("Correct them", caught.exception.remedy)

    def test_nobody_there(self):
        with self.assertRaises(DeviceAway):
            self.to(self.root, port=9).state()

    def test_something_that_speaks_no_ssh_or_says_nothing(self):
        with socket.socket() as silent:
            silent.bind(("127.0.0.1", 0))
            silent.listen()
            with self.assertRaises((LinkCut, DeviceAway)):
                host_key("127.0.0.1", silent.getsockname()[1], timeout_seconds=1)

    def test_nothing_is_read_outside(self):
        self.given("a.txt", b"one")
        item = self.link.inventory("documents")[0]
        for name in ("../../etc/passwd", "/etc/passwd"):
            with self.assertRaises(ItemNotTaken):
                self.read(replace(item, id=name, size_bytes=10, attributes=None))

    def test_rules_sort_its_files(self):
        link = self.to(self.root, rules=[FileRule(pattern="*.txt", kind="notes"), FileRule(pattern="Voice/**", kind="")])
        self.some()
        self.assertEqual(link.kinds(), ["photos", "notes", "folders"])

    def test_a_read_goes_on_after_the_connection_was_lost(self):
        self.some()
        door = _Door(self.port)
        self.addCleanup(door.close)
        link = self.to(self.root, port=door.port)
        item = link.inventory("photos")[0]
        door.cut_after = door.passed + item.size_bytes // 2
        self.assertEqual(self.read_with(link, item), (self.root / "DCIM/p.jpg").read_bytes())
        self.assertGreaterEqual(door.connections, 2, "nothing was cut")

    def read_with(self, link, item) -> bytes:
        return b"".join(link.read(item))


class AnOpenSshServer(Promises, FilePromises, OpenSsh):
    """OpenSSH's own server and file server, signed in to with a key; its files are read as somebody who may not read all."""

    kind = "documents"

    def setUp(self):
        super().setUp()
        self.link = SftpLink(self.place(), timeout_seconds=10)
        self.addCleanup(self.link.close)

    def test_what_may_not_be_read_is_named_and_stops_nothing(self):
        self.given("open/a.txt", b"one")
        self.given("open/shut.txt", b"two", mode=0)
        self.given("private/b.txt", b"three")
        (self.root / "private").chmod(0)
        captured = Bench(limits=VaultLimits()).capture(self.link)
        self.assertEqual(sorted((one.name, one.code) for one in captured.skipped), [("open/shut.txt", "denied"), ("private", "denied")])
        self.assertEqual(captured.manifest.items, 1)
        (self.root / "private").chmod(0o755)

    def test_a_pipe_is_named(self):
        os.mkfifo(self.root / "pipe")
        self.assertEqual([(one.name, one.code) for one in self.link.not_read()], [("pipe", "special")])

    def test_a_folder_that_is_not_there_or_may_not_be_read_is_the_whole_device(self):
        with self.assertRaises(DeviceLied):
            SftpLink(self.place("/nowhere/at/all"), timeout_seconds=10).state()
        self.given("x/y")
        (self.root / "x").chmod(0)
        with self.assertRaises(DataAccessOff):
            SftpLink(self.place(self.root / "x"), timeout_seconds=10).kinds()
        (self.root / "x").chmod(0o755)

    def test_its_room_is_the_server_s_own(self):
        room, state = os.statvfs(self.root), self.link.state()
        self.assertEqual(state.storage_total_bytes, room.f_blocks * room.f_frsize)
        self.assertAlmostEqual(state.free_bytes, room.f_bavail * room.f_frsize, delta=1 << 30)

    def test_files_that_change_or_vanish_while_they_are_read_are_named_and_the_others_come(self):
        for n in range(30):
            self.given(f"f{n:02}.bin", bytes([n]) * 300_000)
        items = self.link.inventory("documents")
        self.given("f10.bin", b"longer" * 100_000)
        (self.root / "f20.bin").unlink()
        self.link.expect(items)
        came, why = {}, {}
        for item in items:
            try:
                came[item.id] = b"".join(self.link.read(item))
            except ItemNotTaken as error:
                why[item.id] = error.why
        self.assertEqual(why, {"f10.bin": "changed", "f20.bin": "gone"})
        self.assertEqual(came, {f"f{n:02}.bin": bytes([n]) * 300_000 for n in range(30) if n not in (10, 20)})

    def test_a_file_that_is_written_while_it_is_read_is_not_taken(self):
        self.given("log.bin", b"a" * 3_000_000)
        (item,) = self.link.inventory("documents")
        pieces = self.link.read(item)
        next(pieces)
        self.given("log.bin", b"b" * 3_000_000)
        os.utime(self.root / "log.bin", (2_000_000_000, 2_000_000_000))
        with self.assertRaises(ItemNotTaken) as caught:
            list(pieces)
        self.assertEqual(caught.exception.why, "changed")

    def test_a_wrong_key_says_what_to_do(self):
        other = subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(self.keys / "other")], check=False)
        self.assertEqual(other.returncode, 0)
        self.addCleanup(lambda: [(self.keys / name).unlink() for name in ("other", "other.pub")])
        with self.assertRaises(NotPaired):
            SftpLink(replace(self.place(), private_key=(self.keys / "other").read_text()), timeout_seconds=10).state()


class TheGauge(TestCase):
    """The stand-in that ships with the demo."""

    def setUp(self):
        folder = Path(tempfile.mkdtemp(prefix="attic-gauge-"))
        self.addCleanup(shutil.rmtree, folder)
        self.device = SftpDevice(SFTP_DEVICE, folder)
        self.device.live_until(date(2026, 3, 2))
        self.device.listen()
        self.addCleanup(self.device.leave)

    def link(self, key) -> SftpLink:
        where = Sftp(host="127.0.0.1", port=self.device.port, username=USERNAME, password=PASSWORD, folder="/", host_key=key)
        link = SftpLink(where, timeout_seconds=5)
        self.addCleanup(link.close)
        return link

    def test_it_holds_logs_and_pictures_and_a_reset_is_noticed(self):
        key = host_key("127.0.0.1", self.device.port)
        self.assertEqual(fingerprint(key), self.device.fingerprint)
        self.assertEqual(self.link(key).kinds(), ["photos", "documents", "folders"])
        self.device.hang_up()
        self.device.renew_host_key()
        self.device.listen()
        with self.assertRaises(OtherHost):
            self.link(key).state()

    def test_away(self):
        key = host_key("127.0.0.1", self.device.port)
        self.device.turn({"away": True})
        with self.assertRaises(DeviceAway):
            self.link(key).state()


class _Door:
    """Passes bytes on to a port, and once cuts the connection after so many of them."""

    def __init__(self, port: int) -> None:
        self._to = port
        self.passed = self.connections = 0
        self.cut_after: int | None = None
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.port = self._listening.getsockname()[1]
        threading.Thread(target=self._run, daemon=True).start()

    def close(self) -> None:
        self._listening.close()

    def _run(self) -> None:
        while True:
            try:
                near, _ = self._listening.accept()
            except OSError:
                return
            self.connections += 1
            far = socket.create_connection(("127.0.0.1", self._to))
            for source, target in ((near, far), (far, near)):
                threading.Thread(target=self._pass_on, args=(source, target), daemon=True).start()

    def _pass_on(self, source, target) -> None:
        try:
            while content := source.recv(32_768):
                self.passed += len(content)
                if self.cut_after is not None and self.passed > self.cut_after:
                    self.cut_after = None
                    break
                target.sendall(content)
        except OSError:
            pass
        for end in (source, target):
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)
