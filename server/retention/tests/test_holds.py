"""What is on hold, and holding many at once."""

from datetime import timedelta

from django.db import connection
from django.test.utils import CaptureQueriesContext

from server.plans.actions.save_plan import save_plan
from server.retention.actions.look_after import look_after
from server.retention.tests.test_leaving import ThePile
from server.runs.models import Backup


class Holding(ThePile):
    def hold(self, **fields: object):
        return self.api.post("/api/holds", {"reason": "a lawyer writes"} | fields, format="json")

    def test_of_a_device_a_holder_a_team_and_of_days(self):
        two = self.device("p2")
        save_plan(self.draft(self.room, keep_last=2, keep_daily=0), devices=[self.one.id, two.id], by=self.ines, plan=self.nightly)
        self.nights(3)  # 2 to 4 March
        self.outside.devices["p2"].content["contacts", "c000"] = b"x"
        self.run_now(two)
        for value, count in (
            ({"device": str(self.one.id)}, 3), ({"holder": two.holder_id}, 1), ({"team": self.one.team_id}, 4),
            ({"first_day": "2026-03-03", "last_day": "2026-03-04"}, 2), ({"device": str(self.one.id), "last_day": "2026-03-02"}, 1),
        ):  # fmt: skip
            with self.subTest(told=value):
                shown = self.api.post("/api/holds/preview", value, format="json").json()
                self.assertEqual((shown["backups"], shown["held"]), (count, 0))
                self.assertEqual(self.hold(**value).json(), {"backups": count})
                self.assertEqual(self.api.get("/api/holds").json()["count"], count)
                Backup.objects.update(hold_reason="", hold_by=None, hold_until=None)

    def test_what_was_leaving_is_back_and_one_that_is_held_keeps_its_own_reason(self):
        self.nights(4)
        self.assertEqual(self.states().count("leaving"), 2)
        self.api.post(f"/api/backups/{self.backups()[0].id}/hold", {"reason": "before the repair"}, format="json")
        self.assertEqual(self.hold(device=str(self.one.id), until="2027-01-01").json(), {"backups": 3})
        look_after(self.room.id)
        self.assertEqual(self.states(), ["present"] * 4)
        answer = self.api.get("/api/holds?without_end=true").json()
        self.assertEqual([(one["hold_reason"], one["by"]) for one in answer["results"]], [("before the repair", "Ines")])
        self.assertEqual(self.api.get("/api/holds?words=lawyer").json()["count"], 3)

    def test_bad_input_names_its_field(self):
        self.nights(1)
        for value, status, field in (
            ({}, 400, "device"), ({"device": str(self.one.id), "team": 1}, 400, "device"), ({"device": str(self.one.id), "reason": " "}, 400, "reason"),
            ({"first_day": "2026-03-04", "last_day": "2026-03-03"}, 400, "last_day"), ({"device": str(self.one.id), "until": "2020-01-01"}, 400, "until"),
            ({"first_day": "2026-12-01"}, 409, None),
        ):  # fmt: skip
            with self.subTest(told=value):
                refused = self.hold(**value)
                self.assertEqual((refused.status_code, refused.json().get("field")), (status, field))
        self.assertEqual(Backup.objects.exclude(hold_reason="").count(), 0)

    def test_the_list_takes_the_same_queries_however_long_it_is(self):
        def queries() -> int:
            with CaptureQueriesContext(connection) as seen:
                self.api.get("/api/holds")
            return len(seen)

        self.nights(1)
        self.hold(device=str(self.one.id))
        before = queries()
        self.nights(3)
        self.hold(device=str(self.one.id))
        self.assertEqual(queries(), before)


class LookedAtAgain(Holding):
    def causes(self) -> list[str]:
        return [one["says"] for one in self.api.get("/api/today").json()["causes"] if one["code"] == "holds_unseen"]

    def test_a_hold_without_an_end_is_asked_about_after_a_year_and_once_a_year_from_then(self):
        self.nights(2)
        self.hold(device=str(self.one.id))
        one, two = self.backups()
        Backup.objects.filter(id=two.id).update(hold_until="2029-01-01")
        self.outside.at += timedelta(days=364)
        self.assertEqual(self.causes(), [])
        self.outside.at += timedelta(days=3)
        self.assertEqual(self.causes(), ["1 hold has no end, and nobody has looked at it for a year"])
        listed = self.api.get("/api/holds?review=true").json()
        self.assertEqual([row["id"] for row in listed["results"]], [str(one.id)])
        body = {"backups": [str(one.id)], "why": ""}
        self.assertEqual(self.api.post("/api/holds/still-needed", body, format="json").json()["field"], "why")
        self.assertEqual(self.api.post("/api/holds/still-needed", body | {"why": "the case is open"}, format="json").json(), {"backups": 1})
        self.assertEqual((self.causes(), self.api.get("/api/holds?review=true").json()["count"]), ([], 0))
        self.assertIn("still needed: the case is open", self.journal("backup.hold_seen")[0])
        self.outside.at += timedelta(days=366)
        self.assertEqual(len(self.causes()), 1)

    def test_one_that_was_released_in_between_is_not_put_again(self):
        self.nights(1)
        self.hold(device=str(self.one.id))
        (one,) = self.backups()
        self.api.delete(f"/api/backups/{one.id}/hold")
        fields = {"backups": [str(one.id)], "why": "the case is open"}
        self.assertEqual(self.api.post("/api/holds/still-needed", fields, format="json").json(), {"backups": 0})
        self.assertEqual(Backup.objects.get(id=one.id).hold_reason, "")
