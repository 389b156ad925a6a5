"""Kinds that are left out of a device's backups on purpose or taken in; accounts that their administrators switched off."""

from datetime import timedelta

from core.content.accounts import Account
from core.content.errors import DeviceLied
from server.fleet.models import Device
from server.people.models import JournalEntry
from server.plans.models import KindChoice
from server.runs.models import Backup, RunState
from server.tests.pretend import OfficeTestCase

SERVICE = "Saltmarsh groupware"


class Choosing(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.made = self.plan(self.one)
        self.says("p1", "contacts", "calendar")

    def says(self, agent: str, *kinds: str, service: str = SERVICE, off: bool = False) -> None:
        synced = None if off else self.outside.at
        self.outside.devices[agent].told_accounts = [
            Account(kind=kind, service=service, is_default=True, last_sync=synced, off_by_policy=off) for kind in kinds
        ]

    def choose(self, device: Device, *kinds: str, taken: bool = False, **fields):
        body = {"kinds": kinds, "taken": taken, "why": "the groupware's own keeper has them"} | fields
        return self.api.post(f"/api/devices/{device.id}/kinds", body, format="json")

    def kinds_of_next_backup(self, device: Device) -> set[str]:
        self.outside.at += timedelta(hours=1)
        self.run_now(device)
        newest = Backup.objects.filter(device=device).order_by("-finished_at").first()
        return {entry["kind"] for entry in newest.kinds if entry["items"]}

    def coverage(self, device: Device) -> dict:
        return {one["kind"]: one for one in self.api.get(f"/api/devices/{device.id}/coverage").json()["kinds"]}

    def causes(self) -> dict[str, dict]:
        return {cause["code"]: cause for cause in self.api.get("/api/today").json()["causes"]}


class OneDevice(Choosing):
    def test_a_kind_that_is_left_out_is_in_no_further_backup_until_the_plan_decides_again(self):
        self.assertIn("contacts", self.kinds_of_next_backup(self.one))
        made = self.choose(self.one, "contacts", service=SERVICE).json()
        self.assertNotIn("contacts", self.kinds_of_next_backup(self.one))
        row = self.coverage(self.one)["contacts"]
        self.assertEqual(
            (row["planned"], row["choice"]["taken"], row["choice"]["why"]), (False, False, "the groupware's own keeper has them")
        )
        self.assertEqual(self.api.delete(f"/api/kind-choices/{made[0]['id']}").status_code, 204)
        self.assertIn("contacts", self.kinds_of_next_backup(self.one))
        self.assertIsNone(self.coverage(self.one)["contacts"]["choice"])
        listed = list(JournalEntry.objects.filter(what__startswith="kinds.").values_list("what", flat=True))
        self.assertEqual(sorted(listed), ["kinds.chosen", "kinds.left_to_plan"])

    def test_leaving_it_out_is_no_reason_to_look_at_the_backup(self):
        self.outside.devices["p1"].content |= {("contacts", f"many{n}"): b'{"display": "x"}' for n in range(40)}
        self.kinds_of_next_backup(self.one)
        self.choose(self.one, "contacts")
        self.kinds_of_next_backup(self.one)
        self.assertFalse(Backup.objects.filter(device=self.one, suspect=True).exists())

    def test_a_kind_that_the_plan_does_not_take_is_taken_in(self):
        self.outside.devices["p1"].content["health", "h1"] = b"{}"
        self.assertNotIn("health", self.kinds_of_next_backup(self.one))
        self.choose(self.one, "health", taken=True, why="")
        self.assertIn("health", self.kinds_of_next_backup(self.one))

    def test_the_newest_choice_counts_and_ends_the_one_before(self):
        self.choose(self.one, "contacts")
        self.choose(self.one, "contacts", taken=True)
        self.assertIn("contacts", self.kinds_of_next_backup(self.one))
        self.assertEqual(KindChoice.objects.filter(ended_at__isnull=True).count(), 1)

    def test_what_makes_no_sense_is_refused_before_anything_is_written(self):
        self.kinds_of_next_backup(self.one)
        everything = sorted({entry["kind"] for entry in self.api.get(f"/api/devices/{self.one.id}/coverage").json()["kinds"]})
        for field, body in {
            "why": {"kinds": ["contacts"], "taken": False, "why": "  "},
            "kinds": {"kinds": ["nonsense"], "taken": True},
            "service": {"kinds": ["photos"], "taken": True, "service": SERVICE},
        }.items():
            answer = self.api.post(f"/api/devices/{self.one.id}/kinds", body, format="json")
            self.assertEqual((answer.status_code, answer.json()["field"]), (400, field), body)
        self.assertEqual(self.choose(self.one, "contacts", alike=True).json()["field"], "service")
        self.assertEqual(self.choose(self.one, *everything).json()["field"], "kinds")
        self.assertFalse(KindChoice.objects.exists())


class AllAlike(Choosing):
    def furnish(self):
        super().furnish()
        self.two, self.other = self.device("p2"), self.device("p3")
        self.plan(self.one, self.two, self.other, name="All")
        self.says("p2", "contacts", "calendar")
        self.says("p3", "contacts", service="Another service")
        for device in (self.one, self.two, self.other):
            self.kinds_of_next_backup(device)

    def test_it_holds_for_every_device_that_the_account_synchronises_and_no_other(self):
        accounts = self.coverage(self.one)["contacts"]["accounts"]
        self.assertEqual([one["devices"] for one in accounts], [2])
        self.choose(self.one, "contacts", service=SERVICE, alike=True)
        self.assertNotIn("contacts", self.kinds_of_next_backup(self.two))
        self.assertIn("contacts", self.kinds_of_next_backup(self.other))

    def test_a_choice_of_its_own_goes_before_it(self):
        self.choose(self.two, "contacts", taken=True)
        for _ in range(2):
            self.choose(self.one, "contacts", service=SERVICE, alike=True)
            self.assertIn("contacts", self.kinds_of_next_backup(self.two))
            self.assertNotIn("contacts", self.kinds_of_next_backup(self.one))
        lasting = KindChoice.objects.filter(ended_at=None).order_by("id")
        self.assertEqual(list(lasting.values_list("device", "alike")), [(self.two.id, False), (self.one.id, True)], "each ends its own")

    def test_of_two_services_the_one_chosen_last_counts(self):
        self.outside.devices["p2"].told_accounts += self.outside.devices["p3"].told_accounts
        self.kinds_of_next_backup(self.two)
        self.choose(self.one, "contacts", service=SERVICE, alike=True)
        self.choose(self.other, "contacts", service="Another service", alike=True, taken=True)
        self.assertIn("contacts", self.kinds_of_next_backup(self.two))
        self.choose(self.one, "contacts", service=SERVICE, alike=True)
        self.assertNotIn("contacts", self.kinds_of_next_backup(self.two))


class SwitchedOff(Choosing):
    CODE = f"account {SERVICE}"

    def test_an_account_that_is_on_needs_nobody_also_beside_one_that_is_off(self):
        self.says("p1", "contacts", off=True)
        switched_off = self.outside.devices["p1"].told_accounts
        self.says("p1", "calendar", service="Another service")
        self.outside.devices["p1"].told_accounts += switched_off
        self.kinds_of_next_backup(self.one)
        self.assertIn(self.CODE, self.causes())
        self.assertNotIn("account Another service", self.causes())

    def test_it_needs_a_person_until_somebody_has_decided_about_every_kind(self):
        self.assertNotIn(self.CODE, self.causes())
        self.says("p1", "contacts", "calendar", off=True)
        self.kinds_of_next_backup(self.one)
        cause = self.causes()[self.CODE]
        self.assertEqual((cause["step"], [one["id"] for one in cause["devices"]]), ("coverage", [str(self.one.id)]))
        self.assertIn("contacts and calendar", cause["says"])
        self.choose(self.one, "contacts", taken=True, service=SERVICE, why="")
        self.assertIn("who keeps calendar", self.causes()[self.CODE]["says"])
        self.choose(self.one, "calendar", service=SERVICE)
        self.assertNotIn(self.CODE, self.causes())

    def test_one_decision_for_all_that_are_alike_settles_it_everywhere(self):
        two = self.device("p2")
        self.plan(self.one, two, name="Both")
        for agent, device in (("p1", self.one), ("p2", two)):
            self.says(agent, "contacts", off=True)
            self.kinds_of_next_backup(device)
        self.assertEqual(len(self.causes()[self.CODE]["devices"]), 2)
        self.choose(self.one, "contacts", taken=True, service=SERVICE, alike=True)
        self.assertNotIn(self.CODE, self.causes())

    def test_a_list_of_accounts_that_cannot_be_read_stops_no_backup(self):
        def lies():
            raise DeviceLied("The device's list of accounts cannot be read.")

        self.outside.devices["p1"].accounts = lies
        run = self.run_now(self.one)
        self.assertEqual(run.state, RunState.COMPLETE)
        self.assertIn("The device's list of accounts cannot be read.", [line["says"] for line in run.log])
