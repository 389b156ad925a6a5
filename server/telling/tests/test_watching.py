"""What is on record and what outside watchers see: promises, figures, signs of life, closed days, feeds, absences."""

from datetime import date

from prometheus_client.parser import text_string_to_metric_families

from server.oversight.models import PromiseDay
from server.runs.actions.heartbeat import heartbeat
from server.runs.models import Heartbeat
from server.telling.tests.test_telling import TellingTestCase, utc


class PromisesAreOnRecord(TellingTestCase):
    def test_each_morning_once_with_what_was_owed(self):
        self.watch("2026-03-02T06:59")
        self.assertFalse(PromiseDay.objects.exists())
        for at in ("2026-03-02T07:01", "2026-03-02T07:30", "2026-03-05T07:01"):
            self.watch(at)
        answer = self.api.get(f"/api/promises?device={self.one.id}").json()
        self.assertEqual([(row["day"], row["standing"]) for row in answer["days"]], [("2026-03-02", "on_time"), ("2026-03-05", "late")])
        self.assertEqual(
            self.api.get("/api/promises").json()["months"], [{"month": "2026-03-01", "share": {"owed": 4, "kept": 1, "percent": 25.0}}]
        )
        self.assertEqual(self.api.get(f"/api/promises?team={self.one.team_id}").json()["months"][0]["share"]["owed"], 4)

    def test_the_month_on_paper(self):
        self.outside.away.add("p2")
        self.run_now(self.two)
        self.watch("2026-03-02T07:01")
        answer = self.api.get("/api/report?month=2026-03").json()
        self.assertEqual(
            (answer["promise"]["percent"], answer["teams"][0]["team"], answer["worst"][0]["holder"]), (50.0, "Shore Crew", "Holder of p2")
        )
        self.assertEqual(self.api.get("/api/report?month=2026-13").json()["field"], "month")
        before = self.api.get("/api/report?month=2026-02").json()
        self.assertIsNone(before["promise"]["percent"])

    def test_causes_are_counted_in_the_month_of_their_night(self):
        self.outside.at = utc("2026-03-02T13:00")
        self.outside.away.add("p2")
        self.run_now(self.two)
        self.assertEqual(
            [(row["code"], row["runs"]) for row in self.api.get("/api/report?month=2026-03").json()["causes"]], [("link.away", 1)]
        )


class OutsideWatchers(TellingTestCase):
    def test_prometheus_reads_the_figures(self):
        heartbeat("scheduler", now=self.outside.at)
        text = self.client.get("/metrics").content.decode()
        fields = {
            (sample.name, tuple(sample.labels.values())): sample.value
            for family in text_string_to_metric_families(text)
            for sample in family.samples
        }
        self.assertEqual(fields["attic_devices", ("on_time",)], 1)
        self.assertEqual(fields["attic_devices", ("never",)], 1)
        self.assertEqual((fields["attic_devices_promised", ()], fields["attic_devices_inside_promise", ()]), (2, 1))
        self.assertEqual(fields["attic_last_sign_timestamp_seconds", ("scheduler",)], Heartbeat.objects.get().at.timestamp())
        self.assertNotIn("Orlo", text)

    def test_strangers_need_the_token(self):
        from django.conf import settings

        self.assertEqual(self.client.get("/metrics", REMOTE_ADDR="192.0.2.7").status_code, 401)
        self.assertEqual(self.client.get("/metrics", headers={"X-Forwarded-For": "192.0.2.7"}).status_code, 401)
        token = {"Authorization": f"Bearer {settings.ATTIC_METRICS_TOKEN}"}
        self.assertEqual(self.client.get("/metrics", REMOTE_ADDR="192.0.2.7", headers=token).status_code, 200)

    def test_a_scheduler_that_stopped_is_said_on_today_and_to_whoever_watches(self):
        heartbeat("scheduler", now=utc("2026-03-02T06:00"))
        self.outside.at = utc("2026-03-02T06:00")
        self.assertIsNone(self.api.get("/api/today").json()["silent_since"])
        self.outside.at = utc("2026-03-02T06:10")
        today = self.api.get("/api/today").json()
        self.assertEqual((today["silent_since"][:16], today["causes"][0]["code"]), ("2026-03-02T06:00", "silent"))
        answer = self.client.get("/healthz")
        self.assertEqual(answer.status_code, 503)
        self.assertIn("scheduler has stopped", " ".join(answer.json()["troubles"]))

    def test_ready_is_not_the_same_as_healthy(self):
        self.assertNotIn("worker", " ".join(self.client.get("/readyz").json()["troubles"]))


class ClosedDaysFromACalendar(TellingTestCase):
    ICS = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTAMP:20260101T000000Z\r\nDTSTART;VALUE=DATE:20260501\r\nSUMMARY:May Day\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"

    def test_read_first_taken_when_confirmed(self):
        answer = self.api.post("/api/closed-days/read", {"calendar": self.ICS}, format="json").json()
        self.assertEqual((answer["new"], answer["days"]), (1, [{"day": "2026-05-01", "name": "May Day"}]))
        self.assertEqual(self.api.get("/api/closed-days").json(), [])
        self.api.post("/api/closed-days/read", {"calendar": self.ICS, "confirmed": True}, format="json")
        self.assertEqual(len(self.api.get("/api/closed-days").json()), 1)
        self.api.delete("/api/closed-days/2026-05-01")
        self.assertEqual(self.api.get("/api/closed-days").json(), [])

    def test_ten_megabytes_are_refused_in_the_same_words(self):
        answer = self.api.post("/api/closed-days/read", {"calendar": "x" * 10_000_000}, format="json")
        self.assertEqual((answer.status_code, answer["Content-Type"]), (413, "application/problem+json"))
        self.assertTrue(answer.json()["remedy"])

    def test_nonsense_names_the_file(self):
        self.assertEqual(self.api.post("/api/closed-days/read", {"calendar": "nonsense"}, format="json").json()["field"], "file")


class TheFeedOfAPlan(TellingTestCase):
    def test_opened_read_by_another_program_and_revoked(self):
        from icalendar import Calendar

        from server.plans.models import Plan

        plan = Plan.objects.get()
        path = self.api.post(f"/api/plans/{plan.id}/feed").json()["path"]
        answer = self.client.get(path)
        events = Calendar.from_ical(answer.content).walk("VEVENT")
        self.assertEqual(answer["Content-Type"], "text/calendar; charset=utf-8")
        self.assertGreater(len(events), 170)
        self.assertNotIn("Holder", answer.content.decode())
        newer = self.api.post(f"/api/plans/{plan.id}/feed").json()["path"]
        self.assertEqual((self.client.get(path).status_code, self.client.get(newer).status_code), (404, 200))
        self.api.delete(f"/api/plans/{plan.id}/feed")
        self.assertEqual(self.client.get(newer).status_code, 404)
        self.assertEqual(self.client.get("/feeds/.ics").status_code, 404)


class AbsencesOfDevices(TellingTestCase):
    def test_the_record_follows_the_register(self):
        from server.fleet.actions.change_device import change_device
        from server.fleet.actions.keep_absences import keep_absences
        from server.fleet.models import Absence
        from server.people.queries import office_zone

        zone = office_zone()
        change_device(self.one, {"state": "away", "away_until": "2026-03-20"}, by=self.ines)
        for _ in range(2):
            keep_absences(zone=zone, now=utc("2026-03-04T10:00"))
        change_device(self.one, {"state": "in_use"}, by=self.ines, now=utc("2026-03-10T10:00"))
        keep_absences(zone=zone, now=utc("2026-03-10T10:01"))
        row = Absence.objects.get()
        self.assertEqual((row.first_day, row.last_day, row.is_open), (date(2026, 3, 4), date(2026, 3, 9), False))
