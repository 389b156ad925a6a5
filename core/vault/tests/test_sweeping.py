"""Removing and sweeping: bytes go after the grace period and not before, whatever a clock does, and nothing needed goes."""

import json
from dataclasses import replace
from datetime import datetime, timedelta
from unittest import TestCase, mock

from core.vault.accounting import Accounts
from core.vault.blobs import LEDGERS, MANIFESTS, MARKS, PACKS, SEEN
from core.vault.check import check
from core.vault.errors import Damaged, NoSuchBackup, RunTooLong, StoreHolds
from core.vault.inventory import rows_of
from core.vault.manifests import encode_manifest
from core.vault.memory import MemoryBlobs
from core.vault.needs import needs_of
from core.vault.sweep import plan_sweep, sweep
from core.vault.tests.bench_of_one import Bench, MemoryDevice, contents, phone
from core.vault.writer import Writer


class RemovingAndSweeping(TestCase):
    def setUp(self):
        self.bench = Bench()
        self.old = self.bench.capture(MemoryDevice(phone(1))).manifest
        self.new = self.bench.capture(MemoryDevice(phone(2))).manifest

    def sweep(self, *, hours: float = 0):
        """A sweep so many hours later; half-way another one comes by, which is what sees a mark again."""
        if hours >= 2:
            self.bench.now += timedelta(hours=hours / 2)
            sweep(self.bench.again(), now=self.bench.now)
            hours /= 2
        self.bench.now += timedelta(hours=hours)
        return sweep(self.bench.again(), now=self.bench.now)

    def test_a_sweep_of_a_store_that_needs_everything_changes_nothing(self):
        content = lambda: {name for name in self.bench.blobs.held if not name.startswith((SEEN, LEDGERS))}  # noqa: E731
        before = content()
        report = self.sweep()
        self.assertEqual((report.freed_bytes, report.marked_bytes), (0, 0))
        self.assertEqual(content(), before)

    def test_bytes_go_after_the_grace_period_and_not_before(self):
        self.bench.vault.remove(self.old.id)
        packs_bytes = lambda: sum(len(c) for n, c in self.bench.blobs.held.items() if n.startswith(PACKS))  # noqa: E731
        full = packs_bytes()
        self.assertGreater(self.sweep().marked_bytes, 0)
        self.assertGreaterEqual(packs_bytes(), full)
        for hours in (0.5, 1, 0.5):
            self.assertEqual(self.sweep(hours=hours).freed_bytes, 0)
        freed = self.sweep(hours=0.5).freed_bytes
        self.assertGreater(freed, 150_000)
        self.assertLess(packs_bytes(), full - 150_000)
        self.assertEqual(contents(self.bench.again(), self.new), phone(2))
        self.assertTrue(check(self.bench.again(), percent=100).ok)
        with self.assertRaises(NoSuchBackup):
            self.bench.again().manifest(self.old.id)

    def test_what_the_place_holds_on_to_is_not_counted_as_freed_and_goes_once_it_lets_go(self):
        self.bench.vault.remove(self.old.id)
        self.sweep()
        real = MemoryBlobs.delete

        def holds(blobs: MemoryBlobs, name: str) -> None:
            if name.startswith(PACKS):
                raise StoreHolds("It is locked.")
            real(blobs, name)

        before = self.packs()
        with mock.patch.object(MemoryBlobs, "delete", holds):
            sweep = self.sweep(hours=2)
        self.assertLessEqual(sweep.freed_bytes, 0, "it said that it freed what lies there still")
        self.assertLessEqual(before, self.packs())
        accounts = Accounts(self.bench.again())
        free, locked = accounts.remains(), accounts.remains(sweep.held)
        self.assertGreater(locked.held_bytes, 150_000)
        self.assertEqual((free.held_bytes, locked.sum_bytes), (0, free.sum_bytes), "it is a row of its own, to the byte")
        self.assertLess(locked.unneeded_bytes + locked.marked_bytes + locked.held_bytes // 2, free.unneeded_bytes + free.marked_bytes)
        self.assertEqual(contents(self.bench.again(), self.new), phone(2))
        for _ in range(4):
            left = self.sweep(hours=2).kept_bytes
        self.assertLess(left, sweep.kept_bytes - 150_000)
        self.assertTrue(check(self.bench.again(), percent=100).ok)

    def packs(self) -> set[str]:
        return {name for name in self.bench.blobs.held if name.startswith(PACKS)}

    def test_a_clock_that_jumps_once_by_any_amount_shortens_no_grace_period(self):
        """Wherever among the sweeps it jumps, and however far: real time passed is what counts."""
        hour = timedelta(hours=1)
        for jump in (timedelta(days=9000), timedelta(hours=3), timedelta(hours=-3), timedelta(days=-9000)):
            for place in range(5):
                self.setUp()
                self.bench.vault.remove(self.old.id)
                before, real, off = self.packs(), self.bench.now, timedelta()
                for number in range(5):
                    if number == place:
                        off = jump
                    sweep(self.bench.again(), now=real + off)
                    if real - self.bench.now < hour:
                        self.assertLessEqual(before, self.packs(), f"{jump} at sweep {number}: gone after {real - self.bench.now}")
                    real += timedelta(minutes=14)
                for _ in range(6):
                    real += timedelta(hours=2)
                    sweep(self.bench.again(), now=real + off)
                self.assertFalse(before <= self.packs(), f"{jump} at sweep {place}: it never went")
                self.assertEqual(contents(self.bench.again(), self.new), phone(2))

    def test_where_the_place_dates_its_objects_one_period_is_enough(self):
        written: dict[str, datetime] = {}
        at, real = self.bench.now, self.bench.blobs.create

        def create(name: str, content: object) -> None:
            written[name] = at
            real(name, content)

        with mock.patch.object(self.bench.blobs, "create", create), mock.patch.object(self.bench.blobs, "dated", written.get):
            self.bench.vault.remove(self.old.id)
            sweep(self.bench.again(), now=at)
            at += timedelta(minutes=30)
            self.assertEqual(sweep(self.bench.again(), now=at + timedelta(days=400)).freed_bytes, 0, "our own clock was believed")
            at += timedelta(minutes=31)
            self.assertEqual(sweep(self.bench.again(), now=at).freed_bytes, 0)
            at += timedelta(minutes=61)
            self.assertGreater(sweep(self.bench.again(), now=at).freed_bytes, 150_000)

    def test_a_mark_of_an_earlier_program_waits_like_a_new_one(self):
        self.bench.vault.remove(self.old.id)
        vault = self.bench.again()
        vault.refresh()
        fields = {"at": (self.bench.now - timedelta(days=3)).isoformat(), "packs": b"".join(vault.ids(PACKS)).hex(), "moved_bytes": 0}
        vault.write_object(MARKS, json.dumps(fields).encode())
        before = self.packs()
        self.sweep()
        self.assertLessEqual(before, self.packs())
        self.sweep(hours=1)
        self.assertFalse(before <= self.packs())

    def test_sweeping_again_frees_nothing_more(self):
        self.bench.vault.remove(self.old.id)
        self.sweep()
        self.sweep(hours=2)
        report = self.sweep(hours=2)
        self.assertEqual((report.freed_bytes, report.marked_bytes), (0, 0))

    def test_a_run_stores_again_what_is_marked(self):
        self.bench.vault.remove(self.old.id)
        self.sweep()
        third = self.bench.capture(MemoryDevice(phone(1)))
        self.assertGreater(third.stored_bytes, 150_000)
        self.sweep(hours=2)
        self.assertEqual(contents(self.bench.again(), third.manifest), phone(1))

    def test_a_run_that_was_under_way_when_a_pack_was_marked_rescues_what_it_relied_on(self):
        device = MemoryDevice(phone(1))

        def remove_and_mark(changed_bytes: int) -> None:
            self.bench.vault.remove(self.old.id)
            self.sweep()

        third = self.bench.capture(device, self.old, admit=remove_and_mark).manifest
        vault = self.bench.again()
        vault.refresh()
        numbers = needs_of(vault, [third]).of(third.id).tolist()
        self.assertGreater(len(numbers), 5)
        self.assertFalse({vault.index.pack_at(number) for number in numbers} & vault.index.marked, "it relies on packs that will go")
        self.sweep(hours=2)
        self.assertEqual(contents(self.bench.again(), third), phone(1))
        self.assertTrue(check(self.bench.again(), percent=100).ok)

    def test_a_backup_that_nevertheless_relies_on_a_marked_pack_keeps_its_bytes(self):
        self.bench.vault.remove(self.old.id)
        self.sweep()
        again = self.bench.again()
        other = replace(self.old, id=bytes(16))
        again.write_object(MANIFESTS, encode_manifest(other), id=other.id)
        self.sweep(hours=2)
        self.assertEqual(contents(self.bench.again(), other), phone(1))

    def test_what_a_backup_needs_of_a_marked_pack_that_is_mostly_waste_is_moved_before_the_pack_goes(self):
        self.bench.vault.remove(self.old.id)
        self.sweep()
        again = self.bench.again()
        again.refresh()
        writer, (branch,) = Writer(again), again.branches(self.old.summary("photos"))
        row = next(row for row in rows_of(again, branch, inner=None) if row[0] == "p0")
        tree = writer.tree()
        writer.keep(tree, row)
        one_photo = replace(self.old, id=bytes(16), kinds=(writer.summary(tree, "photos"),))
        writer.flush()
        writer.close()
        again.write_object(MANIFESTS, encode_manifest(one_photo), id=one_photo.id)  # behind the back of every look
        self.assertGreater(self.sweep(hours=2).freed_bytes, 100_000)
        self.assertEqual(contents(self.bench.again(), one_photo), {("photos", "p0"): phone(1)["photos", "p0"]})
        self.assertTrue(check(self.bench.again(), percent=100).ok)

    def test_a_run_whose_content_was_swept_meanwhile_does_not_commit(self):
        device = MemoryDevice(phone(1))

        def remove_and_sweep(changed_bytes: int) -> None:
            self.bench.vault.remove(self.old.id)
            self.sweep()
            self.sweep(hours=2)

        with self.assertRaises(RunTooLong):
            self.bench.capture(device, self.old, admit=remove_and_sweep)
        self.assertEqual(self.bench.again().backup_ids(), [self.new.id])
        again = self.bench.capture(device, self.new)
        self.assertEqual(contents(self.bench.again(), again.manifest), phone(1))

    def test_an_unreadable_manifest_stops_the_sweep(self):
        self.bench.vault.remove(self.old.id)
        self.bench.blobs.held[MANIFESTS + "0" * 32] = b"garbage"
        with self.assertRaises(Damaged):
            self.sweep()
        self.assertFalse(any(name.startswith(MARKS) for name in self.bench.blobs.held))

    def test_a_manifest_that_is_readable_again_stops_no_sweep_any_more(self):
        name = MANIFESTS + self.new.id.hex()
        good, vault = self.bench.blobs.held[name], self.bench.again()
        self.bench.blobs.held[name] = b"garbage"
        with self.assertRaises(Damaged):
            plan_sweep(vault)
        self.bench.blobs.held[name] = good
        self.assertEqual(plan_sweep(vault).freed_bytes, 0)

    def test_killed_at_any_step_of_a_sweep_nothing_needed_is_lost(self):
        class Killed(BaseException):
            pass

        class Dying(MemoryBlobs):
            left = 10**9

            def _count(self) -> None:
                if self.left <= 0:
                    raise Killed
                self.left -= 1

            def create(self, name: str, content: bytes) -> None:
                self._count()
                super().create(name, content)

            def delete(self, name: str) -> None:
                self._count()
                super().delete(name)

        deaths = 0
        for n in range(40):
            bench = Bench(Dying())
            old, kept = phone(1), phone(2) | {("photos", "p0"): phone(1)["photos", "p0"]}
            first = bench.capture(MemoryDevice(old)).manifest
            second = bench.capture(MemoryDevice(kept)).manifest
            bench.vault.remove(first.id)
            bench.blobs.left = n
            try:
                for hours in (0, 1, 2):
                    sweep(bench.again(), now=bench.now + timedelta(hours=hours))
                break
            except Killed:
                deaths += 1
            bench.blobs.left = 10**9
            self.assertEqual(contents(bench.again(), second), kept)
            for hours in (4, 6, 8):
                sweep(bench.again(), now=bench.now + timedelta(hours=hours))
            self.assertEqual(contents(bench.again(), second), kept)
            self.assertTrue(check(bench.again(), percent=100).ok)
        self.assertGreater(deaths, 5)
