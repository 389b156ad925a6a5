"""Every pack is read within so many days, and a backup is proven since the oldest of its packs was."""

import random
from datetime import UTC, datetime, timedelta
from unittest import TestCase

from core.vault import blobs as names
from core.vault.check import check
from core.vault.errors import Damaged
from core.vault.reading import decoded, encoded, next_packs, proven_since, without_gone
from core.vault.tests.bench_of_one import Bench, MemoryDevice

START = datetime(2026, 3, 2, 6, 0, tzinfo=UTC)


def pack(n: int) -> bytes:
    return n.to_bytes(16, "big")


class Rounds(TestCase):
    def nights(self, sizes: dict[bytes, int], days: int, count: int, grows=lambda night, sizes: None):
        read, last = dict[bytes, datetime](), dict[bytes, int]()
        for night in range(count):
            grows(night, sizes)
            now = START + timedelta(days=night)
            chosen = next_packs(sizes, read, days=days, now=now)
            yield night, chosen, last
            read |= dict.fromkeys(chosen, now)
            last |= dict.fromkeys(chosen, night)

    def test_each_is_read_within_the_days_whatever_their_sizes(self):
        draw = random.Random(2)
        for days in (1, 2, 7, 14, 30):
            sizes = {pack(n): draw.choice((1, 1000, 24_000_000)) for n in range(1, 60)}
            seen: dict[bytes, int] = {}
            for night, chosen, _ in self.nights(sizes, days, 4 * days + 1):
                for one in chosen:
                    self.assertLessEqual(night - seen.get(one, -1), days + 1, f"{days} days")
                    seen[one] = night
                if night >= days:
                    self.assertEqual(seen.keys(), sizes.keys())

    def test_a_night_reads_a_share_and_not_the_whole(self):
        sizes = {pack(n): 1000 for n in range(1, 141)}
        for night, chosen, _ in self.nights(sizes, 14, 60):
            self.assertEqual(len(chosen), 10, f"night {night}")

    def test_a_store_that_grows_reads_what_is_new_first(self):
        def grows(night, sizes):
            sizes |= {pack(1000 + night * 10 + n): 1000 for n in range(3)}

        for _night, chosen, last in self.nights({pack(n): 1000 for n in range(1, 101)}, 10, 40, grows):
            never = [one for one in chosen if one not in last]
            self.assertEqual(never, chosen[: len(never)])

    def test_a_date_from_the_future_counts_as_never(self):
        sizes = {pack(1): 10, pack(2): 10}
        read = {pack(1): START + timedelta(days=3), pack(2): START - timedelta(days=1)}
        self.assertEqual(next_packs(sizes, read, days=14, now=START), [pack(1)])

    def test_what_is_remembered_comes_back_as_it_was(self):
        read = {pack(n): START + timedelta(seconds=n) for n in range(5)}
        self.assertEqual(decoded(encoded(read)), read)
        self.assertEqual(without_gone(read, [pack(1), pack(9)]), {pack(1): read[pack(1)]})
        with self.assertRaises(Damaged):
            decoded(encoded(read)[:-1])


class Proven(TestCase):
    def setUp(self):
        self.bench = Bench()
        source = random.Random(3)
        self.device = MemoryDevice({("photos", f"p{n}"): source.randbytes(30_000) for n in range(6)})
        self.first = self.bench.capture(self.device).manifest
        self.device.content["photos", "new"] = source.randbytes(30_000)
        self.second = self.bench.capture(self.device, self.first).manifest

    def since(self, read):
        vault = self.bench.again()
        manifests = vault.manifests()
        vault.refresh()
        return proven_since(vault, manifests, read)

    def test_since_the_oldest_of_its_packs(self):
        vault = self.bench.again()
        packs = sorted(vault.ids(names.PACKS))
        self.assertEqual(self.since({}), {self.first.id: None, self.second.id: None})
        read = {one: START + timedelta(days=n) for n, one in enumerate(packs)}
        began = self.since(read)
        mine = {}
        for manifest in vault.manifests():
            vault.refresh()
            chunks = {span.chunk for kind in manifest.kinds for item in vault.items(manifest, kind.kind) for span in item.spans}
            chunks |= {branch for kind in manifest.kinds for branch in vault.branches(kind)}
            mine[manifest.id] = min(read[vault.index.place(chunk).pack] for chunk in chunks)
        self.assertEqual(began, mine)

    def test_one_pack_that_was_never_read_is_enough(self):
        packs = sorted(self.bench.again().ids(names.PACKS))
        for left in packs:
            began = self.since({one: START for one in packs if one != left})
            self.assertIn(None, began.values())

    def test_what_is_missing_is_not_proven(self):
        vault = self.bench.again()
        packs = sorted(vault.ids(names.PACKS))
        read = dict.fromkeys(packs, START)
        self.bench.blobs.delete(names.pack_name(packs[0]))
        self.assertIn(None, self.since(read).values())


class AChosenFew(TestCase):
    def test_only_these_packs_are_read_and_damage_in_others_is_not_seen(self):
        bench = Bench()
        source = random.Random(3)
        bench.capture(MemoryDevice({("photos", f"p{n}"): source.randbytes(60_000) for n in range(9)}))
        packs = sorted(bench.again().ids(names.PACKS))
        broken = names.pack_name(packs[1])
        content = bytearray(bench.blobs.held[broken])
        content[50] ^= 1
        bench.blobs.held[broken] = bytes(content)
        first = check(bench.again(), packs=[packs[0], bytes(16)])
        self.assertEqual((first.read_packs, first.ok), ({packs[0]}, True))
        self.assertFalse(check(bench.again(), packs=packs[:2]).ok)
        self.assertEqual(check(bench.again(), packs=packs, without={packs[1]}).read_packs, set(packs) - {packs[1]})
