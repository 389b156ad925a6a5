import shutil
import tempfile
from datetime import date
from pathlib import Path

from core.content.errors import DeviceLied
from core.content.link import DeviceReport
from core.errors import BadInput
from server.fleet.actions.add_device import add_folder, add_sftp
from server.fleet.actions.change_device import note_told
from server.fleet.actions.change_link import change_link
from server.fleet.actions.register_found import register_found
from server.fleet.convert import link_to, sftp_purpose
from server.fleet.models import Device, LinkType, PairingTry
from server.people.models import JournalEntry
from server.ports import SftpPlace
from server.tests.pretend import CODE, OfficeTestCase
from standins.fleet import SFTP_DEVICE
from standins.sftp import PASSWORD, USERNAME, SftpDevice


class Pairing(OfficeTestCase):
    def pair(self, **changes):
        self.outside.devices.setdefault("p1", None)
        body = {"agent_id": "p1", "code": CODE, "name": "Orlo H1", "holder": "T. Okafor", "team": ""} | changes
        return self.api.post("/api/devices/pair", body, format="json")

    def registered(self, serial="OR-1") -> Device:
        from server.fleet.actions.change_many import import_register, previewed

        rows = [{"name": "Orlo P5", "holder": "A. Holm", "family": "orlo", "serial": serial, "note": "bought in May"}]
        import_register(rows, digest=previewed(rows)[1], by=self.ines)
        return Device.objects.get(serial=serial)

    def test_a_holder_who_has_not_said_yes_is_a_state_of_its_own(self):
        self.outside.accepts = False
        id = self.pair().json()["id"]
        self.assertIs(self.api.get(f"/api/devices/{id}").json()["accepted"], False)
        self.assertTrue(self.api.get(f"/api/devices/{id}").json()["paired"])

    def test_a_device_of_the_register_is_given_its_link_and_keeps_what_is_known(self):
        known = self.registered()
        self.outside.serials["p1"] = "OR-1"
        self.assertEqual(self.api.get("/api/devices/unlinked").json()[0]["id"], str(known.id))
        self.assertEqual(self.pair(registered=str(known.id), name="", holder="").status_code, 201)
        device = Device.objects.get()
        self.assertEqual((device.link, device.name, device.note, device.make), (LinkType.AGENT, "Orlo P5", "bought in May", "Orlo"))
        self.assertEqual(self.pair(registered=str(known.id)).status_code, 409)

    def test_a_second_device_with_the_same_serial_is_refused_before_its_code_is_used_up(self):
        self.registered()
        self.outside.serials["p1"] = "or-1"
        answer = self.pair()
        self.assertEqual(answer.status_code, 409)
        self.assertIn("choose it above", answer.json()["remedy"])
        self.assertEqual(Device.objects.count(), 1)

    def test_wrong_codes_are_counted_across_attempts_and_then_nobody_may_try(self):
        for _ in range(10):
            self.assertEqual(self.pair(code="ABCD9999").json()["code"], "link.pairing_refused")
        self.assertEqual(self.pair().status_code, 409)
        self.outside.at += timedelta_minutes(11)
        self.assertEqual(self.pair().status_code, 201)
        self.assertFalse(PairingTry.objects.exists())

    def test_unpairing_forgets_the_key_here_whether_the_device_hears_of_it_or_not(self):
        devices = [self.device(f"d{away}") for away in (False, True)]
        for device, away in zip(devices, (False, True), strict=True):
            if away:
                self.outside.away.add(device.agent_id)
            self.assertEqual(self.api.post(f"/api/devices/{device.id}/unpair").json(), {"told_device": not away})
            device.refresh_from_db()
            self.assertIsNone(device.agent_key)
            self.assertEqual(self.api.post(f"/api/devices/{device.id}/unpair").status_code, 409)
            answer = self.api.get(f"/api/devices/{device.id}/readiness").json()["findings"]
            self.assertEqual([one["code"] for one in answer if one["level"] == "blocks"], ["paired"])
        self.assertEqual(self.outside.told_to_forget, ["dFalse"])

    def test_a_lost_device_loses_its_key_at_once_and_can_be_paired_again(self):
        device = self.device()
        self.api.put(f"/api/devices/{device.id}/change", {"values_told": {"state": "lost"}}, format="json")
        device.refresh_from_db()
        self.assertIsNone(device.agent_key)
        self.assertIn("lost", JournalEntry.objects.get(what="device.unpaired").says)
        self.assertEqual(self.api.post(f"/api/devices/{device.id}/pair-again", {"code": CODE}, format="json").status_code, 200)
        device.refresh_from_db()
        self.assertTrue(device.agent_key)

    def test_a_device_that_changes_its_identity_is_not_believed(self):
        device = self.device()
        Device.objects.update(serial="OR-1")
        device.refresh_from_db()
        report = DeviceReport(make="Orlo", model="H1", family="orlo", os_version="10", serial="OR-9")
        with self.assertRaises(DeviceLied):
            note_told(device, report, now=self.outside.now())
        self.assertEqual(Device.objects.get().os_version, device.os_version)


def timedelta_minutes(count: int):
    from datetime import timedelta

    return timedelta(minutes=count)


class Folders(OfficeTestCase):
    def setUp(self):
        super().setUp()
        self.root = Path(tempfile.mkdtemp(prefix="attic-boat-"))
        self.addCleanup(shutil.rmtree, self.root)
        for name in ("Logs/a.csv", "Logs/b.csv", "x.tmp", "DCIM/p.jpg"):
            (self.root / name).parent.mkdir(exist_ok=True)
            (self.root / name).write_text(name)
        body = {"path": str(self.root), "name": "Boat", "holder": "boat", "team": ""}
        self.id = self.api.post("/api/devices/folder", body, format="json").json()["id"]

    def link(self, **changes):
        answer = self.api.get(f"/api/devices/{self.id}/link").json()
        return self.api.put(f"/api/devices/{self.id}/link", answer | changes, format="json")

    RULES = [{"pattern": "Logs/**", "kind": "notes"}, {"pattern": "*.tmp", "kind": ""}]

    def test_rules_are_previewed_without_being_kept_and_then_decide(self):
        answer = self.api.post(f"/api/devices/{self.id}/link/preview", {"rules": self.RULES}, format="json").json()
        self.assertEqual(
            {(one["pattern"], one["label"]): one["files"] for one in answer},
            {("Logs/**", "Notes"): 2, ("*.tmp", "left out"): 1, ("", "Photos"): 1},
        )
        self.assertEqual(link_to(Device.objects.get()).kinds(), ["photos", "documents", "folders"])
        self.assertEqual(self.link(rules=self.RULES).status_code, 200)
        self.assertEqual(link_to(Device.objects.get()).kinds(), ["photos", "notes", "folders"])

    def test_bad_settings_name_their_field_and_change_nothing(self):
        for field, changes in (
            ("rules", {"rules": [{"pattern": "/", "kind": "notes"}]}), ("kinds", {"rules": [{"pattern": "*", "kind": "dreams"}]}),
            ("limit_bytes_per_second", {"limit_bytes_per_second": 5}), ("path", {"folder": "boat"}),
        ):  # fmt: skip
            answer = self.link(**changes)
            self.assertEqual((answer.status_code, answer.json()["field"]), (400, field), changes)
        device = Device.objects.get()
        self.assertEqual((device.file_rules, device.limit_bytes_per_second, device.folder), ([], None, str(self.root.resolve())))

    def test_a_place_counts_only_for_devices_that_have_it_and_an_entry_keeps_its_name(self):
        agent = self.device()
        place = SftpPlace(host="nowhere", port=22, username="u", password="p", folder="/", host_key="", private_key="")
        changed = change_link(agent, rules=[], limit_bytes_per_second=9000, folder="/does/not/exist", sftp=place, by=self.ines)
        changed.refresh_from_db()
        self.assertEqual((changed.folder, changed.sftp_host, changed.limit_bytes_per_second), ("", "", 9000))
        entry = register_found({"name": "Old boat", "holder": "boat"}, id=None, by=self.ines)
        other = str(self.root / "Logs")
        self.assertEqual(add_folder(path=other, name="", holder="", team="", by=self.ines, registered=entry.id).name, "Old boat")
        with self.assertRaisesRegex(BadInput, "name"):
            add_folder(path=str(self.root / "DCIM"), name=" ", holder="boat", team="", by=self.ines)

    def test_the_link_says_what_it_cannot_do(self):
        self.assertTrue(self.api.get(f"/api/devices/{self.id}/link").json()["limits"])
        agent = self.device()
        self.assertEqual(self.api.get(f"/api/devices/{agent.id}/link").json()["limits"], [])
        self.assertEqual(self.api.post(f"/api/devices/{agent.id}/link/preview", {"rules": []}, format="json").status_code, 409)


class OverSftp(OfficeTestCase):
    def setUp(self):
        super().setUp()
        folder = Path(tempfile.mkdtemp(prefix="attic-gauge-"))
        self.addCleanup(shutil.rmtree, folder)
        self.gauge = SftpDevice(SFTP_DEVICE, folder)
        self.gauge.live_until(date(2026, 3, 2))
        self.gauge.listen()
        self.addCleanup(self.gauge.hang_up)
        self.met = self.api.post("/api/devices/sftp/meet", {"host": "127.0.0.1", "port": self.gauge.port}, format="json").json()

    def add(self, **changes):
        body = {
            "host": "127.0.0.1", "port": self.gauge.port, "username": USERNAME, "password": PASSWORD, "folder": "/", "family": "brenta",
            "host_key": self.met["host_key"], "name": "Ridge", "holder": "tide gauge", "team": "",
        }  # fmt: skip
        return self.api.post("/api/devices/sftp", body | changes, format="json")

    def test_it_is_met_compared_added_and_backed_up(self):
        self.assertEqual(self.met["fingerprint"], self.gauge.fingerprint)
        self.assertEqual(self.add().status_code, 201)
        device = Device.objects.get()
        self.assertNotIn(PASSWORD, self.api.get(f"/api/devices/{device.id}/link").content.decode())
        self.plan(device, kinds=["photos", "documents"])
        run = self.run_now(device)
        self.assertEqual((run.state, {entry["kind"] for entry in run.backup.kinds}), ("complete", {"photos", "documents"}))

    def test_an_entry_of_the_register_gets_the_link_and_keeps_its_name_and_its_holder(self):
        entry = register_found({"name": "Old gauge", "holder": "boat"}, id=None, by=self.ines)
        answer = self.add(name="", holder="", registered=str(entry.id))
        self.assertEqual(answer.status_code, 201, answer.content)
        device = Device.objects.get()
        self.assertEqual((device.id, device.name, device.holder.name, device.sftp_port), (entry.id, "Old gauge", "boat", self.gauge.port))

    def test_nothing_is_kept_of_one_that_cannot_be_signed_in_to(self):
        for changes, code in (
            ({"password": "wrong"}, "link.not_paired"),
            ({"host_key": ""}, "input.invalid"),
            ({"folder": "x"}, "input.invalid"),
        ):
            self.assertEqual(self.add(**changes).json()["code"], code)
        self.assertFalse(Device.objects.exists())

    def test_another_host_key_stops_it_until_somebody_has_looked_and_accepted(self):
        device_id = self.add().json()["id"]
        self.gauge.hang_up()
        self.gauge.renew_host_key()
        self.gauge.listen()
        answer = self.api.get(f"/api/devices/{device_id}/readiness").json()["findings"]
        self.assertIn("Another key answers", next(one["says"] for one in answer if one["level"] == "blocks"))
        met = self.api.post("/api/devices/sftp/meet", {"host": "127.0.0.1", "port": self.gauge.port}, format="json").json()
        answer = self.api.get(f"/api/devices/{device_id}/link").json()
        answer["sftp"] |= {"password": "", "host_key": met["host_key"]}
        self.assertEqual(self.api.put(f"/api/devices/{device_id}/link", answer, format="json").status_code, 200)
        self.assertTrue(self.api.get(f"/api/devices/{device_id}/readiness").json()["reachable"])

    def test_a_password_that_is_typed_counts_before_the_one_that_is_known(self):
        device = Device.objects.get(id=self.add().json()["id"])
        old = self.outside.seal(sftp_purpose(device.sftp_host, device.sftp_port), b"an old one")
        Device.objects.update(sftp_password=old)
        link = self.api.get(f"/api/devices/{device.id}/link").json()
        for password, status in (("", 409), (PASSWORD, 200)):
            link["sftp"] |= {"password": password}
            answer = self.api.put(f"/api/devices/{device.id}/link", link, format="json")
            self.assertEqual(answer.status_code, status, answer.content)

    def test_what_is_no_device_is_refused_before_anybody_is_asked(self):
        nowhere = SftpPlace(host="nowhere.example", port=1, username="u", password="p", folder="/", host_key="k", private_key="")
        for field, name, family in (("name", " ", "brenta"), ("family", "Ridge", "nobody's")):
            with self.assertRaises(BadInput) as caught:
                add_sftp(nowhere, name=name, holder="tide gauge", team="", family=family, by=self.ines)
            self.assertEqual(caught.exception.field, field)

    def test_a_known_password_is_not_sent_to_another_place(self):
        device_id = self.add().json()["id"]
        link = self.api.get(f"/api/devices/{device_id}/link").json()
        link["sftp"] |= {"password": "", "host": "localhost"}
        answer = self.api.put(f"/api/devices/{device_id}/link", link, format="json")
        self.assertEqual((answer.status_code, answer.json()["field"]), (400, "password"))
