"""Moving a store as it lies (§2): all of it, the header last, however often it was cut off."""

from datetime import UTC, datetime
from secrets import token_bytes
from unittest import TestCase

from core.vault import blobs as names
from core.vault.check import check
from core.vault.errors import BlobMissing, NotAVault, Stopped, StoreUnreachable, VaultExists
from core.vault.memory import MemoryBlobs
from core.vault.moving import move_objects
from core.vault.opening import create_vault, open_vault
from core.vault.tests.bench_of_one import LENIENT, Bench, MemoryDevice, phone

NOW = datetime(2026, 3, 2, tzinfo=UTC)


class Moving(TestCase):
    def setUp(self):
        self.bench = Bench()
        self.bench.capture(MemoryDevice(phone(1)))
        self.old, self.new = self.bench.vault.blobs, MemoryBlobs()

    def opened(self):
        vault = self.bench.vault
        return type(vault)(self.new, vault.keys, store=vault.store, random=vault.random, limits=vault.limits)

    def test_the_new_place_holds_the_same_store_and_strangers_files_stay_behind(self):
        self.old.create("somebody's.txt", b"notes")
        seen = []
        move_objects(self.old, self.new, on_progress=lambda done, total: seen.append((done, total)))
        self.assertEqual(dict(self.new.list("")), {name: size for name, size in self.old.list("") if names.is_ours(name)})
        self.assertTrue(check(self.opened(), percent=100).ok)
        self.assertEqual(self.opened().backup_ids(), self.bench.vault.backup_ids())
        self.assertEqual(seen[-1][0], seen[-1][1])
        self.assertEqual(seen, sorted(seen))

    def test_cut_off_anywhere_it_is_no_store_yet_and_goes_on(self):
        count = len([name for name, _ in self.old.list("") if names.is_ours(name)])
        for after in range(count - 1):
            self.new = MemoryBlobs()
            left = iter([False] * after)
            with self.assertRaises(Stopped):
                move_objects(self.old, self.new, should_stop=lambda left=left: next(left, True))
            self.assertEqual(len(list(self.new.list(""))), after)
            with self.assertRaises(NotAVault):
                open_vault(self.new, passphrase="x" * 12, random=self.bench.vault.random, limits=self.bench.vault.limits)
            move_objects(self.old, self.new)
            self.assertTrue(check(self.opened(), percent=100).ok)

    def test_half_an_object_of_another_program_is_written_again(self):
        name = next(name for name, _ in self.old.list(names.PACKS))
        self.new.create(name, b"half")
        move_objects(self.old, self.new)
        self.assertTrue(check(self.opened(), percent=100).ok)

    def test_a_place_that_loses_something_gets_no_header(self):
        lost = next(name for name, _ in self.old.list(names.PACKS))

        class Loses(MemoryBlobs):
            def create(self, name, content):
                if name != lost:
                    super().create(name, content)

        self.new = Loses()
        with self.assertRaises(StoreUnreachable):
            move_objects(self.old, self.new)
        with self.assertRaises(BlobMissing):
            self.new.read(names.HEADER)

    def test_another_store_is_not_written_into(self):
        other = MemoryBlobs()
        create_vault(
            other, passphrase="low tide at the sluice", now=NOW, random=token_bytes, limits=self.bench.vault.limits, policy=LENIENT
        )
        lying = sorted(other.list(""))
        with self.assertRaises(VaultExists):
            move_objects(self.old, other)
        self.assertEqual(sorted(other.list("")), lying)
        with self.assertRaises(NotAVault):
            move_objects(MemoryBlobs(), self.new)
