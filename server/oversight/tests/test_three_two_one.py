"""3-2-1 of every device: what lies where, what is missing, the step that mends it, and the sums."""

from datetime import timedelta

from django.db import connection
from django.test.utils import CaptureQueriesContext

from server.fleet.models import Device
from server.runs.models import Copy
from server.storage.models import Store
from server.tests.pretend import OfficeTestCase


class AtAGlance(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one, self.two = self.device("p1"), self.device("p2")
        self.plan(self.one, name="Nightly")
        self.room = Store.objects.get()
        self.cloud = self.store("Cloud")
        Store.objects.filter(id=self.cloud.id).update(off_site=True, medium="bucket")
        self.backup = self.run_now(self.one).backup

    def told(self, **query: object) -> dict:
        answer = self.api.get("/api/three-two-one", query)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def row(self) -> dict:
        return next(row for row in self.told()["results"] if row["device_id"] == str(self.one.id))

    def test_from_nothing_to_whole(self):
        said = self.told()
        self.assertEqual(
            [(row["lacks"], row["step"]) for row in said["results"] if row["device_id"] == str(self.two.id)], [(["backup"], "plan")]
        )
        row = self.row()
        self.assertEqual(
            (row["copies"], row["media"], row["off_site"], row["lacks"]), (2, 1, False, ["copies", "off_site", "media", "check"])
        )
        self.assertEqual(row["step"], "target", "its plan has one store")
        copied = Copy.objects.create(backup=self.backup, store=self.cloud)
        row = self.row()
        self.assertEqual((row["copies"], row["media"], row["off_site"], row["lacks"], row["step"]), (3, 2, True, ["check"], "check"))
        Copy.objects.filter(id=copied.id).update(checked_at=self.outside.at - timedelta(days=29))
        row = self.row()
        self.assertEqual((row["lacks"], row["step"], [place["store"] for place in row["places"]]), ([], "none", ["Cloud", "Server room"]))
        said = self.told()
        self.assertEqual(said["teams"], [{"team": "Shore Crew", "devices": 2, "whole": 1}])
        self.assertEqual(
            said["evidence"], {"devices": 2, "planned": 1, "backed_up": 1, "encrypted": 1, "off_site": 1, "checked": 1, "drilled": 0}
        )

    def test_what_is_damaged_leaving_doubted_or_lies_in_a_store_that_is_paused_counts_for_nothing(self):
        copied = Copy.objects.create(backup=self.backup, store=self.cloud)
        for change in ({"intact": False}, {"state": "leaving"}, {"state": "missing"}):
            with self.subTest(change=change):
                Copy.objects.filter(id=copied.id).update(**change)
                self.assertEqual(self.row()["copies"], 2)
                Copy.objects.filter(id=copied.id).update(intact=True, state="present")
        Store.objects.filter(id=self.cloud.id).update(mode="paused")
        self.assertEqual(self.row()["copies"], 2)

    def test_a_device_that_is_lost_has_one_copy_less(self):
        Copy.objects.create(backup=self.backup, store=self.cloud)
        Device.objects.filter(id=self.one.id).update(state="lost")
        self.assertEqual((self.row()["copies"], self.told()["evidence"]["devices"]), (2, 1))

    def test_filters_and_the_same_queries_however_many(self):
        self.assertEqual(self.told(lacks="backup")["count"], 1)
        self.assertEqual(self.told(lacks="off_site")["count"], 1)
        self.assertEqual(self.told(words="holder of p2")["count"], 1)
        self.assertEqual((self.told(team=self.one.team_id)["count"], self.told(team=999)["count"]), (2, 0))
        with CaptureQueriesContext(connection) as few:
            self.told()
        for n in range(3, 9):
            self.device(f"p{n}", content={})
        with CaptureQueriesContext(connection) as many:
            self.told()
        self.assertEqual(len(many), len(few))
