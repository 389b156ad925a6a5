"""A bucket as a store of the office, through the server's own interface, over the simulated cloud and its real sockets."""

import json
from datetime import UTC, datetime, timedelta

from adapters.stores.s3 import S3Blobs
from checks.contracts.s3_servers import KEY, SECRET, StandIn, a_bucket
from core.vault.check import check
from core.vault.trial import NEEDED
from server.people.models import JournalEntry
from server.plans.actions.save_plan import DraftTarget, save_plan
from server.retention.actions.finish_removals import finish_removals
from server.retention.actions.owe_copies import owe_copies
from server.runs.actions.carry_copies import carry_copies
from server.runs.actions.copy_backup import OpenStores, copy_backup
from server.runs.models import Copy, CopyState
from server.storage.convert import PURPOSE
from server.storage.models import Store
from server.storage.queries import opened
from server.tests.pretend import PASSPHRASE, OfficeTestCase


class ABucket(OfficeTestCase):
    def setUp(self):
        super().setUp()
        self.server = StandIn()
        self.addCleanup(self.server.stop)
        self.where = a_bucket(self.server)
        self.address = {
            "bucket": self.where.bucket, "prefix": "attic", "endpoint": self.server.url, "region": "", "access_key": KEY, "secret_key": SECRET,
            "inside": "yes",
        }  # fmt: skip

    def add(self, **changes: object):
        body = {
            "name": "Cloud", "medium": "bucket", "address": self.address, "passphrase": PASSPHRASE, "passphrase_again": PASSPHRASE,
            "allowance_bytes": None,
        }  # fmt: skip
        return self.api.post("/api/stores", body | changes, format="json")

    def tried(self, **changes: str) -> dict[str, dict[str, object]]:
        answer = self.api.post("/api/stores/try", {"medium": "bucket", "address": self.address | changes}, format="json")
        self.assertEqual((answer.status_code, answer["Content-Type"]), (200, "application/x-ndjson"))
        lines = [json.loads(line) for line in b"".join(answer).splitlines()]
        return {line["step"]: line for line in lines}


class Added(ABucket):
    def test_its_secret_is_sealed_and_told_to_nobody(self):
        answer = self.add()
        self.assertEqual(answer.status_code, 201, answer.json())
        store = Store.objects.get()
        self.assertEqual((store.medium, store.off_site), ("bucket", True))
        shown = json.dumps([answer.json(), self.api.get(f"/api/stores/{store.id}").json(), self.api.get("/api/stores").json()])
        kept = str(Store.objects.values("address", "where", "name").get()) + str(list(JournalEntry.objects.values()))
        self.assertNotIn(SECRET, shown + kept)
        self.assertNotIn(SECRET.encode(), bytes(store.credentials))
        self.assertIn(SECRET.encode(), self.outside.unseal(PURPOSE, bytes(store.credentials)))
        self.assertEqual(store.address["access_key"], KEY)

    def test_a_secret_that_is_left_empty_stays_and_a_wrong_one_is_refused(self):
        id = self.add().json()["id"]
        body = {"name": "North", "allowance_bytes": None, "address": self.address | {"secret_key": ""}}
        self.assertEqual(self.api.put(f"/api/stores/{id}", body, format="json").status_code, 200)
        self.assertTrue(opened(Store.objects.get()))
        wrong = self.api.put(f"/api/stores/{id}", body | {"address": self.address | {"secret_key": "wrong" * 8}}, format="json")
        self.assertEqual((wrong.status_code, wrong.json()["code"]), (409, "store.read_only"))
        self.assertTrue(opened(Store.objects.get()))

    def test_two_stores_do_not_lie_in_one_another(self):
        self.add()
        for prefix in ("attic", "attic/second", ""):
            answer = self.add(name="Second", address=self.address | {"prefix": prefix}, own_key=True)
            self.assertIn(answer.status_code, (400, 409), prefix)
        self.assertEqual(self.add(name="Second", address=self.address | {"prefix": "attic-2"}).status_code, 201)

    def test_bad_addresses_name_their_field(self):
        for field, value in {"bucket": "UP", "endpoint": "ftp://x", "access_key": "", "prefix": "../x", "secret_key": ""}.items():
            answer = self.add(address=self.address | {field: value})
            self.assertEqual((answer.status_code, answer.json()["field"]), (400, field))
        self.assertFalse(Store.objects.exists())


class Tried(ABucket):
    def setUp(self):
        super().setUp()
        self.outside.at = datetime.now(UTC)  # the cloud has a clock of its own

    def test_each_step_is_told_and_nothing_is_left_behind(self):
        steps = self.tried()
        self.assertEqual([step for step, line in steps.items() if not line["well"]], [])
        self.assertLessEqual({step.value for step in NEEDED}, set(steps))
        self.assertEqual(list(S3Blobs(self.where).list("")), [])
        self.assertIn("gone", steps["versions"]["says"])

    def test_what_is_wrong_is_named_with_a_remedy(self):
        for changes, word in (
            ({"bucket": "no-such-bucket"}, "no bucket"),
            ({"secret_key": "wrong" * 8}, "let us in"),
            ({"endpoint": "http://127.0.0.1:9"}, "answer"),
            ({"inside": ""}, "inside of the office's network"),
            ({"endpoint": "http://169.254.169.254"}, "no address of a service"),
        ):
            step = self.tried(**changes)["reach"]
            self.assertFalse(step["well"])
            self.assertIn(word, step["says"])
            self.assertTrue(step["remedy"])

    def test_a_bucket_that_can_lock_says_so_and_a_store_that_is_there_is_found(self):
        locked = a_bucket(self.server, ObjectLockEnabledForBucket=True)
        self.assertIn("lock", self.tried(bucket=locked.bucket)["versions"]["says"])
        self.add()
        Store.objects.all().delete()
        self.assertIn("holds a store already", self.tried()["content"]["says"])

    def test_a_clock_that_is_off_is_said_before_requests_are_refused(self):
        self.server.cloud.troubles.turn({"clock_off_seconds": 600})
        self.assertIn("10 minutes", self.tried()["clock"]["says"])

    def test_only_who_sets_the_office_up_tries_places(self):
        body = {"medium": "bucket", "address": self.address}
        self.assertEqual(self.signed_in("piet").post("/api/stores/try", body, format="json").status_code, 403)


class LocalAndCloud(ABucket):
    def setUp(self):
        super().setUp()
        self.room, self.one = self.store(), self.device()
        self.assertEqual(self.add().status_code, 201)
        self.cloud = Store.objects.get(name="Cloud")
        targets = (DraftTarget(store=self.room.id), DraftTarget(store=self.cloud.id))
        draft = self.draft(self.room, keep_last=1, keep_daily=0, targets=targets)
        save_plan(draft, devices=[self.one.id], by=self.ines)

    def test_a_run_at_home_is_copied_to_the_cloud_and_restores_from_there(self):
        backup = self.run_now(self.one).backup
        owe_copies(now=self.outside.at)
        self.assertEqual(carry_copies(self.cloud.id), 1)
        self.assertTrue(check(opened(self.cloud), percent=100).ok)
        del self.outside.stores[self.room.where]  # the server room burned
        inside = self.api.get(f"/api/backups/{backup.id}/inside?kind=contacts")
        self.assertEqual(inside.status_code, 200)

        self.assertGreater(inside.json()["count"], 0)

    def test_a_cloud_that_is_away_is_waited_for(self):
        self.run_now(self.one)
        owe_copies(now=self.outside.at)
        self.server.cloud.troubles.turn({"away": True})
        self.assertEqual(carry_copies(self.cloud.id), 0)
        self.assertEqual(Copy.objects.get(store=self.cloud).state, CopyState.OWED)
        self.server.cloud.troubles.turn({"away": False})
        self.outside.at += timedelta(minutes=6)
        self.assertEqual(carry_copies(self.cloud.id), 1)

    def test_an_unchanged_device_costs_few_requests_and_no_content_is_read(self):
        stores, counts = OpenStores(), []
        for _ in range(2):
            self.run_now(self.one)
            owe_copies(now=self.outside.at)
            self.server.cloud.requests.clear()
            self.assertTrue(copy_backup(Copy.objects.get(store=self.cloud, state=CopyState.OWED).id, stores=stores))
            counts.append(dict(self.server.cloud.requests))
        self.assertLess(sum(counts[1].values()), 20, counts)
        self.assertEqual((counts[1].get("get", 0), counts[1]["put"]), (0, 2), counts)  # the manifest, and the note that it is there

    def test_what_a_lock_holds_stays_said_to_be_there(self):
        first = self.run_now(self.one).backup
        owe_copies(now=self.outside.at)
        carry_copies(self.cloud.id)
        copy = Copy.objects.get(store=self.cloud)
        Copy.objects.filter(id=copy.id).update(state=CopyState.REMOVING)
        self.server.cloud.shelf._known.execute("update buckets set versions = 'Enabled', locks = 1")
        until = datetime.now(UTC) + timedelta(days=1)
        self.server.cloud.shelf._known.execute(
            "update objects set mode = 'COMPLIANCE', until = ? where key like ?", [until.isoformat(), f"%manifests/{first.id.hex}"]
        )
        self.assertEqual(finish_removals(self.cloud, now=self.outside.at), 0)
        copy.refresh_from_db()
        self.assertEqual(copy.state, CopyState.REMOVING)
        self.assertIn("let go", copy.cause)
        self.server.cloud.shelf._known.execute("update objects set mode = '', until = ''")
        self.assertEqual(finish_removals(self.cloud, now=self.outside.at), 1)
