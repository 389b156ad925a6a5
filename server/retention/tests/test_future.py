"""What there will be to go back to, month by month; what there is, week by week."""

import csv
import io
from datetime import UTC, datetime, timedelta

from django.db import connection
from django.test.utils import CaptureQueriesContext

from server.retention.tests.test_leaving import ThePile
from server.runs.models import Copy


class TheFuture(ThePile):
    def test_month_by_month_as_the_rule_would_have_it(self):
        self.nights(3)
        answer = self.api.get(f"/api/devices/{self.one.id}/future").json()
        self.assertEqual(len(answer), 13)
        self.assertEqual((answer[0]["day"], len(answer[0]["kept"]), answer[0]["planned"]), ("2026-03-05", 2, []))
        in_a_month = answer[1]
        self.assertEqual((in_a_month["day"], in_a_month["kept"], len(in_a_month["planned"])), ("2026-04-05", [], 2))
        self.assertEqual(
            [datetime.fromisoformat(at).strftime("%m-%d %H:%M") for at in in_a_month["planned"]], ["04-04 20:00", "04-03 20:00"]
        )

    def test_a_held_one_is_there_at_the_end_of_it(self):
        self.nights(2)
        oldest = self.backups()[0]
        self.api.post(f"/api/backups/{oldest.id}/hold", {"reason": "for ever"}, format="json")
        answer = self.api.get(f"/api/devices/{self.one.id}/future").json()
        self.assertEqual([len(day["kept"]) for day in answer], [2] + [1] * 12)

    def test_of_one_store_and_of_a_device_without_anything(self):
        self.nights(2)
        other, two = self.store("Cloud"), self.device("p2")
        self.assertEqual(self.api.get(f"/api/devices/{self.one.id}/future?store={other.id}").json()[0]["kept"], [])
        self.assertEqual(len(self.api.get(f"/api/devices/{self.one.id}/future?store={self.room.id}").json()[0]["kept"]), 2)
        self.assertEqual(self.api.get(f"/api/devices/{two.id}/future").json()[0], {"day": "2026-03-04", "kept": [], "planned": []})


class DayByDay(ThePile):
    def endings(self, **query: object):
        return self.api.get(f"/api/devices/{self.one.id}/endings", query).json()

    def test_each_night_one_begins_to_leave_and_two_are_left(self):
        self.nights(2)
        endings = self.endings()
        self.assertEqual(len(endings[0]["moments"]), 1)
        self.assertEqual({day["left"] for day in endings}, {2})
        newest, oldest = self.backups()[::-1]
        self.assertEqual(datetime.fromisoformat(endings[0]["moments"][0]), oldest.finished_at)
        self.assertEqual(datetime.fromisoformat(endings[1]["moments"][0]), newest.finished_at)
        self.assertEqual(endings[0]["day"], "2026-03-04")
        self.assertGreater(len(endings), 350)

    def test_a_held_one_never_does_and_one_in_two_stores_leaves_with_the_last(self):
        self.nights(2)
        oldest = self.backups()[0]
        self.api.post(f"/api/backups/{oldest.id}/hold", {"reason": "for ever"}, format="json")
        self.assertNotIn(oldest.finished_at, [datetime.fromisoformat(at) for day in self.endings() for at in day["moments"]])
        self.assertEqual({day["left"] for day in self.endings()}, {3}, "the held one, and two")
        cloud = self.store("Cloud")
        Copy.objects.create(backup=self.backups()[1], store=cloud)
        gone = [datetime.fromisoformat(at) for day in self.endings() for at in day["moments"]]
        self.assertNotIn(self.backups()[1].finished_at, gone, "no rule speaks of the other store, so it stays there")
        here = [datetime.fromisoformat(at) for day in self.endings(store=str(self.room.id)) for at in day["moments"]]
        self.assertIn(self.backups()[1].finished_at, here)


class TheMatrix(ThePile):
    def test_devices_by_weeks_of_the_offices_zone(self):
        two = self.device("p2")
        self.night()  # Monday 2 March
        self.outside.at = datetime(2026, 3, 8, 22, 30, tzinfo=UTC)  # Sunday half past eleven in the evening in Berlin
        self.run_now(self.one)
        self.outside.at += timedelta(hours=1)  # Monday there, and Sunday by UTC
        self.run_now(self.one)
        answer = self.api.get("/api/restore-points?weeks=3").json()
        self.assertEqual(answer["weeks"], ["2026-02-23", "2026-03-02", "2026-03-09"])
        self.assertEqual(
            {row["device_id"]: row["counts"] for row in answer["devices"]}, {str(self.one.id): [0, 2, 1], str(two.id): [0, 0, 0]}
        )
        self.assertEqual({row["older"] for row in self.api.get("/api/restore-points?weeks=1").json()["devices"]}, {0, 2})
        table = list(csv.reader(io.StringIO(self.api.get("/api/restore-points.csv?weeks=2").content.decode())))
        self.assertEqual(table[0][-2:], ["2026-W10", "2026-W11"])
        self.assertIn(["2", "1"], [row[-2:] for row in table])

    def test_the_same_queries_however_many_devices(self):
        def queries() -> int:
            with CaptureQueriesContext(
                connection,
            ) as seen:
                self.api.get("/api/restore-points")
            return len(seen)

        self.nights(2)
        before = queries()
        for n in range(2, 6):
            self.device(f"p{n}")
        self.assertEqual(queries(), before)

    def test_bad_input(self):
        for query in ("weeks=0", "weeks=9999", "weeks=x", "team=x"):
            self.assertEqual(self.api.get(f"/api/restore-points?{query}").status_code, 400)
