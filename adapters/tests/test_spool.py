"""Files that lie sealed until they are fetched."""

import io
import os
import random
import threading
import time
import zipfile
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase, mock

from adapters.destinations.downloads import SealedDownloads
from adapters.destinations.lying import FolderOnServer
from adapters.destinations.spool import BLOCK_BYTES
from core.errors import BadInput
from core.exchange.downloads import SpoolBroken
from core.vault.errors import StoreFull, StoreUnreachable


class Spools(TestCase):
    def setUp(self):
        self.root = Path(self.enterContext(TemporaryDirectory(prefix="attic-spool-")))
        self.downloads = self.started(b"w" * 16)

    def started(self, word: bytes) -> SealedDownloads:
        return SealedDownloads(self.root, key=lambda: b"k" * 32, word=word, random=os.urandom)

    def read(self, name: str, start: int, stop: int, **other: object) -> bytes:
        return b"".join(self.downloads.read(name, start=start, stop=stop))

    def test_its_folder_is_made_by_whoever_asks_first(self):
        home = self.root
        for name, ask in (("a", lambda: self.downloads.free_bytes()), ("b", lambda: self.downloads.new("x").close())):
            self.root = home / name / "below"
            self.downloads = self.started(b"w" * 16)
            self.assertEqual((self.downloads.has("x"), self.downloads.clear([])), (False, 0))
            ask()
            self.assertEqual(self.root.stat().st_mode & 0o777, 0o700)

    def test_it_behaves_as_a_file_does(self):
        """Against a file in memory: the same writes, seeks and cuts, drawn by chance."""
        for seed in range(30):
            draw, plain = random.Random(seed), io.BytesIO()
            with self.downloads.new("a") as file:
                for _ in range(25):
                    match draw.choice("wwwwsct"):
                        case "w":
                            content = draw.randbytes(draw.choice([1, 100, BLOCK_BYTES - 1, BLOCK_BYTES, BLOCK_BYTES * 2 + 7]))
                            self.assertEqual(file.write(content), plain.write(content))
                        case "s":
                            at = draw.randrange(len(plain.getvalue()) + 1)
                            self.assertEqual(file.seek(at), plain.seek(at))
                        case "t":
                            self.assertEqual(file.tell(), plain.tell())
                        case _:
                            self.assertEqual(file.truncate(), plain.truncate())
                size = file.seek(0, os.SEEK_END)
            whole = plain.getvalue()
            self.assertEqual((size, self.read("a", 0, size)), (len(whole), whole), seed)
            for _ in range(20):
                start = draw.randrange(size + 1)
                stop = draw.randrange(start, size + 1)
                self.assertEqual(self.read("a", start, stop), whole[start:stop])

    def test_it_says_what_it_can_do_and_refuses_what_lies_outside(self):
        opened = len(os.listdir("/proc/self/fd"))
        with self.downloads.new("a") as file:
            self.assertEqual((file.writable(), file.seekable(), file.readable()), (True, True, False))
            file.write(b"four")
            self.assertEqual((file.seek(-1, os.SEEK_CUR), file.seek(-4, os.SEEK_END), file.seek(4)), (3, 0, 4))
            for where in ((-1, os.SEEK_SET), (5, os.SEEK_SET), (1, os.SEEK_END), (-5, os.SEEK_END)):
                with self.assertRaises(OSError):
                    file.seek(*where)
            self.assertEqual((file.tell(), file.truncate(2), file.tell()), (4, 2, 2))
            self.assertEqual((self.root / "a.sealed").stat().st_size, 12 + 2 + 16, "what was cut off is gone from the disk")
            file.write(bytes(2 * BLOCK_BYTES))
        file.close()
        file.flush()
        self.assertEqual(len(os.listdir("/proc/self/fd")), opened)
        self.assertEqual([thread.name for thread in threading.enumerate() if thread.name.startswith("spool")], [])
        self.assertEqual(self.read("a", 0, 2), b"fo")

    def test_written_straight_through_nothing_is_read_back_also_when_the_disk_is_slow(self):
        content, write = random.Random(3).randbytes(30 * BLOCK_BYTES + 9), os.pwrite

        def slowly(*arguments: object) -> int:
            time.sleep(0.003)
            return write(*arguments)

        with self.downloads.new("a") as file, mock.patch("os.pread", side_effect=AssertionError), mock.patch("os.pwrite", slowly):
            for at in range(0, len(content), 100_000):
                file.write(content[at : at + 100_000])
        self.assertEqual(self.read("a", 0, len(content)), content)

    def test_cut_where_a_block_begins_it_ends_with_the_one_before(self):
        with self.downloads.new("a") as file:
            file.write(bytes(BLOCK_BYTES + 5))
            file.truncate(BLOCK_BYTES)
            self.assertEqual((self.root / "a.sealed").stat().st_size, 12 + BLOCK_BYTES + 16)
            file.write(b"tail")
        self.assertEqual(self.read("a", BLOCK_BYTES - 1, BLOCK_BYTES + 4), b"\0tail")

    def test_a_zip_is_written_into_one(self):
        big = random.Random(1).randbytes(3 * BLOCK_BYTES + 5)
        with self.downloads.new("z") as file:
            with zipfile.ZipFile(file, "w") as made:
                with made.open("big", "w", force_zip64=True) as out:
                    out.write(big)
                made.writestr("small", b"x")
            size = file.seek(0, os.SEEK_END)
        with zipfile.ZipFile(io.BytesIO(self.read("z", 0, size))) as archive:
            self.assertIsNone(archive.testzip())
            self.assertEqual(archive.read("big"), big)

    def write(self, name: str, content: bytes) -> Path:
        with self.downloads.new(name) as file:
            file.write(content)
        return self.root / f"{name}.sealed"

    def test_nothing_of_it_can_be_read_on_the_disk_and_nobody_else_may_try(self):
        path = self.write("a", b"the salary of the harbour master " * 40_000)
        lying = path.read_bytes()
        self.assertNotIn(b"harbour", lying)
        self.assertEqual(path.stat().st_mode & 0o777, 0o600)
        self.assertGreater(len(lying), 40_000 * 33)

    def test_after_a_restart_and_under_another_name_it_cannot_be_opened(self):
        path = self.write("a", b"x" * 100)
        path.rename(self.root / "b.sealed")
        with self.assertRaises(SpoolBroken):
            self.read("b", 0, 100)
        (self.root / "b.sealed").rename(path)
        self.assertEqual(self.read("a", 0, 100), b"x" * 100)
        again = self.started(b"v" * 16)
        with self.assertRaises(SpoolBroken):
            list(again.read("a", start=0, stop=100))
        self.assertNotEqual(again.start, self.downloads.start)

    def test_a_byte_that_changed_a_block_at_another_place_and_a_shorter_file_are_noticed(self):
        content = random.Random(2).randbytes(3 * BLOCK_BYTES)
        sealed = 12 + BLOCK_BYTES + 16
        path = self.write("a", content)
        lying = path.read_bytes()
        changed = bytearray(lying)
        changed[sealed + 40] ^= 1
        swapped = lying[sealed : 2 * sealed] + lying[:sealed] + lying[2 * sealed :]
        for broken in (bytes(changed), swapped, lying[: 2 * sealed], lying[:-1]):
            path.write_bytes(broken)
            with self.assertRaises(SpoolBroken):
                self.read("a", 0, len(content))
        path.unlink()
        with self.assertRaises(SpoolBroken):
            self.read("a", 0, 1)

    def test_a_block_that_is_written_anew_gets_another_nonce(self):
        with self.downloads.new("a") as file:
            file.write(b"first")
            file.flush()
            before = (self.root / "a.sealed").read_bytes()
            file.seek(0)
            file.write(b"first")
            file.flush()
            after = (self.root / "a.sealed").read_bytes()
        self.assertNotEqual(before[:12], after[:12])

    def test_no_two_blocks_have_one_nonce(self):
        lying = self.write("a", bytes(10 * BLOCK_BYTES)).read_bytes()
        sealed = 12 + BLOCK_BYTES + 16
        self.assertEqual(len({lying[at : at + 12] for at in range(0, len(lying), sealed)}), 10)

    def test_behind_its_end_there_is_nothing(self):
        self.write("a", bytes(100))
        with self.assertRaises(SpoolBroken):
            self.read("a", 0, 101)

    def test_what_is_not_kept_is_cleared_away(self):
        self.write("a", b"1")
        self.write("b", b"2")
        (self.root / "c.zip").write_bytes(b"PK")
        self.assertEqual(self.downloads.clear({"b"}), 2)
        self.assertEqual([path.name for path in self.root.iterdir()], ["b.sealed"])

    def test_a_full_disk_is_said(self):
        with self.assertRaises(StoreFull), mock.patch("os.pwrite", side_effect=OSError(28, "No space left on device")):
            self.write_through_the_port()

    def test_a_disk_that_fails_is_said_too(self):
        with self.assertRaises(StoreUnreachable) as caught, mock.patch("os.pwrite", side_effect=OSError(5, "Input/output error")):
            self.write_through_the_port()
        self.assertIn("answers with an error: Input/output error", caught.exception.message)

    def write_through_the_port(self):
        with self.downloads.new("full") as file:
            file.write(b"x")


class FoldersOnTheServer(TestCase):
    def test_another_folder_at_its_path_stays(self):
        root = Path(self.enterContext(TemporaryDirectory(prefix="attic-lying-")))
        folder = FolderOnServer(root / "export")
        _, identity = folder.begin()
        (root / "export").rename(root / "moved")
        (root / "export").mkdir()
        with self.assertRaises(BadInput):
            folder.erase(identity)
        (root / "export").rmdir()
        self.assertFalse(folder.erase(identity))
        (root / "moved").rename(root / "export")
        self.assertTrue(folder.erase(identity))
        self.assertFalse((root / "export").exists())

    def test_one_that_was_replaced_by_a_link_is_not_followed(self):
        root = Path(self.enterContext(TemporaryDirectory(prefix="attic-lying-")))
        folder = FolderOnServer(root / "export")
        _, identity = folder.begin()
        (root / "own").mkdir()
        (root / "own" / "letter").write_text("mine")
        (root / "export").rmdir()
        (root / "export").symlink_to(root / "own")
        with self.assertRaises(BadInput):
            folder.erase(identity)
        self.assertTrue((root / "own" / "letter").exists())
