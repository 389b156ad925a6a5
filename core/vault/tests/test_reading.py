"""Reading: single items, ranges of bytes, and slow stores: nothing is fetched that is not needed, and much at once."""

import random
import threading
import time
from unittest import TestCase, mock

from core.vault.blobs import PACKS
from core.vault.chunks import VaultLimits
from core.vault.errors import Damaged
from core.vault.fetching import fetch, in_pack_order, ranges_of
from core.vault.memory import MemoryBlobs
from core.vault.tests.bench_of_one import Bench, MemoryDevice, contents

BIG = random.Random(1).randbytes(3_000_000)


class Watched(MemoryBlobs):
    """Notes what is read from packs; answers after a while, when told to."""

    def __init__(self) -> None:
        super().__init__()
        self.asked: list[tuple[str, int]] = []
        self.wait = 0.0
        self.under_way = self.most = 0
        self._lock = threading.Lock()

    def read(self, name: str, *, offset: int = 0, length: int | None = None) -> bytes:
        if name.startswith(PACKS):
            with self._lock:
                self.asked.append((name, length if length is not None else len(self.held[name]) - offset))
                self.under_way += 1
                self.most = max(self.most, self.under_way)
            time.sleep(self.wait)
            with self._lock:
                self.under_way -= 1
        return super().read(name, offset=offset, length=length)


class OnlyWhatIsNeeded(TestCase):
    def setUp(self):
        self.blobs = Watched()
        self.bench = Bench(self.blobs, VaultLimits(pack_bytes=1 << 20))
        content = {("photos", f"p{n:05}"): random.Random(n).randbytes(9_000) for n in range(700)}
        self.manifest = self.bench.capture(MemoryDevice(content | {("videos", "big"): BIG})).manifest
        self.vault = self.bench.again()
        self.vault.refresh()
        self.blobs.asked.clear()

    def fetched(self) -> int:
        return sum(length for _, length in self.blobs.asked)

    def test_one_item_of_many_costs_a_few_branches_and_its_own_chunks(self):
        stored = self.vault.item(self.manifest, "photos", "p00345")
        self.assertEqual(b"".join(self.vault.read(stored)), random.Random(345).randbytes(9_000))
        self.assertLess(self.fetched(), 100_000)

    def test_an_item_that_is_not_there(self):
        for id in ("", "p00345x", "zzz"):
            self.assertIsNone(self.vault.item(self.manifest, "photos", id))
        self.assertIsNone(self.vault.item(self.manifest, "health", "p00345"))

    def test_a_range_of_an_item_costs_the_chunks_around_it(self):
        stored = self.vault.item(self.manifest, "videos", "big")
        self.blobs.asked.clear()
        self.assertGreater(len(stored.spans), 5)
        self.assertEqual(b"".join(self.vault.read(stored, offset=1_500_000, length=10)), BIG[1_500_000:1_500_010])
        self.assertLess(self.fetched(), 2_200_000 // 2)
        self.assertEqual(len(self.blobs.asked), 1)

    def test_every_range_is_the_slice(self):
        stored = self.vault.item(self.manifest, "videos", "big")
        source = random.Random(3)
        for _ in range(60):
            offset, length = source.randrange(len(BIG) + 10), source.choice([0, 1, 100, 700_000, 10**9])
            self.assertEqual(b"".join(self.vault.read(stored, offset=offset, length=length)), BIG[offset : offset + length])
        self.assertEqual(b"".join(self.vault.read(stored, offset=2_999_999)), BIG[2_999_999:])


class ManyAtOnce(TestCase):
    def setUp(self):
        self.blobs = Watched()
        self.bench = Bench(self.blobs, VaultLimits(pack_bytes=200_000))
        self.content = {("photos", f"p{n}"): random.Random(n).randbytes(90_000) for n in range(40)}
        self.manifest = self.bench.capture(MemoryDevice(self.content)).manifest
        self.vault = self.bench.again()
        self.vault.refresh()
        self.chunks = in_pack_order(
            self.vault, [span.chunk for stored in self.vault.items(self.manifest, "photos") for span in stored.spans]
        )

    def test_a_slow_store_is_asked_for_several_ranges_at_a_time(self):
        self.blobs.parallel, self.blobs.wait = 8, 0.03
        self.blobs.most = 0
        contents = dict(fetch(self.vault, self.chunks))
        self.assertEqual(set(contents), set(self.chunks))
        self.assertGreaterEqual(self.blobs.most, 6)

    def test_neighbours_come_in_one_request(self):
        ranges = list(ranges_of(self.vault, self.chunks))
        self.assertLess(len(ranges), len(self.chunks) * 0.8)
        self.assertEqual([chunk for one in ranges for chunk, _, _ in one.chunks], self.chunks)

    def test_no_request_is_for_more_than_is_held_at_once(self):
        longest = max(self.vault.index.place(chunk).sealed_bytes for chunk in self.chunks)
        with mock.patch("core.vault.fetching._MOST_BYTES", 2 * longest):
            ranges = list(ranges_of(self.vault, self.chunks))
        self.assertTrue(all(longest <= one.length + 40_000 and one.length <= 2 * longest for one in ranges if len(one.chunks) > 1))
        self.assertLess(max(one.length for one in ranges), 2 * longest + 1)
        self.assertTrue(any(len(one.chunks) == 2 for one in ranges))
        self.assertEqual([chunk for one in ranges for chunk, _, _ in one.chunks], self.chunks)

    def test_results_come_in_the_order_that_was_asked_for(self):
        shuffled = random.Random(5).sample(self.chunks, len(self.chunks))
        self.assertEqual([chunk for chunk, _ in fetch(self.vault, shuffled)], shuffled)

    def test_a_missing_pack_and_an_unknown_chunk_come_as_errors_among_the_rest(self):
        place = self.vault.index.place(self.chunks[0])
        del self.blobs.held[f"packs/{place.pack.hex()[:2]}/{place.pack.hex()}"]
        self.assertEqual((list(ranges_of(self.vault, [])), dict(fetch(self.vault, []))), ([], {}))
        contents = dict(fetch(self.vault, [*self.chunks, bytes(16)]))
        self.assertIsInstance(contents[self.chunks[0]], Damaged)
        self.assertIsInstance(contents[bytes(16)], Damaged)
        self.assertIsInstance(contents[self.chunks[-1]], bytes)

    def test_leaving_early_leaves_nothing_running(self):
        before = threading.active_count()
        for _ in fetch(self.vault, self.chunks):
            break
        self.assertLessEqual(threading.active_count(), before)


class BundlesAndTrees(TestCase):
    def test_a_hundred_thousand_contacts_are_a_few_packs(self):
        bench = Bench(limits=VaultLimits())
        content = {("contacts", f"c{n:06}"): b'{"name": "Person %d"}' % n for n in range(100_000)}
        manifest = bench.capture(MemoryDevice(content)).manifest
        self.assertLess(len(bench.blobs.held), 12)
        summary = manifest.summary("contacts")
        self.assertGreaterEqual(summary.depth, 1)
        vault = bench.again()
        vault.refresh()
        self.assertGreater(len(vault.branches(summary)), 300)
        self.assertEqual(b"".join(vault.read(vault.item(manifest, "contacts", "c054321"))), content["contacts", "c054321"])
        device = MemoryDevice(content | {("contacts", "c054321"): b"changed"})
        again = bench.capture(device, manifest)
        self.assertLess(again.stored_bytes, 20_000)
        self.assertEqual(contents(bench.again(), again.manifest), device.content)

    def test_a_new_item_in_the_middle_changes_the_branches_around_it_and_no_other(self):
        bench = Bench(limits=VaultLimits())
        content = {("contacts", f"c{n:05}"): b"person %d" % n for n in range(3_000)}
        first = bench.capture(MemoryDevice(content)).manifest
        second = bench.capture(MemoryDevice(content | {("contacts", "c01500b"): b"new"}), first).manifest
        vault = bench.again()
        vault.refresh()
        before, after = (set(vault.branches(manifest.summary("contacts"))) for manifest in (first, second))
        self.assertLessEqual(len(after - before), 2)

    def test_an_edit_in_the_middle_of_a_database_costs_about_the_chunks_around_it(self):
        bench = Bench(limits=VaultLimits())
        database = b"SQLite format 3\x00" + random.Random(2).randbytes(20_000_000)
        first = bench.capture(MemoryDevice({("app_data", "a.sqlite"): database})).manifest
        edited = database[:9_000_000] + b"edited in place" + database[9_000_015:]
        again = bench.capture(MemoryDevice({("app_data", "a.sqlite"): edited}), first)
        self.assertLess(again.stored_bytes, 2 * 33_000 + 20_000)
        self.assertEqual(contents(bench.again(), again.manifest)["app_data", "a.sqlite"], edited)
