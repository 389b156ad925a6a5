"""A store in a folder of a real disk, which a test may fill, and take away."""

import os
import subprocess
from unittest import TestCase

from adapters.stores.folder import FolderBlobs
from checks.contracts.mounts import small_disk
from core.vault.errors import StoreFull, StoreMissing, StoreReadOnly


class OnARealDisk(TestCase):
    """A disk that fills, may only be read, and goes away while it is used."""

    def setUp(self):
        self.disk = small_disk(self, 4)
        self.root = self.disk / "store"
        self.root.mkdir()
        self.blobs = FolderBlobs(self.root)
        self.blobs.create("packs/aa/1", b"x" * (1 << 20))

    def test_it_fills(self):
        with self.assertRaises(StoreFull):
            self.blobs.create("packs/aa/2", os.urandom(4 << 20))
        self.assertEqual([path.name for path in self.root.rglob("*") if path.is_file()], ["1"])
        self.blobs.create("packs/aa/3", b"x" * 1000)

    def test_it_may_only_be_read(self):
        subprocess.run(["mount", "-o", "remount,ro", str(self.disk)], check=True)
        with self.assertRaises(StoreReadOnly) as caught:
            self.blobs.create("packs/aa/2", b"x")
        self.assertTrue(caught.exception.remedy)
        self.assertEqual(len(self.blobs.read("packs/aa/1")), 1 << 20)

    def test_it_goes_away_and_nothing_is_written_in_its_place(self):
        subprocess.run(["umount", "-l", str(self.disk)], check=True)
        for attempt in (
            lambda: self.blobs.create("packs/aa/2", b"x"),
            lambda: self.blobs.read("packs/aa/1"),
            lambda: list(self.blobs.list("")),
        ):
            with self.assertRaises(StoreMissing):
                attempt()
        self.assertEqual(list(self.disk.iterdir()), [])
