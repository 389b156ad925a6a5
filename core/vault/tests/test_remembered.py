"""What was read once is not asked for again, and what was removed is gone."""

from typing import Any
from unittest import TestCase

from core.vault.blobs import HEADER, MARKS, Keeps
from core.vault.errors import BlobMissing
from core.vault.memory import MemoryBlobs
from core.vault.remembered import RememberedBlobs

NAME = MARKS + "0" * 32


class Counting(MemoryBlobs):
    def __init__(self) -> None:
        super().__init__()
        self.asked = 0

    def read(self, name: str, **part: Any) -> bytes:
        self.asked += 1
        return super().read(name, **part)


class Remembered(TestCase):
    def setUp(self) -> None:
        self.below = Counting()
        self.below.create(HEADER, b"0123456789")

    def test_each_part_is_read_once(self):
        blobs = RememberedBlobs(self.below)
        for _ in range(3):
            self.assertEqual((blobs.read(HEADER), blobs.read(HEADER, offset=2, length=3)), (b"0123456789", b"234"))
        self.assertEqual(self.below.asked, 2)

    def test_no_more_than_so_many_bytes_are_kept(self):
        blobs = RememberedBlobs(self.below, most_bytes=5)
        for _ in range(2):
            blobs.read(HEADER)
            blobs.read(HEADER, length=4)
        self.assertEqual(self.below.asked, 3)

    def test_what_is_removed_is_gone_and_what_is_made_is_there(self):
        blobs = RememberedBlobs(self.below)
        blobs.create(NAME, b"made")
        self.assertEqual((blobs.read(NAME), sorted(blobs.list(""))), (b"made", [(HEADER, 10), (NAME, 4)]))
        blobs.delete(NAME)
        with self.assertRaises(BlobMissing):
            blobs.read(NAME)

    def test_the_rest_is_what_the_other_says(self):
        blobs = RememberedBlobs(self.below)
        self.assertEqual((blobs.free_bytes(), blobs.keeps(), blobs.clock()), (self.below.free_bytes(), Keeps.NOTHING, self.below.clock()))
        self.assertEqual(blobs.dated(HEADER), self.below.dated(HEADER))
