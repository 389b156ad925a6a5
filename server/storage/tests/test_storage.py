from dataclasses import replace
from datetime import timedelta
from functools import partial

from django.db import connection
from django.test.utils import CaptureQueriesContext

from core.errors import BadInput
from core.vault.address import SftpAddress
from core.vault.errors import WrongPassphrase
from core.vault.tests.bench_of_one import MemoryDevice, phone
from core.vault.tests.test_address import HOST_KEY
from server.people.models import JournalEntry
from server.storage.actions.change_store import MOST_WRITERS, change_store
from server.storage.convert import changed_address, columns_of
from server.storage.models import Occupancy, Store
from server.tests.pretend import PASSPHRASE, OfficeTestCase

NEW = {"name": "Server room", "path": "/s", "passphrase": PASSPHRASE, "passphrase_again": PASSPHRASE, "allowance_bytes": None}


class AddingStores(OfficeTestCase):
    def create(self, **changes: object):
        return self.api.post("/api/stores", NEW | changes, format="json")

    def attach(self, **changes: object):
        body = {"name": "Attached", "path": "/s", "passphrase": PASSPHRASE, "allowance_bytes": None} | changes
        return self.api.post("/api/stores/attach", body, format="json")

    def test_a_prepared_store_holds_a_vault_and_no_passphrase_stands_in_the_database(self):
        self.assertEqual(self.create().status_code, 201)
        store = Store.objects.get()
        self.assertEqual(self.outside.open_vault("/s").store.hex(), store.vault_id)
        self.assertGreater(store.stored_bytes, 0)
        self.assertNotIn(PASSPHRASE, str(Store.objects.values().get()))

    def test_the_recovery_code_is_told_once_and_opens_the_store(self):
        answer = self.create()
        code = answer.json()["recovery_code"]
        self.assertEqual(answer["Cache-Control"], "no-store")
        self.assertNotIn(code, str(Store.objects.values().get()) + str(list(JournalEntry.objects.values())))
        self.assertNotIn("recovery_code", self.api.get(f"/api/stores/{answer.json()['id']}").json())
        Store.objects.all().delete()
        self.assertEqual(self.attach(passphrase=code.lower()).status_code, 201)

    def test_bad_input_names_the_field_and_prepares_nothing(self):
        cases = {"passphrase": "short", "passphrase_again": "another passphrase", "name": "", "allowance_bytes": 0}
        for field, value in cases.items():
            answer = self.create(**{field: value})
            self.assertEqual((answer.status_code, answer.json()["field"]), (400, field))
        self.assertEqual(self.outside.stores, {})

    def test_a_wrong_passphrase_attaches_nothing(self):
        self.outside.create_vault("/s", PASSPHRASE)
        answer = self.attach(passphrase="not the right one")
        self.assertEqual((answer.status_code, answer.json()["code"], answer.json()["field"]), (400, "vault.wrong_passphrase", "passphrase"))
        self.assertFalse(Store.objects.exists())
        self.assertEqual(self.attach().status_code, 201)

    def test_a_missing_folder_and_the_same_vault_twice(self):
        self.assertEqual(self.attach(path="/nowhere").json()["code"], "store.missing")
        self.create()
        self.outside.stores["/copy"] = self.outside.stores["/s"]
        self.assertEqual(self.attach(path="/copy").status_code, 409)

    def test_the_passphrase_can_be_proven_and_a_wrong_one_proves_nothing(self):
        id = self.create().json()["id"]
        Store.objects.update(passphrase_proven_at=None)
        post = lambda passphrase: self.api.post(f"/api/stores/{id}/prove-passphrase", {"passphrase": passphrase}, format="json")  # noqa: E731
        self.assertEqual(post("wrong passphrase").status_code, 400)
        self.assertIsNone(Store.objects.get().passphrase_proven_at)
        self.assertEqual(post(PASSPHRASE).status_code, 200)
        self.assertIsNotNone(Store.objects.get().passphrase_proven_at)

    def test_a_secret_stays_while_nothing_is_typed_and_is_forgotten_when_somebody_says_so(self):
        place = SftpAddress(host="boathouse", folder="/srv", username="attic", host_key=HOST_KEY, password="kept till now")
        row = Store(**columns_of(place))
        self.assertIsNone(changed_address(row, {"password": ""}))
        self.assertEqual(changed_address(row, {"password": "another"}), replace(place, password="another"))
        self.assertEqual(changed_address(row, {"password": None}), replace(place, password=""))

    def test_prices_are_kept_and_impossible_ones_name_their_field(self):
        id = self.create().json()["id"]

        def put(**changes: object):
            prices = {"gib_month": 230, "thousand_requests": 54, "currency": "eur"} | changes
            return self.api.put(f"/api/stores/{id}", {"name": "S", "allowance_bytes": None, "prices": prices}, format="json")

        store = put().json()
        self.assertEqual((store["price_gib_month"], store["price_thousand_requests"], store["currency"]), (230, 54, "EUR"))
        for changes, field in (
            ({"gib_month": -1}, "price_gib_month"), ({"thousand_requests": 10**9}, "price_thousand_requests"), ({"currency": "euros"}, "currency"),
            ({"currency": ""}, "currency"),
        ):  # fmt: skip
            answer = put(**changes)
            self.assertEqual((answer.status_code, answer.json()["field"]), (400, field), changes)
        self.assertEqual(put(gib_month=None, thousand_requests=None, currency="").json()["price_gib_month"], None)
        self.api.put(f"/api/stores/{id}", {"name": "S", "allowance_bytes": None}, format="json")
        self.assertEqual(Store.objects.get().currency, "")

    def test_the_list_takes_the_same_queries_however_many_stores_there_are(self):
        self.store("One")
        with CaptureQueriesContext(connection) as few:
            self.api.get("/api/stores")
        for n in range(4):
            self.store(f"More {n}")
        with CaptureQueriesContext(connection) as many:
            self.api.get("/api/stores")
        self.assertEqual(len(many), len(few))


class WhoseBytes(OfficeTestCase):
    def test_parts_add_up_and_what_two_devices_share_is_divided(self):
        from server.retention.actions.look_after import look_after

        store = self.store()
        one, two = self.device("p1"), self.device("p2")
        self.outside.devices["p2"] = MemoryDevice({**phone(2), ("photos", "p0"): phone(1)["photos", "p0"]})
        self.plan(one, two, store=store)
        for device in (one, two):
            self.run_now(device)
        look_after(store.id)
        rows = {row.device_id: row for row in Occupancy.objects.all()}
        self.assertGreater(rows[one.id].shared_bytes, 29_000)
        self.assertLess(abs(rows[one.id].fair_bytes - rows[one.id].alone_bytes - rows[one.id].shared_bytes / 2), 2)
        packed = sum(row.fair_bytes for row in rows.values())
        store.refresh_from_db()
        self.assertLess(packed, store.stored_bytes)
        self.assertGreater(packed, store.stored_bytes * 0.9)

    def test_a_store_that_went_missing_is_in_trouble_and_says_so(self):
        from server.storage.actions.measure import measure_store

        store = self.store()
        self.outside.stores.clear()
        measure_store(store, now=self.outside.now())
        self.assertIn("not there", Store.objects.get().trouble)
        self.assertIn("not there", str(self.api.get("/api/today").json()["causes"]))


class WhoCanOpenIt(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.place = self.store()
        self.address = f"/api/stores/{self.place.id}/slots"

    def slots(self):
        return self.api.get(self.address).json()

    def add(self, **changes: object):
        body = {"kind": "passphrase", "label": "Piet's", "passphrase": "heron on the mudflat", "passphrase_again": "heron on the mudflat"}
        return self.api.post(self.address, body | changes, format="json")

    def test_every_slot_is_told_without_its_secret(self):
        entries = [(one["kind"], one["label"], one["by_a_person"]) for one in self.slots()]
        expected = [("passphrase", "first passphrase", True), ("recovery_code", "recovery code", True), ("key_file", "key file", False)]
        self.assertEqual(sorted(entries), sorted(expected))
        self.assertEqual(self.signed_in("piet").get(self.address).status_code, 403)

    def test_another_passphrase_opens_it_and_opens_it_no_more_once_it_is_removed(self):
        self.assertEqual(self.add().status_code, 201)
        self.assertTrue(self.outside.attach_vault(self.place.where, "heron on the mudflat"))
        mine = next(one for one in self.slots() if one["label"] == "Piet's")
        self.assertEqual(self.api.delete(f"{self.address}/{mine['slot']}").status_code, 204)
        with self.assertRaises(WrongPassphrase):
            self.outside.attach_vault(self.place.where, "heron on the mudflat")
        self.assertIn("opens Server room no more", JournalEntry.objects.latest("id").says)

    def test_another_recovery_code_is_told_once(self):
        answer = self.add(kind="recovery_code", label="in the bank")
        code = answer.json()["recovery_code"]
        self.assertEqual(answer["Cache-Control"], "no-store")
        self.assertTrue(self.outside.attach_vault(self.place.where, code))
        self.assertNotIn(code, str(self.slots()) + str(list(JournalEntry.objects.values())))

    def test_each_is_proven_by_itself(self):
        code = self.api.post(self.address, {"kind": "recovery_code", "label": "In the safe"}, format="json").json()["recovery_code"]
        prove = self.address.replace("slots", "prove-passphrase")
        self.api.post(prove, {"passphrase": code}, format="json")
        self.assertEqual([one["label"] for one in self.slots() if one["proven_at"]], ["In the safe"])
        self.outside.at += timedelta(days=3)
        self.api.post(prove, {"passphrase": PASSPHRASE}, format="json")
        proven = {one["kind"]: one["proven_at"] for one in self.slots() if one["proven_at"]}
        self.assertEqual(set(proven), {"recovery_code", "passphrase"})
        self.assertLess(proven["recovery_code"], proven["passphrase"])

    def test_a_passphrase_is_changed_by_whoever_knows_it(self):
        slot = next(one["slot"] for one in self.slots() if one["kind"] == "passphrase")
        new = "another tide at the sluice"

        def change(**changes: str):
            body = {"old": PASSPHRASE, "passphrase": new, "passphrase_again": new} | changes
            return self.api.put(f"{self.address}/{slot}", body, format="json")

        self.assertEqual(change(old="not the right one").json()["code"], "vault.wrong_passphrase")
        self.assertEqual(change(passphrase_again="something else").status_code, 400)
        self.assertEqual(change().status_code, 200)
        prove = self.address.replace("slots", "prove-passphrase")
        self.assertEqual(self.api.post(prove, {"passphrase": PASSPHRASE}, format="json").status_code, 400)
        self.assertEqual(self.api.post(prove, {"passphrase": new}, format="json").status_code, 200)
        self.assertEqual(change().status_code, 409)

    def test_the_last_that_somebody_can_type_and_the_servers_own_stay(self):
        by_kind = {one["kind"]: one["slot"] for one in self.slots()}
        self.assertEqual(self.api.delete(f"{self.address}/{by_kind['key_file']}").status_code, 409)
        self.assertEqual(self.api.delete(f"{self.address}/{by_kind['recovery_code']}").status_code, 204)
        self.assertEqual(self.api.delete(f"{self.address}/{by_kind['passphrase']}").json()["code"], "vault.last_slot")
        self.assertEqual(len(self.slots()), 2)

    def test_bad_input_names_the_field_and_adds_nothing(self):
        for field, changes in {
            "label": {"label": " "},
            "passphrase": {"passphrase": "short"},
            "passphrase_again": {"passphrase_again": "x"},
        }.items():
            self.assertEqual(self.add(**changes).json()["field"], field)
        self.assertEqual(len(self.slots()), 3)


class Writers(OfficeTestCase):
    def test_as_many_at_a_time_as_a_store_can_bear(self):
        room = self.store()
        change = partial(change_store, room, name=room.name, allowance_bytes=None, by=self.ines)
        for wrong in (0, MOST_WRITERS + 1):
            with self.assertRaises(BadInput) as caught:
                change(max_writers=wrong)
            self.assertEqual(caught.exception.field, "max_writers")
        for right in (1, MOST_WRITERS):
            self.assertEqual(change(max_writers=right).max_writers, right)
