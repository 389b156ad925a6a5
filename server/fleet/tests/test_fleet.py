import tempfile
from pathlib import Path
from unittest import mock

from server.fleet.convert import key_purpose
from server.fleet.models import Device
from server.people.models import JournalEntry
from server.ports import Paired
from server.tests.pretend import CODE, OfficeTestCase


class AddingDevices(OfficeTestCase):
    def body(self, **changes: str) -> dict[str, str]:
        self.outside.devices.setdefault("p1", None)  # type: ignore[arg-type]
        return {"agent_id": "p1", "code": CODE, "name": "Orlo H1", "holder": "T. Okafor", "team": "Shore Crew"} | changes

    def pair(self, **changes: str):
        return self.api.post("/api/devices/pair", self.body(**changes), format="json")

    def test_pairing_names_holder_and_team_and_is_written_down(self):
        answer = self.pair()
        device = Device.objects.get(id=answer.json()["id"])
        self.assertEqual((device.holder.name, device.team.name), ("T. Okafor", "Shore Crew"))
        self.assertIn("T. Okafor", JournalEntry.objects.filter(what="device.paired").get().says)
        self.assertEqual(self.api.get("/api/offers").json(), [])

    def test_the_key_is_not_stored_as_it_is_and_never_sent(self):
        self.pair()
        kept = bytes(Device.objects.get().agent_key)
        self.assertNotIn(b"x" * 8, kept)
        self.assertEqual(self.outside.unseal(key_purpose("p1"), kept), b"x" * 32)
        self.assertNotIn("agent_key", self.api.get(f"/api/devices/{Device.objects.get().id}").content.decode())

    def test_bad_input_names_the_field_and_leaves_nothing_behind(self):
        cases = {"code": ("ABCD2346", 400), "name": (" ", 400), "holder": ("", 400)}
        for field, (value, status) in cases.items():
            answer = self.pair(**{field: value})
            self.assertEqual((answer.status_code, answer.json()["field"]), (status, field))
        self.assertEqual(self.pair(code="AB").json()["field"], "code")
        self.assertFalse(Device.objects.exists())

    def test_a_device_that_has_left_the_network_is_said_to_be_away(self):
        self.outside.away.add("p1")
        self.assertEqual(self.pair().json()["code"], "link.away")

    def test_a_device_that_answers_under_anothers_name_is_not_taken_for_it(self):
        self.outside.devices["p2"] = None  # type: ignore[assignment]
        with mock.patch.object(self.outside, "pair", lambda address, code: Paired(device="p2", key=b"y" * 32, accepted=True)):
            answer = self.pair()
        self.assertEqual((answer.status_code, Device.objects.count()), (409, 0))
        self.assertIn("Another device answers", answer.content.decode())

    def test_twice_is_a_conflict(self):
        self.pair()
        self.assertEqual(self.pair().status_code, 409)

    def test_a_folder_must_exist_be_absolute_and_stand_once(self):
        with tempfile.TemporaryDirectory() as folder:
            body = {"path": folder, "name": "Boat", "holder": "boat", "team": ""}
            post = lambda **changes: self.api.post("/api/devices/folder", body | changes, format="json")  # noqa: E731
            self.assertEqual(post(path="boat").json()["field"], "path")
            self.assertEqual(post(path="/srv/../etc").json()["field"], "path")
            self.assertEqual(post(path="/does/not/exist").json()["code"], "link.away")
            self.assertEqual(post().status_code, 201)
            self.assertEqual(post(name="Again").status_code, 409)
            self.assertEqual(Device.objects.get().folder, str(Path(folder).resolve()))


class ChangingADevice(OfficeTestCase):
    def test_state_and_holder_change_and_the_journal_tells_from_what_to_what(self):
        device = self.device()
        body = {"values_told": {"holder": "A. New", "team": "", "state": "lost"}}
        self.assertEqual(self.api.put(f"/api/devices/{device.id}/change", body, format="json").status_code, 200)
        says = JournalEntry.objects.filter(what="device.changed").get().says
        self.assertIn("holder: Holder of p1 → A. New", says)
        self.assertIn("state: in_use → lost", says)

    def test_readiness_says_what_the_link_cannot_tell(self):
        with tempfile.TemporaryDirectory() as folder:
            body = {"path": folder, "name": "Boat", "holder": "boat", "team": ""}
            id = self.api.post("/api/devices/folder", body, format="json").json()["id"]
            answer = self.api.get(f"/api/devices/{id}/readiness").json()
            levels = {finding["code"]: finding["level"] for finding in answer["findings"]}
            self.assertEqual((answer["reachable"], levels["locked"], levels["battery"]), (True, "untold", "untold"))
            self.assertTrue(answer["cannot_tell"])

    def test_readiness_of_an_away_device_has_a_step(self):
        device = self.device()
        self.outside.away.add("p1")
        answer = self.api.get(f"/api/devices/{device.id}/readiness").json()
        self.assertFalse(answer["reachable"])
        self.assertEqual([finding["level"] for finding in answer["findings"]], ["blocks"])
        self.assertIn("network", answer["findings"][0]["step"])
        self.assertTrue(answer["not_seen"])
