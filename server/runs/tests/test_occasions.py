import errno
import io
import zipfile
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

from core.content.link import DeviceReport
from server.fleet.models import Device
from server.people.models import JournalEntry, Office
from server.plans.models import Plan
from server.retention.actions.apply_rule import apply_rule
from server.runs.actions.ask_run import ask_run_by_hand
from server.runs.actions.carry_out import carry_out
from server.runs.actions.copy_backup import ask_copy, copy_backup
from server.runs.actions.requeue import requeue_due
from server.runs.actions.take_import import scan_import, take_import
from server.runs.actions.take_place import WAIT_SECONDS
from server.runs.models import Backup, Copy, Import, Run, RunState
from server.runs.pace import speed_limit
from server.tests.pretend import OfficeTestCase


class Occasions(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.plan(self.one, keep_last=1, keep_daily=0)

    def ask(self, **body):
        return self.api.post(f"/api/devices/{self.one.id}/run", body, format="json")

    def days_pass(self, days: int) -> None:
        for _ in range(days):
            self.outside.at += timedelta(days=1)
            self.run_now(self.one)
            apply_rule(self.one, Plan.objects.get().store, now=self.outside.at)

    def kept(self) -> set[str]:
        return {str(id) for id in Copy.objects.filter(state="present").values_list("backup_id", flat=True)}

    def test_a_run_for_an_occasion_makes_a_backup_that_no_rule_removes(self):
        run = self.ask(note="screen is cracked", occasion="before_repair").json()
        carry_out(Run.objects.get(id=run["id"]).id)
        backup = Backup.objects.get()
        self.assertEqual((backup.hold_reason, backup.hold_by), ("before a repair: screen is cracked", self.ines))
        self.days_pass(3)
        self.assertIn(str(backup.id), self.kept())
        self.assertEqual(len(self.kept()), 2)

    def test_a_hold_with_a_last_day_ends_after_it_in_the_offices_zone(self):
        self.ask(note="", occasion="before_update", hold_until="2026-03-04")
        carry_out(Run.objects.get().id)
        held = str(Backup.objects.get().id)
        store = Plan.objects.get().store
        self.days_pass(1)
        self.outside.at = datetime(2026, 3, 4, 22, 59, tzinfo=UTC)  # 23:59 in Berlin
        apply_rule(self.one, store, now=self.outside.at)
        self.assertIn(held, self.kept())
        apply_rule(self.one, store, now=datetime(2026, 3, 4, 23, 1, tzinfo=UTC))
        self.assertNotIn(held, self.kept())

    def test_impossible_holds_are_refused(self):
        for body, field in (
            ({"occasion": "", "hold_until": "2026-04-01"}, "hold_until"), ({"occasion": "before_reset", "hold_until": "2026-03-01"}, "hold_until"),
            ({"occasion": "birthday"}, "occasion"),
        ):  # fmt: skip
            answer = self.ask(note="", **body)
            self.assertEqual((answer.status_code, answer.json()["field"]), (400, field))
        self.assertFalse(Run.objects.exists())
        self.run_now(self.one)
        path = f"/api/backups/{Backup.objects.get().id}/hold"
        self.assertEqual(self.api.post(path, {"reason": "x", "until": "2026-03-01"}, format="json").json()["field"], "until")
        self.assertEqual(self.api.post(path, {"reason": "x", "until": "2026-03-09"}, format="json").status_code, 204)
        self.assertEqual(Backup.objects.get().hold_until.isoformat(), "2026-03-09")


class WhatAPlanLeavesOut(OfficeTestCase):
    def test_it_is_not_taken_and_is_counted_on_the_run(self):
        content = {("photos", "Camera/a.jpg"): b"a" * 10, ("photos", "Screens/b.jpg"): b"b" * 10, ("documents", "big"): b"c" * 5000}
        one = self.device(content=content)
        self.plan(one, larger_than_bytes=1000, exclusions=({"kind": "photos", "under": "Screens"},))
        run = self.run_now(one)
        self.assertEqual({entry["kind"]: entry["items"] for entry in run.backup.kinds}, {"photos": 1, "documents": 0})
        self.assertEqual(
            {(entry["kind"], entry["items"], entry["size_bytes"]) for entry in run.left_out}, {("photos", 1, 10), ("documents", 1, 5000)}
        )
        self.assertEqual(run.state, RunState.COMPLETE)

    def test_a_plan_for_the_whole_device_takes_kinds_that_nobody_named(self):
        one = self.device(content={("health", "h"): b"{}", ("photos", "a"): b"x"})
        self.plan(one, reach="all_but", kinds=["photos"])
        self.assertEqual([entry["kind"] for entry in self.run_now(one).backup.kinds], ["health"])


class Limits(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one, self.two = self.device("p1"), self.device("p2")
        self.plan(self.one, self.two)

    def test_a_run_that_finds_no_place_waits_says_so_once_and_is_tried_again(self):
        Office.objects.update(max_runs=1)
        first, second = ask_run_by_hand(self.one, note="", by=None), ask_run_by_hand(self.two, note="", by=None)
        Run.objects.filter(id=first.id).update(state=RunState.RUNNING)
        for _ in range(2):
            self.assertEqual(carry_out(second.id).state, RunState.WAITING)
        self.assertEqual([line["says"] for line in Run.objects.get(id=second.id).log], ["Waits until another run has ended."])
        Run.objects.filter(id=first.id).update(state=RunState.COMPLETE)
        self.assertFalse(requeue_due(now=self.outside.at))
        self.outside.at += timedelta(seconds=WAIT_SECONDS)
        self.assertEqual(requeue_due(now=self.outside.at), 1)
        self.assertEqual(carry_out(second.id).state, RunState.COMPLETE)

    def test_the_offices_speed_is_divided_among_the_runs_and_a_devices_own_is_never_passed(self):
        at = 0.0
        limit = speed_limit(self.one, clock=lambda: at)
        self.assertIsNone(limit())
        Office.objects.update(limit_bytes_per_second=900)
        self.assertIsNone(limit(), "asked again too soon")
        at = 4.0
        self.assertEqual(limit(), 900)
        for device in (self.one, self.two):
            Run.objects.filter(id=ask_run_by_hand(device, note="", by=None).id).update(state=RunState.RUNNING)
        at = 8.0
        self.assertEqual(limit(), 450)
        Device.objects.filter(id=self.one.id).update(limit_bytes_per_second=100)
        at = 12.0
        self.assertEqual(limit(), 100)

    def test_limits_of_the_office_are_checked(self):
        body = {"name": "S", "zone": "Europe/Berlin", "max_runs": 0, "limit_bytes_per_second": None}
        self.assertEqual(self.api.put("/api/office", body, format="json").json()["field"], "max_runs")
        body |= {"max_runs": 3, "limit_bytes_per_second": 7}
        self.assertEqual(self.api.put("/api/office", body, format="json").json()["field"], "limit_bytes_per_second")

    def test_what_is_not_as_it_should_be_is_written_down_before_the_run(self):
        link = self.outside.devices["p1"]
        link.told = DeviceReport(
            make="H", model="H1", family="orlo", os_version="9", locked=False, data_access=True, on_power=False, battery_percent=9
        )
        log = " ".join(line["says"] for line in self.run_now(self.one).log)
        self.assertIn("battery is at 9 %", log)

    def test_a_device_that_asks_its_holder_again_after_an_update_is_tried_again(self):
        link = self.outside.devices["p1"]
        link.told = DeviceReport(make="H", model="H1", family="orlo", os_version="10", accepted=False)
        run = self.run_now(self.one)
        self.assertEqual((run.cause_code, Device.objects.get(id=self.one.id).accepted), ("link.not_accepted", False))


class SecondCopies(OfficeTestCase):
    def test_a_copy_in_a_second_store_restores_and_is_made_once(self):
        one = self.device()
        self.plan(one)
        backup = self.run_now(one).backup
        second = self.store("Safe drive")
        self.assertEqual(self.api.post(f"/api/backups/{backup.id}/copy", {"store": str(second.id)}, format="json").status_code, 202)
        self.assertEqual(Copy.objects.get(store=second).state, "owed")
        self.assertEqual(self.api.post(f"/api/backups/{backup.id}/copy", {"store": str(second.id)}, format="json").status_code, 409)
        self.assertTrue(copy_backup(Copy.objects.get(store=second).id, by=self.ines))
        self.assertEqual(backup.copies.count(), 2)
        self.assertEqual(self.api.post(f"/api/backups/{backup.id}/copy", {"store": str(second.id)}, format="json").status_code, 409)
        self.assertIn(backup.id.bytes, self.outside.open_vault(second.where).backup_ids())

    def test_a_store_that_is_not_there_is_noted_and_nothing_is_claimed(self):
        one = self.device()
        self.plan(one)
        backup = self.run_now(one).backup
        second = self.store("Safe drive")
        del self.outside.stores[second.where]
        row = ask_copy(backup, second, by=self.ines)
        self.assertFalse(copy_backup(row.id, by=None))
        second.refresh_from_db()
        row.refresh_from_db()
        self.assertTrue(second.trouble)
        self.assertEqual(backup.copies.filter(state="present").count(), 1)
        self.assertEqual((row.state, bool(row.cause), bool(row.remedy)), ("owed", True, True))
        self.assertGreater(row.due_at, self.outside.at)


class ImportOld(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.shelf = self.store()

    def archive(self, files=None) -> io.BytesIO:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as file:
            for name, content in (
                files or {"who.vcf": "BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Ada\r\nEND:VCARD\r\n", "a.txt": "x", "../b": "y"}
            ).items():
                info = zipfile.ZipInfo(name, date_time=(2024, 5, 6, 7, 8, 10))
                file.writestr(info, content)
        out.name = "old phone.zip"
        out.seek(0)
        return out

    def looked(self, files=None) -> Import:
        id = self.api.post("/api/imports", {"file": self.archive(files)}, format="multipart").json()["id"]
        return scan_import(Import.objects.get(id=id).id)

    def take(self, import_: Import, moment="2024-05-06T09:00"):
        body = {"device": str(self.one.id), "store": str(self.shelf.id), "moment": moment}
        return self.api.post(f"/api/imports/{import_.id}/take", body, format="json")

    def test_it_is_looked_into_taken_at_its_true_date_and_restorable_like_any_other(self):
        import_ = self.looked()
        answer = self.api.get(f"/api/imports/{import_.id}").json()
        self.assertEqual({kind["kind"]: kind["items"] for kind in answer["found"]["kinds"]}, {"contacts": 1, "documents": 1})
        self.assertEqual(answer["found"]["left_aside"], [{"name": "../b", "why": "its name leads outside of the archive"}])
        self.assertEqual(datetime.fromisoformat(answer["found"]["newest_at"]), datetime(2024, 5, 6, 5, 8, 10, tzinfo=UTC))
        self.assertFalse(Backup.objects.exists())
        self.assertEqual(self.take(import_).status_code, 202)
        take_import(import_.id)
        backup = Backup.objects.get()
        self.assertEqual((backup.finished_at, backup.imported_from), (datetime(2024, 5, 6, 7, tzinfo=UTC), "old phone.zip"))
        self.assertTrue(backup.hold_reason)
        inside = self.api.get(f"/api/backups/{backup.id}/inside?kind=contacts").json()
        self.assertEqual([item["title"] for item in inside["items"]], ["Ada"])
        self.assertFalse(any(self.outside.incoming.iterdir()), "the upload was left lying about")

    def test_it_is_not_taken_twice_nor_before_it_was_looked_into_nor_from_the_future(self):
        id = self.api.post("/api/imports", {"file": self.archive()}, format="multipart").json()["id"]
        import_ = Import.objects.get(id=id)
        self.assertEqual(self.take(import_).status_code, 409)
        scan_import(import_.id)
        self.assertEqual(self.take(import_, "2030-01-01T00:00").json()["field"], "moment")
        self.assertEqual(self.take(import_, "soon").json()["field"], "moment")
        self.take(import_)
        self.assertEqual(self.take(import_).status_code, 409)
        take_import(import_.id)
        take_import(import_.id)
        self.assertEqual(Backup.objects.count(), 1)

    def test_a_store_that_is_gone_ends_it_with_its_cause_and_keeps_the_upload(self):
        import_ = self.looked()
        self.take(import_)
        with mock.patch.dict(self.outside.stores, clear=True):
            take_import(import_.id)
        import_.refresh_from_db()
        self.assertEqual(import_.state, "failed")
        self.assertTrue(import_.cause and any(self.outside.incoming.iterdir()))
        self.assertEqual(self.api.delete(f"/api/imports/{import_.id}").status_code, 204)
        self.assertFalse(any(self.outside.incoming.iterdir()))

    def test_an_upload_that_is_too_large_or_finds_no_room_leaves_nothing_behind(self):
        full = mock.patch.object(Path, "open", side_effect=OSError(errno.ENOSPC, "No space left on device"))
        for trouble, field, says in (
            (mock.patch("server.runs.actions.take_import.MAX_UPLOAD_BYTES", 100), "file", "larger than"),
            (full, None, "could not keep the file: No space left"),
        ):
            with trouble:
                answer = self.api.post("/api/imports", {"file": self.archive()}, format="multipart")
            self.assertGreaterEqual(answer.status_code, 400)
            self.assertEqual((answer.json().get("field") or None, says in answer.content.decode()), (field, True), answer.json())
            self.assertEqual(list(self.outside.incoming.iterdir()), [])
        self.assertFalse(Import.objects.exists())

    def test_paths_that_are_wrong_and_archives_with_nothing_in_them(self):
        for path in ("old.zip", "/srv/../etc", "/does/not/exist"):
            self.assertEqual(self.api.post("/api/imports", {"path": path}, format="json").json()["field"], "path")
        import_ = self.looked({"../only": "x"})
        self.assertEqual(self.take(import_).json()["field"], "file")


class ANoteBesideABackup(OfficeTestCase):
    def test_can_be_changed_later_and_shows_where_the_backup_does(self):
        one = self.device()
        self.plan(one)
        backup = self.run_now(one).backup
        self.assertEqual(
            self.api.put(f"/api/backups/{backup.id}/note", {"note": " before the cracked screen "}, format="json").status_code, 204
        )
        for page in (f"backups/{backup.id}", f"devices/{one.id}/backups"):
            self.assertIn("before the cracked screen", self.api.get(f"/api/{page}").content.decode())
        self.assertEqual(JournalEntry.objects.first().what, "backup.noted")
