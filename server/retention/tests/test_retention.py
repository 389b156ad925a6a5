from datetime import timedelta
from unittest import mock
from uuid import UUID

from core.vault.check import check
from core.vault.errors import StoreUnreachable
from core.vault.tests.bench_of_one import contents
from server.people.models import JournalEntry
from server.retention.actions.look_after import look_after, sweep_store
from server.runs.models import Backup, Copy, RunState
from server.storage.actions.note_held import note_held
from server.storage.models import HeldPacks
from server.tests.pretend import OfficeTestCase


class LookingAfterThePile(OfficeTestCase):
    """Nightly, keep the last 2 and one of each of 3 days."""

    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.nightly = self.plan(self.one)
        self.place = self.nightly.store

    def days(self, count: int) -> None:
        for n in range(count):
            self.outside.devices["p1"].content["contacts", "c000"] = f"day {n}".encode()
            self.assertEqual(self.run_now(self.one).state, RunState.COMPLETE)
            look_after(self.place.id)
            self.outside.at += timedelta(days=1)

    def present(self) -> list[str]:
        present = Copy.objects.filter(state="present").order_by("backup__finished_at")
        return [f"{copy.backup.finished_at:%d}" for copy in present]

    def test_what_the_rule_no_longer_keeps_leaves_store_and_list_alike(self):
        self.days(6)
        self.assertEqual(self.present(), ["05", "06", "07"])
        vault = self.outside.open_vault(self.place.where)
        self.assertEqual(
            {UUID(bytes=id) for id in vault.backup_ids()}, set(Copy.objects.filter(state="present").values_list("backup", flat=True))
        )
        self.assertIn("by the rule of Nightly", JournalEntry.objects.filter(what="backup.fell_out").first().says)

    def test_a_hold_outlasts_the_rule_until_it_is_released(self):
        self.days(1)
        held = Backup.objects.get()
        self.assertEqual(self.api.post(f"/api/backups/{held.id}/hold", {"reason": " "}, format="json").status_code, 400)
        self.api.post(f"/api/backups/{held.id}/hold", {"reason": "before the repair"}, format="json")
        self.days(5)
        self.assertEqual(self.present(), ["02", "05", "06", "07"])
        kept = self.api.get(f"/api/backups/{held.id}").json()["kept"][0]
        self.assertEqual((kept["why"], kept["falls_out_on"]), (["on hold: before the repair"], None))
        self.api.delete(f"/api/backups/{held.id}/hold")
        self.days(1)
        self.assertNotIn("02", self.present())

    def test_the_last_good_backup_of_a_silent_device_stays_for_years(self):
        self.days(3)
        self.outside.at += timedelta(days=900)
        look_after(self.place.id)
        self.assertEqual(self.present(), ["02", "03", "04"], "what was not emptied by its absence is not emptied by the calendar")

    def test_a_plan_that_cannot_be_computed_lets_nothing_go_and_its_devices_page_stands(self):
        self.days(3)
        type(self.nightly).objects.update(keep_last=0, keep_daily=0)
        self.assertEqual(look_after(self.place.id), 0)
        self.assertEqual(len(self.present()), 3)
        answer = self.api.get(f"/api/devices/{self.one.id}/backups")
        self.assertEqual((answer.status_code, len(answer.json())), (200, 3))

    def test_a_device_without_a_plan_loses_nothing(self):
        self.days(2)
        self.plan(name="Nightly 2")
        self.nightly.assignments.all().delete()
        self.outside.at += timedelta(days=900)
        self.assertEqual(look_after(self.place.id), 0)
        self.assertEqual(len(self.present()), 2)

    def test_the_page_of_a_backup_says_why_it_is_kept_and_until_when_and_it_comes_true(self):
        self.days(3)
        self.outside.at -= timedelta(days=1)
        oldest = Backup.objects.order_by("finished_at").first()
        kept = self.api.get(f"/api/backups/{oldest.id}").json()["kept"][0]
        self.assertEqual(kept["why"], ["newest of the day 2026-03-02"])
        # it is the morning of the 4th: the run of the evening after makes the 2nd the fourth day back
        self.assertEqual(kept["falls_out_on"], "2026-03-05")

    def test_space_comes_back_after_the_grace_period_and_what_is_left_is_intact(self):
        self.days(2)
        full = sum(len(content) for content in self.outside.stores[self.place.where].held.values())
        self.outside.devices["p1"].content = {("contacts", "only"): b"one contact is left"}
        self.days(1)
        Backup.objects.filter(suspect=True).update(suspect=False)  # somebody has looked
        self.days(4)
        sweep_store(self.place, now=self.outside.at + timedelta(hours=3))
        sweep_store(self.place, now=self.outside.at + timedelta(hours=6))
        left = sum(len(content) for content in self.outside.stores[self.place.where].held.values())
        self.assertLess(left, full / 4)
        self.assertTrue(check(self.outside.open_vault(self.place.where), percent=100).ok)

    def test_interrupted_between_store_and_database_the_next_time_sets_it_right(self):
        self.days(4)
        gone = Copy.objects.filter(state="present").order_by("backup__finished_at").first()
        self.outside.open_vault(self.place.where).remove(gone.backup_id.bytes)
        self.days(2)
        gone.refresh_from_db()
        self.assertIsNotNone(gone.removed_at)

    def test_a_store_that_is_not_there_keeps_its_list_and_is_in_trouble(self):
        self.days(3)
        blobs = self.outside.stores.pop(self.place.where)
        self.outside.at += timedelta(days=5)
        self.assertEqual(look_after(self.place.id), 0)
        self.place.refresh_from_db()
        self.assertIn("not there", self.place.trouble)
        self.outside.stores[self.place.where] = blobs
        look_after(self.place.id)
        self.place.refresh_from_db()
        self.assertEqual(self.place.trouble, "")

    def test_what_goes_wrong_while_copies_are_taken_away_stands_on_the_stores_page(self):
        self.days(3)
        with mock.patch("server.retention.actions.look_after.finish_removals", side_effect=StoreUnreachable("The lid is shut.")):
            self.assertEqual(look_after(self.place.id), 0)
        self.place.refresh_from_db()
        self.assertIn("The lid is shut.", self.place.trouble)

    def test_packs_that_a_store_cannot_let_go_of_are_noted_until_it_can(self):
        for held, noted in (((b"b" * 16, b"a" * 16), [b"a" * 16 + b"b" * 16]), ((), [])):
            note_held(self.place.id, held, now=self.outside.now())
            self.assertEqual([bytes(one.packs) for one in HeldPacks.objects.all()], noted)


class ACheckOfAStore(OfficeTestCase):
    def test_damage_is_noted_on_the_copies_it_touches_and_on_today(self):
        from server.runs.actions.check_store import check_store

        one = self.device()
        plan = self.plan(one)
        self.run_now(one)
        held = self.outside.stores[plan.store.where].held
        name = max((name for name in held if name.startswith("packs/")), key=lambda name: len(held[name]))
        bad = bytearray(held[name])
        bad[500] ^= 1
        good, held[name] = held[name], bytes(bad)
        check_store(plan.store, percent=100, by=self.ines)
        self.assertFalse(Copy.objects.get().intact)
        self.assertIn("A check found damage", str(self.api.get("/api/today").json()["causes"]))
        held[name] = good
        check_store(plan.store, percent=100, by=self.ines)
        self.assertTrue(Copy.objects.get().intact)

    def test_the_next_run_stores_again_what_a_check_found_damaged(self):
        from server.runs.actions.check_store import check_store

        one = self.device()
        plan = self.plan(one)
        self.run_now(one)
        held = self.outside.stores[plan.store.where].held
        for name in [name for name in held if name.startswith("packs/")]:
            held[name] = held[name][:400] + bytes([held[name][400] ^ 1]) + held[name][401:]
        check_store(plan.store, percent=100, by=self.ines)
        self.assertFalse(Copy.objects.get().intact)
        again = self.run_now(one)
        self.assertEqual(again.state, "complete")
        self.assertGreater(again.read_bytes, 0)
        check_store(plan.store, percent=0, by=self.ines)
        vault = self.outside.open_vault(plan.store.where)
        for id in vault.backup_ids():
            self.assertEqual(contents(vault, vault.manifest(id)), self.outside.devices["p1"].content)

    def test_a_backup_that_vanished_from_the_store_is_noticed(self):
        from server.runs.actions.check_store import check_store

        one = self.device()
        plan = self.plan(one)
        gone = self.run_now(one).backup
        self.outside.devices["p1"].content["contacts", "c001"] = b"changed"
        self.run_now(one)
        held = self.outside.stores[plan.store.where].held
        for name in [name for name in held if gone.id.hex in name]:
            del held[name]
        check_store(plan.store, percent=0, by=self.ines)
        self.assertEqual(list(Copy.objects.filter(intact=False).values_list("backup_id", flat=True)), [gone.id])

    def test_asking_for_a_check_puts_one_into_the_queue(self):
        from procrastinate.contrib.django.models import ProcrastinateJob

        store = self.store()
        self.assertEqual(self.api.post(f"/api/stores/{store.id}/check", {"percent": 100}, format="json").status_code, 202)
        self.assertEqual(ProcrastinateJob.objects.get(task_name="check_store").args["percent"], 100)
