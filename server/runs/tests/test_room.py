"""Room for runs: what a store, a team and a device have left, what others were admitted for, and what happens to one that takes more."""

import random
from datetime import timedelta

from core.units import MIB
from server.fleet.models import Device
from server.people.models import Team
from server.retention.actions.measure import measure
from server.runs.actions.line_up_night import line_up_night
from server.runs.models import Backup, LinedUp, Run, RunState
from server.runs.queries import trusted_before
from server.storage.models import Allowance, Store
from server.tests.pretend import OfficeTestCase


class Rooms(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one, self.two = self.device("p1"), self.device("p2")
        self.nightly = self.plan(self.one, self.two, kinds=["contacts", "app_data", "photos"])
        self.room = self.nightly.store
        for device in (self.one, self.two):
            self.run_now(device)
        measure(self.room, now=self.outside.now())
        self.outside.at += timedelta(hours=1)

    def allow(self, **fields: object) -> None:
        Allowance.objects.create(store=self.room, **fields)

    def needs(self) -> int:
        row = self.room.occupancies.get(device=self.one)
        return row.alone_bytes + row.shared_bytes

    def add(self, name: str, size: int, device: str = "p1") -> None:
        self.outside.devices[device].content["photos", name] = random.Random(name).randbytes(size)


class ARun(Rooms):
    def test_a_hard_allowance_of_a_device_stops_it_and_no_other(self):
        self.allow(device=self.one, hard_bytes=self.needs() + 100_000)
        for device in ("p1", "p2"):
            self.add(f"large {device}", 300_000, device)
        refused = self.run_now(self.one)
        self.assertEqual(refused.state, RunState.REFUSED)
        self.assertIn(f"{self.one.name} in {self.room.name} has 97.7 KiB left", refused.cause)
        self.assertIn("Nothing was stored", refused.cause)
        self.assertEqual(self.run_now(self.two).state, RunState.COMPLETE)

    def test_one_of_a_team_counts_what_its_devices_stored_since_it_was_measured(self):
        team = Team.objects.get(name="Shore Crew")
        Run.objects.update(read_bytes=MIB, stored_bytes=MIB)
        both = sum(one.alone_bytes + one.shared_bytes for one in self.room.group_occupancies.filter(of="team", key=str(team.id)))
        self.allow(team=team, hard_bytes=both + 400_000)
        self.add("first", 300_000)
        self.assertEqual(self.run_now(self.one).state, RunState.COMPLETE)
        self.add("second", 300_000, "p2")
        refused = self.run_now(self.two)
        self.assertEqual(refused.state, RunState.REFUSED)
        self.assertIn("Shore Crew in Server room", refused.cause)
        Device.objects.filter(id=self.two.id).update(team=None)
        self.assertEqual(self.run_now(Device.objects.get(id=self.two.id)).state, RunState.COMPLETE, "it is of that team no more")

    def test_what_another_run_was_admitted_for_is_its_own(self):
        Store.objects.update(allowance_bytes=self.room.stored_bytes + 10 * MIB)
        Run.objects.filter(device=self.two).update(state=RunState.RUNNING, promised_bytes=6 * MIB, stored_bytes=0)
        self.add("large", MIB)
        refused = self.run_now(self.one)
        self.assertIn("6 MiB being promised to other runs", refused.cause)
        Run.objects.filter(device=self.two).update(stored_bytes=4 * MIB)
        self.assertEqual(self.run_now(self.one).state, RunState.COMPLETE)

    def test_its_estimate_is_told_with_its_reason(self):
        self.add("more", 100_000)
        run = self.run_now(self.one)
        self.assertTrue(any("will be stored, by one run alone" in line["says"] for line in run.log), run.log)
        self.assertGreater(run.promised_bytes, 40_000)

    def test_one_that_stores_far_more_than_it_may_keeps_its_most_important_kinds(self):
        """What it stored before shrank to nothing; now it does not, and the rest of the room is small."""
        Run.objects.filter(device=self.one).update(read_bytes=MIB, stored_bytes=1)
        source = random.Random(8)
        content = self.outside.devices["p1"].content
        content |= {("contacts", f"new {n}"): source.randbytes(3000) for n in range(30)}
        content |= {("photos", f"new {n}"): source.randbytes(200_000) for n in range(60)}
        Store.objects.update(allowance_bytes=self.room.stored_bytes + 4 * MIB + 1_500_000)
        run = self.run_now(self.one)
        self.assertEqual(run.state, RunState.PARTIAL, run.cause)
        self.assertEqual([(one["kind"], one["code"]) for one in run.skipped], [("photos", "no_room"), ("app_data", "no_room")])
        self.assertLess(run.stored_bytes, 11_000_000)
        backup = Backup.objects.get(run=run)
        self.assertEqual({entry["kind"]: entry["items"] > 0 for entry in backup.kinds}, {"contacts": True})
        self.assertFalse(backup.suspect, "that it has no photos has a reason")
        self.assertTrue(any("was admitted with about" in line["says"] for line in run.log))

    def test_what_the_plan_saves_first_is_what_is_kept(self):
        self.nightly.first_kinds = ["app_data", "photos"]
        self.nightly.save(update_fields=["first_kinds"])
        Run.objects.filter(device=self.one).update(read_bytes=MIB, stored_bytes=1)
        source = random.Random(7)
        content = self.outside.devices["p1"].content
        content["app_data", "new"] = source.randbytes(20_000)
        content |= {("photos", f"new {n}"): source.randbytes(200_000) for n in range(60)}
        Store.objects.update(allowance_bytes=self.room.stored_bytes + 4 * MIB + 1_500_000)
        run = self.run_now(self.one)
        self.assertEqual(run.state, RunState.PARTIAL, run.cause)
        self.assertEqual([one["kind"] for one in run.skipped if one["code"] == "no_room"], ["photos", "contacts"])
        kept = Backup.objects.get(run=run).kinds
        self.assertEqual([entry["kind"] for entry in kept if entry["items"]], ["app_data"])
        Store.objects.update(allowance_bytes=None)
        whole = Backup.objects.get(run=self.run_now(self.one)).kinds
        self.assertEqual([entry["kind"] for entry in whole], ["contacts", "photos", "app_data"], "they stand as people are shown them")

    def test_one_that_has_no_room_for_its_first_kind_stores_no_backup(self):
        Run.objects.filter(device=self.one).update(read_bytes=MIB, stored_bytes=1)
        self.nightly.kinds = ["photos"]
        self.nightly.save(update_fields=["kinds"])
        source = random.Random(8)
        self.outside.devices["p1"].content |= {("photos", f"new {n}"): source.randbytes(200_000) for n in range(60)}
        Store.objects.update(allowance_bytes=self.room.stored_bytes + 4 * MIB + 1_500_000)
        before = trusted_before(self.one).id
        run = self.run_now(self.one)
        self.assertEqual((run.state, run.cause_code), (RunState.REFUSED, "quota.does_not_fit"))
        self.assertIn("is promised to other runs, or full", run.cause)
        self.assertEqual(trusted_before(self.one).id, before)


class ANight(Rooms):
    def lined_up(self) -> dict[str, str]:
        line_up_night(now=self.outside.at)
        return {one.device.agent_id: one.no_room for one in LinedUp.objects.select_related("device")}

    def test_what_will_not_fit_is_said_in_the_afternoon_with_the_room_that_is_short(self):
        self.assertEqual(self.lined_up(), {"p1": "", "p2": ""})
        Run.objects.filter(device=self.one).update(stored_bytes=300_000)
        Run.objects.filter(device=self.two).update(stored_bytes=2000)
        self.room.refresh_from_db()
        Store.objects.update(allowance_bytes=self.room.stored_bytes + 4 * MIB + 200_000)
        self.assertEqual(self.lined_up(), {"p1": "Server room has 195 KiB left for runs", "p2": ""})
        (cause,) = [one for one in self.api.get("/api/today").json()["causes"] if one["code"].startswith("no_room")]
        self.assertEqual((cause["step"], cause["step_label"], cause["count"]), ("room", "Make room", 1))
        self.assertEqual(cause["says"], "No room for their run of the coming night: Server room has 195 KiB left for runs")

    def test_of_a_device_that_is_short_the_others_go_on(self):
        Run.objects.update(stored_bytes=300_000)
        measure(self.room, now=self.outside.now())
        self.allow(device=self.one, hard_bytes=self.needs() + 1000)
        lined_up = self.lined_up()
        self.assertEqual((lined_up["p2"], f"{self.one.name} in Server room has" in lined_up["p1"]), ("", True))
