"""The SFTP link (paramiko) against a server of other make (asyncssh), in the stand-in and as a process of its own."""

import contextlib
import os
import shutil
import socket
import subprocess
import sys
import tempfile
import threading
from datetime import date
from pathlib import Path
from unittest import TestCase

from adapters.links.sftp import Sftp, SftpLink, fingerprint, host_key
from checks.contracts.test_device_links import Promises
from core.content.classify import FileRule
from core.content.errors import DeviceAway, DeviceLied, LinkCut, NotPaired, OtherHost
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


class AnSftpServer(Promises, TestCase):
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
        files = {"a.txt": b"one", "sub/b.txt": b"two", "DCIM/p.jpg": b"\xff\xd8photo" * 100_000, "Voice/v.wav": b"RIFF", "e.txt": b""}
        for name, content in files.items():
            (self.root / name).parent.mkdir(exist_ok=True)
            (self.root / name).write_bytes(content)
        self.key = host_key("127.0.0.1", self.port)
        self.link = self.to(self.root)

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
        self.assertIn("Type them again", caught.exception.remedy)

    def test_nobody_there(self):
        with self.assertRaises(DeviceAway):
            self.to(self.root, port=9).state()

    def test_something_that_speaks_no_ssh_or_says_nothing(self):
        with socket.socket() as silent:
            silent.bind(("127.0.0.1", 0))
            silent.listen()
            with self.assertRaises((LinkCut, DeviceAway)):
                host_key("127.0.0.1", silent.getsockname()[1], timeout_seconds=1)

    def test_links_are_not_followed_and_nothing_is_read_or_written_outside(self):
        os.symlink("/etc/passwd", self.root / "innocent.txt")
        os.symlink("/etc", self.root / "folder")
        self.assertEqual([item.id for item in self.link.inventory("documents")], ["a.txt", "e.txt", "sub/b.txt"])
        from dataclasses import replace

        item = self.link.inventory("documents")[0]
        for name in ("../../etc/passwd", "/etc/passwd", "folder/passwd", "innocent.txt"):
            with self.assertRaises(DeviceLied):
                self.read(replace(item, id=name, size_bytes=10))
        outside = self.root.parent / "attic-escaped.txt"
        os.symlink(self.root.parent, self.root / "out")
        for name in ("../attic-escaped.txt", "/attic-escaped.txt"):
            self.link.create("documents", name, [b"x"], size_bytes=1)
        with self.assertRaises(DeviceLied):
            self.link.replace("documents", "out/attic-escaped.txt", "x", [b"x"], size_bytes=1)
        self.assertFalse(outside.exists())

    def test_names_come_back_as_they_are(self):
        for name in ("grün.txt", "gru\u0308n.txt", "a b'c\".txt", "\u202egpj.exe", "CON", "-rf"):
            (self.root / name).write_text(name)
        found = {item.id: item for item in self.link.inventory("documents")}
        for name in ("grün.txt", "gru\u0308n.txt", "a b'c\".txt", "\u202egpj.exe", "CON", "-rf"):
            self.assertEqual(self.read(found[name]), name.encode())
        self.assertNotIn("\u202e", found["\u202egpj.exe"].name)

    def test_rules_sort_its_files(self):
        link = self.to(self.root, rules=[FileRule(pattern="*.txt", kind="notes"), FileRule(pattern="Voice/**", kind="")])
        self.assertEqual(link.kinds(), ["photos", "notes"])

    def test_a_read_goes_on_after_the_connection_was_lost(self):
        door = _Door(self.port)
        self.addCleanup(door.close)
        link = self.to(self.root, port=door.port)
        item = link.inventory("photos")[0]
        door.cut_after = door.passed + item.size_bytes // 2
        self.assertEqual(self.read_with(link, item), (self.root / "DCIM/p.jpg").read_bytes())
        self.assertGreaterEqual(door.connections, 2, "nothing was cut")

    def read_with(self, link, item) -> bytes:
        return b"".join(link.read(item))


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
        self.assertEqual(self.link(key).kinds(), ["photos", "documents"])
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
