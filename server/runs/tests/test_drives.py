"""Drives that come and go: known by what lies on them. In these tests a path is a mount point, and what lies there is exchanged by hand."""

from datetime import date, timedelta
from unittest import mock
from uuid import UUID

from procrastinate.contrib.django.models import ProcrastinateJob

from core.retention.pile import Fact
from core.vault.address import DriveAddress
from core.vault.errors import StoreAway, StoreError
from core.vault.memory import MemoryBlobs
from server.jobs import CARRY_COPIES, CHECK_STORE, FINISH_REMOVALS
from server.people.models import JournalEntry
from server.recovery.actions.take_rules import take_rotation
from server.recovery.offices import known_here
from server.retention.actions.end_settling import end_settling
from server.retention.actions.finish_removals import finish_removals
from server.retention.actions.look_after import look_after
from server.retention.judging import Context, judged
from server.runs.actions.carry_copies import carry_copies
from server.runs.actions.copy_backup import ask_copy
from server.runs.actions.look_for_drives import look_for_drives
from server.runs.actions.part_drive import go_on_parting
from server.runs.models import Copy, CopyState, Run, RunState
from server.storage.actions.add_store import create_store
from server.storage.models import Drive, DriveState, Rotation, Store
from server.storage.queries import opened, opened_to_write
from server.tests.pretend import PASSPHRASE, OfficeTestCase

A, B = "/media/a", "/media/b"


class DrivesTestCase(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.plan(self.one)
        self.backup = self.run_now(self.one).backup
        self.a = self.drive("Blue", A)

    def drive(self, name: str, path: str) -> Store:
        fields = {"passphrase": PASSPHRASE, "passphrase_again": PASSPHRASE, "allowance_bytes": None, "by": self.ines}
        return create_store(name=name, address=DriveAddress(path=path), **fields).store

    def look(self) -> None:
        self.outside.at += timedelta(seconds=20)
        look_for_drives(now=self.outside.now())

    def unplug(self, path: str) -> MemoryBlobs:
        taken_out = self.outside.stores.pop(path)
        self.look()
        return taken_out

    def plug(self, path: str, blobs: MemoryBlobs) -> None:
        self.outside.stores[path] = blobs
        self.look()

    def state(self, store: Store) -> str:
        return Drive.objects.get(store=store).state

    def told(self, store: Store) -> dict:
        return next(row for row in self.api.get("/api/drives").json()["drives"] if row["store_id"] == str(store.id))

    def jobs(self, job: object) -> int:
        return ProcrastinateJob.objects.filter(task_name=job.name, args__store_id=str(self.a.id)).count()  # type: ignore[attr-defined]

    def copied(self, store: Store) -> Copy:
        ask_copy(self.backup, store, by=self.ines)
        carry_copies(store.id)
        return Copy.objects.get(backup=self.backup, store=store)


class KnownByWhatLiesOnIt(DrivesTestCase):
    def test_it_goes_and_comes_back_at_another_place_and_what_is_on_it_is_known_meanwhile(self):
        self.assertEqual(self.copied(self.a).state, CopyState.PRESENT)
        blue = self.unplug(A)
        said = self.told(self.a)
        self.assertEqual((said["state"], said["copies"], said["devices"]), ("out", 1, 1))
        self.assertEqual(Copy.objects.get(store=self.a).state, CopyState.PRESENT)
        with self.assertRaises(StoreAway):
            opened(self.a)
        self.plug("/run/media/ines/elsewhere", blue)
        self.a.refresh_from_db()
        self.assertEqual((self.state(self.a), self.a.where), ("here", "/run/media/ines/elsewhere"))
        self.assertEqual(opened(self.a).store.hex(), self.a.vault_id)

    def test_two_drives_at_one_mount_point_are_told_apart(self):
        blue = self.unplug(A)
        red_store = self.drive("Red", A)
        self.look()
        self.assertEqual((self.state(self.a), self.state(red_store)), ("out", "here"))
        red = self.unplug(A)
        self.plug(A, blue)
        self.assertEqual((self.state(self.a), self.state(red_store)), ("here", "out"))
        self.assertEqual(opened(self.a).store.hex(), self.a.vault_id)
        self.assertNotEqual(red, blue)

    def test_swapped_for_its_twin_between_two_looks_nothing_is_written(self):
        """Nobody has looked yet, and the other one lies at the path."""
        red_store = self.drive("Red", B)
        self.look()
        self.outside.stores[A] = self.outside.stores.pop(B)
        before = dict(self.outside.stores[A].held)
        with self.assertRaises(StoreError) as raised:
            opened_to_write(self.a)
        self.assertIn("The store Red lies where Blue should be", str(raised.exception))
        self.assertEqual(self.outside.stores[A].held, before)
        self.look()
        self.assertEqual((self.state(self.a), self.state(red_store)), ("out", "here"))

    def test_a_clone_beside_it_is_named_and_neither_is_written(self):
        self.plug(B, self.clone())
        said = self.told(self.a)
        self.assertEqual((said["twins"], said["trouble"][:17]), ([B], "Blue is there twi"))
        with self.assertRaises(StoreError) as raised:
            opened_to_write(self.a)
        self.assertEqual(raised.exception.code, "store.twice")
        self.unplug(B)
        self.assertEqual((self.told(self.a)["twins"], self.told(self.a)["trouble"]), ([], ""))
        self.assertEqual(opened(self.a).store.hex(), self.a.vault_id)

    def clone(self) -> MemoryBlobs:
        blobs = MemoryBlobs()
        blobs.held = dict(self.outside.stores[A].held)
        return blobs

    def test_a_clone_that_lacks_what_was_written_since_is_found_out_when_it_takes_its_place(self):
        old = self.clone()
        self.copied(self.a)
        self.unplug(A)
        self.plug(A, old)
        before = dict(old.held)
        carry_copies(self.a.id)
        with self.assertRaises(StoreError) as raised:
            opened_to_write(self.a)
        self.assertEqual((raised.exception.code, old.held), ("store.older_copy", before))

    def test_a_drive_of_another_office_is_named_and_left_alone(self):
        self.drive("Red", "/media/red")
        strange = self.unplug(A)
        Drive.objects.filter(store=self.a).delete()
        Copy.objects.filter(store=self.a).delete()
        Store.objects.filter(id=self.a.id).delete()
        before = dict(strange.held)
        self.plug(B, strange)
        self.assertEqual([one["path"] for one in self.api.get("/api/drives").json()["strangers"]], [B])
        self.assertEqual(strange.held, before)
        self.unplug(B)
        self.assertEqual(self.api.get("/api/drives").json()["strangers"], [])

    def test_an_ordinary_folder_whose_header_is_seen_is_no_stranger(self):
        self.look()
        self.assertEqual(self.api.get("/api/drives").json()["strangers"], [])


class OnReturn(DrivesTestCase):
    def owed_while_out(self) -> MemoryBlobs:
        blue = self.unplug(A)
        ask_copy(self.backup, self.a, by=self.ines)
        ProcrastinateJob.objects.all().delete()
        return blue

    def test_copies_wait_without_trouble_and_flow_when_it_is_back(self):
        blue = self.owed_while_out()
        self.assertEqual(carry_copies(self.a.id), 0)
        self.assertEqual(Copy.objects.get(store=self.a).cause, "", "nothing was tried, so nothing failed")
        self.a.refresh_from_db()
        self.assertEqual(self.a.trouble, "", "a drive that is known to be elsewhere is in no trouble")
        said = self.told(self.a)
        self.assertEqual((said["owed"], said["owed_bytes"]), (1, self.backup.run.stored_bytes))
        self.plug(A, blue)
        self.assertEqual(self.jobs(CARRY_COPIES), 1)
        self.assertEqual(carry_copies(self.a.id), 1)

    def test_what_is_to_leave_goes_first_and_then_what_is_owed(self):
        self.copied(self.a)
        second = self.run_now(self.one).backup
        blue = self.unplug(A)
        Copy.objects.filter(store=self.a, backup=self.backup).update(state=CopyState.REMOVING)
        ask_copy(second, self.a, by=self.ines)
        ProcrastinateJob.objects.all().delete()
        self.plug(A, blue)
        self.assertEqual((self.jobs(FINISH_REMOVALS), self.jobs(CARRY_COPIES)), (1, 0))
        self.assertEqual(carry_copies(self.a.id), 0, "not before what leaves has left")
        finish_removals(self.a, now=self.outside.now())
        end_settling(self.a.id)
        self.assertEqual((self.jobs(CARRY_COPIES), carry_copies(self.a.id)), (1, 1))

    def test_copies_do_not_wait_for_ever_for_what_cannot_leave(self):
        self.copied(self.a)
        second = self.run_now(self.one).backup
        blue = self.unplug(A)
        Copy.objects.filter(store=self.a, backup=self.backup).update(state=CopyState.REMOVING)
        ask_copy(second, self.a, by=self.ines)
        self.plug(A, blue)
        self.outside.at += timedelta(minutes=11)
        self.assertEqual(carry_copies(self.a.id), 1)

    def test_parting_that_was_called_off_while_everything_is_flushed_stays_called_off(self):
        Drive.objects.filter(store=self.a).update(state=DriveState.PARTING)
        called_off = lambda where: Drive.objects.filter(store=self.a).update(state=DriveState.HERE)  # noqa: E731
        with mock.patch.object(self.outside, "flush_drive", called_off):
            self.assertEqual(go_on_parting(self.a).state, DriveState.HERE)
        self.assertFalse(JournalEntry.objects.filter(what="drive.parted").exists())

    def test_how_long_it_takes_is_told_once_its_speed_is_known(self):
        self.assertIsNone(self.told(self.a)["seconds"])
        ticking = iter(range(100_000))
        ask_copy(self.backup, self.a, by=self.ines)
        carry_copies(self.a.id, seconds=lambda: next(ticking))
        speed = Drive.objects.get(store=self.a).bytes_per_second
        self.assertGreater(speed, 0)
        second = self.run_now(self.one).backup
        ask_copy(second, self.a, by=self.ines)
        self.assertAlmostEqual(self.told(self.a)["seconds"], second.run.stored_bytes / speed)

    def test_rules_are_applied_while_it_is_elsewhere(self):
        """Whatever lies at its path."""
        self.plan(self.one, store=self.a, name="To the drive")
        for _ in range(8):
            self.outside.at += timedelta(days=1)
            self.run_now(self.one)
        self.unplug(A)
        look_after(self.a.id)
        states = set(Copy.objects.filter(store=self.a).values_list("state", flat=True))
        self.assertLessEqual({CopyState.PRESENT}, states)
        self.assertTrue(states & {CopyState.LEAVING, CopyState.REMOVING}, states)

    def test_elsewhere_it_protects_nothing_in_other_stores_and_all_that_it_holds_in_its_own(self):
        self.copied(self.a)
        self.unplug(A)

        def away(**fields: object) -> set[str]:
            moments = judged(self.one, Context.read(self.outside.now(), **fields)).moments  # type: ignore[arg-type]
            return {moment.store for moment in moments if moment.facts & Fact.ABSENT}

        self.assertEqual(away(), {str(self.a.id)})
        self.assertEqual(away(deciding_for=self.a.id), set())


class AskedWhileItIsElsewhere(DrivesTestCase):
    def test_what_needs_it_is_refused_with_where_it_rests(self):
        self.api.put(f"/api/drives/{self.a.id}", {"keeper": "", "rests_in": "the safe"}, format="json")
        self.unplug(A)
        self.outside.stores[A] = self.outside.stores["/stores/Server room"]  # something else lies at its last path
        ask_copy(self.backup, self.a, by=self.ines)
        for path, body in (
            ("check", {"percent": 100}), ("differences", {}), ("copies", {}), ("prove-passphrase", {"passphrase": PASSPHRASE}),
        ):  # fmt: skip
            answer = self.api.post(f"/api/stores/{self.a.id}/{path}", body, format="json")
            self.assertEqual(
                (answer.json().get("code"), answer.json().get("title")),
                ("store.away", "Blue is not plugged in. It rests in the safe."),
                path,
            )

    def test_a_passphrase_that_opens_another_store_there_proves_nothing(self):
        self.outside.stores[A] = self.outside.stores["/stores/Server room"]  # between two looks
        answer = self.api.post(f"/api/stores/{self.a.id}/prove-passphrase", {"passphrase": PASSPHRASE}, format="json")
        self.assertEqual(answer.json()["code"], "store.another_vault")


class TakingItAway(DrivesTestCase):
    def part(self) -> dict:
        answer = self.api.post(f"/api/drives/{self.a.id}/part")
        self.assertEqual(answer.status_code, 200, answer.content)
        return self.told(self.a)

    def test_safe_is_said_when_everything_is_flushed_and_nothing_holds_it(self):
        self.outside.holding[A] = ["pictures"]
        part = self.part()
        self.assertEqual((part["state"], part["hindered_by"]), ("parting", "the program pictures"))
        self.outside.holding.clear()
        self.look()
        self.assertEqual((self.state(self.a), self.outside.flushed[-1]), ("parted", A))

    def test_a_run_that_writes_and_a_job_that_works_hinder_it(self):
        run = self.run_now(self.one)
        Run.objects.filter(id=run.id).update(state=RunState.RUNNING, store=self.a)
        self.assertEqual(self.part()["hindered_by"], "1 run writes into it")
        Run.objects.filter(id=run.id).update(state=RunState.COMPLETE)
        job = ProcrastinateJob.objects.filter(args__store_id=str(self.a.id)).first()
        # by the table: the library's rows are not written through its models
        from django.db import connection

        with connection.cursor() as cursor:
            cursor.execute("update procrastinate_jobs set status = 'doing', task_name = 'check_store' where id = %s", [job.id])
        self.look()
        self.assertEqual(self.told(self.a)["hindered_by"], "a check reads it")

    def test_nothing_begins_there_from_then_on(self):
        self.part()
        ask_copy(self.backup, self.a, by=self.ines)
        self.assertEqual(carry_copies(self.a.id), 0)
        with self.assertRaises(StoreAway):
            opened_to_write(self.a)

    def test_taken_away_and_back_it_needs_no_look_through(self):
        self.part()
        blue = self.unplug(A)
        self.assertEqual((self.told(self.a)["state"], self.told(self.a)["pulled_out"]), ("out", False))
        ProcrastinateJob.objects.all().delete()
        self.plug(A, blue)
        self.assertEqual((self.state(self.a), self.jobs(CHECK_STORE)), ("here", 0))

    def test_pulled_out_without_a_word_it_is_looked_through_when_it_is_back(self):
        ProcrastinateJob.objects.all().delete()
        blue = self.unplug(A)
        self.assertTrue(self.told(self.a)["pulled_out"])
        self.plug(A, blue)
        self.assertEqual((self.jobs(CHECK_STORE), self.told(self.a)["pulled_out"]), (1, False))

    def test_it_stays_after_all(self):
        self.part()
        self.assertEqual(self.api.post(f"/api/drives/{self.a.id}/use").status_code, 200)
        self.assertEqual(self.state(self.a), DriveState.HERE)
        self.assertEqual(opened_to_write(self.a).store.hex(), self.a.vault_id)

    def test_what_is_no_drive_or_not_here_is_refused(self):
        folder = Store.objects.get(name="Server room")
        self.assertEqual(self.api.post(f"/api/drives/{folder.id}/part").status_code, 409)
        self.unplug(A)
        self.assertEqual(self.api.post(f"/api/drives/{self.a.id}/part").status_code, 409)
        self.assertEqual(self.api.post(f"/api/drives/{self.a.id}/use").status_code, 409)


class TakingTurns(DrivesTestCase):
    def furnish(self):
        super().furnish()
        self.b = self.drive("Red", B)

    def rotate(self, *stores: Store, **fields: object):
        usual = {"name": "Weekly", "every_days": 7, "first_day": "2026-03-02", "grace_days": 2, "drives": [str(one.id) for one in stores]}
        return self.api.post("/api/drives/rotations", usual | fields, format="json")

    def overdue(self) -> list[str]:
        return [cause["says"] for cause in self.api.get("/api/today").json()["causes"] if cause["code"].startswith("drive ")]

    def test_whose_turn_it_is_and_when_the_other_comes(self):
        self.assertEqual(self.rotate(self.a, self.b).status_code, 201)
        a, b = self.told(self.a), self.told(self.b)
        self.assertEqual((a["letter"], a["has_turn"], a["turn"]), ("A", True, {"first": "2026-03-02", "last": "2026-03-08"}))
        self.assertEqual((b["letter"], b["has_turn"], b["turn"]["first"]), ("B", False, "2026-03-09"))

    def test_one_that_misses_its_turn_is_an_incident_and_coming_back_ends_it(self):
        self.rotate(self.a, self.b)
        self.api.put(f"/api/drives/{self.b.id}", {"keeper": "Piet", "rests_in": "the safe"}, format="json")
        red = self.unplug(B)
        self.assertEqual(self.overdue(), [])
        self.outside.at += timedelta(days=9)  # Wednesday of the second week
        self.assertEqual(self.overdue(), ["Red was to be plugged in from Monday 09 March on; Piet takes it home"])
        self.assertEqual(self.told(self.b)["overdue_since"], "2026-03-09")
        self.plug(B, red)
        self.assertEqual((self.overdue(), self.told(self.b)["overdue_since"]), ([], None))

    def test_what_is_not_possible_names_the_field(self):
        folder = Store.objects.get(name="Server room")
        for value, field in (
            ({"every_days": 0}, "every_days"), ({"drives": []}, "drives"), ({"name": " "}, "name"), ({"grace_days": 61}, "grace_days"),
            ({"drives": [str(folder.id)]}, "drives"), ({"drives": [str(UUID(int=7))]}, "drives"), ({"first_day": "1999-01-01"}, "first_day"),
        ):  # fmt: skip
            answer = self.rotate(self.a, **value)
            self.assertEqual((answer.status_code, answer.json()["field"]), (400, field))
        self.assertEqual(Drive.objects.filter(rotation__isnull=False).count(), 0)

    def test_a_drive_has_one_rotation_and_one_that_is_left_out_has_none(self):
        id = self.rotate(self.a, self.b).json()["id"]
        self.assertEqual(self.rotate(self.a, name="Other").status_code, 400)
        body = {"name": "Weekly", "every_days": 14, "first_day": "2026-03-02", "grace_days": 2, "drives": [str(self.b.id)]}
        self.assertEqual(self.api.put(f"/api/drives/rotations/{id}", body, format="json").status_code, 200)
        self.assertEqual((self.told(self.a)["letter"], self.told(self.b)["letter"]), ("", "A"))
        self.assertEqual(self.api.delete(f"/api/drives/rotations/{id}").status_code, 204)
        self.assertEqual(self.told(self.b)["rotation_id"], None)

    def test_a_successor_learns_of_it(self):
        self.rotate(self.a, self.b)
        self.api.put(f"/api/drives/{self.b.id}", {"keeper": "Piet", "rests_in": "the safe"}, format="json")
        (rotation,) = known_here()["rotations"]
        Rotation.objects.all().delete()
        Drive.objects.update(keeper="", rests_in="", place=0)
        rotation["drives"].append({"store": "0" * 32, "keeper": "", "rests_in": ""})  # one that burned with the server
        take_rotation(rotation, by=self.ines)
        self.assertEqual((self.told(self.a)["letter"], self.told(self.b)["letter"], self.told(self.b)["keeper"]), ("A", "B", "Piet"))
        take_rotation(rotation | {"every_days": 1}, by=self.ines)
        self.assertEqual(Rotation.objects.get().every_days, 7, "what is here already stays as it is")

    def test_every_drive_in_few_queries(self):
        self.rotate(self.a, self.b)
        with self.assertNumQueries(7):
            self.api.get("/api/drives")
        self.assertEqual(self.told(self.a)["turn"]["first"], date(2026, 3, 2).isoformat())
