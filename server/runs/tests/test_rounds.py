"""Every store is read through within its days, a share a night; a copy is checked since the oldest of its packs was read; what is
damaged is mended from another store by itself."""

import random
from datetime import timedelta
from unittest import mock

from procrastinate.contrib.django.models import ProcrastinateJob

from core.vault import blobs as names
from core.vault.copying import copy
from core.vault.damage import damaged_kinds
from core.vault.errors import DeviceSealed, StoreReadOnly
from core.vault.reading import SHARE_BYTES_PER_SECOND
from core.vault.sealed_devices import unlock_backup
from core.vault.slots import Secret
from server.people.models import JournalEntry
from server.retention.actions.owe_maintenance import owe_maintenance
from server.runs.actions.check_store import ROUND, check_store
from server.runs.models import Backup, Copy
from server.storage.models import Reading, Store
from server.storage.queries import opened
from server.tests.pretend import OfficeTestCase


class Rounds(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.room = self.plan(self.one, keep_last=9).store
        self.content = self.outside.devices["p1"].content
        for n in range(4):
            self.content["photos", f"new {n}"] = random.Random(n).randbytes(60_000)
            self.run_now(self.one)
            self.outside.at += timedelta(hours=1)

    def night(self) -> Store:
        self.outside.at += timedelta(days=1)
        return check_store(Store.objects.get(id=self.room.id), percent=ROUND, by=None)

    def checked(self, store: Store | None = None) -> list:
        return list(Copy.objects.filter(store=store or self.room).order_by("backup__finished_at").values_list("checked_at", flat=True))

    def packs(self) -> list[bytes]:
        return sorted(opened(self.room).ids(names.PACKS))

    def break_pack(self, store: Store, pack: bytes) -> None:
        held = opened(store).blobs.held
        content = bytearray(held[names.pack_name(pack)])
        content[40] ^= 1
        held[names.pack_name(pack)] = bytes(content)

    def other(self) -> Store:
        other = self.store("North wall")
        copy(opened(self.room), opened(other))
        for backup in Backup.objects.all():
            Copy.objects.create(backup=backup, store=other)
        return other


class AShareANight(Rounds):
    def test_after_its_days_everything_was_read_and_each_copy_says_since_when(self):
        Store.objects.update(check_days=4)
        self.assertEqual(self.checked(), [None] * 4)
        self.assertGreaterEqual(len(self.packs()), 4)
        began, seen = self.outside.at, []
        for _ in range(4):
            self.assertIn("intact", self.night().check_says)
            seen.append(Reading.objects.get().read_bytes)
        self.assertLess(seen[0], seen[1], "a night reads a share")
        self.assertEqual(seen, sorted(seen))
        reading = Reading.objects.get()
        self.assertEqual((reading.read_bytes, bool(reading.oldest_at)), (reading.total_bytes, True))
        self.assertTrue(all(began < at <= self.outside.at for at in self.checked()))
        self.assertEqual(min(self.checked()), reading.oldest_at)
        before = min(self.checked())
        for _ in range(5):
            self.night()
        self.assertGreater(min(self.checked()), before + timedelta(days=4))

    def test_a_new_backup_is_not_checked_before_what_is_new_in_it_was_read(self):
        check_store(self.room, percent=100, by=self.ines)
        self.assertNotIn(None, self.checked())
        self.content["photos", "newest"] = random.Random(9).randbytes(50_000)
        self.run_now(self.one)
        check_store(self.room, percent=0, by=None)
        self.assertEqual([at is None for at in self.checked()], [False] * 4 + [True])
        Store.objects.update(check_days=30)
        self.night()
        self.assertNotIn(None, self.checked(), "what was never read comes first")

    def test_a_night_reads_no_more_than_its_share_and_not_faster_than_it_may(self):
        Store.objects.update(check_days=30, check_limit_bytes_per_second=10_000)
        slept = []
        check_store(Store.objects.get(), percent=ROUND, by=None, clock=lambda: 0.0, sleep=slept.append)
        sizes = opened(self.room).ids(names.PACKS)
        read = Reading.objects.get().read_bytes
        self.assertIn(read, sizes.values(), "one pack is more than the share of a night")
        Store.objects.update(check_days=1)
        check_store(Store.objects.get(), percent=ROUND, by=None, clock=lambda: 0.0, sleep=slept.append)
        self.assertGreater(max(slept), (sum(sizes.values()) - max(sizes.values())) / 10_000 - 1)

    def test_a_share_that_nobody_limits_leaves_runs_their_speed_and_what_somebody_asked_for_goes_at_once(self):
        Store.objects.update(check_days=1)
        for percent, early in ((ROUND, True), (100, False)):
            slept = []
            check_store(Store.objects.get(), percent=percent, by=None, clock=lambda: 0.0, sleep=slept.append)
            self.assertEqual(bool(slept), early, percent)
            for seconds in slept:
                self.assertLessEqual(seconds, sum(opened(self.room).ids(names.PACKS).values()) / SHARE_BYTES_PER_SECOND)

    def test_a_pack_that_went_is_forgotten_and_one_that_cannot_be_understood_counts_as_nothing(self):
        check_store(self.room, percent=100, by=self.ines)
        Reading.objects.update(packs=b"nonsense")
        self.night()
        self.assertIn(None, self.checked())

    def test_in_pieces_the_share_stays_the_same(self):
        Store.objects.update(check_days=1)
        times = iter(range(0, 100_000, 100))
        rounds = 0
        while True:
            store = check_store(Store.objects.get(), percent=ROUND, by=None, clock=lambda: float(next(times)))
            rounds += 1
            if not store.check_progress:
                break
        self.assertGreater(rounds, 2)
        self.assertNotIn(None, self.checked())


class Owed(Rounds):
    def owed(self) -> list[int]:
        ProcrastinateJob.objects.all().delete()
        owe_maintenance(now=self.outside.at)
        return [job.args["percent"] for job in ProcrastinateJob.objects.filter(task_name="check_store")]

    def test_once_a_night_and_the_structure_once_a_week_where_nothing_is_read(self):
        self.outside.at = self.outside.at.replace(hour=3)
        self.assertEqual(self.owed(), [], "runs come first")
        self.outside.at = self.outside.at.replace(hour=6)
        self.assertEqual((self.owed(), self.owed()), ([ROUND], []))
        self.outside.at += timedelta(days=1)
        Store.objects.update(check_days=None)
        self.assertEqual(self.owed(), [0])
        check_store(self.room, percent=0, by=None)
        self.outside.at += timedelta(days=6)
        self.assertEqual(self.owed(), [])
        self.outside.at += timedelta(days=2)
        self.assertEqual(self.owed(), [0])
        Store.objects.update(check_days=14, mode="paused", round_on=None)
        self.assertEqual(self.owed(), [])


class Mended(Rounds):
    def test_a_sample_marks_what_it_finds_and_clears_nothing_that_it_may_not_have_read(self):
        """Only all of it proves that nothing is damaged any more."""
        held = opened(self.room).blobs.held
        first = self.packs()[0]
        whole = held[names.pack_name(first)]
        self.break_pack(self.room, first)
        store = check_store(Store.objects.get(), percent=100, by=self.ines)
        damaged = Copy.objects.filter(intact=False).count()
        self.assertGreater(damaged, 0)
        self.assertIn("damaged", store.check_says)
        held[names.pack_name(first)] = whole
        for percent in (1, 50, 99):
            store = check_store(Store.objects.get(), percent=percent, by=self.ines)
            self.assertEqual(Copy.objects.filter(intact=False).count(), damaged, percent)
        self.assertIn(f"as far as {percent} % was read", store.check_says)
        store = check_store(Store.objects.get(), percent=100, by=self.ines)
        self.assertEqual((Copy.objects.filter(intact=False).count(), store.check_says[-len("are intact.") :]), (0, "are intact."))

    def test_a_sample_reads_as_much_as_it_says(self):
        """Beside the lists, which are always read."""
        read = []
        for percent in (0, 1, 50, 100):
            blobs, sizes = opened(self.room).blobs, list[int]()
            plain = blobs.read

            def noted(name: str, *, offset: int = 0, length: int | None = None, plain=plain, sizes=sizes) -> bytes:
                content = plain(name, offset=offset, length=length)
                sizes.append(len(content) if name.startswith(names.PACKS) else 0)
                return content

            with mock.patch.object(blobs, "read", noted):
                check_store(Store.objects.get(), percent=percent, by=self.ines)
            read.append(sum(sizes))
        lists, one, half, all_of_it = read
        self.assertTrue(lists < one < half < all_of_it, read)
        self.assertAlmostEqual((half - lists) / (all_of_it - lists), 0.5, delta=0.25)

    def test_damage_is_mended_from_another_store_with_a_record(self):
        other = self.other()
        for pack in self.packs():
            self.break_pack(self.room, pack)
        Store.objects.filter(id=self.room.id).update(check_days=1)
        self.night()
        self.assertEqual(Copy.objects.filter(intact=False).count(), 0)
        self.assertIn("4 backups are whole again in Server room", JournalEntry.objects.get(what="store.mended").says)
        self.assertIn(
            "4 backups are touched. 4 of them are whole again, from another store.", Store.objects.get(id=self.room.id).check_says
        )
        self.assertEqual(self.checked(), [None] * 4, "what was fetched has yet to be read")
        for _ in range(2):
            self.night()
        self.assertNotIn(None, self.checked())
        self.assertEqual(Copy.objects.filter(store=other, intact=True).count(), 4)

    def test_what_no_other_store_has_comes_from_the_device_with_its_next_run_with_a_record(self):
        for pack in self.packs():
            self.break_pack(self.room, pack)
        Store.objects.update(check_days=1)
        self.night()
        self.assertEqual(Copy.objects.filter(intact=False).count(), 4)
        device = Copy.objects.first().backup.device
        del self.content["photos", "new 3"]  # only the newest of them has it, and nobody else any more
        self.run_now(device)
        newest, *older = Copy.objects.filter(store=self.room, backup__device=device).order_by("-backup__finished_at")
        self.assertTrue(newest.intact)
        whole = [copy for copy in older if copy.intact]
        self.assertEqual(len(whole), 3, "what did not change on the device is whole again in older backups, too")
        self.assertFalse(older[0].intact, "what is gone from the device stays damaged")
        said = JournalEntry.objects.get(what="store.mended").says
        self.assertIn(f"whole again in Server room: what was damaged came from {device.name} again, with its run", said)
        vault = opened(self.room)
        vault.refresh()
        for row in whole:
            self.assertEqual(damaged_kinds(vault, vault.manifest(row.backup_id.bytes)), {})
            self.assertEqual((row.damaged, row.checked_at), ({}, None), "what came again has yet to be read")

    def test_what_is_damaged_is_told_with_what_it_touches_and_where_it_lies_whole(self):
        for pack in self.packs():
            self.break_pack(self.room, pack)
        Store.objects.update(check_days=1)
        self.night()
        path = f"/api/stores/{self.room.id}/damage"
        answer = self.api.get(path).json()
        self.assertEqual((answer["count"], answer["results"][0]["whole_in"]), (4, []))
        self.assertTrue(answer["results"][0]["lost"][0]["names"])
        self.assertEqual(self.signed_in("ulla").get(path).json()["results"][0]["lost"][0]["names"], [], "names are for who may look inside")
        Copy.objects.create(backup_id=answer["results"][0]["backup_id"], store=self.store("Cloud"), state="present")
        self.assertEqual(self.api.get(path).json()["results"][0]["whole_in"], ["Cloud"])

    def test_what_no_other_store_has_stays_named(self):
        for pack in self.packs():
            self.break_pack(self.room, pack)
        Store.objects.update(check_days=1)
        night = self.night()
        self.assertIn("damaged", night.check_says)
        self.assertEqual(Copy.objects.filter(intact=False).count(), 4)
        self.assertFalse(JournalEntry.objects.filter(what="store.mended").exists())
        self.assertTrue(JournalEntry.objects.filter(what="store.checked").exists())

    def test_what_is_sealed_with_a_devices_own_key_is_mended_as_it_is(self):
        backup = self.sealed_backup(self.one, self.room)
        self.other()
        for pack in self.packs():
            self.break_pack(self.room, pack)
        Store.objects.filter(id=self.room.id).update(check_days=1)
        self.night()
        self.assertEqual(Copy.objects.filter(intact=False).count(), 0)
        vault = opened(self.room)
        vault.refresh()
        manifest = vault.manifest(backup.id.bytes)
        with self.assertRaises(DeviceSealed):
            list(vault.items(manifest, "photos"))
        unlock_backup(vault, manifest, Secret(passphrase=self.OWN_WORDS))
        self.assertEqual({stored.item.id: b"".join(vault.read(stored)) for stored in vault.items(manifest, "photos")}, self.OWN)

    def test_a_store_that_may_not_be_written_is_not_mended(self):
        self.other()
        for pack in self.packs():
            self.break_pack(self.room, pack)
        Store.objects.filter(id=self.room.id).update(check_days=1, mode="read_only")
        cannot = StoreReadOnly("The medium may only be read.")
        with mock.patch("server.runs.actions.check_store.note_damage", side_effect=cannot):  # so that the store cannot tell of it itself
            self.night()
        self.assertEqual(Copy.objects.filter(intact=False).count(), 4)
        self.assertEqual(self.checked(), [None] * 4)
