"""Backups, commits, sweeps and checks over a small vault."""

import random
from dataclasses import replace
from unittest import TestCase

from core.content.errors import DataAccessOff, DeviceLocked, LinkCut
from core.vault.blobs import PACKS
from core.vault.capture import Progress, Stage
from core.vault.check import check
from core.vault.errors import Damaged, Stopped
from core.vault.memory import MemoryBlobs
from core.vault.tests.bench_of_one import Bench, MemoryDevice, contents, phone


class ABackupHoldsWhatTheDeviceHeld(TestCase):
    def test_byte_for_byte_also_after_the_device_has_changed(self):
        bench, device = Bench(), MemoryDevice(phone())
        before = dict(device.content)
        first = bench.capture(device).manifest
        device.content["contacts", "c007"] = b"changed"
        del device.content["photos", "p3"]
        second = bench.capture(device, first).manifest
        self.assertEqual(contents(bench.again(), first), before)
        self.assertEqual(contents(bench.again(), second), device.content)

    def test_an_unchanged_device_costs_only_a_manifest_and_sends_nothing(self):
        bench, device = Bench(), MemoryDevice(phone())
        first = bench.capture(device).manifest
        device.sent_bytes = 0
        again = bench.capture(device, first)
        self.assertEqual((device.sent_bytes, again.read_bytes), (0, 0))
        self.assertLess(again.stored_bytes, 1_000)

    def test_one_changed_contact_costs_a_bundle_and_a_branch(self):
        bench, device = Bench(), MemoryDevice(phone())
        first = bench.capture(device).manifest
        device.content["contacts", "c100"] = b'{"name": "New"}'
        again = bench.capture(device, first)
        self.assertEqual(again.read_bytes, 15)
        self.assertLess(again.stored_bytes, 8_000)

    def test_the_same_photo_on_two_devices_is_stored_once(self):
        bench = Bench()
        bench.capture(MemoryDevice(phone(1)))
        other = {("photos", "copy of p0"): phone(1)["photos", "p0"]}
        self.assertLess(bench.capture(MemoryDevice(other)).stored_bytes, 1_000)

    def test_counts_sizes_and_the_newest_item_stand_in_the_manifest(self):
        manifest = Bench().capture(MemoryDevice(phone())).manifest
        contacts = manifest.summary("contacts")
        self.assertEqual((contacts.items, contacts.newest_name), (150, "c149"))
        self.assertEqual(manifest.size_bytes, sum(map(len, phone().values())))

    def test_an_item_whose_size_is_a_lie_is_left_out_and_named(self):
        for lie in (10, 10**9):
            bench, device = Bench(), MemoryDevice(phone())
            device.lies["p1"] = lie
            captured = bench.capture(device)
            self.assertEqual([skipped.name for skipped in captured.skipped], ["p1"])
            self.assertEqual(captured.manifest.summary("photos").items, 5)

    def test_a_locked_device_and_one_without_data_access_are_not_read(self):
        for change, error in (({"locked": True}, DeviceLocked), ({"data_access": False}, DataAccessOff)):
            bench, device = Bench(), MemoryDevice(phone())
            device.told = replace(device.told, **change)
            with self.assertRaises(error):
                bench.capture(device)
            self.assertEqual(bench.again().manifests(), [])

    def test_what_admit_refuses_leaves_nothing_behind(self):
        bench, device = Bench(), MemoryDevice(phone())
        before = set(bench.blobs.held)
        asked = []

        def refuse(changed_bytes: int) -> None:
            asked.append(changed_bytes)
            raise Stopped("does not fit")

        with self.assertRaises(Stopped):
            bench.capture(device, admit=refuse)
        self.assertEqual(asked, [sum(map(len, phone().values()))])
        self.assertEqual(set(bench.blobs.held), before)

    def test_stages_come_once_and_in_order_and_counts_end_at_the_total(self):
        seen: list[Progress] = []
        Bench().capture(MemoryDevice(phone()), on_progress=seen.append)
        stages = list(dict.fromkeys(progress.stage for progress in seen))
        self.assertEqual(stages, list(Stage))
        self.assertEqual(seen[-1].read_bytes, seen[-1].to_read_bytes)
        self.assertEqual(seen[-1].kinds["photos"].read_items, 6)


class AnInterruptedRunLosesNothing(TestCase):
    def test_what_was_sent_before_the_cable_came_loose_is_not_stored_again(self):
        bench, device = Bench(), MemoryDevice({("photos", f"p{n}"): random.Random(n).randbytes(40_000) for n in range(10)})
        device.cut_after = 250_000
        with self.assertRaises(LinkCut):
            bench.capture(device)
        self.assertEqual(bench.again().manifests(), [])
        device.cut_after = None
        again = bench.capture(device)
        self.assertLess(again.stored_bytes, 200_000)
        self.assertEqual(contents(bench.again(), again.manifest), device.content)

    def test_stopping_by_hand_keeps_what_is_stored(self):
        bench, device = Bench(), MemoryDevice(phone())
        with self.assertRaises(Stopped):
            bench.capture(device, should_stop=lambda: device.sent_bytes > 350_000)
        self.assertLess(bench.capture(device).stored_bytes, 150_000)

    def test_killed_at_any_write_the_store_is_whole_and_the_next_run_succeeds(self):
        class Killed(BaseException):
            pass

        class Dying(MemoryBlobs):
            left = 10**9

            def create(self, name: str, content: bytes) -> None:
                if self.left <= 0:
                    raise Killed
                self.left -= 1
                super().create(name, content)

        deaths = 0
        for n in range(1, 40):
            bench = Bench(Dying())
            first_content = phone(1)
            first = bench.capture(MemoryDevice(dict(first_content))).manifest
            bench.blobs.left = n
            second_device = MemoryDevice(phone(2))
            try:
                bench.capture(second_device, first)
                break
            except Killed:
                deaths += 1
            bench.blobs.left = 10**9
            self.assertTrue(check(bench.again(), percent=100).ok)
            self.assertEqual(contents(bench.again(), first), first_content)
            second = bench.capture(second_device, first).manifest
            self.assertEqual(contents(bench.again(), second), second_device.content)
        self.assertGreater(deaths, 3)

    def test_the_index_is_rebuilt_from_the_packs(self):
        bench, device = Bench(), MemoryDevice(phone())
        first = bench.capture(device).manifest
        for name in [name for name in bench.blobs.held if name.startswith("indexes/")]:
            del bench.blobs.held[name]
        self.assertEqual(contents(bench.again(), first), device.content)


class ACheckFindsDamage(TestCase):
    def setUp(self):
        self.bench = Bench()
        self.manifest = self.bench.capture(MemoryDevice(phone())).manifest

    def test_a_whole_store_is_whole(self):
        report = check(self.bench.again(), percent=100)
        self.assertTrue(report.ok)
        self.assertGreater(report.read_bytes, 150_000)

    def test_a_flipped_byte_in_any_pack_is_named_with_the_backup_it_touches(self):
        for name in [name for name in self.bench.blobs.held if name.startswith(PACKS)]:
            good = self.bench.blobs.held[name]
            for at in (0, len(good) // 2, len(good) - 5, len(good) - 1):
                bad = bytearray(good)
                bad[at] ^= 0x40
                self.bench.blobs.held[name] = bytes(bad)
                report = check(self.bench.again(), percent=100)
                self.assertIn(name, [entry.object for entry in report.damaged])
                touched = {backup for entry in report.damaged for backup in entry.backups}
                # the first bytes belong to a chunk; the last ones to the footer, without which the index still reads all
                self.assertEqual(touched, {self.manifest.id.hex()} if at == 0 else touched)
            self.bench.blobs.held[name] = good

    def test_a_missing_pack_is_found_without_reading_any(self):
        name = next(name for name in self.bench.blobs.held if name.startswith(PACKS))
        del self.bench.blobs.held[name]
        report = check(self.bench.again())
        self.assertFalse(report.ok)
        self.assertEqual({backup for entry in report.damaged for backup in entry.backups}, {self.manifest.id.hex()})

    def test_two_swapped_packs_are_found(self):
        one, two = [name for name in self.bench.blobs.held if name.startswith(PACKS)][:2]
        held = self.bench.blobs.held
        held[one], held[two] = held[two], held[one]
        self.assertFalse(check(self.bench.again(), percent=100).ok)

    def test_damaged_content_is_never_handed_out(self):
        name = next(name for name in self.bench.blobs.held if name.startswith(PACKS))
        bad = bytearray(self.bench.blobs.held[name])
        bad[100] ^= 1
        self.bench.blobs.held[name] = bytes(bad)
        with self.assertRaises(Damaged):
            contents(self.bench.again(), self.manifest)
