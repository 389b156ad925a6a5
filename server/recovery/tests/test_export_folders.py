"""Exports that lie in a folder of the server, and are erased one day."""

from datetime import timedelta
from unittest import mock

import bagit
from procrastinate.contrib.django.models import ProcrastinateJob

from core.vault.errors import StoreUnreachable
from core.vault.tests.bench_of_one import START
from server.people.models import JournalEntry, User
from server.recovery.actions.carry_out import carry_out
from server.recovery.actions.end_exports import end_exports
from server.recovery.actions.requeue import requeue_lost
from server.recovery.models import ExportFolder, Restore
from server.recovery.tests.test_exports import PASSPHRASE, Exporting
from server.recovery.tests.test_recovery import jpeg


class AFolder(Exporting):
    def into(self, name: str = "for the lawyer", **changes: object) -> dict:
        return self.made(target="folder", folder=str(self.folder / name), until="2026-03-20", **changes)

    def test_it_holds_everything_for_the_servers_account_alone(self):
        restored = self.into()
        folder = self.folder / "for the lawyer"
        self.assertEqual((restored["state"], restored["folder"], folder.stat().st_mode & 0o777), ("complete", str(folder), 0o700))
        self.assertEqual((folder / "Photos" / "p0").read_bytes(), jpeg())
        self.assertEqual((folder / "Contacts.vcf").read_bytes().count(b"BEGIN:VCARD"), 150)
        self.assertEqual((folder / "Photos" / "p0").stat().st_mtime, START.timestamp())
        (row,) = self.api.get("/api/exports").json()["results"]
        self.assertEqual((row["folder"], row["keeper_name"], row["until"]), (str(folder), self.ines.shown_name, "2026-03-20"))

    def test_a_bag_lies_there_as_one(self):
        self.into(layout="bag")
        bagit.Bag(str(self.folder / "for the lawyer")).validate()

    def test_on_its_last_day_it_is_there_and_the_day_after_it_is_erased(self):
        self.into()
        shut = self.folder / "for the lawyer" / "Photos"
        shut.chmod(0o500)
        self.outside.at = self.outside.at.replace(day=20, hour=20)
        end_exports(now=self.outside.at)
        self.assertTrue(shut.exists())
        self.outside.at += timedelta(hours=4)
        end_exports(now=self.outside.at)
        self.assertFalse((self.folder / "for the lawyer").exists())
        self.assertIsNotNone(ExportFolder.objects.get().gone_at)
        self.assertIn("erased", JournalEntry.objects.filter(what="export.erased").get().says)
        self.assertEqual(self.api.get("/api/exports").json()["count"], 0)

    def test_why_it_cannot_be_erased_is_told_in_so_many_words(self):
        self.into()
        self.outside.at += timedelta(days=40)
        with mock.patch("server.recovery.actions.end_exports._erase_folder", side_effect=StoreUnreachable("x" * 400)):
            end_exports(now=self.outside.at)
        self.assertEqual(ExportFolder.objects.get().trouble, "x" * 300)

    def test_another_folder_at_its_path_is_never_erased(self):
        restored = self.into()
        folder = self.folder / "for the lawyer"
        folder.rename(self.folder / "moved away")
        folder.mkdir()
        (folder / "somebody's own").write_text("keep me")
        self.outside.at += timedelta(days=40)
        for _ in range(2):
            end_exports(now=self.outside.at)
        self.assertTrue((folder / "somebody's own").exists())
        self.assertIn("Another folder", self.api.get("/api/exports").json()["results"][0]["trouble"])
        self.assertEqual(JournalEntry.objects.filter(what="export.stays").count(), 1, "said once")
        answer = self.api.post(f"/api/exports/{restored['id']}/erase")
        self.assertEqual((answer.status_code, answer.json()["field"]), (400, "folder"))
        (folder / "somebody's own").unlink()
        folder.rmdir()
        self.assertEqual(self.api.post(f"/api/exports/{restored['id']}/erase").status_code, 204)
        self.assertIn("not there any more", JournalEntry.objects.filter(what="export.erased").get().says)

    def test_only_into_an_empty_one_with_a_last_day_by_an_administrator(self):
        full = self.folder / "full"
        full.mkdir()
        (full / "x").write_text("x")
        self.assertEqual(self.into("full")["state"], "failed")
        self.assertEqual((full / "x").read_text(), "x")
        self.assertFalse(ExportFolder.objects.exists())
        self.into()
        ask = {"target": "folder", "device": None, "until": "2026-03-20"}
        for wrong, field in (
            ({"until": None}, "until"),
            ({"until": "2026-03-01"}, "until"),
            ({"until": "2028-01-01"}, "until"),
            ({"keeper": 99}, "keeper"),
            ({"passphrase": PASSPHRASE, "passphrase_again": PASSPHRASE}, "passphrase"),
        ):
            answer = self.ask(**{**ask, "folder": str(self.folder / "new"), **wrong})
            self.assertEqual((answer.status_code, answer.json().get("field")), (400, field), answer.content)
        for taken in ("for the lawyer", "for the lawyer/Photos"):
            answer = self.ask(**ask, folder=str(self.folder / taken))
            self.assertEqual((answer.status_code, answer.json().get("field")), (400, "folder"), answer.content)
        answer = self.signed_in("piet").post("/api/restores", self.body(**ask, folder=str(self.folder / "new")), format="json")
        self.assertEqual(answer.status_code, 403)

    def test_an_operator_neither_erases_nor_keeps_one_and_an_auditor_erases_nothing(self):
        folder, archive = self.into(), self.made()
        piet, ulla = self.signed_in("piet"), self.signed_in("ulla")
        self.assertEqual(piet.post(f"/api/exports/{folder['id']}/erase").status_code, 403)
        self.assertEqual(
            piet.post(f"/api/exports/{folder['id']}/keep", {"until": "2026-05-01", "keeper": 1}, format="json").status_code, 403
        )
        self.assertEqual(ulla.post(f"/api/exports/{archive['id']}/erase").status_code, 403)
        self.assertEqual(ulla.get(f"/api/restores/{archive['id']}/archive").status_code, 403)
        self.assertTrue((self.folder / "for the lawyer").is_dir())
        self.assertEqual(piet.post(f"/api/exports/{archive['id']}/erase").status_code, 204)

    def test_its_day_and_its_keeper_can_be_changed(self):
        restored = self.into()
        self.signed_in("piet")
        piet = User.objects.get(username="piet")
        keep = f"/api/exports/{restored['id']}/keep"
        answer = self.api.post(keep, {"until": "2026-05-01", "keeper": piet.id}, format="json")
        self.assertEqual((answer.json()["until"], answer.json()["keeper_name"]), ("2026-05-01", piet.shown_name))
        self.assertEqual(self.api.post(keep, {"until": "2026-01-01", "keeper": piet.id}, format="json").json()["field"], "until")
        end_exports(now=self.outside.at.replace(month=4))
        self.assertTrue((self.folder / "for the lawyer").exists())

    def test_one_that_is_stopped_before_it_began_or_lost_claims_no_folder_and_keeps_no_passphrase(self):
        for end in ("stop", "lose"):
            self.ask(target="folder", device=None, folder=str(self.folder / "x"), until="2026-03-20")
            self.ask(target="archive", device=None, passphrase=PASSPHRASE, passphrase_again=PASSPHRASE)
            for restore in Restore.objects.filter(state="waiting"):
                if end == "stop":
                    self.assertEqual(self.api.post(f"/api/restores/{restore.id}/stop").status_code, 200)
            if end == "lose":
                Restore.objects.filter(state="waiting").update(attempts=3)
                ProcrastinateJob.objects.all().delete()
                requeue_lost(now=self.outside.at + timedelta(hours=1))
            self.assertFalse(Restore.objects.filter(state="waiting").exists())
            self.assertFalse(ExportFolder.objects.exists())
            self.assertFalse(Restore.objects.filter(passphrase__isnull=False).exists())

    def test_a_worker_that_died_over_it_begins_it_anew(self):
        self.ask(target="folder", device=None, folder=str(self.folder / "x"), until="2026-03-20")
        id = Restore.objects.get().id
        with (
            mock.patch("server.recovery.actions.write_export.Archive.add_folders", side_effect=KeyboardInterrupt),
            self.assertRaises(KeyboardInterrupt),
        ):
            carry_out(id)
        (self.folder / "x" / "left over").write_text("half")
        self.assertEqual(carry_out(id).state, "complete")
        self.assertFalse((self.folder / "x" / "left over").exists())
