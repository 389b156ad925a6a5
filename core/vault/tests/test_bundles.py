"""Space that dead items hold inside bundles comes back, and every backup stays what it was."""

import random
from dataclasses import replace
from datetime import timedelta
from unittest import TestCase

from core.vault import blobs as names
from core.vault.bundles import bundles_of
from core.vault.capture import Capture, Request
from core.vault.check import check, note_damage
from core.vault.chunks import VaultLimits
from core.vault.copying import copy
from core.vault.dry import DryBlobs
from core.vault.errors import BlobExists, BlobMissing
from core.vault.memory import MemoryBlobs
from core.vault.needs import needs_of
from core.vault.repair import repair
from core.vault.sealed_devices import seal_device
from core.vault.sweep import plan_sweep, sweep
from core.vault.tests.bench_of_one import LENIENT, Bench, MemoryDevice, contents
from core.vault.writer import Writer

LIMITS = VaultLimits(pack_bytes=64 * 1024, bundle_bytes=8 * 1024, tiny_bytes=1024, grace_seconds=3600)


def items(source: random.Random, day: int, count: int = 200, size: int = 200) -> dict[tuple[str, str], bytes]:
    return {("messages", f"m{day:02}-{n:04}"): source.randbytes(size) for n in range(count)}


class Scene(TestCase):
    def setUp(self):
        self.bench = Bench(limits=LIMITS)
        self.source = random.Random(5)
        self.device = MemoryDevice(items(self.source, 0) | {("photos", "p"): self.source.randbytes(20_000)})
        self.kept = {}
        self.manifest = None
        self.take()

    def take(self) -> bytes:
        self.manifest = self.bench.capture(self.device, self.manifest and self.bench.again().manifest(self.manifest.id)).manifest
        self.kept[self.manifest.id] = dict(self.device.content)
        return self.manifest.id

    def thin(self, keep: int) -> None:
        """All but every so many of what is there goes, and as much comes anew."""
        day = len(self.kept)
        gone = [key for n, key in enumerate(sorted(self.device.content)) if key[0] == "messages" and n % keep]
        for key in gone:
            del self.device.content[key]
        self.device.content |= items(self.source, day)

    def remove(self, *ids: bytes) -> None:
        for id in ids:
            self.bench.again().remove(id)
            del self.kept[id]

    def stored(self) -> int:
        return sum(len(content) for content in self.bench.blobs.held.values())

    def whole(self, bench: Bench | None = None) -> None:
        bench = bench or self.bench
        self.assertEqual([entry.object for entry in check(bench.again(), percent=100).damaged], [])
        for id, content in self.kept.items():
            vault = bench.again()
            self.assertEqual(contents(vault, vault.manifest(id)), content)
            vault.refresh()
            self.assertEqual(vault.item(vault.manifest(id), "photos", "p").item.size_bytes, 20_000)

    def revised(self, bench: Bench | None = None) -> set[bytes]:
        return set((bench or self.bench).again().revisions.now())


class SpaceComesBack(Scene):
    def test_a_store_of_which_little_stays_each_day_does_not_grow(self):
        """Each day 200 new items, of yesterday's every 64th stays; only the newest backup is kept."""
        grown = []
        for _ in range(14):
            self.thin(64)
            before = self.manifest.id
            self.take()
            self.remove(before)
            sweep(self.bench.again(), now=self.bench.now, grace_seconds=0)
            self.whole()
            live = sum(map(len, self.device.content.values()))
            day = 200 * 200
            grown.append(self.stored())
            self.assertLess(self.stored(), 1.5 * live + day + 12_000)
        self.assertLess(grown[-1], grown[3] + 10_000)
        self.assertEqual(self.revised(), set())

    def test_half_of_it_changes_each_day_and_seven_backups_are_kept(self):
        for _ in range(20):
            for key in sorted(self.device.content):
                if key[0] == "messages" and self.source.random() < 0.5:
                    self.device.content[key] = self.source.randbytes(200)
            self.take()
            if len(self.kept) > 7:
                self.remove(min(self.kept, key=lambda id: self.bench.again().manifest(id).finished_at))
            sweep(self.bench.again(), now=self.bench.now, grace_seconds=0)
        self.whole()
        live = len(set().union(*(content.values() for content in self.kept.values()))) * 200 + 20_000
        self.assertLess(self.stored(), 1.5 * live + 40_000 + 30_000)

    def test_backups_that_share_a_bundle_are_all_revised_and_read_back(self):
        first = self.manifest.id
        for keep in (8, 3):
            self.thin(keep)
            self.take()
        self.remove(first)
        self.assertEqual(self.revised(), set())
        before = self.stored()
        sweep(self.bench.again(), now=self.bench.now, grace_seconds=0)
        self.assertEqual(self.revised(), set(self.kept))
        self.assertLess(self.stored(), before - 10_000)
        self.whole()

    def test_nothing_is_stored_twice_for_two_backups(self):
        first = self.manifest.id
        for keep in (8, 3):
            self.thin(keep)
            self.take()
        self.remove(first)
        vault = self.bench.again()
        vault.limits = replace(LIMITS, waste_percent=0)
        sweep(vault, now=self.bench.now, grace_seconds=0)
        manifests = vault.manifests()
        vault.refresh()
        self.assertEqual(bundles_of(vault, manifests, needs_of(vault, manifests)).held, {})
        self.whole()

    def test_another_kind_is_bundled_anew_later_and_the_newest_trees_count(self):
        for seed in range(6):
            self.bench = Bench(limits=LIMITS, seed=seed)
            notes = {("notes", f"n{n:03}"): self.source.randbytes(200) for n in range(200)}
            messages = {("messages", f"m{n:03}"): self.source.randbytes(200) for n in range(200)}
            photo, thin = {("photos", "p"): self.source.randbytes(20_000)}, lambda held: dict(list(held.items())[::9])
            self.device, self.manifest, self.kept = MemoryDevice(photo | notes | messages), None, {}
            first = self.take()
            self.device.content = photo | thin(notes) | messages
            second = self.take()
            self.remove(first)
            sweep(self.bench.again(), now=self.bench.now, grace_seconds=0)
            (self.device.content, self.manifest) = (photo | thin(notes) | thin(messages), self.bench.again().manifest(second))
            third = self.take()
            self.device.content = photo | thin(notes) | thin(messages) | {("messages", "new"): b"one more"}
            self.take()
            self.remove(second)
            for hours in (0, 2, 4):
                sweep(self.bench.again(), now=self.bench.now + timedelta(hours=hours))
                self.whole()
            self.assertIn(third, self.revised())

    def test_a_backup_that_is_revised_twice_keeps_what_did_not_change(self):
        for seed in range(8):
            self.bench = Bench(limits=LIMITS, seed=seed)
            held = {kind: {(kind, f"i{n:03}"): self.source.randbytes(200) for n in range(200)} for kind in ("messages", "notes")}
            photo, thin = {("photos", "p"): self.source.randbytes(20_000)}, lambda held: dict(list(held.items())[::9])
            few, notes = thin(held["messages"]), held["notes"]
            content = [photo | held["messages"], photo | few | notes, photo | few | thin(notes)]
            self.kept, self.manifest, made = {}, None, []
            for one in content:
                self.device = MemoryDevice(one)
                made.append(self.take())
            for gone in made[:2]:
                self.remove(gone)
                sweep(self.bench.again(), now=self.bench.now)  # the first one's revision lies there still
                self.whole()
            numbers = self.bench.again().revisions.now()[made[2]]
            self.assertEqual((numbers.number, set(numbers.tops) >= {"messages", "notes"}), (2, True))

    def test_a_dry_run_reads_trees_and_doubtful_bundles_and_no_large_items(self):
        class Watched(MemoryBlobs):
            read_bytes = 0

            def read(self, name, *, offset=0, length=None):
                content = super().read(name, offset=offset, length=length)
                self.read_bytes += len(content)
                return content

        bench = Bench(Watched(), limits=VaultLimits(pack_bytes=1 << 20, bundle_bytes=8 * 1024, tiny_bytes=1024))
        bench.capture(MemoryDevice({("photos", f"p{n:03}"): self.source.randbytes(3_000) for n in range(600)} | items(self.source, 0)))
        bench.blobs.read_bytes = 0
        plan_sweep(bench.again())
        self.assertLess(bench.blobs.read_bytes, 350_000)  # of 1.8 MB, most of it trees

    def test_nothing_is_rewritten_twice_and_an_unchanged_device_stores_next_to_nothing_afterwards(self):
        first = self.manifest.id
        self.thin(8)
        self.take()
        self.remove(first)
        sweep(self.bench.again(), now=self.bench.now, grace_seconds=0)
        held = dict(self.bench.blobs.held)
        self.assertEqual(sweep(self.bench.again(), now=self.bench.now, grace_seconds=0).freed_bytes, 0)
        self.assertEqual(self.bench.blobs.held, held)
        self.device.sent_bytes = 0
        again = self.bench.capture(self.device, self.bench.again().manifest(self.manifest.id))
        self.assertEqual(self.device.sent_bytes, 0)
        self.assertLess(again.stored_bytes, 1500)

    def test_the_threshold_holds_for_bundles_too(self):
        freed = []
        for waste in (99, 33, 0):
            self.setUp()
            first = self.manifest.id
            self.thin(2)
            self.take()
            self.remove(first)
            vault = self.bench.again()
            vault.limits = VaultLimits(pack_bytes=64 * 1024, bundle_bytes=8 * 1024, tiny_bytes=1024, waste_percent=waste)
            freed.append(sweep(vault, now=self.bench.now, grace_seconds=0).freed_bytes)
            self.whole()
        self.assertEqual(freed[0], 0)
        self.assertGreater(freed[1], 10_000)
        self.assertGreaterEqual(freed[2], freed[1])

    def test_how_much_of_a_bundle_is_needed_is_counted_by_its_items(self):
        first = self.manifest.id
        self.thin(4)
        self.take()
        self.remove(first)
        vault = self.bench.again()
        manifests = vault.manifests()
        vault.refresh()
        bundles = bundles_of(vault, manifests, needs_of(vault, manifests))
        self.assertEqual(sum(bundles.live.values()), 50 * 200)  # of 200 items of that day
        for number, held in bundles.held.items():
            self.assertGreaterEqual(held - bundles.live[number], held // 2)

    def test_a_sealed_device_is_left_as_it_is_and_reads_back(self):
        keys, _ = seal_device(self.bench.vault, "captain", "the captain's own words", now=self.bench.now, policy=LENIENT)
        device, made, previous = MemoryDevice(items(self.source, 50)), [], None
        for keep in (50, 1):
            vault = self.bench.again()
            vault.device_keys[keys.id] = keys
            request = Request(device="captain", device_told={}, kinds=("messages",), note="", zone="UTC")
            previous = Capture(device, Writer(vault, inner=keys), request, clock=lambda: self.bench.now).run(previous).manifest
            made.append(previous.id)
            content = dict(device.content)
            device.content = {key: held for n, (key, held) in enumerate(sorted(content.items())) if n % keep == 0}
        self.bench.again().remove(made[0])
        before = self.revised()
        sweep(self.bench.again(), now=self.bench.now, grace_seconds=0)
        self.assertEqual(self.revised(), before)
        vault = self.bench.again()
        vault.device_keys[keys.id] = keys
        self.assertEqual(contents(vault, vault.manifest(made[1])), content)
        self.assertEqual(check(self.bench.again(), percent=100).damaged, [])


class DryRuns(Scene):
    def setUp(self):
        super().setUp()
        first = self.manifest.id
        for keep in (9, 4):
            self.thin(keep)
            self.take()
        self.remove(first)

    def packed(self) -> int:
        return sum(len(content) for name, content in self.bench.blobs.held.items() if name.startswith(names.PACKS))

    def test_what_is_freed_and_what_stays_is_told_to_the_byte(self):
        held = dict(self.bench.blobs.held)
        before, planned = self.packed(), plan_sweep(self.bench.again())
        self.assertEqual(self.bench.blobs.held, held)
        self.assertGreater(planned.freed_bytes, 10_000)
        swept = sweep(self.bench.again(), now=self.bench.now, grace_seconds=0)
        self.assertEqual((swept.freed_bytes, before - self.packed()), (planned.freed_bytes, planned.freed_bytes))
        self.assertEqual((swept.kept_bytes, self.stored()), (planned.kept_bytes, planned.kept_bytes))
        again = plan_sweep(self.bench.again())
        self.assertEqual((again.freed_bytes, again.kept_bytes), (0, self.stored()))

    def test_step_by_step_it_stays_the_same(self):
        planned, before = plan_sweep(self.bench.again()), self.packed()
        for hours in (0, 2):
            self.assertEqual(sweep(self.bench.again(), now=self.bench.now + timedelta(hours=hours)).freed_bytes, 0)
            again = plan_sweep(self.bench.again())
            self.assertEqual((again.freed_bytes, again.kept_bytes), (planned.freed_bytes, planned.kept_bytes))
        self.assertEqual(sweep(self.bench.again(), now=self.bench.now + timedelta(hours=4)).freed_bytes, planned.freed_bytes)
        self.assertEqual((before - self.packed(), self.stored()), (planned.freed_bytes, planned.kept_bytes))
        self.whole()

    def test_notes_of_damage_that_go_with_their_pack_are_counted(self):
        twin = Bench(MemoryBlobs(), limits=LIMITS, seed=5, same_key_as=self.bench.vault)
        copy(self.bench.again(), twin.again())
        name = next(name for name in self.bench.blobs.held if name.startswith(names.PACKS))
        self.bench.blobs.held[name] = self.bench.blobs.held[name][:200] + b"x" * 50 + self.bench.blobs.held[name][250:]
        note_damage(vault := self.bench.again(), check(vault, percent=100))
        self.assertEqual(repair(self.bench.again(), twin.again()).left, [])
        self.assertTrue([name for name in self.bench.blobs.held if name.startswith(names.DAMAGE)])
        planned = plan_sweep(self.bench.again())
        swept = sweep(self.bench.again(), now=self.bench.now, grace_seconds=0)
        self.assertEqual(
            (swept.freed_bytes, swept.kept_bytes, self.stored()), (planned.freed_bytes, planned.kept_bytes, planned.kept_bytes)
        )
        self.assertEqual([name for name in self.bench.blobs.held if name.startswith(names.DAMAGE)], [])

    def test_a_dry_store_is_one(self):
        below = MemoryBlobs()
        below.create("a/1", b"one")
        dry = DryBlobs(below)
        dry.create("a/2", [b"t", b"wo"])
        for name in ("a/1", "a/2"):
            with self.assertRaises(BlobExists):
                dry.create(name, b"")
        self.assertEqual(sorted(dry.list("a/")), [("a/1", 3), ("a/2", 3)])
        self.assertEqual((dry.read("a/2", offset=1, length=1), dry.read("a/1")), (b"w", b"one"))
        dry.delete("a/1")
        dry.delete("a/2")
        for name in ("a/1", "a/2"):
            with self.assertRaises(BlobMissing):
                dry.read(name)
        dry.create("a/1", b"anew")
        self.assertEqual((list(dry.list("")), dry.read("a/1"), below.held), ([("a/1", 4)], b"anew", {"a/1": b"one"}))
