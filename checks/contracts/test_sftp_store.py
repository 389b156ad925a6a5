"""A store on another computer, over OpenSSH's own server: what every store promises, and what a kill or a cut line leaves.

The server is Debian's; what lies there is looked at through the file system.
"""

import os
import random
import shutil
import signal
import tempfile
import threading
from dataclasses import replace
from pathlib import Path
from unittest import TestCase, mock

from paramiko.sftp import CMD_EXTENDED, CMD_MKDIR, CMD_OPEN

from adapters.links.sftp_session import Sftp, host_key
from adapters.stores.sftp import SftpBlobs
from bench.ssh import SshServer
from checks.contracts.cut_line import CutLine
from checks.contracts.mounts import small_disk
from checks.contracts.openssh import OpenSsh
from checks.contracts.test_blob_stores import Promises
from core.content.errors import LinkError
from core.vault.errors import BlobExists, BlobMissing, StoreError, StoreFull, StoreMissing, StoreReadOnly, StoreUnreachable
from standins.boathouse import FOLDER, PASSWORD, USERNAME, Boathouse


class OnAnotherComputer(Promises, OpenSsh):
    def setUp(self):
        super().setUp()
        self.blobs = SftpBlobs(self.place())

    def files(self) -> list[str]:
        return sorted(path.relative_to(self.root).as_posix() for path in self.root.rglob("*") if path.is_file())

    def test_an_object_of_many_requests(self):
        content = os.urandom(9 << 20)
        ways = [(SftpBlobs, "_close"), (SftpBlobs, "_opened")]
        closed, opened = (self.enterContext(mock.patch.object(of, way, autospec=True, side_effect=getattr(of, way))) for of, way in ways)
        self.blobs.create("packs/aa/1", [content[:100], content[100:]])
        self.assertEqual((self.root / "packs/aa/1").read_bytes(), content)
        self.assertEqual(self.blobs.read("packs/aa/1"), content)
        self.assertEqual(self.blobs.read("packs/aa/1", offset=3 << 20, length=5), content[3 << 20 : (3 << 20) + 5])
        self.assertGreater(closed.call_count, 3)
        # all but the first one, for which there was no folder yet
        self.assertEqual(opened.call_count - closed.call_count, 1, "a server lets nobody hold endlessly many open")

    def test_an_object_is_flushed_before_it_gets_its_name_and_its_folder_after(self):
        self.blobs.create("packs/aa/0", b"x")
        (_, session), asked = self.blobs._pool._idle[-1], list[str]()
        real = session.client._request

        def noting(command: int, *arguments: object) -> object:
            if command == CMD_EXTENDED:
                asked.append(bytes(arguments[0]).decode().partition("@")[0])
            elif command in (CMD_OPEN, CMD_MKDIR):
                asked.append(
                    f"{'open' if command == CMD_OPEN else 'make'} {'folder' if Path(os.fsdecode(arguments[0])).is_dir() else 'new'}"
                )
            return real(command, *arguments)

        with mock.patch.object(session.client, "_request", noting):
            self.blobs.create("packs/aa/1", b"x")
            known = ["open new", "fsync", "hardlink", "open folder", "fsync"]
            self.assertEqual(asked, known)
            asked.clear()
            self.blobs.create("packs/ab/2", b"x")
        self.assertEqual(asked[-5:], known)
        self.assertEqual(asked[:-5].count("fsync"), asked[:-5].count("open folder"))
        self.assertGreaterEqual(asked[:-5].count("fsync"), 1, "a new folder is not flushed into the one above it")

    def test_a_server_that_flushes_files_and_no_folders_is_named(self):
        self.blobs.create("packs/aa/0", b"x")
        (_, session) = self.blobs._pool._idle[-1]
        real = session.client._request

        def opens_no_folder(command: int, *arguments: object) -> object:
            if command == CMD_OPEN and Path(os.fsdecode(arguments[0])).is_dir():
                raise OSError("Failure")
            return real(command, *arguments)

        with mock.patch.object(session.client, "_request", opens_no_folder), self.assertRaises(StoreReadOnly) as caught:
            self.blobs.create("packs/aa/1", b"x")
        self.assertIn("flushes no folder", caught.exception.message)
        self.assertIn("OpenSSH", caught.exception.remedy)

    def test_a_folder_that_is_gone_is_missing_and_not_empty_and_is_not_made_again(self):
        self.blobs.create("a", b"1")
        moved = self.root.rename(self.root.with_name(self.root.name + "-away"))
        self.addCleanup(lambda: moved.rename(self.root))
        for attempt in (
            lambda: self.blobs.create("b", b""),
            lambda: self.blobs.create("seen/b", b""),
            lambda: self.blobs.read("a"),
            lambda: list(self.blobs.list("")),
            lambda: SftpBlobs(self.place()),
        ):
            with self.assertRaises(StoreMissing):
                attempt()
        self.assertFalse(self.root.exists())

    def test_what_a_crash_left_is_no_object_and_goes_after_a_day(self):
        left = self.given(".unfinished-1", b"half")
        self.assertEqual(list(self.blobs.list("")), [])
        self.assertTrue(left.exists())
        os.utime(left, (0, 0))
        list(self.blobs.list(""))
        self.assertFalse(left.exists())

    def test_who_answers_and_who_asks_are_checked(self):
        place = self.place()
        with self.assertRaises(StoreUnreachable) as caught:
            SftpBlobs(replace(place, host_key="ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIA=="))
        self.assertIn("Another key answers", caught.exception.message)
        self.assertIn("compare", caught.exception.remedy)
        with self.assertRaises(StoreReadOnly) as caught:
            SftpBlobs(replace(place, private_key="", password="wrong"))
        self.assertNotIn("wrong", caught.exception.message)
        with self.assertRaises(StoreUnreachable):
            SftpBlobs(replace(place, port=1))

    def test_what_may_not_be_written_is_named(self):
        self.blobs.create("seen/1", b"x")
        (self.root / "seen").chmod(0o555)
        with self.assertRaises(StoreReadOnly):
            self.blobs.create("seen/2", b"x")
        (self.root / "seen").chmod(0o755)

    def test_a_cut_line_leaves_all_of_an_object_or_nothing_and_it_can_be_written_again(self):
        """Cut after every so many bytes of what we send, from the first word to the last."""
        content = os.urandom(200_000)
        whole, points = 0, [*range(0, 12_000, 400), *range(20_000, 230_000, 15_000)]
        for point in points:
            name = f"packs/aa/{point}"
            with CutLine(self.server.port, after_bytes=point) as line:
                try:
                    SftpBlobs(replace(self.place(), port=line.port), timeout_seconds=5).create(name, content)
                    whole += 1
                except StoreUnreachable:
                    pass
            there = self.root / name
            self.assertTrue(not there.exists() or there.read_bytes() == content, point)
            try:
                self.blobs.create(name, content)
            except BlobExists:
                self.assertTrue(there.exists())
            self.assertEqual(self.blobs.read(name), content)
        self.assertLess(whole, len(points), "nothing was cut")
        self.assertEqual(len(list(self.blobs.list("packs/"))), len(points))

    def test_a_server_that_is_killed_leaves_all_of_an_object_or_nothing(self):
        content, written, cut = os.urandom(1 << 20), 0, 0
        done = threading.Event()

        def kill() -> None:
            while not done.wait(random.uniform(0.2, 0.6)):
                for process in self._file_servers():
                    os.kill(process, signal.SIGKILL)

        threading.Thread(target=kill, daemon=True).start()
        try:
            n = 0
            while cut < 8 or written < 8:
                n += 1
                try:
                    self.blobs.create(f"packs/aa/{n}", content)
                    written += 1
                except StoreError:
                    cut += 1
                self.assertLess(n, 2000)
        finally:
            done.set()
        there = list((self.root / "packs/aa").glob("[0-9]*"))
        self.assertGreaterEqual(len(there), written)
        self.assertEqual({path.read_bytes() for path in there}, {content})
        self.assertEqual({size for _, size in SftpBlobs(self.place()).list("packs/")}, {len(content)})

    def _file_servers(self) -> list[int]:
        """Those that the server of this test has started."""
        seen = []
        for entry in Path("/proc").iterdir():
            try:
                if entry.name.isdigit() and b"sftp-server" in (entry / "cmdline").read_bytes() and self._is_ours(entry):
                    seen.append(int(entry.name))
            except (FileNotFoundError, ProcessLookupError):
                continue
        return seen

    def _is_ours(self, entry: Path) -> bool:
        for _ in range(6):
            parent = int((entry / "stat").read_text().rpartition(")")[2].split()[1])
            if parent == self.server.process:
                return True
            entry = Path("/proc") / str(parent)
            if parent <= 1:
                return False
        return False


class InTheBoathouse(Promises, TestCase):
    """The stand-in that ships with the demo."""

    def setUp(self):
        folder = Path(tempfile.mkdtemp(prefix="attic-boathouse-"))
        self.addCleanup(shutil.rmtree, folder)
        self.house = Boathouse(folder)
        self.addCleanup(self.house.close)
        self.blobs = SftpBlobs(self.place())

    def place(self) -> Sftp:
        described = self.house.described()
        return Sftp(
            host=described["host"], port=described["port"], username=USERNAME, password=PASSWORD, folder=FOLDER,
            host_key=host_key(described["host"], described["port"]),
        )  # fmt: skip

    def test_it_can_be_away(self):
        self.house.turn({"away": True})
        with self.assertRaises(StoreUnreachable):
            self.blobs.read("a")
        with self.assertRaises(LinkError):
            self.place()
        self.house.turn({"away": False})
        self.blobs.create("a", b"x")
        self.assertEqual(SftpBlobs(self.place()).read("a"), b"x")


class WhatCannot(TestCase):
    """Servers that lack something."""

    def served(self, options: str, folder: Path) -> SftpBlobs:
        keys = Path(tempfile.mkdtemp(prefix="attic-openssh-"))
        self.addCleanup(shutil.rmtree, keys)
        server = SshServer(keys, as_nobody=True, options=options)
        self.enterContext(server)
        return SftpBlobs(server.place(folder))

    def folder(self) -> Path:
        folder = Path(tempfile.mkdtemp(prefix="attic-sftp-"))
        self.addCleanup(shutil.rmtree, folder)
        folder.chmod(0o777)
        return folder

    def test_one_that_cannot_do_what_a_store_needs_is_refused_and_told_by_name(self):
        for lacking in ("hardlink", "fsync"):
            folder = self.folder()
            blobs = self.served(f"-P {lacking}", folder)
            with self.assertRaises(StoreReadOnly) as caught:
                blobs.create("a", b"x")
            self.assertIn(f"{lacking}@openssh.com", caught.exception.message)
            self.assertIn("OpenSSH", caught.exception.remedy)
            self.assertEqual(list(folder.iterdir()), [])

    def test_one_that_only_lets_read_is_read(self):
        folder = self.folder()
        (folder / "a").write_bytes(b"there")
        blobs = self.served("-R", folder)
        self.assertEqual(blobs.read("a"), b"there")
        with self.assertRaises(StoreReadOnly):
            blobs.create("b", b"x")

    def test_a_full_disk_is_named_and_nothing_half_stays(self):
        folder = small_disk(self, 8)
        blobs = self.served("", folder)
        blobs.create("packs/aa/1", b"x" * (3 << 20))
        with self.assertRaises(StoreFull) as caught:
            blobs.create("packs/aa/2", os.urandom(6 << 20))
        self.assertTrue(caught.exception.remedy)
        self.assertEqual([path.name for path in folder.rglob("*") if path.is_file()], ["1"])
        with self.assertRaises(BlobMissing):
            blobs.read("packs/aa/2")
        self.assertLess(blobs.free_bytes() or 0, 6 << 20)
