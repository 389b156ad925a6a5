"""Erased on request: out of every moment and store, to the last byte; what forbids it is said, and the records forget as well."""

import json
from datetime import date, timedelta
from unittest import mock

from django.core import serializers
from procrastinate.contrib.django.models import ProcrastinateJob

from core.content.scope import erased_mark
from core.vault.copying import copy
from core.vault.erase import erase
from core.vault.memory import MemoryBlobs
from core.vault.tests.test_erasing import everything_in
from server.fleet.models import Device
from server.people.models import JournalEntry, Office
from server.recovery.models import Restore
from server.retention.actions.ask_erasure import words_of
from server.retention.actions.erase_in import _stand_in, erase_in
from server.retention.actions.freeze import freeze, lift
from server.retention.actions.owe_maintenance import owe_maintenance
from server.retention.models import Erasure
from server.runs.actions.compare_store import adopt, compare_store
from server.runs.models import Backup, Copy, CopyState, Run, Stray
from server.storage.models import Store
from server.storage.queries import opened
from server.tests.pretend import OfficeTestCase

WORDS = b"meet me behind the harbour office at nine"
LETTER = ("contacts", "a private one")


class Erasing(OfficeTestCase):
    def furnish(self):
        super().furnish()
        Office.objects.update(undo_days=7)
        self.one = self.device()
        self.nightly = self.plan(self.one, keep_last=9, keep_daily=0)
        self.room = self.nightly.store
        self.content = self.outside.devices["p1"].content
        self.content[LETTER] = WORDS
        for n in range(3):
            self.content["contacts", "c000"] = str(n).encode()
            self.run_now(self.one)
            self.outside.at += timedelta(days=1)

    def ask(self, *, preview=None, **fields):
        body = {"begins_on": self.today().isoformat(), **fields}
        shown = self.api.post("/api/erasures/preview", body, format="json")
        self.assertEqual(shown.status_code, 200, shown.content)
        rest = {"reference": "Request 2026-14", "word": "erase", "seen": shown.json()["digest"]}
        return shown.json(), self.api.post("/api/erasures", {**rest, **body}, format="json")

    def ask_letter(self, **fields):
        return self.ask(device=str(self.one.id), items=[{"kind": LETTER[0], "id": LETTER[1]}], **fields)

    def today(self) -> date:
        return self.outside.at.date()

    def through(self, *stores: Store) -> None:
        """Hours pass until nothing more happens."""
        for _ in range(14):
            for store in stores or (self.room,):
                erase_in(store.id, now=self.outside.at)
            self.outside.at += timedelta(hours=2)

    def held_in(self, store: Store) -> bytes:
        return everything_in(opened(store))

    def copied_to_another(self) -> Store:
        other = self.store("North wall")
        copy(opened(self.room), opened(other))
        for backup in Backup.objects.all():
            Copy.objects.create(backup=backup, store=other)
        return other

    def copy_of(self, held):
        vault = opened(self.room)
        blobs = MemoryBlobs()
        blobs.held = dict(held)
        return type(vault)(blobs, vault.keys, store=vault.store, random=vault.random, limits=vault.limits)

    def row(self) -> dict:
        return self.api.get(f"/api/erasures/{Erasure.objects.get().id}").json()


class OneItem(Erasing):
    def test_is_gone_from_every_moment_and_store_and_everything_else_is_there(self):
        other = self.copied_to_another()
        before = {backup.finished_at: backup.items for backup in Backup.objects.all()}
        shown, answer = self.ask_letter()
        self.assertEqual(
            [(one["store_name"], one["backups"], one["held"]) for one in shown["stores"]], [(other.name, 3, 0), (self.room.name, 3, 0)]
        )
        self.assertEqual(shown["last_day"], (self.today() + timedelta(days=3)).isoformat())
        self.assertEqual(answer.status_code, 201, answer.content)
        self.through(self.room, other)
        row = self.row()
        self.assertEqual((row["state"], [step["state"] for step in row["steps"]]), ("done", ["gone", "gone"]))
        self.assertEqual(row["items"], [{"kind": "contacts", "name": ""}])
        for store in (self.room, other):
            self.assertNotIn(WORDS, self.held_in(store))
            self.assertNotIn(b"a private one", self.held_in(store))
            self.assertEqual(compare_store(store, now=self.outside.at).strays, 0)
        there = Backup.objects.filter(copies__state="present").distinct()
        self.assertEqual({backup.finished_at: backup.items for backup in there}, {at: items - 1 for at, items in before.items()})
        self.assertEqual(Copy.objects.filter(state="present").count(), 6)
        self.assertEqual(Copy.objects.filter(state="present", intact=False).count(), 0)
        self.assertEqual(
            [run.backup.stands_for is not None for run in Run.objects.all()], [True] * 3, "a run leads to what stands for its backup"
        )
        newest = there.order_by("-finished_at").first()
        inside = self.api.get(f"/api/backups/{newest.id}/inside?kind=contacts").json()
        self.assertNotIn(LETTER[1], json.dumps(inside))

    def test_it_leaves_moments_of_which_the_list_knows_nothing_as_well(self):
        old, id = (one := Backup.objects.earliest("finished_at")), one.id
        Run.objects.filter(backup=old).delete()
        Copy.objects.filter(backup=old).delete()
        old.delete()
        self.ask_letter()
        self.through()
        self.assertNotIn(WORDS, self.held_in(self.room))
        anew = Backup.objects.get(stands_for=id)
        self.assertEqual((anew.device, anew.finished_at, anew.copies.get().state), (self.one, old.finished_at, CopyState.PRESENT))

    def test_a_second_time_it_only_says_what_lies_there(self):
        self.ask_letter()
        self.through()
        anew = Backup.objects.filter(stands_for__isnull=False).latest("finished_at")
        for before, after in ((CopyState.LEAVING, CopyState.LEAVING), (CopyState.FAILED, CopyState.PRESENT)):
            anew.copies.update(state=before, cause="C")
            _stand_in(opened(self.room), self.room, self.one, anew.stands_for, anew.id, self.outside.at)
            self.assertEqual(anew.copies.get().state, after)

    def test_the_journal_names_five_devices_and_no_item(self):
        row = Erasure.objects.create(reference="R", asked_at=self.outside.at, begins_on=self.today(), items=[{}, {}])
        row.devices.set([self.one, *(self.device(f"q{n}") for n in range(5))])
        Device.objects.update(name="H")
        self.assertEqual(words_of(row), "2 items of H, H, H, H, H (R)")
        row.whole = True
        self.assertEqual(words_of(row), "Everything of H, H, H, H, H (R)")

    def test_no_run_takes_it_again_and_each_says_so(self):
        self.ask_letter()
        self.through()
        run = self.run_now(self.one)
        self.assertIn({"kind": "contacts", "reason": "erased on request", "items": 1, "size_bytes": len(WORDS)}, run.left_out)
        self.assertNotIn(WORDS, self.held_in(self.room))
        self.assertEqual(Device.objects.get(id=self.one.id).erased, [erased_mark(str(self.one.id), *LETTER)])

    def test_somebody_may_let_runs_take_it_again(self):
        _, answer = self.ask_letter()
        path = f"/api/erasures/{answer.json()['id']}/take-again"
        self.assertEqual(self.api.post(path, {"why": "asked anew"}, format="json").status_code, 409)
        self.through()
        self.assertEqual(self.api.post(path, {"why": " "}, format="json").json()["field"], "why")
        after = self.api.post(path, {"why": "asked anew"}, format="json").json()
        self.assertIsNotNone(after["taken_again_at"])
        self.assertEqual(self.run_now(self.one).left_out, [])
        self.assertIn(WORDS, self.held_in(self.room))
        self.through()
        self.assertEqual(self.row()["state"], "done", "it is not erased again by itself")

    def test_names_of_items_are_for_those_who_may_look_inside(self):
        _, answer = self.ask_letter()
        path = f"/api/erasures/{answer.json()['id']}"
        self.assertEqual(self.api.get(path).json()["items"][0]["name"], LETTER[1])
        self.assertEqual(self.signed_in("ulla").get(path).json()["items"], [{"kind": "contacts", "name": ""}])
        self.assertNotIn(LETTER[1], self.signed_in("ulla").get("/api/erasures").content.decode())

    def test_a_hold_forbids_it_until_it_is_released(self):
        held = Backup.objects.order_by("finished_at").first()
        Backup.objects.filter(id=held.id).update(hold_reason="for the court")
        shown, _ = self.ask_letter()
        self.assertEqual((shown["stores"][0]["held"], shown["last_day"]), (1, None))
        self.through()
        row = self.row()
        self.assertEqual(
            (row["state"], row["steps"][0]["state"], row["steps"][0]["held"], row["ends_on"]), ("under_way", "waiting", 1, None)
        )
        self.assertIn(held.id.bytes, opened(self.room).backup_ids())
        self.assertEqual(Backup.objects.filter(copies__state="present", stands_for__isnull=False).count(), 2)
        Backup.objects.filter(id=held.id).update(hold_reason="")
        self.through()
        self.assertEqual(self.row()["state"], "done")
        self.assertNotIn(WORDS, self.held_in(self.room))

    def test_once_it_has_been_decided_nobody_is_told_that_it_is_kept(self):
        """A hold that is asked for while the store is being worked on is refused, and not answered and then broken."""
        self.ask_letter()
        path = f"/api/backups/{Backup.objects.order_by('finished_at').first().id}/hold"
        answers = []

        def meanwhile(*arguments: object) -> dict[str, int]:
            answers.append(self.api.post(path, {"reason": "for the court"}, format="json"))
            return {}

        with mock.patch("core.vault.erase._needed_by", side_effect=meanwhile):
            erase_in(self.room.id, now=self.outside.at)
        self.assertEqual((answers[0].status_code, answers[0].json()["code"]), (409, "backup.being_removed"))
        self.assertIn("being erased", answers[0].json()["title"])
        self.assertFalse(Backup.objects.exclude(hold_reason="").exists())

    def test_nothing_leaves_holds_for_it_as_well(self):
        self.ask_letter()
        said = freeze(reason="it smells", by=self.ines)
        self.through()
        self.assertEqual(self.row()["steps"][0]["trouble"], "Nothing may leave there for now.")
        self.assertIn(WORDS, self.held_in(self.room))
        lift(said, why="a false alarm", by=self.ines)
        self.through()
        self.assertEqual(self.row()["state"], "done")

    def test_a_store_that_is_away_is_looked_into_when_it_is_back(self):
        other = self.copied_to_another()
        Store.objects.filter(id=other.id).update(mode="paused")
        self.ask_letter()
        self.through(self.room, other)
        states = {step["store_name"]: (step["state"], bool(step["trouble"])) for step in self.row()["steps"]}
        self.assertEqual(states, {self.room.name: ("gone", False), other.name: ("waiting", True)})
        Store.objects.filter(id=other.id).update(mode="in_use")
        self.through(self.room, other)
        self.assertEqual(self.row()["state"], "done")

    def test_one_that_is_found_again_later_is_erased_again(self):
        saved = dict(opened(self.room).blobs.held)
        self.ask_letter()
        self.through()
        self.assertEqual(self.row()["state"], "done")
        old = Backup.objects.filter(copies__state="removed").order_by("finished_at").first()
        other = self.store("An old drive")
        spare = self.copy_of(saved)
        copy(spare, opened(other), backups=[old.id.bytes])
        compare_store(other, now=self.outside.at + timedelta(days=1))
        adopt(Stray.objects.get(), device=self.one, by=self.ines)
        self.assertEqual((self.row()["state"], [s["state"] for s in self.row()["steps"]]), ("under_way", ["waiting", "gone"]))
        self.through(self.room, other)
        self.assertEqual(self.row()["state"], "done")
        self.assertNotIn(WORDS, self.held_in(other))

    def test_interrupted_between_store_and_records_it_goes_on(self):
        self.ask_letter()
        row = Erasure.objects.get()
        marks = [(one["kind"], one["mark"]) for one in row.items]
        erase(opened(self.room), device=str(self.one.id), items=marks, request=row.id.bytes, now=self.outside.at)
        compare_store(self.room, now=self.outside.at + timedelta(days=1))
        self.assertEqual(Copy.objects.filter(state="missing").count(), 3)
        self.through()
        self.assertEqual(self.row()["state"], "done")
        self.assertEqual(
            (Copy.objects.filter(state="present").count(), Copy.objects.filter(state="missing").count(), Stray.objects.count()), (3, 0, 0)
        )

    def test_what_a_restore_reads_from_stays_until_it_has_ended(self):
        newest = Backup.objects.order_by("-finished_at").first()
        asked = Restore.objects.create(backup=newest, target="archive", asked_at=self.outside.at, state="waiting", by=self.ines)
        self.ask_letter()
        self.through()
        self.assertIn("A restore or a copy reads", self.row()["steps"][0]["trouble"])
        self.assertIn(newest.id.bytes, opened(self.room).backup_ids())
        Restore.objects.filter(id=asked.id).update(state="complete")
        self.through()
        self.assertEqual(self.row()["state"], "done")

    def test_a_run_that_had_begun_before_is_erased_after(self):
        self.ask_letter()
        erase_in(self.room.id, now=self.outside.at)
        marks = Device.objects.get(id=self.one.id).erased
        Device.objects.update(erased=[])  # as the run read it
        self.run_now(self.one)
        Device.objects.update(erased=marks)
        self.assertIn(WORDS, self.held_in(self.room))
        self.through()
        self.assertEqual(self.row()["state"], "done")
        self.assertNotIn(WORDS, self.held_in(self.room))

    def test_the_records_forget_its_name(self):
        backup = Backup.objects.order_by("-finished_at").first()
        run = backup.run
        run.skipped, run.log = [{"kind": "contacts", "name": LETTER[1], "code": "denied"}], [{"at": "", "says": "ready"}]
        run.save()
        Copy.objects.filter(backup=backup).update(damaged={"contacts": {"items": 1, "names": [LETTER[1]]}})
        Restore.objects.create(
            backup=backup, target="archive", asked_at=self.outside.at, state="complete", by=self.ines,
            chosen_items=[list(LETTER), ["contacts", "c001"]], report={"lacking": [{"name": LETTER[1]}]},
        )  # fmt: skip
        self.ask_letter()
        self.through()
        rows = [
            *Backup.objects.all(),
            *Copy.objects.all(),
            *Run.objects.all(),
            *Restore.objects.all(),
            *Erasure.objects.all(),
            *JournalEntry.objects.all(),
        ]
        self.assertNotIn(LETTER[1], serializers.serialize("json", rows))
        self.assertEqual(Restore.objects.get().chosen_items, [["contacts", "(erased)"], ["contacts", "c001"]])
        self.assertIn("contacts", json.dumps(run.skipped))


class BeforeItBegins(Erasing):
    def test_it_waits_for_its_day_and_can_be_called_off(self):
        _, answer = self.ask_letter(begins_on=(self.today() + timedelta(days=7)).isoformat())
        id = answer.json()["id"]
        self.through()
        self.assertIn(WORDS, self.held_in(self.room))
        self.assertEqual(self.api.post(f"/api/erasures/{id}/call-off", {"why": ""}, format="json").status_code, 400)
        after = self.api.post(f"/api/erasures/{id}/call-off", {"why": "asked for by mistake"}, format="json").json()
        self.assertEqual((after["state"], after["called_off_why"], after["items"][0]["name"]), ("called_off", "asked for by mistake", ""))
        self.outside.at += timedelta(days=9)
        self.through()
        self.assertIn(WORDS, self.held_in(self.room))
        self.assertEqual(self.api.post(f"/api/erasures/{id}/call-off", {"why": "again"}, format="json").status_code, 409)

    def test_the_clock_owes_it_from_its_day_on(self):
        self.ask_letter(begins_on=(self.today() + timedelta(days=2)).isoformat())
        owe_maintenance(now=self.outside.at)
        self.assertEqual(self.jobs("erase"), 0)
        owe_maintenance(now=self.outside.at + timedelta(days=2))
        self.assertEqual(self.jobs("erase"), 1)

    def jobs(self, name: str) -> int:
        return ProcrastinateJob.objects.filter(task_name=name, status="todo").count()

    def test_what_makes_no_sense_is_refused(self):
        cases = [
            ({"word": "erasee"}, "word"), ({"reference": " "}, "reference"), ({"seen": "0" * 64}, None),
            ({"begins_on": (self.today() - timedelta(days=1)).isoformat()}, "begins_on"), ({"items": []}, "items"),
            ({"device": None}, "device"), ({"devices": [str(self.one.id)]}, "device"),
        ]  # fmt: skip
        body = {"device": str(self.one.id), "items": [{"kind": LETTER[0], "id": LETTER[1]}], "begins_on": self.today().isoformat()}
        seen = self.api.post("/api/erasures/preview", body, format="json").json()["digest"]
        for wrong, field in cases:
            with self.subTest(wrong=wrong):
                answer = self.api.post("/api/erasures", {**body, "reference": "14", "word": "erase", "seen": seen, **wrong}, format="json")
                self.assertIn(answer.status_code, (400, 409), answer.content)
                if field:
                    self.assertEqual(answer.json()["field"], field)
        self.assertEqual(Erasure.objects.count(), 0)
        _, answer = self.ask(device=str(self.one.id), items=[{"kind": "contacts", "id": "never there"}])
        self.assertEqual(answer.status_code, 409)
