"""A store that survived its server: what lies in it is shown at once, taken in device by device, and can be given back."""

from datetime import timedelta

from server.fleet.models import Device
from server.people.models import JournalEntry
from server.retention.actions.apply_rule import apply_rule
from server.runs.actions.compare_store import compare_store
from server.runs.models import Backup, Copy, Run, Stray
from server.storage.models import Store
from server.tests.pretend import PASSPHRASE, OfficeTestCase


class ANewServer(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one, self.two = self.device("p1"), self.device("p2")
        Device.objects.filter(id=self.one.id).update(serial="OR-1")
        self.plan(self.one, self.two, keep_last=1, keep_daily=0)
        for _ in range(3):
            self.outside.at += timedelta(days=1)
            self.run_now(Device.objects.get(id=self.one.id))
        self.run_now(self.two)
        self.where = Store.objects.get().where
        for rows in (Copy, Backup, Run):  # the old server burned
            rows.objects.all().delete()
        Store.objects.get().targets.all().delete()
        Store.objects.all().delete()
        Device.objects.all().delete()
        self.outside.devices.clear()
        self.outside.at += timedelta(hours=2)

    def attach(self) -> Store:
        body = {"name": "From the old server", "path": self.where, "passphrase": PASSPHRASE, "allowance_bytes": None}
        answer = self.api.post("/api/stores/attach", body, format="json")
        self.assertEqual(answer.status_code, 201, answer.json())
        store = Store.objects.get(id=answer.json()["id"])
        compare_store(store, now=self.outside.now())
        return store

    def found(self, store: Store) -> dict[str, object]:
        return self.api.get(f"/api/stores/{store.id}/found").json()

    def take(self, store: Store, key: str, device: object = None):
        return self.api.post(f"/api/stores/{store.id}/found", {"key": key, "device": device and str(device)}, format="json")

    def test_every_device_is_told_with_what_its_backups_say_of_it(self):
        groups = self.found(self.attach())["found"]
        entries = [(one["holder"], one["backups"], one["serial"], one["proposed"]) for one in groups]
        self.assertEqual(sorted(entries), [("Holder of p1", 3, "OR-1", []), ("Holder of p2", 1, "", [])])

    def test_taken_in_as_a_new_entry_it_restores_is_on_hold_and_keeps_its_id(self):
        store = self.attach()
        self.assertEqual(self.take(store, str(self.one.id)).status_code, 204)
        device = Device.objects.get()
        self.assertEqual((device.id, device.holder.name, device.serial, device.link), (self.one.id, "Holder of p1", "OR-1", "none"))
        backups = self.api.get(f"/api/devices/{device.id}/backups").json()
        self.assertEqual(len(backups), 3)
        self.assertTrue(all("found in" in one["hold_reason"] for one in backups))
        self.assertGreater(self.api.get(f"/api/backups/{backups[0]['id']}/inside?kind=contacts").json()["count"], 0)
        self.plan(device, store=store, keep_last=1, keep_daily=0, name="Again")
        self.assertEqual(apply_rule(device, store, now=self.outside.at), 0, "a hold wins")
        self.assertEqual([one["holder"] for one in self.found(store)["found"]], ["Holder of p2"])

    def test_a_known_device_is_proposed_with_its_grounds_and_only_a_person_decides(self):
        again = self.device("p9")
        Device.objects.filter(id=again.id).update(serial="OR-1")
        store = self.attach()
        first = next(one for one in self.found(store)["found"] if one["holder"] == "Holder of p1")
        self.assertEqual([(one["device_id"], one["grounds"]) for one in first["proposed"]], [(str(again.id), ["serial"])])
        self.assertFalse(Backup.objects.exists())
        self.assertEqual(self.take(store, first["key"], again.id).status_code, 204)
        self.assertEqual(Backup.objects.filter(device=again).count(), 3)

    def test_it_is_undone_the_same_way(self):
        store = self.attach()
        self.take(store, str(self.one.id))
        body = {"device": str(self.one.id)}
        self.assertEqual([one["backups"] for one in self.found(store)["taken_in"]], [3])
        self.assertEqual(self.api.post(f"/api/stores/{store.id}/give-back", body, format="json").status_code, 204)
        self.assertFalse(Backup.objects.exists())
        compare_store(store, now=self.outside.now())
        self.assertEqual(Stray.objects.count(), 4, "the store holds all of it still")
        self.assertEqual(self.api.post(f"/api/stores/{store.id}/give-back", body, format="json").status_code, 409)
        self.assertTrue(JournalEntry.objects.filter(what="store.found_given_back").exists())

    def test_nor_is_it_once_one_of_them_was_copied_elsewhere(self):
        store = self.attach()
        self.take(store, str(self.one.id))
        copy = Copy.objects.create(backup=Backup.objects.filter(device=self.one).first(), store=self.store("Second shelf"))
        for state, status in (("present", 409), ("copying", 409), ("removed", 204)):
            Copy.objects.filter(id=copy.id).update(state=state)
            answer = self.api.post(f"/api/stores/{store.id}/give-back", {"device": str(self.one.id)}, format="json")
            self.assertEqual((answer.status_code, b"another store" in answer.content), (status, status == 409))
            self.assertEqual(Backup.objects.filter(device=self.one).count(), 3 if status == 409 else 0)

    def test_only_who_sets_the_office_up_takes_in(self):
        store = self.attach()
        body = {"key": str(self.one.id), "device": None}
        self.assertEqual(self.signed_in("piet").post(f"/api/stores/{store.id}/found", body, format="json").status_code, 403)

    def test_a_name_that_is_hostile_stays_a_name(self):
        store = self.attach()
        Stray.objects.update(told={"name": "<b>" + "x" * 300, "holder": "../../etc", "team": "", "serial": "=cmd()", "family": "smoke"})
        self.assertEqual(self.take(store, str(self.two.id)).status_code, 204)
        device = Device.objects.get()
        self.assertEqual((len(device.name), device.holder.name, device.family), (120, "../../etc", ""))
