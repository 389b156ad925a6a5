"""A change of a plan is shown over the real history before it is saved, and nothing more leaves by it than was shown."""

from datetime import timedelta

from server.plans.actions.rule_versions import note_version
from server.plans.models import RuleVersion
from server.retention.actions.look_after import look_after
from server.retention.tests.test_leaving import ThePile
from server.runs.models import Backup, Copy


class NothingLeavesUnseen(ThePile):
    def put(self, **changes: object):
        body = {
            "name": "Nightly", "kinds": ["contacts", "photos", "documents", "app_data"], "pattern": {"shape": "every_night"},
            "starts_at": "22:00", "window_closes": "06:00", "store": str(self.room.id), "promise_seconds": 172_800, "keep_last": 5,
            "keep_daily": 0, "keep_weekly": 0, "keep_monthly": 0, "keep_minimum_age_seconds": 0, "devices": [str(self.one.id)],
        } | changes  # fmt: skip
        return body, self.api.put(f"/api/plans/{self.nightly.id}", body, format="json")

    def test_last_1_by_a_slip_is_not_saved_before_it_was_seen(self):
        self.put(keep_last=5)
        self.nights(5)
        body, refused = self.put(keep_last=1)
        self.assertEqual((refused.status_code, refused.json()["code"]), (409, "retention.unseen"))
        self.assertIn("4 copies leave", str(refused.json()))
        shown = self.api.post("/api/plans/consequences", body | {"id": str(self.nightly.id)}, format="json").json()
        self.assertEqual((shown["leaves"], shown["stays"], shown["word"], shown["first_day"]), (4, 1, "remove", "2026-03-14"))
        self.assertEqual([point["state"] for point in shown["devices"][0]["points"]], ["stays"] + ["leaves"] * 4)
        _, unsaid = self.put(keep_last=1, seen=shown["digest"])
        self.assertEqual((unsaid.status_code, unsaid.json()["field"]), (400, "word"))
        _, saved = self.put(keep_last=1, seen=shown["digest"], word="remove")
        self.assertEqual((saved.status_code, saved.json()["keep_last"]), (200, 1))
        look_after(self.room.id)
        self.assertEqual(self.states(), ["leaving"] * 4 + ["present"])
        self.assertEqual(RuleVersion.objects.filter(plan=self.nightly).count(), 3)

    def test_a_longer_rule_and_one_that_says_the_same_need_nothing(self):
        self.put(keep_last=5)
        self.nights(5)
        self.assertEqual(self.put(keep_last=5)[1].status_code, 200)
        self.assertEqual(self.put(keep_last=9)[1].status_code, 200)

    def test_a_gap_is_told_by_its_neighbours(self):
        self.put(keep_last=9)
        for days in (0, 40, 1, 1):
            self.outside.at += timedelta(days=days)
            self.night()
        body, _ = self.put(keep_last=1, keep_monthly=1, keep_yearly=2)
        shown = self.api.post("/api/plans/consequences", body | {"id": str(self.nightly.id)}, format="json").json()
        self.assertEqual((shown["gaps"], shown["devices"][0]["gap_from"]), (0, None))
        Backup.objects.filter(id=self.backups()[0].id).update(hold_reason="kept")
        body, _ = self.put(keep_last=1)
        shown = self.api.post("/api/plans/consequences", body | {"id": str(self.nightly.id)}, format="json").json()
        self.assertEqual((shown["gaps"], shown["devices"][0]["gap_from"], shown["devices"][0]["gap_to"]), (1, "2026-03-02", "2026-04-16"))
        self.assertEqual(shown["devices"][0]["points"][-1]["state"], "held")

    def test_a_held_store_by_another_rule_is_the_more_particular_one(self):
        note_version({"last": 5}, by=self.ines, now=self.outside.at, store=self.room, why="the room has space")
        self.nights(4)
        self.assertEqual(self.states(), ["present"] * 4)
        note_version({"last": 1}, by=self.ines, now=self.outside.at, device=self.one)
        look_after(self.room.id)
        self.assertEqual(self.states(), ["leaving"] * 3 + ["present"])
        self.assertIn("exception for this device, version 1", Copy.objects.filter(state="leaving").first().removed_by_rule)
        note_version(None, by=self.ines, now=self.outside.at, device=self.one)
        look_after(self.room.id)
        self.assertEqual(self.states(), ["present"] * 4)
