"""What every blob store promises, run over each implementation. Arranged and inspected through the back door."""

import errno
import os
import tempfile
import threading
from pathlib import Path
from unittest import TestCase, mock

from adapters.stores.folder import FolderBlobs
from core.vault.blobs import BlobStore
from core.vault.errors import BlobExists, BlobMissing, StoreFull, StoreMissing, StoreReadOnly
from core.vault.memory import MemoryBlobs


class Promises:
    """Mixed into a TestCase that makes `self.blobs`."""

    blobs: BlobStore

    def test_what_was_created_is_read_whole_and_in_parts(self):
        self.blobs.create("packs/aa/1", b"0123456789")
        self.assertEqual(self.blobs.read("packs/aa/1"), b"0123456789")
        self.assertEqual(self.blobs.read("packs/aa/1", offset=3, length=4), b"3456")
        self.assertEqual(self.blobs.read("packs/aa/1", offset=8), b"89")

    def test_nothing_is_ever_overwritten(self):
        self.blobs.create("a", b"first")
        with self.assertRaises(BlobExists):
            self.blobs.create("a", b"second")
        self.assertEqual(self.blobs.read("a"), b"first")

    def test_of_many_writers_of_one_name_exactly_one_succeeds(self):
        won = []

        def write(n: int) -> None:
            try:
                self.blobs.create("one", bytes([n]) * 1000)
                won.append(n)
            except BlobExists:
                pass

        threads = [threading.Thread(target=write, args=(n,)) for n in range(12)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(len(won), 1)
        self.assertEqual(self.blobs.read("one"), bytes(won) * 1000)

    def test_listing_by_prefix_with_sizes(self):
        for name in ("packs/aa/1", "packs/ab/2", "indexes/1", "header"):
            self.blobs.create(name, b"x" * len(name))
        self.assertEqual(sorted(self.blobs.list("packs/")), [("packs/aa/1", 10), ("packs/ab/2", 10)])
        self.assertEqual({name for name, _ in self.blobs.list("")}, {"packs/aa/1", "packs/ab/2", "indexes/1", "header"})
        self.assertEqual(list(self.blobs.list("nothing/")), [])

    def test_missing_objects(self):
        with self.assertRaises(BlobMissing):
            self.blobs.read("gone")
        self.blobs.delete("gone")

    def test_deleted_objects_are_gone_and_their_names_free(self):
        self.blobs.create("a", b"1")
        self.blobs.delete("a")
        with self.assertRaises(BlobMissing):
            self.blobs.read("a")
        self.blobs.create("a", b"2")

    def test_empty_objects(self):
        self.blobs.create("empty", b"")
        self.assertEqual((self.blobs.read("empty"), list(self.blobs.list("empty"))), (b"", [("empty", 0)]))


class InMemory(Promises, TestCase):
    def setUp(self):
        self.blobs = MemoryBlobs()


class InAFolder(Promises, TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.root = Path(holder.name)
        self.blobs = FolderBlobs(self.root)

    def files(self) -> list[str]:
        return sorted(path.relative_to(self.root).as_posix() for path in self.root.rglob("*") if path.is_file())

    def test_a_full_medium_leaves_nothing_half_written(self):
        real = os.write

        def full(descriptor: int, content: bytes) -> int:
            if len(content) > 10:
                return real(descriptor, bytes(content)[:10])
            raise OSError(errno.ENOSPC, "No space left on device")

        with mock.patch("os.write", full), self.assertRaises(StoreFull) as caught:
            self.blobs.create("packs/aa/1", b"x" * 20)
        self.assertTrue(caught.exception.remedy)
        self.assertEqual(self.files(), [])

    def test_a_read_only_medium_is_named_as_such(self):
        for number in (errno.EROFS, errno.EACCES):
            with mock.patch("os.open", side_effect=OSError(number, "no")), self.assertRaises(StoreReadOnly):
                self.blobs.create("packs/aa/1", b"x")

    def test_a_folder_that_was_unmounted_is_missing_and_not_empty(self):
        self.blobs.create("a", b"1")
        moved = self.root.rename(self.root.with_name(self.root.name + "-away"))
        self.addCleanup(lambda: moved.rename(self.root))
        for attempt in (lambda: self.blobs.create("b", b""), lambda: self.blobs.read("a"), lambda: list(self.blobs.list(""))):
            with self.assertRaises(StoreMissing):
                attempt()
        with self.assertRaises(StoreMissing):
            FolderBlobs(self.root)

    def test_what_a_crash_left_is_no_object_and_goes_after_a_day(self):
        left = self.root / ".unfinished-1"
        left.write_bytes(b"half")
        self.assertEqual(list(self.blobs.list("")), [])
        self.assertTrue(left.exists())
        os.utime(left, (0, 0))
        list(self.blobs.list(""))
        self.assertFalse(left.exists())
