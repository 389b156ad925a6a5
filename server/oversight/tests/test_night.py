"""The page of a night: its figures are of the whole, its rows come in pages."""

from server.people.models import Office
from server.runs.actions.carry_out import carry_out
from server.runs.actions.line_up_night import line_up_night
from server.runs.models import Run, RunState
from server.runs.tests.test_nights import NightsTestCase, utc


class TheNightOnItsPage(NightsTestCase):
    def furnish(self):
        super().furnish()
        self.plan(*[self.device(f"p{n}", content={}) for n in range(6)])
        Office.objects.update(max_runs=2)

    def test_the_whole_night_is_counted_whatever_the_page_and_what_needs_a_look_comes_first(self):
        line_up_night(now=utc("2026-03-02T12:00"))
        self.tick("2026-03-02T21:00")
        waiting = Run.objects.filter(state=RunState.WAITING).order_by("id")
        good = carry_out(waiting[0].id)
        Run.objects.filter(id=waiting.last().id).update(state=RunState.FAILED, cause="It was locked.")
        night = self.api.get("/api/night?night=2026-03-02").json()
        rows = self.api.get("/api/night/rows?night=2026-03-02&page_size=2").json()
        self.assertEqual((night["lined_up"], night["rows"], night["succeeded"], night["did_not"]), (6, 6, 1, 1))
        self.assertEqual((rows["count"], len(rows["results"]), rows["results"][0]["cause"]), (6, 2, "It was locked."))
        shown = self.api.get("/api/night/rows?night=2026-03-02&shows=succeeded").json()
        self.assertEqual([row["device_id"] for row in shown["results"]], [str(good.device_id)])
        holder = good.device.holder.name
        answer = self.api.get("/api/night/rows", {"night": "2026-03-02", "words": holder.upper()}).json()
        self.assertEqual({row["holder"] for row in answer["results"]}, {holder})
        self.assertEqual(self.api.get("/api/night/rows?shows=lost").status_code, 400)

    def test_a_night_costs_the_same_queries_for_six_devices_and_for_twelve(self):
        line_up_night(now=utc("2026-03-02T12:00"))
        with self.assertNumQueries(5):
            self.api.get("/api/night/rows?night=2026-03-02")
        self.plan(*[self.device(f"q{n}", content={}) for n in range(6)], name="More")
        line_up_night(now=utc("2026-03-02T12:20"))
        with self.assertNumQueries(5):
            self.assertEqual(self.api.get("/api/night/rows?night=2026-03-02").json()["count"], 12)
