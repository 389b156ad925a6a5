"""What devices tell of their own cloud backups: remembered, watched where a plan wants that, and counted for nothing."""

from datetime import timedelta

from core.content.errors import DeviceLied
from core.content.own_cloud import announced_own_cloud
from core.vault.tests.bench_of_one import MemoryDevice, phone
from server.fleet.models import Device, OwnCloudTold
from server.oversight.actions.age_out import age_out
from server.people.models import Holder, JournalEntry
from server.runs.actions.scan_device import scan_device
from server.runs.models import RunState
from server.telling.models import Message
from server.tests.pretend import OfficeTestCase

GIB = 1 << 30


class TellingDevice(MemoryDevice):
    """Speaks version 3 and has an account."""

    own: dict[str, object] | None = None
    speaks = True

    def tells_own_cloud(self) -> bool:
        return self.speaks

    def own_cloud(self) -> object:
        return announced_own_cloud(self.own)


class OwnCloudsTestCase(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.phone = self.outside.devices["p1"] = TellingDevice(phone())
        self.tell(state="on")

    def tell(self, **changes: object) -> None:
        usual = {
            "state": "on", "service": "Harbourlight backup", "account": "ansa@harbourlight.example",
            "last_success": (self.outside.at - timedelta(hours=6)).isoformat(), "used_bytes": 2 * GIB, "allowed_bytes": 5 * GIB,
            "kinds": [{"kind": "photos", "bytes": GIB}], "devices": [{"name": "Orlo H1", "bytes": GIB}],
        }  # fmt: skip
        self.phone.own = usual | changes

    def follow(self, days: int | None = 3) -> None:
        self.plan(self.one, name=f"Within {days}", own_cloud_seconds=None if days is None else days * 86_400)

    def history(self) -> dict:
        return self.api.get(f"/api/devices/{self.one.id}/own-cloud").json()

    def causes(self) -> list[str]:
        answer = self.api.get("/api/today")
        self.assertEqual(answer.status_code, 200, answer.content)
        return [cause["code"] for cause in answer.json()["causes"] if cause["code"].startswith("own_cloud")]


class OwnClouds(OwnCloudsTestCase):
    def test_a_run_asks_and_what_is_told_is_remembered_as_it_is(self):
        self.follow()
        self.run_now(self.one)
        history = self.history()["results"][0]["told"]
        self.assertEqual((history["state"], history["account"], history["percent"]), ("on", "ansa@harbourlight.example", 40))
        self.assertEqual(history["kinds"], [{"name": "Photos", "bytes": GIB}])
        row = self.api.get(f"/api/devices/{self.one.id}").json()
        self.assertEqual((row["own_cloud"]["state"], row["own_cloud"]["percent"]), ("on", 40))

    def test_a_history_has_a_row_a_day_and_one_for_each_switch(self):
        for hours, changes in (
            (0, {}),
            (1, {"used_bytes": 3 * GIB}),
            (2, {"state": "off"}),
            (3, {"state": "on"}),
            (30, {"used_bytes": 4 * GIB}),
        ):
            self.outside.at += timedelta(hours=hours)
            self.tell(**changes)
            scan_device(self.one)
        entries = [(row.told["state"], row.told["used_bytes"] // GIB) for row in OwnCloudTold.objects.order_by("at")]
        self.assertEqual(entries, [("on", 3), ("off", 2), ("on", 2), ("on", 4)])

    def test_what_cannot_tell_changes_nothing_and_what_has_none_says_so(self):
        scan_device(self.one)
        self.phone.speaks = False
        self.tell(state="off")
        scan_device(self.one)
        self.assertEqual(Device.objects.get().own_cloud["told"]["state"], "on")
        self.phone.speaks, self.phone.own = True, None
        scan_device(self.one)
        self.assertEqual([row["told"] and row["told"]["state"] for row in self.history()["results"]], [None, "on"])

    def test_a_lie_about_it_costs_no_backup(self):
        self.follow()
        self.tell(used_bytes=-7)
        with self.assertRaises(DeviceLied):
            self.phone.own_cloud()
        self.assertEqual(self.run_now(self.one).state, RunState.COMPLETE)
        self.assertEqual(self.history()["count"], 0)

    def test_it_is_an_incident_only_where_the_plan_wants_it(self):
        self.tell(state="off_by_policy", last_success=None)
        self.follow(None)
        scan_device(self.one)
        self.assertEqual(self.causes(), [])
        self.follow()
        self.assertEqual(self.causes(), ["own_cloud off_by_policy"])

    def test_each_way_of_not_being_as_the_plan_wants_it(self):
        self.follow()
        for changes, code in (
            ({"state": "off"}, "own_cloud off"), ({"used_bytes": 5 * GIB}, "own_cloud full"), ({"used_bytes": 48 * GIB // 10}, "own_cloud nearly_full"),
            ({"last_success": (self.outside.at - timedelta(days=4)).isoformat()}, "own_cloud late 259200"), ({}, None),
        ):  # fmt: skip
            self.tell(**changes)
            scan_device(self.one)
            self.assertEqual(self.causes(), [code] if code else [], changes)
        self.phone.own = None
        scan_device(self.one)
        self.assertEqual(self.causes(), ["own_cloud untold"])

    def test_it_counts_neither_as_a_copy_nor_as_safe(self):
        """Somebody else's copy, as the device says."""
        self.follow()
        scan_device(self.one)
        row = self.api.get("/api/three-two-one").json()["results"][0]
        self.assertEqual((row["copies"], row["off_site"], row["lacks"]), (0, False, ["backup"]))
        self.assertFalse(self.api.get(f"/api/devices/{self.one.id}/wipe").json()["safe"])
        self.assertEqual(self.api.get(f"/api/devices/{self.one.id}").json()["places"], [])

    def test_the_newest_on_each_medium_is_told_beside_it(self):
        self.follow()
        backup = self.run_now(self.one).backup
        self.run_now(self.one)
        places = self.api.get("/api/devices").json()["results"][0]["places"]
        self.assertEqual([one["medium"] for one in places], ["folder"])
        self.assertGreater(places[0]["newest_at"], backup.finished_at.isoformat()[:19])

    def test_what_a_plan_cannot_want_names_the_field(self):
        self.follow()
        plan = self.api.get("/api/plans").json()[0]
        body = {name: plan[name] for name in ("name", "kinds", "pattern", "starts_at", "window_closes", "promise_seconds", "keep_last", "keep_daily",
                                              "keep_weekly", "keep_monthly")}  # fmt: skip
        body |= {"store": plan["store_id"], "own_cloud_seconds": 60, "devices": [str(self.one.id)], "reach": "only"}
        answer = self.api.put(f"/api/plans/{plan['id']}", body, format="json")
        self.assertEqual((answer.status_code, answer.json()["field"]), (400, "own_cloud_seconds"))

    def test_old_ones_are_let_go_but_the_newest(self):
        for state in ("on", "off", "on"):
            self.tell(state=state)
            scan_device(self.one)
        self.outside.at += timedelta(days=401)
        age_out(now=self.outside.now())
        self.assertEqual(OwnCloudTold.objects.count(), 1)


class AnAccountThatFills(OwnCloudsTestCase):
    def live(self, days: int, of_first: int = 3 * GIB, a_day: int = GIB // 20, **changes: object) -> None:
        """So many days on which it tells a little more."""
        for n in range(days):
            self.outside.at += timedelta(days=1)
            self.tell(used_bytes=of_first + n * a_day, **changes)
            scan_device(Device.objects.get(id=self.one.id))

    def room(self) -> dict:
        return self.api.get(f"/api/devices/{self.one.id}/own-cloud/room").json()["room"]

    def test_it_is_an_incident_before_it_is_full_whatever_the_plan_wants(self):
        self.follow(None)
        self.live(10)
        self.assertEqual((self.causes(), self.room()["lasts"]["short"]), ([], "not known yet"))
        self.live(15, of_first=3 * GIB + 10 * GIB // 20)
        self.assertEqual(self.room()["lasts"]["days"], 16)
        self.assertEqual(self.causes(), ["own_cloud filling"])
        self.outside.at += timedelta(days=30)
        self.assertEqual(self.causes(), ["own_cloud filling"], "what it told last stays an incident")
        self.tell(used_bytes=5 * GIB)
        scan_device(Device.objects.get(id=self.one.id))
        self.assertEqual(self.causes(), ["own_cloud full"])

    def test_one_that_does_not_grow_and_one_with_time_are_none(self):
        self.follow()
        self.live(20, a_day=0)
        self.assertEqual(self.causes(), [])
        self.live(20, a_day=GIB // 100)
        self.assertEqual(self.causes(), [])

    def test_another_account_before_it_is_no_history_of_this_one(self):
        self.follow(None)
        self.live(20)
        self.live(5, account="other@harbourlight.example")
        self.assertEqual((self.causes(), self.room()["lasts"]["measured_days"]), ([], 5))

    def test_what_its_holder_can_do_and_the_letter_that_says_so(self):
        Device.objects.filter(id=self.one.id).update(make="Orlo", model="H1")
        self.follow(None)
        self.run_now(self.one)
        self.tell(used_bytes=5 * GIB, devices=[{"name": "orlo h1", "bytes": GIB}, {"name": "Orlo H0", "bytes": GIB // 2}])
        scan_device(Device.objects.get(id=self.one.id))
        room = self.room()
        self.assertEqual([one["title"] for one in room["steps"]], ["Remove the old backup of Orlo H0 there", "Leave photos out of it"])
        self.assertIn("this office’s backups hold them", room["steps"][1]["loses"])
        self.assertEqual((room["wanted_bytes"], room["proposed"], room["suffices"]), (GIB, 2, True))
        self.assertIn("1. Remove the old backup of Orlo H0 there (up to 512 MiB).", room["body"])

    def test_the_letter_goes_once_a_day_to_who_has_an_address(self):
        self.follow(None)
        scan_device(Device.objects.get(id=self.one.id))
        path, letter = f"/api/devices/{self.one.id}/own-cloud/letter", {"subject": "Your\naccount", "body": " It fills. "}
        refused = self.api.post(path, letter, format="json")
        self.assertEqual((refused.status_code, refused.json()["field"]), (400, "to"))
        Holder.objects.filter(id=self.one.holder_id).update(email="holder@saltmarsh.example")
        for field, wrong in (("subject", " "), ("subject", "x" * 181), ("body", " "), ("body", "x" * 4001)):
            self.assertEqual(self.api.post(path, letter | {field: wrong}, format="json").json()["field"], field)
        self.assertEqual(self.api.post(path, letter, format="json").status_code, 201)
        sent = Message.objects.get()
        self.assertEqual(
            (sent.to, sent.subject, sent.body, sent.state), ("holder@saltmarsh.example", "Your account", "It fills.", "waiting")
        )
        self.assertEqual(JournalEntry.objects.filter(what="holder.written", device=self.one.id).count(), 1)
        self.assertEqual(self.api.post(path, letter, format="json").status_code, 409)
        self.outside.at += timedelta(days=1)
        self.assertEqual(self.api.post(path, letter, format="json").status_code, 201)

    def test_only_devices_that_are_in_use_are_no_old_ones(self):
        other = self.device("p2")
        Device.objects.filter(id=other.id).update(make="Orlo", model="H0", holder=self.one.holder_id)
        self.tell(devices=[{"name": "Orlo H0", "bytes": GIB}])
        scan_device(self.one)
        self.assertNotIn("Remove the old backup of Orlo H0 there", [one["title"] for one in self.room()["steps"]])
        Device.objects.filter(id=other.id).update(state="retired")
        self.assertIn("Remove the old backup of Orlo H0 there", [one["title"] for one in self.room()["steps"]])

    def test_a_lost_device_is_no_incident_of_its_account(self):
        self.follow(None)
        self.tell(used_bytes=5 * GIB)
        scan_device(self.one)
        self.assertEqual(self.causes(), ["own_cloud full"])
        Device.objects.filter(id=self.one.id).update(state="lost")
        self.assertEqual(self.causes(), [])

    def test_a_device_that_tells_of_none_has_no_room_to_make(self):
        self.assertIsNone(self.room())
