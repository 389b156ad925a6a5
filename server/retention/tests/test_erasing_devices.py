"""Whole devices and everything of a person, erased on request."""

from datetime import timedelta
from uuid import UUID

from core.vault.copying import copy
from server.fleet.models import Device
from server.people.models import Holder
from server.retention.actions.erase_in import erase_in
from server.retention.actions.owe_maintenance import owe_maintenance
from server.retention.models import ErasureStep
from server.retention.tests.test_erasing import Erasing
from server.runs.models import Copy, CopyState, Run
from server.storage.queries import opened


class WholeDevices(Erasing):
    def test_a_person_of_whom_no_store_has_anything_ends_on_its_day(self):
        holder = Holder.objects.create(name="Perpetua Quill", email="p@example.org")
        _, answer = self.ask(holder=holder.id, forgets_names=True, begins_on=(self.today() + timedelta(days=1)).isoformat())
        self.assertEqual(answer.status_code, 201, answer.content)
        owe_maintenance(now=self.outside.at)
        self.assertEqual(self.row()["state"], "asked")
        owe_maintenance(now=self.outside.at + timedelta(days=1))
        self.assertEqual((self.row()["state"], Holder.objects.get(id=holder.id).email), ("done", ""))

    def test_a_device_in_use_is_refused_with_the_step_that_helps(self):
        shown, answer = self.ask(devices=[str(self.one.id)])
        self.assertIn("Retire it first", shown["objections"][0])
        self.assertEqual((answer.status_code, answer.json()["code"]), (409, "erasure.still_in_use"))

    def test_what_has_come_back_meanwhile_is_erased_again(self):
        Device.objects.filter(id=self.one.id).update(state="retired")
        saved = dict(opened(self.room).blobs.held)
        self.ask(devices=[str(self.one.id)])
        erase_in(self.room.id, now=self.outside.at)
        self.assertEqual(opened(self.room).manifests(), [])
        copy(self.copy_of(saved), opened(self.room))
        self.through()
        self.assertEqual((self.row()["state"], opened(self.room).manifests()), ("done", []))

    def test_a_person_with_everything_and_every_name(self):
        two = self.device("p2", dict(self.content) | {("photos", "theirs"): b"z" * 9000})
        self.plan(two, name="Of the other")
        self.run_now(two)
        holder = Holder.objects.create(name="Perpetua Quill", email="p@example.org")
        Device.objects.filter(id=self.one.id).update(state="retired", holder=holder)
        said = {"skipped": [{"name": "a.jpg"}], "log": [{"says": "a.jpg"}], "note": "her own words"}
        Run.objects.update(**said)
        _, answer = self.ask(holder=holder.id, forgets_names=True)
        self.assertEqual(answer.status_code, 201, answer.content)
        self.through()
        row = self.row()
        self.assertEqual((row["state"], row["steps"][0]["backups"], row["steps"][0]["needed_by"]), ("done", 3, [two.name]))
        self.assertEqual({manifest.device for manifest in opened(self.room).manifests()}, {str(two.id)})
        self.assertEqual(set(Copy.objects.filter(backup__device=self.one).values_list("state", flat=True)), {CopyState.REMOVED})
        self.assertTrue(Device.objects.get(id=self.one.id).name.startswith("Erased device"))
        self.assertTrue(Holder.objects.get(id=holder.id).name.startswith("Erased person"))
        self.assertEqual(Holder.objects.get(id=holder.id).email, "")
        self.assertEqual(ErasureStep.objects.get().state, "gone")
        told = {(run.device_id == two.id, bool(run.skipped), bool(run.log), bool(run.note)) for run in Run.objects.all()}
        self.assertEqual(told, {(True, True, True, True), (False, False, False, False)})
        self.assertIsInstance(UUID(row["id"]), UUID)
