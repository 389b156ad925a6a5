"""What a store lists and has not changed is not read a second time; whatever changed is."""

from unittest import TestCase

from core.vault.tests.bench_of_one import Bench, MemoryDevice, phone


class Refreshing(TestCase):
    def setUp(self):
        self.bench = Bench()
        self.device = MemoryDevice(phone())
        self.first = self.bench.capture(self.device)
        self.vault = self.bench.again()
        self.vault.refresh()

    def reads(self) -> list[str]:
        """Names of what one more refresh reads."""
        seen: list[str] = []
        real = self.vault.read_object
        self.vault.read_object = lambda name: (seen.append(name), real(name))[1]  # type: ignore[method-assign]
        self.vault.refresh()
        del self.vault.read_object
        return seen

    def test_an_unchanged_store_is_listed_and_not_read(self):
        self.assertEqual(self.reads(), [])
        self.assertGreater(len(self.vault.index.lengths), 10)

    def test_what_another_writer_added_is_read(self):
        self.device.content["photos", "new"] = bytes(range(256)) * 300
        self.bench.capture(self.device, self.first.manifest)
        before = len(self.vault.index.lengths)
        self.assertTrue(self.reads())
        self.assertGreater(len(self.vault.index.lengths), before)

    def test_an_index_that_was_added_to_and_one_that_was_replaced_are_read_anew(self):
        entries = self.vault.index.entries(self.vault.index.pack_ids[0])
        self.vault.index.add(b"p" * 16, entries)
        self.assertTrue(self.reads())
        self.assertNotIn(b"p" * 16, self.vault.index)
        self.vault.index = type(self.vault.index)(self.vault.index.packs(), marked=set(self.vault.index.pack_ids))
        self.assertTrue(self.reads(), "as many packs, and another index")
        self.assertEqual(set(self.vault.index.marked), set())

    def test_what_could_not_be_read_is_tried_again(self):
        name = next(name for name in self.bench.blobs.held if name.startswith("indexes/"))
        whole = self.bench.blobs.held[name]
        self.bench.blobs.held[name] = whole[:-1]
        vault = self.bench.again()
        vault.refresh()
        self.assertIn(name, vault.unreadable)
        self.bench.blobs.held[name] = whole
        vault.refresh()
        self.assertNotIn(name, vault.unreadable)
