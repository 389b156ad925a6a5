"""Nights that run by themselves: pauses, conditions, the line-up, places, catching up, two schedulers, clocks that jump."""

from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta
from unittest import mock

from procrastinate.contrib.django.models import ProcrastinateJob

from core.vault import blobs as names
from core.vault.blobs import Content
from core.vault.errors import StoreFull
from server.fleet.actions.change_device import change_device
from server.people.models import ClosedDay, Office
from server.plans.actions.pause import pause, resume
from server.plans.actions.save_plan import save_plan
from server.plans.models import Pause
from server.runs.actions.carry_out import carry_out
from server.runs.actions.line_up_night import line_up_night
from server.runs.actions.start_due import start_due
from server.runs.models import Backup, LinedUp, Run, RunState
from server.storage.models import Store
from server.tests.pretend import OfficeTestCase


def utc(text: str) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


class NightsTestCase(OfficeTestCase):
    def tick(self, at: str) -> list[str]:
        self.outside.at = utc(at)
        return [f"{run.device.agent_id} {run.planned_for:%m-%d %H:%M}" for run in start_due(now=utc(at))]

    def states(self) -> list[tuple[str, str]]:
        return [(run.device.agent_id, run.state) for run in Run.objects.order_by("asked_at", "device__agent_id").select_related("device")]


class PausesAndClosedDays(NightsTestCase):
    def furnish(self):
        super().furnish()
        self.one, self.two = self.device("p1"), self.device("p2")
        self.nightly = self.plan(self.one, self.two)

    def test_a_device_a_plan_everything_until_a_day(self):
        for what in ({"device": self.one}, {"plan": self.nightly}, {}):
            fields = {"plan": None, "device": None} | what
            pause(**fields, until=date(2026, 3, 4), reason="move", by=self.ines)
            started = self.tick("2026-03-02T21:01")
            self.assertEqual(len(started), 1 if "device" in what else 0, what)
            Run.objects.all().delete()
            Pause.objects.all().delete()

    def test_it_ends_by_itself_and_its_nights_are_not_owed(self):
        pause(plan=None, device=None, until=date(2026, 3, 9), reason="stock-taking", by=self.ines)
        self.assertEqual(self.tick("2026-03-08T21:01"), [])
        self.assertEqual(sorted(self.tick("2026-03-09T21:01")), ["p1 03-09 21:00", "p2 03-09 21:00"])
        self.assertEqual(Run.objects.filter(state=RunState.MISSED).count(), 0)

    def test_through_the_interface_by_an_operator_with_its_state_on_the_devices_page(self):
        piet = self.signed_in("piet")
        id = piet.post("/api/pauses", {"device": str(self.one.id), "until": "2026-03-09", "reason": "repair"}, format="json").json()["id"]
        device = self.api.get(f"/api/devices/{self.one.id}").json()
        self.assertEqual((device["standing"], device["pause"]["until"], device["next_run"][:10]), ("paused", "2026-03-09", "2026-03-09"))
        self.assertEqual(piet.delete(f"/api/pauses/{id}").status_code, 204)
        self.assertNotEqual(self.api.get(f"/api/devices/{self.one.id}").json()["standing"], "paused")
        answer = piet.post("/api/pauses", {"device": str(self.one.id), "until": "2026-03-01", "reason": "x"}, format="json")
        self.assertEqual((answer.status_code, answer.json()["field"]), (400, "until"))

    def test_nothing_runs_on_closed_days_where_the_plan_says_so(self):
        ClosedDay.objects.create(day=date(2026, 3, 3))
        save_plan(self.draft(self.nightly.store, skips_closed_days=True), devices=[self.one.id], by=self.ines, plan=self.nightly)
        self.assertEqual(self.tick("2026-03-03T21:01"), [])
        self.assertEqual(self.tick("2026-03-04T21:01"), ["p1 03-04 21:00"])
        self.assertFalse(Run.objects.filter(night=date(2026, 3, 3)).exists())

    def test_closed_and_away_days_do_not_age_a_backup_where_the_plan_says_so(self):
        self.run_now(self.one)
        ClosedDay.objects.create(day=date(2026, 3, 3))
        draft = self.draft(self.nightly.store, leaves_out_closed_days=True, leaves_out_away_days=True, promise_seconds=86_400)
        save_plan(draft, devices=[self.one.id], by=self.ines, plan=self.nightly)
        change_device(self.one, {"state": "away", "away_until": "2026-03-05"}, by=self.ines, now=utc("2026-03-04T10:00"))
        self.tick("2026-03-04T10:00")
        self.tick("2026-03-06T07:00")
        self.outside.at = utc("2026-03-06T07:05")
        answer = self.api.get(f"/api/devices/{self.one.id}").json()
        # newest on Monday at 8, owed within a day; Tuesday closed, Wednesday and Thursday away: late from Friday at 8
        self.assertEqual((answer["standing"], answer["deadline"][:13]), ("late", "2026-03-06T07"))
        self.outside.at = utc("2026-03-06T06:55")
        self.assertNotEqual(self.api.get(f"/api/devices/{self.one.id}").json()["standing"], "late")


class TheLineUp(NightsTestCase):
    def furnish(self):
        super().furnish()
        self.devices = [self.device(f"p{n}", content={}) for n in range(6)]
        self.nightly = self.plan(*self.devices)
        Office.objects.update(max_runs=2)

    def ran(self, device: int, seconds: float, nights: int = 3) -> None:
        for back in range(1, nights + 1):
            at = utc("2026-03-01T21:00") - timedelta(days=back)
            Run.objects.create(
                device=self.devices[device], plan=self.nightly, store=self.nightly.store, trigger="schedule", state="complete", night=at.date(),
                planned_for=at, asked_at=at, started_at=at, finished_at=at + timedelta(seconds=seconds), worked_seconds=seconds,
            )  # fmt: skip

    def test_the_longest_first_and_no_more_at_once_than_there_are_places(self):
        for device, seconds in enumerate((60, 3600, 120, 1800, 30, 30)):
            self.ran(device, seconds)
        line_up_night(now=utc("2026-03-02T12:00"))
        rows = list(LinedUp.objects.order_by("starts_at", "-expected_seconds").select_related("device"))
        self.assertEqual([row.device.agent_id for row in rows][:3], ["p1", "p3", "p2"])
        self.assertEqual([f"{row.starts_at:%H:%M}" for row in rows][:3], ["21:00", "21:00", "21:30"])
        self.assertTrue(all(row.fits and row.basis == "own" for row in rows))

    def test_the_night_starts_in_that_order_and_never_more_than_the_places(self):
        for device, seconds in enumerate((60, 3600, 120, 1800, 30, 30)):
            self.ran(device, seconds)
        line_up_night(now=utc("2026-03-02T12:00"))
        self.assertEqual(self.tick("2026-03-02T21:00"), ["p1 03-02 21:00", "p3 03-02 21:00"])
        self.assertEqual(self.tick("2026-03-02T21:00"), [])
        carry_out(Run.objects.get(device=self.devices[3], state=RunState.WAITING).id)
        self.assertEqual(self.tick("2026-03-02T21:01"), ["p2 03-02 21:00"])

    def test_whoever_would_break_the_promise_before_the_next_night_comes_first(self):
        for device, seconds in enumerate((60, 3600, 120, 1800, 30, 30)):
            self.ran(device, seconds)
        urgent, fresh = self.devices[4], [device for device in self.devices if device != self.devices[4]]
        self.outside.at = utc("2026-02-28T20:00")  # its promise of two days ends before Wednesday at six
        self.run_now(urgent)
        self.outside.at = utc("2026-03-02T08:00")
        for device in fresh:
            self.run_now(device)
        line_up_night(now=utc("2026-03-02T12:00"))
        first = LinedUp.objects.order_by("starts_at", "-late").select_related("device").first()
        self.assertEqual((first.device.agent_id, first.late), ("p4", True))
        self.assertEqual(LinedUp.objects.filter(late=True).count(), 1)

    def test_a_store_takes_no_more_writers_than_it_may(self):
        Office.objects.update(max_runs=5)
        Store.objects.update(max_writers=1)
        self.assertEqual(len(self.tick("2026-03-02T21:00")), 1)

    def test_what_does_not_fit_is_said_in_the_afternoon(self):
        for device in range(6):
            self.ran(device, 5 * 3600)
        line_up_night(now=utc("2026-03-02T13:00"))
        self.outside.at = utc("2026-03-02T13:01")
        night = self.api.get("/api/night").json()
        self.assertEqual((night["night"], night["rows"], night["does_not_fit"]), ("2026-03-02", 6, 4))
        causes = {cause["code"]: cause for cause in self.api.get("/api/today").json()["causes"]}
        self.assertEqual(len(causes["does_not_fit"]["devices"]), 4)

    def test_the_chart_becomes_the_record(self):
        line_up_night(now=utc("2026-03-02T12:00"))
        self.tick("2026-03-02T21:00")
        run = carry_out(Run.objects.filter(state=RunState.WAITING).first().id)
        line_up_night(now=utc("2026-03-03T03:00"))
        rows = {row["device_id"]: row for row in self.api.get("/api/night/rows?night=2026-03-02").json()["results"]}
        self.assertEqual((len(rows), rows[str(run.device_id)]["state"]), (6, "complete"))
        self.assertIsNotNone(rows[str(run.device_id)]["planned_start"])

    def test_a_changed_plan_is_lined_up_anew(self):
        line_up_night(now=utc("2026-03-02T12:00"))
        save_plan(self.draft(self.nightly.store, starts_at=time(23)), devices=[self.devices[0].id], by=self.ines, plan=self.nightly)
        self.assertTrue(ProcrastinateJob.objects.filter(task_name="line_up", status="todo").exists())
        line_up_night(now=utc("2026-03-02T12:05"))
        self.assertEqual([f"{row.planned_for:%H:%M}" for row in LinedUp.objects.all()], ["22:00"])

    def test_it_costs_the_same_queries_for_six_devices_and_for_twelve(self):
        line_up_night(now=utc("2026-03-02T12:00"))
        with self.assertNumQueries(20):
            line_up_night(now=utc("2026-03-02T12:10"))
        self.plan(*[self.device(f"q{n}", content={}) for n in range(6)], name="More")
        with self.assertNumQueries(20):
            line_up_night(now=utc("2026-03-02T12:20"))


class ClocksAndSchedulers(NightsTestCase):
    def furnish(self):
        super().furnish()
        self.devices = [self.device(f"p{n}", content={}) for n in range(5)]
        self.plan(*self.devices, catch_up=True)

    def test_a_server_that_was_off_for_a_week_catches_up_with_one_run_a_device_and_without_a_stampede(self):
        self.assertEqual(len(self.tick("2026-03-09T09:00")), 3)  # the store takes three writers
        for _ in range(4):
            for run in Run.objects.filter(state=RunState.WAITING):
                carry_out(run.id)
            self.tick("2026-03-09T09:05")
        came = Run.objects.filter(state=RunState.COMPLETE)
        self.assertEqual(came.count(), 5)
        self.assertEqual({run.planned_for for run in came}, {utc("2026-03-08T21:00")})
        self.assertEqual(Run.objects.filter(state=RunState.MISSED).count(), 5 * 6)

    def test_a_second_tick_of_the_same_moment_starts_nothing(self):
        first, second = self.tick("2026-03-02T21:00"), self.tick("2026-03-02T21:00")
        self.assertEqual((len(first), len(second)), (3, 0))
        self.assertEqual(ProcrastinateJob.objects.filter(task_name="carry_out_run").count(), 3)

    def test_a_clock_that_jumps_forward_and_back_makes_no_run_twice(self):
        self.tick("2026-03-02T21:00")
        for run in Run.objects.filter(state=RunState.WAITING):
            carry_out(run.id)
        self.tick("2026-03-04T12:00")
        count = Run.objects.count()
        self.tick("2026-03-02T21:05")
        self.tick("2026-03-01T21:05")
        keys = list(Run.objects.values_list("device_id", "planned_for"))
        self.assertEqual(len(keys), len(set(keys)))
        self.assertLessEqual(Run.objects.count(), count + 5)

    def test_a_run_that_found_no_place_in_its_window_is_missed_and_says_so(self):
        self.tick("2026-03-02T21:00")
        run = Run.objects.filter(state=RunState.WAITING).first()
        self.outside.at = run.gives_up_at
        run = carry_out(run.id)
        self.assertEqual((run.state, run.cause_code), (RunState.MISSED, "schedule.missed"))
        self.assertIn("window", run.remedy)


class JobsThatAreLost(NightsTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.plan(self.one)
        self.tick("2026-03-02T21:00")
        self.run_ = Run.objects.get()

    def lost(self, at: str) -> Run:
        ProcrastinateJob.objects.all().delete()
        self.tick(at)
        return Run.objects.get(id=self.run_.id)

    def test_a_waiting_run_without_a_job_is_put_into_the_queue_again(self):
        self.lost("2026-03-02T21:02")
        self.assertEqual(ProcrastinateJob.objects.filter(task_name="carry_out_run").count(), 1)
        self.assertEqual(carry_out(self.run_.id).state, RunState.COMPLETE)

    def test_one_that_was_under_way_is_tried_again_and_given_up_after_eight_attempts(self):
        Run.objects.update(state=RunState.RUNNING, attempts=7)
        self.assertEqual(self.lost("2026-03-02T21:02").state, RunState.WAITING)
        Run.objects.update(state=RunState.RUNNING, attempts=8)
        run = self.lost("2026-03-02T21:10")
        self.assertEqual((run.state, run.cause_code), (RunState.FAILED, "run.lost"))
        self.assertTrue(run.remedy)

    def test_one_whose_job_is_there_is_left_alone(self):
        self.tick("2026-03-02T21:02")
        self.assertEqual(ProcrastinateJob.objects.filter(task_name="carry_out_run").count(), 1)
        self.assertEqual(Run.objects.get().log, [])


class StoreErrorsAreTold(NightsTestCase):
    def test_a_store_that_ran_full_in_the_middle_is_not_tried_again(self):
        self.plan(self.device("p1"))
        self.tick("2026-03-02T21:00")
        run, blobs = Run.objects.get(), next(iter(self.outside.stores.values()))
        written, create = [], blobs.create

        def until_full(name: str, content: Content) -> None:
            if name.startswith(names.PACKS):
                if written:
                    raise StoreFull("No room is left there.")
                written.append(name)
            create(name, content)

        with (
            mock.patch.object(self.outside, "limits", replace(self.outside.limits, pack_bytes=4096)),
            mock.patch.object(blobs, "create", until_full),
        ):
            run = carry_out(run.id)
        self.assertEqual(len(written), 1, "it was in the middle of it")
        self.assertEqual((run.state, run.cause_code, run.attempts), (RunState.FAILED, "store.full", 1))
        self.assertEqual(self.tick("2026-03-02T21:20"), [])
        self.assertEqual([one.state for one in Run.objects.all()], [RunState.FAILED])
        self.assertFalse(Backup.objects.exists())


class ThroughTheInterface(NightsTestCase):
    def test_resume_of_a_pause_that_is_gone_changes_nothing(self):
        held = pause(plan=None, device=None, until=None, reason="x", by=self.ines)
        resume(held, by=self.ines)
        ended = Pause.objects.get().ended_at
        resume(held, by=self.ines)
        self.assertEqual(Pause.objects.get().ended_at, ended)
