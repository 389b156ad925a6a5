"""Nothing is written, removed or marked by a mistake of identity: a store is known by what it is, never by where it lies."""

from datetime import timedelta
from unittest import mock

from procrastinate.contrib.django.models import ProcrastinateJob

from core.vault.check import check
from core.vault.memory import MemoryBlobs
from core.vault.vault import Vault
from server.people.models import JournalEntry
from server.retention.actions.look_after import look_after, sweep_store
from server.runs.actions.check_store import check_store
from server.runs.actions.compare_store import SETTLED, compare_store
from server.runs.actions.copy_backup import ask_copy, copy_backup
from server.runs.models import Backup, Copy, CopyState, Stray
from server.storage.actions.measure import measure_store
from server.storage.models import Store
from server.tests.pretend import PASSPHRASE, OfficeTestCase


class TwoDrives(OfficeTestCase):
    """Red and Blue, of the same server; the plan writes to Red. A rule that keeps one backup only."""

    def furnish(self):
        super().furnish()
        self.red, self.blue = self.store("Red"), self.store("Blue")
        self.one = self.device()
        self.nightly = self.plan(self.one, store=self.red, keep_last=1, keep_daily=0)
        self.first = self.run_now(self.one).backup
        self.later(hours=30)

    def later(self, **time: float) -> None:
        self.outside.at += timedelta(**time)

    def swapped(self) -> None:
        held = self.outside.stores
        held[self.red.where], held[self.blue.where] = held[self.blue.where], held[self.red.where]

    def content(self, path: str) -> dict[str, bytes]:
        return dict(self.outside.stores[path].held)

    def change(self) -> None:
        self.outside.devices["p1"].content["contacts", "c001"] = str(self.outside.at).encode()

    def test_swapped_drives_are_named_and_neither_is_touched(self):
        self.swapped()
        before = [self.content(store.where) for store in (self.red, self.blue)]
        self.change()
        run = self.run_now(self.one)
        self.assertEqual((run.state, run.cause_code), ("failed", "store.another_vault"))
        self.assertIn("Blue", run.cause)
        self.assertIn("where Red should be", run.cause)
        now = self.outside.now()
        look_after(self.red.id, now=now)
        sweep_store(self.red, now=now)
        measure_store(self.red, now=now)
        check_store(self.red, percent=100, by=self.ines)
        self.assertIsNone(compare_store(self.red, now=now))
        self.assertFalse(copy_backup(ask_copy(self.first, self.blue, by=self.ines).id, by=self.ines))
        self.assertEqual([self.content(store.where) for store in (self.red, self.blue)], before)
        self.red.refresh_from_db()
        self.assertIn("lies where Red should be", self.red.trouble)
        self.assertTrue(self.red.trouble_remedy)
        copy = Copy.objects.get(store=self.red)
        self.assertEqual((copy.state, copy.intact, copy.backup), (CopyState.PRESENT, True, self.first))
        self.assertIn("Red should be", str(self.api.get("/api/today").json()["causes"]))

    def test_swapped_back_everything_goes_on_and_they_are_compared(self):
        self.swapped()
        look_after(self.red.id)
        measure_store(self.red, now=self.outside.now())
        self.swapped()
        measure_store(self.red, now=self.outside.now())
        self.red.refresh_from_db()
        self.assertEqual(self.red.trouble, "")
        self.assertTrue(ProcrastinateJob.objects.filter(task_name="compare_store", args__store_id=str(self.red.id)).exists())
        self.change()
        self.assertEqual(self.run_now(self.one).state, "complete")

    def test_an_older_copy_of_the_drive_is_told_by_what_it_lacks(self):
        clone = MemoryBlobs()
        clone.held = self.content(self.red.where)
        self.change()
        second = self.run_now(self.one).backup
        newest, self.outside.stores[self.red.where] = self.outside.stores[self.red.where], clone
        before = dict(clone.held)
        self.change()
        run = self.run_now(self.one)
        self.assertEqual((run.state, run.cause_code), ("failed", "store.older_copy"))
        look_after(self.red.id)
        self.assertEqual(clone.held, before)
        self.assertEqual(Copy.objects.filter(state=CopyState.PRESENT).count(), 2)
        # the newer one comes back
        self.outside.stores[self.red.where] = newest
        self.assertEqual(self.run_now(self.one).state, "complete")
        # or it is lost for good, and somebody says so
        self.outside.stores[self.red.where] = clone
        answer = self.api.post(f"/api/stores/{self.red.id}/accept")
        self.assertEqual((answer.status_code, answer.json()["trouble"]), (200, ""))
        compare_store(self.red, now=self.outside.now())
        self.assertEqual(Copy.objects.get(backup=second).state, CopyState.MISSING)
        self.assertEqual(self.run_now(self.one).state, "complete")

    def test_notes_that_vanish_are_told_by_what_this_server_remembers_of_them(self):
        self.change()
        self.run_now(self.one)
        held, manifest = self.outside.stores[self.red.where].held, f"manifests/{self.first.id.hex}"
        content = held[manifest]
        self.outside.open_vault(self.red.where).remove(self.first.id.bytes)
        compare_store(self.red, now=self.outside.now())
        held[manifest] = content
        del held[f"removed/{self.first.id.hex}"]  # the last note of all: nothing in the store itself knows of it
        self.assertEqual(check(self.outside.open_vault(self.red.where)).damaged, [])
        for _ in range(2):
            self.red.refresh_from_db()
            compare_store(self.red, now=self.outside.now())
            self.red.refresh_from_db()
            self.assertEqual(self.red.trouble_code, "store.older_copy")
            self.assertIn("vanished", str(self.api.get("/api/today").json()["causes"]))
        self.assertIn("1 of", check_store(self.red, percent=0, by=self.ines).check_says)
        self.assertEqual(self.api.post(f"/api/stores/{self.red.id}/accept").status_code, 200)
        self.red.refresh_from_db()
        compare_store(self.red, now=self.outside.now())
        self.red.refresh_from_db()
        self.assertEqual(self.red.trouble, "")
        self.assertIn("are intact", check_store(self.red, percent=0, by=self.ines).check_says)

    def test_only_the_store_itself_can_be_accepted_or_moved_to(self):
        self.swapped()
        self.assertEqual(self.api.post(f"/api/stores/{self.red.id}/accept").json()["code"], "store.another_vault")
        body = {"name": "Red", "allowance_bytes": None, "path": self.blue.where}
        self.swapped()
        answer = self.api.put(f"/api/stores/{self.red.id}", body, format="json")
        self.assertEqual((answer.status_code, answer.json()["field"]), (400, "path"))
        self.outside.stores["/media/red"] = self.outside.stores.pop(self.red.where)
        self.assertEqual(self.api.put(f"/api/stores/{self.red.id}", body | {"path": "/media/red"}, format="json").status_code, 200)
        self.change()
        self.assertEqual(self.run_now(self.one).state, "complete")

    def test_a_vault_of_somebody_else_is_refused_as_well(self):
        self.outside.stores[self.red.where] = MemoryBlobs()
        self.assertEqual(self.run_now(self.one).cause_code, "vault.none")
        self.outside.create_vault(self.red.where, PASSPHRASE)
        self.assertEqual(self.run_now(self.one).cause_code, "store.another_vault")


class ListAndStore(OfficeTestCase):
    """Neither is believed blindly."""

    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.nightly = self.plan(self.one)
        self.place = self.nightly.store
        self.first = self.run_now(self.one).backup
        self.outside.devices["p1"].content["contacts", "c001"] = b"changed"
        self.second = self.run_now(self.one).backup
        self.outside.at += SETTLED + timedelta(hours=1)

    def held(self) -> dict[str, bytes]:
        return self.outside.stores[self.place.where].held

    def compare(self):
        return compare_store(self.place, now=self.outside.now())

    def test_nothing_differs(self):
        compared = self.compare()
        self.assertEqual((compared.missing, compared.back, compared.strays), (0, 0, 0))
        self.assertIsNotNone(Store.objects.get().compared_at)

    def test_a_backup_that_comes_while_the_store_is_listed_is_not_missing(self):
        name, ids = f"manifests/{self.second.id.hex}", Vault.backup_ids
        late = self.held().pop(name)

        def listed(vault):
            kept = ids(vault)
            self.held()[name] = late
            return kept

        with mock.patch.object(Vault, "backup_ids", listed):
            self.assertEqual(self.compare().missing, 0)
        self.assertEqual(Copy.objects.get(backup=self.second).state, CopyState.PRESENT)

    def test_a_copy_that_the_store_lacks_is_missing_counts_in_no_promise_and_comes_back(self):
        name = f"manifests/{self.second.id.hex}"
        taken = self.held().pop(name)
        self.assertEqual(self.compare().missing, 1)
        copy = Copy.objects.get(backup=self.second)
        self.assertEqual((copy.state, bool(copy.cause), bool(copy.remedy)), (CopyState.MISSING, True, True))
        device = self.api.get(f"/api/devices/{self.one.id}").json()
        self.assertEqual(device["newest_id"], str(self.first.id))
        answer = self.api.get(f"/api/stores/{self.place.id}/differences").json()["copies"]
        self.assertEqual([(row["state"], row["backup_id"]) for row in answer], [("missing", str(self.second.id))])
        self.assertTrue(JournalEntry.objects.filter(what="backup.missing").exists())
        says = [cause["says"] for cause in self.api.get("/api/today").json()["causes"]]
        self.assertIn(f"1 backup that should lie in {self.place.name} is missing there", says)
        self.held()[name] = taken
        self.assertEqual(self.compare().back, 1)
        self.assertEqual(Copy.objects.get(backup=self.second).state, CopyState.PRESENT)

    def test_what_is_missing_can_be_copied_again_or_given_up(self):
        shelf = self.store("Shelf")
        copy_backup(ask_copy(self.first, shelf, by=self.ines).id, by=self.ines)
        del self.held()[f"manifests/{self.first.id.hex}"]
        self.compare()
        row = ask_copy(self.first, self.place, by=self.ines)
        self.assertTrue(copy_backup(row.id, by=self.ines))
        del self.held()[f"manifests/{self.second.id.hex}"]
        self.compare()
        missing = Copy.objects.get(state=CopyState.MISSING)
        self.assertEqual(self.api.post(f"/api/copies/{missing.id}/give-up").status_code, 204)
        self.assertEqual(Copy.objects.get(id=missing.id).state, CopyState.REMOVED)
        self.assertEqual(self.api.post(f"/api/copies/{missing.id}/give-up").status_code, 409)

    def test_a_backup_that_the_list_does_not_know_is_named_and_taken_in_when_somebody_says_so(self):
        Backup.objects.filter(id=self.first.id).delete()
        compared = self.compare()
        self.assertEqual((compared.strays, Backup.objects.count()), (1, 1))
        stray = Stray.objects.get()
        self.assertEqual((stray.device, stray.items), (self.one, self.first.items))
        body = {"device": str(self.one.id)}
        self.assertEqual(self.api.post(f"/api/strays/{stray.id}/adopt", body, format="json").status_code, 204)
        again = Backup.objects.get(id=self.first.id)
        self.assertEqual((again.finished_at, again.size_bytes), (self.first.finished_at, self.first.size_bytes))
        self.assertEqual(self.compare().strays, 0)
        inside = self.api.get(f"/api/backups/{again.id}/inside?kind=contacts")
        self.assertEqual(inside.json()["count"], 150)

    def test_what_is_being_written_or_removed_meanwhile_is_no_finding(self):
        young = self.run_now(self.one).backup
        Copy.objects.filter(backup=young).delete()
        Backup.objects.filter(id=young.id).delete()
        self.assertEqual(self.compare().strays, 0, "a run may be about to record it")
        Copy.objects.filter(backup=self.first).update(state=CopyState.REMOVING)
        self.outside.open_vault(self.place.where).remove(self.first.id.bytes)
        self.assertEqual(self.compare().missing, 0)

    def test_no_row_says_that_a_copy_is_there_before_the_store_lists_it(self):
        shelf = self.store("Shelf")
        row = ask_copy(self.first, shelf, by=self.ines)
        real = MemoryBlobs.list

        def forgetful(blobs, prefix):
            return (entry for entry in real(blobs, prefix) if not (blobs is self.outside.stores[shelf.where] and "manifests/" in entry[0]))

        with mock.patch.object(MemoryBlobs, "list", forgetful):
            self.assertFalse(copy_backup(row.id, by=self.ines))
        row.refresh_from_db()
        self.assertEqual(row.state, CopyState.FAILED)

    def test_several_differences_of_several_stores_do_not_mix(self):
        shelf = self.store("Shelf")
        copy_backup(ask_copy(self.second, shelf, by=self.ines).id, by=self.ines)
        del self.held()[f"manifests/{self.second.id.hex}"]
        self.compare()
        compare_store(shelf, now=self.outside.now())
        self.assertEqual(Copy.objects.get(backup=self.second, store=shelf).state, CopyState.PRESENT)
        self.assertEqual(self.api.get(f"/api/devices/{self.one.id}").json()["newest_id"], str(self.second.id))
