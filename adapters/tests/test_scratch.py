"""Where a drill lets things lie for a moment: in one file that is written over, readable by nobody else, and gone afterwards."""

import errno
import os
from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase, mock

from adapters.destinations import scratch
from adapters.destinations.scratch import ScratchFolder
from adapters.tests.test_trees import item
from core.recovery.forms import Form
from core.vault.errors import StoreFull, StoreUnreachable

DATABASE = b"SQLite format 3\x00" + bytes(84)


class Scratch(TestCase):
    def setUp(self):
        self.root = Path(self.enterContext(TemporaryDirectory(prefix="attic-scratch-"))) / "below" / "it"
        self.folder = ScratchFolder(self.root)
        self.addCleanup(self.folder.clear)

    def put(self, path: str, *pieces: bytes, more: Iterable[bytes] = ()) -> None:
        content = [*pieces, *more]
        self.folder.file(path, replace(item(mode=0), size_bytes=sum(map(len, content))), content)

    def held(self, path: str) -> bytes:
        return b"".join(self.folder.read(path))

    def lying(self) -> dict[str, int]:
        return {path.name: path.stat().st_size for path in self.root.iterdir()}

    def test_what_is_small_lies_in_one_file_one_after_the_other(self):
        self.put("a", b"one", b"two")
        self.put("b")
        self.put("c", b"three")
        self.assertEqual([self.held(path) for path in "abcd"], [b"onetwo", b"", b"three", b""])
        self.assertEqual(self.lying(), {"tray": 11})
        self.assertEqual([path.stat().st_mode & 0o777 for path in (self.root, self.root / "tray")], [0o700, 0o600])
        self.folder.again()
        self.assertEqual(self.held("a"), b"")
        self.put("e", b"anew")
        self.assertEqual((self.held("e"), self.lying()), (b"anew", {"tray": 11}))

    def test_a_system_that_writes_a_byte_at_a_time(self):
        write = os.pwrite
        with mock.patch("os.pwrite", lambda file, content, at: write(file, content[:1], at)):
            self.put("a", b"one")
            self.put("b", b"two")
        self.assertEqual((self.held("a"), self.held("b")), (b"one", b"two"))

    def test_it_is_read_in_pieces(self):
        self.put("a", b"x")
        with mock.patch.object(scratch, "_READ_BYTES", 4), mock.patch.object(scratch, "_TRAY_BYTES", 9):
            self.put("b", b"123456789")
            self.put("c", b"1234567890")
            self.assertEqual([list(self.folder.read(path)) for path in "bc"], [[b"1234", b"5678", b"9"], [b"1234", b"5678", b"90"]])
        self.assertEqual(self.lying(), {"tray": 10, "c": 10})

    def test_databases_and_what_is_large_are_files_of_their_own_until_the_next(self):
        self.put("notes.sqlite", DATABASE)
        self.assertEqual((self.held("notes.sqlite"), self.lying()), (DATABASE, {"notes.sqlite": 100}))
        self.assertEqual((self.root / "notes.sqlite").stat().st_mode & 0o777, 0o600, "it can be read back, whatever mode it had")
        with mock.patch("pathlib.Path.unlink", side_effect=OSError(errno.EIO, "no")), self.assertRaises(StoreUnreachable):
            self.folder.again()
        self.folder.again()
        self.assertEqual(self.lying(), {})
        self.folder.again()

    def test_links_and_folders_are_not_made(self):
        self.put("a", b"x")
        self.folder.link("b", item(link="/"))
        self.folder.folder("c", item())
        self.assertEqual(self.lying(), {"tray": 1})

    def test_a_corner_is_a_folder_of_its_own(self):
        self.folder = self.folder.corner(3)
        self.assertEqual((self.root.is_dir(), (self.root / "3").exists()), (True, False))
        self.root = self.root / "3"
        self.put("a", b"x")
        self.assertEqual(self.lying(), {"tray": 1})

    def test_nothing_of_it_stays(self):
        opened = len(os.listdir("/proc/self/fd"))
        self.put("a", b"x")
        self.put("b", DATABASE)
        with mock.patch("shutil.rmtree", side_effect=OSError(errno.EIO, "no")), self.assertRaises(StoreUnreachable):
            self.folder.clear()
        for _ in range(2):
            self.folder.clear()
            self.assertEqual((self.root.exists(), len(os.listdir("/proc/self/fd"))), (False, opened))
        self.put("a", b"another")
        self.assertEqual(self.held("a"), b"another")

    def test_what_the_system_says_has_a_word(self):
        self.put("a", b"x")
        self.put("b", DATABASE)
        for number, word in ((errno.ENOSPC, StoreFull), (errno.EDQUOT, StoreFull), (errno.EIO, StoreUnreachable)):
            with mock.patch("os.pwrite", side_effect=OSError(number, "no")), self.assertRaises(word) as caught:
                self.put("c", b"x")
            self.assertIn(str(self.root), caught.exception.message)
        for function, ask in (
            ("os.pread", lambda: self.held("a")), ("os.pread", lambda: self.folder.opens("a", Form.CARD, item())),
            ("pathlib.Path.open", lambda: self.held("b")), ("pathlib.Path.mkdir", lambda: self.folder.corner(1)),
            ("adapters.destinations.scratch.opened", lambda: self.folder.opens("b", Form.CARD, item())),
        ):  # fmt: skip
            with mock.patch(function, side_effect=OSError(errno.EIO, "no")), self.assertRaises(StoreUnreachable):
                ask()
