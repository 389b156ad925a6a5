"""Runs from asking to their end, with everything that can go wrong on the way."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

from procrastinate.contrib.django.models import ProcrastinateJob

from core.vault.tests.bench_of_one import contents
from server.runs.actions.ask_run import ask_run_by_hand
from server.runs.actions.carry_out import carry_out
from server.runs.actions.start_due import start_due
from server.runs.models import Backup, Run, RunState
from server.runs.tasks import carry_out_run
from server.tests.pretend import OfficeTestCase


def utc(text: str) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


class ARunByHand(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.nightly = self.plan(self.one)

    def test_makes_a_backup_that_holds_what_the_device_held(self):
        run = self.run_now(self.one)
        self.assertEqual(run.state, RunState.COMPLETE)
        vault = self.outside.open_vault(run.store.where)
        vault.refresh()
        self.assertEqual(contents(vault, vault.manifest(run.backup.id.bytes)), self.outside.devices["p1"].content)

    def test_ends_with_a_plain_sentence(self):
        says = self.api.get(f"/api/runs/{self.run_now(self.one).id}").json()["says"]
        self.assertRegex(says, r"Saved 158 items, 4\d\d KiB, of Orlo H1 in Server room, encrypted, in .* safe to unplug")

    def test_stands_in_the_history_with_everything_that_people_look_for(self):
        self.run_now(self.one)
        line = self.api.get("/api/runs").json()["results"][0]
        self.assertEqual(
            (line["device_name"], line["store_name"], line["state"], line["encrypted"]), ("Orlo H1", "Server room", "complete", True)
        )
        self.assertGreater(line["stored_bytes"], 100_000)
        self.assertEqual(line["size_bytes"], sum(map(len, self.outside.devices["p1"].content.values())))

    def test_the_second_run_reads_only_what_changed(self):
        self.run_now(self.one)
        self.outside.devices["p1"].content["contacts", "c001"] = b"changed"
        second = self.run_now(self.one)
        self.assertEqual(second.read_bytes, 7)

    def test_asking_puts_a_job_into_the_queue_that_carries_it_out(self):
        run = ask_run_by_hand(self.one, note="before the update", by=self.ines)
        job = ProcrastinateJob.objects.get(task_name="carry_out_run")
        carry_out_run.func(**job.args)
        self.assertEqual(Run.objects.get(id=run.id).state, RunState.COMPLETE)

    def test_a_second_one_at_once_is_refused_with_a_reason(self):
        self.api.post(f"/api/devices/{self.one.id}/run", {}, format="json")
        answer = self.api.post(f"/api/devices/{self.one.id}/run", {}, format="json")
        self.assertEqual(answer.status_code, 409)
        self.assertIn("under way", answer.json()["title"])
        self.assertEqual(Run.objects.count(), 1)

    def test_a_device_without_a_plan_is_told_what_to_do(self):
        other = self.device("p2")
        answer = self.api.post(f"/api/devices/{other.id}/run", {}, format="json")
        self.assertEqual(answer.status_code, 409)
        self.assertIn("Plans", answer.json()["remedy"])

    def test_stopping_a_waiting_run_ends_it_at_once(self):
        run = ask_run_by_hand(self.one, note="", by=self.ines)
        self.api.post(f"/api/runs/{run.id}/stop")
        self.assertEqual(carry_out(run.id).state, RunState.STOPPED)
        self.assertEqual(self.api.post(f"/api/runs/{run.id}/stop").status_code, 409)

    def test_a_lie_about_a_size_leaves_the_item_out_and_says_so(self):
        self.outside.devices["p1"].lies["p1"] = 5
        run = self.run_now(self.one)
        self.assertEqual(run.state, RunState.PARTIAL)
        answer = self.api.get(f"/api/runs/{run.id}").json()
        self.assertEqual([row["name"] for row in answer["skipped"]], ["p1"])
        self.assertIn("1 could not be taken", answer["says"])


class WhatGoesWrong(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()

    def ended(self, run: Run) -> tuple[str, str]:
        self.assertTrue(run.remedy)
        self.assertFalse(Backup.objects.filter(run=run).exists())
        return run.state, run.cause_code

    def test_away_and_locked(self):
        self.plan(self.one)
        self.outside.away.add("p1")
        self.assertEqual(self.ended(self.run_now(self.one)), ("failed", "link.away"))
        self.outside.away.clear()
        device = self.outside.devices["p1"]
        device.told = replace(device.told, locked=True)
        self.assertEqual(self.ended(self.run_now(self.one)), ("failed", "link.locked"))

    def test_a_run_by_hand_that_was_cut_is_tried_again_within_a_time_that_is_said_and_uses_what_was_stored(self):
        self.plan(self.one)
        self.outside.devices["p1"].cut_after = 400_000
        run = self.run_now(self.one)
        self.assertEqual((self.ended(run), run.gives_up_at), (("waiting", "link.cut"), self.outside.at + timedelta(minutes=30)))
        self.outside.devices["p1"].cut_after = None
        self.outside.at = run.next_try_at
        again = carry_out(run.id)
        self.assertEqual(again.state, RunState.COMPLETE)
        self.assertLess(again.stored_bytes, 120_000)

    def test_one_that_is_cut_again_and_again_ends_as_interrupted(self):
        self.plan(self.one)
        self.outside.devices["p1"].cut_after = 1
        run, began = self.run_now(self.one), self.outside.at
        for _ in range(20):
            if run.state != RunState.WAITING:
                break
            self.outside.at = run.next_try_at
            run = carry_out(run.id)
        self.assertEqual(self.ended(run), ("interrupted", "link.cut"))
        self.assertLessEqual(self.outside.at - began, timedelta(minutes=30))

    def test_a_missing_store(self):
        self.plan(self.one)
        self.outside.stores.clear()
        self.assertEqual(self.ended(self.run_now(self.one)), ("failed", "store.missing"))

    def test_a_run_that_would_not_fit_is_stopped_beforehand_and_stores_nothing(self):
        store = self.store(allowance_bytes=4_500_000)
        self.plan(self.one, store=store)
        before = dict(self.outside.stores[store.where].held)
        run = self.run_now(self.one)
        self.assertEqual(self.ended(run), ("refused", "quota.does_not_fit"))
        self.assertIn("Nothing was stored", run.cause)
        self.assertEqual(self.outside.stores[store.where].held, before)

    def test_a_worker_that_died_is_followed_by_another_one(self):
        self.plan(self.one)
        run = ask_run_by_hand(self.one, note="", by=self.ines)
        Run.objects.filter(id=run.id).update(state=RunState.RUNNING, attempts=1, started_at=self.outside.now())
        again = carry_out(run.id)
        self.assertEqual((again.state, again.attempts), (RunState.COMPLETE, 2))

    def test_carrying_out_a_run_that_has_ended_does_nothing(self):
        self.plan(self.one)
        run = self.run_now(self.one)
        carry_out(run.id)
        self.assertEqual(Backup.objects.count(), 1)

    def test_no_device_name_breaks_the_page_or_leaves_its_element(self):
        self.outside.devices["p1"].content["documents", "<img src=x onerror=alert(1)>"] = b"x" * 5000
        self.outside.devices["p1"].lies["<img src=x onerror=alert(1)>"] = 1
        self.plan(self.one)
        answer = self.api.get(f"/api/runs/{self.run_now(self.one).id}")
        self.assertEqual(answer["Content-Type"], "application/json")
        self.assertEqual(answer.json()["skipped"][0]["name"], "<img src=x onerror=alert(1)>")


class TheScheduler(OfficeTestCase):
    """The plan runs nightly at 22:00 in Berlin (21:00 UTC) and may start until 06:00."""

    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.plan(self.one)

    def tick(self, at: str) -> list[str]:
        self.outside.at = utc(at)
        return [str(run.planned_for)[:16] for run in start_due(now=utc(at))]

    def test_starts_what_is_due_and_nothing_before(self):
        self.assertEqual(self.tick("2026-03-02T20:59"), [])
        self.assertEqual(self.tick("2026-03-02T21:00"), ["2026-03-02 21:00"])

    def test_ticking_again_starts_nothing_twice(self):
        self.tick("2026-03-02T21:00")
        carry_out(Run.objects.get().id)
        self.assertEqual(self.tick("2026-03-02T21:01"), [])
        self.assertEqual(Run.objects.count(), 1)

    def test_after_three_nights_of_silence_one_run_and_two_missed_ones(self):
        self.assertEqual(self.tick("2026-03-05T02:00"), ["2026-03-04 21:00"])
        states = list(Run.objects.order_by("planned_for").values_list("state", flat=True))
        self.assertEqual(states, ["missed", "missed", "waiting"])

    def test_nights_before_the_device_followed_the_plan_are_not_owed(self):
        self.tick("2026-03-02T10:00")
        self.assertFalse(Run.objects.exists())

    def test_paused_plans_and_lost_devices_are_left_alone(self):
        from server.fleet.models import Device
        from server.plans.actions.pause import pause, resume

        held = pause(plan=None, device=None, until=None, reason="x", by=self.ines)
        self.assertEqual(self.tick("2026-03-02T21:00"), [])
        resume(held, by=self.ines)
        Device.objects.update(state="lost")
        self.assertEqual(self.tick("2026-03-02T21:01"), [])

    def missed(self) -> int:
        return Run.objects.filter(state=RunState.MISSED).count()

    def test_nights_that_a_plan_did_not_promise_then_are_not_missed_later(self):
        from server.plans.actions.pause import pause, resume
        from server.plans.actions.save_plan import save_plan
        from server.plans.models import Plan

        plan = Plan.objects.get()

        def change(**fields: object) -> None:
            save_plan(self.draft(plan.store, **fields), devices=[self.one.id], by=self.ines, plan=plan, now=self.outside.at)

        change(rule="FREQ=WEEKLY;BYDAY=TH")
        self.outside.at = utc("2026-03-04T12:00")
        change()
        self.tick("2026-03-04T12:01")
        self.assertEqual(self.missed(), 0)
        held = pause(plan=plan, device=None, until=None, reason="stock-taking", by=self.ines)
        self.tick("2026-03-07T12:00")
        self.outside.at = utc("2026-03-09T12:00")
        resume(held, by=self.ines)
        self.tick("2026-03-09T12:01")
        self.assertEqual(self.missed(), 0)
        self.tick("2026-03-11T12:00")
        self.assertEqual(self.missed(), 2)

    def test_a_device_that_was_away_owes_nothing_for_that_time_and_comes_back_on_its_day(self):
        from server.fleet.actions.change_device import change_device
        from server.fleet.models import Device

        change_device(self.one, {"state": "away", "away_until": "2026-03-08"}, by=self.ines)
        self.tick("2026-03-08T21:30")
        self.assertEqual(Device.objects.get().state, "away")
        self.assertEqual(self.tick("2026-03-09T21:00"), ["2026-03-09 21:00"])
        self.assertEqual((Device.objects.get().state, self.missed()), ("in_use", 0))

    def test_a_device_that_is_away_is_tried_again_until_the_window_closes(self):
        self.outside.away.add("p1")
        self.tick("2026-03-02T21:00")
        run = carry_out(Run.objects.get().id)
        self.assertEqual((run.state, run.cause_code), (RunState.WAITING, "link.away"))
        self.assertFalse(ProcrastinateJob.objects.filter(scheduled_at__isnull=False).exists(), "what waits in the queue holds up others")
        self.outside.at = utc("2026-03-03T04:58")
        self.assertEqual(carry_out(run.id).state, RunState.FAILED)

    def test_it_comes_back_and_the_same_run_succeeds(self):
        self.outside.away.add("p1")
        self.tick("2026-03-02T21:00")
        run = carry_out(Run.objects.get().id)
        self.outside.away.clear()
        self.assertEqual(carry_out(run.id).attempts, 1)  # its pause of a minute is not over
        self.outside.at += timedelta(seconds=61)
        run = carry_out(run.id)
        self.assertEqual((run.state, run.attempts), (RunState.COMPLETE, 2))

    def test_the_night_of_a_run_after_midnight_is_the_evening_before(self):
        self.tick("2026-03-03T02:00")
        self.assertEqual(str(Run.objects.get().night), "2026-03-02")

    def test_the_same_number_of_queries_for_one_device_and_for_ten(self):
        with self.assertNumQueries(22):
            start_due(now=utc("2026-03-02T12:00"))
        self.plan(*[self.device(f"d{number}") for number in range(9)], name="Other")
        with self.assertNumQueries(22):
            start_due(now=utc("2026-03-02T12:00"))


class TheHistory(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one, self.two = self.device("p1"), self.device("p2")
        self.plan(self.one, self.two)
        self.outside.away.add("p2")
        for device in (self.one, self.two):
            self.run_now(device)

    def found(self, query: str) -> int:
        return self.api.get(f"/api/runs?{query}").json()["count"]

    def test_each_filter(self):
        self.assertEqual(self.found(f"device={self.one.id}"), 1)
        self.assertEqual(self.found("state=failed"), 1)
        self.assertEqual(self.found("night=2026-03-01"), 2)
        self.assertEqual(self.found("night=2026-03-02"), 0)
        self.assertEqual(self.found("words=holder p2"), 1)
        self.assertEqual(self.found("words=nobody"), 0)

    def test_a_filter_that_is_no_filter_is_named(self):
        answer = self.api.get("/api/runs?night=soon")
        self.assertEqual((answer.status_code, answer.json()["field"]), (400, "night"))

    def test_a_page_costs_the_same_queries_however_long_it_is(self):
        with self.assertNumQueries(4):
            self.api.get("/api/runs")
        start = self.outside.at
        for n in range(30):
            Run.objects.create(
                device=self.one,
                store=Run.objects.first().store,
                trigger="schedule",
                state="complete",
                night=start.date(),
                asked_at=start - timedelta(days=n + 1),
            )
        with self.assertNumQueries(4):
            self.assertEqual(len(self.api.get("/api/runs").json()["results"]), 32)


class TheClock(OfficeTestCase):
    def test_ticks_and_looks_for_lost_jobs_every_ten_seconds(self):
        from croniter import croniter
        from procrastinate.contrib.django import app

        crons = {name: periodic.cron for (name, _), periodic in app.periodic_registry.periodic_tasks.items()}
        for name, seconds in (("tick", 10), ("revive", 10), ("requeue", 10)):
            start = datetime(2026, 3, 2, 12, 0, tzinfo=UTC).timestamp()
            times = croniter(crons[name], start)
            self.assertEqual([times.get_next(float) - start for _ in range(3)], [seconds, 2 * seconds, 3 * seconds])
